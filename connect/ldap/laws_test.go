package ldap_test

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"slices"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// standing is who is in which group of a domain controller, and whose account is on, as another
// connection sees it: "crew: p3" and "on: p3".
type standing map[string]bool

func (s standing) without(other standing) (list []string) {
	for what := range s {
		if !other[what] {
			list = append(list, what)
		}
	}
	slices.Sort(list)
	return list
}

func standingAt(t *testing.T, c *ldap.Conn) standing {
	s, names := standing{}, map[string]string{}
	search := func(base, filter string, attributes ...string) []*ldap.Entry {
		ask := ldap.NewSearchRequest(base, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases, 0, 0, false, filter, attributes, nil)
		found, err := c.SearchWithPaging(ask, 500)
		require.NoError(t, err)
		return found.Entries
	}
	const off = 2 // ACCOUNTDISABLE
	for _, e := range search("OU=people,"+domain, "(objectClass=user)", "sAMAccountName", "userAccountControl") {
		named := e.GetAttributeValue("sAMAccountName")
		names[canonical(t, e.DN)] = named
		flags, err := strconv.Atoi(e.GetAttributeValue("userAccountControl"))
		require.NoError(t, err)
		s["on: "+named] = flags&off == 0
		if flags&off != 0 {
			delete(s, "on: "+named)
		}
	}
	groups := search("OU=groups,"+domain, "(objectClass=group)", "sAMAccountName", "member")
	for _, e := range groups {
		names[canonical(t, e.DN)] = e.GetAttributeValue("sAMAccountName")
	}
	for _, e := range groups {
		for _, m := range e.GetAttributeValues("member") {
			s[e.GetAttributeValue("sAMAccountName")+": "+names[canonical(t, m)]] = true
		}
	}
	return s
}

// keepsTheLaws writes drawn changes to a domain controller, 20 times, and stops in the middle: at no moment
// is anything wider than before or after, what is lost goes before what is gained comes, what is written
// whole has arrived, and what a stop cut off is taken back.
func keepsTheLaws(t *testing.T, s *server, from *directory.Source, referee *ldap.Conn) {
	source := *from
	source.Write = []directory.Write{
		directory.WriteMembers, directory.WriteAttributes, directory.WriteActive, directory.WriteUsers, directory.WriteGroups,
	}
	cut := 0
	for round := range 20 {
		t.Run(fmt.Sprint("stop ", round), func(t *testing.T) {
			rng := rand.New(rand.NewPCG(7, uint64(round)))
			before, err := fetch(t, s, &source)
			require.NoError(t, err)
			was := standingAt(t, referee)
			after, target := drawnFor(t, rng, before, was)
			all, stays := connect.Rewrites(&source, before, after)
			require.Empty(t, stays)
			w := s.writing(t, &source)
			list, err := connect.Look(w, all)
			require.NoError(t, err)
			journal, err := json.Marshal(list)
			require.NoError(t, err)
			stop := rng.IntN(len(all) + 1)
			if round%4 == 0 {
				stop = len(all)
			}
			for i := range stop {
				require.NoError(t, connect.Make(w, all[i:i+1], list[i:i+1]), "%s", all[i])
				now := standingAt(t, referee)
				for _, what := range now.without(was) {
					assert.True(t, target[what], "%s is wider than before and after", what)
				}
				if len(now.without(was)) > 0 {
					left := slices.DeleteFunc(was.without(target), func(what string) bool { return !now[what] })
					assert.Empty(t, left, "it gives before it has taken away")
				}
			}
			if stop == len(all) {
				assert.Equal(t, target, standingAt(t, referee), "it has arrived")
			}
			if stop < len(all) { // the connection ends while something is written: nobody knows whether it was
				soon, ended := time.Duration(rng.IntN(8_000))*time.Microsecond, make(chan struct{})
				go func() {
					defer close(ended)
					time.Sleep(soon)
					w.Close()
				}()
				if err := connect.Make(w, all[stop:stop+1], list[stop:stop+1]); err != nil {
					cut++
				}
				<-ended
			}
			var kept []*connect.Modification
			require.NoError(t, json.Unmarshal(journal, &kept))
			require.NoError(t, connect.Undo(s.writing(t, &source), kept, connect.Unknown))
			assert.Empty(t, standingAt(t, referee).without(was), "nothing is wider than before")
		})
	}
	t.Logf("of what was being written, %d were cut off", cut)
}

// drawnFor are drawn records after some, and how things stand with them.
func drawnFor(t *testing.T, rng *rand.Rand, before connect.Records, was standing) (after connect.Records, target standing) {
	after = connect.Records{Users: slices.Clone(before.Users), Groups: slices.Clone(before.Groups), Devices: before.Devices}
	target = standing{}
	for what := range was {
		target[what] = true
	}
	some := before.Users[100:110]
	for i := range some {
		u := before.Users[100+i]
		if rng.IntN(3) == 0 {
			now, err := u.Altered("title", fmt.Sprint("Title ", rng.IntN(5)))
			require.NoError(t, err)
			after.Users[100+i] = now
		}
		if rng.IntN(4) == 0 {
			now, err := after.Users[100+i].Altered("active", !u.IsActive())
			require.NoError(t, err)
			after.Users[100+i] = now
			if delete(target, "on: "+u.Name); !u.IsActive() {
				target["on: "+u.Name] = true
			}
		}
	}
	people := slices.Clone(some)
	if rng.IntN(2) == 0 {
		fresh := &directory.User{Name: "new.starter", DN: "CN=new.starter,OU=people," + domain}
		after.Users, people = append(after.Users, fresh), append(people, fresh)
		target["on: new.starter"] = true
	}
	regroup := func(g *directory.Group) *directory.Group {
		now := *g
		now.Members = &directory.Members{Any: slices.Clone(g.Members.Any)}
		for _, u := range people {
			is := slices.IndexFunc(now.Members.Any, func(ref name.Ref) bool { return connect.SameReference(ref.Name, u.DN) })
			switch {
			case rng.IntN(2) == 0:
			case is >= 0:
				now.Members.Any = slices.Delete(now.Members.Any, is, is+1)
				delete(target, g.Name+": "+u.Name)
			default:
				now.Members.Any = append(now.Members.Any, name.Ref{Name: u.DN})
				target[g.Name+": "+u.Name] = true
			}
		}
		return &now
	}
	for i, g := range before.Groups {
		if g.Name == "crew" || g.Name == "night" {
			after.Groups[i] = regroup(g)
		}
	}
	const drawn = "drawn-crew"
	switch i := slices.IndexFunc(after.Groups, func(g *directory.Group) bool { return g.Name == drawn }); {
	case i >= 0:
		after.Groups = slices.Delete(after.Groups, i, i+1)
		for what := range was {
			if strings.HasPrefix(what, drawn+": ") {
				delete(target, what)
			}
		}
	case rng.IntN(2) == 0:
		made := &directory.Group{Name: drawn, DN: "CN=" + drawn + ",OU=groups," + domain, Members: &directory.Members{}}
		after.Groups = append(after.Groups, regroup(made))
	}
	return after, target
}
