package e2e

import (
	"cmp"
	"encoding/json"
	"go/ast"
	"go/parser"
	"go/token"
	"io/fs"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"testing"
	"unicode/utf8"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// layers lists the packages from the top down: a package imports only those of
// layers below its own.
var layers = [][]string{
	{"cmd/gatemap"},
	{"cli"},
	{"cli/collector", "server", "client"},
	{"edge"},
	{"workspace"},
	{"service/notices"},
	{"service/deliveries"},
	{"service/intake", "service/changeset", "service/access", "service/accounts", "service/readings"},
	{"service/rights"},
	{"service/proposed", "service/writes"},
	{"service/history", "service/sourcecheck"},
	{"service/query"},
	{"service/content", "service/audit"},
	{"service/keeping"},
	{"service/page", "service/events", "service/packed"},
	{"answer"},
	{"stage"},
	{"connect/connectors"},
	{"connect/list"},
	{
		"store",
		"connect/csv",
		"connect/ldap",
		"connect/ldif",
		"connect/host",
		"connect/postgres",
		"connect/scim",
		"connect/mail",
		"connect/syslog",
		"connect/webhook",
		"mapfile",
		"web",
		"demo",
		"demo/provider",
	},
	{"connect/web"},
	{"connect"},
	{"core/delivery", "core/account"},
	{"core/change", "core/plain", "core/reading"},
	{"core/check", "core/atlas/atlastest"},
	{"core/atlas"},
	{"core/gate/types", "core/notice"},
	{
		"core/gate/app", "core/gate/federation", "core/gate/files", "core/gate/firewall", "core/gate/hosts",
		"core/gate/licences", "core/gate/network", "core/gate/roles", "core/gate/signin",
	},
	{"core/gate"},
	{"core/rule"},
	{"core/directory", "core/situation"},
	{"core/filter", "core/finding", "core/name/nametest", "core/parallel", "core/sorted"},
	{"core/name"},
	{"core/place", "operator"},
}

// knowsHTTP are the packages that may know that they are asked by HTTP: those at the edge, and
// those that speak it to others.
var knowsHTTP = []string{
	"cmd/gatemap",
	"cli",
	"server",
	"client",
	"web",
	"connect/scim",
	"connect/web",
	"connect/webhook",
	"demo",
	"demo/provider",
	"edge",
}

// barred are packages that the core keeps away from.
var barred = []string{
	"net/http",
	"database/sql",
	"log",
	"log/slog",
	"os",
	"io/fs",
	"github.com/go-chi/chi/v5",
	"github.com/spf13/cobra",
	"go.yaml.in/yaml/v3",
}

func TestImportsRunDownwards(t *testing.T) {
	level := map[string]int{}
	for i, layer := range layers {
		for _, p := range layer {
			level["gatemap/"+p] = len(layers) - i
		}
	}
	out, err := exec.Command("go", "list", "-json=ImportPath,Imports", "gatemap/...").Output()
	require.NoError(t, err)
	dec := json.NewDecoder(strings.NewReader(string(out)))
	seen := 0
	for dec.More() {
		var p struct {
			ImportPath string
			Imports    []string
		}
		require.NoError(t, dec.Decode(&p))
		if strings.HasPrefix(p.ImportPath, "gatemap/e2e") || strings.HasPrefix(p.ImportPath, "gatemap/tools") {
			continue
		}
		own, known := level[p.ImportPath]
		if !known {
			t.Errorf("%s has no place in the house: add it to a layer", p.ImportPath)
			continue
		}
		seen++
		core := strings.HasPrefix(p.ImportPath, "gatemap/core/")
		for _, i := range p.Imports {
			if other, ours := level[i]; ours && other >= own {
				t.Errorf("%s imports %s, which is not below it", p.ImportPath, i)
			}
			if i == "net/http" && !slices.Contains(knowsHTTP, strings.TrimPrefix(p.ImportPath, "gatemap/")) {
				t.Errorf("%s imports net/http, which is for the edge", p.ImportPath)
			}
			for _, b := range barred {
				if core && i == b {
					t.Errorf("%s is core and imports %s", p.ImportPath, i)
				}
			}
		}
	}
	require.Equal(t, len(level), seen, "every layer's packages exist")
}

// What is read in one go stays short: files of the program have at most 300 lines, functions 60, and
// lines 120 characters but for texts, comments and tags, not counting tests and the programs for makers.
func TestFilesAndFunctionsAreShort(t *testing.T) {
	files := 0
	require.NoError(t, filepath.WalkDir("..", func(path string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() && (d.Name() == "node_modules" || d.Name() == "tools" || d.Name() == ".git") {
			return cmp.Or(err, fs.SkipDir)
		}
		if !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return nil
		}
		files++
		raw, err := os.ReadFile(path)
		if err != nil {
			return err
		}
		set := token.NewFileSet()
		f, err := parser.ParseFile(set, path, nil, 0)
		if err != nil {
			return err
		}
		whole := map[int]bool{} // lines of tags and of texts as they are
		ast.Inspect(f, func(n ast.Node) bool {
			if l, is := n.(*ast.BasicLit); is && strings.HasPrefix(l.Value, "`") {
				for line := set.Position(l.Pos()).Line; line <= set.Position(l.End()).Line; line++ {
					whole[line] = true
				}
			}
			return true
		})
		for n, line := range strings.Split(string(raw), "\n") {
			if utf8.RuneCountInString(line) > 120 && !whole[n+1] {
				t.Errorf("%s:%d is long", path, n+1)
			}
		}
		assert.LessOrEqual(t, set.Position(f.FileEnd).Line, 301, "%s is long", path)
		for _, decl := range f.Decls {
			if fn, is := decl.(*ast.FuncDecl); is {
				assert.LessOrEqual(
					t,
					set.Position(fn.End()).Line-set.Position(fn.Pos()).Line,
					60,
					"%s: %s is long",
					path,
					fn.Name.Name,
				)
			}
		}
		return nil
	}))
	require.Greater(t, files, 100)
}

// A use case is small: a type of the service has fewer than 15 methods.
func TestTypesOfTheServiceAreSmall(t *testing.T) {
	methods := map[string]int{}
	require.NoError(t, filepath.WalkDir("../service", func(path string, d fs.DirEntry, err error) error {
		if err != nil || !strings.HasSuffix(path, ".go") || strings.HasSuffix(path, "_test.go") {
			return err
		}
		f, err := parser.ParseFile(token.NewFileSet(), path, nil, 0)
		if err != nil {
			return err
		}
		for _, decl := range f.Decls {
			fn, is := decl.(*ast.FuncDecl)
			if !is || fn.Recv == nil {
				continue
			}
			of := fn.Recv.List[0].Type
			if pointer, is := of.(*ast.StarExpr); is {
				of = pointer.X
			}
			if named, is := of.(*ast.Ident); is {
				methods[f.Name.Name+"."+named.Name]++
			}
		}
		return nil
	}))
	require.Greater(t, len(methods), 30)
	for named, n := range methods {
		assert.Less(t, n, 15, named)
	}
}
