package workspace_test

import (
	"fmt"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
)

// Some lines of a drift are taken into the map: whom they name has then by the map what is given
// there, nobody has anything else, and the other lines stay as they were.
func TestLinesOfADriftAreAdopted(t *testing.T) {
	if testing.Short() {
		t.Skip("a law of what is computed, not of what is done at once")
	}
	logins := []string{"alba.querido", "ilse.okonjo", "joss.ferrant", "olle.branwen", "field-laptop-7", "svc-portal"}
	rights := []string{
		"Planner;Calendar", "Planner;Queue", "Reduction Suite;Viewer", "Reduction Suite;Pipeline", "Reduction Suite;Cluster add-on",
	}
	groups := []string{
		"",
		"LIC-night-crew",
		"LIC-science-staff",
		"LIC-pipeline-developers",
		"LIC-trial-2024",
		"LIC-visitors",
	}
	adopted := linesAreAdopted(t, demoMap(t), "sky-tools", func(rt *rapid.T) []string {
		rows := []string{"Login;Product;Feature;Assigned by;State;Last seen"}
		for range rapid.IntRange(1, 12).Draw(rt, "rows") {
			login, right := rapid.SampledFrom(logins).Draw(rt, "login"), rapid.SampledFrom(rights).Draw(rt, "right")
			rows = append(
				rows,
				strings.Join([]string{login, right, rapid.SampledFrom(groups).Draw(rt, "group"), "active", ""}, ";"),
			)
		}
		return rows
	}, func(rt *rapid.T, err error) { require.NoError(rt, err) })
	assert.Positive(t, adopted)
}

// The same of shares. What comes down to a folder in the map and does not there cannot be said by lines
// alone: then nothing is staged.
func TestLinesOfSharesAreAdopted(t *testing.T) {
	if testing.Short() {
		t.Skip("a law of what is computed, not of what is done at once")
	}
	dir := demoMap(t)
	rewrite(t, filepath.Join(dir, "systems", "work.yaml"), func(text string) string {
		link := "link: {list: {file: exports/night-files.csv, columns: {account: account, group: group, object: folder, right: right}}}\n"
		return strings.Replace(text, "title: Shared folders\n", "title: Shared folders\n"+link, 1)
	})
	refused := 0
	adopted := linesAreAdopted(t, dir, "night-files", func(rt *rapid.T) []string {
		rows := []string{"account,group,folder,right"}
		for range rapid.IntRange(1, 12).Draw(rt, "rows") {
			whom := rapid.SampledFrom(
				[]string{
					"wren.halloran,",
					"ilse.okonjo,",
					"field-laptop-7,",
					",log-readers",
					",chart-editors",
					",night-crew",
					",others",
				},
			)
			what := rapid.SampledFrom(
				[]string{
					"charts:/,reader",
					"charts:/,write",
					"logs:/,reader",
					"logs:/shift,editor",
					"logs:/shift/handover,read",
					"raw:/2026,list",
				},
			)
			rows = append(rows, whom.Draw(rt, "whom")+","+what.Draw(rt, "what"))
		}
		return rows
	}, func(rt *rapid.T, err error) {
		var conflict *answer.ConflictError
		require.ErrorAs(rt, err, &conflict)
		refused++
	})
	assert.Positive(t, adopted)
	t.Logf("adopted %d, refused %d", adopted, refused)
}

// linesAreAdopted draws exports of a system, adopts some lines, and says how often that was done.
func linesAreAdopted(
	t *testing.T,
	dir, system string,
	export func(*rapid.T) []string,
	refused func(*rapid.T, error),
) int {
	s := serving(t, dir, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	list := filepath.Join(dir, "exports", system+".csv")
	before, err := content.ReadFS(os.DirFS(dir))
	require.NoError(t, err)
	taken, enough := 0, 300 // each is a revision
	rapid.Check(t, func(rt *rapid.T) {
		require.NoError(rt, os.WriteFile(list, []byte(strings.Join(export(rt), "\n")+"\n"), 0o600))
		if _, err := s.Folders.Commit(t.Context(), before, "test", "as before"); err != nil {
			require.ErrorContains(rt, err, "does not differ")
		}
		_, err := s.Readings.Read(t.Context(), ada, system)
		require.NoError(rt, err)
		d, err := s.Readings.Drift(t.Context(), system, whole)
		require.NoError(rt, err)
		var some []string
		rest := map[string]bool{}
		for _, l := range d.Lines {
			if rapid.Bool().Draw(rt, l.Line) {
				some = append(some, l.Line)
			} else {
				rest[told(l)] = true
			}
		}
		if some == nil || taken == enough {
			return
		}
		trial, err := s.Adopt(t.Context(), ada, fmt.Sprint("take-", taken), answer.Adopting{System: system, Lines: some})
		if err != nil {
			refused(rt, err)
			return
		}
		taken++
		_, err = s.Commits.Commit(t.Context(), ada, trial.Name, changeset.Committing{
			Version: trial.Version, Reason: "as it is there", Override: "a drawn list",
		})
		require.NoError(rt, err)
		d, err = s.Readings.Drift(t.Context(), system, whole)
		require.NoError(rt, err)
		for _, l := range d.Lines {
			assert.True(rt, rest[told(l)], "%s stays, or came: %v", told(l), some)
			assert.False(rt, l.Side == "system" && slices.Contains(some, l.Line), "%s is still given", l.Line)
		}
	})
	return taken
}

// told is what a line of a drift says, but for the number by which the map calls it.
func told(l answer.DriftLine) string {
	if l.Side == "map" {
		l.Line = ""
	}
	return fmt.Sprint(l.Side, l.Line, l.Same, l.All, l.Lacking)
}

// A system is adopted whole where the file of its document has the directory of its own too.
func TestADirectoryInTheFileOfItsSystem(t *testing.T) {
	dir := demoMap(t)
	rewrite(t, filepath.Join(dir, "systems", "sky-tools.yaml"), func(text string) string {
		return text + "\n---\ndirectory: sky-tools\nusers: [{userName: lamp}]\n"
	})
	f := openFolder(t, dir)
	trial, err := f.Adopt(t.Context(), "", answer.Adopting{System: "sky-tools"})
	require.NoError(t, err)
	_, err = f.CommitTrial(t.Context(), trial.Name, trial.Version, "as it is there", "as it is there", "")
	require.NoError(t, err)
	d, err := openFolder(t, dir).Drifts(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	assert.Empty(t, d.Drifts[0].Lines)
	assert.Empty(t, d.Drifts[0].Unknown)
}

func TestWhatCannotBeAdoptedByLine(t *testing.T) {
	s, _ := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	_, err := s.Readings.Read(t.Context(), ada, "sky-tools")
	require.NoError(t, err)
	for _, c := range []struct {
		asked answer.Adopting
		says  string
	}{
		{answer.Adopting{System: "sky-tools", Lines: []string{"mapping 99"}}, `the drift of sky-tools has no line "mapping 99"; it has sky-tools/mapping 2, `},
		{answer.Adopting{System: "sky-tools", New: true, Lines: []string{"mapping 2"}}, "lines are of the drift of a system that the map has"},
		{answer.Adopting{System: "archive", Lines: []string{"mapping 1"}}, "has no link"},
	} {
		admin := ada
		admin.Role = operator.Admin
		_, err := s.Adopt(t.Context(), admin, "", c.asked)
		assert.ErrorContains(t, err, c.says)
	}
	trials, err := s.Trials.List(t.Context(), ada, 0, "")
	require.NoError(t, err)
	assert.Empty(t, trials.Trials)
}
