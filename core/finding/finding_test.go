package finding_test

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"gatemap/core/finding"
	"gatemap/core/place"
)

func TestFindingsComeTheWorstFirst(t *testing.T) {
	at := func(line int32) place.Place { return place.Place{File: "f", Line: line} }
	list := []finding.Finding{
		finding.New(finding.UnusedGroup, at(1), "m", "f"), finding.New(finding.Cycle, at(9), "m", "f"),
		finding.New(
			finding.UnknownName,
			at(7),
			"m",
			"f",
			"x",
		), finding.New(finding.UnknownName, at(2), "m", "f"), finding.New(finding.MailGroup, at(8), "m", "f"),
	}
	finding.Sort(list)
	var got []string
	for _, f := range list {
		got = append(got, string(f.Severity)+" "+string(f.Code))
		assert.NotNil(t, f.Names, "written as an empty list")
	}
	assert.Equal(
		t,
		[]string{"error mail-group", "error unknown-name", "error unknown-name", "warning cycle", "note unused-group"},
		got,
	)
	assert.EqualValues(t, 2, list[1].Where.Line)
}
