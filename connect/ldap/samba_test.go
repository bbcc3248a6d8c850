package ldap_test

import (
	"errors"
	"fmt"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"slices"
	"strings"
	"syscall"
	"testing"
	"time"

	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/unicode"

	"gatemap/connect"
	"gatemap/connect/connectors"
	own "gatemap/connect/ldap"
	"gatemap/core/directory"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/mapfile"
	"gatemap/tools/slapd"
)

const (
	controllerPass = "Summit-4-Dome"
	crowd          = 1600
)

// controller is an address of its own for each run of the tests: a domain
// controller has no choice of ports, and the whole of 127/8 is this machine.
var controller = fmt.Sprintf("127.77.%d.%d", os.Getpid()>>8&0xff, os.Getpid()&0xff)

// startController sets a domain controller up and starts it with nothing but its
// directory, on an address of this machine alone.
func startController(t testing.TB) string {
	t.Helper()
	if os.Getuid() != 0 {
		t.Skip("a domain controller listens on ports that only root may use")
	}
	tool, err := exec.LookPath("samba-tool")
	require.NoError(t, err, "samba is not installed: make needs")
	// It needs a file system with access control lists, which this one has.
	dir, err := os.MkdirTemp("/dev/shm", "controller")
	require.NoError(t, err)
	t.Cleanup(func() { _ = os.RemoveAll(dir) })
	certify(t, dir, time.Now().Add(time.Hour), controller)
	out, err := exec.Command(tool, "domain", "provision", "--realm=CINDERVALE.EXAMPLE", "--domain=CINDERVALE", "--server-role=dc", "--dns-backend=NONE",
		"--adminpass="+controllerPass, "--targetdir="+dir+"/dc", "--host-name=dc1", "--host-ip="+controller).
		CombinedOutput()
	require.NoError(t, err, "%s", out)
	var options []string
	for _, o := range []string{
		"server services=ldap", "interfaces=" + controller + "/8", "bind interfaces only=yes", "log file=" + dir + "/log", "pid directory=" + dir,
		"ncalrpc dir=" + dir + "/ncalrpc", "tls certfile=" + dir + "/server.pem", "tls keyfile=" + dir + "/server.key", "tls cafile=" + dir + "/ca.pem",
	} {
		options = append(options, "--option="+o)
	}
	server := exec.Command(
		"samba",
		append([]string{"-i", "-M", "single", "--configfile=" + dir + "/dc/etc/smb.conf"}, options...)...)
	server.SysProcAttr = &syscall.SysProcAttr{Setpgid: true}
	log, err := os.Create(filepath.Join(dir, "output"))
	require.NoError(t, err)
	defer log.Close()
	server.Stdout, server.Stderr = log, log
	require.NoError(t, server.Start())
	t.Cleanup(func() {
		_ = syscall.Kill(-server.Process.Pid, syscall.SIGTERM) // ours: the group that it leads
		_ = server.Wait()
	})
	require.Eventually(t, func() bool {
		conn, err := net.Dial("tcp", controller+":636")
		if err == nil {
			conn.Close()
		}
		return err == nil
	}, 30*time.Second, 50*time.Millisecond, "the domain controller does not start")
	return dir
}

const domain = "DC=cindervale,DC=example"

// populate puts people and groups of every reach into the domain.
func populate(t testing.TB, c *ldap.Conn) {
	t.Helper()
	add := func(dn string, attributes ...string) {
		r := ldap.NewAddRequest(dn, nil)
		for i := 0; i+1 < len(attributes); i += 2 {
			r.Attribute(attributes[i], strings.Split(attributes[i+1], "|"))
		}
		require.NoError(t, c.Add(r), dn)
	}
	add("OU=people,"+domain, "objectClass", "organizationalUnit")
	add("OU=groups,"+domain, "objectClass", "organizationalUnit")
	var all []string
	for i := range crowd {
		dn := fmt.Sprintf("CN=Person %d,OU=people,%s", i, domain)
		flags, extra := "544", []string(nil)
		switch {
		case i == 1:
			flags = "546"
		case i == 2:
			extra = []string{"accountExpires", "132223104000000000"} // 2020-01-01
		}
		add(
			dn,
			append(
				[]string{
					"objectClass",
					"user",
					"sAMAccountName",
					fmt.Sprintf("p%d", i),
					"userAccountControl",
					flags,
					"title",
					"Observer",
				},
				extra...)...)
		all = append(all, dn)
	}
	group := func(cn, kind string, members ...string) string {
		dn := "CN=" + cn + ",OU=groups," + domain
		attributes := []string{"objectClass", "group", "sAMAccountName", cn, "groupType", kind}
		if len(members) > 0 {
			attributes = append(attributes, "member", strings.Join(members, "|"))
		}
		add(dn, attributes...)
		return dn
	}
	const global, local, universal, mail = "-2147483646", "-2147483644", "-2147483640", "8"
	crew := group("crew", global, all[3:10]...)
	night := group("night", global, crew, all[10])
	site := group("site", universal, night, all[11])
	group("rooms", local, site, all[12])
	group("everyone-here", universal, all...)
	group("bulletin", mail, all[13])
	second := group("second", global, all[20:25]...)
	group("second-rooms", local, second)
	console := "CN=console,CN=Computers," + domain
	add(console, "objectClass", "computer", "sAMAccountName", "console$", "userAccountControl", "4096")
	group("consoles", universal, console)
	// Somebody's primary group is another than usual.
	r, err := c.Search(
		ldap.NewSearchRequest(
			second,
			ldap.ScopeBaseObject,
			ldap.NeverDerefAliases,
			1,
			0,
			false,
			"(objectClass=*)",
			[]string{"objectSid"},
			nil,
		),
	)
	require.NoError(t, err)
	sid := r.Entries[0].GetRawAttributeValue("objectSid")
	change := ldap.NewModifyRequest(all[20], nil)
	change.Replace("primaryGroupID", []string{fmt.Sprint(uint32(sid[len(sid)-4]) | uint32(sid[len(sid)-3])<<8)})
	require.NoError(t, c.Modify(change))
}

// populatedController is a domain controller with records, a connection to it with all rights,
// and its password where a source takes it from.
func populatedController(t testing.TB) (dir string, referee *ldap.Conn) {
	dir = startController(t)
	referee, err := ldap.DialURL("ldaps://"+controller, ldap.DialWithTLSConfig(trusting(t, dir)))
	require.NoError(t, err)
	t.Cleanup(func() { referee.Close() })
	require.NoError(t, referee.Bind("administrator@cindervale.example", controllerPass))
	populate(t, referee)
	t.Setenv("GATEMAP_SECRET_TEST", controllerPass)
	return dir, referee
}

// What comes in from a domain controller gives the memberships that it reports
// itself: by its search along chains of groups, and as it puts them into tokens.
func TestDomainController(t *testing.T) {
	dir, referee := populatedController(t)
	files := []mapfile.File{{Path: "gatemap.yaml", Content: []byte("title: x\n")}, {Path: "d.yaml", Content: []byte(`
directory: cindervale
source:
  ldap: {servers: ["ldaps://` + controller + `"], ca: ca.pem, bind: administrator@cindervale.example, secret: {env: GATEMAP_SECRET_TEST}}
  table: domain-controller
  users: {base: "ou=people,dc=cindervale,dc=example"}
`)}}
	m, err := mapfile.Parse(files, types.Table, connectors.Kinds())
	require.NoError(t, err)
	doc := m.Directories[0]
	s := &server{&slapd.Server{Dir: dir}, t}
	r, err := fetch(t, s, doc.Source)
	require.NoError(t, err)
	for _, x := range r.Rejected {
		assert.Contains(t, x.Message, "the server refers to")
	}
	require.Len(t, r.Users, crowd)
	doc.Users, doc.Groups, doc.Devices = r.Users, r.Groups, r.Devices
	var errs place.Errors
	book := directory.Build([]*directory.Document{doc}, &errs)
	require.NoError(t, errs.Err())

	t.Run("what changed since a change number", func(t *testing.T) {
		conn, err := own.New(doc.Source, s.host()).Connect(t.Context())
		require.NoError(t, err)
		defer conn.Close()
		assert.False(t, conn.Streams())
		mark, err := conn.Mark()
		require.NoError(t, err)
		change := ldap.NewModifyRequest(r.Users[30].DN, nil)
		change.Replace("title", []string{"Astronomer"})
		require.NoError(t, referee.Modify(change))
		p, err := conn.Changes(t.Context(), tablesOf(t, doc.Source), mark, connect.Records{})
		require.NoError(t, err)
		i := slices.IndexFunc(p.Put.Users, func(u *directory.User) bool { return u.DN == r.Users[30].DN })
		require.GreaterOrEqual(t, i, 0)
		assert.Equal(t, "Astronomer", p.Put.Users[i].Attributes.First("title"))
		assert.Less(t, len(p.Put.Users), 5, "only what changed")
	})
	user := func(n int) *directory.User {
		i := slices.IndexFunc(r.Users, func(u *directory.User) bool { return u.Name == fmt.Sprintf("p%d", n) })
		return r.Users[i]
	}
	assert.True(t, user(0).IsActive())
	assert.True(t, user(0).Expires.IsZero())
	assert.False(t, user(1).IsActive())
	assert.Equal(t, "2020-01-01", user(2).Expires.Format(time.DateOnly))
	for named, how := range map[string]string{"Domain Computers": "primary", "consoles": "direct"} {
		g, err := book.FindGroup(named, "")
		require.NoError(t, err)
		list := book.DeviceMembers(g)
		require.Len(t, list, 1, named)
		assert.Equal(t, []string{"cindervale/console", how}, []string{book.DeviceName(list[0].Device), string(list[0].How)})
	}
	everyone, err := book.FindGroup("everyone-here", "")
	require.NoError(t, err)
	assert.Len(t, book.Members(everyone), crowd)
	for cn, want := range map[string]string{"crew": "own any", "rooms": "any own", "site": "any any"} {
		id, err := book.FindGroup(cn, "")
		require.NoError(t, err)
		g := book.Group(id)
		assert.Equal(t, want, orAny(string(g.MembersFrom))+" "+orAny(string(g.UsableIn)), cn)
	}
	bulletin, err := book.FindGroup("bulletin", "")
	require.NoError(t, err)
	assert.EqualValues(t, "mail", book.Group(bulletin).Kind)

	sids := identifiers(t, referee)
	above := map[string][]string{} // the chains of primary groups
	for _, n := range []int{0, 1, 2, 3, 5, 9, 10, 11, 12, 13, 14, 20, 21, 24, 700, crowd - 1} {
		u := user(n)
		id, err := book.FindUser(u.Name, "")
		require.NoError(t, err)
		var ours, carrying []string
		for _, g := range book.Subject(id).Groups() {
			dn := canonical(t, book.Group(g).DN)
			ours = append(ours, dn)
			if book.Group(g).Kind != "mail" {
				carrying = append(carrying, dn)
			}
		}
		primary := canonical(t, u.PrimaryGroup.Name)
		if above[primary] == nil {
			above[primary] = append(chain(t, referee, u.PrimaryGroup.Name), primary)
		}
		want := append(chain(t, referee, u.DN), above[primary]...)
		slices.Sort(want)
		slices.Sort(ours)
		slices.Sort(carrying)
		assert.Equal(t, slices.Compact(want), ours, "%s: by the search along chains", u.Name)
		assert.Equal(t, token(t, referee, sids, u.DN), carrying, "%s: in the token", u.Name)
	}
	t.Run("it is written", func(t *testing.T) { isWritten(t, s, doc.Source) })
	t.Run("accounts are made and moved", func(t *testing.T) { makesAccounts(t, s, doc.Source, referee) })
	t.Run("groups are made and removed", func(t *testing.T) { makesGroups(t, s, doc.Source) })
	t.Run("the laws", func(t *testing.T) { keepsTheLaws(t, s, doc.Source, referee) })
	t.Run("names that change", func(t *testing.T) { followsNames(t, s, doc.Source, referee) })
	t.Run(
		"an account that does not see what was deleted",
		func(t *testing.T) { comparesByName(t, s, doc.Source, referee) },
	)
}

// writing writes to the server, until the test ends.
func (s *server) writing(t *testing.T, source *directory.Source) connect.Writing {
	t.Helper()
	w, err := source.Connection.Document.(connect.Writer).Writing(
		t.Context(),
		&connect.Job{Source: source, Host: s.host(), Tables: tablesOf(t, source)},
		"",
	)
	require.NoError(t, err)
	t.Cleanup(w.Close)
	return w
}

// isWritten writes some records of everything that can be, and takes them back.
func isWritten(t *testing.T, s *server, from *directory.Source) {
	source := *from
	source.Write = []directory.Write{directory.WriteMembers, directory.WriteAttributes, directory.WriteActive}
	before, err := fetch(t, s, &source)
	require.NoError(t, err)
	after := connect.Records{
		Users:   slices.Clone(before.Users),
		Groups:  slices.Clone(before.Groups),
		Devices: before.Devices,
	}
	user := func(named string, change func(u *directory.User)) {
		i := slices.IndexFunc(before.Users, func(u *directory.User) bool { return u.Name == named })
		now := *before.Users[i]
		now.Attributes = slices.Clone(now.Attributes)
		change(&now)
		after.Users[i] = &now
	}
	user("p40", func(u *directory.User) {
		now, err := u.Altered("title", "Ingeniør")
		require.NoError(t, err)
		*u = *now
	})
	user("p41", func(u *directory.User) { u.Active = new(bool) })
	user("p1", func(u *directory.User) { u.Active = nil })
	user("p42", func(u *directory.User) { u.Expires.Time = time.Date(2027, 1, 31, 12, 30, 0, 0, time.UTC) })
	user("p2", func(u *directory.User) { u.Expires.Time = time.Time{} })
	for i, g := range before.Groups {
		if g.Name != "crew" {
			continue
		}
		now := *g
		now.Members = &directory.Members{Any: append(slices.Clone(g.Members.Any[1:]), name.Ref{Name: before.Users[50].DN})}
		after.Groups[i] = &now
	}
	all, stays := connect.Rewrites(&source, before, after)
	require.Empty(t, stays)
	require.Len(t, all, 6)
	w := s.writing(t, &source)
	list, err := connect.Look(w, all)
	require.NoError(t, err)
	require.NoError(t, connect.Make(w, all, list))
	now, err := fetch(t, s, &source)
	require.NoError(t, err)
	_, left := connect.Settle(after, now)
	assert.True(t, left.Empty(), "%+v", left)
	_, err = connect.Look(w, all)
	var elsewhere *connect.ElsewhereError
	require.ErrorAs(t, err, &elsewhere, "it is not as it was any more")
	require.NoError(t, connect.Undo(w, list, connect.IsMade))
	now, err = fetch(t, s, &source)
	require.NoError(t, err)
	_, left = connect.Settle(before, now)
	assert.True(t, left.Empty(), "%+v", left)
}

// makesAccounts makes an account, and moves one that groups list, and takes both back.
func makesAccounts(t *testing.T, s *server, from *directory.Source, c *ldap.Conn) {
	source := *from
	source.Write = []directory.Write{directory.WriteMembers, directory.WriteUsers}
	source.Accounts = &directory.Accounts{
		Where: text("OU=people," + domain), Name: text("{title}"),
		Entry: map[string][]string{"userPrincipalName": {"{userName}@cindervale.example"}},
	}
	branch := ldap.NewAddRequest("OU=Summit,OU=people,"+domain, nil)
	branch.Attribute("objectClass", []string{"organizationalUnit"})
	require.NoError(t, c.Add(branch))
	before, err := fetch(t, s, &source)
	require.NoError(t, err)
	after := connect.Records{
		Users:   slices.Clone(before.Users),
		Groups:  slices.Clone(before.Groups),
		Devices: before.Devices,
	}
	i := slices.IndexFunc(before.Users, func(u *directory.User) bool { return u.Name == "p43" })
	stood, moved := before.Users[i].DN, *before.Users[i]
	moved.DN = "CN=Person 43,OU=Summit,OU=people," + domain
	fresh, err := (&directory.User{Name: "noor.haddix", DN: "CN=noor.haddix,OU=Summit,OU=people," + domain}).Altered(
		"title",
		"Ingeniør",
	)
	require.NoError(t, err)
	after.Users[i], after.Users = &moved, append(after.Users, fresh)
	lists, leaver := 0, ""
	for i, g := range before.Groups {
		now := *g
		now.Members = &directory.Members{Any: slices.Clone(g.Members.Any)}
		for j, ref := range g.Members.Any {
			if connect.SameReference(ref.Name, stood) {
				now.Members.Any[j].Name, after.Groups[i] = moved.DN, &now
				lists++
			}
		}
		if g.Name == "crew" {
			out := slices.IndexFunc(
				now.Members.Any,
				func(ref name.Ref) bool { return !connect.SameReference(ref.Name, moved.DN) },
			)
			leaver = now.Members.Any[out].Name
			keeps := slices.Delete(now.Members.Any, out, out+1)
			now.Members.Any = append(keeps, name.Ref{Name: fresh.DN})
			after.Groups[i] = &now
		}
	}
	require.NotZero(t, lists, "a group lists who moves")
	all, stays := connect.Rewrites(&source, before, after)
	require.Empty(t, stays)
	w := s.writing(t, &source)
	for _, how := range []connect.Made{connect.IsMade, connect.Unknown} {
		list, err := connect.Look(w, all)
		require.NoError(t, err)
		require.NoError(t, connect.Make(w, all, list))
		now, err := fetch(t, s, &source)
		require.NoError(t, err)
		_, left := connect.Settle(after, now)
		require.Len(t, left.Changed, 1, "the server gives the new account a primary group")
		assert.Equal(
			t,
			[]connect.Field{{Attribute: "primary_group", After: now.Users[len(now.Users)-1].PrimaryGroup.Name}},
			withoutFurther(left.Changed[0].Fields),
		)
		assert.Empty(t, left.ChangedGroups)
		signsInFirst(t, s, list)
		require.NoError(t, connect.Undo(w, list, how))
		now, err = fetch(t, s, &source)
		require.NoError(t, err)
		_, left = connect.Settle(before, now)
		if how == connect.Unknown { // nobody can tell that it was not somebody else
			require.Len(t, left.ChangedGroups, 1)
			assert.Equal(t, "members go: "+leaver, left.ChangedGroups[0].Words())
			left.ChangedGroups = nil
		}
		assert.True(t, left.Empty(), "%+v", left)
	}
}

// withoutFurther are the fields but for what a controller adds by itself to every account.
func withoutFurther(fields []connect.Field) []connect.Field {
	return slices.DeleteFunc(
		fields,
		func(f connect.Field) bool { return f.Before == "" && f.Attribute != "primary_group" },
	)
}

// signsInFirst sees that the new account is asked for another password at its first sign-in, with the
// one that it got alone.
func signsInFirst(t *testing.T, s *server, list []*connect.Modification) {
	i := slices.IndexFunc(list, func(m *connect.Modification) bool { return m.Password != "" })
	require.GreaterOrEqual(t, i, 0)
	for password, told := range map[string]string{list[i].Password: "data 773", list[i].Password + "x": "data 52e"} {
		c, err := ldap.DialURL("ldaps://"+controller, ldap.DialWithTLSConfig(trusting(t, s.Dir)))
		require.NoError(t, err)
		assert.ErrorContains(t, c.Bind("noor.haddix@cindervale.example", password), told)
		c.Close()
	}
}

// comparesByName reads as somebody who has no rights but to read.
func comparesByName(t *testing.T, s *server, from *directory.Source, c *ldap.Conn) {
	set := ldap.NewModifyRequest("CN=Person 40,OU=people,"+domain, nil)
	quoted, err := unicode.UTF16(unicode.LittleEndian, unicode.IgnoreBOM).NewEncoder().String(`"` + controllerPass + `"`)
	require.NoError(t, err)
	set.Replace("unicodePwd", []string{quoted})
	require.NoError(t, c.Modify(set))
	source, document := *from, *from.Connection.Document.(*own.Document)
	document.Bind.Value = "p40@cindervale.example"
	source.Follow, source.Connection.Document = "poll", &document
	conn, err := own.New(&source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	tables := tablesOf(t, &source)
	all, err := conn.Fetch(t.Context(), tables, func(int) {})
	require.NoError(t, err)
	for range 2 {
		p, err := conn.Verify(t.Context(), tables, all)
		require.NoError(t, err)
		assert.True(t, p.Empty())
	}
	require.NoError(t, c.Del(ldap.NewDelRequest("CN=Person 41,OU=people,"+domain, nil)))
	p, err := conn.Verify(t.Context(), tables, all)
	require.NoError(t, err)
	require.Len(t, p.Gone, 1)
	assert.Equal(t, "p41", p.Gone[0].Name)
}

// A domain controller is compared with what is known by what has changed since.
func BenchmarkVerifyOfADomainController(b *testing.B) {
	dir, referee := populatedController(b)
	require.NoError(b, referee.Del(ldap.NewDelRequest("CN=Person 41,OU=people,"+domain, nil)))
	m, err := mapfile.Parse(
		[]mapfile.File{{Path: "gatemap.yaml", Content: []byte("title: x\n")}, {Path: "d.yaml", Content: []byte(`
directory: cindervale
source:
  ldap: {servers: ["ldaps://` + controller + `"], ca: ca.pem, bind: administrator@cindervale.example, secret: {env: GATEMAP_SECRET_TEST}}
  table: domain-controller
  follow: poll
`)}},
		types.Table,
		connectors.Kinds(),
	)
	require.NoError(b, err)
	source := m.Directories[0].Source
	conn, err := own.New(source, (&server{&slapd.Server{Dir: dir}, nil}).host()).Connect(b.Context())
	require.NoError(b, err)
	defer conn.Close()
	tables := tablesOf(b, source)
	benchmarkVerify(b, conn, tables, "numbers", func(all connect.Records, i int) error {
		change := ldap.NewModifyRequest(all.Users[30].DN, nil)
		change.Replace("title", []string{fmt.Sprintf("Observer %d", i)})
		return referee.Modify(change)
	})
}

func orAny(s string) string {
	if s == "" {
		return "any"
	}
	return s
}

func canonical(t *testing.T, dn string) string {
	t.Helper()
	c, ok := name.DN(dn)
	require.True(t, ok, dn)
	return c
}

// chain lists the groups of a member at all levels, as the controller finds them.
func chain(t *testing.T, c *ldap.Conn, dn string) []string {
	t.Helper()
	r, err := c.Search(ldap.NewSearchRequest(domain, ldap.ScopeWholeSubtree, ldap.NeverDerefAliases, 0, 0, false,
		"(member:1.2.840.113556.1.4.1941:="+ldap.EscapeFilter(dn)+")", []string{"cn"}, nil))
	require.NoError(t, err)
	var groups []string
	for _, e := range r.Entries {
		groups = append(groups, canonical(t, e.DN))
	}
	return groups
}

// identifiers are the groups of the domain by their security identifiers.
func identifiers(t *testing.T, c *ldap.Conn) map[string]string {
	t.Helper()
	r, err := c.Search(
		ldap.NewSearchRequest(
			domain,
			ldap.ScopeWholeSubtree,
			ldap.NeverDerefAliases,
			0,
			0,
			false,
			"(objectClass=group)",
			[]string{"objectSid"},
			nil,
		),
	)
	require.NoError(t, err)
	all := map[string]string{}
	for _, e := range r.Entries {
		all[string(e.GetRawAttributeValue("objectSid"))] = canonical(t, e.DN)
	}
	return all
}

// token lists the groups that the controller would put into a user's token.
func token(t *testing.T, c *ldap.Conn, sids map[string]string, dn string) []string {
	t.Helper()
	r, err := c.Search(
		ldap.NewSearchRequest(
			dn,
			ldap.ScopeBaseObject,
			ldap.NeverDerefAliases,
			1,
			0,
			false,
			"(objectClass=*)",
			[]string{"tokenGroups"},
			nil,
		),
	)
	require.NoError(t, err)
	var groups []string
	for _, sid := range r.Entries[0].GetRawAttributeValues("tokenGroups") {
		groups = append(groups, sids[string(sid)])
	}
	slices.Sort(groups)
	return groups
}

// followsNames renames what is in the domain, in every way, and compares what polls make of
// that with a full reading.
func followsNames(t *testing.T, s *server, from *directory.Source, c *ldap.Conn) {
	source := *from
	source.Follow = "poll"
	conn, err := own.New(&source, s.host()).Connect(t.Context())
	require.NoError(t, err)
	defer conn.Close()
	var mark own.Mark
	whole := func() connect.Records {
		var err error
		mark, err = conn.Mark()
		require.NoError(t, err)
		all, err := conn.Fetch(t.Context(), tablesOf(t, &source), func(int) {})
		require.NoError(t, err)
		return all
	}
	known := whole()
	dn := func(name string) string {
		for _, u := range known.Users {
			if u.Name == name {
				return u.DN
			}
		}
		t.Fatalf("there is no %s", name)
		return ""
	}
	set := func(dn, attribute, value string) {
		change := ldap.NewModifyRequest(dn, nil)
		change.Replace(attribute, []string{value})
		require.NoError(t, c.Modify(change))
	}
	move := func(dn, rdn, above string) {
		require.NoError(t, c.ModifyDN(ldap.NewModifyDNRequest(dn, rdn, true, above)))
	}
	unit := func(dn string) {
		add := ldap.NewAddRequest(dn, nil)
		add.Attribute("objectClass", []string{"organizationalUnit"})
		require.NoError(t, c.Add(add))
	}
	for _, step := range []struct {
		name string
		do   func()
	}{
		{"a login name", func() { set(dn("p3"), "sAMAccountName", "renamed3") }},
		{"the name of an entry", func() { move(dn("p4"), "CN=Other Name", "") }},
		{"two swap their login names", func() {
			a, b := dn("p5"), dn("p6")
			set(a, "sAMAccountName", "between")
			set(b, "sAMAccountName", "p5")
			set(a, "sAMAccountName", "p6")
		}},
		{"someone moves", func() {
			unit("OU=guests,OU=people," + domain)
			move(dn("p7"), "CN=Person 7", "OU=guests,OU=people,"+domain)
		}},
		{"a place is renamed", func() { move("OU=guests,OU=people,"+domain, "OU=visitors", "") }},
		{"a group that is in another", func() { move("CN=crew,OU=groups,"+domain, "CN=crew renamed", "") }},
		{"a place of groups", func() { move("OU=groups,"+domain, "OU=teams", "") }},
		{"someone leaves the base", func() { move(dn("p12"), "CN=Person 12", "CN=Users,"+domain) }},
		{"someone is deleted", func() { require.NoError(t, c.Del(ldap.NewDelRequest(dn("p13"), nil))) }},
		{"a place leaves the base", func() {
			unit("OU=annex,OU=people," + domain)
			move(dn("p14"), "CN=Person 14", "OU=annex,OU=people,"+domain)
		}},
		{"a place with people leaves the base", func() { move("OU=annex,OU=people,"+domain, "OU=annex", domain) }},
		{"a place with people comes in", func() { move("OU=annex,"+domain, "OU=annex", "OU=people,"+domain) }},
		{"one is deleted, and another made by the same name", func() {
			at := dn("p8")
			require.NoError(t, c.Del(ldap.NewDelRequest(at, nil)))
			add := ldap.NewAddRequest(at, nil)
			add.Attribute("objectClass", []string{"user"})
			add.Attribute("sAMAccountName", []string{"p8"})
			add.Attribute("userAccountControl", []string{"544"})
			require.NoError(t, c.Add(add))
		}},
	} {
		step.do()
		next, err := conn.Mark()
		require.NoError(t, err)
		p, err := conn.Changes(t.Context(), tablesOf(t, &source), mark, known)
		if errors.Is(err, connect.ErrAnew) {
			known = whole()
		} else {
			require.NoError(t, err)
			known, mark = known.With(p), next
			p, err = conn.Verify(t.Context(), tablesOf(t, &source), known)
			if errors.Is(err, connect.ErrAnew) {
				known = whole()
			} else {
				require.NoError(t, err)
				known = known.With(p)
			}
		}
		want, err := fetch(t, s, from)
		require.NoError(t, err)
		assert.Equal(t, told(want), told(known), step.name)
	}
}
