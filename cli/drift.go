package cli

import (
	"cmp"
	"fmt"
	"slices"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/finding"
	"gatemap/core/reading"
)

func (a *app) drift() *cobra.Command {
	var asked answer.DriftAsked
	var people bool
	cmd := also(&cobra.Command{
		Use:   "drift [SYSTEM]",
		Short: "How what systems really hold differs from the map",
		Long: `Compares the newest readings of linked systems with the map: who really holds more
(excess) or less (short), by what explains it; accounts that belong to nobody of the map
(strangers); and lines that are on one side only. --people lists it by person and
entitlement. What stands in front of a system is left aside on both sides.

The exit code is 1 if there is any drift, or a linked system of which nobody can say.`,
		Example: `  gatemap drift --map demo/cindervale
  gatemap drift sky-tools
  gatemap drift sky-tools --people --effect excess
  gatemap drift -o sarif > drift.sarif`,
		Args:              cobra.MaximumNArgs(1),
		ValidArgsFunction: a.complete(answer.KindSystem),
	}, asSARIF, asJUnit)
	flags := cmd.Flags()
	flags.BoolVar(&people, "people", false, "list every entitlement that differs, by person, with the routes")
	flags.StringVar(&asked.Effect, "effect", "", "only who holds more (excess) or less (short)")
	flags.StringVar(&asked.User, "user", "", "only this user, by full name")
	_ = cmd.RegisterFlagCompletionFunc("effect", cobra.FixedCompletions(driftEffects, cobra.ShellCompDirectiveNoFileComp))
	_ = cmd.RegisterFlagCompletionFunc("user", a.names(answer.KindUser))
	cmd.RunE = func(cmd *cobra.Command, args []string) error {
		if err := chosen("effect", asked.Effect, driftEffects); err != nil {
			return err
		}
		o, err := a.workplace(cmd.Context())
		if err != nil {
			return err
		}
		system := ""
		if len(args) > 0 {
			system = args[0]
		}
		if !people && asked == (answer.DriftAsked{}) && a.format == asText {
			asked.Limit = 1 // the items are not shown
		}
		all, err := o.Drifts(cmd.Context(), system, asked)
		if err != nil {
			return a.explain(err)
		}
		a.failed = all.Any()
		switch a.format {
		case asSARIF:
			return a.writeJSON(sarif(checkedDrifts(all)))
		case asJUnit:
			return a.writeJUnit(cmd.Name(), checkedDrifts(all))
		}
		return present(a, all, func(d *answer.Drifts) error {
			return a.driftsText(d, people || asked.Effect+asked.User != "", asked.Effect+asked.User != "")
		}, driftTable)
	}
	return cmd
}

var driftEffects = []string{string(reading.Excess), string(reading.Short)}

func (a *app) driftsText(all *answer.Drifts, people, part bool) error {
	if len(all.Drifts)+len(all.Unread) == 0 {
		a.print("No system of the map has a link, so that nobody can say what they really hold (docs/connected.md).\n")
		return nil
	}
	for i := range all.Drifts {
		if i > 0 {
			a.print("\n")
		}
		a.driftText(&all.Drifts[i], people, part)
	}
	for _, l := range all.Unread {
		a.print("\n%s  %s\n", a.paint(strong, l.System), l.Error)
	}
	return nil
}

// driftText tells of one system; of a part of it only what has to do with that.
func (a *app) driftText(d *answer.Drift, people, part bool) {
	a.print("%s\n", a.paint(strong, d.System))
	a.print(
		"  %s: %s, %d of users of the map\n",
		readText(&d.ReadingInfo),
		count(d.Accounts, "account", "accounts"),
		d.Tied,
	)
	if !d.Any() {
		a.print("  %s\n", a.paint(green, "It holds what the map says."))
		return
	}
	for _, effect := range []struct {
		is    reading.Effect
		sign  string
		style style
		title string
		items int
	}{
		{reading.Excess, "+", yellow, "Excess: held there, and not by the map", d.Excess},
		{reading.Short, "−", faint, "Short: held by the map, and not there", d.Short},
	} {
		if effect.items == 0 {
			continue
		}
		a.print("\n  %s  (%s)\n", a.paint(strong, effect.title), count(effect.items, "entitlement", "entitlements"))
		for i, c := range d.Causes {
			if c.Effect != effect.is ||
				part && !slices.ContainsFunc(d.Items, func(x answer.DriftItem) bool { return x.Cause == i }) {
				continue
			}
			a.print(
				"    %s %s: %s of %s\n",
				a.paint(effect.style, effect.sign),
				c.Sentence,
				count(c.Items, "entitlement", "entitlements"),
				count(c.People, "person", "people"),
			)
			if people {
				a.driftItemsText(d, i)
			}
		}
	}
	if part {
		if d.Total == 0 {
			a.print("  Nothing of it differs.\n")
		}
		return
	}
	a.strangersText(d)
	if len(d.Lines) > 0 {
		a.linesText(d)
	}
}

func (a *app) strangersText(d *answer.Drift) {
	if len(d.Unknown) > 0 {
		a.print("\n  %s\n", a.paint(strong, "Strangers: accounts of nobody of the map"))
		for _, x := range d.Unknown {
			note := x.Note
			if !x.Active {
				note = cmp.Or(note, "cannot be used")
			}
			a.print("    ? %s\n", joined(x.Name, note))
		}
	}
	for _, u := range d.Unclear {
		a.print("    ? %s may be any of %v\n", u.Name, u.Records)
	}
}

// linesText lists the lines of the map that are not there, and what is given there besides.
func (a *app) linesText(d *answer.Drift) {
	for _, side := range []struct{ is, title string }{{"map", "Lines of the map"}, {"system", "Given there besides"}} {
		title := true
		for _, l := range d.Lines {
			if l.Side != side.is {
				continue
			}
			if title {
				a.print("\n  %s\n", a.paint(strong, side.title))
				title = false
			}
			a.print("    %s  %s\n", l.Line, l.Sentence)
		}
	}
}

func joined(name, note string) string {
	if note == "" {
		return name
	}
	return name + "  " + note
}

// driftItemsText lists the items of one cause.
func (a *app) driftItemsText(d *answer.Drift, cause int) {
	for _, x := range d.Items {
		if x.Cause != cause {
			continue
		}
		a.print("        %s  %s on %s: %s by the map, %s there\n", x.User, x.Right, x.Object, x.Map, x.Really)
		for _, side := range []struct {
			name string
			via  string
		}{{"by the map", joinRoutes(x.MapRoute)}, {"there", joinRoutes(x.ReallyRoute)}} {
			if side.via != "" {
				a.print("          %s: %s\n", side.name, side.via)
			}
		}
	}
}

func driftTable(all *answer.Drifts) [][]string {
	rows := [][]string{
		{"system", "what", "user", "object", "right", "map", "really", "cause", "map_routes", "really_routes"},
	}
	for i := range all.Drifts {
		d := &all.Drifts[i]
		for _, x := range d.Items {
			rows = append(
				rows,
				[]string{
					d.System,
					string(x.Effect),
					x.User,
					x.Object,
					x.Right,
					x.Map.String(),
					x.Really.String(),
					d.Causes[x.Cause].Sentence,
					joinRoutes(x.MapRoute),
					joinRoutes(x.ReallyRoute),
				},
			)
		}
		for _, s := range d.Unknown {
			rows = append(rows, []string{d.System, "stranger", s.Name, "", "", "", "", s.Note, "", ""})
		}
		for _, u := range d.Unclear {
			rows = append(
				rows,
				[]string{d.System, "unclear", u.Name, "", "", "", "", fmt.Sprintf("may be any of %v", u.Records), "", ""},
			)
		}
		for _, l := range d.Lines {
			rows = append(rows, []string{d.System, "line", "", "", "", "", "", l.Line + " " + l.Sentence, "", ""})
		}
	}
	for _, l := range all.Unread {
		rows = append(rows, []string{l.System, "unread", "", "", "", "", "", l.Error, "", ""})
	}
	return rows
}

// checkedDrifts are drifts in the terms of pipelines: excess and strangers are warnings, what is
// short a note, and a system that nobody can read an error.
func checkedDrifts(all *answer.Drifts) (list []checked) {
	add := func(rule string, level finding.Severity, system, message string) {
		list = append(list, checked{rule: rule, name: system, level: string(level), message: system + ": " + message})
	}
	for i := range all.Drifts {
		d := &all.Drifts[i]
		if !d.Any() {
			list = append(list, checked{rule: "drift", name: d.System, message: d.System + ": it holds what the map says"})
		}
		for _, c := range d.Causes {
			level := finding.Warning
			if c.Effect == reading.Short {
				level = finding.Note
			}
			add(
				string(c.Effect),
				level,
				d.System,
				fmt.Sprintf(
					"%s (%s of %s)",
					c.Sentence,
					count(c.Items, "entitlement", "entitlements"),
					count(c.People, "person", "people"),
				),
			)
		}
		for _, s := range d.Unknown {
			add("stranger", finding.Warning, d.System, s.Name+" belongs to nobody of the map")
		}
		for _, l := range d.Lines {
			add("line", finding.Note, d.System, "line "+l.Line+" "+l.Sentence)
		}
		if d.Stale {
			add("stale-reading", finding.Note, d.System, readText(&d.ReadingInfo))
		}
	}
	for _, l := range all.Unread {
		add("unread", finding.Error, l.System, l.Error)
	}
	return list
}
