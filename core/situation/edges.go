package situation

import (
	"slices"
	"time"
)

// Monday is the beginning of the week on the map's wall clock in which a time lies.
func (f *Frame) Monday(at time.Time) time.Time {
	year, month, day := at.In(f.Zone).Date()
	return time.Date(year, month, day-minuteOf(at, f.Zone)/(24*60), 0, 0, 0, 0, f.Zone)
}

// Edges are the times of a week, from its Monday on, at which what is known of a time may
// change: its beginning and its end, the edges of all windows, those of some other times
// that lie in it, and changes of the clock. They are in order, each once.
func (f *Frame) Edges(monday time.Time, others ...time.Time) []time.Time {
	year, month, day := monday.Date()
	end := time.Date(year, month, day+7, 0, 0, 0, 0, f.Zone)
	edges := []time.Time{monday, end}
	add := func(t time.Time) {
		if t.After(monday) && t.Before(end) {
			edges = append(edges, t.In(f.Zone))
		}
	}
	for _, t := range others {
		add(t)
	}
	shifts := f.shifts(monday, end)
	for _, s := range shifts {
		add(s.at)
	}
	for i := range f.Windows {
		for _, clock := range []TimeOfDay{f.Windows[i].From, f.Windows[i].To} {
			for d := range 7 {
				// On the wall clock, as it is before and after each change of it.
				wall := time.Date(year, month, day+d, 0, int(clock), 0, 0, time.UTC)
				for _, s := range append(shifts, shift{offset: offsetAt(monday, f.Zone)}) {
					if t := wall.Add(-s.offset); offsetAt(t, f.Zone) == s.offset {
						add(t)
					}
				}
			}
		}
	}
	slices.SortFunc(edges, time.Time.Compare)
	return slices.CompactFunc(edges, time.Time.Equal)
}

// shift is a change of the clock, and how far it is ahead of UTC from then on.
type shift struct {
	at     time.Time
	offset time.Duration
}

func offsetAt(t time.Time, zone *time.Location) time.Duration {
	_, seconds := t.In(zone).Zone()
	return time.Duration(seconds) * time.Second
}

// shifts are the changes of the clock between two times.
func (f *Frame) shifts(from, to time.Time) (all []shift) {
	for t := from; ; {
		_, next := t.In(f.Zone).ZoneBounds()
		if next.IsZero() || !next.Before(to) {
			return all
		}
		all = append(all, shift{next, offsetAt(next, f.Zone)})
		t = next
	}
}
