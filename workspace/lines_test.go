package workspace_test

import (
	"encoding/json"
	"fmt"
	"slices"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/stage"
	"gatemap/store"
)

func passes(p *answer.Probe) map[string]rule.Pass {
	by := map[string]rule.Pass{}
	for _, pass := range p.Passes {
		by[pass.Line] = pass
	}
	return by
}

// For everyone, everything that they hold and several situations: a probe tells of every
// line once, and agrees with the answer on which of them have a part in it.
func TestAProbeAgreesWithTheAnswer(t *testing.T) {
	if testing.Short() {
		t.Skip("a law of what is computed, not of what is done at once")
	}
	s := demoService(t)
	h := s.Head()
	for _, facts := range situations[:4] {
		in := given(t, facts)
		users, err := h.Search(ctx, "", answer.KindUser, 0, "")
		require.NoError(t, err)
		for i, u := range users.Items {
			if i%4 != 0 {
				continue
			}
			held, err := h.Reach(ctx, u.Name, "", in)
			require.NoError(t, err)
			for _, e := range held.Entitlements {
				probe, err := h.Probe(ctx, u.Name, e.System, e.Right, e.Object, in)
				require.NoError(t, err)
				assert.Equal(t, e.State, probe.State)
				by := passes(probe)
				lines, err := h.Lines(ctx, e.System)
				require.NoError(t, err)
				require.GreaterOrEqual(t, len(by), len(lines.Lines), "each line once, and what decides besides")
				for _, line := range lines.Lines {
					require.Contains(t, by, line.Line)
				}
				for _, r := range probe.Routes {
					if pass, known := by[r.Mapping]; known { // a default is no line
						assert.NotContains(
							t,
							[]rule.Fate{rule.Others, rule.Elsewhere},
							pass.Fate,
							"%s holds %s %s of %s by %s",
							u.Name,
							e.Right,
							e.Object,
							e.System,
							r.Mapping,
						)
					}
				}
				for _, stop := range probe.ShutBy {
					pass, known := by[stop.At]
					switch {
					case !known:
					case stop.Reason == rule.ByCondition:
						assert.Equal(t, rule.Unmet, pass.Fate, "%s %s %s: %+v", u.Name, e.System, e.Right, stop)
					case stop.Reason == rule.ByDeny, stop.Reason == rule.ByLimit, stop.Reason == rule.ByRule:
						assert.Equal(t, rule.Decides, pass.Fate, "%s %s %s: %+v", u.Name, e.System, e.Right, stop)
					}
				}
			}
		}
	}
}

func TestWhatAProbeSays(t *testing.T) {
	h := demoService(t).Head()
	for name, x := range map[string]struct {
		user, system, right, object string
		facts                       map[string]string
		fates                       map[string]rule.Pass
	}{
		"ordered rules": {"ilse.okonjo", "core-net", "ssh", "dome", map[string]string{"from": "198.51.100.9", "at": "2026-11-23T12:00:00Z"}, map[string]rule.Pass{
			"core-net/dome engineers to the dome": {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/dome-engineers"}},
			"core-net/crew to the dome by night":  {Fate: rule.Unmet, Needs: needs("window:night")},
			"core-net/nobody else to the dome":    {Fate: rule.Decides},
			"core-net/nobody pings":               {Fate: rule.Elsewhere},
		}},
		"what waits for a fact": {"ilse.okonjo", "archive", "frames:write", "/raw/2026", nil, map[string]rule.Pass{
			"archive/mapping 2":            {Fate: rule.May, Needs: needs("network:summit", "window:night")},
			"archive/nothing at high risk": {Fate: rule.May, Needs: needs("risk:high")},
			"archive/mapping 6":            {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/archivists"}},
			"archive/mapping 10":           {Fate: rule.Others, Lacks: nil}, // it names something that does not exist
		}},
		"two locks": {"ilse.okonjo", "night-files", "read", "logs:/shift", nil, map[string]rule.Pass{
			"night-files/logs door entry 1":   {Fate: rule.Decides},
			"night-files/logs:/shift entry 2": {Fate: rule.Decides},
			"night-files/logs:/ entry 1":      {Fate: rule.Elsewhere},
			"night-files/charts door entry 1": {Fate: rule.Elsewhere},
			"night-files/logs:/shift entry 1": {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/shift-leads"}},
		}},
		"claims": {"ilse.okonjo", "cloud-link", "sign-in", "compute", nil, map[string]rule.Pass{
			"cloud-link/compute claim mail 1": {Fate: rule.Decides},
			"cloud-link/compute admit 1":      {Fate: rule.Decides},
			"cloud-link/compute admit 2":      {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/suspended"}},
		}},
		"tags": {"ilse.okonjo", "remote-access", "admit", "vpn", map[string]string{"device": "managed"}, map[string]rule.Pass{
			"remote-access/tag crew 1":      {Fate: rule.Decides},
			"remote-access/crew by vpn":     {Fate: rule.Decides},
			"remote-access/staff by vpn":    {Fate: rule.Overtaken},
			"remote-access/partners by vpn": {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/partners"}},
			"remote-access/staff on wifi":   {Fate: rule.Elsewhere},
		}},
		"policies": {"ilse.okonjo", "sign-in-desk", "sign-in", "ledger", map[string]string{"from": "203.0.113.9", "client": "browser"}, map[string]rule.Pass{
			"sign-in-desk/no old clients":          {Fate: rule.Unmet, Needs: needs("client:legacy")},
			"sign-in-desk/stronger from outside":   {Fate: rule.Unmet, Needs: needs("not-network:summit|office")},
			"sign-in-desk/books on sound machines": {Fate: rule.Others, Lacks: []rule.Lack{"group:cindervale/accounting"}},
		}},
	} {
		t.Run(name, func(t *testing.T) {
			probe, err := h.Probe(ctx, x.user, x.system, x.right, x.object, given(t, x.facts))
			require.NoError(t, err)
			by := passes(probe)
			for line, want := range x.fates {
				want.Line, want.Part = line, by[line].Part
				assert.Equal(t, want.Settled(), by[line])
			}
		})
	}
}

func TestLinesSayWhereTheyStandAndForHowMany(t *testing.T) {
	s := demoService(t)
	lines, err := s.Head().Lines(ctx, "core-net")
	require.NoError(t, err)
	first := lines.Lines[0]
	assert.Equal(t, "core-net/dome engineers to the dome", first.Line)
	assert.Equal(t, []any{"rules", 1, "systems/doors.yaml", 4}, []any{first.List, first.Number, first.File, first.People})
	assert.Equal(t, []string{"cindervale/dome-engineers"}, first.Groups)
	var value struct{ Name, Action string }
	require.NoError(t, json.Unmarshal(first.Value, &value))
	assert.Equal(t, "permit", value.Action)
	lines, err = s.Head().Lines(ctx, "sign-in-desk")
	require.NoError(t, err)
	assert.Equal(t, 59, lines.Lines[0].People, "an exception is left out")
	lines, err = s.Head().Lines(ctx, "compute")
	require.NoError(t, err)
	i := slices.IndexFunc(lines.Lines, func(l answer.Line) bool { return l.Line == "compute/mapping 1" })
	assert.Positive(t, lines.Lines[i].People, "those who come by a claim count")
	lines, err = s.Head().Lines(ctx, "remote-access")
	require.NoError(t, err)
	for policy, tag := range map[string]string{"crew by vpn": "crew", "staff on wifi": "staff"} {
		tagged, err := s.Head().Who(ctx, "remote-access", tag, "tag", situation.Situation{})
		require.NoError(t, err)
		i := slices.IndexFunc(lines.Lines, func(l answer.Line) bool { return l.Line == "remote-access/"+policy })
		assert.Equal(t, tagged.Total, lines.Lines[i].People, "who gets the tag counts")
	}

	opens, err := s.Head().Opens(ctx, "night-assistants")
	require.NoError(t, err)
	var named []string
	for _, l := range opens.Lines {
		named = append(named, l.Line)
	}
	assert.Contains(t, named, "archive/mapping 2", "by way of a group that holds it")
	assert.NotContains(t, named, "archive/mapping 6")

	// With a trial, the lines are those of the trial.
	begin(t, s, "pings", stage.Change{Do: stage.RemoveLine, System: "core-net", List: "rules", Line: "nobody pings"})
	h, err := s.AskedHead(ctx, "pings")
	require.NoError(t, err)
	lines, err = h.Lines(ctx, "core-net")
	require.NoError(t, err)
	assert.Len(t, lines.Lines, 9)
	system, err := h.System(ctx, "core-net")
	require.NoError(t, err)
	assert.NotContains(t, string(system.Document), "nobody pings")
	licences, err := h.System(ctx, "sky-tools")
	require.NoError(t, err)
	assert.Equal(t, []gate.Seats{{Product: "reduction-suite", Seats: 14, Holders: 18}}, licences.Seats)
}

func TestTheChart(t *testing.T) {
	h := demoService(t).Head()
	c, err := h.Chart(answer.ChartAsked{Most: 5})
	require.NoError(t, err)
	assert.Len(t, c.Groups, 5)
	assert.Equal(t, 21, c.Left)
	assert.Len(t, c.Systems, 12)
	for _, l := range c.Links {
		assert.True(t, slices.ContainsFunc(c.Groups, func(g answer.ChartGroup) bool { return g.Group == l.Group }), "%+v", l)
		assert.Positive(t, l.Lines)
	}
	i := slices.IndexFunc(c.Systems, func(s answer.ChartSystem) bool { return s.System == "ledger" })
	assert.Equal(t, []string{"sign-in-desk", "remote-access"}, c.Systems[i].Behind)
	assert.Equal(t, 4, c.Systems[i].People)
}

func TestARuleThatIsBeingWritten(t *testing.T) {
	h := demoService(t).Head()
	m, err := h.TestRule(ctx, `title eq "night assistant"`, "")
	require.NoError(t, err)
	assert.Equal(t, m.Count, len(m.Sample))
	assert.Contains(t, m.Sample, "cindervale/ilse.okonjo")
	m, err = h.TestRule(ctx, "active eq true", "RIDGE")
	require.NoError(t, err)
	assert.Equal(t, 6, m.Count)
	m, err = h.TestRule(ctx, "title eq", "")
	require.NoError(t, err, "what cannot be read yet is told, and is no error")
	assert.Equal(t, 9, m.At)
	assert.NotEmpty(t, m.Wrong)
	m, err = h.TestRule(ctx, "safetyRole pr", "")
	require.NoError(t, err)
	assert.Equal(t, []string{"safetyRole"}, m.Unknown)
}

func TestAnImpactNeedsNoTrial(t *testing.T) {
	s := demoService(t)
	out, err := s.Outcomes.Impact(ctx, "", stage.Change{Do: stage.RemoveGroup, Group: "night-crew"}, given(t, nil))
	require.NoError(t, err)
	assert.Positive(t, out.Total.Losses)
	trials, err := s.Trials.List(ctx, ada, 0, "")
	require.NoError(t, err)
	assert.Empty(t, trials.Trials)
}

func TestTrialsComeByPage(t *testing.T) {
	s := demoService(t)
	for _, name := range []string{"b", "Ab", "a_c", "a-d", "a", "C", "a.e", "aB2"} {
		begin(t, s, name)
	}
	whole, err := s.Trials.List(ctx, ada, 0, "")
	require.NoError(t, err)
	require.Len(t, whole.Trials, 8)
	for limit := 1; limit <= 9; limit++ {
		var all []answer.Trial
		for after := ""; ; {
			page, err := s.Trials.List(ctx, ada, limit, after)
			require.NoError(t, err)
			all = append(all, page.Trials...)
			if after = page.Next; after == "" {
				break
			}
		}
		assert.Equal(t, whole.Trials, all, "pages of %d", limit)
	}
}

// What trials are is worked out once for a revision, however many there are.
func TestManyTrialsAreWorkedOutOnce(t *testing.T) {
	s := demoService(t)
	for i := range 20 {
		begin(t, s, fmt.Sprintf("t%d", i))
		_, err := s.Trials.Stage(
			ctx,
			ada,
			fmt.Sprintf("t%d", i),
			0,
			[]stage.Change{{Do: stage.RemoveLine, System: "archive", List: "mappings", Line: "1"}},
		)
		require.NoError(t, err)
	}
	first, err := s.Trials.List(ctx, ada, 0, "")
	require.NoError(t, err)
	again, err := s.Trials.List(ctx, ada, 0, "")
	require.NoError(t, err)
	require.Len(t, first.Trials, 20)
	for i := range first.Trials {
		assert.Same(t, &first.Trials[i].Changes[0], &again.Trials[i].Changes[0])
	}
	_, err = s.Commits.Commit(
		ctx,
		ada,
		"t0",
		changeset.Committing{Version: first.Trials[0].Version, Reason: "it goes", Override: "a test"},
	)
	require.NoError(t, err)
	after, err := s.Trials.List(ctx, ada, 0, "")
	require.NoError(t, err)
	require.Len(t, after.Trials, 19)
	assert.False(t, after.Trials[0].Applies, "it is gone already")
}

func TestFindingsComeByPage(t *testing.T) {
	h := demoService(t).Head()
	all := h.Found()
	for _, limit := range []int{1, 10, len(all), len(all) + 1} {
		var got []finding.Finding
		for cursor := ""; ; {
			page, err := h.FindingsPage(ctx, answer.Wanted{}, limit, cursor)
			require.NoError(t, err)
			assert.Equal(t, len(all), page.Total)
			got = append(got, page.Findings...)
			if cursor = page.Next; cursor == "" {
				break
			}
		}
		assert.Equal(t, all, got, limit)
	}
	whole, err := h.Findings(ctx, answer.Wanted{})
	require.NoError(t, err)
	counted := 0
	for _, c := range whole.Codes {
		counted += c.Count
		one, err := h.Findings(ctx, answer.Wanted{Code: string(c.Code)})
		require.NoError(t, err)
		assert.Equal(t, []int{c.Count, c.Count}, []int{one.Total, len(one.Findings)})
	}
	assert.Equal(t, len(all), counted)
	assert.Equal(t, finding.Error, whole.Codes[0].Severity, "the worst first")
	some, err := h.Findings(ctx, answer.Wanted{System: "CORE-NET", Severity: "warning"})
	require.NoError(t, err)
	require.Len(t, some.Systems, 1)
	assert.Equal(t, some.Total, some.Systems[0].Warnings)
	assert.False(t, some.Failed())
}

// Each list that grows comes whole by page, whatever the size of the pages.
func TestListsComeByPage(t *testing.T) {
	s := demoService(t)
	for i := range 4 {
		name := fmt.Sprintf("note-%d", i)
		begin(
			t,
			s,
			name,
			stage.Change{
				Do:    stage.SetGroup,
				Group: "night-crew",
				Field: "description",
				Value: []byte(fmt.Sprintf(`"Night %d"`, i)),
			},
		)
		_, err := s.Commits.Commit(ctx, operator.Service, name, changeset.Committing{Version: version(s, name), Reason: name})
		require.NoError(t, err)
	}
	lists := map[string]func(limit int, cursor string) (numbers []int64, next string, err error){
		"revisions": func(limit int, cursor string) (numbers []int64, next string, err error) {
			page, err := s.History.List(ctx, limit, cursor)
			if err != nil {
				return nil, "", err
			}
			for _, r := range page.Revisions {
				numbers = append(numbers, int64(r.Number))
			}
			return numbers, page.Next, nil
		},
	}
	for order, oldest := range map[string]bool{"audit, newest": false, "audit, oldest": true} {
		lists[order] = func(limit int, cursor string) (numbers []int64, next string, err error) {
			page, err := s.Audit.List(ctx, store.Asked{OldestFirst: oldest}, limit, cursor)
			if err != nil {
				return nil, "", err
			}
			for _, e := range page.Entries {
				numbers = append(numbers, e.Number)
			}
			return numbers, page.Next, nil
		}
	}
	for name, list := range lists {
		whole, next, err := list(1000, "")
		require.NoError(t, err)
		require.Empty(t, next)
		require.Greater(t, len(whole), 4, name)
		assert.Equal(t, name == "audit, oldest", whole[0] < whole[1], name)
		for _, limit := range []int{1, 3, len(whole) - 1, len(whole)} {
			var got []int64
			for cursor := ""; ; {
				var part []int64
				part, cursor, err = list(limit, cursor)
				require.NoError(t, err)
				got = append(got, part...)
				if cursor == "" {
					break
				}
			}
			assert.Equal(t, whole, got, "%s by %d", name, limit)
		}
		_, _, err = list(10, "%")
		assert.ErrorContains(t, err, "cursor")
	}
}

func needs(list ...situation.Need) []situation.Need { return list }

// A group of a source can be taken away in a trial, and comes back by a revert.
func TestAGroupOfASourceGoesAndComesBack(t *testing.T) {
	s := demoService(t)
	before, err := s.Head().Members(ctx, "night-assistants")
	require.NoError(t, err)
	begin(t, s, "gone", stage.Change{Do: stage.RemoveGroup, Group: "night-assistants"})
	require.NoError(t, commit(s, ada, "gone", "it is tried here"))
	_, err = s.Head().Group(ctx, "cindervale/night-assistants")
	require.Error(t, err)
	back, err := s.Commits.Revert(ctx, ada, 2, "back")
	require.NoError(t, err)
	require.True(t, back.Applies, back.Obstacle)
	require.NoError(t, commit(s, ada, "back", "it is tried here"))
	after, err := s.Head().Members(ctx, "night-assistants")
	require.NoError(t, err)
	assert.Equal(t, before, after)
}

// A network that a line has asked for all the time: what the line gives is computed from
// what was there, and is what the map rebuilt gives.
func TestANetworkThatWasMissing(t *testing.T) {
	s := demoService(t)
	begin(
		t,
		s,
		"line",
		stage.Change{
			Do:     stage.AddLine,
			System: "archive",
			List:   "mappings",
			Value: []byte(
				`{"groups": ["night-crew"], "role": "chief", "object": "/catalogues", "when": {"networks": ["hut"]}}`,
			),
		},
	)
	require.NoError(t, commit(s, ada, "line", "the network comes later"))
	begin(
		t,
		s,
		"network",
		stage.Change{Do: stage.AddPart, Document: "map", List: "networks", Part: "hut", Value: []byte(`["192.0.2.224/28"]`)},
	)
	for _, facts := range []map[string]string{{}, {"from": "192.0.2.225"}} {
		h, err := s.AskedHead(ctx, "network")
		require.NoError(t, err)
		fresh, err := atlas.Compile(h.Folder.Map)
		require.NoError(t, err)
		want, err := change.Entitlements(s.Head().Atlas, fresh, given(t, facts))
		require.NoError(t, err)
		require.NotEmpty(t, append(want.Gains, want.Losses...), "it moves something in %v", facts)
		trial, err := change.Try(s.Head().Atlas, s.Head().Folder.Map, h.Folder.Map)
		require.NoError(t, err)
		require.False(t, trial.Recompiled())
		got, err := trial.Outcome(given(t, facts))
		require.NoError(t, err)
		assert.Equal(t, want.Gains, got.Gains)
		assert.Equal(t, want.Changes, got.Changes)
		assert.Equal(t, want.Losses, got.Losses)
		assert.Equal(t, change.None(fresh).Findings(s.Head().Found()), trial.Findings(s.Head().Found()))
	}
}
