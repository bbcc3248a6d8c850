package workspace_test

import (
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/service/access"
	"gatemap/store"
)

// Whoever is not known does not fill the audit: what is more than some is summed up.
func TestRefusalsAreSummedUp(t *testing.T) {
	folder := t.TempDir()
	s := small(t, folder)
	for i := range 500 {
		_, _, err := s.Sessions.SignIn(ctx, access.SignIn{Token: "gm_wrong"}, fmt.Sprintf("198.51.100.%d", i%50))
		require.Error(t, err)
	}
	require.NoError(t, s.Close())
	st, err := store.Open(ctx, folder, "")
	require.NoError(t, err)
	defer st.Close()
	list, err := st.Entries(ctx, store.Asked{Limit: 1000})
	require.NoError(t, err)
	refused := 0
	for _, e := range list {
		if e.Act == "sign-in" {
			refused++
		}
	}
	assert.Equal(t, 61, refused)
	assert.True(t, strings.HasPrefix(list[0].Detail, "440 more since "), list[0].Detail)
	assert.Contains(t, list[0].Detail, "from 50 addresses")
	h, err := st.Verify(ctx, "")
	require.NoError(t, err)
	assert.Equal(t, int64(len(list)), h.Number)
}
