package change

import (
	"slices"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/rule"
)

// CauseKind says why an entitlement is gained or lost.
type CauseKind string

// The causes of a loss; of a gain each is the other way round.
const (
	ByRule       CauseKind = "rule"       // the rule of a group no longer describes the user
	ByMembership CauseKind = "membership" // the user is no longer listed in a group
	ByNesting    CauseKind = "nesting"    // a group is no longer in another
	ByPerson     CauseKind = "person"     // the user is no longer there
	ByLine       CauseKind = "line"       // a line does not give it any more
	BySystem     CauseKind = "system"     // the system is gone
	ByStop       CauseKind = "stop"       // something shuts it
)

// Cause is why an entitlement is gained or lost.
type Cause struct {
	Kind CauseKind `json:"kind" enum:"rule,membership,nesting,person,line,system,stop" doc:"What kind of thing it is."`
	Gain bool      `json:"gain" doc:"Whether it is why something is gained, or lost."`
	Name string    `json:"name,omitempty" doc:"The group, the line, the system, or what shuts it; missing where it is the account."`
	In   string    `json:"in,omitempty" doc:"Of nesting: the outer group."`
	Stop rule.Stop `json:"stop" doc:"Of what shuts it: the reason."`
}

// GainCause and LossCause say why a user gains or loses an entitlement. was and is are the
// entitlement before and after; nil: not held.
func (t *Trial) GainCause(user string, was, is *rule.Entitlement) Cause {
	c := cause(t.before, user, is, was)
	c.Gain = true
	return c
}

func (t *Trial) LossCause(user string, was, is *rule.Entitlement) Cause {
	return cause(t.Atlas, user, was, is)
}

// cause says why what is held otherwise is not held by a map.
func cause(without *atlas.Atlas, user string, held, not *rule.Entitlement) Cause {
	if not != nil && len(not.ShutBy) > 0 {
		stop := not.ShutBy[0]
		if stop.Reason == rule.ByInactive || stop.Reason == rule.ByExpired {
			return Cause{Kind: ByStop, Stop: rule.Stop{Reason: stop.Reason}} // of whomever
		}
		return Cause{Kind: ByStop, Name: stop.At, Stop: stop}
	}
	if _, err := without.System(held.System); err != nil {
		return Cause{Kind: BySystem, Name: held.System}
	}
	u, err := without.Book.LookUser(user, "")
	if err != nil {
		return Cause{Kind: ByPerson}
	}
	for _, r := range held.Routes {
		if c, is := broken(without.Book, u, r); is {
			return c
		}
	}
	if len(held.Routes) > 0 {
		return Cause{Kind: ByLine, Name: held.Routes[0].Mapping}
	}
	return Cause{Kind: ByLine, Name: held.System}
}

// broken says where a route does not go on by the groups of another map.
func broken(book *directory.Book, u directory.UserID, r rule.Route) (Cause, bool) {
	before := directory.GroupID(0)
	for i, hop := range r.Path {
		g, err := book.LookGroup(hop.Group, "")
		switch {
		case i == 0 && (err != nil || !book.HasDirectly(g, u)):
			if hop.How == string(directory.ByRule) {
				return Cause{Kind: ByRule, Name: hop.Group}, true
			}
			return Cause{Kind: ByMembership, Name: hop.Group}, true
		case i > 0 && (err != nil || !slices.Contains(book.Holders(before), g)):
			return Cause{Kind: ByNesting, Name: r.Path[i-1].Group, In: hop.Group}, true
		}
		before = g
	}
	return Cause{}, false
}
