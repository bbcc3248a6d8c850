package cli

import (
	"context"
	"encoding/xml"
	"fmt"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/finding"
)

// checked is one thing that a check looked at, in the terms of the forms that
// code reviews and pipelines read.
type checked struct {
	rule    string
	name    string
	level   string // error, warning or note; empty: nothing is wrong
	message string
	file    string
	line    int32
	column  int32
}

func checkedFindings(f *answer.Findings) []checked {
	var list []checked
	for _, x := range f.Findings {
		list = append(list, checked{
			rule: string(x.Code), name: placeOf(x.Where), level: string(x.Severity), message: x.Message + " " + x.Fix,
			file: x.Where.File, line: x.Where.Line, column: x.Where.Column,
		})
	}
	return list
}

func checkedGuarantees(g *answer.Guarantees) []checked {
	var list []checked
	for _, x := range g.Guarantees {
		c := checked{rule: "guarantee", name: x.Guarantee, message: x.Guarantee + ": " + x.Reason, file: x.File, line: x.Line}
		if x.Broken() {
			c.level = string(finding.Error)
		}
		list = append(list, c)
	}
	return list
}

// report runs a check and writes it as SARIF 2.1.0 (OASIS) or JUnit XML.
func report(a *app, cmd *cobra.Command, check func(context.Context, answer.Asker) ([]checked, bool, error)) error {
	asker, err := a.asker(cmd.Context())
	if err != nil {
		return err
	}
	list, failed, err := check(cmd.Context(), asker)
	if err != nil {
		return err
	}
	a.failed = failed
	if a.format == asSARIF {
		return a.writeJSON(sarif(list))
	}
	return a.writeJUnit(cmd.Name(), list)
}

type object = map[string]any

func sarif(list []checked) object {
	rules, results := []object{}, []object{}
	seen := map[string]bool{}
	for _, c := range list {
		if c.level == "" {
			continue
		}
		if !seen[c.rule] {
			seen[c.rule] = true
			rules = append(rules, object{"id": c.rule})
		}
		result := object{"ruleId": c.rule, "level": c.level, "message": object{"text": c.message}}
		if c.file != "" {
			region := object{"startLine": max(1, c.line)}
			if c.column > 0 {
				region["startColumn"] = c.column
			}
			result["locations"] = []object{
				{"physicalLocation": object{"artifactLocation": object{"uri": c.file}, "region": region}},
			}
		}
		results = append(results, result)
	}
	return object{
		"version": "2.1.0",
		"$schema": "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json",
		"runs": []object{
			{"tool": object{"driver": object{"name": "Gate Map", "version": Version, "rules": rules}}, "results": results},
		},
	}
}

type suite struct {
	XMLName  xml.Name   `xml:"testsuite"`
	Name     string     `xml:"name,attr"`
	Tests    int        `xml:"tests,attr"`
	Failures int        `xml:"failures,attr"`
	Cases    []testCase `xml:"testcase"`
}

type testCase struct {
	Name    string   `xml:"name,attr"`
	Class   string   `xml:"classname,attr"`
	Failure *failure `xml:"failure,omitempty"`
	Output  string   `xml:"system-out,omitempty"`
}

type failure struct {
	Message string `xml:"message,attr"`
	Text    string `xml:",chardata"`
}

// writeJUnit writes each thing as a test case: errors fail, the rest is output.
func (a *app) writeJUnit(name string, list []checked) error {
	s := suite{Name: "gatemap " + name, Tests: len(list)}
	for _, c := range list {
		t := testCase{Name: c.name, Class: c.rule}
		if c.level == string(finding.Error) {
			s.Failures++
			t.Failure = &failure{c.message, fmt.Sprintf("%s:%d: %s", c.file, c.line, c.message)}
		} else {
			t.Output = c.message
		}
		s.Cases = append(s.Cases, t)
	}
	a.print("%s", xml.Header)
	enc := xml.NewEncoder(a.out)
	enc.Indent("", "  ")
	if err := enc.Encode(s); err != nil {
		return err
	}
	a.print("\n")
	return nil
}
