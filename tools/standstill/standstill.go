// Package standstill makes processes of tests stand still.
package standstill

import (
	"fmt"
	"os"
	"path/filepath"
	"strings"
	"syscall"
	"time"
)

// Freeze stops a process until Thaw. It waits until all of its threads stand still: after the signal
// alone, some go on for a moment on a busy machine (signal(7)).
func Freeze(pid int) error {
	if err := syscall.Kill(pid, syscall.SIGSTOP); err != nil {
		return err
	}
	for range 2000 {
		if still, err := stands(pid); still || err != nil {
			return err
		}
		time.Sleep(5 * time.Millisecond)
	}
	return fmt.Errorf("process %d does not stand still", pid)
}

// Thaw lets a process go on.
func Thaw(pid int) error { return syscall.Kill(pid, syscall.SIGCONT) }

// stands says whether all threads of a process are stopped (proc(5)).
func stands(pid int) (bool, error) {
	threads, err := filepath.Glob(fmt.Sprintf("/proc/%d/task/*/stat", pid))
	if err != nil || len(threads) == 0 {
		return false, fmt.Errorf("there is no process %d", pid)
	}
	for _, path := range threads {
		text, err := os.ReadFile(path)
		if os.IsNotExist(err) {
			continue // it has ended
		}
		if err != nil {
			return false, err
		}
		_, state, _ := strings.Cut(string(text[strings.LastIndexByte(string(text), ')'):]), " ")
		if strings.ContainsRune("RSD", rune(state[0])) {
			return false, nil
		}
	}
	return true, nil
}
