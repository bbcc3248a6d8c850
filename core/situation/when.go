package situation

import (
	"slices"

	"gatemap/core/name"
)

// Truth is a value of Kleene's three-valued logic. The zero value is False.
type Truth int8

// False < Unknown < True: a conjunction is the least of its parts, a
// disjunction the greatest.
const (
	False Truth = iota
	Unknown
	True
)

func truth(b bool) Truth {
	if b {
		return True
	}
	return False
}

// When is a condition as written: every key given must hold, a list is met by
// any of its items, but device lists properties that must all be there.
type When struct {
	Networks     []name.Ref `yaml:"networks" doc:"The source address is in one of these named networks."`
	NotNetworks  []name.Ref `yaml:"not_networks" doc:"The source address is in none of these named networks."`
	Windows      []name.Ref `yaml:"windows" doc:"The time is in one of these named weekly windows."`
	Device       []Property `yaml:"device" doc:"The device has all of these properties."`
	DeviceGroups []name.Ref `yaml:"device_groups" doc:"The device is a member of one of these groups."`
	Strength     []Strength `yaml:"strength" doc:"Signed in at least this strongly (NIST SP 800-63B)."`
	Access       []Access   `yaml:"access" doc:"The way into the network is one of these."`
	Clients      []Client   `yaml:"clients" doc:"The client program is one of these."`
	Risk         []Risk     `yaml:"risk" doc:"The risk is rated as one of these."`
}

// Condition is a compiled When. The zero value always holds.
type Condition struct {
	clauses        []clause
	ways, opposite Ways // where nothing is known
}

func newCondition(clauses []clause) Condition {
	c := Condition{clauses: clauses, ways: Anyway}
	if len(clauses) > 0 {
		is, isnt := make([]*Literal, len(clauses)), make([]*Literal, len(clauses))
		for i := range clauses {
			is[i], isnt[i] = clauses[i].is, clauses[i].is.not
		}
		c.ways, c.opposite = All(is...), Any(isnt...)
	}
	return c
}

// clause is one key of a condition, or one property of its device key.
type clause struct {
	test func(*Facts) Truth
	is   *Literal
}

// And is the condition that both hold.
func (c *Condition) And(d *Condition) Condition {
	return newCondition(slices.Concat(c.clauses, d.clauses))
}

// Always says that the condition holds in every situation.
func (c *Condition) Always() bool { return len(c.clauses) == 0 }

// Holds computes the condition: the least truth of its clauses.
func (c *Condition) Holds(f *Facts) Truth {
	least := True
	for i := range c.clauses {
		if t := c.clauses[i].test(f); t < least {
			if t == False {
				return False
			}
			least = t
		}
	}
	return least
}

// Ways is how a condition that is Unknown in f comes to hold: by all of it that is unknown.
func (c *Condition) Ways(f *Facts) Ways {
	list, all := c.unknown(f)
	if all {
		return c.ways
	}
	return All(list...)
}

// Opposites is how a condition that is Unknown in f comes not to hold: by the opposite of
// any of it that is unknown.
func (c *Condition) Opposites(f *Facts) Ways {
	list, all := c.unknown(f)
	if all {
		return c.opposite
	}
	for i := range list {
		list[i] = list[i].not
	}
	return Any(list...)
}

// unknown are the literals of which nothing is known, where those are not all.
func (c *Condition) unknown(f *Facts) (list []*Literal, all bool) {
	n := 0
	for i := range c.clauses {
		if c.clauses[i].test(f) == Unknown {
			n++
		}
	}
	if n == len(c.clauses) {
		return nil, true
	}
	for i := range c.clauses {
		if c.clauses[i].test(f) == Unknown {
			list = append(list, c.clauses[i].is)
		}
	}
	return list, false
}

// Needs lists what is unknown of a condition that is Unknown in f: with all of
// it met, the condition holds.
func (c *Condition) Needs(f *Facts) []Need { return c.collect(f, Unknown) }

// Unmet lists the parts of a condition that f contradicts.
func (c *Condition) Unmet(f *Facts) []Need {
	return c.collect(f, False)
}

// Needed lists everything the condition asks for, in any situation.
func (c *Condition) Needed() []Need {
	var all []Need
	for i := range c.clauses {
		all = append(all, c.clauses[i].is.Need)
	}
	return all
}

// Covers says whether the condition surely holds whenever inner does: it asks for
// nothing, or for the same.
func (c *Condition) Covers(inner *Condition) bool {
	return c.Always() || slices.Equal(c.Needed(), inner.Needed())
}

func (c *Condition) collect(f *Facts, want Truth) []Need {
	var needs []Need
	for i := range c.clauses {
		if c.clauses[i].test(f) == want {
			needs = append(needs, c.clauses[i].is.Need)
		}
	}
	return needs
}
