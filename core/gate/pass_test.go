package gate_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/gate"
	"gatemap/core/situation"
)

// Of several parts of a question, the one in which a line does most counts; nothing is
// noted where it is not asked for.
func TestWhatIsNotedOfALine(t *testing.T) {
	line, late := gate.Line{Name: "s/mapping 1"}, gate.Line{Name: "s/mapping 2"}
	q := &gate.Question{Passes: gate.Passes{}}
	for _, x := range []struct {
		truth situation.Truth
		want  gate.Fate
	}{{situation.False, gate.Unmet}, {situation.Unknown, gate.May}, {situation.False, gate.May}, {situation.True, gate.Decides}, {situation.Unknown, gate.Decides}} {
		q.Note(&line, x.truth)
		assert.Equal(t, x.want, q.Passes[line.Name].Fate)
	}
	q.Overtaken(&late)
	assert.Equal(t, gate.Overtaken, q.Passes[late.Name].Fate)
	q.Overtaken(&line)
	assert.Equal(t, gate.Decides, q.Passes[line.Name].Fate, "it has had its part already")

	quiet := &gate.Question{}
	quiet.Note(&line, situation.True)
	quiet.Overtaken(&line)
	assert.Nil(t, quiet.Passes)

	settled := gate.Pass{Line: "s/x"}.Settled()
	assert.NotNil(t, settled.Needs)
	assert.NotNil(t, settled.Lacks)
}
