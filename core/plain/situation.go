package plain

import (
	"cmp"
	"net/netip"
	"slices"
	"time"

	"gatemap/core/atlas"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// sit is a situation against the networks and windows of a map.
type sit struct {
	situation.Situation
	m *atlas.Map
}

// zone is that of the map's windows.
func (s *sit) zone() *time.Location { return cmp.Or(s.m.Zone, time.UTC) }

const (
	no    = situation.False
	maybe = situation.Unknown
	yes   = situation.True
)

func known(given, is bool) situation.Truth {
	switch {
	case !given:
		return maybe
	case is:
		return yes
	}
	return no
}

// inside says whether the source address is in one of some named networks.
func (s *sit) inside(refs []name.Ref) situation.Truth {
	is := false
	for _, r := range refs {
		for _, n := range s.m.Networks {
			is = is ||
				name.Equal(n.Name, r.Name) &&
					slices.ContainsFunc(n.Prefixes, func(p netip.Prefix) bool { return p.Contains(s.From) })
		}
	}
	return known(s.From.IsValid(), is)
}

// holds works a condition out: the least of its keys (section 4). Conditions on
// the groups of a device are not for this package.
func (s *sit) holds(w *situation.When) situation.Truth {
	truth := yes
	if w == nil {
		return truth
	}
	and := func(t situation.Truth) { truth = min(truth, t) }
	if len(w.Networks) > 0 {
		and(s.inside(w.Networks))
	}
	if len(w.NotNetworks) > 0 {
		and(yes - s.inside(w.NotNetworks))
	}
	if len(w.Windows) > 0 {
		is := false
		for _, r := range w.Windows {
			for i := range s.m.Windows {
				is = is || !s.At.IsZero() && name.Equal(s.m.Windows[i].Name, r.Name) && s.m.Windows[i].Contains(s.At, s.zone())
			}
		}
		and(known(!s.At.IsZero(), is))
	}
	for _, p := range w.Device {
		and(
			known(
				s.Device != nil,
				s.Device != nil && (p == "managed" && s.Device.Managed || p == "compliant" && s.Device.Compliant),
			),
		)
	}
	if len(w.Strength) > 0 {
		and(
			known(s.Strength != "", slices.ContainsFunc(w.Strength, func(x situation.Strength) bool { return s.Strength >= x })),
		)
	}
	if len(w.Access) > 0 {
		and(known(s.Access != "", slices.Contains(w.Access, s.Access)))
	}
	if len(w.Clients) > 0 {
		and(known(s.Client != "", slices.Contains(w.Clients, s.Client)))
	}
	if len(w.Risk) > 0 {
		and(known(s.Risk != "", slices.Contains(w.Risk, s.Risk)))
	}
	return truth
}

// gives is the state of a line that gives under a condition; takes is what one
// that takes leaves.
func gives(t situation.Truth) rule.State { return rule.Shut + rule.State(t) }
func takes(t situation.Truth) rule.State { return gives(yes - t) }

// step is a line of an ordered list whose who has the user.
type step struct {
	permit bool
	truth  situation.Truth
}

// first goes through an ordered list (section 2).
func first(steps []step, permit bool) rule.State {
	may := map[bool]bool{}
	some := permit
	for _, s := range steps {
		some = some || s.permit
	}
	decided := false
	for _, s := range steps {
		if s.truth != no {
			may[s.permit] = true
		}
		if decided = s.truth == yes; decided {
			break
		}
	}
	if !decided {
		may[permit] = true
	}
	switch {
	case may[true] && may[false]:
		return rule.Depends
	case may[true]:
		return rule.Open
	case some:
		return rule.Shut
	}
	return rule.None
}
