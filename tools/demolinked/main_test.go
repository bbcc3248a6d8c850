package main

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/workspace"
)

// linkedDemo starts the systems of the demo, which end with the test.
func linkedDemo(t *testing.T) (*linked, connect.Host) {
	t.Helper()
	l, err := start(t.Context(), t.TempDir())
	require.NoError(t, err)
	t.Cleanup(l.stop)
	for _, s := range l.secrets() {
		named, value, _ := strings.Cut(s, "=")
		t.Setenv(named, value)
	}
	files, err := connect.OpenFolder(l.folder)
	require.NoError(t, err)
	return l, connect.Host{Files: files}
}

// The linked demo shows each sort of drift, and no other than was planted.
func TestTheLinkedDemoDriftsAsPlanted(t *testing.T) {
	l, host := linkedDemo(t)
	f, err := workspace.OpenFolder(t.Context(), l.folder, host)
	require.NoError(t, err)
	drifted := func(system string) (answer.Drift, []string) {
		all, err := f.Drifts(t.Context(), system, answer.DriftAsked{})
		require.NoError(t, err)
		var causes []string
		for _, c := range all.Drifts[0].Causes {
			causes = append(causes, string(c.Effect)+": "+c.Sentence)
		}
		slices.Sort(causes)
		return all.Drifts[0], causes
	}
	d, causes := drifted("frame-index")
	assert.Equal(t, []string{
		"excess: cindervale/noor.haddix is switched off or has ended by the map, and can use an account there",
		"excess: cindervale/vic.aldaine is in gm_night-crew there, and not in cindervale/night-crew",
		"excess: it comes by legacy_admins there, which is no group of the map",
		"excess: it is given to the account of cindervale/joss.ferrant itself there",
		"excess: the account frame-index/field_station belongs to nobody of the map",
		"short: cindervale/thea.ondracek is not in gm_archivists there, and is in cindervale/archivists",
		"short: line frame-index/mapping 3 is not given to gm_night-crew there",
		"short: the account of cindervale/bram.ystad cannot be used there",
	}, causes)
	assert.Len(t, d.Unknown, 1)
	if len(l.machines) == 0 {
		t.Skip("hosts of their own need root")
	}
	d, causes = drifted("dome-hosts")
	assert.Equal(t, []string{
		"excess: cindervale/teo.marchetti is in dome-engineers on dome1.cindervale.example there, and not in cindervale/dome-engineers",
		"excess: line dome-hosts/elevate 1 has a condition that is not there",
		"excess: night-crew on dome1.cindervale.example is given more there than cindervale/night-crew by the map",
		"excess: the account dome-hosts/dome_vendor belongs to nobody of the map",
		"short: cindervale/pim.castellan is not in dome-engineers on dome1.cindervale.example there, and is in cindervale/dome-engineers",
		"short: line dome-hosts/login 4 there stops it",
	}, causes)
	assert.Equal(t, 1, d.BeyondAll, "%v", d.Beyond)
}

// Line by line the map is made what is there; then no line differs, of a real database and of real hosts.
func TestTheLinkedDemoIsAdoptedByLine(t *testing.T) {
	l, host := linkedDemo(t)
	systems := []string{"sky-tools", "frame-index"}
	if len(l.machines) > 0 {
		systems = append(systems, "dome-hosts")
	}
	n := 0
	for _, system := range systems {
		for {
			f, err := workspace.OpenFolder(t.Context(), l.folder, host)
			require.NoError(t, err)
			all, err := f.Drifts(t.Context(), system, answer.DriftAsked{})
			require.NoError(t, err)
			lines := all.Drifts[0].Lines
			if len(lines) == 0 {
				break
			}
			n++
			require.Less(t, n, 30, "%v", lines)
			trial, err := f.Adopt(
				t.Context(),
				fmt.Sprint("line-", n),
				answer.Adopting{System: system, Lines: []string{lines[0].Line}},
			)
			require.NoError(t, err, "%v", lines[0])
			_, err = f.CommitTrial(t.Context(), trial.Name, trial.Version, "as it is there", "as it is there", "")
			require.NoError(t, err)
		}
	}
	assert.Greater(t, n, 8)
}
