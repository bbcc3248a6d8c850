package workspace_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/service/query"
)

// A chart that sums up counts whom the lines of the systems name, and an entered one shows what leads
// from there.
func TestTheChartSumsUpAndIsEntered(t *testing.T) {
	h := demoService(t).Head()
	book := h.Atlas.Book
	for _, types := range []bool{false, true} {
		c, err := h.Chart(answer.ChartAsked{Most: 40, By: "department", Types: types})
		require.NoError(t, err)
		people, want := 0, map[string]int{}
		for _, g := range c.Groups {
			people += g.People
		}
		assert.Equal(t, book.UserCount(), people, "everyone is in one of them")
		for _, s := range h.Atlas.Systems {
			to := s.Name()
			if types {
				to = s.Document.Type.Name
			}
			for _, u := range rule.Candidates(book, s.Site.Index.All()) {
				want[fmt.Sprint(to, " ", book.UserName(u))] = 1
			}
		}
		sums, got := map[string]int{}, map[string]int{}
		for at := range want {
			system, user, _ := strings.Cut(at, " ")
			u, err := book.FindUser(user, "")
			require.NoError(t, err)
			sums[system+" "+book.User(u).Attributes.First("department")]++
		}
		for _, l := range c.Links {
			got[l.System+" "+l.Group] = l.People
		}
		assert.Equal(t, sums, got)
	}
	c, err := h.Chart(answer.ChartAsked{Most: 40, By: "directory", Type: "roles"})
	require.NoError(t, err)
	assert.Len(t, c.Systems, 2)
	assert.Len(t, c.Groups, 2)

	c, err = h.Chart(answer.ChartAsked{Most: 40, User: "ilse.okonjo"})
	require.NoError(t, err)
	subject := book.Subject(user(t, h, "ilse.okonjo"))
	for _, g := range c.Groups {
		id, err := book.FindGroup(g.Group, "")
		require.NoError(t, err)
		assert.True(t, subject.In(id), g.Group)
	}
	c, err = h.Chart(answer.ChartAsked{Most: 40, Group: "night-crew"})
	require.NoError(t, err)
	assert.True(t, slices.ContainsFunc(c.Links, func(l answer.ChartLink) bool {
		return l.Group == "cindervale/night-crew" && l.System == "archive"
	}))
	c, err = h.Chart(answer.ChartAsked{Most: 40, System: "ledger"})
	require.NoError(t, err)
	var systems []string
	for _, s := range c.Systems {
		systems = append(systems, s.System)
	}
	assert.ElementsMatch(t, []string{"ledger", "sign-in-desk", "remote-access"}, systems)
	for _, bad := range []answer.ChartAsked{{System: "ledgr"}, {Group: "nigt-crew"}, {User: "ilse"}} {
		_, err := h.Chart(bad)
		assert.Error(t, err, "%+v", bad)
	}
}

func user(t *testing.T, h *query.Head, named string) directory.UserID {
	t.Helper()
	u, err := h.Atlas.Book.FindUser(named, "")
	require.NoError(t, err)
	return u
}
