package cli_test

import (
	"bytes"
	"encoding/csv"
	"encoding/json"
	"encoding/xml"
	"os"
	"path/filepath"
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
		{[]string{"reach", "ilse.okonjo", "--map", demo, "-o", "yaml"}, 2, "one of text, json, csv, sarif, junit"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--server", "http://127.0.0.1:1"}, 2, "exclude each other"},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "-o", "sarif"}, 2, "for findings and guarantees only"},
		{[]string{"difference", demo, demo, "-o", "junit"}, 2, "for findings and guarantees only"},
		{[]string{"matrix", "--map", demo}, 2, "narrow it with --system"},
		{[]string{"matrix", "--map", demo, "--group", "crow"}, 4, "there is no group"},
		{[]string{"guarantees", "--map", demo}, 1, ""},
		{[]string{"difference", demo, demo}, 0, ""},
		{[]string{"difference", demo, "nowhere"}, 3, "cannot load the map in nowhere"},
		{[]string{"compare", "ilse.okonjo", "jory.pell", "--map", demo}, 4, "ambiguous: say which of cindervale/jory.pell, ridge/jory.pell is meant"},
		{[]string{"find", "x", "--kind", "person", "--map", demo}, 2, "one of user, group, system, device"},
		{[]string{"reach", "x", "--map", "nowhere"}, 3, "cannot load the map in nowhere"},
		{[]string{"reach", "x", "--map", bad}, 3, `gatemap.yaml:1:1: unknown key "titel"; did you mean title?`},
		{[]string{"reach", "x", "--server", "http://127.0.0.1:1"}, 3, "cannot be reached"},
		{[]string{"reach", "x", "--server", "nonsense"}, 3, "is not the address of a service"},
		{[]string{"reach", "x", "--token-file", "nowhere"}, 3, "the token cannot be read"},
		{[]string{"reach", "ilse.okonj", "--map", demo}, 4, "did you mean ilse.okonjo?"},
		{[]string{"members", "nigth-crew", "--map", demo}, 4, "did you mean night-crew?"},
		{[]string{"why", "ilse.okonjo", "archiv", "frames:read", "--map", demo}, 4, "did you mean archive?"},
		{[]string{"why", "ilse.okonjo", "archive", "frames:reed", "--map", demo}, 4, "did you mean frames:read"},
		{[]string{"who", "archive", "frames:read", "--on", "raw", "--map", demo}, 4, `there is no object "raw" in system archive; did you mean /raw`},
		{[]string{"reach", "ilse.okonjo", "--map", demo, "--device-name", "loner-7"}, 4, "did you mean loaner-7?"},
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
			"Ilse Okonjo (cindervale/ilse.okonjo)\nSituation: none given\n", "\narchive\n", "frames:write  ┃╌┃ depends  if the source address is in summit, and the time is in the window night",
			"\nsky-tools\n  planner  calendar  ┃ ┃ open\n", "28 open, 8 depends, 1 shut",
		}},
		{[]string{"reach", "ilse.okonjo", "--system", "SKY-TOOLS"}, []string{"2 open, 0 depends"}},
		{[]string{"reach", "noor.haddix", "--system", "sky-tools"}, []string{"┃━┃ shut     inactive"}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:write", "--on", "/raw/2026", "--from", "203.0.113.9"}, []string{
			"┃━┃ shut     archive frames:write on /raw/2026", "but it is shut in this situation (from 203.0.113.9).",
			"Line archive/mapping 2 gives it only if the source address is in summit.",
			"Line archive/mapping 2 gives it: cindervale/ilse.okonjo is listed in cindervale/night-assistants, which is in cindervale/night-crew.",
		}},
		{[]string{"why", "ilse.okonjo", "core-net", "ssh", "--on", "dome", "--lines"}, []string{
			"core-net/dome engineers to the dome  is for others            group:cindervale/dome-engineers\n",
			"core-net/crew to the dome by night   may decide               network:summit; window:night\n", "core-net/nobody else to the dome     decides\n", "core-net/nobody pings                is about something else\n",
		}},
		{[]string{"why", "ilse.okonjo", "core-net", "ssh", "--on", "dome", "--lines", "-o", "csv"}, []string{"line,fate,needs,lacks\n", "core-net/nobody else to the dome,decides,,\n"}},
		{[]string{"find", "pings", "--kind", "line"}, []string{"line    core-net/nobody pings", "2 of 2"}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:purge", "--on", "/raw"}, []string{
			"does not hold frames:purge on /raw in archive.", "Line archive/mapping 6 gives it to members of cindervale/archivists.",
		}},
		{[]string{"why", "ilse.okonjo", "archive", "frames:read", "--on", "/raw/1999"}, []string{"/raw/1999 is not declared; /raw above it decides."}},
		{[]string{"who", "archive", "frames:purge", "--on", "/raw", "--from", "203.0.113.4", "--risk", "low"}, []string{"cindervale/rana.solberg     ┃ ┃ open     cindervale/archivists > archive/mapping 6", "3 people"}},
		{[]string{"members", "archive-readers"}, []string{"cindervale/ilse.okonjo        nested   by cindervale/night-assistants > ", "52 members"}},
		{[]string{"members", "open-days"}, []string{"cindervale/paloma.rask  direct\n\n1 member\n"}},
		{[]string{"groups", "ilse.okonjo"}, []string{"cindervale/night-crew         nested   by cindervale/night-assistants\n", "8 groups"}},
		{[]string{"compare", "ilse.okonjo", "bram.ystad"}, []string{"Only cindervale/bram.ystad\n", "night-files write on logs:/shift  ", "(with other claims, or another reply)"}},
		{[]string{"guarantees"}, []string{"kept    the crew writes by night\n        All 8 can.", "broken  the network team can ping", "cindervale/cosmo.adeyemi  core-net ping on control  rule nobody else to the dome", "10 kept, 2 broken"}},
		{[]string{"matrix", "--system", "ledger"}, []string{" 1  ledger approve on entry", "cindervale/greta.falk      ┃╌┃   ·   ┃╌┃  ┃╌┃"}},
		{[]string{"hours", "ilse.okonjo", "--system", "dome-hosts", "--from", "198.51.100.9", "--at", "2026-11-25T12:00:00Z"}, []string{
			"Week of 2026-11-23, Atlantic/Canary", "dome-hosts login on dome1.cindervale.example  ┃ ┃ open     every day 00–07, 18–24\n", "┃━┃ shut     every day 07–18",
		}},
		{[]string{"hours", "xenia.morrow", "--system", "archive", "--strength", "aal2", "--at", "2026-12-01T00:00:00Z"}, []string{"┃ ┃ open     mon 00–12\n", "┃━┃ shut     mon 12–24; tue to sun"}},
		{[]string{"why", "dagny.oyelaran", "archive", "frames:write", "--on", "/raw/2026"}, []string{"Way in: Membership of cindervale/night-crew would give it, on conditions, and bring 11 other entitlements: core-net ssh on dome"}},
		{[]string{"find", "comet"}, []string{"group   cindervale/comet-campaign", "1 of 1"}},
		{[]string{"find", "--limit", "2", "--kind", "user"}, []string{"2 of 60\nGo on with --cursor "}},
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
		{"members", "night-crew"}, {"groups", "ilse.okonjo"}, {"findings"}, {"find", "night"}, {"guarantees"},
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
		assert.Equal(t, c.Name == "the network team can ping" || c.Name == "every scientist can reduce", c.Failure != nil, c.Name)
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
	for _, want := range []string{"Gains\n", "cindervale/yusra.lindqvist  ┃ ┃ open     sky-tools pipeline on reduction-suite\n", "Guarantee mended  every scientist can reduce", "0 losses", "warning no-seat:"} {
		assert.Contains(t, out, want)
	}
	_, out, _ = run(t, "difference", next, demo, "-o", "csv")
	assert.Contains(t, out, "loss,cindervale/yusra.lindqvist,sky-tools,reduction-suite,pipeline,open,\n")
}

func TestCompletion(t *testing.T) {
	for typed, want := range map[string]string{
		"reach|il": "ilse.okonjo\tIlse Okonjo\n", "reach|cindervale/il": "cindervale/ilse.okonjo\tIlse Okonjo\n",
		"members|night-c": "night-crew\t", "why|ilse.okonjo|sky": "sky-tools\tReduction licences\n", "who|arc": "archive\tImage archive\n",
		"reach|--risk|": "medium\n", "reach|x|--system|": "sky-tools\t",
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
	require.NoError(t, os.WriteFile(list, []byte("# who should be in it\nilse.okonjo;Ilse\nBRAM.YSTADT\nteo.marchetti\nnobody.here\n"), 0o600))
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
	assert.Contains(t, errs, "name one with --server")
	code, _, _ = run(t, "reach", "ilse.okonjo", "--person", "--map", demo)
	assert.Equal(t, 0, code)
}
