// Package serving starts the demo's service beside a real system on this machine, for programs that
// show both together.
package serving

import (
	"context"
	"errors"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"syscall"
)

// Beside is a real system that runs, and how the service is started beside it.
type Beside struct {
	Says string   // what is told of it first
	Args []string // of gatemap serve
	Env  []string // variables with the secrets that the map names
	Stop func()   // stops the system
}

// Main starts a system in a folder of its own and bin/gatemap beside it, and waits until it is told
// to stop.
func Main(start func(ctx context.Context, dir string) (Beside, error)) {
	ctx, stop := signal.NotifyContext(context.Background(), syscall.SIGINT, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, start); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}

func run(ctx context.Context, start func(ctx context.Context, dir string) (Beside, error)) error {
	dir, err := os.MkdirTemp("", "gatemap-demo")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	b, err := start(ctx, dir)
	if err != nil {
		return err
	}
	defer b.Stop()
	fmt.Print(b.Says)
	cmd := exec.CommandContext(ctx, "bin/gatemap", append(append([]string{"serve"}, b.Args...), os.Args[1:]...)...)
	cmd.Env = append(os.Environ(), b.Env...)
	cmd.Stdout, cmd.Stderr = os.Stdout, os.Stderr
	cmd.Cancel = func() error { return cmd.Process.Signal(syscall.SIGTERM) }
	if err := cmd.Run(); err != nil && !errors.Is(ctx.Err(), context.Canceled) {
		return err
	}
	return nil
}
