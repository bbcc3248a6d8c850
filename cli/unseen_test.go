package cli_test

import (
	"os"
	"path/filepath"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// What is not seen in a name or a text reaches no terminal, and no cell of a spreadsheet
// begins a formula.
func TestNothingUnseenComesOut(t *testing.T) {
	dir := t.TempDir()
	write := func(name, text string) {
		require.NoError(t, os.WriteFile(filepath.Join(dir, name), []byte(text), 0o600))
	}
	write("gatemap.yaml", "title: \"Dome\\e]0;owned\\a\"\n")
	write(
		"dome.yaml",
		"directory: dome\nusers:\n  - {userName: ilse, displayName: \"Ilse\\e[2J\\u202eevil\", title: \"=1+1\"}\ngroups:\n  - {name: crew, description: \"a\\e[31mred\", members: {users: [ilse]}}\n",
	)
	for _, args := range [][]string{{"reach", "ilse"}, {"group", "show", "crew"}, {"members", "crew"}, {"memberships", "ilse"}, {"search", "ilse"}, {"findings"}} {
		for _, output := range []string{"text", "markdown"} {
			_, out, errs := run(t, append(args, "--map", dir, "-o", output)...)
			assert.NotContains(t, out+errs, "\x1b", "%v", args)
			assert.NotContains(t, out+errs, "\u202e", "%v", args)
		}
	}
	_, out, _ := run(t, "reach", "ilse", "--map", dir)
	assert.Contains(t, out, `Ilse\u001b[2J\u202eevil`, "it is written out")

	write(
		"dome.yaml",
		"directory: dome\nusers:\n  - {userName: \"=cmd()\"}\n  - {userName: \"@sum\"}\n  - {userName: \"-1+1\"}\ngroups:\n  - {name: crew, members: {users: [\"=cmd()\", \"@sum\", \"-1+1\"]}}\n",
	)
	_, out, errs := run(t, "members", "crew", "--map", dir, "-o", "csv")
	assert.Empty(t, errs)
	assert.NotRegexp(t, `(?m)(^|,)"?[=@+-]`, out)

	for name, text := range map[string]string{
		"a zero-width space": "directory: dome\nusers:\n  - {userName: \"il\\u200bse\"}\n", "another direction": "directory: dome\ngroups:\n  - {name: \"crew\\u202e\"}\n",
		"a space around": "directory: dome\nusers:\n  - {userName: \" ilse\"}\n", "a long name": "directory: dome\nusers:\n  - {userName: " + strings.Repeat("x", 300) + "}\n",
		"a name of nothing": "directory: \"do\\0me\"\n", "a reference": "directory: dome\nusers: [{userName: ilse}]\ngroups:\n  - {name: crew, members: {users: [\"ilse\\u00ad\"]}}\n",
		"a key": "system: s\ntype: firewall\nzones: {\"do\\u200bme\": [192.0.2.0/24]}\nrules: []\n",
	} {
		write("dome.yaml", text)
		code, _, errs := run(t, "search", "x", "--map", dir)
		assert.Equal(t, 3, code, name)
		assert.Regexp(t, `dome.yaml:\d+:\d+: .*(not seen|space|at most 256)`, errs, name)
	}
	write("dome.yaml", "directory: dome\nusers: [{userName: ilse}, {userName: ｉｌｓｅ}]\n")
	code, _, errs := run(t, "search", "x", "--map", dir)
	assert.Equal(t, 3, code, "names that are equal once they are normalized are one")
	assert.Contains(t, errs, "dome.yaml:2:")
	write("dome.yaml", "directory: dome\nusers: [{userName: ilse}, {userName: іlѕе}]\n")
	_, out, _ = run(t, "findings", "--map", dir)
	assert.Contains(t, out, "look-alike")
	assert.Contains(t, out, "dome/ilse and dome/іlѕе look the same, and are not")
}
