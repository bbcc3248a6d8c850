package workspace_test

import (
	"context"
	"fmt"
	"log/slog"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/stage"
	"gatemap/store"
	"gatemap/tools/database"
	"gatemap/workspace"
)

const deliveredSystem = `system: frame-index
type: roles
directory: cindervale
link:
  postgres: {address: "%s", database: frames, user: keeper, secret: {env: GATEMAP_SECRET_FRAMES}}
  names: {groups: "gm_{name}"}
  ignore: {accounts: [keeper, gatemap]}
  deliver: %s
rights: ["database:connect", "schema:usage", "table:select"]
resources: [{path: /}, {path: /sky/objects}]
roles: {reader: {rights: ["*"]}}
mappings:
  - {groups: [readers], role: reader, object: /}
`

const deliveredPeople = `directory: cindervale
users: [{userName: ada}, {userName: bo}, {userName: cyd}]
groups:
  - {name: readers, members: {users: [ada, bo]}}
`

// deliveredService is a service with a map that is delivered to a database.
func deliveredService(t *testing.T, data, deliver string) (*workspace.Service, *database.Server) {
	t.Helper()
	server, err := database.Start(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(server.Stop)
	t.Setenv("GATEMAP_SECRET_FRAMES", database.Secret)
	require.NoError(t, server.Run("postgres", "CREATE DATABASE frames"))
	require.NoError(
		t,
		server.Run(
			"frames",
			"DROP SCHEMA public; REVOKE ALL ON DATABASE frames FROM PUBLIC; CREATE SCHEMA sky; CREATE TABLE sky.objects (id int)",
		),
	)
	s, err := workspace.Open(t.Context(), data, slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	f, err := content.ReadFS(fstest.MapFS{
		"systems/frame-index.yaml": {Data: fmt.Appendf(nil, deliveredSystem, server.Address, deliver)},
		"directories/people.yaml":  {Data: []byte(deliveredPeople)},
		"gatemap.yaml":             {Data: []byte("title: Cindervale Observatory\n")},
	})
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), f, "test", "the map")
	require.NoError(t, err)
	return s, server
}

// members are the logins in a role.
func members(t *testing.T, server *database.Server, role string) (list []string) {
	t.Helper()
	conn, err := server.Connect(t.Context(), database.Admin, "frames")
	require.NoError(t, err)
	defer conn.Close(context.Background())
	rows, err := conn.Query(
		t.Context(),
		`SELECT m.rolname FROM pg_auth_members a JOIN pg_roles g ON g.oid = a.roleid JOIN pg_roles m ON m.oid = a.member WHERE g.rolname = $1 AND m.rolcanlogin ORDER BY 1`,
		role,
	)
	require.NoError(t, err)
	for rows.Next() {
		var m string
		require.NoError(t, rows.Scan(&m))
		list = append(list, m)
	}
	return list
}

func join(t *testing.T, s *workspace.Service, by operator.Actor, do stage.Do, member string) {
	t.Helper()
	named := fmt.Sprint("t", time.Now().UnixNano())
	_, err := s.Trials.Begin(t.Context(), by, named, "")
	require.NoError(t, err)
	_, err = s.Trials.Stage(
		t.Context(),
		by,
		named,
		0,
		[]stage.Change{staged(do, func(c *stage.Change) { c.Group, c.Member = "readers", member })},
	)
	require.NoError(t, err)
	require.NoError(t, commit(s, by, named, ""))
}

var bryn = operator.Actor{Name: "bryn.aurelio", Role: operator.Admin}

// A delivery is worked out, looked at, and committed by somebody who may; then it says what arrived.
func TestADeliveryByHand(t *testing.T) {
	data := t.TempDir()
	s, server := deliveredService(t, data, "by-hand")
	d, err := s.Deliveries.Run(t.Context(), ada, "Frame-Index", answer.DeliveryAsked{})
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryWaiting, d.State)
	assert.Empty(t, members(t, server, "gm_readers"), "nothing reaches a system that was not shown")
	p, err := s.Deliveries.Plan(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Len(t, p.Statements, d.Statements)
	script, err := s.Deliveries.Script(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Contains(t, script.Script, p.Statements[0].Text)

	_, err = s.Rights.ChangeSettings(t.Context(), bryn, 0, answer.SettingsChange{TwoPersons: new(true)})
	require.NoError(t, err)
	_, err = s.Deliveries.Commit(t.Context(), ada, d.ID, false, time.Minute)
	assert.ErrorContains(t, err, "ada.lindqvist ran this delivery: by the two-person rule someone else must commit it")
	_, err = s.Deliveries.Commit(
		t.Context(),
		operator.Actor{Name: "cleo", Role: operator.Editor},
		d.ID,
		false,
		time.Minute,
	)
	assert.ErrorContains(t, err, "only approvers and admins may deliver to linked systems")
	d, err = s.Deliveries.Commit(t.Context(), bryn, d.ID, false, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryArrived, d.State)
	assert.Equal(t, "bryn.aurelio", d.By)
	assert.Equal(t, []int{0, 0}, []int{d.Excess, d.Short})
	assert.Equal(t, []string{"ada", "bo"}, members(t, server, "gm_readers"))
	_, err = s.Deliveries.Commit(t.Context(), bryn, d.ID, false, time.Minute)
	assert.ErrorContains(t, err, "does not wait any more (arrived)")
	_, err = s.Rights.ChangeSettings(t.Context(), bryn, 0, answer.SettingsChange{TwoPersons: new(false)})
	require.NoError(t, err)

	join(t, s, ada, stage.Leave, "bo")
	d, err = s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryHeld, d.State)
	assert.Contains(t, d.Held, "it would take away 1 of")
	_, err = s.Deliveries.Commit(t.Context(), ada, d.ID, false, time.Minute)
	assert.ErrorContains(t, err, "is held: it would take away 1 of")
	found := s.Deliveries.Findings(t.Context())
	require.Len(t, found, 1)
	assert.Contains(
		t,
		found[0].Message,
		"Delivery 2 to the system frame-index did not arrive (held): it would take away 1 of",
	)
	d, err = s.Deliveries.Commit(t.Context(), ada, d.ID, true, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, []string{"ada"}, members(t, server, "gm_readers"))
	assert.Empty(t, s.Deliveries.Findings(t.Context()))
	again, err := s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryUnchanged, again.State)

	r, err := s.History.Revision(t.Context(), 2)
	require.NoError(t, err)
	assert.Equal(t, d.ID, r.Arrived[0].Delivery, "the revision that took bo away arrived by the second")
	r, err = s.History.Revision(t.Context(), 1)
	require.NoError(t, err)
	assert.Less(t, r.Arrived[0].Delivery, d.ID)
	list, err := s.Deliveries.List(t.Context(), "frame-index", 2, "")
	require.NoError(t, err)
	assert.Equal(t, again.ID, list.Deliveries[0].ID)
	assert.NotEmpty(t, list.Next)
	entries, err := s.Audit.List(t.Context(), store.Asked{}, 100, "")
	require.NoError(t, err)
	audited := map[string]int{}
	for _, e := range entries.Entries {
		audited[e.Act+" "+e.Result]++
	}
	assert.Equal(t, 2, audited["deliver done"])
	assert.Equal(t, 2, audited["deliver refused"], "two who may not")
	assert.Equal(t, 3, audited["delivery done"])
	require.NoError(t, s.Close())
}

// What is there otherwise than it was shown is not delivered, and is told.
func TestADeliveryThatFails(t *testing.T) {
	s, server := deliveredService(t, t.TempDir(), "by-hand")
	defer s.Close()
	d, err := s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	require.NoError(t, err)
	require.NoError(t, server.Run("frames", "CREATE ROLE ada LOGIN"))
	_, err = s.Deliveries.Commit(t.Context(), ada, d.ID, false, time.Minute)
	assert.ErrorContains(t, err, "run it again")
	d, err = s.Deliveries.Find(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryFailed, d.State)
	assert.Contains(t, d.Error, "what is there has changed since")
	first, err := s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	require.NoError(t, err)
	_, err = s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	require.NoError(t, err)
	first, err = s.Deliveries.Find(t.Context(), first.ID)
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryDiscarded, first.State, "another one was run")
	_, err = s.Deliveries.Run(t.Context(), ada, "nowhere", answer.DeliveryAsked{})
	assert.ErrorContains(t, err, "nowhere")
	server.Stop()
	_, err = s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	assert.ErrorContains(t, err, "cannot be read")
	require.NoError(t, server.Restart())
}

// A system that is delivered to at every commit has a membership as soon as the map has it, and loses
// it with a revert and at the moment at which an account ends.
func TestADeliveryAtEveryCommit(t *testing.T) {
	s, server := deliveredService(t, t.TempDir(), "on-commit\n  removal_limit: 100%")
	defer s.Close()
	s.Deliveries.Follow()
	arrives := func(want ...string) {
		t.Helper()
		assert.Eventually(
			t,
			func() bool { return fmt.Sprint(members(t, server, "gm_readers")) == fmt.Sprint(want) },
			40*time.Second,
			50*time.Millisecond,
			"%v",
			want,
		)
	}
	arrives("ada", "bo")
	join(t, s, ada, stage.Join, "cyd")
	arrives("ada", "bo", "cyd")
	ends := time.Now().Add(8 * time.Second).UTC().Format(time.RFC3339)
	begin(t, s, "end", stage.Change{Do: stage.SetUser, User: "bo", Attribute: "expires", Value: raw(ends)})
	require.NoError(t, commit(s, ada, "end", ""))
	arrives("ada", "cyd") // bo has ended
	r, err := s.Commits.Revert(t.Context(), ada, 2, "back")
	require.NoError(t, err)
	require.NoError(t, commit(s, ada, r.Name, ""))
	arrives("ada")
	list, err := s.Deliveries.List(t.Context(), "", 10, "")
	require.NoError(t, err)
	var how []string
	for _, d := range list.Deliveries {
		how = append(how, d.How+" "+string(d.State)+" "+d.By)
	}
	assert.Contains(t, how, "time arrived gatemap")
	assert.Contains(t, how, "commit arrived gatemap")
}

// Letting a system be delivered to at every commit asks for the right to deliver, on every way.
func TestWhoMayLetASystemBeDeliveredTo(t *testing.T) {
	s, _ := deliveredService(t, t.TempDir(), "by-hand")
	defer s.Close()
	editor := operator.Actor{Name: "cleo", Role: operator.Editor}
	_, err := s.Trials.Begin(t.Context(), editor, "more", "")
	require.NoError(t, err)
	text := s.Head().Documents()["systems/frame-index.yaml"]
	at := []stage.Change{
		{
			Do:       stage.WriteDocument,
			Document: "systems/frame-index.yaml",
			Value:    raw(strings.Replace(text, "by-hand", "on-commit", 1)),
		},
	}
	_, err = s.Trials.Stage(t.Context(), editor, "more", 0, at)
	assert.ErrorContains(t, err, "this lets commits change the system frame-index elsewhere")
	_, err = s.Trials.Stage(t.Context(), ada, "more", 0, at)
	require.NoError(t, err)
	never := []stage.Change{
		{
			Do:       stage.WriteDocument,
			Document: "systems/frame-index.yaml",
			Value:    raw(strings.Replace(text, "by-hand", "never", 1)),
		},
	}
	_, err = s.Trials.Begin(t.Context(), editor, "never", "")
	require.NoError(t, err)
	_, err = s.Trials.Stage(t.Context(), editor, "never", 0, never)
	require.NoError(t, err)
	require.NoError(t, commit(s, ada, "never", ""))
	_, err = s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
	assert.ErrorContains(t, err, "nothing is delivered to frame-index: its link says deliver: never")
}

// A stop in the middle of a delivery is seen at the next start: what is there says whether it was made.
func TestADeliveryThatAStopCutOff(t *testing.T) {
	for _, made := range []bool{false, true} {
		data := t.TempDir()
		s, server := deliveredService(t, data, "by-hand")
		d, err := s.Deliveries.Run(t.Context(), ada, "frame-index", answer.DeliveryAsked{})
		require.NoError(t, err)
		p, err := s.Deliveries.Plan(t.Context(), d.ID)
		require.NoError(t, err)
		require.NoError(t, s.Close())
		if made {
			for _, x := range p.Statements {
				require.NoError(t, server.Run("frames", x.Text))
			}
		}
		st, err := store.Open(t.Context(), data, "")
		require.NoError(t, err)
		row, _, err := st.Delivery(t.Context(), d.ID)
		require.NoError(t, err)
		row.State = "delivering"
		_, err = st.UpdateDelivery(t.Context(), &row, []string{"waiting"})
		require.NoError(t, err)
		require.NoError(t, st.Close())
		s, err = workspace.Open(t.Context(), data, slog.New(slog.DiscardHandler), workspace.Options{})
		require.NoError(t, err)
		s.Deliveries.Follow()
		want := answer.DeliveryCutOff
		if made {
			want = answer.DeliveryArrived
		}
		assert.Eventually(t, func() bool {
			d, err = s.Deliveries.Find(t.Context(), d.ID)
			return err == nil && d.State == want
		}, 10*time.Second, 20*time.Millisecond, "%v", d)
		require.NoError(t, s.Close())
	}
}

// What a system cannot be told is handed out to a person, and ticked off by what is read next.
func TestADeliveryThatIsHandedOut(t *testing.T) {
	s, list := linkedService(t, t.TempDir())
	defer s.Close()
	s.Deliveries.Follow()
	d, err := s.Deliveries.Run(t.Context(), ada, "sky-tools", answer.DeliveryAsked{})
	require.NoError(t, err)
	d, err = s.Deliveries.Commit(t.Context(), ada, d.ID, true, time.Minute)
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryHandedOut, d.State)
	script, err := s.Deliveries.Script(t.Context(), d.ID)
	require.NoError(t, err)
	assert.Contains(t, script.Script, "number,to do,why\n1,take Cluster add-on on Reduction Suite from joss.ferrant,")

	ticked := func(state answer.DeliveryState, done int) {
		t.Helper()
		_, err := s.Readings.Read(t.Context(), ada, "sky-tools")
		require.NoError(t, err)
		assert.Eventually(t, func() bool {
			d, err = s.Deliveries.Find(t.Context(), d.ID)
			return err == nil && d.State == state && len(d.Done) == done
		}, 10*time.Second, 20*time.Millisecond)
	}
	without := func(text, login, right string) string {
		var kept []string
		for line := range strings.Lines(text) {
			if !strings.HasPrefix(line, login+";") || !strings.Contains(line, right) {
				kept = append(kept, line)
			}
		}
		return strings.Join(kept, "")
	}
	rewrite(t, list, func(text string) string { return without(text, "joss.ferrant", "Cluster") })
	ticked(answer.DeliveryHandedOut, 1)
	p, err := s.Deliveries.Plan(t.Context(), d.ID)
	require.NoError(t, err)
	assert.True(t, p.Statements[0].Done)
	assert.False(t, p.Statements[1].Done)
	rewrite(t, list, func(text string) string {
		for _, login := range []string{"noor.haddix", "olle.branwen", "otis.njemanze", "paloma.rask"} {
			for _, right := range []string{"Calendar", "Queue"} {
				if login != "noor.haddix" {
					text = without(text, login, right)
				}
			}
		}
		text = without(text, "noor.haddix", "")
		return strings.ReplaceAll(
			text,
			";locked;",
			";active;",
		) + "liv.castrejon;Reduction Suite;Viewer;;active;\nliv.castrejon;Reduction Suite;Pipeline;;active;\n"
	})
	ticked(answer.DeliveryArrived, d.Statements)
	assert.Equal(t, []int{1, 0}, []int{d.Excess, d.Short}, "the stranger stays")
	again, err := s.Deliveries.Run(t.Context(), ada, "sky-tools", answer.DeliveryAsked{})
	require.NoError(t, err)
	assert.Equal(t, answer.DeliveryUnchanged, again.State)
}

// What was committed while a system was down is delivered when it is back: all of it, once.
func TestASystemThatWasDown(t *testing.T) {
	s, server := deliveredService(t, t.TempDir(), "on-commit\n  removal_limit: 100%")
	defer s.Close()
	s.Deliveries.RetryAfter = 100 * time.Millisecond
	s.Deliveries.Follow()
	is := func(want ...string) func() bool {
		return func() bool { return fmt.Sprint(members(t, server, "gm_readers")) == fmt.Sprint(want) }
	}
	assert.Eventually(t, is("ada", "bo"), 20*time.Second, 50*time.Millisecond)
	_, err := s.Deliveries.Start(t.Context(), ada, "frame-index", answer.DeliveryAsked{}, 0)
	assert.ErrorContains(t, err, "the system frame-index is still being read")
	assert.Eventually(t, func() bool {
		list, err := s.Deliveries.List(t.Context(), "", 10, "")
		return err == nil && list.Deliveries[0].State == answer.DeliveryUnchanged
	}, 10*time.Second, 50*time.Millisecond, "and is in the list then")
	server.Stop()
	join(t, s, ada, stage.Join, "cyd")
	join(t, s, ada, stage.Leave, "bo")
	time.Sleep(500 * time.Millisecond) // it is tried in vain
	require.NoError(t, server.Restart())
	assert.Eventually(t, is("ada", "cyd"), 30*time.Second, 50*time.Millisecond)
	assert.Eventually(t, func() bool {
		list, err := s.Deliveries.List(t.Context(), "", 10, "")
		return err == nil && len(list.Deliveries) == 3 && list.Deliveries[0].State == answer.DeliveryArrived &&
			list.Deliveries[0].Revision == 3
	}, 10*time.Second, 50*time.Millisecond, "both commits came with one delivery")
}

// A delivery at a commit that would take away too much is held, and goes when the map no longer says so.
func TestWhatIsHeldAtACommit(t *testing.T) {
	s, server := deliveredService(t, t.TempDir(), "on-commit")
	defer s.Close()
	s.Deliveries.Follow()
	newest := func() answer.DeliveryState {
		list, err := s.Deliveries.List(t.Context(), "", 1, "")
		if err != nil || len(list.Deliveries) == 0 {
			return ""
		}
		return list.Deliveries[0].State
	}
	is := func(want answer.DeliveryState) {
		t.Helper()
		assert.Eventually(t, func() bool { return newest() == want }, 20*time.Second, 50*time.Millisecond, "%s", want)
	}
	is(answer.DeliveryArrived)
	join(t, s, ada, stage.Leave, "bo")
	is(answer.DeliveryHeld)
	assert.Len(t, s.Deliveries.Findings(t.Context()), 1)
	assert.Equal(t, []string{"ada", "bo"}, members(t, server, "gm_readers"))
	join(t, s, ada, stage.Join, "bo")
	is(answer.DeliveryDiscarded)
	assert.Empty(t, s.Deliveries.Findings(t.Context()))
}
