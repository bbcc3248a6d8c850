package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/rule"
)

func (a *app) hours() *cobra.Command {
	var system string
	cmd := &cobra.Command{
		Use:   "hours USER",
		Short: "When each entitlement is open, in a week",
		Long: `Shows a week of a person, to the second, in the map's time zone: the week of --at, or the
current one. Facts that you do not give are unknown. JSON and CSV tell each span, and in which
ways it is open where that depends on something.`,
		Example: `  gatemap hours ilse.okonjo --system archive --from 198.51.100.9 --risk low
  gatemap hours ilse.okonjo --at 2026-11-23T00:00:00Z -o csv`,
		Args:              cobra.ExactArgs(1),
		ValidArgsFunction: a.complete(answer.KindUser),
	}
	cmd.Flags().StringVar(&system, "system", "", "only this system")
	_ = cmd.RegisterFlagCompletionFunc("system", a.names(answer.KindSystem))
	facts := a.situationFlags(cmd)
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		s, err := a.situation(cmd.Context(), facts)
		if err != nil {
			return err
		}
		if s.At.IsZero() {
			s.At = time.Now()
		}
		return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Hours, error) {
			return asker.Hours(ctx, args[0], system, s)
		}, a.hoursText, hoursTable)
	}
	return cmd
}

func (a *app) hoursText(h *answer.Hours) error {
	a.print("%s\nWeek of %s, %s\nSituation: %s\n\n", a.paint(strong, h.User), h.Monday, h.TimeZone, given(h.Situation))
	if len(h.Weeks) == 0 {
		a.print("This user holds nothing here in this week.\n")
		return nil
	}
	name := func(w answer.Week) string { return fmt.Sprintf("%s %s on %s", w.System, w.Right, w.Object) }
	width := widest(h.Weeks, name)
	for _, w := range h.Weeks {
		lines := weekLines(w.Spans)
		for i, l := range lines {
			label := ""
			if i == 0 {
				label = name(w)
			}
			a.print("%s  %s  %s\n", pad(label, width), a.state(l.state), l.when)
		}
	}
	return nil
}

// weekLine is a state with the hours in which it holds.
type weekLine struct {
	state rule.State
	when  string
}

var dayNames = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// weekLines says when each state of a week holds, the most open first. Days
// that are alike are shown together.
func weekLines(spans []answer.Span) []weekLine {
	var lines []weekLine
	monday := spans[0].From
	for _, s := range []rule.State{rule.Open, rule.Depends, rule.Shut, rule.None} {
		var days [7]string
		for d := range days {
			days[d] = daySpans(spans, s, monday.AddDate(0, 0, d), monday.AddDate(0, 0, d+1))
		}
		var parts []string
		for d := 0; d < 7; {
			last := d
			for last < 6 && days[last+1] == days[d] {
				last++
			}
			switch when := strings.TrimSuffix(days[d], "00–24"); {
			case days[d] == "":
			case d == 0 && last == 6:
				parts = append(parts, strings.TrimSpace("every day "+when))
			case d == last:
				parts = append(parts, strings.TrimSpace(dayNames[d]+" "+when))
			default:
				parts = append(parts, strings.TrimSpace(dayNames[d]+" to "+dayNames[last]+" "+when))
			}
			d = last + 1
		}
		if parts != nil {
			lines = append(lines, weekLine{s, strings.Join(parts, "; ")})
		}
	}
	return lines
}

// daySpans writes the times of a day in which a state holds, as 00–07, 18:30–24.
func daySpans(spans []answer.Span, s rule.State, from, to time.Time) string {
	var parts []string
	var open time.Time // of spans of one state that follow each other
	for i, x := range spans {
		begin, end := later(x.From, from), earlier(x.To, to)
		if x.State != s || !begin.Before(end) {
			continue
		}
		if open.IsZero() {
			open = begin
		}
		if end.Before(to) && i+1 < len(spans) && spans[i+1].State == s {
			continue
		}
		until := clock(end)
		if end.Equal(to) {
			until = "24"
		}
		parts, open = append(parts, clock(open)+"–"+until), time.Time{}
	}
	return strings.Join(parts, ", ")
}

func later(a, b time.Time) time.Time {
	if a.After(b) {
		return a
	}
	return b
}

func earlier(a, b time.Time) time.Time {
	if a.Before(b) {
		return a
	}
	return b
}

// clock writes a time of day as short as it can be: 07, 07:30, 07:30:15.
func clock(t time.Time) string {
	switch {
	case t.Second() != 0:
		return t.Format("15:04:05")
	case t.Minute() != 0:
		return t.Format("15:04")
	}
	return t.Format("15")
}

func hoursTable(h *answer.Hours) [][]string {
	rows := [][]string{{"system", "object", "right", "from", "to", "state", "open_if"}}
	for _, w := range h.Weeks {
		for _, s := range w.Spans {
			rows = append(
				rows,
				[]string{
					w.System,
					w.Object,
					w.Right,
					s.From.Format(time.RFC3339),
					s.To.Format(time.RFC3339),
					s.State.String(),
					joinWays(s.OpenIf, false),
				},
			)
		}
	}
	return rows
}
