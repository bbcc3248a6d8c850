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
	var tags, others []string
	for _, l := range p.Lacks {
		if tag, is := strings.CutPrefix(l, "tag-of-resource:"); is {
			tags = append(tags, tag)
		} else {
			others = append(others, l)
		}
	}
	sentence := fmt.Sprintf("Line %s is for resources with the tag %s, which %s lacks", p.Line, strings.Join(tags, " and "), object)
	if len(others) > 0 {
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

// phrases are the words for each kind of need, and for its opposite; %s is its value.
var phrases = map[string][2]string{
	"network":      {"the source address is in %s", "the source address is not in %s"},
	"window":       {"the time is in the window %s", "the time is outside the window %s"},
	"device":       {"the device is %s", "the device is not %s"},
	"device-group": {"the device is in the group %s", "the device is not in the group %s"},
	"strength":     {"the sign-in is at least %s", "the sign-in is weaker than %s"},
	"access":       {"the access is by %s", "the access is not by %s"},
	"client":       {"the client is %s", "the client is not %s"},
	"risk":         {"the risk is %s", "the risk is not %s"},
	"via":          {"the way is %s", "the way is not %s"},
	"before":       {"the time is before %s", "the time is %s or later"},
	"after":        {"the time is %s or later", "the time is before %s"},
	"to":           {"the destination is in %s", "the destination is not in %s"},
	"port":         {"the port is %s", "the port is not %s"},
}

// Need puts one need into words.
func Need(n situation.Need) string {
	kind, value, _ := strings.Cut(string(n), ":")
	positive, opposite := strings.CutPrefix(kind, "not-")
	phrase, known := phrases[positive]
	switch {
	case !known:
		return string(n)
	case opposite && kind != "not-window":
		return fmt.Sprintf(phrase[1], strings.ReplaceAll(value, "|", " or "))
	case opposite:
		return fmt.Sprintf(phrase[1], strings.ReplaceAll(value, "|", " and "))
	}
	return fmt.Sprintf(phrase[0], strings.ReplaceAll(value, "|", " or "))
}

// Stop puts what shuts something into words.
func Stop(s rule.Stop) string {
	switch s.Reason {
	case rule.ByCondition:
		return fmt.Sprintf("Line %s gives it only if %s", s.At, Need(situation.Need(s.Detail)))
	case rule.ByInactive:
		return fmt.Sprintf("The account %s is inactive", s.At)
	case rule.ByExpired:
		return fmt.Sprintf("The account %s expired at %s", s.At, s.Detail)
	case rule.ByPrerequisite:
		system, _, _ := strings.Cut(s.At, "/")
		return fmt.Sprintf("%s requires the attribute %s, which the user lacks", system, s.Detail)
	case rule.ByDeny:
		return fmt.Sprintf("Line %s denies it", s.At)
	case rule.ByLimit:
		return fmt.Sprintf("The limit %s forbids it", s.At)
	case rule.ByFeature:
		return fmt.Sprintf("%s needs the feature %s, which the user lacks", s.At, s.Detail)
	case rule.ByNoSeat:
		return fmt.Sprintf("%s has no seat left", s.At)
	case rule.ByGate:
		return fmt.Sprintf("It is behind %s, which does not let the user through: %s", s.At, inner(s.Detail))
	case rule.ByRule:
		return fmt.Sprintf("Line %s refuses it before another line permits it", s.At)
	case rule.ByOverride:
		return fmt.Sprintf("The user's own override refuses it (%s)", s.At)
	case rule.ByPolicy:
		return fmt.Sprintf("Policy %s blocks it%s", s.At, because(s.Detail))
	case rule.ByDoor:
		return fmt.Sprintf("The folder allows it, but %s does not", s.At)
	case rule.ByLogin:
		return fmt.Sprintf("The user cannot log in there: %s%s", s.At, because(s.Detail))
	case rule.ByAdmit:
		return fmt.Sprintf("%s does not admit the sign-in%s", s.At, because(s.Detail))
	case rule.BySource:
		return fmt.Sprintf("Users of the directory %s are not known here (%s)", s.Detail, s.At)
	}
	return strings.TrimSpace(fmt.Sprintf("%s at %s %s", s.Reason, s.At, s.Detail))
}

// because adds a detail, if there is one.
func because(detail string) string {
	if detail == "" {
		return ""
	}
	return " (" + inner(detail) + ")"
}

// inner puts the detail of a gate in front into words: a need, or a reason and
// its own detail.
func inner(detail string) string {
	reason, need, ok := strings.Cut(detail, " ")
	if ok && strings.Contains(need, ":") && !strings.Contains(reason, ":") {
		return reason + ": " + Need(situation.Need(need))
	}
	return Need(situation.Need(detail))
}

func ellipsis(more bool) string {
	if more {
		return " …"
	}
	return ""
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
		kind, value, _ := strings.Cut(l, ":")
		switch kind {
		case "group":
			names = append(names, "members of "+value)
		case "user":
			names = append(names, value+" in person")
		case "not-group":
			rest = append(rest, "members of "+value+" are excepted")
		case "not-user":
			rest = append(rest, value+" is excepted")
		case "claim":
			names = append(names, "those whose sign-in carries "+value)
		case "tag":
			names = append(names, "those with the tag "+value)
		case "attribute":
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
