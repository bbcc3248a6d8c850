package postgres_test

import (
	"context"
	"errors"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/postgres"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/roles"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/tools/database"
)

func start(t *testing.T) *database.Server {
	t.Helper()
	s, err := database.Start(t.TempDir())
	require.NoError(t, err)
	t.Cleanup(s.Stop)
	t.Setenv("GATEMAP_SECRET_FRAMES", database.Secret)
	return s
}

// document is the link of a test, which signs in as a role without rights.
func document(s *database.Server, db string) *postgres.Document {
	return &postgres.Document{
		Address: place.Text{
			Value: s.Address,
		}, Database: db, User: database.Reader, Secret: &connect.Secret{Env: "GATEMAP_SECRET_FRAMES"},
	}
}

func system(d *postgres.Document) *gate.System {
	return &gate.System{
		Name: "frame-index", Type: name.Ref{Name: "roles"}, Gate: &roles.Document{},
		Link: &gate.Link{Connection: directory.Connection{Document: d}},
	}
}

// read reads a database, and compiles it beside a map of nobody.
func read(t *testing.T, d *postgres.Document) *reading.Compiled {
	t.Helper()
	s := system(d)
	r, err := connect.Observe(t.Context(), s, connect.Host{}, func(int) {})
	require.NoError(t, err)
	a, err := atlas.Compile(&atlas.Map{Systems: []*gate.System{s}})
	require.NoError(t, err)
	c, err := reading.Compile(r, a, s)
	require.NoError(t, err)
	return c
}

// may asks the compiled reading.
func may(t *testing.T, c *reading.Compiled, account, object, right string) bool {
	t.Helper()
	u, err := c.Atlas.Book.FindUser(c.Full(account), "")
	require.NoError(t, err, account)
	p, err := c.System.Gate.At(object, right)
	require.NoError(t, err, "%s on %s", right, object)
	e := c.Atlas.Decide(c.Atlas.Question(u, c.Atlas.Frame.Facts(situation.Situation{}, nil)), c.System, p)
	return e.State == rule.Open
}

// adopted is the reading as a map of its own, as it is written when it is adopted.
func adopted(t *testing.T, c *reading.Compiled, s *gate.System) *reading.Compiled {
	t.Helper()
	s.Link.Connection.Name = "postgres"
	is, own := c.Adopted(s)
	text, err := mapfile.Write(is)
	require.NoError(t, err)
	home, err := mapfile.WriteDirectory(own)
	require.NoError(t, err)
	m, err := mapfile.Parse(
		[]mapfile.File{{Path: "systems/a.yaml", Content: text}, {Path: "directories/a.yaml", Content: home}},
		types.Table,
		[]directory.ConnectionKind{postgres.Connector.Kind()},
	)
	require.NoError(t, err)
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	as := *c
	as.Atlas, as.System = a, a.Systems[0]
	return &as
}

// world draws a database: roles in each other, inheriting or not, and what they are granted.
type world struct {
	*rand.Rand
	out strings.Builder
}

func (w *world) add(format string, args ...any) { fmt.Fprintf(&w.out, format+";\n", args...) }

func (w *world) chance(percent int) bool { return w.IntN(100) < percent }

func (w *world) draw(roles, tables int) string {
	role := func() string { return fmt.Sprintf("r%03d", w.IntN(roles)) }
	grantee := func() string {
		if w.chance(4) {
			return "PUBLIC"
		}
		return role()
	}
	for i := range roles {
		options := ""
		if w.chance(55) {
			options += " LOGIN"
		}
		if w.chance(20) {
			options += " NOINHERIT"
		}
		if w.chance(1) {
			options += " SUPERUSER"
		}
		if w.chance(3) {
			options += " CREATEROLE"
		}
		w.add("CREATE ROLE r%03d%s", i, options)
	}
	for i := 1; i < roles; i++ { // a role is in earlier ones alone, so that there is no circle
		for w.chance(45) {
			w.add("GRANT r%03d TO r%03d", w.IntN(i), i)
		}
	}
	w.add("GRANT pg_read_all_data TO %s", role())
	w.add("GRANT pg_write_all_data TO %s", role())
	w.add("CREATE TABLE public.watched (a int, b int); GRANT SELECT ON public.watched TO pg_monitor, %s", role())
	w.add("REVOKE CONNECT ON DATABASE frames FROM PUBLIC")
	for range roles / 2 {
		w.add("GRANT CONNECT ON DATABASE frames TO %s", role())
	}
	w.add("GRANT CONNECT ON DATABASE frames TO %s", database.Reader)
	w.add("GRANT CREATE ON DATABASE frames TO %s", role())
	w.add("ALTER DATABASE frames OWNER TO %s", role())
	for s := range 6 {
		w.add("CREATE SCHEMA s%d AUTHORIZATION %s", s, role())
		for range 6 {
			w.add("GRANT %s ON SCHEMA s%d TO %s", []string{"USAGE", "CREATE", "ALL"}[w.IntN(3)], s, grantee())
		}
	}
	w.add("GRANT CREATE, USAGE ON SCHEMA public TO PUBLIC")
	for i := range tables {
		schema := fmt.Sprintf("s%d", w.IntN(6))
		if w.chance(10) {
			schema = "public"
		}
		switch {
		case w.chance(10):
			w.sequence(schema, i, role, grantee)
		case w.chance(10):
			w.function(schema, i, role, grantee)
		default:
			w.table(schema, i, role, grantee)
		}
	}
	w.add("ALTER DEFAULT PRIVILEGES FOR ROLE %s GRANT SELECT ON TABLES TO %s", role(), role())
	return w.out.String()
}

var privileges = []string{"SELECT", "INSERT", "UPDATE", "DELETE", "TRUNCATE", "REFERENCES", "TRIGGER", "ALL"}

func (w *world) table(schema string, i int, role, grantee func() string) {
	t := fmt.Sprintf("%s.t%03d", schema, i)
	if w.chance(10) {
		w.add("CREATE VIEW %s AS SELECT 1 AS a, 2 AS b", t)
	} else {
		w.add("CREATE TABLE %s (a int, b int)", t)
	}
	owner := role()
	w.add("ALTER TABLE %s OWNER TO %s", t, owner)
	if w.chance(15) {
		w.add("REVOKE INSERT ON %s FROM %s", t, owner)
	}
	for w.chance(75) {
		option := ""
		to := grantee()
		if w.chance(10) && to != "PUBLIC" {
			option = " WITH GRANT OPTION"
		}
		w.add("GRANT %s ON %s TO %s%s", privileges[w.IntN(len(privileges))], t, to, option)
	}
	for w.chance(25) {
		w.add(
			"GRANT %s (%s) ON %s TO %s",
			[]string{"SELECT", "INSERT", "UPDATE", "REFERENCES"}[w.IntN(4)],
			[]string{"a", "b"}[w.IntN(2)],
			t,
			grantee(),
		)
	}
}

func (w *world) sequence(schema string, i int, role, grantee func() string) {
	w.add("CREATE SEQUENCE %s.q%03d", schema, i)
	w.add("ALTER SEQUENCE %s.q%03d OWNER TO %s", schema, i, role())
	for w.chance(60) {
		w.add("GRANT %s ON SEQUENCE %s.q%03d TO %s", []string{"USAGE", "SELECT", "UPDATE"}[w.IntN(3)], schema, i, grantee())
	}
}

func (w *world) function(schema string, i int, role, grantee func() string) {
	f := fmt.Sprintf("%s.f%03d(integer, text)", schema, i)
	w.add("CREATE FUNCTION %s RETURNS int LANGUAGE sql AS 'SELECT 1'", f)
	w.add("ALTER FUNCTION %s OWNER TO %s", f, role())
	if w.chance(50) {
		w.add("REVOKE EXECUTE ON FUNCTION %s FROM PUBLIC", f)
	}
	for w.chance(50) {
		w.add("GRANT EXECUTE ON FUNCTION %s TO %s", f, grantee())
	}
}

// What a reading answers for every login and every object is what the server itself answers:
// with privileges, the use of schemas and connecting, and for some what becomes of real statements.
func TestAReadingAnswersWhatTheDatabaseAnswers(t *testing.T) {
	s := start(t)
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	require.NoError(t, s.Run("postgres", "CREATE DATABASE frames"))
	w := &world{Rand: rand.New(rand.NewPCG(seed, 1))}
	inRoles, tables := 200, 500
	if testing.Short() {
		inRoles, tables = 60, 100
	}
	require.NoError(t, s.Run("frames", w.draw(inRoles, tables)))
	c := read(t, document(s, "frames"))
	assert.Less(t, len(c.Beyond), 10)
	conn, err := s.Connect(t.Context(), database.Admin, "frames")
	require.NoError(t, err)
	defer conn.Close(context.Background())
	compareAnswers(t, conn, c)
	compareStatements(t, conn, c, w)
	compareAnswers(t, conn, adopted(t, c, system(document(s, "frames"))))
}

// referee is what the server says of every login, object and right.
const referee = `
WITH logins AS (SELECT oid, rolname, has_database_privilege(oid, current_database(), 'CONNECT') AS connects FROM pg_roles WHERE rolcanlogin),
schemas AS (SELECT oid, nspname FROM pg_namespace WHERE nspname !~ '^pg_' AND nspname <> 'information_schema')
SELECT l.rolname, '/' || s.nspname, 'schema:' || lower(p), l.connects AND has_schema_privilege(l.oid, s.oid, p)
	FROM logins l, schemas s, unnest(ARRAY['USAGE', 'CREATE']) p
UNION ALL
SELECT l.rolname, '/' || s.nspname || '/' || c.relname, 'table:' || lower(p), l.connects AND has_schema_privilege(l.oid, s.oid, 'USAGE') AND has_table_privilege(l.oid, c.oid, p)
	FROM logins l, schemas s JOIN pg_class c ON c.relnamespace = s.oid AND c.relkind IN ('r', 'v'), unnest(ARRAY['SELECT', 'INSERT', 'UPDATE', 'DELETE', 'TRUNCATE', 'REFERENCES', 'TRIGGER']) p
UNION ALL
SELECT l.rolname, '/' || s.nspname || '/' || c.relname || '/' || a.attname, 'table:' || lower(p), l.connects AND has_schema_privilege(l.oid, s.oid, 'USAGE') AND has_column_privilege(l.oid, c.oid, a.attnum, p)
	FROM logins l, schemas s JOIN pg_class c ON c.relnamespace = s.oid JOIN pg_attribute a ON a.attrelid = c.oid AND a.attacl IS NOT NULL, unnest(ARRAY['SELECT', 'INSERT', 'UPDATE', 'REFERENCES']) p
UNION ALL
SELECT l.rolname, '/' || s.nspname || '/' || c.relname, 'sequence:' || lower(p), l.connects AND has_schema_privilege(l.oid, s.oid, 'USAGE') AND has_sequence_privilege(l.oid, c.oid, p)
	FROM logins l, schemas s JOIN pg_class c ON c.relnamespace = s.oid AND c.relkind = 'S', unnest(ARRAY['USAGE', 'SELECT', 'UPDATE']) p
UNION ALL
SELECT l.rolname, '/' || s.nspname || '/' || f.proname || '(' || pg_get_function_identity_arguments(f.oid) || ')', 'function:execute', l.connects AND has_schema_privilege(l.oid, s.oid, 'USAGE') AND has_function_privilege(l.oid, f.oid, 'EXECUTE')
	FROM logins l, schemas s JOIN pg_proc f ON f.pronamespace = s.oid
UNION ALL
SELECT l.rolname, '/', 'database:' || lower(p), (p = 'CONNECT' OR l.connects) AND has_database_privilege(l.oid, current_database(), p)
	FROM logins l, unnest(ARRAY['CONNECT', 'CREATE', 'TEMPORARY']) p
UNION ALL
SELECT l.rolname, '/', 'set-role:' || r.rolname, l.connects AND pg_has_role(l.oid, r.oid, 'MEMBER') AND (NOT pg_has_role(l.oid, r.oid, 'USAGE') OR r.rolsuper) AND l.oid <> r.oid
	FROM logins l JOIN pg_roles x ON x.oid = l.oid AND NOT x.rolsuper, pg_roles r`

func compareAnswers(t *testing.T, conn *pgx.Conn, c *reading.Compiled) {
	t.Helper()
	rows, err := conn.Query(t.Context(), referee)
	require.NoError(t, err)
	defer rows.Close()
	asked, held, wrong := 0, 0, 0
	switches := map[string]bool{}
	for _, r := range c.System.Gate.Catalogue().Rights {
		switches[r] = true
	}
	for rows.Next() {
		var login, object, right string
		var real bool
		require.NoError(t, rows.Scan(&login, &object, &right, &real))
		if strings.HasPrefix(right, "set-role:") && !switches[right] {
			require.False(t, real, "%s may %s, which the reading does not know", login, right)
			continue
		}
		asked++
		if real {
			held++
		}
		if got := may(t, c, login, object, right); got != real {
			if wrong++; wrong <= 10 {
				t.Errorf("%s %s on %s: the server says %t, the reading %t", login, right, object, real, got)
			}
		}
	}
	require.NoError(t, rows.Err())
	t.Logf("%d answers, %d of them yes, %d wrong", asked, held, wrong)
	assert.Greater(t, held, 100)
}

// compareStatements tries real statements as some of the logins.
func compareStatements(t *testing.T, conn *pgx.Conn, c *reading.Compiled, w *world) {
	t.Helper()
	tried, yes := 0, 0
	for _, a := range most(t, c, 15) {
		_, err := conn.Exec(t.Context(), "SET SESSION AUTHORIZATION "+a.Name)
		require.NoError(t, err)
		for object, kind := range c.Objects {
			if kind != "table" || !w.chance(30) {
				continue
			}
			table := strings.ReplaceAll(strings.TrimPrefix(object, "/"), "/", ".")
			for right, statement := range map[string]string{"table:select": "SELECT a, b FROM %s LIMIT 0", "table:delete": "DELETE FROM %s WHERE false", "table:update": "UPDATE %s SET a = 1, b = 1"} {
				_, err := conn.Exec(t.Context(), "BEGIN; "+fmt.Sprintf(statement, table)+"; ROLLBACK")
				_, _ = conn.Exec(t.Context(), "ROLLBACK")
				var server *pgconn.PgError
				denied := errors.As(err, &server) && server.Code == "42501"
				if err != nil && !denied {
					continue // such as a view that cannot be written
				}
				tried++
				if !denied {
					yes++
				}
				if allowed := may(t, c, a.Name, object, right); allowed == denied && !byColumns(c, object) {
					t.Errorf(
						"%s %s on %s: the statement was denied: %t; the reading says %t (%v)",
						a.Name,
						right,
						object,
						denied,
						allowed,
						err,
					)
				}
			}
		}
		_, err = conn.Exec(t.Context(), "RESET SESSION AUTHORIZATION")
		require.NoError(t, err)
	}
	t.Logf("%d statements, %d went", tried, yes)
	assert.Positive(t, yes)
}

// most are the accounts that may read the most tables.
func most(t *testing.T, c *reading.Compiled, n int) []reading.Account {
	t.Helper()
	reads := map[string]int{}
	var list []reading.Account
	for _, a := range c.Accounts {
		if !strings.HasPrefix(a.Name, "r") || !may(t, c, a.Name, "/", "database:connect") {
			continue
		}
		list = append(list, a)
		for object, kind := range c.Objects {
			if kind == "table" && may(t, c, a.Name, object, "table:select") {
				reads[a.Name]++
			}
		}
	}
	slices.SortFunc(list, func(a, b reading.Account) int { return reads[b.Name] - reads[a.Name] })
	return list[:min(n, len(list))]
}

// byColumns says whether both columns of a table have grants of their own, so that a statement on
// both may go though the table as a whole is not granted.
func byColumns(c *reading.Compiled, object string) bool {
	return c.Objects[object+"/a"] != "" || c.Objects[object+"/b"] != ""
}

// What keeps a database from being read is told with what to do, and nothing of it counts as not
// there.
func TestWhatKeepsADatabaseFromBeingRead(t *testing.T) {
	s := start(t)
	for _, statement := range []string{"CREATE DATABASE frames", "CREATE DATABASE closed", "REVOKE CONNECT ON DATABASE closed FROM PUBLIC"} {
		require.NoError(t, s.Run("postgres", statement))
	}
	require.NoError(t, s.Run("frames", "CREATE TABLE exposures (a int); REVOKE SELECT ON pg_policy FROM PUBLIC"))
	observe := func(change func(*postgres.Document)) (*reading.Reading, error) {
		d := document(s, "frames")
		change(d)
		return connect.Observe(t.Context(), system(d), connect.Host{}, func(int) {})
	}
	r, err := observe(func(*postgres.Document) {})
	require.NoError(t, err)
	assert.Equal(t, []string{"row policy"}, r.Unseen)
	assert.Contains(t, r.Objects, "/public/exposures")

	t.Setenv("GATEMAP_SECRET_OTHER", "wrong")
	for want, change := range map[string]func(*postgres.Document){
		"it does not let the role gatemap in": func(d *postgres.Document) { d.Secret.Env = "GATEMAP_SECRET_OTHER" },
		"GATEMAP_SECRET_NONE":                 func(d *postgres.Document) { d.Secret.Env = "GATEMAP_SECRET_NONE" },
		`database "other" does not exist`:     func(d *postgres.Document) { d.Database = "other" },
		"permission denied for database":      func(d *postgres.Document) { d.Database = "closed" },
		"connection refused":                  func(d *postgres.Document) { d.Address.Value = "127.0.0.1:1" },
		"is no address of a server":           func(d *postgres.Document) { d.Address.Value = "127.0.0.1" },
		"a secret would go there in the clear": func(d *postgres.Document) {
			d.Address.Value = "192.0.2.7:5432"
		},
	} {
		_, err := observe(change)
		require.Error(t, err, want)
		assert.ErrorContains(t, err, want)
		assert.NotContains(t, err.Error(), database.Secret)
	}

	require.NoError(t, s.Run("frames", "REVOKE SELECT ON pg_auth_members FROM PUBLIC"))
	_, err = observe(func(*postgres.Document) {})
	assert.ErrorContains(t, err, "may not read a system catalog")
	require.NoError(t, s.Run("frames", "GRANT SELECT ON pg_auth_members TO PUBLIC"))

	require.NoError(t, s.Freeze())
	_, err = observe(func(d *postgres.Document) { d.Timeout.Duration = 300 * time.Millisecond })
	require.NoError(t, s.Thaw())
	assert.ErrorContains(t, err, "did not answer within 300ms")
}

// Names may be any bytes, differ in case alone, and have signs that mean something in a path.
func TestNamesOfOtherEncodings(t *testing.T) {
	s := start(t)
	require.NoError(
		t,
		s.Run("postgres", "CREATE DATABASE frames ENCODING 'SQL_ASCII' LC_COLLATE 'C' LC_CTYPE 'C' TEMPLATE template0"),
	)
	require.NoError(
		t,
		s.Run(
			"frames",
			`SET client_encoding TO 'SQL_ASCII'; CREATE ROLE "Ilse" LOGIN; CREATE ROLE "ilse" LOGIN; CREATE ROLE "a*b" ;
		CREATE SCHEMA "a/b"; CREATE TABLE "a/b"."%2F" (a int); GRANT USAGE ON SCHEMA "a/b" TO "Ilse"; GRANT SELECT ON "a/b"."%2F" TO "Ilse";
		DO $$ BEGIN EXECUTE 'CREATE TABLE public."' || convert_from('\xe9', 'SQL_ASCII') || '" (a int)'; END $$`,
		),
	)
	c := read(t, document(s, "frames"))
	assert.True(t, may(t, c, "Ilse", "/a%2Fb/%252F", "table:select"))
	assert.False(t, may(t, c, "ilse", "/a%2Fb/%252F", "table:select"))
	assert.Contains(t, c.Objects, `/public/\xe9`)
}
