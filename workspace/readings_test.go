package workspace_test

import (
	"context"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/workspace"
)

// linkedService is a service with the demo's map, whose list of licences lies in a folder that the
// test can write.
func linkedService(t *testing.T, data string) (s *workspace.Service, list string) {
	t.Helper()
	dir := demoMap(t)
	return serving(t, dir, data), filepath.Join(dir, "exports", "sky-tools.csv")
}

// serving is a service with a map folder in it.
func serving(t *testing.T, dir, data string) *workspace.Service {
	t.Helper()
	s, err := workspace.Open(t.Context(), data, slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	files, err := connect.OpenFolder(dir)
	require.NoError(t, err)
	s.Allow(connect.Host{Files: files})
	f, err := content.ReadFS(os.DirFS(dir))
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), f, "test", "the demo")
	require.NoError(t, err)
	return s
}

func rewrite(t *testing.T, file string, change func(string) string) {
	t.Helper()
	raw, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, []byte(change(string(raw))), 0o600))
}

var whole = answer.DriftAsked{}

// A reading is kept: through a restart, and where one after it fails. A revision moves what it is
// compared with.
func TestTheNewestReadingIsKept(t *testing.T) {
	data := t.TempDir()
	s, list := linkedService(t, data)
	_, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
	assert.ErrorContains(t, err, "there is no reading of the system sky-tools yet")
	_, err = s.Readings.Read(t.Context(), ada, "archive")
	assert.ErrorContains(t, err, "has no link")

	l, err := s.Readings.Read(t.Context(), ada, "sky-tools")
	require.NoError(t, err)
	assert.Equal(t, 25, l.Newest.Accounts)
	first, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	assert.Equal(t, 11, first.Excess)
	assert.Equal(t, 4, first.Short)
	assert.Len(t, first.Unknown, 1)

	rewrite(t, list, func(text string) string { return text + "half a line\n" })
	for range 3 {
		_, err = s.Readings.Read(t.Context(), ada, "sky-tools")
		assert.ErrorContains(t, err, "exports/sky-tools.csv:57")
	}
	all, err := s.Readings.List(t.Context())
	require.NoError(t, err)
	assert.Equal(t, 3, all.Systems[0].Failed)
	assert.Equal(t, []finding.Code{finding.Unreachable}, codesOf(s.Readings.Findings(t.Context()), finding.Unreachable))
	again, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	assert.Equal(t, first.Items, again.Items, "what was read before stays")

	require.NoError(t, s.Close())
	s, err = workspace.Open(t.Context(), data, slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	defer func() { require.NoError(t, s.Close()) }()
	again, err = s.Readings.Drift(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	assert.Equal(t, first.Items, again.Items, "through a restart")
	assert.Equal(t, first.Lines, again.Lines)

	begin(t, s, "season", stage.Change{Do: stage.Join, Group: "night-assistants", Member: "paloma.rask"})
	_, err = s.Commits.Commit(
		t.Context(),
		ada,
		"season",
		changeset.Committing{Version: version(s, "season"), Reason: "she is, after all"},
	)
	require.NoError(t, err)
	after, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	assert.Equal(t, first.Excess-2, after.Excess, "the map gives her what she has")
}

func codesOf(list []finding.Finding, code finding.Code) (codes []finding.Code) {
	for _, f := range list {
		if f.Code == code {
			codes = append(codes, f.Code)
		}
	}
	return codes
}

// A link with every is read by the service itself, and read again when the list is another.
func TestLinksAreReadOnSchedule(t *testing.T) {
	s, list := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	system := s.Head().Documents()["systems/sky-tools.yaml"]
	connecting := ada
	connecting.Role = operator.Admin
	write := func(text string) {
		_, err := s.Trials.Begin(t.Context(), connecting, "often", "")
		require.NoError(t, err)
		_, err = s.Trials.Stage(
			t.Context(),
			connecting,
			"often",
			0,
			[]stage.Change{{Do: stage.WriteDocument, Document: "systems/sky-tools.yaml", Value: raw(text)}},
		)
		require.NoError(t, err)
		_, err = s.Commits.Commit(
			t.Context(),
			connecting,
			"often",
			changeset.Committing{Version: version(s, "often"), Reason: "as often as can be"},
		)
		require.NoError(t, err)
	}
	s.Readings.Follow()
	write(strings.Replace(system, "every: 1h", "every: 50ms", 1))
	accounts := func() int {
		all, err := s.Readings.List(t.Context())
		if err != nil || all.Systems[0].Newest == nil {
			return 0
		}
		return all.Systems[0].Newest.Accounts
	}
	assert.Eventually(t, func() bool { return accounts() == 25 }, 20*time.Second, 20*time.Millisecond)
	rewrite(t, list, func(text string) string { return text + "temp-9;Planner;Queue;;active;\n" })
	assert.Eventually(t, func() bool { return accounts() == 26 }, 20*time.Second, 20*time.Millisecond)
	write(strings.Replace(system, "  every: 1h\n", "", 1)) // it ends when the link says so
	time.Sleep(200 * time.Millisecond)
	rewrite(t, list, func(text string) string { return text + "temp-10;Planner;Queue;;active;\n" })
	assert.Never(t, func() bool { return accounts() == 27 }, 500*time.Millisecond, 50*time.Millisecond)
}

// A reading that takes longer than somebody waits goes on without them.
func TestALongReadingGoesOn(t *testing.T) {
	s, _ := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	l, err := s.Readings.Start(t.Context(), ada, "sky-tools", 0)
	require.NoError(t, err)
	assert.True(t, l.Busy || l.Newest != nil)
	assert.Eventually(t, func() bool {
		all, err := s.Readings.List(context.Background())
		return err == nil && !all.Systems[0].Busy && all.Systems[0].Newest != nil
	}, 20*time.Second, 10*time.Millisecond)
	l, err = s.Readings.Start(t.Context(), ada, "sky-tools", time.Minute)
	require.NoError(t, err)
	assert.False(t, l.Busy)
	gone, leave := context.WithCancel(t.Context())
	leave()
	_, err = s.Readings.Read(gone, ada, "sky-tools")
	require.ErrorIs(t, err, context.Canceled)
	all, err := s.Readings.List(t.Context())
	require.NoError(t, err)
	assert.Zero(t, all.Systems[0].Failed, "that somebody has gone says nothing of the system")
}

// What is really there is asked as the map is: of users of the map, of strangers, and of those who
// have no account.
func TestReally(t *testing.T) {
	s, _ := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	_, err := s.Readings.Really().Reach(t.Context(), "ilse.okonjo", "", situation.Situation{})
	assert.ErrorContains(t, err, "no linked system was read")
	_, err = s.Readings.Read(t.Context(), ada, "sky-tools")
	require.NoError(t, err)
	really := s.Readings.Really()
	for user, want := range map[string]int{"ilse.okonjo": 2, "noor.haddix": 5, "sky-tools/field-laptop-7": 1, "ivo.marescaux": 0, "alba.querido": 2} {
		got, err := really.Reach(t.Context(), user, "", situation.Situation{})
		require.NoError(t, err, user)
		assert.Len(t, got.Entitlements, want, user)
		assert.Len(t, got.Really, 1, user)
	}
	why, err := really.Why(t.Context(), "ivo.marescaux", "sky-tools", "calendar", "planner", situation.Situation{})
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{"cindervale/ivo.marescaux has no account in sky-tools, and so holds nothing there."},
		why.Sentences,
	)
	why, err = really.Why(t.Context(), "olle.branwen", "sky-tools", "calendar", "planner", situation.Situation{})
	require.NoError(t, err)
	assert.Contains(t, strings.Join(why.Sentences, " "), "sky-tools/LIC-trial-2024")
	who, err := really.Who(t.Context(), "sky-tools", "calendar", "planner", situation.Situation{})
	require.NoError(t, err)
	assert.Len(t, who.Users, 12)
	matrix, err := really.Matrix(t.Context(), "sky-tools", "night-crew", "*", situation.Situation{})
	require.NoError(t, err)
	assert.NotEmpty(t, matrix.Rows)
	_, err = really.Reach(t.Context(), "nobody.here", "", situation.Situation{})
	assert.ErrorContains(t, err, "nobody.here")
	_, err = really.Why(t.Context(), "ilse.okonjo", "archive", "frames:read", "/", situation.Situation{})
	assert.ErrorContains(t, err, "has no link")
}

// What a system is reached by is for those who may say so; adopting what was read is a trial like
// any other.
func TestWhoMayLinkAndAdopt(t *testing.T) {
	s, _ := linkedService(t, t.TempDir())
	defer func() { require.NoError(t, s.Close()) }()
	_, err := s.Readings.Read(t.Context(), ada, "sky-tools")
	require.NoError(t, err)
	fresh := answer.Adopting{
		System: "frame-index",
		New:    true,
		Type:   "roles",
		Link:   "postgres://gatemap@127.0.0.1:1/frames",
	}
	_, err = s.Adopt(t.Context(), ada, "", fresh)
	var forbidden *operator.ForbiddenError
	require.ErrorAs(t, err, &forbidden, "an approver may not connect")
	connecting := ada
	connecting.Role = operator.Admin
	_, err = s.Adopt(t.Context(), connecting, "", fresh)
	assert.ErrorContains(t, err, "127.0.0.1:1")

	trial, err := s.Adopt(t.Context(), ada, "", answer.Adopting{System: "sky-tools"})
	require.NoError(t, err)
	assert.Equal(t, "adopt-sky-tools", trial.Name)
	_, err = s.Commits.Commit(
		t.Context(),
		ada,
		trial.Name,
		changeset.Committing{Version: trial.Version, Reason: "as it is there"},
	)
	require.NoError(t, err)
	d, err := s.Readings.Drift(t.Context(), "sky-tools", whole)
	require.NoError(t, err)
	for _, c := range d.Causes {
		assert.NotContains(
			t,
			[]string{"foreign-group", "direct-grant", "extra-grant", "unknown", "not-granted"},
			string(c.Why),
			"the document says what was read; what is left is who is in which group",
		)
	}
	assert.Empty(t, d.Unknown)
	assert.Empty(t, d.Lines, "what the system has of its own goes by its own name")
	_, err = s.Adopt(t.Context(), ada, "again", answer.Adopting{System: "sky-tools"})
	assert.ErrorContains(t, err, "nothing differs from the map in force")
}

// A folder is read when it is asked.
func TestAFolderIsReadWhenItIsAsked(t *testing.T) {
	dir := demoMap(t)
	f := openFolder(t, dir)
	all, err := f.Drifts(context.Background(), "", whole)
	require.NoError(t, err)
	require.Len(t, all.Drifts, 1)
	assert.Equal(t, 11, all.Drifts[0].Excess)
	rewrite(
		t,
		filepath.Join(dir, "exports", "sky-tools.csv"),
		func(text string) string { return strings.Replace(text, ";Product;", ";Produkt;", 1) },
	)
	all, err = openFolder(t, dir).Drifts(context.Background(), "", whole)
	require.NoError(t, err)
	assert.Empty(t, all.Drifts)
	assert.True(t, all.Any(), "nobody can say, and that is no good")
	assert.Contains(t, all.Unread[0].Error, `"Product" (perhaps Produkt)`)
}
