package workspace_test

import (
	"bytes"
	"context"
	"encoding/json"
	"log/slog"
	"path/filepath"
	"strings"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/workspace"
)

var ada = operator.Actor{Name: "ada.lindqvist", Role: operator.Approver}

// demoService is a service with the demo's map.
func demoService(t *testing.T) *workspace.Service {
	t.Helper()
	s, err := workspace.Open(t.Context(), t.TempDir(), slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	s.Allow(connect.Host{Files: demo.Map()})
	f, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), f, "test", "the demo")
	require.NoError(t, err)
	return s
}

func staged(do stage.Do, set func(*stage.Change)) stage.Change {
	c := stage.Change{Do: do}
	set(&c)
	return c
}

func raw(v any) json.RawMessage {
	b, err := json.Marshal(v)
	if err != nil {
		panic(err)
	}
	return b
}

// An outcome says which of the systems that it touches are delivered to, and when.
func TestAnOutcomeSaysWhatIsToBeDelivered(t *testing.T) {
	for _, c := range []struct {
		deliver string
		want    []answer.ToDeliver
	}{
		{"", []answer.ToDeliver{{System: "sky-tools", When: "by-hand"}}},
		{"\n  deliver: on-commit", []answer.ToDeliver{{System: "sky-tools", When: "on-commit"}}},
		{"\n  deliver: never", nil},
	} {
		dir := demoMap(t)
		rewrite(t, filepath.Join(dir, "systems", "sky-tools.yaml"), func(text string) string {
			return strings.Replace(text, "every: 1h", "every: 1h"+c.deliver, 1)
		})
		f := openFolder(t, dir)
		_, err := f.BeginTrial(t.Context(), "season", "", nil)
		require.NoError(t, err)
		_, err = f.Stage(
			t.Context(),
			"season",
			stage.Change{Do: stage.Leave, Group: "night-assistants", Member: "bram.ystad"},
		)
		require.NoError(t, err)
		out, err := f.Outcome(t.Context(), "season", situation.Situation{}, answer.Part{})
		require.NoError(t, err)
		assert.Equal(t, c.want, out.Deliver, c.deliver)
	}
}

func TestATrialTellsWhoGainsAndLosesAndIsCommitted(t *testing.T) {
	s := demoService(t)
	_, err := s.Trials.Begin(t.Context(), ada, "season", "Ilse becomes an engineer")
	require.NoError(t, err)
	trial, err := s.Trials.Stage(t.Context(), ada, "season", 0, []stage.Change{
		staged(
			stage.SetUser,
			func(c *stage.Change) { c.User, c.Attribute, c.Value = "ilse.okonjo", "title", raw("Dome engineer") },
		),
		staged(stage.Leave, func(c *stage.Change) { c.Group, c.Member = "night-assistants", "ilse.okonjo" }),
	})
	require.NoError(t, err)
	assert.Equal(
		t,
		"Sets title of cindervale/ilse.okonjo to Dome engineer (was Night assistant).",
		trial.Changes[0].Sentence,
	)
	assert.Equal(
		t,
		"Removes cindervale/ilse.okonjo from the group cindervale/night-assistants.",
		trial.Changes[1].Sentence,
	)
	out, err := s.Outcomes.Outcome(t.Context(), "season", changeset.Outcoming{})
	require.NoError(t, err)
	assert.Positive(t, out.Total.Losses)
	for _, x := range out.Items {
		t.Log(x.Effect, x.User, x.Entitlement().System, x.Entitlement().Object, x.Entitlement().Right)
	}
	done, err := s.Commits.Commit(
		t.Context(),
		ada,
		"season",
		changeset.Committing{Version: version(s, "season"), Reason: "She starts on Monday", Key: "k1"},
	)
	require.NoError(t, err)
	assert.Equal(t, 2, done.Revision)
	again, err := s.Commits.Commit(
		t.Context(),
		ada,
		"season",
		changeset.Committing{Version: version(s, "season"), Reason: "She starts on Monday", Key: "k1"},
	)
	require.NoError(t, err)
	assert.True(t, again.Again)
	_, err = s.Commits.Commit(
		t.Context(),
		ada,
		"other",
		changeset.Committing{Version: 1, Reason: "She starts on Monday", Key: "k1"},
	)
	assert.ErrorContains(t, err, "this key committed the trial season as revision 2")
	back, err := s.Commits.Revert(t.Context(), ada, 2, "")
	require.NoError(t, err)
	for _, c := range back.Changes {
		t.Log(c.Sentence)
	}
	_, err = s.Commits.Commit(
		t.Context(),
		ada,
		back.Name,
		changeset.Committing{Version: version(s, back.Name), Reason: "Not yet"},
	)
	require.NoError(t, err)
}

// A commit that is asked for several times at once, by one key, is made once.
func TestACommitAskedForAtOnce(t *testing.T) {
	s := demoService(t)
	begin(t, s, "season", stage.Change{Do: stage.RemoveLine, System: "archive", List: "mappings", Line: "1"})
	c := changeset.Committing{Version: version(s, "season"), Reason: "it goes", Override: "a test", Key: "k"}
	var all sync.WaitGroup
	got, failed := make([]*answer.Committed, 4), make([]error, 4)
	for i := range got {
		all.Go(func() { got[i], failed[i] = s.Commits.Commit(context.Background(), ada, "season", c) })
	}
	all.Wait()
	again := 0
	for i := range got {
		require.NoError(t, failed[i])
		assert.Equal(t, 2, got[i].Revision)
		if got[i].Again {
			again++
		}
	}
	assert.Equal(t, len(got)-1, again)
}

// A change that is staged while its trial is being committed is in the revision, or keeps the
// trial from being committed: it is never lost.
func TestAChangeStagedDuringACommitIsNotLost(t *testing.T) {
	first := stage.Change{Do: stage.SwitchLine, System: "core-net", List: "rules", Line: "nobody pings", Value: raw("off")}
	again := stage.Change{
		Do:     stage.SwitchLine,
		System: "core-net",
		List:   "rules",
		Line:   "developers again",
		Value:  raw("off"),
	}
	s, dir := demoService(t), demoMap(t)
	begin(t, s, "season", first)
	_, err := openFolder(t, dir).BeginTrial(t.Context(), "season", "", nil)
	require.NoError(t, err)
	_, err = openFolder(t, dir).Stage(t.Context(), "season", first)
	require.NoError(t, err)
	for name, at := range map[string]struct{ stage, commit func() error }{
		"service": {
			func() error {
				_, err := s.Trials.Stage(t.Context(), ada, "season", 0, []stage.Change{again})
				return err
			},
			func() error {
				_, err := s.Commits.Commit(t.Context(), ada, "season", changeset.Committing{Version: 2, Reason: "it is time"})
				return err
			},
		},
		"folder": {
			func() error { _, err := openFolder(t, dir).Stage(t.Context(), "season", again); return err },
			func() error {
				_, err := openFolder(t, dir).CommitTrial(t.Context(), "season", 2, "it is time", "", "")
				return err
			},
		},
	} {
		done := make(chan error, 1)
		go func() { done <- at.commit() }()
		for during := true; during; {
			err := at.stage()
			select {
			case committed := <-done:
				assert.False(t, err == nil && committed == nil, "%s: staged, and gone with the trial", name)
				during = false
			default:
				if err == nil { // the trial has another version now
					var moved *answer.MovedError
					assert.ErrorAs(t, <-done, &moved, name)
					during = false
				}
			}
		}
	}
}

// A revert takes back what its revision changed, line by line: another line of the same file
// that was changed since stays, and the same line is a conflict that names who changed it.
func TestARevertLeavesOtherLinesAlone(t *testing.T) {
	s := demoService(t)
	off := func(named, line, to string) {
		t.Helper()
		begin(t, s, named, stage.Change{Do: stage.SwitchLine, System: "core-net", List: "rules", Line: line, Value: raw(to)})
		require.NoError(t, commit(s, ada, named, "it is tried here"))
	}
	isOff := func(line string) bool {
		t.Helper()
		lines, err := s.Head().Lines(ctx, "core-net")
		require.NoError(t, err)
		for _, l := range lines.Lines {
			if l.Line == "core-net/"+line {
				return bytes.Contains(raw(l.Value), []byte(`"off":true`))
			}
		}
		t.Fatalf("there is no line %s", line)
		return false
	}
	off("one", "instruments", "off")            // revision 2
	off("other", "nobody pings", "off")         // revision 3, the line below
	off("again", "staff to the archive", "off") // revision 4
	back, err := s.Commits.Revert(ctx, ada, 2, "back")
	require.NoError(t, err)
	require.True(t, back.Applies, back.Obstacle)
	require.NoError(t, commit(s, ada, "back", "it was wrong"))
	assert.Equal(
		t,
		[]bool{false, true, true},
		[]bool{isOff("instruments"), isOff("nobody pings"), isOff("staff to the archive")},
	)
	begin(t, s, "same", stage.Change{Do: stage.RemoveLine, System: "core-net", List: "rules", Line: "nobody pings"})
	require.NoError(t, commit(s, ada, "same", "it is gone"))
	_, err = s.Commits.Revert(ctx, ada, 3, "no")
	assert.ErrorContains(t, err, "revision 3 cannot be reverted, because what it changed was changed again")
}
