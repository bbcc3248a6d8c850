package change

import (
	"regexp"
	"strings"

	"gatemap/core/check"
	"gatemap/core/finding"
)

// TurnedFindings are findings that are in one map alone.
type TurnedFindings struct {
	New  []finding.Finding `json:"new" nullable:"false"`
	Gone []finding.Finding `json:"gone" nullable:"false"`
}

// TurnedGuarantees are guarantees that hold in one map alone.
type TurnedGuarantees struct {
	Broken []string `json:"broken" doc:"Kept before, broken after, or new and broken." nullable:"false"`
	Mended []string `json:"mended" doc:"Broken before, kept after." nullable:"false"`
}

// turnedFindings compares findings by what they are about: a finding is the same
// wherever its line has moved to, in its file and among the lines without a name.
func turnedFindings(before, after []finding.Finding) TurnedFindings {
	before, after = surplus(before, after, says), surplus(after, before, says)
	return TurnedFindings{New: surplus(after, before, about), Gone: surplus(before, after, about)}
}

// surplus leaves out of a list as many findings with a key as another list has.
func surplus(list, other []finding.Finding, key func(finding.Finding) string) []finding.Finding {
	there := map[string]int{}
	for _, f := range other {
		there[key(f)]++
	}
	rest := []finding.Finding{}
	for _, f := range list {
		if k := key(f); there[k] > 0 {
			there[k]--
		} else {
			rest = append(rest, f)
		}
	}
	return rest
}

// says is what a finding says, and of what.
func says(f finding.Finding) string {
	return strings.Join(append([]string{string(f.Code), f.Where.System, f.Where.Rule, f.Message}, f.Names...), "\x00")
}

// about is says without the numbers of lines that have no name.
func about(f finding.Finding) string {
	kind := strings.TrimRight(f.Where.Rule, "0123456789")
	if kind == f.Where.Rule || kind == "" {
		return says(f)
	}
	return regexp.MustCompile(regexp.QuoteMeta(kind)+"[0-9]+").ReplaceAllString(says(f), kind)
}

func turnedGuarantees(before, after []check.Guaranteed) TurnedGuarantees {
	broken := func(list []check.Guaranteed) map[string]bool {
		m := map[string]bool{}
		for _, g := range list {
			m[g.Guarantee] = g.Broken()
		}
		return m
	}
	only := func(list []check.Guaranteed, other map[string]bool) []string {
		names := []string{}
		for _, g := range list {
			if g.Broken() && !other[g.Guarantee] {
				names = append(names, g.Guarantee)
			}
		}
		return names
	}
	return TurnedGuarantees{Broken: only(after, broken(before)), Mended: only(before, broken(after))}
}
