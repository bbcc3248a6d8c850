package e2e

import (
	"debug/elf"
	"os"
	"os/exec"
	"path/filepath"
	"regexp"
	"strings"
	"testing"

	"github.com/spf13/cobra"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/cli"
)

// output runs a program and gives what it prints.
func output(t testing.TB, name string, args ...string) string {
	t.Helper()
	out, err := exec.Command(name, args...).CombinedOutput()
	require.NoError(t, err, "%s %s: %s", name, strings.Join(args, " "), out)
	return string(out)
}

// The package is unpacked, looked at, and what is in it started with its own configuration.
func TestThePackage(t *testing.T) {
	stage, root := filepath.Join(t.TempDir(), "stage"), t.TempDir()
	build := exec.Command("go", "run", "./tools/package", "--out", stage, "--version", "9.8.7")
	build.Dir = ".."
	out, err := build.CombinedOutput()
	require.NoError(t, err, "%s", out)
	debs, err := filepath.Glob(filepath.Join(stage, "*.deb"))
	require.NoError(t, err)
	require.Len(t, debs, 1)
	output(t, "dpkg-deb", "-x", debs[0], root)
	in := func(parts ...string) string { return filepath.Join(append([]string{root}, parts...)...) }
	read := func(parts ...string) string {
		raw, err := os.ReadFile(in(parts...))
		require.NoError(t, err)
		return string(raw)
	}

	program := in("usr/bin/gatemap")
	binary, err := elf.Open(program)
	require.NoError(t, err)
	libraries, err := binary.ImportedLibraries()
	require.NoError(t, err)
	assert.Empty(t, libraries, "it is linked statically")
	assert.Contains(t, output(t, program, "--version"), "9.8.7")

	// The unit is right, and shuts the service in.
	unit := filepath.Join(t.TempDir(), "gatemap.service")
	require.NoError(
		t,
		os.WriteFile(
			unit,
			[]byte(strings.ReplaceAll(read("usr/lib/systemd/system/gatemap.service"), "/usr/bin/", in("usr/bin")+"/")),
			0o600,
		),
	)
	assert.Empty(t, output(t, "systemd-analyze", "verify", "--man=no", unit))
	output(t, "systemd-analyze", "security", "--offline=true", "--threshold=20", unit)

	// Each command has a manual page, and no text of it is lost.
	for _, c := range commandsOf(cli.Command()) {
		page := in("usr/share/man/man1", strings.ReplaceAll(c.CommandPath(), " ", "-")+".1.gz")
		if !assert.FileExists(t, page) {
			continue
		}
		text := squeezed(output(t, "env", "MANWIDTH=3000", "man", "-E", "UTF-8", "-l", page))
		for line := range strings.Lines(c.Long) {
			assert.Contains(t, text, squeezed(strings.TrimPrefix(strings.TrimSpace(line), "- ")), "%s", c.CommandPath())
		}
	}
	for _, file := range []string{"usr/share/bash-completion/completions/gatemap", "usr/share/zsh/vendor-completions/_gatemap", "usr/share/fish/vendor_completions.d/gatemap.fish"} {
		assert.Contains(t, read(file), "gatemap")
	}

	// All that the program contains has its licence.
	list := read("usr/share/doc/gatemap/licences/LIST")
	for _, module := range regexp.MustCompile(`(?m)^\tdep\t(\S+)`).FindAllStringSubmatch(output(t, "go", "version", "-m", program), -1) {
		assert.Contains(t, list, module[1]+" ")
	}
	for _, part := range []string{"go ", "svelte ", "d3-scale ", "@fontsource/alegreya-sans "} {
		assert.Contains(t, list, part)
	}

	// It starts with the configuration of the package, but for the places.
	data := t.TempDir()
	config := regexp.MustCompile(`/(var/lib|etc)/`).ReplaceAllString(read("etc/gatemap/gatemap.yaml"), data+"/$1/")
	config = strings.Replace(config, "#listen: 127.0.0.1:8470", "listen: 127.0.0.1:0", 1)
	file := filepath.Join(data, "gatemap.yaml")
	require.NoError(t, os.WriteFile(file, []byte(config), 0o600))
	for _, folder := range []string{"var/lib", "var/lib/gatemap-seal", "etc/gatemap/secrets"} {
		require.NoError(t, os.MkdirAll(filepath.Join(data, folder), 0o700))
	}
	p := launchAs(t, program, "serve", "--config", file)
	p.out.waitFor(t, `at (http://\S+)`)
	require.NoError(t, p.stop(t, os.Interrupt))
	assert.FileExists(t, filepath.Join(data, "var/lib/gatemap/gatemap.db"))
	assert.FileExists(t, filepath.Join(data, "var/lib/gatemap-seal/gatemap.seal"))
}

// commandsOf are a command and those below it that can be run or have help.
func commandsOf(c *cobra.Command) []*cobra.Command {
	all := []*cobra.Command{c}
	for _, sub := range c.Commands() {
		if sub.IsAvailableCommand() {
			all = append(all, commandsOf(sub)...)
		}
	}
	return all
}

// squeezed is a text without what a page is laid out with.
func squeezed(text string) string {
	text = strings.NewReplacer("‐\n", "", "-\n", "-", "“", `"`, "”", `"`, "’", "'", "‘", "'", "−", "-").Replace(text)
	return strings.Join(strings.Fields(text), " ")
}
