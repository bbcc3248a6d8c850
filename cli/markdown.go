package cli

import (
	"fmt"
	"strings"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/finding"
	"gatemap/core/rule"
)

// shownInMarkdown is how many rows of a list stand open; the rest is folded.
const shownInMarkdown = 20

// cell writes text into a cell of a Markdown table, in which a bar or a line break would
// end it, and HTML or Markdown in a name would count.
func cell(text string) string {
	return strings.NewReplacer("\\", `\\`, "|", `\|`, "<", "&lt;", ">", "&gt;", "&", "&amp;", "\n", " ", "\r", " ",
		"*", `\*`, "_", `\_`, "`", "\\`", "[", `\[`, "]", `\]`, "~", `\~`).Replace(text)
}

// code writes a name as code in Markdown.
func code(text string) string {
	if text == "" {
		return ""
	}
	fence := "`"
	for strings.Contains(text, fence) {
		fence += "`"
	}
	space := ""
	if strings.HasPrefix(text, "`") || strings.HasSuffix(text, "`") {
		space = " "
	}
	return fence + space + strings.NewReplacer("|", `\|`, "\n", " ", "\r", " ").Replace(text) + space + fence
}

// mdTable writes a Markdown table, of which the rows after the first few are folded.
func (a *app) mdTable(head []string, rows [][]string) {
	if len(rows) == 0 {
		return
	}
	write := func(rows [][]string) {
		a.print("| %s |\n|%s\n", strings.Join(head, " | "), strings.Repeat("---|", len(head)))
		for _, r := range rows {
			a.print("| %s |\n", strings.Join(r, " | "))
		}
		a.print("\n")
	}
	n := min(len(rows), shownInMarkdown)
	write(rows[:n])
	if rest := rows[n:]; len(rest) > 0 {
		a.print("<details><summary>%d more</summary>\n\n", len(rest))
		write(rest)
		a.print("</details>\n\n")
	}
}

func (a *app) mdSituation(facts map[string]string) { a.print("Situation: %s\n\n", cell(given(facts))) }

var stateWords = map[rule.State]string{
	rule.Open:    "**open**",
	rule.Depends: "**depends**",
	rule.Shut:    "**shut**",
	rule.None:    "**none**",
}

func (a *app) reachMarkdown(r *answer.Reach) error {
	counts := map[rule.State]int{}
	var rows [][]string
	for i := range r.Entitlements {
		e := &r.Entitlements[i]
		counts[e.State]++
		rows = append(rows, []string{code(e.System), code(e.Object), code(e.Right), stateWords[e.State], cell(why(e))})
	}
	a.print(
		"### What %s holds\n\n%d open, %d depends, %d shut. ",
		code(r.User),
		counts[rule.Open],
		counts[rule.Depends],
		counts[rule.Shut],
	)
	a.mdSituation(r.Situation)
	a.mdTable([]string{"System", "Object", "Right", "State", "Because"}, rows)
	return nil
}

func (a *app) personMarkdown(p *answer.Person) error {
	for i := range p.Accounts {
		if err := a.reachMarkdown(&p.Accounts[i]); err != nil {
			return err
		}
	}
	return nil
}

func (a *app) whyMarkdown(w *answer.Why) error {
	a.print(
		"### %s: %s %s on %s for %s\n\n",
		stateWords[w.State],
		code(w.System),
		code(w.Right),
		code(w.Object),
		code(w.User),
	)
	a.mdSituation(w.Situation)
	for _, s := range w.Sentences {
		a.print("- %s\n", cell(s))
	}
	return nil
}

func (a *app) findingsMarkdown(f *answer.Findings) error {
	a.print("### Findings: %s\n\n", severityCounts(f.Findings))
	a.mdTable([]string{"Severity", "Code", "Where", "What is wrong", "What to do"}, findingRows(f.Findings))
	return nil
}

func severityCounts(list []finding.Finding) string {
	counts := map[finding.Severity]int{}
	for _, f := range list {
		counts[f.Severity]++
	}
	return fmt.Sprintf("%s, %s, %s", count(counts[finding.Error], "error", "errors"),
		count(counts[finding.Warning], "warning", "warnings"), count(counts[finding.Note], "note", "notes"))
}

func findingRows(list []finding.Finding) [][]string {
	var rows [][]string
	for _, f := range list {
		rows = append(
			rows,
			[]string{string(f.Severity), code(string(f.Code)), code(placeOf(f.Where)), cell(f.Message), cell(f.Fix)},
		)
	}
	return rows
}

func (a *app) guaranteesMarkdown(g *answer.Guarantees) error {
	broken := 0
	var rows [][]string
	for _, x := range g.Guarantees {
		state := x.State
		if x.Broken() {
			broken++
			state = "**" + state + "**"
		}
		rows = append(rows, []string{state, cell(x.Guarantee), cell(x.Reason)})
	}
	a.print("### Guarantees: %d kept, %d broken\n\n", len(g.Guarantees)-broken, broken)
	a.mdTable([]string{"State", "Guarantee", "Reason"}, rows)
	return nil
}

func (a *app) differenceMarkdown(o *change.Outcome) error {
	a.print(
		"### %s, %s, %s\n\n",
		count(len(o.Gains), "gain", "gains"),
		count(len(o.Losses), "loss", "losses"),
		count(len(o.Changes), "other change", "other changes"),
	)
	var rows [][]string
	row := func(effect, user string, e *rule.Entitlement, before, after string) {
		rows = append(rows, []string{effect, code(user), code(e.System), code(e.Object), code(e.Right), before, after})
	}
	side := func(h *change.Held) string {
		if e := h.Other(); e != nil {
			return stateIf(e)
		}
		return rule.None.String()
	}
	for _, h := range o.Losses {
		row("**loss**", h.User, &h.Entitlement, stateIf(&h.Entitlement), side(&h))
	}
	for _, h := range o.Gains {
		row("gain", h.User, &h.Entitlement, side(&h), stateIf(&h.Entitlement))
	}
	for _, c := range o.Changes {
		row("change", c.User, &c.After, stateIf(&c.Before), stateIf(&c.After))
	}
	a.mdTable([]string{"Effect", "User", "System", "Object", "Right", "Before", "After"}, rows)
	a.mdTurned(o.Findings, o.Guarantees)
	return nil
}

// stateIf is a state with what it depends on or is shut by.
func stateIf(e *rule.Entitlement) string {
	return strings.TrimSpace(e.State.String() + " " + cell(why(e)))
}

func (a *app) mdTurned(f change.TurnedFindings, g change.TurnedGuarantees) {
	if len(g.Broken)+len(g.Mended) > 0 {
		a.print("#### Guarantees: %d break, %d are kept again\n\n", len(g.Broken), len(g.Mended))
		for _, name := range g.Broken {
			a.print("- **broken** %s\n", cell(name))
		}
		for _, name := range g.Mended {
			a.print("- kept again %s\n", cell(name))
		}
		a.print("\n")
	}
	if len(f.New) > 0 {
		a.print("#### New findings: %s\n\n", severityCounts(f.New))
		a.mdTable([]string{"Severity", "Code", "Where", "What is wrong", "What to do"}, findingRows(f.New))
	}
	if len(f.Gone) > 0 {
		a.print("#### Findings that go: %s\n\n", severityCounts(f.Gone))
	}
}

func (a *app) triedMarkdown(t *tried) error {
	o := t.Outcome
	a.print(
		"### Trial %s, version %d, on revision %d: %s, for %s\n\n",
		code(t.Trial),
		t.Version,
		t.Revision,
		tally(&o.Total),
		count(o.People, "person", "people"),
	)
	a.mdSituation(o.Situation)
	if part := o.Part(); part != "" {
		a.print("This is a part: %s.\n\n", part)
	}
	var rows [][]string
	for _, s := range o.BySystem {
		rows = append(rows, []string{code(s.Name), tally(&s.Tally)})
	}
	a.mdTable([]string{"System", "Effects"}, rows)
	rows = nil
	for i := range o.Items {
		x := &o.Items[i]
		e := x.Entitlement()
		rows = append(
			rows,
			[]string{
				string(x.Effect),
				code(x.User),
				code(e.System),
				code(e.Object),
				code(e.Right),
				cell(strings.TrimSpace(effectWords(x))),
			},
		)
	}
	a.mdTable([]string{"Effect", "User", "System", "Object", "Right", "Change"}, rows)
	if o.Next != "" {
		a.print("These are the first %d effects.\n\n", len(o.Items))
	}
	a.mdTurned(t.Turned.Findings, t.Turned.Guarantees)
	return nil
}
