package answer

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/name"
)

// Findings is what was found in the map without being asked, or a page of it, with how
// many there are of which code.
type Findings struct {
	Findings []finding.Finding `json:"findings" doc:"The worst first." nullable:"false"`
	Total    int               `json:"total" doc:"How many there are on all pages."`
	Codes    []FoundCode       `json:"codes" doc:"How many of which code, the worst first." nullable:"false"`
	Systems  []FoundSystem     `json:"systems" doc:"How many in which system, by name." nullable:"false"`
	Next     string            `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
	Pending  bool              `json:"pending,omitempty" doc:"Whether more is being looked for: only where so_far asks for what there is."`
}

// FoundCode is how many findings there are of a code.
type FoundCode struct {
	Code     finding.Code     `json:"code"`
	Severity finding.Severity `json:"severity" enum:"error,warning,note"`
	Count    int              `json:"count"`
}

// FoundSystem is how many findings there are in a system.
type FoundSystem struct {
	System   string `json:"system"`
	Errors   int    `json:"errors"`
	Warnings int    `json:"warnings"`
	Notes    int    `json:"notes"`
}

// Wanted says which findings are asked for; empty fields ask for all.
type Wanted struct {
	System   string
	Code     string
	Severity string
}

// Failed says whether any of the findings is an error.
func (f *Findings) Failed() bool {
	return slices.ContainsFunc(f.Codes, func(c FoundCode) bool { return c.Severity == finding.Error })
}

// Find takes those findings that are wanted: all of them, or with a limit over 0 at most
// limit after the first from.
func Find(all []finding.Finding, w Wanted, from, limit int) *Findings {
	p := &Findings{Findings: []finding.Finding{}, Codes: []FoundCode{}, Systems: []FoundSystem{}}
	codes, systems := map[finding.Code]*FoundCode{}, map[string]*FoundSystem{}
	for _, f := range all {
		if w.System != "" && !name.Equal(w.System, f.Where.System) || w.Code != "" && w.Code != string(f.Code) ||
			w.Severity != "" && w.Severity != string(f.Severity) {
			continue
		}
		if p.Total >= from && (limit == 0 || len(p.Findings) < limit) {
			p.Findings = append(p.Findings, f)
		}
		p.Total++
		if codes[f.Code] == nil {
			codes[f.Code] = &FoundCode{Code: f.Code, Severity: f.Severity}
		}
		codes[f.Code].Count++
		if f.Where.System == "" {
			continue
		}
		if systems[f.Where.System] == nil {
			systems[f.Where.System] = &FoundSystem{System: f.Where.System}
		}
		systems[f.Where.System].add(f.Severity)
	}
	for _, c := range codes {
		p.Codes = append(p.Codes, *c)
	}
	rank := func(s finding.Severity) int {
		return slices.Index([]finding.Severity{finding.Error, finding.Warning, finding.Note}, s)
	}
	slices.SortFunc(p.Codes, func(a, b FoundCode) int {
		return cmp.Or(rank(a.Severity)-rank(b.Severity), b.Count-a.Count, strings.Compare(string(a.Code), string(b.Code)))
	})
	for _, s := range systems {
		p.Systems = append(p.Systems, *s)
	}
	slices.SortFunc(p.Systems, func(a, b FoundSystem) int { return strings.Compare(a.System, b.System) })
	return p
}

func (s *FoundSystem) add(severity finding.Severity) {
	switch severity {
	case finding.Error:
		s.Errors++
	case finding.Warning:
		s.Warnings++
	default:
		s.Notes++
	}
}
