package rule_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Of several parts of a question, the one in which a line does most counts; nothing is
// noted where it is not asked for.
func TestWhatIsNotedOfALine(t *testing.T) {
	line, late := &rule.Rule{Line: rule.Line{Name: "s/mapping 1"}}, &rule.Rule{Line: rule.Line{Name: "s/mapping 2"}}
	q := &rule.Question{Passes: rule.Passes{}}
	for _, x := range []struct {
		truth situation.Truth
		want  rule.Fate
	}{{situation.False, rule.Unmet}, {situation.Unknown, rule.May}, {situation.False, rule.May}, {situation.True, rule.Decides}, {situation.Unknown, rule.Decides}} {
		q.Note(line, x.truth)
		assert.Equal(t, x.want, q.Passes[line.Name].Fate)
	}
	q.Overtaken(&late.Line)
	assert.Equal(t, rule.Overtaken, q.Passes[late.Name].Fate)
	q.Overtaken(&line.Line)
	assert.Equal(t, rule.Decides, q.Passes[line.Name].Fate, "it has had its part already")

	quiet := &rule.Question{}
	quiet.Note(line, situation.True)
	quiet.Overtaken(&line.Line)
	assert.Nil(t, quiet.Passes)

	settled := rule.Pass{Line: "s/x"}.Settled()
	assert.NotNil(t, settled.Needs)
	assert.NotNil(t, settled.Lacks)
}
