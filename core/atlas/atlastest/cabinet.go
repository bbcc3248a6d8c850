package atlastest

import (
	"errors"
	"fmt"

	"pgregory.net/rapid"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Cabinet is a gate type from outside the table: keys that hang in a cabinet. Every law of
// drawn maps holds for it too.
var Cabinet = gate.Type{Name: "cabinet", Doc: "Keys in a cabinet.", New: func() gate.Document { return &Keys{} }}

// Keys is what a system of this type says.
type Keys struct {
	Keys []Key `yaml:"keys"`
}

// Key gives the key, keeps from taking it, or asks of those who take it to be strongly signed in.
type Key struct {
	Place    place.Place `yaml:"-"`
	gate.Who `yaml:",inline"`
	When     *situation.When `yaml:"when"`
	Does     string          `yaml:"does"`
}

func cabinet(t *rapid.T) gate.Document {
	return &Keys{each(t, func(int) Key {
		return Key{Who: ByClaim(t), When: When(t), Does: one(t, "does", "give", "give", "keep", "ask")}
	})}
}

type keys struct {
	*rule.Listing
	taking *rule.Entry
}

// Compile makes the gate: each line is a rule, and the one permission has one decision.
func (d *Keys) Compile(s *gate.Site) gate.Gate {
	level := &rule.Level{}
	decision := &rule.Decision{Index: &s.Index, Nearest: level}
	for i := range d.Keys {
		k := &d.Keys[i]
		r := s.Rule(s.Numbered("key", i, k.Place), &k.Who, k.When, rule.Effect(k.Does != "give"))
		r.Reason = rule.ByDeny
		switch k.Does {
		case "give":
			level.Gives.Add(r)
		case "keep":
			level.Takes.Add(r)
		default:
			strong, _ := s.Frame.Compile(&situation.When{Strength: []situation.Strength{"aal2"}}, nil, nil)
			r.Reason, r.Then = rule.ByPolicy, []situation.Condition{strong}
			decision.Asks.Add(r)
		}
	}
	k := &keys{
		rule.NewListing(s.System.Name, &s.Index),
		&rule.Entry{System: s.System.Name, On: "key", Right: "take", Decision: decision},
	}
	k.Add("key", "take", decision, level.Gives, false)
	return k
}

// At finds the one permission.
func (k *keys) At(object, right string) (rule.Permission, error) {
	if object != "" && object != "key" || right != "take" {
		return nil, &directory.NotFoundError{Kind: "right", Name: fmt.Sprint(right, " on ", object)}
	}
	return k.taking, nil
}

// InFront asks for taking the key.
func (k *keys) InFront(_, _ string, with gate.Passage) (rule.Permission, error) {
	if len(with) > 0 {
		return nil, errors.New("it takes no keys but those that hang in it")
	}
	return k.taking, nil
}

// Catalogue lists the one permission.
func (k *keys) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: k.Objects(), Rights: k.Rights()}
}

// Check finds nothing of its own.
func (*keys) Check(*gate.Report) {}
