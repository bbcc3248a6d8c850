package situation

import (
	"fmt"
	"iter"
	"net/netip"
	"slices"
	"time"

	"gatemap/core/name"
	"gatemap/core/place"
)

// Network is a named set of source addresses.
type Network struct {
	Name     string
	Place    place.Place
	Prefixes []netip.Prefix
}

// Same says whether two networks have the same addresses.
func (n *Network) Same(other *Network) bool { return slices.Equal(n.Prefixes, other.Prefixes) }

// Window is a named weekly time window on the wall clock of the map's time
// zone. One whose To is not after From runs past midnight and belongs to the
// day on which it starts; From equal to To is a whole day.
type Window struct {
	Name  string      `yaml:"-"`
	Place place.Place `yaml:"-"`
	Days  []Day       `yaml:"days,required" doc:"The days on which the window starts."`
	From  TimeOfDay   `yaml:"from,required" doc:"Start on the wall clock, HH:MM."`
	To    TimeOfDay   `yaml:"to,required" doc:"End on the wall clock, HH:MM; not after from: it runs past midnight."`
}

// Same says whether two windows are at the same times, on one wall clock.
func (w *Window) Same(other *Window) bool {
	return slices.Equal(w.Days, other.Days) && w.From == other.From && w.To == other.To
}

// Day is a day of the week, mon to sun.
type Day string

// Values lists the days from Monday on.
func (Day) Values() []string { return []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"} }

var days = [...]Day{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// TimeOfDay is minutes since midnight on the wall clock, 0 to 1440.
type TimeOfDay int

const wholeDay TimeOfDay = 24 * 60

// UnmarshalText reads HH:MM from 00:00 to 24:00.
func (t *TimeOfDay) UnmarshalText(text []byte) error {
	s := string(text)
	var h, m int
	if len(s) != len("07:00") || s[2] != ':' || !digits(s[:2], &h) || !digits(s[3:], &m) || m > 59 ||
		h*60+m > int(wholeDay) {
		return fmt.Errorf("%q is not a time of day from 00:00 to 24:00", s)
	}
	*t = TimeOfDay(h*60 + m)
	return nil
}

func digits(s string, into *int) bool {
	for _, c := range []byte(s) {
		if c < '0' || c > '9' {
			return false
		}
		*into = *into*10 + int(c-'0')
	}
	return true
}

// MarshalText writes HH:MM.
func (t TimeOfDay) MarshalText() ([]byte, error) {
	return fmt.Appendf(nil, "%02d:%02d", int(t)/60, int(t)%60), nil
}

// Contains says whether the window holds at t, read on the wall clock of zone.
// Over a clock change the wall clock decides: an hour that comes twice is in
// the window twice, one that is skipped is never asked about.
func (w *Window) Contains(t time.Time, zone *time.Location) bool {
	return w.at(minuteOf(t, zone))
}

// at says whether the window holds in a minute of the week.
func (w *Window) at(minute int) bool {
	day, now := minute/(24*60), TimeOfDay(minute%(24*60))
	if w.To > w.From {
		return w.on(days[day]) && now >= w.From && now < w.To
	}
	return w.on(days[day]) && now >= w.From || w.on(days[(day+6)%7]) && now < w.To
}

func (w *Window) on(d Day) bool {
	for _, have := range w.Days {
		if have == d {
			return true
		}
	}
	return false
}

// Frame is the named networks and windows of a map and its time zone: what
// conditions refer to. It is immutable once made.
type Frame struct {
	Zone     *time.Location
	Networks []Network
	Windows  []Window

	memo memo
}

// Network returns the index of a network by its name.
func (f *Frame) Network(written string) (int, bool) {
	return find(written, len(f.Networks), func(i int) string { return f.Networks[i].Name })
}

// Window returns the index of a window by its name.
func (f *Frame) Window(written string) (int, bool) {
	return find(written, len(f.Windows), func(i int) string { return f.Windows[i].Name })
}

func find(written string, n int, at func(int) string) (int, bool) {
	for i := range n {
		if name.Equal(at(i), written) {
			return i, true
		}
	}
	return 0, false
}

// NetworkNames yields the names of the networks.
func (f *Frame) NetworkNames() iter.Seq[string] {
	return func(yield func(string) bool) {
		for i := range f.Networks {
			if !yield(f.Networks[i].Name) {
				return
			}
		}
	}
}

// WindowNames yields the names of the windows.
func (f *Frame) WindowNames() iter.Seq[string] {
	return func(yield func(string) bool) {
		for i := range f.Windows {
			if !yield(f.Windows[i].Name) {
				return
			}
		}
	}
}

// Device is what the map knows of the device that a situation names.
type Device struct {
	Managed, Compliant Truth
	// InGroup says whether the device is a member of the group with that
	// number, at whatever level.
	InGroup func(group uint32) bool
}

// Facts is a situation with everything that conditions ask about computed
// once. It is immutable.
type Facts struct {
	Situation
	inNetwork []Truth // by index in the frame
	inWindow  []Truth
	managed   Truth
	compliant Truth
	device    *Device
	memo      *memo
}

// Facts computes a situation. device is nil if the situation names none;
// properties that the situation gives stand before those of the device.
func (f *Frame) Facts(s Situation, device *Device) *Facts {
	facts := &Facts{
		Situation: s, device: device, memo: &f.memo, managed: Unknown, compliant: Unknown,
		inNetwork: make([]Truth, len(f.Networks)), inWindow: make([]Truth, len(f.Windows)),
	}
	for i := range f.Networks {
		facts.inNetwork[i] = Unknown
		if s.From.IsValid() {
			facts.inNetwork[i] = truth(f.Networks[i].contains(s.From))
		}
	}
	for i := range f.Windows {
		facts.inWindow[i] = Unknown
		if !s.At.IsZero() {
			facts.inWindow[i] = truth(f.Windows[i].Contains(s.At, f.Zone))
		}
	}
	switch {
	case s.Device != nil:
		facts.managed, facts.compliant = truth(s.Device.Managed), truth(s.Device.Compliant)
	case device != nil:
		facts.managed, facts.compliant = device.Managed, device.Compliant
	}
	return facts
}

func (n *Network) contains(a netip.Addr) bool {
	for _, p := range n.Prefixes {
		if p.Contains(a) {
			return true
		}
	}
	return false
}

// Resolve gives the number and full name of a group that a condition names.
type Resolve func(ref name.Ref) (group uint32, full string, ok bool)
