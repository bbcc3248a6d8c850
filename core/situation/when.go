package situation

import (
	"net/netip"
	"slices"
	"strings"

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

// Need is one thing that must be so, in the words of docs/model.md section 4,
// such as "network:summit|office" or "not-window:night".
type Need string

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

// Compile computes a condition against a frame. Names that are not found are
// handed to missing, with the kind of name and suggestions; whole tells whether
// every name of the condition was found. A clause with a name that is not found
// is left out, so that a line which takes something away errs to taking it.
func (f *Frame) Compile(w *When, groups Resolve, missing func(kind string, ref name.Ref, near []string)) (c Condition, whole bool) {
	if w == nil {
		return Condition{}, true
	}
	b := builder{frame: f, whole: true, missing: missing}
	b.networks(w.Networks, "network", func(t Truth) Truth { return t })
	b.networks(w.NotNetworks, "not-network", func(t Truth) Truth { return True - t })
	b.windows(w.Windows)
	for _, p := range w.Device {
		is, isnt := needs("device", string(p))
		if p == "managed" {
			b.add(few(managed, is, isnt, 1), func(f *Facts) Truth { return f.managed })
		} else {
			b.add(few(compliant, is, isnt, 1), func(f *Facts) Truth { return f.compliant })
		}
	}
	b.deviceGroups(w.DeviceGroups, groups)
	if len(w.Strength) > 0 {
		least := slices.MinFunc(w.Strength, func(a, b Strength) int { return a.level() - b.level() })
		is, isnt := needs("strength", string(least))
		b.add(few(strength, is, isnt, 7&^(1<<(least.level()-1)-1)), func(f *Facts) Truth {
			if f.Strength == "" {
				return Unknown
			}
			return truth(f.Strength.level() >= least.level())
		})
	}
	oneOf(&b, access, "access", w.Access, func(f *Facts) Access { return f.Access })
	oneOf(&b, client, "client", w.Clients, func(f *Facts) Client { return f.Client })
	b.risk(w.Risk)
	return newCondition(b.clauses), b.whole
}

type builder struct {
	frame   *Frame
	clauses []clause
	whole   bool
	missing func(kind string, ref name.Ref, near []string)
}

func (b *builder) add(is *Literal, test func(*Facts) Truth) {
	b.clauses = append(b.clauses, clause{test, is})
}

// needs are a need and its opposite in words.
func needs(kind, value string) (is, isnt Need) {
	return Need(kind + ":" + value), Need("not-" + kind + ":" + value)
}

func (b *builder) miss(kind string, ref name.Ref, near []string) {
	b.whole = false
	b.missing(kind, ref, near)
}

func (b *builder) networks(refs []name.Ref, kind string, turn func(Truth) Truth) {
	var ids []int
	var names []string
	for _, r := range refs {
		i, ok := b.frame.Network(r.Name)
		if !ok {
			b.miss("network", r, name.Near(r.Name, b.frame.NetworkNames()))
			continue
		}
		ids, names = append(ids, i), append(names, b.frame.Networks[i].Name)
	}
	if len(ids) < len(refs) || ids == nil {
		return
	}
	list := strings.Join(names, "|")
	var prefixes []netip.Prefix
	for _, i := range ids {
		prefixes = append(prefixes, b.frame.Networks[i].Prefixes...)
	}
	in := addressIn(Need("network:"+list), Need("not-network:"+list), prefixes)
	if kind == "not-network" {
		in = in.not
	}
	b.add(in, func(f *Facts) Truth { return turn(anyOf(f.inNetwork, ids)) })
}

func (b *builder) windows(refs []name.Ref) {
	var ids []int
	var names []string
	for _, r := range refs {
		i, ok := b.frame.Window(r.Name)
		if !ok {
			b.miss("window", r, name.Near(r.Name, b.frame.WindowNames()))
			continue
		}
		ids, names = append(ids, i), append(names, b.frame.Windows[i].Name)
	}
	if ids != nil && len(ids) == len(refs) {
		is, isnt := needs("window", strings.Join(names, "|"))
		windows := make([]*Window, len(ids))
		for i, id := range ids {
			windows[i] = &b.frame.Windows[id]
		}
		b.add(inWindows(is, isnt, windows, b.frame.Zone), func(f *Facts) Truth { return anyOf(f.inWindow, ids) })
	}
}

func anyOf(have []Truth, ids []int) Truth {
	most := False
	for _, i := range ids {
		most = max(most, have[i])
	}
	return most
}

func (b *builder) deviceGroups(refs []name.Ref, resolve Resolve) {
	var ids []uint32
	var names []string
	for _, r := range refs {
		id, full, ok := resolve(r)
		if !ok {
			b.whole = false
			continue
		}
		ids, names = append(ids, id), append(names, full)
	}
	if len(ids) < len(refs) || ids == nil {
		return
	}
	is, isnt := needs("device-group", strings.Join(names, "|"))
	b.add(inGroups(is, isnt, names), func(f *Facts) Truth {
		if f.device == nil {
			return Unknown
		}
		return truth(slices.ContainsFunc(ids, f.device.InGroup))
	})
}

func oneOf[T interface {
	~string
	Values() []string
}](b *builder, about fact, kind string, allowed []T, of func(*Facts) T) {
	if len(allowed) > 0 {
		is, isnt := needs(kind, join(allowed))
		b.add(few(about, is, isnt, valuesOf(allowed)), func(f *Facts) Truth { return among(of(f), allowed) })
	}
}

func among[T ~string](have T, allowed []T) Truth {
	if have == "" {
		return Unknown
	}
	return truth(slices.Contains(allowed, have))
}

// risk differs from the other lists in its opposite: the risks that remain.
func (b *builder) risk(allowed []Risk) {
	if len(allowed) == 0 {
		return
	}
	var rest []Risk
	for _, r := range Risk("").Values() {
		if !slices.Contains(allowed, Risk(r)) {
			rest = append(rest, Risk(r))
		}
	}
	is, isnt := needs("risk", join(allowed))
	if rest != nil {
		isnt = Need("risk:" + join(rest))
	}
	b.add(few(risk, is, isnt, valuesOf(allowed)), func(f *Facts) Truth { return among(f.Risk, allowed) })
}

func join[T ~string](list []T) string {
	parts := make([]string, len(list))
	for i, v := range list {
		parts[i] = string(v)
	}
	return strings.Join(parts, "|")
}
