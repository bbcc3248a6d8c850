package notices

import (
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/notice"
)

// What stands of a directory is what its newest run says that says something: a run that a start cut
// off does not end a failure.
func TestWhatStandsOfADirectory(t *testing.T) {
	run := func(id int64, state answer.RunState) answer.Run {
		return answer.Run{ID: id, State: state, RunReport: answer.RunReport{Error: "no answer.", Held: "too much"}}
	}
	for _, c := range []struct {
		name   string
		states []answer.RunState
		topic  notice.Topic
		text   string
	}{
		{"never read", nil, "", ""},
		{"well", []answer.RunState{answer.RunUnchanged, answer.RunFailed}, "", ""},
		{"waits for its commit", []answer.RunState{answer.RunWaiting, answer.RunFailed}, "", ""},
		{"failed", []answer.RunState{answer.RunFailed, answer.RunCommitted}, notice.Connection, "The directory club cannot be read: no answer."},
		{"tried again", []answer.RunState{answer.RunReading, answer.RunFailed}, notice.Connection, "The directory club cannot be read: no answer."},
		{"cut off by a start", []answer.RunState{answer.RunComparing, answer.RunCutOff, answer.RunFailed}, notice.Connection, "The directory club cannot be read: no answer."},
		{"held", []answer.RunState{answer.RunHeld, answer.RunFailed}, notice.Intake, "Run 1 of the directory club is held: too much."},
		{"held and discarded", []answer.RunState{answer.RunDiscarded, answer.RunCommitted}, "", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			var runs []answer.Run
			for i, state := range c.states {
				runs = append(runs, run(int64(i+1), state))
			}
			one := standsOf("club", runs)
			if c.topic == "" {
				assert.Nil(t, one)
				return
			}
			require.NotNil(t, one)
			assert.Equal(t, []any{c.topic, "club", c.text}, []any{one.Topic, one.Of, one.Text})
			assert.Regexp(t, "gatemap (directory test club|intake show 1)", one.Fix)
		})
	}
}
