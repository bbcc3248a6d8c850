package main

import (
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/tools/database"
	"gatemap/workspace"
)

// The linked demo shows each sort of drift, and no other than was planted.
func TestTheLinkedDemoDriftsAsPlanted(t *testing.T) {
	folder, server, err := start(t.Context(), t.TempDir())
	require.NoError(t, err)
	defer server.Stop()
	t.Setenv(secret, database.Secret)
	files, err := connect.OpenFolder(folder)
	require.NoError(t, err)
	f, err := workspace.OpenFolder(t.Context(), folder, connect.Host{Files: files})
	require.NoError(t, err)
	all, err := f.Drifts(t.Context(), "frame-index", answer.DriftAsked{})
	require.NoError(t, err)
	d := all.Drifts[0]
	var causes []string
	for _, c := range d.Causes {
		causes = append(causes, string(c.Effect)+": "+c.Sentence)
	}
	slices.Sort(causes)
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
}
