package situation

import (
	"net/netip"
	"slices"

	"gatemap/core/name"
)

// Compile computes a condition against a frame. Names that are not found are
// handed to missing, with the kind of name and suggestions; whole tells whether
// every name of the condition was found. A clause with a name that is not found
// is left out, so that a line which takes something away errs to taking it.
func (f *Frame) Compile(
	w *When,
	groups Resolve,
	missing func(kind string, ref name.Ref, near []string),
) (c Condition, whole bool) {
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

// needs are a need and its opposite.
func needs(kind string, values ...string) (is, isnt Need) {
	is = NewNeed(kind, values...)
	return is, is.Opposite()
}

func (b *builder) miss(kind string, ref name.Ref, near []string) {
	b.whole = false
	b.missing(kind, ref, near)
}

// found looks names up; ok is false where one is missing, or there are none.
func found[ID any](
	refs []name.Ref,
	look func(name.Ref) (id ID, full string, ok bool),
) (ids []ID, names []string, ok bool) {
	for _, r := range refs {
		if id, full, known := look(r); known {
			ids, names = append(ids, id), append(names, full)
		}
	}
	return ids, names, ids != nil && len(ids) == len(refs)
}

func (b *builder) networks(refs []name.Ref, kind string, turn func(Truth) Truth) {
	ids, names, ok := found(refs, func(r name.Ref) (int, string, bool) {
		i, known := b.frame.Network(r.Name)
		if !known {
			b.miss("network", r, name.Near(r.Name, b.frame.NetworkNames()))
			return 0, "", false
		}
		return i, b.frame.Networks[i].Name, true
	})
	if !ok {
		return
	}
	is, isnt := needs("network", names...)
	var prefixes []netip.Prefix
	for _, i := range ids {
		prefixes = append(prefixes, b.frame.Networks[i].Prefixes...)
	}
	in := addressIn(is, isnt, prefixes)
	if kind == "not-network" {
		in = in.not
	}
	b.add(in, func(f *Facts) Truth { return turn(anyOf(f.inNetwork, ids)) })
}

func (b *builder) windows(refs []name.Ref) {
	ids, names, ok := found(refs, func(r name.Ref) (int, string, bool) {
		i, known := b.frame.Window(r.Name)
		if !known {
			b.miss("window", r, name.Near(r.Name, b.frame.WindowNames()))
			return 0, "", false
		}
		return i, b.frame.Windows[i].Name, true
	})
	if !ok {
		return
	}
	is, isnt := needs("window", names...)
	windows := make([]*Window, len(ids))
	for i, id := range ids {
		windows[i] = &b.frame.Windows[id]
	}
	b.add(inWindows(is, isnt, windows, b.frame.Zone), func(f *Facts) Truth { return anyOf(f.inWindow, ids) })
}

func anyOf(have []Truth, ids []int) Truth {
	most := False
	for _, i := range ids {
		most = max(most, have[i])
	}
	return most
}

func (b *builder) deviceGroups(refs []name.Ref, resolve Resolve) {
	ids, names, ok := found(refs, resolve)
	if b.whole = b.whole && len(ids) == len(refs); !ok {
		return
	}
	is, isnt := needs("device-group", names...)
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
		is, isnt := needs(kind, texts(allowed)...)
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
	is, isnt := needs("risk", texts(allowed)...)
	if rest != nil {
		isnt = NewNeed("risk", texts(rest)...)
	}
	b.add(few(risk, is, isnt, valuesOf(allowed)), func(f *Facts) Truth { return among(f.Risk, allowed) })
}

func texts[T ~string](list []T) []string {
	parts := make([]string, len(list))
	for i, v := range list {
		parts[i] = string(v)
	}
	return parts
}
