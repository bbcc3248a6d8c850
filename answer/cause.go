package answer

import (
	"fmt"

	"gatemap/core/change"
	"gatemap/core/rule"
)

// causes are the words for each kind of cause: of a gain, and of a loss.
var causes = map[change.CauseKind][2]string{
	change.ByRule:       {"The rule of the group %s matches now", "The rule of the group %s no longer matches"},
	change.ByMembership: {"Now in the group %s", "No longer in the group %s"},
	change.ByNesting:    {"The group %s is in %s now", "The group %s is no longer in %s"},
	change.ByPerson:     {"The account is new", "The account is gone"},
	change.ByLine:       {"The line %s gives it now", "The line %s no longer gives it"},
	change.BySystem:     {"The system %s is new", "The system %s is gone"},
}

// accountCauses are the words for what of an account shuts something.
var accountCauses = map[rule.Reason][2]string{
	rule.ByInactive: {"The account is switched on", "The account is switched off"},
	rule.ByExpired:  {"The account has not ended now", "The account has ended"},
}

// CauseWords puts into words why something is gained or lost.
func CauseWords(c change.Cause) string {
	side := 1
	if c.Gain {
		side = 0
	}
	switch c.Kind {
	case change.ByStop:
		if accounts, is := accountCauses[c.Stop.Reason]; is {
			return accounts[side]
		}
		if c.Gain {
			return "No longer so: " + Stop(c.Stop)
		}
		return Stop(c.Stop)
	case change.ByPerson:
		return causes[c.Kind][side]
	case change.ByNesting:
		return fmt.Sprintf(causes[c.Kind][side], c.Name, c.In)
	}
	return fmt.Sprintf(causes[c.Kind][side], c.Name)
}
