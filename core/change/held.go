package change

import (
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Held is an entitlement of a user that is gained or lost.
type Held struct {
	User        string           `json:"user"`
	Entitlement rule.Entitlement `json:"entitlement" doc:"As it is after a gain, or was before a loss."`
	Before      Side             `json:"before"`
	After       Side             `json:"after"`
}

// Side is how an entitlement stands before or after a change.
type Side struct {
	State  rule.State         `json:"state" doc:"What becomes of it; none: no line gives it."`
	OpenIf [][]situation.Need `json:"open_if" doc:"The ways in which it is open." nullable:"false"`
	ShutBy []rule.Stop        `json:"shut_by" doc:"What shuts it." nullable:"false"`
}

// side is the side of an entitlement; nil is none.
func side(e *rule.Entitlement) Side {
	if e == nil {
		return Side{rule.None, [][]situation.Need{}, []rule.Stop{}}
	}
	return Side{e.State, e.OpenIf, e.ShutBy}
}

// held is a gain or a loss of what stands so before and after; nil is none.
func held(user string, e, before, after *rule.Entitlement) Held {
	return Held{user, *e, side(before), side(after)}
}

// Other is the entitlement as it was before a gain, or is after a loss: its state, and what shuts it;
// nil where it is none.
func (h *Held) Other() *rule.Entitlement {
	other := h.Before
	if h.After.State < rule.Depends {
		other = h.After
	}
	if other.State == rule.None {
		return nil
	}
	e := missing(&h.Entitlement)
	e.State, e.OpenIf, e.ShutBy = other.State, other.OpenIf, other.ShutBy
	return &e
}
