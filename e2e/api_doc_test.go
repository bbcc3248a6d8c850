package e2e

import (
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// apiProgram is the program around the Go of docs/api.md.
const apiProgram = `package main

import (
	"context"
	"fmt"
	"log"
	"net/netip"
	"os"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/client"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/stage"
)

func check(err error) {
	if err != nil {
		log.Fatal(err)
	}
}

func main() {
	ctx := context.Background()
	`

// The tasks of docs/api.md can be done as it says, in curl and in Go, and both are told the same.
func TestTheTasksOfTheAPI(t *testing.T) {
	raw, err := os.ReadFile("../docs/api.md")
	require.NoError(t, err)
	blocks := func(language string) []string {
		var all []string
		for _, m := range regexp.MustCompile("(?ms)^```"+language+"\n(.*?)^```$").FindAllStringSubmatch(string(raw), -1) {
			all = append(all, m[1])
		}
		return all
	}
	shell, program := blocks("sh"), blocks("go")
	require.Len(t, shell, 11, "one to begin with, and one a task")
	require.Len(t, program, 11)
	said := func(name string, args ...string) string {
		t.Helper()
		demo := startDemo(t, "--data", t.TempDir())
		cmd := exec.Command(name, args...)
		cmd.Env = append(os.Environ(), demo.env()...)
		cmd.Dir = ".."
		out, err := cmd.CombinedOutput()
		require.NoError(t, err, "%s", out)
		return string(out)
	}
	bySh := said("bash", "-euo", "pipefail", "-c", strings.Join(shell, "\n"))
	file := filepath.Join(t.TempDir(), "main.go")
	require.NoError(t, os.WriteFile(file, []byte(apiProgram+strings.Join(program, "\n")+"}\n"), 0o600))
	byGo := said("go", "run", file)
	for _, want := range []string{"archive /raw frames:read", "Ilse Okonjo (cindervale/ilse.okonjo) holds frames:write on /raw/2026 in archive", "cindervale/", "unknown-name:", "the network team can ping", "Switches nobody pings in rules of core-net off."} {
		assert.Contains(t, bySh, want)
		assert.Contains(t, byGo, want)
	}
}
