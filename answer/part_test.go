package answer_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/answer"
)

// An answer that is whole says nothing of parts; one that is not says what is missing, and
// how to come to it.
func TestWhatIsMissing(t *testing.T) {
	for _, c := range []struct {
		answer interface{ Missing() string }
		want   string
	}{
		{&answer.Outcome{}, ""},
		{&answer.Outcome{Next: "MTAw"}, "there is more after it: --cursor MTAw"},
		{&answer.Outcome{Looked: 1}, "computed for 1 person of those that it may touch"},
		{&answer.Outcome{Looked: 200, Next: "MTAw"}, "computed for 200 people of those that it may touch, and there is more after it: --cursor MTAw"},
		{&answer.Page{}, ""},
		{&answer.Page{Next: "Mw"}, "there is more after it: --cursor Mw"},
		{&answer.Revisions{Next: "Mw"}, "there is more after it: --cursor Mw"},
		{&answer.Runs{Next: "Mw"}, "there is more after it: --cursor Mw"},
		{&answer.Preview{Touched: 7, Looked: 7}, ""},
		{&answer.Preview{Touched: 7, Looked: 3}, "gains and losses are computed for 3 of the 7 people that the run touches"},
	} {
		assert.Equal(t, c.want, c.answer.Missing(), "%+v", c.answer)
	}
}

// A line is off where what is written there says so, and nowhere else.
func TestLinesThatAreOff(t *testing.T) {
	for value, want := range map[string]bool{
		`{"groups":["crew"],"off":true}`: true, `{"groups":["crew"],"off":false}`: false,
		`{"groups":["crew"]}`: false, `"off"`: false, ``: false, `{"except":{"off":true}}`: false,
	} {
		line := answer.Line{Value: []byte(value)}
		assert.Equal(t, want, line.IsOff(), value)
	}
}
