package keeping_test

import (
	"context"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/service/events"
	"gatemap/service/keeping"
)

// What is asked for in the same way goes on; what is asked for otherwise ends and begins anew; what
// is not asked for any more ends; and all of it ends with the context.
func TestGoing(t *testing.T) {
	ctx, end := context.WithCancel(t.Context())
	revisions := make(chan events.Event)
	var contexts []context.Context
	begin := func(own context.Context) { contexts = append(contexts, own) }
	asked := []map[string]keeping.Wanted{
		{"a": {As: 1, Begin: begin}},
		{"a": {As: 1, Begin: begin}},
		{"a": {As: 2, Begin: begin}},
		{},
		{"a": {As: 2, Begin: begin}},
	}
	var begun, ended []int
	times := 0
	var all sync.WaitGroup
	all.Go(func() {
		keeping.Going(ctx, revisions, func() map[string]keeping.Wanted {
			count := 0
			for _, c := range contexts {
				if c.Err() != nil {
					count++
				}
			}
			begun, ended = append(begun, len(contexts)), append(ended, count)
			times++
			return asked[times-1]
		})
	})
	for range asked[1:] {
		revisions <- events.Event{Trial: "no revision"}
		revisions <- events.Event{Revision: 7}
	}
	end()
	close(revisions)
	all.Wait()
	assert.Equal(t, []int{0, 1, 1, 2, 2}, begun)
	assert.Equal(t, []int{0, 0, 0, 1, 2}, ended)
	assert.Len(t, contexts, 3)
	for _, c := range contexts {
		assert.Error(t, c.Err())
	}
}
