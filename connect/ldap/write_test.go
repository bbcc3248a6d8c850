package ldap_test

import (
	"fmt"
	"maps"
	"slices"
	"strings"
	"testing"
	"time"

	goldap "github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/name"
)

// branches are where people stand, besides right below people.
var branches = []string{"Summit", "Base"}

// staff are a few people, and a group of each kind that has members in its own way.
func staff() string {
	var b strings.Builder
	for _, ou := range []string{"people", "groups"} {
		fmt.Fprintf(&b, "dn: ou=%s,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, suffix, ou)
	}
	for _, ou := range branches {
		fmt.Fprintf(&b, "dn: ou=%s,ou=people,%s\nobjectClass: organizationalUnit\nou: %s\n\n", ou, suffix, ou)
	}
	for i := range 5 {
		fmt.Fprintf(
			&b,
			"dn: uid=p%d,ou=people,%s\nobjectClass: inetOrgPerson\nobjectClass: shadowAccount\nuid: p%d\ncn: Person %d\nsn: Person\ntitle: Observer\n\n",
			i,
			suffix,
			i,
			i,
		)
	}
	for cn, lines := range map[string]string{
		"crew": "objectClass: groupOfNames\nmember: uid=p0,ou=people," + suffix, "few": "objectClass: groupOfNames\nmember: cn=few,ou=groups," + suffix,
		"once": "objectClass: groupOfUniqueNames\nuniqueMember: UID=P1, ou=people, " + suffix,
		"unix": "objectClass: posixGroup\ngidNumber: 500\nmemberUid: p2",
	} {
		fmt.Fprintf(&b, "dn: cn=%s,ou=groups,%s\ncn: %s\n%s\n\n", cn, suffix, cn, lines)
	}
	return b.String()
}

// written is the source of the staff, of which everything that can be is written.
func (s *server) written() *directory.Source {
	source := s.source()
	source.Write = []directory.Write{
		directory.WriteMembers,
		directory.WriteAttributes,
		directory.WriteActive,
		directory.WriteUsers,
		directory.WriteGroups,
	}
	source.Accounts = &directory.Accounts{
		Where: text("ou=people," + suffix),
		Name:  text("{title}"),
		Entry: map[string][]string{"objectClass": {"inetOrgPerson", "shadowAccount"}, "cn": {"{userName}"}},
	}
	source.Users.Disabled = text("(employeeType=gone)")
	source.Users.Expires = directory.Date{Attribute: "shadowExpire", Form: "days"}
	source.Users.Attributes = map[string]string{"title": "title", "mails": "mail"}
	source.Groups.Filter = text("(|(objectClass=groupOfNames)(objectClass=posixGroup)(objectClass=groupOfUniqueNames))")
	source.Groups.Members = []string{"member", "uniqueMember", "memberUid"}
	source.Groups.Description = "description"
	return source
}

// dump is everything that the server has, without the order of values: the referee.
func (s *server) dump(t require.TestingT) map[string][]string {
	conn, err := goldap.DialURL(s.LDAP)
	require.NoError(t, err)
	defer conn.Close()
	require.NoError(t, conn.Bind(admin, secret))
	found, err := conn.Search(
		goldap.NewSearchRequest(
			suffix,
			goldap.ScopeWholeSubtree,
			goldap.NeverDerefAliases,
			0,
			0,
			false,
			"(objectClass=*)",
			[]string{"*"},
			nil,
		),
	)
	require.NoError(t, err)
	all := map[string][]string{}
	for _, e := range found.Entries {
		for _, a := range e.Attributes {
			for _, v := range a.Values {
				if strings.EqualFold(a.Name, "uniqueMember") { // the server writes what it is given in its own way
					v = strings.ToLower(strings.ReplaceAll(v, ", ", ","))
				}
				all[e.DN] = append(all[e.DN], a.Name+": "+v)
			}
		}
		slices.Sort(all[e.DN])
	}
	return all
}

// redrawn are records with some of them drawn anew.
func redrawn(t *rapid.T, before connect.Records) connect.Records {
	after := connect.Records{Users: slices.Clone(before.Users), Groups: slices.Clone(before.Groups)}
	for i, u := range after.Users {
		if !rapid.Bool().Draw(t, "user") {
			continue
		}
		now := *u
		now.Attributes = nil
		if title := rapid.SampledFrom([]string{"", "Observer", "Astronom é", " Cook", "Engineer"}).Draw(t, "title"); title != "" {
			now.Attributes.Put("title", []filter.Value{{Text: title}})
		}
		var mails []filter.Value
		for _, m := range rapid.SliceOfNDistinct(rapid.SampledFrom([]string{"a@cindervale.example", "b@cindervale.example", "c@cindervale.example"}), 0, 3, rapid.ID).Draw(t, "mails") {
			mails = append(mails, filter.Value{Text: m})
		}
		if mails != nil {
			now.Attributes.Put("mails", mails)
		}
		if now.Active = nil; rapid.Bool().Draw(t, "off") {
			now.Active = new(bool)
		}
		if now.Expires = (directory.Instant{}); rapid.Bool().Draw(t, "ends") {
			now.Expires = directory.Instant{
				Time: time.Unix(0, 0).UTC().AddDate(0, 0, rapid.IntRange(20000, 40000).Draw(t, "day")),
			}
		}
		after.Users[i] = &now
	}
	for i, g := range after.Groups {
		if !rapid.Bool().Draw(t, "group") {
			continue
		}
		now := *g
		now.Members = &directory.Members{}
		now.Description = rapid.SampledFrom([]string{"", "Who observes"}).Draw(t, "description")
		for _, u := range before.Users {
			switch {
			case !rapid.Bool().Draw(t, "member"):
			case g.Name == "unix":
				now.Members.Users = append(now.Members.Users, name.Ref{Name: u.Name})
			default:
				now.Members.Any = append(now.Members.Any, name.Ref{Name: u.DN})
			}
		}
		after.Groups[i] = &now
	}
	moved(t, before, after)
	for i := range rapid.IntRange(0, 2).Draw(t, "new") {
		below := rapid.SampledFrom(branches).Draw(t, "below")
		u := &directory.User{Name: fmt.Sprintf("new%d", i), DN: fmt.Sprintf("uid=new%d,ou=%s,ou=people,%s", i, below, suffix)}
		if slices.ContainsFunc(before.Users, func(x *directory.User) bool { return x.Name == u.Name }) {
			continue
		}
		u.Attributes.Put("title", []filter.Value{{Text: rapid.SampledFrom([]string{"Observer", "Köchin"}).Draw(t, "title")}})
		after.Users = append(after.Users, u)
	}
	regrouped(t, before, &after)
	return after
}

// regrouped makes groups, with users in them who may be new, and removes some that were made so.
func regrouped(t *rapid.T, before connect.Records, after *connect.Records) {
	for i := range rapid.IntRange(0, 2).Draw(t, "new groups") {
		g := &directory.Group{Name: fmt.Sprintf("made%d", i), Members: &directory.Members{}}
		g.DN = "cn=" + g.Name + ",ou=groups," + suffix
		if slices.ContainsFunc(before.Groups, func(x *directory.Group) bool { return x.Name == g.Name }) {
			continue
		}
		g.Description = rapid.SampledFrom([]string{"", "Who is new"}).Draw(t, "says")
		for _, u := range after.Users {
			if rapid.Bool().Draw(t, "in") {
				g.Members.Any = append(g.Members.Any, name.Ref{Name: u.DN})
			}
		}
		after.Groups = append(after.Groups, g)
		for j, other := range after.Groups {
			if other.Name == "unix" || other == g || !rapid.Bool().Draw(t, "nested") {
				continue
			}
			now := *other
			now.Members = &directory.Members{
				Any:   append(slices.Clone(other.Members.Any), name.Ref{Name: g.DN}),
				Users: other.Members.Users,
			}
			after.Groups[j] = &now
		}
	}
	removed := map[string]bool{}
	after.Groups = slices.DeleteFunc(after.Groups, func(g *directory.Group) bool {
		was := slices.ContainsFunc(before.Groups, func(x *directory.Group) bool { return x.Name == g.Name })
		removed[g.DN] = was && strings.HasPrefix(g.Name, "made") && rapid.Bool().Draw(t, "removed")
		return removed[g.DN]
	})
	for i, g := range after.Groups { // nobody lists a group that is removed
		now := *g
		now.Members = &directory.Members{Users: g.Members.Users}
		for _, ref := range g.Members.Any {
			if !removed[ref.Name] {
				now.Members.Any = append(now.Members.Any, ref)
			}
		}
		after.Groups[i] = &now
	}
}

// moved moves some users into other branches, and has groups list them there.
func moved(t *rapid.T, before, after connect.Records) {
	is := map[string]string{}
	for i, u := range after.Users {
		if !rapid.Bool().Draw(t, "moves") {
			continue
		}
		now := *u
		own, _ := name.CutDN(u.DN)
		now.DN = own + ",ou=" + rapid.SampledFrom(branches).Draw(t, "branch") + ",ou=people," + suffix
		if now.DN != u.DN {
			is[strings.ToLower(strings.ReplaceAll(u.DN, " ", ""))], after.Users[i] = now.DN, &now
		}
	}
	for i, g := range after.Groups {
		now := *g
		members := *g.Members
		members.Any = slices.Clone(members.Any)
		for j, ref := range members.Any {
			if dn, moves := is[strings.ToLower(strings.ReplaceAll(ref.Name, " ", ""))]; moves {
				members.Any[j].Name, now.Members, after.Groups[i] = dn, &members, &now
			}
		}
	}
}

// signsIn sees that a new account can sign in with its first password, and with no other.
func (s *server) signsIn(t require.TestingT, m *connect.Modification) {
	conn, err := goldap.DialURL(s.LDAP)
	require.NoError(t, err)
	defer conn.Close()
	require.Error(t, conn.Bind(m.At, m.Password+"x"))
	require.NoError(t, conn.Bind(m.At, m.Password))
}

// What is written is there afterwards and nothing else is; what is taken back leaves everything as it
// was; and who changed an entry meanwhile keeps what they did, and nothing is left by half.
func TestWhatIsWrittenIsThere(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	t.Run("a server alone", func(t *testing.T) { whatIsWrittenIsThere(t, startSlapd(t, staff(), "127.0.0.1")) })
	t.Run("one that follows with references", func(t *testing.T) { whatIsWrittenIsThere(t, startFollowing(t, staff())) })
}

// follows waits until a server has followed what was written: slapd brings references up to date in a task
// of its own (slapo-refint(5)), after it has answered.
func follows(done func() bool) {
	for until := time.Now().Add(10 * time.Second); !done() && time.Now().Before(until); {
		time.Sleep(10 * time.Millisecond)
	}
}

func whatIsWrittenIsThere(t *testing.T, s *server) {
	source := s.written()
	tables := tablesOf(t, source)
	_, document, err := connect.NewJob(source, s.host(), connect.Records{})
	require.NoError(t, err)
	writer := document.(connect.Writer)
	rapid.Check(t, func(rt *rapid.T) {
		before, err := fetch(t, s, source)
		require.NoError(rt, err)
		was := s.dump(rt)
		after := redrawn(rt, before)
		all, stays := connect.Rewrites(source, before, after)
		require.Empty(rt, stays)
		_, left := connect.Settle(after, connect.Rewritten(before, all))
		require.True(rt, left.Empty(), "a reading that began before: %+v", left)
		w, err := writer.Writing(t.Context(), &connect.Job{Source: source, Host: s.host(), Tables: tables}, "")
		require.NoError(rt, err)
		defer w.Close()
		meddles := len(all) > 0 && rapid.Bool().Draw(rt, "meddles")
		early := rapid.Bool().Draw(rt, "early")
		meddled := 0
		if meddles {
			meddled = rapid.IntRange(0, len(all)-1).Draw(rt, "at")
		}
		meddle := func() {
			what := "changetype: modify\nreplace: title\ntitle: Meddler\n"
			switch {
			case was[all[meddled].DN()] == nil && all[meddled].Group != nil:
				what = "changetype: add\nobjectClass: groupOfNames\nmember: uid=a\n"
			case all[meddled].New():
				what = "changetype: add\nobjectClass: inetOrgPerson\nobjectClass: shadowAccount\ncn: Meddler\nsn: Meddler\n"
			case all[meddled].Group != nil:
				what = "changetype: modify\nreplace: description\ndescription: meddled\n"
			}
			require.NoError(rt, s.Modify("dn: "+all[meddled].DN()+"\n"+what))
		}
		if meddles && early {
			meddle()
			was = s.dump(rt)
		}
		list, err := connect.Look(w, all)
		if err == nil && meddles && !early {
			meddle()
			was = s.dump(rt)
		}
		if err == nil {
			err = connect.Make(w, all, list)
		}
		if err != nil {
			require.True(rt, meddles, "%v", err)
			var elsewhere *connect.ElsewhereError
			require.ErrorAs(rt, err, &elsewhere)
			is := s.dump(rt)
			follows(func() bool { is = s.dump(rt); return assert.ObjectsAreEqual(was, is) })
			assert.Equal(rt, was, is, "nothing is left of what was written")
			return
		}
		now, err := fetch(t, s, source)
		require.NoError(rt, err)
		follows(func() bool {
			_, left := connect.Settle(after, now)
			if !meddles && !left.Empty() {
				now, err = fetch(t, s, source)
				require.NoError(rt, err)
			}
			return meddles || left.Empty()
		})
		if !meddles { // what the meddler changed may be none of what is written
			_, left := connect.Settle(after, now)
			assert.True(rt, left.Empty(), "%+v", left)
		} else {
			again, _ := connect.Rewrites(source, now, after)
			for _, r := range again {
				assert.Equal(rt, all[meddled].Named(), r.Named())
			}
		}
		is := s.dump(rt)
		for dn := range was {
			if !slices.ContainsFunc(all, func(r *connect.Rewrite) bool { return r.DN() == dn }) {
				assert.Equal(rt, was[dn], is[dn], dn)
			}
		}
		stand := map[string]bool{}
		for dn := range was {
			stand[dn] = true
		}
		for _, r := range all {
			delete(stand, r.DN())
			if !r.Goes() {
				stand[r.Becomes()] = true
			}
		}
		assert.Equal(rt, slices.Sorted(maps.Keys(stand)), slices.Sorted(maps.Keys(is)))
		for i, m := range list {
			assert.Equal(rt, all[i].New() && all[i].User != nil, m.Password != "")
			if m.Password != "" {
				s.signsIn(rt, m)
			}
		}
		if rapid.Bool().Draw(rt, "undone") {
			require.NoError(rt, connect.Undo(w, list, connect.IsMade))
			assert.Equal(rt, was, s.dump(rt), "all is as it was")
			require.NoError(rt, connect.Undo(w, list, connect.Unknown))

			assert.Equal(rt, was, s.dump(rt), "once is enough")
		}
	})
}
