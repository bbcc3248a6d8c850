package workspace_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/place"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/service/sourcecheck"
)

// roll is a connector made up here: a list of names that stands in the map, and names that
// are called out while it is followed. Nothing outside this file knows of it.
type roll struct {
	Place place.Place  `yaml:"-"`
	Names []place.Text `yaml:"names,required" doc:"Who is there."`
}

var called = make(chan string)

var rollCall = connect.Connector{
	Name: "roll", Doc: "A list of names.", New: func() connect.Document { return &roll{} },
	From: connect.Server, Follows: []string{"stream"}, Selects: true,
}

func (r *roll) Connector() connect.Connector { return rollCall }
func (r *roll) Targets() []string            { return nil }

func (r *roll) take(j *connect.Job, named string, to *connect.Records) {
	j.Tables.TakeAs(
		connect.User,
		&connect.Entry{Attributes: []connect.Attribute{{Type: "name", Values: []place.Text{{Value: named}}}}},
		to,
	)
}

func (r *roll) Read(
	_ context.Context,
	j *connect.Job,
	progress func(int),
) (all connect.Records, server string, err error) {
	for _, n := range r.Names {
		r.take(j, n.Value, &all)
	}
	progress(len(r.Names))
	return all, "the caller", nil
}

func (r *roll) Check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	all, _, _ := r.Read(ctx, j, func(int) {})
	tell(connect.Step{Name: "roll", Detail: all.Sizes()})
	return &connect.Checked{Records: &all, Close: func() {}}
}

func (r *roll) Follow(ctx context.Context, j *connect.Job, o connect.Observer) error {
	return o.Everything(func(progress func(int), done func(connect.Records, string) error) error {
		all, server, err := r.Read(ctx, j, progress)
		if err != nil {
			return err
		}
		if err := done(all, server); err != nil {
			return err
		}
		for {
			select {
			case <-ctx.Done():
				return ctx.Err()
			case named := <-called:
				var p connect.Patch
				r.take(j, named, &p.Put)
				if err := o.Change(p, server); err != nil {
					return err
				}
			}
		}
	})
}

// A connector from outside is one entry of the table: it is read, tested, followed and
// listed like any other.
func TestAConnectorFromOutsideWorksEverywhere(t *testing.T) {
	before := connectors.Table
	connectors.Table = append(before[:len(before):len(before)], rollCall)
	t.Cleanup(func() { connectors.Table = before })
	o := startObservatory(t, map[string]string{
		"map.yaml": "directory: club\nsource: {roll: {names: [bo, ida]}, follow: stream, users: {name: name, attributes: {}}}\n",
	})
	checked, err := o.Runs.TestDirectory(ctx, "club", sourcecheck.Tested{User: "bo"}, func(answer.Step) {})
	require.NoError(t, err)
	assert.Equal(
		t,
		answer.Step{Name: "roll", State: "good", Detail: "2 users, 0 groups, 0 devices, 0 rejected"},
		checked.Steps[0],
	)
	run := o.run("club", intake.Intaking{Commit: true})
	assert.Equal(t, answer.RunCommitted, run.Run.State)
	assert.Equal(t, "the caller", run.Run.Server)
	o.Follower.Follow()
	select {
	case called <- "teo":
	case <-time.After(20 * time.Second):
		t.Fatal("the roll is not followed")
	}
	require.Eventually(t, func() bool { return o.Head().Atlas.Book.UserCount() == 3 }, 20*time.Second, time.Millisecond)
	all, err := o.Runs.Directories(ctx)
	require.NoError(t, err)
	assert.Equal(t, "roll", all.Directories[0].Source)
	o.write("map.yaml", "directory: club\nsource: {roll: {nmes: [bo]}, users: {name: name}}\n")
	_, err = content.ReadFolder(o.dir)
	assert.ErrorContains(t, err, "map.yaml:2:17: unknown key \"nmes\"; did you mean names?")
}
