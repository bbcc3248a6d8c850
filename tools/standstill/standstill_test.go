package standstill_test

import (
	"bufio"
	"os/exec"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"gatemap/tools/standstill"
)

// What is frozen writes nothing more, and goes on when it is thawed.
func TestAFrozenProcessStandsStill(t *testing.T) {
	c := exec.Command("yes")
	out, err := c.StdoutPipe()
	require.NoError(t, err)
	require.NoError(t, c.Start())
	defer func() { _ = c.Process.Kill() }()
	lines := make(chan struct{}, 1<<20)
	go func() {
		for s := bufio.NewScanner(out); s.Scan(); {
			select {
			case lines <- struct{}{}:
			default:
			}
		}
	}()
	<-lines
	require.NoError(t, standstill.Freeze(c.Process.Pid))
	time.Sleep(50 * time.Millisecond) // what it had written before is read
	for len(lines) > 0 {
		<-lines
	}
	time.Sleep(50 * time.Millisecond)
	require.Empty(t, lines)
	require.NoError(t, standstill.Thaw(c.Process.Pid))
	<-lines
	require.Error(t, standstill.Freeze(1<<30))
}
