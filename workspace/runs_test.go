package workspace_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/service/intake"
)

// Runs that come by themselves and change nothing are one line, that counts them.
func TestRunsThatChangeNothingAreOneLine(t *testing.T) {
	o := startObservatory(t, map[string]string{
		"map.yaml": "directory: club\nsource: {csv: {file: club.csv}, every: 20ms, users: {name: name, attributes: {title: title}}}\n", "club.csv": "name,title\nbo,Cook\n",
	})
	o.Follower.Follow()
	runs := func() []answer.Run {
		list, err := o.Journal.List(ctx, "club", 100, "")
		require.NoError(t, err)
		return list.Runs
	}
	require.Eventually(
		t,
		func() bool { r := runs(); return len(r) > 0 && r[0].Times > 4 },
		20*time.Second,
		20*time.Millisecond,
	)
	assert.LessOrEqual(t, len(runs()), 2, "with one that is at work")
	o.write("club.csv", "name,title\nbo,Chef\n")
	require.Eventually(t, func() bool { return o.attribute("bo", "title") == "Chef" }, 20*time.Second, 20*time.Millisecond)
	before := o.Head().Revision.Number
	require.Eventually(
		t,
		func() bool { r := runs(); return len(r) > 2 && r[0].Times > 2 },
		20*time.Second,
		20*time.Millisecond,
	)
	list := runs()
	committed := 0
	for _, r := range list {
		if r.State == answer.RunCommitted {
			committed++
			assert.Equal(t, before, r.Revision)
		}
	}
	assert.Equal(t, 1, committed, "what changed something stays in the log")
	hand := o.run("club", intake.Intaking{})
	assert.Equal(t, answer.RunUnchanged, hand.Run.State)
	assert.Zero(t, hand.Run.Times, "one by hand is its own line")
}
