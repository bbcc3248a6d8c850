package workspace_test

import (
	"database/sql"
	"encoding/json"
	"io"
	"net/http"
	"net/http/httptest"
	"path/filepath"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/operator"
	"gatemap/service/intake"
	"gatemap/stage"
)

// hook is a receiver of notices over HTTP.
type hook struct {
	*httptest.Server
	mu     sync.Mutex
	down   bool
	bodies []string
	said   []string // the types and texts of events
	ids    map[string]int
}

type cloudEvent struct {
	ID, Type, Subject string
	Data              struct{ Receiver, Text string }
}

func startHook(t *testing.T) *hook {
	h := &hook{ids: map[string]int{}}
	h.Server = httptest.NewServer(http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		body, _ := io.ReadAll(r.Body)
		h.mu.Lock()
		defer h.mu.Unlock()
		if h.down {
			w.WriteHeader(http.StatusServiceUnavailable)
			return
		}
		h.bodies = append(h.bodies, string(body))
		var events []cloudEvent
		if err := json.Unmarshal(body, &events); err != nil {
			events = make([]cloudEvent, 1)
			_ = json.Unmarshal(body, &events[0])
		}
		for _, e := range events {
			h.said = append(h.said, e.Type+" "+e.Subject+": "+e.Data.Text)
			h.ids[e.ID]++
		}
	}))
	t.Cleanup(h.Close)
	return h
}

func (h *hook) goDown(down bool) {
	h.mu.Lock()
	defer h.mu.Unlock()
	h.down = down
}

func (h *hook) heard() []string {
	h.mu.Lock()
	defer h.mu.Unlock()
	return append([]string{}, h.said...)
}

// hears waits until so many events came, and gives the newest.
func (h *hook) hears(t *testing.T, number int) string {
	t.Helper()
	require.Eventually(
		t,
		func() bool { return len(h.heard()) >= number },
		20*time.Second,
		10*time.Millisecond,
		"%v",
		h.heard(),
	)
	all := h.heard()
	require.Len(t, all, number)
	return all[number-1]
}

func (h *hook) document(name, more string) string {
	return "notices: " + name + "\nwebhook: {url: \"" + h.URL + "\"}\n" + more
}

// watched is a map whose guarantee breaks when bo joins the crew.
func watched(t *testing.T, files map[string]string) *observatory {
	t.Helper()
	all := map[string]string{
		"club.yaml":  "directory: club\nusers: [{userName: ida}, {userName: bo}]\ngroups: [{name: crew, members: {users: [ida]}}]\n",
		"doors.yaml": "system: doors\ntype: firewall\nzones: {yard: [192.0.2.0/26]}\nrules: [{name: crew, action: permit, groups: [crew], to: [yard]}]\n",
		"rules.yaml": "guarantees: [{guarantee: bo-stays-out, nobody: {users: [bo]}, can: {system: doors, right: any, object: yard}}]\n",
	}
	for name, content := range files {
		all[name] = content
	}
	o := startObservatory(t, all)
	o.Notices.RetryAfter = 50 * time.Millisecond
	return o
}

func (o *observatory) crew(do stage.Do) {
	o.t.Helper()
	begin(o.t, o.Service, "crew", stage.Change{Do: do, Group: "crew", Member: "bo"})
	require.NoError(o.t, commit(o.Service, ada, "crew", "it is a test"))
}

// A receiver is told once when something begins and once when it is over, whatever is restarted, and
// whoever comes later is told what stands.
func TestAReceiverIsToldOnce(t *testing.T) {
	h := startHook(t)
	o := watched(t, map[string]string{"night.yaml": h.document("night", "")})
	o.Follow()
	o.crew(stage.Join)
	assert.Equal(
		t,
		"gatemap.guarantee.began : The guarantee bo-stays-out is broken: "+o.reason("bo-stays-out"),
		h.hears(t, 1),
	)
	// A stop between a notice and the note that it arrived sends it again, with its identifier.
	o.listed(func(all *answer.Notices) bool { return all.Receivers[0].Waiting == 0 })
	require.NoError(t, o.Close())
	o.open()
	o.Follow()
	late := startHook(t)
	o.write("late.yaml", late.document("late", "about: [guarantee]\n"))
	o.write("club.yaml", o.Head().Documents()["club.yaml"])
	o.commitFolder()
	assert.Contains(t, late.hears(t, 1), "gatemap.guarantee.began")
	o.crew(stage.Leave)
	assert.Contains(t, h.hears(t, 2), "gatemap.guarantee.over : The guarantee bo-stays-out is broken")
	assert.Contains(t, late.hears(t, 2), "gatemap.guarantee.over")
	o.listed(func(all *answer.Notices) bool { return all.Receivers[0].Waiting == 0 && all.Receivers[1].Waiting == 0 })
	all, err := o.Notices.List(t.Context(), ada, 3, "")
	require.NoError(t, err)
	assert.Len(t, all.Notices, 3)
	assert.NotEmpty(t, all.Next)
	require.Len(t, all.Receivers, 2)
	assert.Equal(
		t,
		[]any{"late", "webhook", late.URL, 0},
		[]any{all.Receivers[0].Name, all.Receivers[0].Kind, all.Receivers[0].To, all.Receivers[0].Stands},
	)
}

// listed waits until the list of notices is as it should be.
func (o *observatory) listed(is func(*answer.Notices) bool) {
	o.t.Helper()
	require.Eventually(o.t, func() bool {
		all, err := o.Notices.List(o.t.Context(), ada, 10, "")
		return err == nil && is(all)
	}, 20*time.Second, 10*time.Millisecond)
}

func (o *observatory) reason(guarantee string) string {
	all, err := o.Head().Guarantees(o.t.Context())
	require.NoError(o.t, err)
	for _, g := range all.Guarantees {
		if g.Guarantee == guarantee {
			return g.Reason
		}
	}
	return ""
}

// What cannot be sent is kept, over a start too, and arrives in order, once, when the receiver is back
// or has another address.
func TestAReceiverThatIsAway(t *testing.T) {
	h := startHook(t)
	h.goDown(true)
	o := watched(t, map[string]string{"night.yaml": h.document("night", "")})
	o.Follow()
	o.crew(stage.Join)
	waits := func(number int) {
		t.Helper()
		o.listed(func(all *answer.Notices) bool {
			return all.Receivers[0].Waiting == number &&
				strings.Contains(all.Receivers[0].Error, "503 Service Unavailable")
		})
	}
	waits(1)
	require.NoError(t, o.Close())
	o.open()
	o.Notices.RetryAfter = time.Hour
	o.Follow()
	o.crew(stage.Leave)
	waits(2)
	assert.Empty(t, h.heard())
	_, err := o.Notices.Test(t.Context(), admin, "night")
	assert.ErrorContains(t, err, "the test did not arrive at night: "+h.URL+" answered 503 Service Unavailable")
	h.goDown(false)
	o.write("night.yaml", h.document("night", "about: [guarantee]\n"))
	o.write("club.yaml", o.Head().Documents()["club.yaml"])
	o.commitFolder()
	h.hears(t, 2)
	assert.Contains(t, h.heard()[0], "guarantee.began")
	assert.Contains(t, h.heard()[1], "guarantee.over")
	for id, times := range h.ids {
		assert.Equal(t, 1, times, id)
	}
	tested, err := o.Notices.Test(t.Context(), admin, "NIGHT")
	require.NoError(t, err)
	assert.Equal(t, 1, h.ids[tested.ID])
}

// A digest gathers what comes within its time into one message.
func TestADigest(t *testing.T) {
	h := startHook(t)
	o := watched(t, map[string]string{"night.yaml": h.document("night", "digest: 3s\n")})
	o.Follow()
	o.crew(stage.Join)
	o.listed(func(all *answer.Notices) bool { return len(all.Notices) == 1 })
	o.crew(stage.Leave)
	h.hears(t, 2)
	assert.Len(t, h.bodies, 1)
}

// A source that cannot be read, and a run that is held, are told; systems limits of which.
func TestSourcesThatFailAreTold(t *testing.T) {
	h, other := startHook(t), startHook(t)
	o := startObservatory(t, map[string]string{
		"list.yaml": "directory: list\nsource: {csv: {file: people.csv}, users: {name: number}}\n",
		"night.yaml": h.document(
			"night",
			"about: [connection, intake]\nsystems: [list]\n",
		), "other.yaml": other.document("other", "systems: [else]\n"), "else.yaml": "directory: else\n",
		"people.csv": "number\n1\n2\n3\n4\n5\n",
	})
	o.Follow()
	o.run("list", intake.Intaking{Commit: true})
	o.write("people.csv", "number\n1\n")
	o.run("list", intake.Intaking{Commit: true})
	assert.Contains(
		t,
		h.hears(t, 1),
		"gatemap.intake.began list: Run 2 of the directory list is held: it would deactivate or remove 4 of 5 active users",
	)
	o.write("people.csv", "no such column\n1\n")
	o.run("list", intake.Intaking{Commit: true})
	assert.Contains(t, h.hears(t, 3), "gatemap.connection.began list: The directory list cannot be read: ")
	assert.Contains(t, h.heard()[1], "gatemap.intake.over")
	o.write("people.csv", "number\n1\n2\n3\n4\n5\n6\n")
	o.run("list", intake.Intaking{Commit: true})
	assert.Contains(t, h.hears(t, 4), "gatemap.connection.over")
	assert.Empty(t, other.heard())
}

// Whoever may not say what the map connects to may not name a receiver, nor send one a test.
func TestWhoMayNameAReceiver(t *testing.T) {
	h := startHook(t)
	o := watched(t, map[string]string{"night.yaml": h.document("night", "")})
	editor := operator.Actor{Name: "cleo", Role: operator.Editor}
	staging := func(path, text string) error {
		_, err := o.Trials.Begin(t.Context(), ada, "name", "")
		require.NoError(t, err)
		defer func() { require.NoError(t, o.Trials.Remove(t.Context(), ada, "name", 0)) }()
		_, err = o.Trials.Stage(
			t.Context(),
			editor,
			"name",
			0,
			[]stage.Change{{Do: stage.WriteDocument, Document: path, Value: raw(text)}},
		)
		return err
	}
	assert.ErrorContains(
		t,
		staging("more.yaml", h.document("more", "")),
		"this says what receiver more connects to or reads",
	)
	assert.ErrorContains(
		t,
		staging("night.yaml", strings.Replace(h.document("night", ""), h.URL, h.URL+"/else", 1)),
		"this says what receiver night connects to or reads",
	)
	assert.NoError(t, staging("night.yaml", h.document("night", "about: [drift]\n")))
	_, err := o.Notices.Test(t.Context(), editor, "night")
	assert.ErrorContains(t, err, "this says what the receiver night connects to or reads")
	assert.Empty(t, h.heard())
	_, err = o.Notices.Test(t.Context(), admin, "nigt")
	assert.Error(t, err)
}

// Whoever is limited to some systems sees the notices of these alone.
func TestNoticesOfSomeSystems(t *testing.T) {
	h := startHook(t)
	o := watched(t, map[string]string{"night.yaml": h.document("night", "")})
	o.Follow()
	o.crew(stage.Join)
	h.hears(t, 1)
	all, err := o.Notices.List(
		t.Context(),
		operator.Actor{Name: "lim", Role: operator.Viewer, Systems: []string{"doors"}},
		10,
		"",
	)
	require.NoError(t, err)
	assert.Empty(t, all.Notices)
	o.listed(func(all *answer.Notices) bool {
		return len(all.Notices) == 1 && all.Notices[0].State == answer.NoticeSent
	})
}

// altered changes the database of a service that is closed.
func (o *observatory) altered(statement string, args ...any) {
	o.t.Helper()
	db, err := sql.Open("sqlite", filepath.Join(o.dat, "gatemap.db"))
	require.NoError(o.t, err)
	_, err = db.Exec(statement, args...)
	require.NoError(o.t, err)
	require.NoError(o.t, db.Close())
}

// An audit that was changed is told, and so is what a commit left in a directory that is away.
func TestWhatASilentFaultLeavesIsTold(t *testing.T) {
	h := startHook(t)
	o := watched(t, map[string]string{
		"night.yaml": h.document("night", "about: [audit, delivery]\n"),
		"away.yaml":  "directory: away\nsource: {ldap: {servers: [ldap://127.0.0.1:1], tries: 1}, write: [members], users: {name: uid}}\n",
	})
	o.crew(stage.Join)
	require.NoError(t, o.Close())
	o.altered("DROP TRIGGER audit_stays; UPDATE audit SET actor = 'someone else' WHERE number = 1")
	o.altered(
		"INSERT INTO writes (directory, began, body) VALUES ('away', ?, ?)",
		time.Now().Add(-time.Hour).UnixNano(),
		[]byte(`{"server":"ldap://127.0.0.1:1","modifications":[]}`),
	)
	o.open()
	o.Follow()
	h.hears(t, 2)
	all := strings.Join(h.heard(), "\n")
	assert.Contains(t, all, "gatemap.audit.began : The audit is not what was written: entry 1: ")
	assert.Contains(
		t,
		all,
		"gatemap.delivery.began away: What a commit wrote to the directory away before it failed is not taken back yet",
	)
}
