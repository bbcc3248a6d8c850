package change

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"go4.org/netipx"

	"gatemap/core/situation"
)

// Piece is some addresses or times that came into a network or window, or went out of it.
type Piece struct {
	Of   string `json:"of" doc:"network NAME or window NAME."`
	Came bool   `json:"came" doc:"Whether it came in, or went out."`
	What string `json:"what" doc:"The addresses, or the times of the week."`
	// At is one of them.
	At string `json:"at" doc:"The address or time of it that was looked at."`

	field string // of a situation, that At is a value of
}

// In is a situation in which one is there, or then; ok is false where it says already where
// or when.
func (p *Piece) In(s situation.Situation) (in situation.Situation, ok bool) {
	facts := s.Facts()
	if facts[p.field] != "" {
		return s, false
	}
	facts[p.field] = p.At
	in, err := situation.Parse(func(field string) string { return facts[field] })
	return in, err == nil
}

// Pieces are what came into networks and windows that have other addresses or times than
// before, and what went out; times are looked at in the week that follows a time.
func (t *Trial) Pieces(now time.Time) (all []Piece) {
	was, is := t.before.Frame, t.Atlas.Frame
	for _, n := range was.Networks {
		i, there := is.Network(n.Name)
		if !there || n.Same(&is.Networks[i]) {
			continue
		}
		all = append(all, addresses(n.Name, true, is.Networks[i].Prefixes, n.Prefixes)...)
		all = append(all, addresses(n.Name, false, n.Prefixes, is.Networks[i].Prefixes)...)
	}
	for _, w := range was.Windows {
		if i, there := is.Window(w.Name); there {
			all = append(all, times(was, is, &w, &is.Windows[i], now)...)
		}
	}
	return all
}

// addresses are those that one list of prefixes has and another does not.
func addresses(network string, came bool, has, lacks []netip.Prefix) (all []Piece) {
	var b netipx.IPSetBuilder
	for _, p := range has {
		b.AddPrefix(p)
	}
	for _, p := range lacks {
		b.RemovePrefix(p)
	}
	set, err := b.IPSet()
	if err != nil {
		return nil // prefixes were checked when the map was read
	}
	for _, p := range set.Prefixes() {
		all = append(all, Piece{Of: "network " + network, Came: came, What: p.String(), At: p.Addr().String(), field: "from"})
	}
	return all
}

// times are the spans of the week in which one of two windows is and the other is not; those
// at the same hours of several days are one.
func times(before, after *situation.Frame, was, is *situation.Window, now time.Time) (all []Piece) {
	const minutes = 7 * 24 * 60
	monday := after.Monday(now.AddDate(0, 0, 7))
	state := func(minute int) (came, differs bool) {
		at := monday.Add(time.Duration(minute) * time.Minute)
		x, y := was.Contains(at, before.Zone), is.Contains(at, after.Zone)
		return y, x != y
	}
	for from := 0; from < minutes; {
		came, differs := state(from)
		to := from + 1
		for ; to < minutes; to++ {
			if c, d := state(to); d != differs || d && c != came {
				break
			}
		}
		if differs {
			at := monday.Add(time.Duration(from) * time.Minute)
			end := monday.Add(time.Duration(to) * time.Minute)
			hours := span(at, end)
			if i := slices.IndexFunc(all, func(p Piece) bool {
				return p.Came == came &&
					strings.HasSuffix(p.What, hours)
			}); i >= 0 {
				all[i].What = strings.TrimSuffix(all[i].What, hours) + day(at) + " " + hours
			} else {
				all = append(all, Piece{Of: "window " + was.Name, Came: came, What: day(at) + " " + hours,
					At: at.Format(time.RFC3339), field: "at"})
			}
		}
		from = to
	}
	return all
}

func day(t time.Time) string { return strings.ToLower(t.Format("Mon")) }

// span is the hours from one time of the week to another, which is on the same day, or on
// another one.
func span(from, to time.Time) string {
	if day(from) == day(to.Add(-time.Minute)) {
		return fmt.Sprintf("%s–%s", from.Format("15:04"), to.Format("15:04"))
	}
	return fmt.Sprintf("%s – %s %s", from.Format("15:04"), day(to), to.Format("15:04"))
}
