package access

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// Who guesses waits from the answer on, also where the answer took longer than the wait.
func TestWaitsCountFromTheAnswer(t *testing.T) {
	guesses := newThrottle()
	now := time.Date(2026, 11, 29, 18, 0, 0, 0, time.UTC)
	for range freeTries {
		assert.Zero(t, guesses.begin("edda", "192.0.2.1", now))
		now = now.Add(2 * shortestWait)
		guesses.failed("edda", "192.0.2.1", now)
	}
	assert.Equal(t, shortestWait, guesses.begin("edda", "192.0.2.1", now))
	assert.Zero(t, guesses.begin("edda", "192.0.2.2", now), "nobody waits for what others try elsewhere")
	assert.LessOrEqual(t, guesses.begin("edda", "192.0.2.1", now.Add(shortestWait)), time.Duration(0))
}
