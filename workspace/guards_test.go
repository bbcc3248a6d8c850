package workspace_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/scim"
	"gatemap/service/intake"
)

// What a run would empty, or make active, for too many people is held like a removal.
func TestRunsThatEmptyOrReviveAreHeld(t *testing.T) {
	list := func(title, status string, n int) string {
		var b strings.Builder
		b.WriteString("name,title,status\n")
		for i := range 40 {
			x := [2]string{"Observer", "open"}
			if i < 20 {
				x[1] = "closed"
			}
			if i < n {
				if title != "=" {
					x[0] = title
				}
				if status != "=" {
					x[1] = status
				}
			}
			fmt.Fprintf(&b, "p%d,%s,%s\n", i, x[0], x[1])
		}
		return b.String()
	}
	o := startObservatory(t, map[string]string{
		"map.yaml": "directory: club\nsource: {csv: {file: club.csv}, users: {name: name, disabled: (status=closed), attributes: {title: title}}}\n", "club.csv": list("=", "=", 0),
	})
	for _, c := range []struct{ name, content, held string }{
		{"a few titles", list("", "=", 2), ""},
		{"the titles of all", list("", "=", 40), "it would empty title for 38 of 40 people; the removal limit of the source is 5%"},
		{"accounts that come to life", list("=", "open", 20), "it would make 20 inactive accounts of 40 active"},
	} {
		o.write("club.csv", c.content)
		p := o.run("club", intake.Intaking{Commit: true})
		if c.held == "" {
			assert.Equal(t, answer.RunCommitted, p.Run.State, c.name)
			continue
		}
		assert.Equal(t, answer.RunHeld, p.Run.State, c.name)
		assert.Contains(t, p.Run.Held, c.held, c.name)
	}
	assert.Equal(t, "Observer", o.attribute("p30", "title"))

	// A column that is gone is no empty column.
	o.write("club.csv", "name,titel,status\np1,x,open\n")
	p := o.run("club", intake.Intaking{Commit: true, Confirm: true})
	assert.Equal(t, answer.RunFailed, p.Run.State)
	assert.Contains(t, p.Run.Error, `"title" (perhaps titel)`)
	require.Equal(t, "Observer", o.attribute("p30", "title"))
}

// pushUser pushes a user.
func (o *observatory) pushUser(named string) error {
	return o.Pushes.Push(ctx, "club", "test", func(d *scim.Directory) (*scim.Directory, error) {
		next, _, err := d.Create(
			connect.User,
			map[string]any{"schemas": []any{scim.UserSchema}, "userName": named, "title": named},
			time.Now(),
		)
		return next, err
	})
}

func (o *observatory) pushRemoval(named string) error {
	return o.Pushes.Push(ctx, "club", "test", func(d *scim.Directory) (*scim.Directory, error) {
		u, ok := d.Named(connect.User, named)
		require.True(o.t, ok)
		return d.Delete(u, time.Now()), nil
	})
}

func (o *observatory) users() int { return o.Head().Atlas.Book.UserCount() }

// What pushes take away within minutes is held like a run that does, and what is pushed
// meanwhile stays when it is confirmed.
func TestPushesThatRemoveTooMuchAreHeld(t *testing.T) {
	o := startObservatory(t, map[string]string{"club.yaml": "directory: club\nsource: {scim: {}}\n"})
	for i := range 40 {
		require.NoError(t, o.pushUser(fmt.Sprintf("p%d", i)))
	}
	require.NoError(t, o.pushRemoval("p0"))
	require.NoError(t, o.pushRemoval("p1"), "two of 40")
	require.NoError(t, o.Close())
	o.open() // what was taken before a start counts too
	var held *answer.ConflictError
	require.True(t, errors.As(o.pushRemoval("p2"), &held))
	assert.Contains(
		t,
		held.Message,
		"it would deactivate or remove 3 of 40 active users (7.5%); the removal limit of the source is 5%",
	)
	require.NoError(t, o.pushUser("ida"), "what takes nothing away goes on")
	require.True(t, errors.As(o.pushRemoval("p3"), &held))
	assert.Equal(t, 39, o.users())

	list, err := o.Journal.List(ctx, "club", 10, "")
	require.NoError(t, err)
	require.Len(t, list.Runs, 1, "they wait together")
	run := list.Runs[0]
	assert.Equal(t, []any{answer.RunHeld, "push", 2}, []any{run.State, run.How, run.Counts.Left})
	_, err = o.Runs.Commit(ctx, run.ID, run.Version, false, ada)
	require.True(t, errors.As(err, &held))
	_, err = o.Runs.Commit(ctx, run.ID, run.Version, true, ada)
	require.NoError(t, err)
	assert.Equal(t, 37, o.users())
	assert.True(t, o.active("ida"))
	d, err := o.Pushes.Pushed("club")
	require.NoError(t, err)
	_, there := d.Named(connect.User, "p2")
	assert.False(t, there)
}

// An account that was pushed under the name of one that was removed gets nothing that
// documents give to that name, until someone has looked.
func TestAPushUnderAReusedNameIsHeld(t *testing.T) {
	o := startObservatory(
		t,
		map[string]string{
			"club.yaml": "directory: club\nsource: {scim: {}}\nusers: [{userName: bo}]\n---\nsystem: doors\ntype: firewall\nzones: {yard: [192.0.2.0/26]}\nrules: [{name: ida, action: permit, users: [ida], to: [yard]}]\n",
		},
	)
	require.NoError(t, o.pushUser("ida"))
	assert.Equal(t, []string{"ida"}, o.openTo("yard"))
	require.NoError(t, o.pushRemoval("ida"))
	var held *answer.ConflictError
	require.True(t, errors.As(o.pushUser("ida"), &held))
	assert.Contains(t, held.Message, "name-reused")
	assert.Empty(t, o.openTo("yard"))
}

// What files of a folder bring is held at a start, too; the rest of the folder is taken.
func TestAFolderThatRemovesTooMuchIsHeld(t *testing.T) {
	list := func(n int) string {
		var b strings.Builder
		b.WriteString("name\n")
		for i := range n {
			fmt.Fprintf(&b, "p%d\n", i)
		}
		return b.String()
	}
	const doc = "directory: club\nsource: {csv: {file: club.csv}, users: {name: name, attributes: {}}}\n"
	o := startObservatory(t, map[string]string{"map.yaml": doc, "club.csv": list(40)})
	o.write("club.csv", list(3))
	o.write("map.yaml", doc+"---\ndirectory: ridge\nusers: [{userName: bo}]\n")
	for range 2 {
		o.commitFolder()
		assert.Equal(t, 41, o.users(), "with bo")
		require.NoError(t, o.Close())
		o.open()
	}
	o.commitFolder()
	runs, err := o.Journal.List(ctx, "club", 10, "")
	require.NoError(t, err)
	require.NotEmpty(t, runs.Runs)
	run := runs.Runs[0]
	assert.Equal(t, []any{answer.RunHeld, "folder"}, []any{run.State, run.How})
	assert.Contains(t, run.Held, "remove 37 of 40 active users")
	_, err = o.Runs.Commit(ctx, run.ID, run.Version, true, ada)
	require.NoError(t, err)
	assert.Equal(t, 4, o.users())
}

// What a run changed can be read for as long as the run is listed, after a start too, and
// in the history.
func TestWhatARunChangedStays(t *testing.T) {
	const doc = "directory: club\nsource: {csv: {file: club.csv}, removal_limit: 100%, users: {name: name, attributes: {title: title}}}\n"
	o := startObservatory(t, map[string]string{"map.yaml": doc, "club.csv": "name,title\nbo,Cook\n"})
	o.write("club.csv", "name,title\nbo,Chef\nida,Cook\n")
	first := o.run("club", intake.Intaking{Commit: true})
	o.write("club.csv", "name,title\nida,Cook\n")
	second := o.run("club", intake.Intaking{Commit: true})
	require.NoError(t, o.Close())
	o.open()
	for _, was := range []*answer.Preview{first, second} {
		is, err := o.Journal.Preview(ctx, was.Run.ID)
		require.NoError(t, err)
		assert.Equal(t, was.Changed, is.Changed)
		assert.Equal(t, was.Left, is.Left)
		assert.Equal(t, answer.RunCommitted, is.Run.State)
	}
	r, err := o.History.Revision(ctx, first.Run.Revision)
	require.NoError(t, err)
	assert.Equal(t, []string{"club: ida joins", `club: bo: title "Cook" becomes "Chef"`}, r.Changes)
	r, err = o.History.Revision(ctx, second.Run.Revision)
	require.NoError(t, err)
	assert.Equal(t, []string{"club: bo leaves"}, r.Changes)
}
