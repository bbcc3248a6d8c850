package workspace_test

import (
	"math/rand/v2"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/query"
)

func demoAnswers(t *testing.T) query.Answers {
	t.Helper()
	a, err := demoFolder(t).Compile("demo")
	require.NoError(t, err)
	return query.From(a)
}

// Every cell of a matrix is what asking for that person says, and nothing that
// anyone holds is left out.
func TestAMatrixIsWhatAskingOneByOneSays(t *testing.T) {
	a := demoAnswers(t)
	m, err := a.Matrix(ctx, "", "", "", situation.Situation{})
	require.NoError(t, err)
	require.Len(t, m.Rows, 60)
	for _, row := range m.Rows {
		reach, err := a.Reach(ctx, row.User, "", situation.Situation{})
		require.NoError(t, err)
		held := map[answer.Column]rule.State{}
		for _, e := range reach.Entitlements {
			held[answer.Column{System: e.System, Object: e.Object, Right: e.Right}] = e.State
		}
		for i, c := range m.Columns {
			require.Equal(t, held[c], row.States[i], "%s %v", row.User, c)
			delete(held, c)
		}
		require.Empty(t, held, row.User)
	}
}

func TestAMatrixCanBeNarrowed(t *testing.T) {
	a := demoAnswers(t)
	m, err := a.Matrix(ctx, "archive", "night-crew", "frames:w*", situation.Situation{})
	require.NoError(t, err)
	assert.Equal(t, []answer.Column{{System: "archive", Object: "/raw/2026", Right: "frames:write"}}, m.Columns)
	assert.Len(t, m.Rows, 9, "the crew, the one who left included")
	m, err = a.Matrix(ctx, "archive", "", "no:such", situation.Situation{})
	require.NoError(t, err)
	assert.Empty(t, m.Rows)
	_, err = a.Matrix(ctx, "archiv", "", "", situation.Situation{})
	assert.ErrorContains(t, err, "did you mean archive?")
	_, err = a.Matrix(ctx, "", "nite-crew", "", situation.Situation{})
	assert.ErrorContains(t, err, "did you mean night-crew?")
}

// A week in spans is what asking at any moment says, also in the weeks in which the clock
// changes; spans follow each other, and no two neighbours are alike.
func TestAWeekIsWhatAskingAtEachMomentSays(t *testing.T) {
	a := demoAnswers(t)
	dice := rand.New(rand.NewPCG(1, 2))
	for _, day := range []time.Time{time.Date(2026, 11, 27, 13, 0, 0, 0, time.UTC), time.Date(2026, 10, 25, 12, 0, 0, 0, time.UTC), time.Date(2027, 3, 28, 12, 0, 0, 0, time.UTC), time.Date(2026, 12, 1, 0, 0, 0, 0, time.UTC)} {
		for _, user := range []string{"xenia.morrow", "ilse.okonjo", "vic.aldaine"} {
			given := situation.Situation{At: day}
			if dice.IntN(2) == 0 {
				given.Strength = "aal2"
			}
			h, err := a.Hours(ctx, user, "", given)
			require.NoError(t, err)
			assert.NotContains(t, h.Situation, "at")
			require.NotEmpty(t, h.Weeks)
			for _, w := range h.Weeks {
				require.Equal(t, h.Monday+" 00:00:00", w.Spans[0].From.Format(time.DateTime))
				require.Equal(t, time.Monday, w.Spans[len(w.Spans)-1].To.Weekday())
				for i, s := range w.Spans[1:] {
					require.Equal(t, w.Spans[i].To, s.From)
					require.NotEqual(t, []any{w.Spans[i].State, w.Spans[i].OpenIf}, []any{s.State, s.OpenIf})
				}
			}
			from, to := h.Weeks[0].Spans[0].From, h.Weeks[0].Spans[len(h.Weeks[0].Spans)-1].To
			var moments []time.Time
			for range 40 {
				moments = append(moments, from.Add(time.Duration(dice.Int64N(int64(to.Sub(from)/time.Second)))*time.Second))
			}
			for _, w := range h.Weeks { // and just at the edges
				for _, s := range w.Spans[1:] {
					moments = append(moments, s.From, s.From.Add(-time.Second))
				}
			}
			slices.SortFunc(moments, time.Time.Compare)
			for _, at := range slices.CompactFunc(moments, time.Time.Equal) {
				given.At = at
				reach, err := a.Reach(ctx, user, "", given)
				require.NoError(t, err)
				held := map[answer.Column]rule.Entitlement{}
				for _, e := range reach.Entitlements {
					held[answer.Column{System: e.System, Object: e.Object, Right: e.Right}] = e
				}
				for _, w := range h.Weeks {
					i := slices.IndexFunc(w.Spans, func(s answer.Span) bool { return at.Before(s.To) })
					e := held[w.Column]
					require.Equal(t, e.State, w.Spans[i].State, "%v at %v", w.Column, at)
					require.True(
						t,
						slices.EqualFunc(e.OpenIf, w.Spans[i].OpenIf, slices.Equal[[]situation.Need]),
						"%v at %v",
						w.Column,
						at,
					)
				}
			}
		}
	}
	_, err := a.Hours(ctx, "xenia.morrow", "", situation.Situation{})
	assert.ErrorContains(t, err, "to say which week")
}

func TestDescriptions(t *testing.T) {
	head := demoService(t).Head()
	m, err := head.Map(ctx)
	require.NoError(t, err)
	assert.Equal(t, []int{60, 45, 12}, []int{m.Users, m.Groups, m.Systems})
	assert.Equal(t, "Atlantic/Canary", m.TimeZone)
	u, err := head.User("noor.haddix")
	require.NoError(t, err)
	assert.False(t, u.Active)
	u, err = head.User("vic.aldaine")
	require.NoError(t, err)
	assert.Equal(t, "2036-12-31", u.Expires.Format(time.DateOnly))
	g, err := head.Group(ctx, "night-assistants")
	require.NoError(t, err)
	assert.Equal(t, []string{"cindervale/greta.falk"}, g.Managers)
	assert.Equal(t, []string{"cindervale/night-crew"}, g.MemberOf)
	g, err = head.Group(ctx, "reduction-users")
	require.NoError(t, err)
	assert.Equal(
		t,
		[]string{"host", "reduction-hosts", "security", "any"},
		[]string{g.UsableIn, g.Host, g.Kind, g.MembersFrom},
	)
	s, err := head.System(ctx, "CORE-NET")
	require.NoError(t, err)
	assert.Equal(t, []string{"firewall", "systems/doors.yaml"}, []string{s.Type, s.File})
	assert.Contains(t, string(s.Document), `"zones"`)
	for _, lookup := range []func() error{
		func() error { _, err := head.User("x"); return err }, func() error { _, err := head.Group(ctx, "x"); return err }, func() error { _, err := head.System(ctx, "x"); return err },
	} {
		assert.ErrorContains(t, lookup(), "there is no")
	}
}

// Pages of people are those of the whole list, one after the other.
func TestPeopleComeByPage(t *testing.T) {
	h := demoService(t).Head()
	who, err := h.Who(ctx, "archive", "frames:read", "/raw", situation.Situation{})
	require.NoError(t, err)
	require.Len(t, who.Users, who.Total)
	members, err := h.Members(ctx, "observatory-staff")
	require.NoError(t, err)
	require.Len(t, members.Members, members.Total)
	for _, limit := range []int{1, 7, who.Total, 1000} {
		var holders []answer.Holder
		var people []answer.Member
		for cursor := ""; ; {
			page, err := h.WhoPage(ctx, "archive", "frames:read", "/raw", situation.Situation{}, limit, cursor)
			require.NoError(t, err)
			require.LessOrEqual(t, len(page.Users), limit)
			assert.Equal(t, who.Total, page.Total)
			holders = append(holders, page.Users...)
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		for cursor := ""; ; {
			page, err := h.MembersPage(ctx, "observatory-staff", limit, cursor)
			require.NoError(t, err)
			require.LessOrEqual(t, len(page.Members), limit)
			people = append(people, page.Members...)
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		assert.Equal(t, who.Users, holders)
		assert.Equal(t, members.Members, people)
	}
	var field *situation.FieldError
	_, err = h.WhoPage(ctx, "archive", "frames:read", "/raw", situation.Situation{}, 5, "nonsense!")
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "cursor", field.Field)
	past, err := h.MembersPage(ctx, "observatory-staff", 5, "OTk5OTk") // 99999
	require.NoError(t, err)
	assert.Empty(t, past.Members)
	assert.Empty(t, past.Next)
}
