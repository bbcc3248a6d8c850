package atlas

import (
	"cmp"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
)

// Way is one change that would bring a user closer to an entitlement, with what
// else it would bring.
type Way struct {
	Change string     `json:"change" doc:"What would have to be so: group:NAME (a membership), attribute:NAME, account:active, or a need."`
	State  gate.State `json:"state" doc:"What would become of the entitlement."`
	Brings int        `json:"brings" doc:"How many other entitlements would open or depend that do not now."`
	Sample []string   `json:"sample,omitempty" doc:"Some of these, as SYSTEM RIGHT on OBJECT."`
}

// How many groups are tried, and how many other entitlements are named.
const (
	maxWays   = 20
	maxSample = 3
)

// Ways lists the nearest ways to an entitlement that a user does not hold, or
// that is shut: those that bring the least else come first.
func (a *Atlas) Ways(q *gate.Question, s *System, p gate.Point, e *gate.Entitlement) []Way {
	if e.State == gate.Shut {
		return waysPast(e.ShutBy)
	}
	if e.State != gate.None {
		return nil
	}
	now := usable(a.AppendReach(nil, q))
	var ways []Way
	for _, g := range a.candidates(e.Misses) {
		with := &gate.Question{Book: q.Book, Facts: q.Facts, Subject: a.Book.SubjectWith(q.Subject.ID, g)}
		after := a.Decide(with, s, p)
		if after.State == gate.None {
			continue
		}
		w := Way{Change: "group:" + a.Book.GroupName(g), State: after.State}
		for _, other := range a.AppendReach(nil, with) {
			name := other.System + " " + other.Right + " on " + other.Object
			if other.State < gate.Depends || now[name] || name == e.System+" "+e.Right+" on "+e.Object {
				continue
			}
			if w.Brings++; len(w.Sample) < maxSample {
				w.Sample = append(w.Sample, name)
			}
		}
		ways = append(ways, w)
	}
	slices.SortStableFunc(ways, func(x, y Way) int {
		return cmp.Or(-cmp.Compare(x.State, y.State), cmp.Compare(x.Brings, y.Brings), strings.Compare(x.Change, y.Change))
	})
	return ways
}

func usable(list []gate.Entitlement) map[string]bool {
	names := map[string]bool{}
	for _, e := range list {
		if e.State >= gate.Depends {
			names[e.System+" "+e.Right+" on "+e.Object] = true
		}
	}
	return names
}

// candidates are the groups that lines would give it to.
func (a *Atlas) candidates(misses []gate.Miss) []directory.GroupID {
	var ids []directory.GroupID
	for _, m := range misses {
		for _, lack := range m.Lacks {
			written, ok := strings.CutPrefix(lack, "group:")
			if !ok {
				continue
			}
			if g, err := a.Book.FindGroup(written, ""); err == nil && !slices.Contains(ids, g) && len(ids) < maxWays {
				ids = append(ids, g)
			}
		}
	}
	return ids
}

// waysPast turns what shuts an entitlement into what would open it.
func waysPast(stops []gate.Stop) []Way {
	var ways []Way
	for _, s := range stops {
		change := ""
		switch s.Reason {
		case gate.ByCondition:
			change = s.Detail
		case gate.ByPrerequisite:
			change = "attribute:" + s.Detail
		case gate.ByInactive:
			change = "account:active"
		}
		if change != "" && !slices.ContainsFunc(ways, func(w Way) bool { return w.Change == change }) {
			ways = append(ways, Way{Change: change, State: gate.Open})
		}
	}
	if len(stops) > len(ways) { // something else shuts it too
		for i := range ways {
			ways[i].State = gate.Shut
		}
	}
	return ways
}
