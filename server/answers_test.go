package server

import (
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/service/content"
	"gatemap/service/query"
)

// What is asked once leaves the question alone, what is asked again its answer; together they stay
// within the bytes that there are.
func TestAnswersAreKeptWhenTheyAreAskedForAgain(t *testing.T) {
	k, head := newKept(), &query.Head{}
	_, asked := k.get(head, "q")
	require.False(t, asked)
	k.put(head, "q", keptAnswer{})
	a, asked := k.get(head, "q")
	assert.True(t, asked)
	assert.Nil(t, a.body)
	k.put(head, "q", keptAnswer{body: []byte("open")})
	a, _ = k.get(head, "q")
	assert.Equal(t, "open", string(a.body))
	assert.Equal(t, len("qopen")+around, k.bytes)
	k.put(head, "q", keptAnswer{})
	a, _ = k.get(head, "q")
	assert.Equal(t, "open", string(a.body), "one who asked at the same time, for the first time, takes no answer away")

	long := []byte(strings.Repeat("x", longestKept/2))
	for i := range 300 {
		k.put(head, strings.Repeat("q", i), keptAnswer{body: long})
		assert.LessOrEqual(t, k.bytes, keptBytes)
	}
	assert.Greater(t, k.bytes, keptBytes-longestKept)
	_, asked = k.get(&query.Head{}, "q")
	assert.False(t, asked, "another revision")
}

func TestWhatIsTakenDownOfAnAnswer(t *testing.T) {
	for name, c := range map[string]struct {
		copy answerCopy
		body string
	}{
		"asked once":           {answerCopy{began: time.Now()}, ""},
		"asked again":          {answerCopy{began: time.Now(), asked: true}, "open"},
		"asked once, and long": {answerCopy{began: time.Now().Add(-time.Second)}, "open"},
		"too much":             {answerCopy{asked: true, written: longestKept}, ""},
	} {
		for _, p := range []string{"op", "en"} {
			n, err := c.copy.Write([]byte(p))
			require.NoError(t, err)
			assert.Equal(t, 2, n)
		}
		assert.Equal(t, c.body, string(c.copy.body), name)
	}
}

// The schema that is served is that of gatemap schema, without spaces.
func TestTheSchemaIsServedCompact(t *testing.T) {
	schema, err := content.Schema()
	require.NoError(t, err)
	compact, err := content.CompactSchema()
	require.NoError(t, err)
	assert.JSONEq(t, string(schema), string(compact))
	assert.Less(t, len(compact), len(schema)/2)
}
