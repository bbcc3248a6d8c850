package postgres_test

import (
	"context"
	"fmt"
	"maps"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/postgres"
	"gatemap/core/atlas"
	"gatemap/core/delivery"
	"gatemap/core/directory"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/tools/database"
)

// delivering is a map with one system that is delivered to.
type delivering struct {
	t      *testing.T
	now    *atlas.Atlas
	system *atlas.System
	link   *postgres.Document
	asked  connect.Observing
	// strangers asks for what is beside our names to go as well
	strangers bool
	wanted    *delivery.Wanted // of the last plan
	prefix    string           // of the name of the system in marks
	drift     func() *reading.Drift
}

func deliveringOf(t *testing.T, files ...string) *delivering {
	t.Helper()
	var all []mapfile.File
	for i, text := range files {
		kind := "directories"
		if strings.HasPrefix(text, "system:") {
			kind = "systems"
		}
		path := fmt.Sprintf("%s/%d.yaml", kind, i)
		if strings.HasPrefix(text, "title:") {
			path = "gatemap.yaml"
		}
		all = append(all, mapfile.File{Path: path, Content: []byte(text)})
	}
	m, err := mapfile.Parse(all, types.Table, []directory.ConnectionKind{postgres.Connector.Kind()})
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	s := a.Systems[0]
	return &delivering{
		t:      t,
		now:    a,
		system: s,
		link:   s.Document.Link.Connection.Document.(*postgres.Document),
		asked:  connect.Observing{System: s.Document},
	}
}

func (d *delivering) compiled(r *reading.Reading) *reading.Compiled {
	d.t.Helper()
	c, err := reading.Compile(r, d.now, d.system.Document)
	require.NoError(d.t, err)
	return c
}

func (d *delivering) plan(r *reading.Reading) (*delivery.Plan, error) {
	c := d.compiled(r)
	kind := roles.Type
	d.drift = func() *reading.Drift {
		drift, err := reading.Between(c, kind)
		require.NoError(d.t, err)
		return drift
	}
	w, err := delivery.Compute(c, kind)
	if err != nil {
		return nil, err
	}
	w.Strangers, d.wanted = d.strangers, w
	return d.link.Plan(r, w, connect.Mark{Map: "cindervale-test", System: d.prefix + "frame-index"})
}

// run is the plan for what is there now.
func (d *delivering) run() *delivery.Plan {
	d.t.Helper()
	p, err := connect.Planned(d.plan).Now(d.t.Context(), &d.asked)
	require.NoError(d.t, err)
	return p
}

func (d *delivering) deliver() *delivery.Plan {
	d.t.Helper()
	p := d.run()
	require.NoError(d.t, d.link.Deliver(d.t.Context(), &d.asked, p, d.plan), "%v", p.Statements)
	return p
}

// drawnMap draws people, groups and a system that gives them what is in a database.
func (w *world) drawnMap(s *database.Server, tables []string, round int) []string {
	var people, system strings.Builder
	fmt.Fprintf(&people, "directory: cindervale\nusers:\n")
	const users, groups = 14, 6
	for u := range users {
		fmt.Fprintf(&people, "  - {userName: u%d.%d", round, u)
		switch {
		case w.chance(12):
			people.WriteString(", active: false")
		case w.chance(8):
			people.WriteString(", expires: \"2020-01-01T00:00:00Z\"")
		}
		people.WriteString("}\n")
	}
	people.WriteString("groups:\n")
	for g := range groups {
		fmt.Fprintf(
			&people,
			"  - {name: g%d, members: {users: [%s]",
			g,
			w.some(func(i int) string { return fmt.Sprintf("u%d.%d", round, i) }, users, 40),
		)
		if g > 0 && w.chance(30) {
			fmt.Fprintf(&people, ", groups: [g%d]", w.IntN(g))
		}
		people.WriteString("}}\n")
	}
	group := func() string { return fmt.Sprintf("g%d", w.IntN(groups)) }
	unexpressed := ""
	if w.chance(40) {
		unexpressed = "  unexpressed: grant\n"
	}
	fmt.Fprintf(&system, `system: frame-index
type: roles
directory: cindervale
link:
  postgres: {address: "%s", database: frames, user: %s, secret: {env: GATEMAP_SECRET_FRAMES}}
  names: {groups: "gm%d_{name}"}
  ignore: {accounts: [keeper, gatemap]}
%srights: ["database:connect", "schema:usage", "schema:create", "table:select", "table:insert", "table:update", "table:delete", "sequence:usage", "function:execute"]
resources: [{path: /}, %s]
roles:
  base: {rights: ["database:connect", "schema:usage"]}
  reader: {rights: ["table:select", "sequence:usage", "function:execute"]}
  writer: {includes: [reader], rights: ["table:insert", "table:update"]}
  keeper: {includes: [writer], rights: ["table:delete", "schema:create"]}
mappings:
  - {groups: [g0, g1, g2, g3, g4, g5], role: base, object: /}
  - {users: [%s], role: base, object: /}
`, s.Address, database.Admin, round, unexpressed, "{path: "+strings.Join(tables, "}, {path: ")+"}", w.some(func(i int) string { return fmt.Sprintf("u%d.%d", round, i) }, users, 20))
	for range 8 {
		whom := "groups: [" + group() + ", " + group() + "]"
		switch {
		case w.chance(15):
			whom = fmt.Sprintf("users: [u%d.%d]", round, w.IntN(users))
		case w.chance(8):
			whom = "everyone: true"
		}
		if w.chance(20) {
			whom += fmt.Sprintf(", except: {groups: [%s]}", group())
		}
		if w.chance(20) {
			whom += ", when: {windows: [night]}"
		}
		if w.chance(15) {
			whom += ", effect: deny"
		}
		at := "/"
		if w.chance(80) {
			at = tables[w.IntN(len(tables))]
		}
		fmt.Fprintf(&system, "  - {%s, role: %s, object: %s}\n", whom, []string{"reader", "writer", "keeper"}[w.IntN(3)], at)
	}
	if w.chance(40) {
		fmt.Fprintf(
			&system,
			"limits:\n  - {name: still, rights: [\"table:update\"], object: %s, except: {groups: [%s]}}\n",
			tables[w.IntN(len(tables))],
			group(),
		)
	}
	return []string{
		"title: Cindervale Observatory\nwindows: {night: {days: [mon, tue, wed, thu, fri, sat, sun], from: \"18:00\", to: \"06:00\"}}\n",
		people.String(),
		system.String(),
	}
}

func (w *world) some(named func(int) string, of, percent int) string {
	list := []string{named(w.IntN(of))}
	for i := range of {
		if w.chance(percent) {
			list = append(list, named(i))
		}
	}
	slices.Sort(list)
	return strings.Join(slices.Compact(list), ", ")
}

// foreign draws what others have made in the database, under our names and beside them.
func (w *world) foreign(round int, tables []string) string {
	w.out.Reset()
	user := func() string { return fmt.Sprintf(`"u%d.%d"`, round, w.IntN(14)) }
	made := map[string]bool{}
	for range 8 {
		if u := user(); !made[u] {
			made[u] = true
			w.add(
				"CREATE ROLE %s %s",
				u,
				[]string{"LOGIN", "LOGIN NOINHERIT", "LOGIN CONNECTION LIMIT 0", "LOGIN VALID UNTIL '2020-01-01'"}[w.IntN(4)],
			)
		}
	}
	there := slices.Sorted(maps.Keys(made))
	some := func() string { return there[w.IntN(len(there))] }
	w.add(`CREATE ROLE foreign%d; CREATE ROLE stranger%d LOGIN`, round, round)
	for _, g := range []string{"g0", "g1", "g9"} { // the last is no group of the map
		options := []string{"", " LOGIN", " CREATEROLE"}[w.IntN(3)]
		w.add(`CREATE ROLE "gm%d_%s"%s`, round, g, options)
		for range 4 {
			w.add(`GRANT "gm%d_%s" TO %s%s`, round, g, some(), []string{"", " WITH ADMIN OPTION"}[w.IntN(2)])
		}
		w.add(`GRANT "gm%d_%s" TO stranger%d`, round, g, round)
		for _, t := range tables {
			if strings.Count(t, "/") == 2 && w.chance(50) && strings.Contains(t, "/t") {
				w.add(
					`GRANT %s ON %s TO "gm%d_%s"%s`,
					privileges[w.IntN(len(privileges))],
					sqlOf(t),
					round,
					g,
					[]string{"", " WITH GRANT OPTION"}[w.IntN(2)],
				)
			}
		}
	}
	w.add(`GRANT foreign%d TO "gm%d_g1", %s`, round, round, some())
	w.add(`GRANT DELETE ON %s TO foreign%d, %s`, sqlOf(tables[len(tables)-1]), round, some())
	return w.out.String()
}

func sqlOf(path string) string {
	return strings.ReplaceAll(strings.TrimPrefix(path, "/"), "/", ".")
}

// underOurNames is what logins have by roles of ours, as the catalogs say it.
const underOurNames = `
WITH RECURSIVE held(login, role) AS (
	SELECT m.oid, a.roleid FROM pg_roles m JOIN pg_auth_members a ON a.member = m.oid JOIN pg_roles g ON g.oid = a.roleid WHERE m.rolcanlogin AND g.rolname LIKE $1
	UNION SELECT h.login, a.roleid FROM held h JOIN pg_auth_members a ON a.member = h.role)
SELECT DISTINCT l.rolname, o.path, CASE o.noun WHEN 'column' THEN 'table' ELSE o.noun END || ':' || lower(a.privilege_type) FROM held h JOIN pg_roles l ON l.oid = h.login JOIN (
	SELECT '/' AS path, 'database' AS noun, datacl AS acl FROM pg_database WHERE datname = current_database()
	UNION ALL SELECT '/' || nspname, 'schema', nspacl FROM pg_namespace
	UNION ALL SELECT '/' || n.nspname || '/' || c.relname, CASE c.relkind WHEN 'S' THEN 'sequence' ELSE 'table' END, c.relacl FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
	UNION ALL SELECT '/' || n.nspname || '/' || c.relname || '/' || t.attname, 'column', c.relacl FROM pg_attribute t JOIN pg_class c ON c.oid = t.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE t.attname = 'b'
	UNION ALL SELECT '/' || n.nspname || '/' || c.relname || '/' || t.attname, 'column', t.attacl FROM pg_attribute t JOIN pg_class c ON c.oid = t.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
	UNION ALL SELECT '/' || n.nspname || '/' || p.proname || '(' || pg_get_function_identity_arguments(p.oid) || ')', 'function', p.proacl FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
) o ON o.acl IS NOT NULL CROSS JOIN LATERAL aclexplode(o.acl) a
	WHERE a.grantee = h.role AND (o.noun <> 'column' OR a.privilege_type IN ('SELECT', 'INSERT', 'UPDATE', 'REFERENCES'))`

// notOurs is all that is there beside our names.
const notOurs = `
SELECT 'role ' || rolname || rolsuper::text || rolcreaterole::text FROM pg_roles WHERE rolname NOT LIKE $1 AND rolname NOT LIKE $2
UNION ALL SELECT 'in ' || g.rolname || ' ' || m.rolname FROM pg_auth_members a JOIN pg_roles g ON g.oid = a.roleid JOIN pg_roles m ON m.oid = a.member WHERE g.rolname NOT LIKE $1 AND m.rolname NOT LIKE $1
UNION ALL SELECT 'on ' || c.relname || ' ' || r.rolname || ' ' || a.privilege_type FROM pg_class c CROSS JOIN LATERAL aclexplode(c.relacl) a
	JOIN (SELECT oid, rolname FROM pg_roles UNION ALL SELECT 0, 'everyone') r ON r.oid = a.grantee WHERE r.rolname NOT LIKE $1 AND a.grantee <> c.relowner
ORDER BY 1`

type held struct{ user, object, right string }

func rows[T any](
	t *testing.T,
	s *database.Server,
	scan func(func(...any) error) (T, error),
	query string,
	args ...any,
) (list []T) {
	t.Helper()
	conn, err := s.Connect(t.Context(), database.Admin, "frames")
	require.NoError(t, err)
	defer conn.Close(context.Background())
	r, err := conn.Query(t.Context(), query, args...)
	require.NoError(t, err)
	for r.Next() {
		x, err := scan(r.Scan)
		require.NoError(t, err)
		list = append(list, x)
	}
	require.NoError(t, r.Err())
	return list
}

func one(scan func(...any) error) (s string, err error) { err = scan(&s); return s, err }

func three(scan func(...any) error) (h held, err error) {
	err = scan(&h.user, &h.object, &h.right)
	return h, err
}

// The laws of docs/connected.md, "Delivery", on drawn maps and databases.
func TestADeliveryKeepsTheLaws(t *testing.T) {
	s := start(t)
	require.NoError(t, s.Run("postgres", "CREATE DATABASE frames"))
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	w := &world{Rand: rand.New(rand.NewPCG(seed, 1))}
	w.add("REVOKE ALL ON DATABASE frames FROM PUBLIC; REVOKE ALL ON SCHEMA public FROM PUBLIC")
	tables, columns := []string{"/s0", "/s1"}, []string{}
	w.add("CREATE SCHEMA s0; CREATE SCHEMA s1")
	for i := range 8 {
		w.add("CREATE TABLE s%d.t%d (a int, b int)", i%2, i)
		tables = append(tables, fmt.Sprintf("/s%d/t%d", i%2, i))
		if i%3 == 0 {
			columns = append(columns, fmt.Sprintf("/s%d/t%d/b", i%2, i))
		}
	}
	w.add(
		"CREATE SEQUENCE s0.q; CREATE FUNCTION s1.f(integer) RETURNS int LANGUAGE sql AS 'SELECT 1'; REVOKE ALL ON FUNCTION s1.f FROM PUBLIC",
	)
	require.NoError(t, s.Run("frames", w.out.String()))
	rounds := 24
	if testing.Short() {
		rounds = 8
	}
	for round := range rounds {
		require.NoError(t, s.Run("frames", w.foreign(round, tables)))
		files := w.drawnMap(s, append(columns, tables...), round)
		d := deliveringOf(t, files...)
		d.prefix = fmt.Sprint(round)
		ours := fmt.Sprintf("gm%d\\_%%", round)
		users := fmt.Sprintf("u%d.%%", round)
		before := rows(t, s, one, notOurs, ours, users)
		p := d.deliver()
		w.lawsHold(d, p, rows(t, s, three, underOurNames, ours))
		assert.Equal(t, before, rows(t, s, one, notOurs, ours, users), "what is not ours stays")
		if t.Failed() {
			t.Fatalf("round %d\n%s\n%s", round, strings.Join(files, "---\n"), statementsOf(p))
		}
	}
}

func statementsOf(p *delivery.Plan) string {
	var b strings.Builder
	for _, s := range p.Statements {
		fmt.Fprintf(&b, "%s: %s -- %s\n", s.Effect, s.Text, s.For)
	}
	return b.String()
}

func (w *world) lawsHold(d *delivering, p *delivery.Plan, has []held) {
	t := d.t
	gave := false
	for _, s := range p.Statements {
		gave = gave || s.Effect == delivery.Gives
		assert.False(t, gave && s.Effect == delivery.Takes, "it takes away first")
	}
	assert.Empty(t, d.run().Statements, "a second run has none")
	facts := d.now.Frame.Facts(situation.Situation{}, nil)
	lets := d.system.Document.Link.Unexpressed == "grant"
	able := func(u directory.UserID) bool {
		r := d.now.Book.User(u)
		return r.IsActive() && r.Expires.IsZero()
	}
	state := func(u directory.UserID, object, right string) rule.State {
		x, err := d.system.Gate.At(object, right)
		require.NoError(t, err)
		return d.now.Decide(d.now.Question(u, facts), d.system, x).State
	}
	holds := map[held]bool{}
	for _, h := range has {
		holds[h] = true
		u, err := d.now.Book.FindUser("cindervale/"+h.user, "")
		if !assert.NoError(t, err, "%v: only users of the map hold anything under our names", h) {
			continue
		}
		got := state(u, h.object, h.right)
		assert.True(
			t,
			able(u) && (got == rule.Open || lets && got == rule.Depends),
			"never wider: %v is %v by the map",
			h,
			got,
		)
	}
	// It arrives: whatever a line gives to a group all of which holds it, or to a user.
	lines := d.system.Site.Index.All()
	d.system.Gate.Given(func(x rule.Given) {
		for _, r := range d.system.Site.Index.Some(x.Gives) {
			whole := func(list []directory.UserID) {
				var active []directory.UserID
				for _, u := range list {
					if able(u) {
						active = append(active, u)
					}
				}
				for _, u := range active {
					for _, at := range []string{x.Object, x.Object + "/b"} {
						if at != x.Object && (strings.Count(at, "/") != 3 || !strings.HasPrefix(x.Right, "table:")) {
							continue // what is granted on a table counts for its columns
						}
						if s := state(u, at, x.Right); s != rule.Open && !(lets && s == rule.Depends) {
							return
						}
					}
				}
				for _, u := range active {
					h := held{d.now.Book.User(u).Name, x.Object, x.Right}
					assert.True(t, holds[h] || !d.there(x.Object, x.Right), "it arrives: %v by %s", h, r.Name)
				}
			}
			for _, g := range r.Groups {
				var members []directory.UserID
				for _, m := range d.now.Book.Members(g) {
					members = append(members, m.User)
				}
				whole(members)
			}
			for _, u := range r.Users {
				whole([]directory.UserID{u})
			}
		}
	})
	assert.NotEmpty(t, lines)
	// What is short after it is named, and what is in excess does not come by a name of ours.
	for _, x := range d.drift().Items {
		if x.Effect() == reading.Short {
			assert.NotEmpty(t, d.wanted.Left, "%+v is short, and nothing is told to be left out", x)
			continue
		}
		_, name, _ := strings.Cut(x.User, "/")
		assert.True(t, !holds[held{name, x.Object, x.Right}] || lets, "%+v", x)
	}
}

// given says whether what is asked of a column is given on its table.
func (d *delivering) given(object, right string) bool {
	table := object[:strings.LastIndexByte(object, '/')]
	return slices.ContainsFunc(
		d.wanted.Grants,
		func(g delivery.Grant) bool { return g.Object == table && g.Right == right },
	)
}

// there says whether something is in the database on which the right can be held.
func (d *delivering) there(object, right string) bool {
	noun, _, _ := strings.Cut(right, ":")
	switch {
	case object == "/":
		return noun == "database"
	case strings.Count(object, "/") == 1:
		return noun == "schema"
	case strings.Count(object, "/") == 3: // it comes with the table
		return noun == "table" && right != "table:delete" && !d.given(object, right)
	}
	return noun == "table"
}
