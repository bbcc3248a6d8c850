package cli

import (
	"strconv"

	"gatemap/answer"
)

func (a *app) trialsText(all *answer.Trials) error {
	if len(all.Trials) == 0 {
		a.print("No trial is open. Begin one:  gatemap trial begin NAME\n")
	}
	wide := widest(all.Trials, func(t answer.Trial) string { return t.Name })
	for _, t := range all.Trials {
		standing := ""
		if !t.Applies {
			standing = a.paint(red, "  cannot be applied: ") + t.Obstacle
		}
		a.print(
			"%s  %s by %s  %s%s\n",
			a.paint(strong, pad(t.Name, wide)),
			count(len(t.Changes), "change", "changes"),
			t.Author,
			t.Note,
			standing,
		)
	}
	return nil
}

func trialsTable(all *answer.Trials) [][]string {
	rows := [][]string{{"trial", "author", "created", "changes", "base", "applies", "note"}}
	for _, t := range all.Trials {
		rows = append(
			rows,
			[]string{
				t.Name,
				t.Author,
				t.Created.Format("2006-01-02T15:04:05Z07:00"),
				strconv.Itoa(len(t.Changes)),
				strconv.Itoa(t.Base),
				strconv.FormatBool(t.Applies),
				t.Note,
			},
		)
	}
	return rows
}

func (a *app) trialText(t *answer.Trial) error {
	a.print("%s  version %d, by %s, on revision %d\n", a.paint(strong, t.Name), t.Version, t.Author, t.Base)
	if t.Note != "" {
		a.print("  %s\n", t.Note)
	}
	a.print("\n")
	for i, c := range t.Changes {
		a.print("%3d  %s\n", i+1, c.Sentence)
	}
	if len(t.Changes) == 0 {
		a.print("Nothing is staged yet. Stage something:  gatemap trial join %s GROUP USER\n", t.Name)
		return nil
	}
	for _, n := range t.Notices {
		a.print("\n%s\n", n)
	}
	if !t.Applies {
		a.print("\n%s %s\n", a.paint(red, "It cannot be applied to the revision in force:"), t.Obstacle)
		return nil
	}
	a.print("\nSee the outcome:  gatemap trial outcome %s\n", t.Name)
	if t.Writes > 0 {
		a.print("See what it writes elsewhere:  gatemap trial writes %s\n", t.Name)
	}
	return nil
}

func trialTable(t *answer.Trial) [][]string {
	rows := [][]string{{"change", "by", "do", "sentence"}}
	for i, c := range t.Changes {
		rows = append(rows, []string{strconv.Itoa(i + 1), c.By, string(c.Do), c.Sentence})
	}
	return rows
}
