package e2e

import (
	"encoding/json"
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

// names say what one thing is called everywhere: the command, the operation of the API, and
// the words on the page of the console that has it.
var names = []struct{ command, operation, page, words string }{
	{"memberships", "memberships", "pages/Person.svelte", "api.memberships("},
	{"members", "members", "pages/Group.svelte", "<h2>Members</h2>"},
	{"history", "history", "pages/History.svelte", "<h1>History"},
	{"revert", "revert", "pages/History.svelte", ">Revert this revision<"},
	{"search", "search", "parts/Palette.svelte", "api.search("},
	{"findings", "findings", "pages/Findings.svelte", "<h1>Findings"},
	{"guarantees", "guarantees", "pages/Guarantees.svelte", "<h1>Guarantees"},
	{"rule test", "test-rule", "parts/GroupEditor.svelte", "Testing the rule"},
	{"system show", "system", "pages/System.svelte", "api.system("},
	{"system lines", "lines", "pages/System.svelte", "<h2>Lines</h2>"},
	{"group show", "group", "pages/Group.svelte", "api.group("},
	{"trial begin", "begin-trial", "pages/Trials.svelte", ">Begin the trial<"},
	{"trial remove", "remove-trial", "pages/Trial.svelte", ">Remove the trial<"},
	{"trial unstage", "unstage", "pages/Trial.svelte", ">Unstage<"},
	{"trial outcome", "outcome", "pages/Trial.svelte", ">Outcome<"},
	{"trial commit", "commit-trial", "pages/Trial.svelte", ">Commit the trial<"},
	{"trial withdraw", "withdraw", "", ""},
	{"intake run", "run-intake", "pages/Intake.svelte", ">Run a preview<"},
	{"intake commit", "commit-run", "pages/Intake.svelte", "'Commit the run'"},
	{"intake discard", "discard-run", "pages/Intake.svelte", ">Discard the run<"},
	{"directory test", "test-directory", "", ""},
	{"directory token", "create-push-token", "", ""},
	{"operator set", "set-operator", "pages/Settings.svelte", ">Add the operator<"},
	{"operator remove", "remove-operator", "pages/Settings.svelte", ">Remove<"},
	{"operator second-factor", "second-factor", "pages/Settings.svelte", ">Second factor<"},
	{"operator two-person-rule", "change-settings", "pages/Settings.svelte", "Two-person rule"},
	{"operator untie", "untie-manager", "", ""},
	{"operator connect", "change-settings", "pages/Settings.svelte", "'Allow connecting'"},
	{"operator password", "change-own-password", "pages/Account.svelte", ">Change the password<"},
	{"token create", "create-token", "parts/TokenList.svelte", ">Create the token<"},
	{"token revoke", "revoke-token", "parts/TokenList.svelte", ">Revoke<"},
	{"audit verify", "verify-audit", "pages/Audit.svelte", ">Verify the audit<"},
}

// lines of systems, and other parts of documents, are changed by the same verbs everywhere.
var verbs = []string{"add", "change", "move", "remove"}

func TestOneThingHasOneName(t *testing.T) {
	document := openAPI(t)
	operations := document.operations()
	for _, n := range names {
		help, errs, code := run(t, nil, append(strings.Fields(n.command), "--help")...)
		assert.Zero(t, code, "%s: %s", n.command, errs)
		assert.Contains(t, help, "gatemap "+n.command, "the command")
		assert.Contains(t, operations, n.operation, "the operation of %s", n.command)
		if n.page != "" {
			source, err := os.ReadFile(filepath.Join("../web/src", n.page))
			require.NoError(t, err)
			assert.Contains(t, string(source), n.words, "the console's words for %s", n.command)
		}
	}
	form, err := os.ReadFile("../web/src/lib/trial.ts")
	require.NoError(t, err)
	for _, thing := range []string{"line", "part"} {
		for _, verb := range verbs {
			help, _, _ := run(t, nil, "trial", thing, verb, "--help")
			assert.Contains(t, help, "gatemap trial "+thing+" "+verb+" TRIAL")
			assert.Contains(t, document.Components.Schemas["Change"].Properties["do"].Enum, verb+"-"+thing)
			assert.Contains(t, string(form), "'"+verb+"-"+thing+"'")
		}
	}
}

// Every command of a family of trials takes the trial first.
func TestTheTrialComesFirst(t *testing.T) {
	help, _, _ := run(t, nil, "trial", "--help")
	_, list, _ := strings.Cut(help, "Available Commands:\n")
	list, _, _ = strings.Cut(list, "\n\n")
	for _, line := range strings.Split(list, "\n") {
		command := strings.Fields(line)[0]
		if slices.Contains([]string{"group", "line", "part", "list"}, command) {
			continue
		}
		own, _, _ := run(t, nil, "trial", command, "--help")
		assert.Contains(t, own, "gatemap trial "+command+" TRIAL", command)
	}
}

// Every list of the API that grows comes by page in one way: limit and cursor ask, next
// answers.
func TestListsComeByPageInOneWay(t *testing.T) {
	document := openAPI(t)
	paged := 0
	for path, methods := range document.Paths {
		for _, o := range methods {
			asks := map[string]bool{}
			for _, p := range o.Parameters {
				asks[p.Name] = true
			}
			for _, other := range []string{"before", "after", "offset", "page"} {
				assert.False(t, asks[other], "%s pages by %s", path, other)
			}
			assert.Equal(t, asks["limit"], asks["cursor"], path)
			if !asks["cursor"] {
				continue
			}
			paged++
			ref := o.Responses["200"].Content["application/json"].Schema.Ref
			schema := document.Components.Schemas[ref[strings.LastIndex(ref, "/")+1:]]
			assert.Contains(t, schema.Properties, "next", path)
			assert.NotContains(t, schema.Properties, "cursor", path)
		}
	}
	assert.GreaterOrEqual(t, paged, 10)
}

// former are words that have others now. They stand where former keys of the map are told,
// and in the changelog.
var former = map[string]*regexp.Regexp{
	"keys of the map": regexp.MustCompile(
		`(?m)^\s*(draws|joins): |[{,] ?(draws|opens|joins|guard): |\bopens: (own|any|host)\b|\bguard: \d`,
	),
	"changes": regexp.MustCompile(
		`"(drop-group|drop-document|add-entry|change-entry|move-entry|drop-entry)"|'(drop-group|add-entry|change-entry|move-entry|drop-entry)'`,
	),
	"commands": regexp.MustCompile(
		`gatemap (groups|find|revisions|trial (entry|undo|drop)|intake drop|operator (put|drop)|token (make|end))\b|--look\b`,
	),
	"operations": regexp.MustCompile(`/api/v1/session\b|/findings/page|"/matched"|/drop"`),
	"labels": regexp.MustCompile(
		`label: '(Is|It is|Called|Ends|Begun by|Made by|Account is|Did what|To what|Applies at)'|>(Take out|End it|Drop it|Undo|Make|Stage it)<`,
	),
	"quaint English": regexp.MustCompile(
		`worked out anew|works out anew|those whom none|found useless|otherwise now|so that it is not so`,
	),
	"the system front-door": regexp.MustCompile(`front-door`),
}

func TestFormerNamesAreGone(t *testing.T) {
	roots := []string{
		"../answer",
		"../cli",
		"../client",
		"../connect",
		"../core",
		"../demo",
		"../docs",
		"../mapfile",
		"../operator",
		"../README.md",
		"../server",
		"../service",
		"../stage",
		"../store",
		"../tools",
		"../web/src",
		"../workspace",
		"../edge",
	}
	seen := 0
	for _, root := range roots {
		require.NoError(t, filepath.WalkDir(root, func(path string, d fs.DirEntry, err error) error {
			if err != nil || d.IsDir() ||
				!slices.Contains([]string{".go", ".md", ".yaml", ".ts", ".svelte"}, filepath.Ext(path)) ||
				strings.HasSuffix(path, "schema.d.ts") {
				return err
			}
			raw, err := os.ReadFile(path)
			seen++
			for what, words := range former {
				for _, found := range words.FindAllString(string(raw), -1) {
					code := strings.HasSuffix(path, ".go") && !strings.HasSuffix(path, "_test.go")
					if what == "keys of the map" && (code || strings.HasSuffix(path, "mapfile/mapfile_test.go")) {
						continue // code has such words of its own, and that test has their errors
					}
					t.Errorf("%s: %s: %q", path, what, strings.TrimSpace(found))
				}
			}
			return err
		}))
	}
	assert.Greater(t, seen, 300)
}

// api is the part of an OpenAPI document that is looked at here.
type api struct {
	Paths map[string]map[string]struct {
		OperationID string `json:"operationId"`
		Parameters  []struct{ Name string }
		Responses   map[string]struct {
			Content map[string]struct {
				Schema struct {
					Ref string `json:"$ref"`
				}
			}
		}
	}
	Components struct {
		Schemas map[string]struct {
			Properties map[string]struct{ Enum []string }
		}
	}
}

func (a *api) operations() []string {
	var ids []string
	for _, methods := range a.Paths {
		for _, o := range methods {
			ids = append(ids, o.OperationID)
		}
	}
	return ids
}

func openAPI(t *testing.T) *api {
	t.Helper()
	out, errs, code := run(t, nil, "openapi")
	require.Zero(t, code, errs)
	var a api
	require.NoError(t, json.Unmarshal([]byte(out), &a))
	return &a
}
