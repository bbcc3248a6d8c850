package cli_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"maps"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/cli"
)

const demo = "../demo/cindervale"

func run(t *testing.T, args ...string) (code int, out, errs string) {
	t.Helper()
	for _, v := range []string{"GATEMAP_MAP", "GATEMAP_SERVER", "GATEMAP_TOKEN"} {
		t.Setenv(v, "")
	}
	var o, e bytes.Buffer
	code = cli.Main(args, strings.NewReader(""), &o, &e)
	return code, o.String(), e.String()
}

func TestExitCodes(t *testing.T) {
	bad := t.TempDir()
	require.NoError(t, os.WriteFile(filepath.Join(bad, "gatemap.yaml"), []byte("titel: x\n"), 0o600))
	for _, c := range []struct {
		args []string
		code int
		errs string
	}{
		{[]string{"reach", "ilse.okonjo", "--map", demo}, 0, ""},
		{[]string{"findings", "--map", demo}, 1, ""},
		{[]string{"reach"}, 2, "accepts 1 arg(s)"},
		{[]string{"raech", "x"}, 2, `unknown command "raech"`},
		{[]string{"reach", "x", "--form", "y"}, 2, "unknown flag: --form"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--from", "summit"}, 2, `from "summit": not an IPv4 or IPv6 address`},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--risk", "hi"}, 2, "one of low, medium, high"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "-o", "yaml"}, 2, "one of text, json, csv, markdown, sarif, junit"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--server", "http://127.0.0.1:1"}, 2, "--map names the folder ../demo/cindervale and --server the service http://127.0.0.1:1"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "-o", "sarif"}, 2, "gatemap reach has no -o sarif; it has text, json, csv, markdown"},
		{[]string{"difference", demo, demo, "-o", "junit"}, 2, "gatemap difference has no -o junit; it has text, json, csv, markdown"},
		{[]string{"who", "archive", "frames:read", "--map", demo, "-o", "markdown"}, 2, "it has text, json, csv\n"},
		{[]string{"matrix", "--map", demo}, 2, "narrow it with --system"},
		{[]string{"matrix", "--map", demo, "--group", "crow"}, 4, "there is no group"},
		{[]string{"guarantees", "--map", demo}, 1, ""},
		{[]string{"difference", demo, demo}, 0, ""},
		{[]string{"difference", demo, "nowhere"}, 3, "cannot load the map in nowhere"},
		{[]string{"compare", "ilse.okonjo", "jory.pell", "--map", demo}, 4, "ambiguous: say which of cindervale/jory.pell, ridge/jory.pell is meant"},
		{[]string{"search", "x", "--kind", "person", "--map", demo}, 2, "one of user, group, system, device"},
		{[]string{"reach", "x", "--map", "nowhere"}, 3, "cannot load the map in nowhere"},
		{[]string{"reach", "x", "--map", bad}, 3, `gatemap.yaml:1:1: unknown key "titel"; did you mean title?`},
		{[]string{"reach", "x", "--server", "http://127.0.0.1:1"}, 3, "cannot be reached"},
		{[]string{"reach", "x", "--server", "nonsense"}, 2, "is not the address of a service"},
		{[]string{"reach", "x", "--token-file", "nowhere"}, 2, "--token-file: open nowhere"},
		{[]string{"reach", "ilse.okonj", "--map", demo}, 4, "did you mean ilse.okonjo?"},
		{[]string{"members", "nigth-crew", "--map", demo}, 4, "did you mean night-crew?"},
		{[]string{"why", "ilse.okonjo", "archiv", "frames:read", "--map", demo}, 4, "did you mean archive?"},
		{[]string{"why", "ilse.okonjo", "archive", "frames:reed", "--map", demo}, 4, "did you mean frames:read"},
		{[]string{"who", "archive", "frames:read", "--on", "raw", "--map", demo}, 4, `there is no object "raw" in system archive; did you mean /raw`},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--device-name", "loner-7"}, 4, "did you mean loaner-7?"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--at", "tomorrow"}, 2, "write 22:00, mon 22:00, 2026-11-23"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--at", "mon 22:00"}, 0, ""},
		{[]string{"difference", demo, demo, "--at", "22:00"}, 0, ""},
		{[]string{"findings", "--map", demo, "--severity", "warn"}, 2, `--severity "warn": one of error, warning, note; did you mean warning?`},
		{[]string{"findings", "--map", demo, "--code", "shadow"}, 2, "did you mean shadowed?"},
		{[]string{"findings", "--map", demo, "--code", "shadowed"}, 0, ""},
		{[]string{"history", "--map", demo}, 2, "this is asked of a service, but --map names a folder"},
		{[]string{"group", "show", "nigth-crew", "--map", demo}, 4, "did you mean night-crew?"},
		{[]string{"system", "show", "archiv", "--map", demo}, 4, "did you mean archive?"},
		{[]string{"rule", "test", "title eq", "--map", demo}, 2, "the filter has an error at column 9"},
		{[]string{"trial", "commit", "x", "--map", demo}, 2, `required flag(s) "reason" not set`},
		{[]string{"trial", "commit", "x", "--reason", "r", "--map", demo}, 2, "name the version of the trial that you have seen: --version N, which gatemap trial show x prints"},
		{[]string{"trial", "show", "x", "--map", demo}, 4, `there is no trial "x"`},
		{[]string{"trial", "outcome", "x", "--effect", "win", "--map", demo}, 2, "one of gain, loss, change, reroute"},
		{[]string{"trial", "line", "add", "x", "archive", "mappings", "{}", "--before", "1", "--after", "2", "--map", demo}, 2, "none of the others can be"},
	} {
		code, _, errs := run(t, c.args...)
		assert.Equal(t, c.code, code, "%v: %s", c.args, errs)
		assert.Contains(t, errs, c.errs, "%v", c.args)
		if c.code == 2 {
			assert.Contains(t, errs, "--help")
		}
	}
}

func TestText(t *testing.T) {
	for _, c := range []struct {
		args []string
		want []string
	}{
		{[]string{"reach", "ilse.okonjo"}, []string{
			"Ilse Okonjo (cindervale/ilse.okonjo)\nSituation: none given\n", "\narchive\n", "frames:write  ┃╌┃ depends  if the source address is in summit and the risk is low or medium and the time is in the window night",
			"\nsky-tools\n  planner  calendar  ┃ ┃ open\n", "28 open, 8 depends, 1 shut",
		}},
		{[]string{"reach", "ilse.okonjo", "--system", "SKY-TOOLS"}, []string{"2 open, 0 depends"}},
		{[]string{"reach", "noor.haddix", "--system", "sky-tools"}, []string{"┃━┃ shut     account inactive"}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:write", "--on", "/raw/2026", "--from", "203.0.113.9"}, []string{
			"┃━┃ shut     archive frames:write on /raw/2026", "but it is shut in this situation (from 203.0.113.9).",
			"Line archive/mapping 2 gives it only if the source address is in summit.",
			"Line archive/mapping 2 gives it: cindervale/ilse.okonjo is listed in cindervale/night-assistants, which is in cindervale/night-crew.",
		}},
		{[]string{"why", "ilse.okonjo", "core-net", "ssh", "--on", "dome", "--lines"}, []string{
			"core-net/dome engineers to the dome  for other users          in cindervale/dome-engineers\n",
			"core-net/crew to the dome by night   may decide               from summit, in window night\n", "core-net/nobody else to the dome     decides\n", "core-net/nobody pings                about something else\n",
		}},
		{[]string{"why", "ilse.okonjo", "core-net", "ssh", "--on", "dome", "--lines", "-o", "csv"}, []string{"line,fate,needs,lacks\n", "core-net/nobody else to the dome,decides,,\n"}},
		{[]string{"search", "pings", "--kind", "line"}, []string{"line    core-net/nobody pings", "2 of 2"}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:purge", "--on", "/raw"}, []string{
			"does not hold frames:purge on /raw in archive.", "Line archive/mapping 6 gives it to members of cindervale/archivists.",
		}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:read", "--on", "/raw/1999"}, []string{"/raw/1999 is not declared; /raw above it decides."}},
		{[]string{"who", "archive", "frames:purge", "--on", "/raw", "--from", "203.0.113.4", "--risk", "low"}, []string{"cindervale/rana.solberg     ┃ ┃ open     cindervale/archivists > archive/mapping 6", "3 people"}},
		{[]string{"members", "archive-readers"}, []string{"cindervale/ilse.okonjo        nested   by cindervale/night-assistants > ", "52 members"}},
		{[]string{"members", "open-days"}, []string{"cindervale/paloma.rask  direct\n\n1 member\n"}},
		{[]string{"memberships", "ilse.okonjo"}, []string{"cindervale/night-crew         nested   by cindervale/night-assistants\n", "8 groups"}},
		{[]string{"compare", "ilse.okonjo", "bram.ystad"}, []string{"Only cindervale/bram.ystad\n", "night-files write on logs:/shift  ", "(with other claims, or another reply)"}},
		{[]string{"guarantees"}, []string{"kept    the crew writes by night\n        All 8 can.", "broken  the network team can ping", "cindervale/cosmo.adeyemi  core-net ping on control  refused by nobody else to the dome", "10 kept, 2 broken"}},
		{[]string{"matrix", "--system", "ledger"}, []string{" 1  ledger approve on entry", "cindervale/greta.falk      ┃╌┃t   ·    ┃╌┃t  ┃╌┃a"}},
		{[]string{"hours", "ilse.okonjo", "--system", "dome-hosts", "--from", "198.51.100.9", "--at", "2026-11-25T12:00:00Z"}, []string{
			"Week of 2026-11-23, Atlantic/Canary", "dome-hosts login on dome1.cindervale.example  ┃ ┃ open     every day 00–07, 18–24\n", "┃━┃ shut     every day 07–18",
		}},
		{[]string{"hours", "xenia.morrow", "--system", "archive", "--strength", "aal2", "--at", "2036-12-02T00:00:00Z"}, []string{"┃ ┃ open     mon 00–12\n", "┃━┃ shut     mon 12–24; tue to sun"}},
		{[]string{"why", "dagny.oyelaran", "archive", "frames:write", "--on", "/raw/2026"}, []string{"Way in: membership of cindervale/night-crew gives it, on conditions, and brings 11 other entitlements: core-net ssh on dome"}},
		{[]string{"search", "comet"}, []string{"group   cindervale/comet-campaign", "1 of 1"}},
		{[]string{"search", "--limit", "2", "--kind", "user"}, []string{"2 of 60\nMore:  --cursor "}},
		{[]string{"group", "show", "night-crew"}, []string{"Member of      cindervale/archive-writers, cindervale/summit-staff\n", "Members        9\n", "  archive/mapping 2                   9 people    {groups: [night-crew], role: writer,"}},
		{[]string{"group", "show", "visitors"}, []string{"Rule           userType eq \"visitor\""}},
		{[]string{"group", "show", "bulletin"}, []string{"Kind           mail", "It opens nothing."}},
		{[]string{"system", "show", "sky-tools"}, []string{"sky-tools  Reduction licences", "Objects\n  planner\n", "Seats\n  reduction-suite  14 of 14 taken, "}},
		{[]string{"system", "lines", "core-net"}, []string{"core-net/nobody pings                60 people   {name: nobody pings, action: refuse, services: [ping]}"}},
		{[]string{"system", "roles", "archive"}, []string{"reader\n  frames:list\n  frames:read\n"}},
		{[]string{"system", "roles", "proposals"}, []string{"author\n  proposal:delete own\n"}},
		{[]string{"system", "roles", "core-net"}, []string{"core-net has no roles"}},
		{[]string{"rule", "test", `title eq "Night assistant"`}, []string{"matches 5 users.\n  cindervale/alba.querido\n"}},
		{[]string{"rule", "test", "safetyRole pr"}, []string{"matches 0 users.", "no user has the attribute safetyRole"}},
		{[]string{"findings", "--system", "core-net", "--severity", "warning"}, []string{"0 errors, "}},
	} {
		_, out, errs := run(t, append(c.args, "--map", demo)...)
		assert.Empty(t, errs)
		for _, want := range c.want {
			assert.Contains(t, out, want, "%v", c.args)
		}
		assert.NotContains(t, out, "\x1b", "no colour where the output is no terminal")
	}
}

func TestJSONAndCSV(t *testing.T) {
	for _, args := range [][]string{
		{"reach", "ilse.okonjo"}, {"why", "ilse.okonjo", "archive", "frames:purge"}, {"who", "archive", "frames:read"},
		{"members", "night-crew"}, {"memberships", "ilse.okonjo"}, {"findings"}, {"search", "night"}, {"group", "show", "night-crew"}, {"system", "show", "archive"}, {"system", "lines", "archive"}, {"system", "roles", "archive"}, {"rule", "test", "title pr"}, {"guarantees"},
		{"compare", "ilse.okonjo", "bram.ystad"}, {"matrix", "--group", "night-crew"}, {"hours", "ilse.okonjo", "--at", "2026-11-23T00:00:00Z"},
	} {
		_, out, _ := run(t, append(args, "--map", demo, "-o", "json")...)
		var one any
		dec := json.NewDecoder(strings.NewReader(out))
		require.NoError(t, dec.Decode(&one), "%v", args)
		assert.False(t, dec.More(), "one value")
		assert.NotContains(t, out, "null", "%v", args)
		_, out, _ = run(t, append(args, "--map", demo, "-o", "csv")...)
		rows, err := csv.NewReader(strings.NewReader(out)).ReadAll()
		require.NoError(t, err, "%v", args)
		assert.Greater(t, len(rows), 1)
	}
}

func TestReportsForPipelines(t *testing.T) {
	var sarif struct {
		Version string
		Runs    []struct {
			Tool struct {
				Driver struct{ Rules []struct{ ID string } }
			}
			Results []struct {
				RuleID, Level string
				Locations     []struct {
					PhysicalLocation struct {
						ArtifactLocation struct{ URI string }
						Region           struct{ StartLine int }
					}
				}
			}
		}
	}
	code, out, _ := run(t, "findings", "--map", demo, "-o", "sarif")
	assert.Equal(t, 1, code)
	require.NoError(t, json.Unmarshal([]byte(out), &sarif))
	assert.Equal(t, "2.1.0", sarif.Version)
	require.Greater(t, len(sarif.Runs[0].Results), 40)
	first := sarif.Runs[0].Results[0]
	assert.Equal(t, "mail-group", first.RuleID)
	assert.Equal(t, "systems/sky-tools.yaml", first.Locations[0].PhysicalLocation.ArtifactLocation.URI)
	assert.Equal(t, 18, first.Locations[0].PhysicalLocation.Region.StartLine)
	assert.Contains(t, []string{"error", "warning", "note"}, first.Level)

	var junit struct {
		Tests    int `xml:"tests,attr"`
		Failures int `xml:"failures,attr"`
		Cases    []struct {
			Name    string    `xml:"name,attr"`
			Failure *struct{} `xml:"failure"`
		} `xml:"testcase"`
	}
	code, out, _ = run(t, "guarantees", "--map", demo, "-o", "junit")
	assert.Equal(t, 1, code)
	require.NoError(t, xml.Unmarshal([]byte(out), &junit))
	assert.Equal(t, []int{12, 2, 12}, []int{junit.Tests, junit.Failures, len(junit.Cases)})
	for _, c := range junit.Cases {
		assert.Equal(
			t,
			c.Name == "the network team can ping" || c.Name == "every scientist can reduce",
			c.Failure != nil,
			c.Name,
		)
	}
	for _, args := range [][]string{{"guarantees", "-o", "sarif"}, {"findings", "-o", "junit"}} {
		_, out, _ := run(t, append(args, "--map", demo)...)
		assert.Contains(t, out, "network team", "%v", args)
	}
}

func TestDifference(t *testing.T) {
	next := filepath.Join(t.TempDir(), "next")
	require.NoError(t, os.CopyFS(next, os.DirFS(demo)))
	file := filepath.Join(next, "systems", "sky-tools.yaml")
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, bytes.Replace(content, []byte("seats: 14"), []byte("seats: 20"), 1), 0o600))
	code, out, errs := run(t, "difference", demo, next)
	assert.Equal(t, 0, code, errs)
	for _, want := range []string{"Gains\n", "cindervale/yusra.lindqvist  ┃ ┃ open     sky-tools pipeline on reduction-suite  was shut no seat left\n", "Guarantee kept again  every scientist can reduce", "0 losses", "warning no-seat:"} {
		assert.Contains(t, out, want)
	}
	_, out, _ = run(t, "difference", next, demo, "-o", "csv")
	assert.Contains(t, out, "loss,cindervale/yusra.lindqvist,sky-tools,reduction-suite,pipeline,open,shut\n")
}

func TestCompletion(t *testing.T) {
	for typed, want := range map[string]string{
		"reach|il": "ilse.okonjo\tIlse Okonjo\n", "reach|cindervale/il": "cindervale/ilse.okonjo\tIlse Okonjo\n",
		"members|night-c": "night-crew\t", "why|ilse.okonjo|sky": "sky-tools\tReduction licences\n", "who|arc": "archive\tImage archive\n",
		"reach|--risk|": "medium\n", "reach|x|--system|": "sky-tools\t",
		"why|ilse.okonjo|archive|frames:p": "frames:purge\n", "who|core-net|s": "ssh\n", "why|ilse.okonjo|archive|frames:read|--on|/raw/e": "/raw/embargo\n",
		"trial|join|season|night-c": "night-crew\t", "trial|join|season|night-crew|ils": "ilse.okonjo\t", "trial|leave|season|night-assistants|il": "ilse.okonjo\n",
		"trial|line|add|season|archive|": "mappings\nlimits\n", "trial|line|move|season|core-net|rules|nobody p": "nobody pings\t",
		"trial|line|add|season|night-files|":    "shares > logs > door\n",
		"trial|group|set|season|night-crew|mem": "members_from\n", "trial|group|set|season|night-crew|usable_in|": "host\nown\nany\n",
		"trial|outcome|season|--effect|": "loss\n", "findings|--code|shad": "shadowed\n", "findings|--severity|": "warning\n",
	} {
		t.Setenv("GATEMAP_SERVER", "")
		t.Setenv("GATEMAP_MAP", demo)
		var out, errs bytes.Buffer
		cli.Main(append([]string{"__complete"}, strings.Split(typed, "|")...), strings.NewReader(""), &out, &errs)
		assert.Contains(t, out.String(), want, typed)
	}
}

func TestEveryCommandHasHelpWithAnExample(t *testing.T) {
	_, out, _ := run(t, "--help")
	commands := []string{}
	_, list, _ := strings.Cut(out, "Available Commands:\n")
	list, _, _ = strings.Cut(list, "\n\n")
	for _, line := range strings.Split(list, "\n") {
		commands = append(commands, strings.Fields(line)[0])
	}
	require.Contains(t, commands, "reach")
	for _, c := range commands {
		if c == "help" || c == "completion" {
			continue
		}
		_, out, _ := run(t, c, "--help")
		assert.Contains(t, out, "Examples:\n  gatemap "+c, c)
	}
}

func TestSchemaAndOpenAPIAreJSON(t *testing.T) {
	for _, c := range []string{"schema", "openapi"} {
		code, out, _ := run(t, c)
		assert.Equal(t, 0, code)
		assert.True(t, json.Valid([]byte(out)), c)
	}
}

func TestServeTellsWhyItCannot(t *testing.T) {
	code, _, errs := run(t, "serve", "--data", t.TempDir(), "--listen", "127.0.0.1:99999")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "cannot listen on 127.0.0.1:99999")
	code, _, errs = run(t, "serve", "--data", t.TempDir(), "--listen", "127.0.0.1:0", "--map", "nowhere")
	assert.Equal(t, 3, code)
	assert.Contains(t, errs, "cannot load the map in nowhere")
}

func TestMembersAgainstAList(t *testing.T) {
	list := filepath.Join(t.TempDir(), "crew.txt")
	require.NoError(
		t,
		os.WriteFile(
			list,
			[]byte("# who should be in it\nilse.okonjo;Ilse\nBRAM.YSTADT\nteo.marchetti\nnobody.here\n"),
			0o600,
		),
	)
	code, out, _ := run(t, "members", "night-crew", "--against", list, "--map", demo, "-o", "csv")
	assert.Equal(t, 1, code)
	for _, line := range []string{"missing,teo.marchetti,,", "missing,nobody.here,,", "extra,,cindervale/joss.ferrant,", "near miss,BRAM.YSTADT,cindervale/bram.ystad,a member's name is nearly the same"} {
		assert.Contains(t, out, line+"\n")
	}
	assert.NotContains(t, out, "ilse")
	_, members, _ := run(t, "members", "night-crew", "--map", demo, "-o", "csv")
	var all strings.Builder
	for _, line := range strings.Split(strings.TrimSpace(members), "\n")[1:] {
		all.WriteString(strings.Split(line, ",")[1] + "\n")
	}
	require.NoError(t, os.WriteFile(list, []byte(all.String()), 0o600))
	code, _, _ = run(t, "members", "night-crew", "--against", list, "--map", demo)
	assert.Equal(t, 0, code, "just who should be in it")
	code, _, errs := run(t, "members", "night-crew", "--against", "nowhere.txt", "--map", demo)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "the list cannot be read")
}

func TestTestingADirectoryOfAFolder(t *testing.T) {
	code, out, _ := run(t, "directory", "test", "cindervale", "--user", "ilse.okonjo", "--map", demo)
	assert.Equal(t, 0, code)
	assert.Contains(t, out, "in archive: cindervale/archive-readers, cindervale/night-crew")
	code, _, errs := run(t, "directory", "test", "nowhere", "--map", demo)
	assert.Equal(t, 4, code)
	assert.Contains(t, errs, `there is no directory "nowhere"`)
	code, _, errs = run(t, "intake", "run", "cindervale", "--map", demo)
	assert.Equal(t, 2, code)
	assert.Contains(t, errs, "name a service with --server")
	code, _, _ = run(t, "reach", "ilse.okonjo", "--person", "--map", demo)
	assert.Equal(t, 0, code)
}

// What is asked is a folder or a service, never one here and the other there.
func TestAFolderAndAServiceAreNotBothAsked(t *testing.T) {
	for _, args := range [][]string{
		{"reach", "ilse.okonjo"}, {"search", "x"}, {"history"}, {"trial", "list"}, {"trial", "show", "x"}, {"directory", "test", "cindervale"},
		{"intake", "list"}, {"token", "list"}, {"findings", "-o", "sarif"}, {"export", "x"},
	} {
		t.Setenv("GATEMAP_MAP", demo)
		t.Setenv("GATEMAP_SERVER", "http://127.0.0.1:1")
		var out, errs bytes.Buffer
		assert.Equal(t, 2, cli.Main(args, strings.NewReader(""), &out, &errs), "%v", args)
		assert.Contains(
			t,
			errs.String(),
			"GATEMAP_MAP names the folder ../demo/cindervale and GATEMAP_SERVER the service http://127.0.0.1:1: leave one of them out",
		)
		t.Setenv("GATEMAP_SERVER", "")
		errs.Reset()
		assert.Equal(
			t,
			2,
			cli.Main(append(args, "--server", "http://127.0.0.1:1"), strings.NewReader(""), &out, &errs),
			"%v",
			args,
		)
	}
	t.Setenv("GATEMAP_MAP", demo)
	t.Setenv("GATEMAP_SERVER", "")
	var out, errs bytes.Buffer
	assert.Equal(
		t,
		2,
		cli.Main([]string{"history"}, strings.NewReader(""), &out, &errs),
		"a folder that is named is not passed over",
	)
	t.Setenv("GATEMAP_SERVER", "http://127.0.0.1:1")
	assert.Equal(
		t,
		0,
		cli.Main([]string{"difference", demo, demo}, strings.NewReader(""), &out, &errs),
		"a command that asks neither",
	)
}

func TestCSVSaysWhatJSONSays(t *testing.T) {
	rows := func(args ...string) []map[string]string {
		_, out, _ := run(t, append(args, "--map", demo, "-o", "csv")...)
		all, err := csv.NewReader(strings.NewReader(out)).ReadAll()
		require.NoError(t, err, "%v", args)
		var list []map[string]string
		for _, row := range all[1:] {
			m := map[string]string{}
			for i, head := range all[0] {
				m[head] = row[i]
			}
			list = append(list, m)
		}
		return list
	}
	assert.Equal(t, "all", rows("who", "proposals", "view", "--on", "proposal")[0]["breadth"])
	cells := map[string]bool{}
	for _, row := range rows("matrix", "--system", "proposals", "--right", "view") {
		cells[row["proposals view on proposal"]] = true
	}
	assert.Subset(t, slices.Collect(maps.Keys(cells)), []string{"none", "open (own)", "open (all)"})
	watched := false
	for _, row := range rows("reach", "ilse.okonjo", "--risk", "high") {
		watched = watched || strings.Contains(row["watch"], "sign-in-desk/nothing at high risk block")
	}
	assert.True(t, watched)
	assert.Contains(t, rows("who", "remote-access", "admit", "--on", "vpn")[0]["reply"], "=")
	assert.Contains(t, rows("why", "ilse.okonjo", "archive", "frames:read", "--on", "/raw/1999")[0]["decided_at"], "/raw")
}

// Markdown has the counts first, folds what is long, and takes no markup from names.
func TestMarkdown(t *testing.T) {
	for _, c := range []struct {
		args []string
		want []string
	}{
		{[]string{"reach", "ilse.okonjo"}, []string{"### What `cindervale/ilse.okonjo` holds\n\n28 open, 8 depends, 1 shut. Situation: none given\n\n| System |", "<details><summary>17 more</summary>", "| `archive` | `/` | `frames:list` | **open** |  |\n"}},
		{[]string{"reach", "ilse.okonjo", "--person"}, []string{"28 open"}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:write", "--on", "/raw/2026"}, []string{"### **depends**: `archive` `frames:write` on `/raw/2026` for `cindervale/ilse.okonjo`", "- Ilse Okonjo (cindervale/ilse.okonjo) holds"}},
		{[]string{"findings"}, []string{"### Findings: 5 errors, 16 warnings, 21 notes\n", "<details><summary>22 more</summary>"}},
		{[]string{"guarantees"}, []string{"### Guarantees: 10 kept, 2 broken\n", "| **broken** | the network team can ping |"}},
	} {
		_, out, errs := run(t, append(c.args, "--map", demo, "-o", "markdown")...)
		assert.Empty(t, errs)
		for _, want := range c.want {
			assert.Contains(t, out, want, "%v", c.args)
		}
	}
	next := filepath.Join(t.TempDir(), "next")
	require.NoError(t, os.CopyFS(next, os.DirFS(demo)))
	file := filepath.Join(next, "systems", "sky-tools.yaml")
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	content = bytes.Replace(content, []byte("seats: 14"), []byte("seats: 20"), 1)
	require.NoError(
		t,
		os.WriteFile(
			file,
			append(
				content,
				"---\nguarantees: [{guarantee: \"a | <b>*c*\\n`d`\", nobody: {everyone: true}, can: {system: sky-tools, right: calendar}}]\n"...),
			0o600,
		),
	)
	_, out, errs := run(t, "difference", demo, next, "-o", "markdown")
	assert.Empty(t, errs)
	for _, want := range []string{"gains, 0 losses, ", "| gain | `cindervale/yusra.lindqvist` | `sky-tools` |", "- kept again every scientist can reduce\n"} {
		assert.Contains(t, out, want)
	}
	_, out, _ = run(t, "guarantees", "--map", next, "-o", "markdown")
	assert.Contains(t, out, "| a \\| &lt;b&gt;\\*c\\* \\`d\\` |")
}

// A trial on a folder, from begin to end, with the exit codes that tell what is refused.
func TestTrialsRefusedOnAFolder(t *testing.T) {
	folder := filepath.Join(t.TempDir(), "map")
	require.NoError(t, os.CopyFS(folder, os.DirFS(demo)))
	must := func(code int, want string, args ...string) string {
		t.Helper()
		got, out, errs := run(t, append(args, "--map", folder)...)
		require.Equal(t, code, got, "%v: %s", args, errs)
		assert.Contains(t, out+errs, want)
		return out
	}
	must(0, "season", "trial", "begin", "season")
	must(5, "already", "trial", "begin", "season")
	must(5, "nothing is staged", "trial", "commit", "season", "--version", "1", "--reason", "x")
	must(2, "roles of archive does not hold lines", "trial", "line", "remove", "season", "archive", "roles", "reader")
	must(
		2,
		"mappings of archive holds lines: use remove-line",
		"trial",
		"part",
		"remove",
		"season",
		"archive",
		"mappings",
		"1",
	)
	must(0, "Nothing is staged.", "trial", "line", "remove", "season", "core-net", "rules", "nobody pings", "--dry-run")
	must(
		0,
		"Removes nobody pings from rules of core-net",
		"trial",
		"line",
		"remove",
		"season",
		"core-net",
		"rules",
		"nobody pings",
	)
	must(0, "### Trial `season`, version 2, on revision", "trial", "outcome", "season", "-o", "markdown")
	must(0, "", "trial", "set", "season", "ilse.okonjo", "active", "false")
	all := must(0, "loss", "trial", "outcome", "season", "-o", "csv")
	assert.NotContains(t, all, "this is a part")
	assert.Greater(t, strings.Count(all, "\n"), 10)
	must(
		0,
		"gatemap: this is a part: there is more after it: --cursor",
		"trial",
		"outcome",
		"season",
		"-o",
		"csv",
		"--limit",
		"3",
	)
	must(0, "gatemap: this is a part: there is more after it: --cursor", "search", "a", "-o", "csv", "--limit", "3")
	must(0, "", "trial", "unstage", "season", "2")
	must(0, "Nothing is staged yet", "trial", "unstage", "season", "1")
	must(2, "is not the number of a change", "trial", "unstage", "season", "first")
	file := filepath.Join(t.TempDir(), "changes.json")
	for content, want := range map[string]string{
		`[{"do":"set-user","user":"teo.marchetti","attribute":"title","values":"Cook"}]`: `unknown field "values"`,
		`[] []`: "there is more after the list", `{}`: "is not a list of changes",
	} {
		require.NoError(t, os.WriteFile(file, []byte(content), 0o600))
		must(2, want, "trial", "changes", "season", file)
	}
	must(
		0,
		"Switches nobody pings in rules of core-net off",
		"trial",
		"line",
		"off",
		"season",
		"core-net",
		"rules",
		"nobody pings",
	)
	must(0, "  off         {name: nobody pings", "system", "lines", "core-net", "--trial", "season")
	require.NoError(
		t,
		os.WriteFile(
			file,
			[]byte(
				`[{"sentence":"","by":"x","do":"switch-line","system":"core-net","list":"rules","line":"nobody pings","value":"on"}]`,
			),
			0o600,
		),
	)
	must(0, "Switches nobody pings in rules of core-net on", "trial", "changes", "season", file)
	must(5, "without that change another cannot be made", "trial", "unstage", "season", "1")
	must(0, "", "trial", "unstage", "season", "2")
	must(0, "", "trial", "unstage", "season", "1")
	must(0, "", "trial", "remove", "season")
	must(4, "there is no trial", "trial", "show", "season")
	must(0, "Replaces the document systems/doors.yaml", "trial", "from", "other", changed(t, folder))
}

// changed is a copy of a map folder that differs in one file.
func changed(t *testing.T, folder string) string {
	next := filepath.Join(t.TempDir(), "next")
	require.NoError(t, os.CopyFS(next, os.DirFS(folder)))
	file := filepath.Join(next, "systems", "doors.yaml")
	content, err := os.ReadFile(file)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(file, bytes.Replace(content, []byte("nobody pings"), []byte("no pings"), 1), 0o600))
	return next
}
