package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/gate"
)

func (a *app) hours() *cobra.Command {
	var system string
	cmd := &cobra.Command{
		Use:   "hours USER",
		Short: "When each entitlement is open, in a week",
		Long: `Shows a week of a person, hour by hour, in the map's time zone: the week of --at, or the
current one. Facts that you do not give are unknown.`,
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
		lines := weekLines(w.Hours)
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
	state gate.State
	when  string
}

var dayNames = []string{"mon", "tue", "wed", "thu", "fri", "sat", "sun"}

// weekLines says when each state of a week holds, the most open first. Days
// that are alike are shown together.
func weekLines(hours []gate.State) []weekLine {
	var lines []weekLine
	for _, s := range []gate.State{gate.Open, gate.Depends, gate.Shut, gate.None} {
		var parts []string
		for d := 0; d < 7; {
			spans := daySpans(hours[d*24:d*24+24], s)
			last := d
			for last < 6 && daySpans(hours[(last+1)*24:(last+2)*24], s) == spans {
				last++
			}
			switch {
			case spans == "":
			case d == 0 && last == 6:
				parts = append(parts, strings.TrimSpace("every day "+allDay(spans)))
			case d == last:
				parts = append(parts, strings.TrimSpace(dayNames[d]+" "+allDay(spans)))
			default:
				parts = append(parts, strings.TrimSpace(dayNames[d]+" to "+dayNames[last]+" "+allDay(spans)))
			}
			d = last + 1
		}
		if parts != nil {
			lines = append(lines, weekLine{s, strings.Join(parts, "; ")})
		}
	}
	return lines
}

func allDay(spans string) string {
	if spans == "00–24" {
		return ""
	}
	return spans
}

// daySpans writes the hours of a day in which a state holds, as 00–07, 18–24.
func daySpans(day []gate.State, s gate.State) string {
	var spans []string
	for from := 0; from < 24; {
		if day[from] != s {
			from++
			continue
		}
		to := from
		for to < 24 && day[to] == s {
			to++
		}
		spans = append(spans, fmt.Sprintf("%02d–%02d", from, to))
		from = to
	}
	return strings.Join(spans, ", ")
}

func hoursTable(h *answer.Hours) [][]string {
	head := []string{"system", "object", "right"}
	for _, d := range dayNames {
		for hour := range 24 {
			head = append(head, fmt.Sprintf("%s %02d", d, hour))
		}
	}
	rows := [][]string{head}
	for _, w := range h.Weeks {
		row := []string{w.System, w.Object, w.Right}
		for _, s := range w.Hours {
			row = append(row, s.String())
		}
		rows = append(rows, row)
	}
	return rows
}
