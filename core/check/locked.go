package check

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"sync"

	"gatemap/core/atlas"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// locked finds lines that never open anything: with no fact given, all that
// they give to anyone today is shut, which it then is in every situation. What
// shuts it for a reason of the person's own (the account, a missing attribute,
// a seat) says nothing about the line.
var locked = Analyzer{
	Name: "locked",
	Doc:  "Lines that can never be more than shut, and what shuts them.",
	Run: func(p *Pass) {
		facts := p.Atlas.Frame.Facts(situation.Situation{}, nil)
		lines := map[string]*lock{}
		var one sync.Mutex
		p.Atlas.Survey(facts, atlas.Lines, func(_ *atlas.System, classes []atlas.Class) {
			one.Lock()
			defer one.Unlock()
			for i := range classes {
				if !p.Atlas.Book.User(classes[i].Users[0]).IsActive() {
					continue
				}
				for j := range classes[i].Held {
					note(lines, &classes[i].Held[j])
				}
			}
		})
		places := map[string]place.Place{}
		for _, s := range p.Atlas.Systems {
			maps.Copy(places, s.Site.Places)
		}
		for _, line := range slices.Sorted(maps.Keys(lines)) {
			l := lines[line]
			if l.opens || len(l.by) == 0 {
				continue
			}
			by := slices.Sorted(maps.Keys(l.by))
			f := finding.New(finding.LockedOut, places[line],
				fmt.Sprintf("Line %s can never open anything: everything it gives is shut by %s.", line, strings.Join(by, ", ")),
				"Remove the line, or change what shuts it.", by...)
			f.Where.System, f.Where.Rule, _ = strings.Cut(line, "/")
			p.Add(f)
		}
	},
}

// lock is what becomes of everything that a line gives.
type lock struct {
	opens bool
	by    map[string]bool // what shuts it
}

var personal = []gate.Reason{gate.ByInactive, gate.ByExpired, gate.ByPrerequisite, gate.ByNoSeat, gate.ByOverride}

func note(lines map[string]*lock, e *gate.Entitlement) {
	own := slices.ContainsFunc(e.ShutBy, func(s gate.Stop) bool { return slices.Contains(personal, s.Reason) })
	for _, r := range e.Routes {
		l := lines[r.Mapping]
		if l == nil {
			l = &lock{by: map[string]bool{}}
			lines[r.Mapping] = l
		}
		if e.State != gate.Shut || own {
			l.opens = l.opens || e.State != gate.Shut
			continue
		}
		for _, s := range e.ShutBy {
			l.by[s.At] = true
		}
	}
}
