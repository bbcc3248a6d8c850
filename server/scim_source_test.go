package server_test

import (
	"encoding/json"
	"errors"
	"io"
	"log/slog"
	"strings"
	"testing"
	"testing/fstest"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/stage"
	"gatemap/workspace"
)

// asking is a service whose directory is asked for at another's service provider, and written there.
type asking struct {
	*workspace.Service
	t  *testing.T
	by operator.Actor
}

// startAsking starts it; more are more keys of the source.
func startAsking(t *testing.T, c *club, more string) *asking {
	t.Helper()
	t.Setenv("GATEMAP_SECRET_CLUB", c.token)
	log := slog.New(slog.NewTextHandler(io.Discard, nil))
	s, err := workspace.Open(t.Context(), t.TempDir(), log, workspace.Options{})
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() })
	folder, err := content.ReadFS(fstest.MapFS{
		"gatemap.yaml": {Data: []byte("title: Cindervale\n")},
		"people.yaml": {Data: []byte(`
directory: people
source:
  scim: {address: "` + c.url + `", secret: {env: GATEMAP_SECRET_CLUB}, page: 2}
  removal_limit: 100%
  ` + more + `
`)},
	})
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), folder, "test", "test")
	require.NoError(t, err)
	a := &asking{s, t, operator.Service}
	a.run()
	return a
}

// run takes in what the service provider has.
func (a *asking) run() answer.Run {
	a.t.Helper()
	events := a.Events.Listen(a.t.Context())
	r, err := a.Runs.Start(
		a.t.Context(),
		"people",
		intake.ByHand,
		intake.Intaking{Commit: true, Confirm: true, By: a.by},
	)
	require.NoError(a.t, err)
	for {
		select {
		case e := <-events:
			if e.Run != nil && e.Run.ID == r.ID && !e.Run.State.Running() {
				require.Empty(a.t, e.Run.Error)
				return *e.Run
			}
		case <-time.After(20 * time.Second):
			a.t.Fatal("the run does not end")
		}
	}
}

func (a *asking) begin(name string, changes ...stage.Change) error {
	a.t.Helper()
	_, err := a.Trials.Begin(a.t.Context(), a.by, name, "")
	require.NoError(a.t, err)
	_, err = a.Trials.Stage(a.t.Context(), a.by, name, 0, changes)
	return err
}

func (a *asking) commit(name string) (*answer.Committed, error) {
	a.t.Helper()
	trial, err := a.Trials.Find(a.t.Context(), a.by, name)
	require.NoError(a.t, err)
	return a.Commits.Commit(a.t.Context(), a.by, name, changeset.Committing{Version: trial.Version, Reason: "r"})
}

// change stages changes and commits them.
func (a *asking) change(name string, changes ...stage.Change) *answer.Committed {
	a.t.Helper()
	require.NoError(a.t, a.begin(name, changes...))
	done, err := a.commit(name)
	require.NoError(a.t, err)
	return done
}

func set(user, attribute string, value any) stage.Change {
	text, err := json.Marshal(value)
	if err != nil {
		panic(err)
	}
	return stage.Change{Do: stage.SetUser, User: user, Attribute: attribute, Value: text}
}

func memberIDs(g got) (ids []string) {
	list, _ := g.body["members"].([]any)
	for _, m := range list {
		ids = append(ids, m.(map[string]any)["value"].(string))
	}
	return ids
}

// What a service provider has comes in, and what a commit changes is there before it is in force.
func TestAServiceProviderIsReadAndWritten(t *testing.T) {
	c := startClub(t)
	ilse := c.user(
		"ilse.okonjo",
		`,"title":"Observer","name":{"givenName":"Ilse","familyName":"Okonjo"},"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User":{"department":"Optics"}`,
	)
	teo, noor := c.user("teo.marsh", ""), c.user("noor.haddix", `,"active":false`)
	crew := c.group("crew", ilse.id(), teo.id())
	inner := c.group("inner", crew.id())
	a := startAsking(t, c, "write: [members, attributes, active, users]")
	book := a.Head().Atlas.Book
	u, err := book.FindUser("people/ilse.okonjo", "")
	require.NoError(t, err)
	assert.Equal(t, "Optics", book.User(u).First("department"))
	in, err := book.FindGroup("inner", "")
	require.NoError(t, err)
	assert.True(t, book.Subject(u).In(in), "a group in a group")
	assert.Equal(t, answer.RunUnchanged, a.run().State)

	require.NoError(t, a.begin(
		"more",
		set(
			"ilse.okonjo",
			"title",
			"Engineer",
		),
		set("ilse.okonjo", "department", "Mechanics"),
		set("ilse.okonjo", "name.familyName", "Okonjo-Vey"),
		set(
			"teo.marsh",
			"active",
			false,
		),
		stage.Change{Do: stage.Join, Group: "crew", Member: "noor.haddix"},
		stage.Change{Do: stage.Leave, Group: "crew", Member: "teo.marsh"},
	))
	looked, err := a.Commits.Looked(t.Context(), a.by, "more")
	require.NoError(t, err)
	require.Len(t, looked.Writes, 3)
	texts := looked.Writes[0].Text + looked.Writes[1].Text + looked.Writes[2].Text
	assert.Contains(t, texts, "PATCH /Groups/"+crew.id()+"\nIf-Match: W/\"")
	assert.Contains(t, texts, `"path": "members[value eq \"`+teo.id()+`\"]"`)
	_, err = a.commit("more")
	require.NoError(t, err)
	now := c.call("GET", "/Users/"+ilse.id(), "")
	assert.Equal(t, "Engineer", now.at("title"))
	assert.Equal(t, "Okonjo-Vey", now.at("name", "familyName"))
	assert.Equal(t, "Ilse", now.at("name", "givenName"))
	assert.Equal(t, "Mechanics", now.at("urn:ietf:params:scim:schemas:extension:enterprise:2.0:User", "department"))
	assert.Equal(t, false, c.call("GET", "/Users/"+teo.id(), "").at("active"))
	assert.ElementsMatch(t, []string{ilse.id(), noor.id()}, memberIDs(c.call("GET", "/Groups/"+crew.id(), "")))
	assert.Equal(t, []string{crew.id()}, memberIDs(c.call("GET", "/Groups/"+inner.id(), "")))
	assert.Equal(t, answer.RunUnchanged, a.run().State, "the next run finds nothing else")
}

// What somebody else changes there meanwhile is not overwritten, and nothing is written by half.
func TestWhatAServiceProviderHasOtherwiseRefuses(t *testing.T) {
	c := startClub(t)
	ilse, teo := c.user("ilse.okonjo", `,"title":"Observer"`), c.user("teo.marsh", "")
	crew := c.group("crew", ilse.id())
	a := startAsking(t, c, "write: [members, attributes]")
	require.NoError(
		t,
		a.begin(
			"both",
			set("teo.marsh", "title", "Guard"),
			set("ilse.okonjo", "title", "Engineer"),
			stage.Change{Do: stage.Join, Group: "crew", Member: "teo.marsh"},
		),
	)
	c.patch("/Users/"+ilse.id(), `{"op":"replace","path":"title","value":"Cook"}`)
	_, err := a.commit("both")
	var conflict *answer.ConflictError
	require.True(t, errors.As(err, &conflict), "%v", err)
	assert.ErrorContains(
		t,
		err,
		`user ilse.okonjo was changed there meanwhile: there: title "Observer" becomes "Cook"; here: title "Observer" becomes "Engineer"`,
	)
	assert.Nil(t, c.call("GET", "/Users/"+teo.id(), "").at("title"))
	assert.Equal(t, []string{ilse.id()}, memberIDs(c.call("GET", "/Groups/"+crew.id(), "")))
	a.run()
	require.NoError(t, a.begin("again", set("ilse.okonjo", "title", "Engineer")))
	_, err = a.commit("again")
	require.NoError(t, err)
	a.change("name", set("ilse.okonjo", "name", map[string]any{"givenName": "Ilse", "middleName": "M", "familyName": "Okonjo"}))
	a.change("shorter", set("ilse.okonjo", "name", map[string]any{"givenName": "Ilse", "familyName": "Vey"}))
	assert.Equal(t, map[string]any{"givenName": "Ilse", "familyName": "Vey"}, c.call("GET", "/Users/"+ilse.id(), "").at("name"))
	err = a.begin("expires", set("ilse.okonjo", "expires", "2027-01-01T00:00:00Z"))
	require.NoError(t, err)
	_, err = a.commit("expires")
	assert.ErrorContains(t, err, "accounts of a service provider have no end")
	assert.ErrorContains(t, a.begin("wrong", set("ilse.okonjo", "title", []string{"a", "b"})), "title")
}

// A new account is made with what it is to have, and can be put into groups at once.
func TestANewAccountAtAServiceProvider(t *testing.T) {
	c := startClub(t)
	ilse := c.user("ilse.okonjo", "")
	crew := c.group("crew", ilse.id())
	a := startAsking(t, c, "write: [members, attributes, active, users]")
	value := json.RawMessage(
		`{"displayName": "Zofie Ounap", "name.familyName": "Ounap", "department": "Optics", "emails": "zofie@cindervale.example"}`,
	)
	done := a.change(
		"starters",
		stage.Change{Do: stage.CreateUser, User: "people/zofie.ounap", Value: value},
		stage.Change{
			Do:     stage.Join,
			Group:  "crew",
			Member: "people/zofie.ounap",
		},
		stage.Change{Do: stage.Leave, Group: "crew", Member: "ilse.okonjo"},
	)
	require.Len(t, done.Passwords, 1)
	assert.Equal(t, "people/zofie.ounap", done.Passwords[0].User)
	assert.Equal(t, []string{"zofie.ounap"}, c.names(`/Users?filter=userName+eq+"zofie.ounap"`))
	id := memberIDs(c.call("GET", "/Groups/"+crew.id(), ""))
	require.Len(t, id, 1)
	made := c.call("GET", "/Users/"+id[0], "")
	assert.Equal(t, "zofie@cindervale.example", made.at("emails", 0, "value"))
	assert.Equal(t, "Ounap", made.at("name", "familyName"))
	a.change(
		"soon",
		set("zofie.ounap", "title", "Observer"),
		stage.Change{Do: stage.Join, Group: "crew", Member: "ilse.okonjo"},
	)
	assert.ElementsMatch(t, []string{ilse.id(), id[0]}, memberIDs(c.call("GET", "/Groups/"+crew.id(), "")))
	preview := a.run()
	assert.Equal(t, 1, preview.Counts.Changed, "where it stands")
	assert.Zero(t, preview.Counts.ChangedGroups, "groups list the same people")
	book := a.Head().Atlas.Book
	u, err := book.FindUser("people/zofie.ounap", "")
	require.NoError(t, err)
	assert.Equal(t, id[0], book.User(u).ID)
	assert.Equal(t, answer.RunUnchanged, a.run().State)
	require.NoError(
		t,
		a.begin("taken", stage.Change{Do: stage.CreateUser, User: "people/bo"}, set("ilse.okonjo", "title", "Guard")),
	)
	c.user("bo", "")
	_, err = a.commit("taken")
	assert.ErrorContains(t, err, "user bo was changed there meanwhile: there: there is a user of this name already")
	assert.Nil(t, c.call("GET", "/Users/"+ilse.id(), "").at("title"))
	require.NoError(t, a.begin("place", set("ilse.okonjo", "nickName", "I")))
	_, err = a.Trials.Stage(
		t.Context(),
		a.by,
		"place",
		0,
		[]stage.Change{{Do: stage.MoveUser, User: "ilse.okonjo", To: "ou=people,dc=cindervale,dc=example"}},
	)
	assert.ErrorContains(t, err, "stands in no tree")
}

// A group is made with whom the trial makes, in one that is there; it is removed out of that, too.
func TestGroupsAreMadeAndRemovedAtAServiceProvider(t *testing.T) {
	c := startClub(t)
	ilse := c.user("ilse.okonjo", "")
	crew := c.group("crew", ilse.id())
	a := startAsking(t, c, "write: [members, attributes, users, groups]")
	value := json.RawMessage(`{"description": "Who watches", "members": {"users": ["ilse.okonjo", "people/zofie.ounap"]}}`)
	a.change(
		"watch",
		stage.Change{
			Do:   stage.CreateUser,
			User: "people/zofie.ounap",
		},
		stage.Change{Do: stage.CreateGroup, Group: "people/watch", Value: value},
		stage.Change{Do: stage.Join, Group: "crew", Member: "people/watch"},
	)
	assert.Equal(t, 1, a.run().Counts.ChangedGroups, "where the new one stands")
	assert.Equal(t, answer.RunUnchanged, a.run().State)
	assert.Equal(t, []string{"crew", "watch"}, c.names("/Groups"))
	book := a.Head().Atlas.Book
	zofie, err := book.FindUser("zofie.ounap", "")
	require.NoError(t, err)
	in, err := book.FindGroup("crew", "")
	require.NoError(t, err)
	assert.True(t, book.Subject(zofie).In(in))

	require.NoError(t, a.begin("gone", stage.Change{Do: stage.RemoveGroup, Group: "watch"}))
	looked, err := a.Commits.Looked(t.Context(), a.by, "gone")
	require.NoError(t, err)
	require.Len(t, looked.Writes, 3)
	assert.Regexp(t, `^DELETE /Groups/[0-9a-f-]+\nIf-Match: W/"[^"]+"\n$`, looked.Writes[2].Text)
	_, err = a.commit("gone")
	require.NoError(t, err)
	assert.Equal(t, []string{"crew"}, c.names("/Groups"))
	assert.Equal(t, []string{ilse.id()}, memberIDs(c.call("GET", "/Groups/"+crew.id(), "")))
	assert.Equal(t, answer.RunUnchanged, a.run().State)
}

// Records that are pushed are written where they come from, and a source that asks has no tables.
func TestSourcesThatAServiceProviderCannotBe(t *testing.T) {
	for keys, want := range map[string]string{
		"scim: {}\n  write: [members]":                                             "write is not for records that are pushed",
		`scim: {address: "http://127.0.0.1:1/v2"}` + "\n  users: {name: userName}": "users, groups and devices are not for scim",
		`scim: {address: "http://127.0.0.1:1/v2"}` + "\n  follow: stream":          "follow is not for scim",
	} {
		folder, err := content.ReadFS(
			fstest.MapFS{
				"gatemap.yaml": {Data: []byte("title: Cindervale\n")},
				"people.yaml":  {Data: []byte("directory: people\nsource:\n  " + keys + "\n")},
			},
		)
		if err == nil {
			_, _, err = content.Bring(t.Context(), connect.Host{}, folder.Directory("people").Source, func(int) {})
		}
		assert.ErrorContains(t, err, strings.TrimSpace(want))
	}
}
