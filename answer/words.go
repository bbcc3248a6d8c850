package answer

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Undeclared says which object decides for one that is not declared.
func Undeclared(object, decidedAt string) string {
	return fmt.Sprintf("%s is not declared; %s above it decides.", object, decidedAt)
}

// Sentences puts an answer into words. display is the user's display name, or
// empty.
func Sentences(w *Why, display string) []string {
	who := w.User
	if display != "" {
		who = display + " (" + w.User + ")"
	}
	what := fmt.Sprintf("%s on %s in %s", w.Right, w.Object, w.System)
	if w.Breadth != "" {
		what += ", breadth " + w.Breadth
	}
	lines := []string{stateSentence(w, who, what)}
	if w.DecidedAt != "" {
		lines = append(lines, Undeclared(w.Object, w.DecidedAt))
	}
	for _, s := range w.ShutBy {
		lines = append(lines, Stop(s)+".")
	}
	for _, r := range w.Routes {
		lines = append(lines, Route(r, w.User)+".")
	}
	for _, x := range w.Watch {
		lines = append(lines, Watched(x)+".")
	}
	for _, m := range w.Misses {
		lines = append(lines, Miss(m)+".")
	}
	for _, line := range w.Lines {
		if sentence := Role(line, w); sentence != "" {
			lines = append(lines, sentence+".")
		}
	}
	for _, way := range w.Ways {
		lines = append(lines, WayIn(way.Way)+".")
	}
	if w.State == rule.None && len(w.Misses) == 0 {
		lines = append(lines, "No line of "+w.System+" gives it to anyone.")
	}
	return lines
}

// Watched puts into words what a policy that is only watched would have done.
func Watched(w rule.Watch) string {
	return fmt.Sprintf("Policy %s is only watched: it would %s", w.Policy, w.Would)
}

// Role puts into words what a line does that is neither a route nor what shuts it; "" for
// one that is.
func Role(p rule.Pass, w *Why) string {
	named := slices.ContainsFunc(w.Routes, func(r rule.Route) bool { return r.Mapping == p.Line }) ||
		slices.ContainsFunc(w.ShutBy, func(s rule.Stop) bool { return s.At == p.Line })
	words := make([]string, len(p.Needs))
	for i, n := range p.Needs {
		words[i] = Need(n)
	}
	given := strings.Join(words, " and ")
	switch {
	case p.Fate == rule.Elsewhere:
		return lacking(p, w.Object)
	case named || p.Fate == rule.Watched:
		return ""
	case p.Fate == rule.May && p.Part == rule.Gives:
		return fmt.Sprintf("Line %s lets it pass if %s", p.Line, given)
	case p.Fate == rule.May && p.Part == rule.Asks:
		return fmt.Sprintf("Line %s applies if %s", p.Line, given)
	case p.Fate == rule.May:
		return fmt.Sprintf("Line %s refuses it if %s", p.Line, given)
	case p.Part == rule.Gives:
		return fmt.Sprintf("Line %s lets it pass", p.Line)
	case p.Part == rule.Asks:
		return fmt.Sprintf("Line %s applies", p.Line)
	}
	return fmt.Sprintf("Line %s refuses it otherwise", p.Line)
}

// lacking says what a resource lacks for a line to be about it.
func lacking(p rule.Pass, object string) string {
	var tags []string
	others := 0
	for _, l := range p.Lacks {
		if kind, tag := l.Parts(); kind == rule.LackMark {
			tags = append(tags, tag)
		} else {
			others++
		}
	}
	sentence := fmt.Sprintf(
		"Line %s is for resources with the tag %s, which %s lacks",
		p.Line,
		strings.Join(tags, " and "),
		object,
	)
	if others > 0 {
		sentence += ", and for others than this user"
	}
	return sentence
}

func stateSentence(w *Why, who, what string) string {
	given := "in any situation"
	if len(w.Situation) > 0 {
		var facts []string
		for _, field := range situation.Fields {
			if v, ok := w.Situation[field]; ok {
				facts = append(facts, strings.ReplaceAll(field, "_", " ")+" "+v)
			}
		}
		given = "in this situation (" + strings.Join(facts, ", ") + ")"
	}
	switch w.State {
	case rule.Open:
		return fmt.Sprintf("%s holds %s, and it is open %s.", who, what, given)
	case rule.Depends:
		return fmt.Sprintf("%s holds %s, and it is open %s.", who, what, OpenIf(w.OpenIf, w.More))
	case rule.Shut:
		if len(w.Situation) == 0 {
			return fmt.Sprintf("%s is given %s, but it is shut.", who, what)
		}
		return fmt.Sprintf("%s is given %s, but it is shut %s.", who, what, given)
	}
	return fmt.Sprintf("%s does not hold %s.", who, what)
}

// OpenIf puts into words in which ways something is open: the needs of one are joined by
// "and", and the ways by "or" after a comma.
func OpenIf(ways [][]situation.Need, more bool) string {
	switch {
	case len(ways) == 0:
		return "in no case, whatever the situation"
	case len(ways[0]) == 0:
		return "in any case"
	}
	parts := make([]string, len(ways))
	for i, way := range ways {
		words := make([]string, len(way))
		for j, n := range way {
			words[j] = Need(n)
		}
		parts[i] = strings.Join(words, " and ")
	}
	words := "if " + strings.Join(parts, ", or if ")
	if more {
		words += ", or in further ways"
	}
	return words
}

// Need puts one need into words.
func Need(n situation.Need) string {
	kind, values, not := n.Parts()
	x, known := wordsOf(kind, not)
	between := " or "
	if not && kind == "window" {
		between = " and " // outside of each
	}
	return said(known, x.phrase, string(n), "{value}", strings.Join(values, between))
}

func ellipsis(more bool) string {
	if more {
		return " …"
	}
	return ""
}
