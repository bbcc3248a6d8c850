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
