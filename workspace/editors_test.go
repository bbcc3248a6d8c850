package workspace_test

import (
	"encoding/json"
	"maps"
	"slices"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/edge"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/workspace"
)

const dome = `# A small place.
directory: dome
users: # written here
  - {userName: ilse, title: Cook}
  - {userName: teo, title: Guard}
  - userName: rana
    title: Cook   # for now
groups:
  - {name: crew, members: {users: [ilse]}}
  - {name: kitchen, rule: 'title eq "Cook"'}
---
directory: club
source: {csv: {file: club.csv}, users: {name: name, attributes: {title: title}}}
`

const doors = `system: doors
type: firewall
zones: {dome: [192.0.2.0/26], yard: [192.0.2.64/27]}
rules:
  - {name: crew, action: permit, groups: [crew], to: [dome]}   # first
  # Nobody else.
  - {name: nobody, action: refuse, to: [dome]}
  - {name: kitchen, action: permit, groups: [kitchen], to: [yard]}
`

func small(t require.TestingT, folder string) *workspace.Service {
	s, err := workspace.Open(ctx, folder, quiet(), workspace.Options{})
	require.NoError(t, err)
	again(t, s)
	return s
}

// again puts the small map in force, and lets all trials go.
func again(t require.TestingT, s *workspace.Service) {
	files := fstest.MapFS{
		"gatemap.yaml": {
			Data: []byte("title: Dome\n"),
		}, "dome.yaml": {Data: []byte(dome)}, "doors.yaml": {Data: []byte(doors)},
		"club.csv": {Data: []byte("name,title\nbo,Cook\nfreya,Guest\n")},
	}
	s.Allow(connect.Host{Files: files})
	f, err := content.ReadFS(files)
	require.NoError(t, err)
	_, err = s.Folders.Commit(ctx, f, "test", "begin")
	require.NoError(t, err)
	all, err := s.Trials.List(ctx, ada, 50, "")
	require.NoError(t, err)
	for _, trial := range all.Trials {
		require.NoError(t, s.Trials.Remove(ctx, ada, trial.Name, 0))
	}
}

// written is all that a revision holds, in the form in which it is kept.
func written(t require.TestingT, s *workspace.Service) map[string]string {
	all := map[string]string{}
	maps.Copy(all, s.Head().Documents())
	for dir, r := range s.Head().Folder.Records {
		for _, u := range r.Users {
			raw, err := json.Marshal([]any{u.Name, u.Active, u.Expires, u.Attributes.Plain()})
			require.NoError(t, err)
			all[dir+"/"+u.Name] = string(raw)
		}
	}
	return all
}

func drawStaged(t *rapid.T) stage.Change {
	user := rapid.SampledFrom([]string{"dome/ilse", "dome/teo", "dome/rana", "club/bo", "club/freya"}).Draw(t, "user")
	rule := rapid.SampledFrom([]string{"crew", "nobody", "kitchen"})
	switch rapid.IntRange(0, 6).Draw(t, "change") {
	case 0:
		return stage.Change{Do: stage.Join, Group: "crew", Member: user}
	case 1:
		return stage.Change{Do: stage.Leave, Group: "crew", Member: user}
	case 2:
		return stage.Change{
			Do:        stage.SetUser,
			User:      user,
			Attribute: "title",
			Value:     raw(rapid.SampledFrom([]string{"Cook", "Guard", "Guest"}).Draw(t, "title")),
		}
	case 3:
		return stage.Change{
			Do:    stage.SetGroup,
			Group: "kitchen",
			Field: "rule",
			Value: raw(rapid.SampledFrom([]string{`title eq "Cook"`, `title ne "Guest"`}).Draw(t, "rule")),
		}
	case 4:
		return stage.Change{
			Do:     stage.MoveLine,
			System: "doors",
			List:   "rules",
			Line:   rule.Draw(t, "line"),
			Before: rule.Draw(t, "before"),
		}
	case 5:
		return stage.Change{Do: stage.RemoveLine, System: "doors", List: "rules", Line: rule.Draw(t, "line")}
	}
	name := rapid.SampledFrom([]string{"new", "other", "crew"}).Draw(t, "name")
	return stage.Change{
		Do:     stage.AddLine,
		System: "doors",
		List:   "rules",
		Value:  raw(map[string]any{"name": name, "action": "permit", "groups": []string{"crew"}, "to": []string{"yard"}}),
	}
}

// refusal says that an error is one that tells people why, and no failure.
func refusal(err error) bool {
	return edge.Problem(err).Status < 500
}

// What is committed and reverted is byte for byte what it was.
func TestCommitThenRevertLeavesWhatWas(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	rapid.Check(t, func(rt *rapid.T) {
		again(rt, s)
		before := written(rt, s)
		_, err := s.Trials.Begin(ctx, ada, "t", "")
		require.NoError(rt, err)
		for range rapid.IntRange(1, 4).Draw(rt, "changes") {
			if _, err := s.Trials.Stage(ctx, ada, "t", 0, []stage.Change{drawStaged(rt)}); err != nil {
				require.True(rt, refusal(err), "%v", err)
			}
		}
		c, err := s.Commits.Commit(
			ctx,
			ada,
			"t",
			changeset.Committing{Version: version(s, "t"), Reason: "r", Override: "a test"},
		)
		if err != nil {
			require.True(rt, refusal(err), "%v", err)
			require.Equal(rt, before, written(rt, s), "what is refused changes nothing")
			return
		}
		require.NotEqual(rt, before, written(rt, s))
		back, err := s.Commits.Revert(ctx, ada, c.Revision, "")
		require.NoError(rt, err)
		_, err = s.Commits.Commit(
			ctx,
			ada,
			back.Name,
			changeset.Committing{Version: version(s, back.Name), Reason: "r", Override: "a test"},
		)
		require.NoError(rt, err)
		require.Equal(rt, before, written(rt, s))
	})
}

// Whatever two editors do in whichever order, what each has committed is there until
// someone takes it back by a commit, and nothing is there by half: every revision is
// the one before with all changes of one trial.
func TestTwoEditorsLoseNothing(t *testing.T) {
	folder := t.TempDir()
	s := small(t, folder)
	defer func() { s.Close() }()
	rapid.Check(t, func(rt *rapid.T) {
		again(rt, s)
		first := s.Head().Revision.Number
		editors := []operator.Actor{{Name: "edda", Role: operator.Approver}, {Name: "lio", Role: operator.Approver}}
		for _, e := range editors {
			_, err := s.Trials.Begin(ctx, e, e.Name, "")
			require.NoError(rt, err)
		}
		commits := 0
		for range rapid.IntRange(4, 14).Draw(rt, "steps") {
			e := editors[rapid.IntRange(0, 1).Draw(rt, "editor")]
			if rapid.IntRange(0, 3).Draw(rt, "step") > 0 {
				_, err := s.Trials.Stage(ctx, e, e.Name, 0, []stage.Change{drawStaged(rt)})
				require.True(rt, err == nil || refusal(err), "%v", err)
				continue
			}
			trial, err := s.Trials.Find(ctx, ada, e.Name)
			require.NoError(rt, err)
			head := s.Head()
			c, err := s.Commits.Commit(
				ctx,
				e,
				e.Name,
				changeset.Committing{Version: version(s, e.Name), Reason: "r", Override: "a test"},
			)
			if err != nil {
				require.True(rt, refusal(err), "%v", err)
				require.Same(rt, head, s.Head(), "what is refused changes nothing")
				_ = s.Trials.Remove(ctx, e, e.Name, 0)
			} else {
				commits++
				var changes []stage.Change
				for _, x := range trial.Changes {
					changes = append(changes, x.Change)
				}
				want, err := head.Folder.Changed(head.Atlas, changes)
				require.NoError(rt, err, "what each change takes the place of is what it was")
				for _, f := range want.Files {
					require.Equal(rt, string(f.Content), s.Head().Documents()[f.Path])
				}
				require.Equal(rt, head.Revision.Number+1, c.Revision)
			}
			_, err = s.Trials.Begin(ctx, e, e.Name, "")
			require.NoError(rt, err)
		}
		require.Equal(rt, first+commits, s.Head().Revision.Number)
	})
	// After a start the map is the one that was in force.
	now := written(t, s)
	require.NoError(t, s.Close())
	var err error
	s, err = workspace.Open(ctx, folder, quiet(), workspace.Options{})
	require.NoError(t, err)
	require.Equal(t, now, written(t, s))
}

func begin(t *testing.T, s *workspace.Service, name string, changes ...stage.Change) {
	t.Helper()
	_, err := s.Trials.Begin(ctx, ada, name, "")
	require.NoError(t, err)
	if len(changes) > 0 {
		_, err = s.Trials.Stage(ctx, ada, name, 0, changes)
		require.NoError(t, err)
	}
}

// version is the newest version of a trial; 0 where there is none.
func version(s *workspace.Service, name string) int {
	t, err := s.Trials.Find(ctx, ada, name)
	if err != nil {
		return 0
	}
	return t.Version
}

func commit(s *workspace.Service, by operator.Actor, name, override string) error {
	_, err := s.Commits.Commit(
		ctx,
		by,
		name,
		changeset.Committing{Version: version(s, name), Reason: "r", Override: override},
	)
	return err
}

// A head that has moved elsewhere is no obstacle; one that has moved in what a trial
// touches is, and it is said who moved it.
func TestACommitOnAHeadThatHasMoved(t *testing.T) {
	title := func(user, title string) stage.Change {
		return stage.Change{Do: stage.SetUser, User: user, Attribute: "title", Value: raw(title)}
	}
	s := small(t, t.TempDir())
	defer s.Close()
	begin(t, s, "first", title("dome/ilse", "Guard"))
	begin(
		t,
		s,
		"elsewhere",
		title("dome/teo", "Cook"),
		stage.Change{Do: stage.MoveLine, System: "doors", List: "rules", Line: "kitchen", Before: "crew"},
	)
	begin(t, s, "same", title("dome/ilse", "Guest"))
	require.NoError(t, commit(s, ada, "first", ""))
	c, err := s.Commits.Commit(ctx, ada, "elsewhere", changeset.Committing{Version: version(s, "elsewhere"), Reason: "r"})
	require.NoError(t, err)
	assert.True(t, c.Rebased)
	err = commit(s, ada, "same", "")
	assert.ErrorContains(t, err, "title of dome/ilse is Guard now; it was Cook when this was staged")
	assert.ErrorContains(t, err, "revision 2 by ada.lindqvist (r)")
	trial, err := s.Trials.Find(ctx, ada, "same")
	require.NoError(t, err)
	assert.False(t, trial.Applies)
	assert.Contains(t, trial.Obstacle, "title of dome/ilse is Guard now")
	back, err := s.Commits.Revert(ctx, ada, 2, "")
	require.NoError(t, err, "revision 3 wrote other lines of the same file")
	assert.True(t, back.Applies, back.Obstacle)
	begin(t, s, "again", title("dome/ilse", "Guest"))
	require.NoError(t, commit(s, ada, "again", ""))
	_, err = s.Commits.Revert(ctx, ada, 2, "no")
	assert.ErrorContains(t, err, "revision 2 cannot be reverted, because what it changed was changed again")
}

func TestWhatKeepsATrialFromBeingCommitted(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	editor := operator.Actor{Name: "lio", Role: operator.Editor}
	begin(
		t,
		s,
		"wrong",
		stage.Change{
			Do:     stage.AddLine,
			System: "doors",
			List:   "rules",
			Value:  raw(map[string]any{"name": "x", "action": "permit", "groups": []string{"crow"}}),
		},
	)
	assert.ErrorContains(t, commit(s, ada, "wrong", ""), "it brings the error unknown-name")
	var forbidden *operator.ForbiddenError
	assert.ErrorAs(t, commit(s, editor, "wrong", "I want it"), &forbidden, "an editor overrides nothing")
	require.NoError(t, commit(s, ada, "wrong", "the group comes tonight"))
	r, err := s.History.Revision(ctx, 2)
	require.NoError(t, err)
	assert.Contains(t, r.Overrides, "ada.lindqvist, because: the group comes tonight (it brings the error unknown-name")

	begin(
		t,
		s,
		"promise",
		stage.Change{
			Do:       stage.AddPart,
			Document: "guarantees",
			List:     "guarantees",
			Value: []byte(
				`{"guarantee": "crew in the dome", "every": {"groups": ["crew"]}, "can": {"system": "doors", "right": "any", "object": "dome"}}`,
			),
		},
	)
	require.NoError(t, commit(s, ada, "promise", ""))
	begin(t, s, "breaks", stage.Change{Do: stage.MoveLine, System: "doors", List: "rules", Line: "nobody", Before: "crew"})
	assert.ErrorContains(t, commit(s, ada, "breaks", ""), "it breaks the guarantee crew in the dome")
	impact, err := s.Outcomes.Impact(
		ctx,
		"breaks",
		stage.Change{Do: stage.MoveLine, System: "doors", List: "rules", Line: "crew", Before: "nobody"},
		given(t, nil),
	)
	require.NoError(t, err)
	assert.Equal(t, []string{"nobody"}, impact.Passes)
	assert.Equal(t, []string{"crew in the dome"}, impact.Turned.Guarantees.Mended)
	assert.ErrorContains(t, commit(s, ada, "breaks", " "), "crew in the dome", "a reason has words")

	_, err = s.Commits.Commit(ctx, ada, "breaks", changeset.Committing{Version: version(s, "breaks"), Reason: " "})
	assert.ErrorContains(t, err, "a commit needs a reason")
	_, err = s.Trials.Begin(ctx, ada, "empty", "")
	require.NoError(t, err)
	assert.ErrorContains(t, commit(s, ada, "empty", ""), "nothing is staged")
	_, err = s.Trials.Begin(ctx, ada, "Empty", "")
	assert.ErrorContains(t, err, "there is a trial Empty already")
	_, err = s.Trials.Begin(ctx, ada, "../etc", "")
	assert.ErrorContains(t, err, "a trial's name has letters")

	// Who staged may not commit, once that is switched on.
	_, err = s.Rights.ChangeSettings(ctx, ada, 0, answer.SettingsChange{TwoPersons: new(true)})
	require.NoError(t, err)
	begin(t, s, "two", stage.Change{Do: stage.Join, Group: "crew", Member: "teo"})
	assert.ErrorAs(t, commit(s, ada, "two", ""), &forbidden)
	require.NoError(t, commit(s, operator.Actor{Name: "edda", Role: operator.Approver}, "two", ""))
}

func TestATrialIsKeptAndOnlyOneVersionOfItChanged(t *testing.T) {
	folder := t.TempDir()
	s := small(t, folder)
	begin(t, s, "kept", stage.Change{Do: stage.Join, Group: "crew", Member: "teo"})
	_, err := s.Trials.Stage(ctx, ada, "kept", 1, []stage.Change{{Do: stage.Join, Group: "crew", Member: "rana"}})
	var moved *answer.MovedError
	require.ErrorAs(t, err, &moved)
	_, err = s.Trials.Stage(
		ctx,
		ada,
		"kept",
		2,
		[]stage.Change{{Do: stage.Join, Group: "crew", Member: "rana"}, {Do: stage.Join, Group: "crew", Member: "rana"}},
	)
	assert.ErrorContains(t, err, "changes[1]: group dome/crew lists dome/rana already", "all of them or none")
	require.NoError(t, s.Close())
	s, err = workspace.Open(ctx, folder, quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	trial, err := s.Trials.Find(ctx, ada, "KEPT")
	require.NoError(t, err)
	assert.Equal(t, 2, trial.Version)
	assert.Len(t, trial.Changes, 1)
	assert.Equal(t, "Adds dome/teo to the group dome/crew.", trial.Changes[0].Sentence)
	assert.Equal(t, "ada.lindqvist", trial.Changes[0].By)
}

// What differs in a folder becomes staged changes, one for each file.
func TestATrialFromAFolder(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	files := s.Head().Documents()
	_, err := s.Trials.BeginFrom(ctx, ada, "none", "", maps.Clone(files))
	assert.ErrorContains(t, err, "there is nothing to stage")
	files["doors.yaml"] += "  - {name: more, action: permit, groups: [crew]}\n"
	files["new.yaml"] = "system: s\ntype: licences\nproducts: [{product: p, features: [f]}]\nmappings: []\n"
	delete(files, "dome.yaml")
	_, err = s.Trials.BeginFrom(ctx, ada, "bad", "", map[string]string{"gatemap.yaml": "title: Dome\ntitel: x\n"})
	assert.ErrorContains(t, err, `gatemap.yaml:2:1: unknown key "titel"`)
	trial, err := s.Trials.BeginFrom(ctx, ada, "folder", "", files)
	require.NoError(t, err)
	var all []string
	for _, c := range trial.Changes {
		all = append(all, c.Sentence)
	}
	slices.Sort(all)
	assert.Equal(
		t,
		[]string{"Removes the document dome.yaml.", "Replaces the document doors.yaml.", "Writes the new document new.yaml."},
		all,
	)
	assert.True(t, trial.Applies, trial.Obstacle)
}

// What lines give to someone by name can be taken back on the person; what comes by a
// group cannot, and it is said which group, and what can be done instead.
func TestWithdrawing(t *testing.T) {
	s := small(t, t.TempDir())
	defer s.Close()
	begin(t, s, "licences", stage.Change{Do: stage.WriteDocument, Document: "suite.yaml", Value: raw(`system: suite
type: licences
products: [{product: p, features: [f]}, {product: q, features: [g]}, {product: r, features: [h]}]
mappings:
  - {users: [ilse, dome/teo], product: p}  # both
  - {users: [teo], product: p}
  - {groups: [kitchen], product: q}
  - {users: [teo], groups: [crew], product: r}
`)})
	require.NoError(t, commit(s, ada, "licences", ""))
	_, err := s.Trials.Begin(ctx, ada, "w", "")
	require.NoError(t, err)
	trial, err := s.Trials.Withdraw(ctx, ada, "w", "teo", "suite", "f", "p")
	require.NoError(t, err)
	assert.Equal(t, "Removes 2 from mappings of suite (was {users: [teo], product: p}).", trial.Changes[0].Sentence)
	assert.Equal(
		t,
		"Changes 1 in mappings of suite to {users: [ilse], product: p} (was {users: [ilse, dome/teo], product: p}).",
		trial.Changes[1].Sentence,
	)
	_, err = s.Trials.Withdraw(ctx, ada, "w", "teo", "suite", "f", "p")
	assert.ErrorContains(t, err, "no line gives dome/teo f on p in suite", "the trial has taken it")
	_, err = s.Trials.Withdraw(ctx, ada, "w", "ilse", "suite", "g", "q")
	assert.ErrorContains(
		t,
		err,
		"by a group, which is not changed on the person: line suite/mapping 2 gives it to dome/kitchen: change the person's attributes, or the rule of dome/kitchen, change the line, or add dome/ilse to its exceptions",
	)
	trial, err = s.Trials.Withdraw(ctx, ada, "w", "teo", "suite", "h", "r")
	require.NoError(t, err)
	assert.Equal(
		t,
		"Changes 3 in mappings of suite to {groups: [crew], product: r} (was {users: [teo], groups: [crew], product: r}).",
		trial.Changes[2].Sentence,
	)
	require.NoError(t, commit(s, ada, "w", ""))
	assert.Contains(t, s.Head().Documents()["suite.yaml"], "  - {users: [ilse], product: p}  # both\n")
}
