package check

import (
	"fmt"
	"strings"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
)

// references hands on what came to light while the map was compiled.
var references = Analyzer{
	Name: "references",
	Doc:  "Names that do not exist, and groups named where they cannot be used.",
	Run: func(p *Pass) {
		for _, f := range p.Atlas.Book.Findings() {
			p.Add(f)
		}
		p.sites()
	},
}

// sites hands on what came to light while systems and guarantees were compiled.
func (p *Pass) sites() {
	for _, s := range p.Atlas.Systems {
		for _, f := range s.Site.Findings {
			p.Add(f)
		}
	}
	for _, g := range p.Atlas.Guarantees {
		for _, f := range g.Site.Findings {
			f.Where.System = ""
			p.Add(f)
		}
	}
}

// gates asks each gate to check itself.
var gates = Analyzer{
	Name: "gates",
	Doc:  "What each gate type finds in its own lines.",
	Run: func(p *Pass) {
		for _, s := range p.Atlas.Systems {
			s.Gate.Check(&gate.Report{Book: p.Atlas.Book, System: s.Document, Add: p.Add})
		}
	},
}

var prerequisites = Analyzer{
	Name: "prerequisites",
	Doc:  "Users who hold something in a system, but lack an attribute that it requires.",
	Run: func(p *Pass) {
		p.eachSystem(func(s *atlas.System) []finding.Finding { return lacking(p.Atlas, s) })
	},
}

// lacking tells of the users who lack what a system requires.
func lacking(a *atlas.Atlas, s *atlas.System) (found []finding.Finding) {
	missing := map[string][]string{}
	a.Lacking(s, func(u directory.UserID, lacks []string) {
		for _, attribute := range lacks {
			missing[attribute] = append(missing[attribute], a.Book.UserName(u))
		}
	})
	for _, attribute := range s.Document.Requires {
		names := missing[attribute]
		if names == nil {
			continue
		}
		f := finding.New(
			finding.Prerequisite,
			s.Document.Place,
			fmt.Sprintf(
				"System %s requires the attribute %s, which these users lack: %s. Everything they are given here is shut.",
				s.Name(),
				attribute,
				strings.Join(names, ", "),
			),
			"Fill in the attribute in the directory, or remove it from requires.",
			names...)
		f.Where.System = s.Name()
		found = append(found, f)
	}
	return found
}
