package answer

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Stop puts what shuts something into words.
func Stop(s rule.Stop) string {
	system, _, _ := strings.Cut(s.At, "/")
	x, known := stops[s.Reason]
	return strings.TrimSpace(said(known, x.phrase, string(s.Reason)+" at {at} {detail}",
		"{at}", s.At, "{system}", system, "{detail}", s.Detail, "{need}", Need(situation.Need(s.Detail)),
		"{inner}", inner(s), "{because}", because(s)))
}

// because adds a detail, if there is one.
func because(s rule.Stop) string {
	if s.Detail == "" {
		return ""
	}
	return " (" + inner(s) + ")"
}

// inner puts the detail of a gate in front into words: a need, or a reason and its own detail.
func inner(s rule.Stop) string {
	reason, detail := s.Inner()
	words := Need(situation.Need(detail))
	switch {
	case reason == "":
		return words
	case words == detail:
		return strings.TrimSpace(string(reason) + " " + detail)
	}
	return string(reason) + ": " + words
}

var hows = map[string]string{
	"direct": "listed in", "primary": "by primary group in", "rule": "by rule in", "nested": "which is in",
}

// Route puts one way to an entitlement into words.
func Route(r rule.Route, user string) string {
	if r.Direct {
		return fmt.Sprintf("Line %s gives it to %s by name", r.Mapping, user)
	}
	by := ""
	if kind, value, ok := strings.Cut(r.By, ":"); ok {
		by = " by the " + kind + " " + value
	}
	switch {
	case len(r.Path) == 0 && by != "":
		return fmt.Sprintf("Line %s gives it%s", r.Mapping, by)
	case len(r.Path) == 0:
		return fmt.Sprintf("Line %s gives it to everyone", r.Mapping)
	}
	var way []string
	for _, h := range r.Path {
		way = append(way, hows[h.How]+" "+h.Group)
	}
	return fmt.Sprintf("Line %s gives it%s: %s is %s", r.Mapping, by, user, strings.Join(way, ", "))
}

// Miss puts what is lacking for one line into words.
func Miss(m rule.Miss) string {
	var names, rest []string
	for _, l := range m.Lacks {
		kind, value := l.Parts()
		switch kind {
		case rule.LackGroup:
			names = append(names, "members of "+value)
		case rule.LackUser:
			names = append(names, value+" in person")
		case rule.LackNotGroup:
			rest = append(rest, "members of "+value+" are excepted")
		case rule.LackNotUser:
			rest = append(rest, value+" is excepted")
		case rule.LackClaim:
			names = append(names, "those whose sign-in carries "+value)
		case rule.LackTag:
			names = append(names, "those with the tag "+value)
		case rule.LackAttribute:
			rest = append(rest, "the attribute "+value+" is lacking")
		}
	}
	sentence := "Line " + m.Mapping + " gives it"
	if len(names) > 0 {
		sentence += " to " + strings.Join(names, " or ")
	}
	if len(rest) > 0 {
		sentence += ", but " + strings.Join(slices.Compact(rest), ", and ")
	}
	return sentence
}
