package situation

import (
	"net/netip"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"go4.org/netipx"
)

// Literal is one need with what is known of it: about which fact it is, and for which
// values of that it is met (docs/model.md section 2). It is immutable.
type Literal struct {
	Need Need
	id   uint32   // of this very literal
	not  *Literal // met where this one is not

	about  fact
	values uint8                // of a fact with few values: a bit for each
	from   func() *netipx.IPSet // of an address
	week   func() *week         // of a time: minutes of the week; nil: all
	zone   *time.Location       // in which the week is
	since  time.Time            // of a time: the first instant; zero: none
	until  time.Time            // of a time: the first instant that is no more; zero: none
	groups map[string]bool      // of device groups: in one of these, or in none of them
	none   bool
}

// Not is the opposite of the literal.
func (l *Literal) Not() *Literal { return l.not }

// fact is what a literal is about. Literals about different facts are independent.
type fact uint8

const (
	other fact = iota // by itself: of each text it is another one
	address
	instant
	strength
	access
	client
	risk
	managed
	compliant
	group
)

// every are all values of facts that have few.
var every = map[fact]uint8{strength: 7, access: 7, client: 7, risk: 7, managed: 3, compliant: 3}

// opposed makes two literals each other's opposites.
func opposed(a, b *Literal) *Literal {
	a.not, b.not = b, a
	a.id, b.id = literals.Add(1), literals.Add(1)
	return a
}

// literals counts all literals.
var literals atomic.Uint32

// few is a literal about a fact that has few values.
func few(about fact, is, isnt Need, values uint8) *Literal {
	return opposed(
		&Literal{Need: is, about: about, values: values},
		&Literal{Need: isnt, about: about, values: every[about] &^ values},
	)
}

// valuesOf is a bit for each value of a list among those that there are.
func valuesOf[T interface {
	~string
	Values() []string
}](list []T) (bits uint8) {
	for i, v := range T("").Values() {
		if slices.Contains(list, T(v)) {
			bits |= 1 << i
		}
	}
	return bits
}

// addressIn is met for addresses in some prefixes. The sets are made when they are asked
// for first.
func addressIn(is, isnt Need, prefixes []netip.Prefix) *Literal {
	in := sync.OnceValue(func() *netipx.IPSet {
		var b netipx.IPSetBuilder
		for _, p := range prefixes {
			b.AddPrefix(p)
		}
		return set(&b)
	})
	out := sync.OnceValue(func() *netipx.IPSet {
		var b netipx.IPSetBuilder
		b.AddPrefix(netip.MustParsePrefix("0.0.0.0/0"))
		b.AddPrefix(netip.MustParsePrefix("::/0"))
		b.RemoveSet(in())
		return set(&b)
	})
	return opposed(&Literal{Need: is, about: address, from: in}, &Literal{Need: isnt, about: address, from: out})
}

func set(b *netipx.IPSetBuilder) *netipx.IPSet {
	s, err := b.IPSet()
	if err != nil {
		panic(err) // prefixes that were parsed are valid
	}
	return s
}

// inWindows is met while any of some windows holds. The weeks are made when they are asked
// for first.
func inWindows(is, isnt Need, windows []*Window, zone *time.Location) *Literal {
	in := sync.OnceValue(func() *week {
		w := &week{}
		for minute := range minutes {
			if slices.ContainsFunc(windows, func(x *Window) bool { return x.at(minute) }) {
				w.put(minute)
			}
		}
		return w
	})
	out := sync.OnceValue(func() *week {
		w := &week{}
		for minute := range minutes {
			if !in().has(minute) {
				w.put(minute)
			}
		}
		return w
	})
	return opposed(
		&Literal{Need: is, about: instant, week: in, zone: zone},
		&Literal{Need: isnt, about: instant, week: out, zone: zone},
	)
}

// Before is met before an instant, and After from it on.
func Before(at time.Time) *Literal {
	text := at.Format(time.RFC3339)
	return opposed(
		&Literal{Need: NewNeed("before", text), about: instant, until: at},
		&Literal{Need: NewNeed("after", text), about: instant, since: at},
	)
}

// After is the opposite of Before.
func After(at time.Time) *Literal { return Before(at).not }

// inGroups is met where the device is in one of some groups.
func inGroups(is, isnt Need, names []string) *Literal {
	groups := map[string]bool{}
	for _, n := range names {
		groups[n] = true
	}
	return opposed(
		&Literal{Need: is, about: group, groups: groups},
		&Literal{Need: isnt, about: group, groups: groups, none: true},
	)
}

// Other is a literal of which nothing is known but its text.
func Other(n Need) *Literal {
	return opposed(&Literal{Need: n}, &Literal{Need: n.Opposite()})
}

const minutes = 7 * 24 * 60

// week is a set of minutes of the week on the wall clock, from Monday on.
type week [(minutes + 63) / 64]uint64

func (w *week) put(minute int)      { w[minute/64] |= 1 << (minute % 64) }
func (w *week) has(minute int) bool { return w[minute/64]&(1<<(minute%64)) != 0 }

// meets says whether some minute is in all of some weeks.
func meets(weeks []*week) bool {
	for i := range len(week{}) {
		all := ^uint64(0)
		for _, w := range weeks {
			all &= w[i]
		}
		if all != 0 {
			return true
		}
	}
	return false
}

// implies says whether a literal is met wherever another is.
func (l *Literal) implies(m *Literal) bool {
	if l.about != m.about {
		return false
	}
	return l.Need == m.Need || l.about != other && contradictory([]*Literal{l, m.not})
}

func compareNeeds(a, b *Literal) int { return strings.Compare(string(a.Need), string(b.Need)) }
