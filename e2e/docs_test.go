package e2e

import (
	"io/fs"
	"os"
	"path/filepath"
	"regexp"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// answered are the commands whose output the docs show from the demo's map folder.
var answered = []string{
	"drift",
	"reading",
	"reach",
	"why",
	"who",
	"members",
	"memberships",
	"findings",
	"guarantees",
	"compare",
	"matrix",
	"hours",
	"search",
	"group",
	"system",
	"rule",
}

// What the docs show of a command is what it prints on the demo. A line of … stands for
// lines that are left out, and … at the end of a line for the rest of it.
//
// GATEMAP_WRITE=1 puts the present output in the place of what is shown whole.
func TestTheDocsShowWhatCommandsPrint(t *testing.T) {
	files, err := filepath.Glob("../docs/*.md")
	require.NoError(t, err)
	gates, err := filepath.Glob("../docs/gates/*.md")
	require.NoError(t, err)
	env, shown := []string{"GATEMAP_MAP=../demo/cindervale", "GATEMAP_SERVER="}, 0
	for _, file := range slices.Concat([]string{"../README.md"}, files, gates) {
		raw, err := os.ReadFile(file)
		require.NoError(t, err)
		parts := strings.Split(string(raw), "\n```")
		for i := 1; i < len(parts); i += 2 {
			parts[i] = inBlock(t, env, file, parts[i], &shown)
		}
		if after := strings.Join(parts, "\n```"); after != string(raw) {
			require.NoError(t, os.WriteFile(file, []byte(after), 0o644))
		}
	}
	assert.Greater(t, shown, 25)
}

// inBlock checks the commands of a block, and gives the block as it is to be.
func inBlock(t *testing.T, env []string, file, block string, shown *int) string {
	lines := strings.Split(block, "\n")
	var after []string
	for i := 0; i < len(lines); {
		command, ok := strings.CutPrefix(lines[i], "$ gatemap ")
		after = append(after, lines[i])
		i++
		if !ok {
			continue
		}
		end := i
		for end < len(lines) && !strings.HasPrefix(lines[end], "$ ") {
			end++
		}
		want := lines[i:end]
		i = end
		args := words(command)
		if !slices.Contains(answered, args[0]) || strings.Contains(block, "$ gatemap serve") ||
			strings.Contains(block, "$ make demo-linked") ||
			strings.ContainsAny(command, "<>|") {
			after = append(after, want...)
			continue
		}
		*shown++
		out, errs, _ := run(t, env, args...)
		got := strings.Split(strings.TrimRight(out+errs, "\n"), "\n")
		trimmed := strings.Split(strings.TrimRight(strings.Join(want, "\n"), "\n"), "\n")
		if matches(trimmed, got) {
			after = append(after, want...)
			continue
		}
		if os.Getenv("GATEMAP_WRITE") != "" && !strings.Contains(strings.Join(want, "\n"), "…") {
			after = append(append(after, got...), want[len(trimmed):]...)
			continue
		}
		t.Errorf(
			"%s: $ gatemap %s shows\n%s\nand prints\n%s",
			file,
			command,
			strings.Join(trimmed, "\n"),
			strings.Join(got, "\n"),
		)
		after = append(after, want...)
	}
	return strings.Join(after, "\n")
}

// matches says whether lines are as they are shown.
func matches(shown, lines []string) bool {
	if len(shown) == 0 {
		return len(lines) == 0
	}
	if strings.TrimSpace(shown[0]) == "…" {
		for i := range len(lines) + 1 {
			if matches(shown[1:], lines[i:]) {
				return true
			}
		}
		return false
	}
	if len(lines) == 0 {
		return false
	}
	start, cut := strings.CutSuffix(shown[0], " …")
	return (lines[0] == shown[0] || cut && strings.HasPrefix(lines[0], start)) && matches(shown[1:], lines[1:])
}

// words splits a command line as a shell does: at spaces outside quotes.
func words(line string) []string {
	var list []string
	var word strings.Builder
	var quote rune
	for _, c := range line {
		switch {
		case quote == 0 && (c == '"' || c == '\''):
			quote = c
		case c == quote:
			quote = 0
		case c == ' ' && quote == 0:
			if word.Len() > 0 {
				list = append(list, word.String())
			}
			word.Reset()
		default:
			word.WriteRune(c)
		}
	}
	return append(list, word.String())
}

// The tests that the table of the yardstick names are there.
func TestTheYardstickNamesRealTests(t *testing.T) {
	raw, err := os.ReadFile("../docs/security.md")
	require.NoError(t, err)
	named := regexp.MustCompile("`(Test[A-Za-z]+)`").FindAllStringSubmatch(string(raw), -1)
	require.Greater(t, len(named), 20)
	found := map[string]bool{}
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && d.Name() == "node_modules" {
			return fs.SkipDir
		}
		if !strings.HasSuffix(path, "_test.go") {
			return nil
		}
		text, err := os.ReadFile(path)
		for _, m := range regexp.MustCompile(`(?m)^func (Test\w+)\(`).FindAllStringSubmatch(string(text), -1) {
			found[m[1]] = true
		}
		return err
	}))
	for _, m := range named {
		assert.True(t, found[m[1]], "docs/security.md names %s", m[1])
	}
}
