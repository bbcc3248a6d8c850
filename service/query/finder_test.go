package query

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/check"
	"gatemap/core/finding"
	"gatemap/demo"
	"gatemap/service/content"
)

// What was found so far is there at once, says that more may come, and is everything in the
// end, in the order in which all findings come.
func TestFindingsComeAsTheyAreFound(t *testing.T) {
	f, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	a, err := f.Compile("demo")
	require.NoError(t, err)
	x := newFinder(a)
	x.begin.Do(func() {}) // the analyzers are told of by hand here
	list, whole := x.soFar(time.Millisecond)
	assert.Empty(t, list)
	assert.False(t, whole)
	found := make([][]finding.Finding, len(check.Analyzers))
	check.Look(a, func(analyzer int, list []finding.Finding) { found[analyzer] = list })
	total := 0
	for i := len(found) - 1; i >= 0; i-- {
		x.take(i, found[i])
		total += len(found[i])
		list, whole = x.soFar(0)
		assert.Len(t, list, total)
		assert.Equal(t, i == 0, whole)
	}
	assert.Equal(t, check.Findings(a), list)
	assert.Equal(t, check.Findings(a), From(a).Found())
}

func TestAPageOfWhatWasFoundSoFar(t *testing.T) {
	f, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	a, err := f.Compile("demo")
	require.NoError(t, err)
	asked := From(a)
	all := asked.Found()
	Cut := asked.FoundSoFar(answer.Wanted{}, 3)
	assert.False(t, Cut.Pending)
	assert.Equal(t, all[:3], Cut.Findings)
	assert.Equal(t, len(all), Cut.Total)
	assert.NotEmpty(t, Cut.Next)
	pending := Checks{atlas: a, finder: newFinder(a)}
	pending.finder.begin.Do(func() {})
	Cut = pending.FoundSoFar(answer.Wanted{}, 3)
	assert.True(t, Cut.Pending)
	assert.Empty(t, Cut.Next)
}
