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
	s, list := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	before, err := content.ReadFS(os.DirFS(strings.TrimSuffix(list, "/exports/sky-tools.csv")))
	require.NoError(t, err)
	logins := []string{"alba.querido", "ilse.okonjo", "joss.ferrant", "olle.branwen", "field-laptop-7", "svc-portal"}
	rights := []string{
		"Planner;Calendar", "Planner;Queue", "Reduction Suite;Viewer", "Reduction Suite;Pipeline", "Reduction Suite;Cluster add-on",
	}
	groups := []string{"", "LIC-night-crew", "LIC-science-staff", "LIC-pipeline-developers", "LIC-trial-2024", "LIC-visitors"}
	taken, enough := 0, 300 // each is a revision
	rapid.Check(t, func(rt *rapid.T) {
		rows := []string{"Login;Product;Feature;Assigned by;State;Last seen"}
		for range rapid.IntRange(1, 12).Draw(rt, "rows") {
			login, right := rapid.SampledFrom(logins).Draw(rt, "login"), rapid.SampledFrom(rights).Draw(rt, "right")
			rows = append(rows, strings.Join([]string{login, right, rapid.SampledFrom(groups).Draw(rt, "group"), "active", ""}, ";"))
		}
		require.NoError(rt, os.WriteFile(list, []byte(strings.Join(rows, "\n")+"\n"), 0o600))
		if _, err := s.Folders.Commit(t.Context(), before, "test", "as before"); err != nil {
			require.ErrorContains(rt, err, "does not differ")
		}
		_, err := s.Readings.Read(t.Context(), ada, "sky-tools")
		require.NoError(rt, err)
		d, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
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
		taken++
		trial, err := s.Adopt(t.Context(), ada, fmt.Sprint("take-", taken), answer.Adopting{System: "sky-tools", Lines: some})
		require.NoError(rt, err)
		_, err = s.Commits.Commit(t.Context(), ada, trial.Name, changeset.Committing{
			Version: trial.Version, Reason: "as it is there", Override: "a drawn list",
		})
		require.NoError(rt, err)
		d, err = s.Readings.Drift(t.Context(), "sky-tools", whole)
		require.NoError(rt, err)
		for _, l := range d.Lines {
			assert.True(rt, rest[told(l)], "%s stays, or came: %v", told(l), some)
			assert.False(rt, l.Side == "system" && slices.Contains(some, l.Line), "%s is still given", l.Line)
		}
	})
	assert.Positive(t, taken)
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
