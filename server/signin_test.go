package server_test

import (
	"fmt"
	"runtime"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Many sign-ins at once take neither the memory of the host nor more tries than as many
// one after the other.
func TestManySignInsAtOnce(t *testing.T) {
	r := start(t)
	var mu sync.Mutex
	statuses := map[int]int{}
	var peak uint64
	done := make(chan struct{})
	var watch, work sync.WaitGroup
	watch.Go(func() {
		for {
			var m runtime.MemStats
			runtime.ReadMemStats(&m)
			peak = max(peak, m.HeapInuse)
			select {
			case <-done:
				return
			case <-time.After(5 * time.Millisecond):
			}
		}
	})
	for i := range 60 {
		work.Go(func() {
			name := fmt.Sprint("n", i)
			if i < 30 {
				name = "nadia"
			}
			status := r.status(t, "POST", "/api/v1/sign-in", "", fmt.Sprintf(`{"name":%q,"password":"eleven domes in a row"}`, name))
			mu.Lock()
			defer mu.Unlock()
			statuses[status]++
		})
	}
	work.Wait()
	close(done)
	watch.Wait()
	assert.Equal(t, 60, statuses[401]+statuses[429]+statuses[503], "%v", statuses)
	assert.Positive(t, statuses[401])
	assert.LessOrEqual(t, statuses[401], 20, "as many tries as an address has")
	assert.Less(t, peak, uint64(700<<20), "at most a few hashes of 64 MiB")
}
