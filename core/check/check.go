// Package check finds what is wrong, useless or risky in a compiled map
// (docs/model.md section 8). Each analyzer is a value with a name, a sentence
// and a function; none changes anything.
package check

import (
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/finding"
	"gatemap/core/parallel"
)

// Analyzer looks for one kind of thing in an atlas.
type Analyzer struct {
	Name string
	Doc  string
	Run  func(*Pass)
}

// Pass is one run of one analyzer.
type Pass struct {
	Atlas *atlas.Atlas
	Add   func(finding.Finding)
}

// eachSystem looks at the systems, several at the same time, and adds what it finds in their
// order.
func (p *Pass) eachSystem(look func(*atlas.System) []finding.Finding) {
	found := make([][]finding.Finding, len(p.Atlas.Systems))
	parallel.For(len(found), 1, func(from, to int) {
		for i := from; i < to; i++ {
			found[i] = look(p.Atlas.Systems[i])
		}
	})
	for _, f := range slices.Concat(found...) {
		p.Add(f)
	}
}

// Analyzers lists all of them.
var Analyzers = []Analyzer{
	gates,
	references,
	groups,
	layers,
	unused,
	prerequisites,
	locked,
	accounts,
	lookAlikes,
	loneAttributes,
}

// Findings runs every analyzer; what it returns is sorted, the worst first.
func Findings(a *atlas.Atlas) []finding.Finding {
	found := make([][]finding.Finding, len(Analyzers))
	Look(a, func(analyzer int, list []finding.Finding) { found[analyzer] = list })
	return Sorted(found)
}

// Look runs every analyzer, and hands on what each found as soon as it has: analyzer is its
// number in Analyzers. told is called for several at the same time.
func Look(a *atlas.Atlas, told func(analyzer int, list []finding.Finding)) {
	parallel.For(len(Analyzers), 1, func(from, to int) {
		for i := from; i < to; i++ {
			var list []finding.Finding
			Analyzers[i].Run(&Pass{a, func(f finding.Finding) { list = append(list, f) }})
			told(i, list)
		}
	})
}

// Sorted is what analyzers found, the worst first.
func Sorted(found [][]finding.Finding) []finding.Finding {
	all := append([]finding.Finding{}, slices.Concat(found...)...)
	finding.Sort(all)
	return all
}

// Written lists what is found in the lines of some systems of an atlas and in its
// guarantees by looking at what is written there, as Findings tells it: what follows
// from who is in which group is left out, and so are the directories.
func Written(a *atlas.Atlas, systems []*atlas.System) []finding.Finding {
	some := *a
	some.Systems = systems
	all := []finding.Finding{}
	pass := &Pass{&some, func(f finding.Finding) { all = append(all, f) }}
	gates.Run(pass)
	pass.sites()
	return all
}
