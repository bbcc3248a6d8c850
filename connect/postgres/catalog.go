package postgres

import (
	"context"
	"fmt"
	"strings"
	"time"
	"unicode/utf8"

	"github.com/jackc/pgx/v5"
)

// catalog is what the system catalogs hold (PostgreSQL documentation, chapter 53), by the numbers
// of objects.
type catalog struct {
	tx       pgx.Tx
	declared []string // by the map: paths
	me       string   // the role that reads
	progress func(int)
	rows     int // read so far

	version  int // such as 150011
	database string
	owner    uint32 // of the database
	roles    map[uint32]*role
	edges    []edge
	objects  map[string]*object // by path
	grants   []granted
	beyond   []beyond
	unseen   []string
}

type role struct {
	id                                            uint32
	name                                          string
	login, inherits, super                        bool
	createRole, createDB, replicates, bypassesRLS bool
	until                                         *time.Time
	limit                                         int
	comment                                       string
}

// edge says that a role is in another, whether it has what that one has, and whether it may let
// others in.
type edge struct {
	member, in      uint32
	inherits, admin bool
}

type object struct {
	path, kind, schema string
	owner              uint32
	sql                string // as a statement names it; "": none can
	column             string // of a column, whose sql is that of its table
}

// granted is one privilege of one role on one object; role 0 is everyone.
type granted struct {
	object    *object
	role      uint32
	privilege string // in small letters
	option    bool   // it may be passed on
}

type beyond struct{ what, text string }

// publicRole is everyone (acl.h, ACL_ID_PUBLIC).
const publicRole = 0

func (c *catalog) read(ctx context.Context) error {
	c.roles, c.objects = map[uint32]*role{}, map[string]*object{}
	for _, step := range []func(context.Context) error{c.server, c.readRoles, c.readMembers, c.readDatabase, c.readSchemas,
		c.readRelations, c.readColumns, c.readDeclared, c.readFunctions, c.readBeyond} {
		if err := step(ctx); err != nil {
			return err
		}
		c.progress(c.rows)
	}
	return nil
}

// each runs a query and hands on its rows.
func (c *catalog) each(ctx context.Context, scan func(pgx.Rows) error, query string, args ...any) error {
	rows, err := c.tx.Query(ctx, query, args...)
	if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		if err := scan(rows); err != nil {
			return err
		}
		if c.rows++; c.rows%10_000 == 0 {
			c.progress(c.rows)
		}
	}
	return rows.Err()
}

func (c *catalog) server(ctx context.Context) error {
	return c.tx.QueryRow(ctx, `SELECT current_setting('server_version_num')::int`).Scan(&c.version)
}

func (c *catalog) readRoles(ctx context.Context) error {
	return c.each(ctx, func(rows pgx.Rows) error {
		r := &role{}
		err := rows.Scan(
			&r.id,
			&r.name,
			&r.login,
			&r.inherits,
			&r.super,
			&r.createRole,
			&r.createDB,
			&r.replicates,
			&r.bypassesRLS,
			&r.limit,
			&r.until,
			&r.comment,
		)
		r.name = whole(r.name)
		c.roles[r.id] = r
		return err
	},
		`SELECT oid, rolname, rolcanlogin, rolinherit, rolsuper, rolcreaterole, rolcreatedb, rolreplication,
			rolbypassrls, rolconnlimit, CASE WHEN isfinite(rolvaliduntil) THEN rolvaliduntil END,
			coalesce(shobj_description(oid, 'pg_authid'), '') FROM pg_roles`)
}

// readMembers reads who is in which role. Since version 16 it is said of each membership whether
// what the role has is inherited, before that of the member.
func (c *catalog) readMembers(ctx context.Context) error {
	query := `SELECT m.member, m.roleid, r.rolinherit, m.admin_option
		FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.member`
	if c.version >= 160000 {
		query = `SELECT member, roleid, bool_or(inherit_option), bool_or(admin_option)
			FROM pg_auth_members WHERE set_option OR inherit_option GROUP BY member, roleid`
	}
	return c.each(ctx, func(rows pgx.Rows) error {
		var e edge
		err := rows.Scan(&e.member, &e.in, &e.inherits, &e.admin)
		c.edges = append(c.edges, e)
		return err
	}, query)
}

// readDatabase reads what is granted on the database. Its owner is in the role pg_database_owner;
// before version 16 one that does not inherit does not inherit from that either.
func (c *catalog) readDatabase(ctx context.Context) error {
	err := c.each(ctx, func(rows pgx.Rows) error {
		var g granted
		var owner uint32
		if err := rows.Scan(&c.database, &owner, &g.role, &g.privilege, &g.option); err != nil {
			return err
		}
		c.owner = owner
		g.object = c.object("/", "database", "", owner, quoted(c.database))
		if g.privilege != "" { // nobody is granted anything
			c.grant(g)
		}
		return nil
	}, `SELECT d.datname, d.datdba, coalesce(a.grantee, 0), coalesce(a.privilege_type, ''), coalesce(a.is_grantable, false)
		FROM pg_database d LEFT JOIN LATERAL aclexplode(coalesce(d.datacl, acldefault('d', d.datdba))) a ON true
		WHERE d.datname = current_database()`)
	for id, r := range c.roles {
		if r.name == "pg_database_owner" && c.owner != 0 {
			by := c.roles[c.owner]
			c.edges = append(c.edges, edge{member: c.owner, in: id, inherits: c.version >= 160000 || by != nil && by.inherits})
		}
	}
	return err
}

// ours leaves out the schemas that are the server's own.
const ours = `n.nspname !~ '^pg_' AND n.nspname <> 'information_schema'`

func (c *catalog) readSchemas(ctx context.Context) error {
	return c.acl(
		ctx,
		`SELECT n.nspname, '', '', 'schema', n.nspowner, coalesce(a.grantee, 0), coalesce(a.privilege_type, ''),
			coalesce(a.is_grantable, false)
		FROM pg_namespace n LEFT JOIN LATERAL aclexplode(coalesce(n.nspacl, acldefault('n', n.nspowner))) a ON true WHERE `+
			ours,
	)
}

func (c *catalog) readRelations(ctx context.Context) error {
	return c.acl(
		ctx,
		`SELECT n.nspname, c.relname, '', CASE c.relkind WHEN 'S' THEN 'sequence' ELSE 'table' END, c.relowner,
			coalesce(a.grantee, 0), coalesce(a.privilege_type, ''), coalesce(a.is_grantable, false)
		FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
		LEFT JOIN LATERAL aclexplode(coalesce(c.relacl,
			acldefault(CASE c.relkind WHEN 'S' THEN 's'::"char" ELSE 'r'::"char" END, c.relowner))) a ON true
		WHERE c.relkind IN ('r', 'v', 'm', 'f', 'p', 'S') AND `+ours,
	)
}

func (c *catalog) readFunctions(ctx context.Context) error {
	return c.acl(
		ctx,
		`SELECT n.nspname, p.proname, '(' || pg_get_function_identity_arguments(p.oid) || ')', 'function', p.proowner,
			coalesce(a.grantee, 0), coalesce(a.privilege_type, ''), coalesce(a.is_grantable, false)
		FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace
		LEFT JOIN LATERAL aclexplode(coalesce(p.proacl, acldefault('f', p.proowner))) a ON true WHERE `+ours,
	)
}

// acl reads rows of a schema, a name in it with its arguments, what kind of thing that is, its owner,
// and a privilege on it.
func (c *catalog) acl(ctx context.Context, query string) error {
	var before [4]string // the rows of one thing follow each other
	var of *object
	return c.each(ctx, func(rows pgx.Rows) error {
		var schema, named, args, kind string
		var owner uint32
		var g granted
		if err := rows.Scan(&schema, &named, &args, &kind, &owner, &g.role, &g.privilege, &g.option); err != nil {
			return err
		}
		if now := [4]string{schema, named, args, kind}; of == nil || now != before {
			at, sql := path(schema), quoted(schema)
			if named != "" {
				at, sql = path(schema, named+args), quoted(schema, named)
			}
			if !utf8.ValidString(args) {
				sql = ""
			}
			if sql != "" {
				sql += args // as the server writes it
			}
			before, of = now, c.object(at, kind, whole(schema), owner, sql)
		}
		g.object = of
		if g.privilege != "" { // nobody is granted anything
			c.grant(g)
		}
		return nil
	}, query)
}

func (c *catalog) object(at, kind, schema string, owner uint32, sql string) *object {
	o := c.objects[at]
	if o == nil {
		o = &object{path: at, kind: kind, schema: schema, owner: owner, sql: sql}
		c.objects[at] = o
	}
	return o
}

func (c *catalog) grant(g granted) {
	g.privilege = strings.ToLower(g.privilege)
	c.grants = append(c.grants, g)
}

// escaped writes what would be taken apart in a path.
var (
	escaped   = strings.NewReplacer("%", "%25", "/", "%2F")
	unescaped = strings.NewReplacer("%25", "%", "%2F", "/")
)

// path is the path of something, of which each part may hold any sign but a slash.
func path(parts ...string) string {
	var b strings.Builder
	for _, p := range parts {
		b.WriteString("/")
		b.WriteString(escaped.Replace(whole(p)))
	}
	return b.String()
}

// quoted is a name as a statement has it; "" where it is in another encoding.
func quoted(parts ...string) string {
	for _, p := range parts {
		if !utf8.ValidString(p) {
			return ""
		}
	}
	return pgx.Identifier(parts).Sanitize()
}

// whole is a name in UTF-8. A database in SQL_ASCII holds any bytes: those that are none are told
// by their numbers.
func whole(s string) string {
	if utf8.ValidString(s) {
		return s
	}
	var b strings.Builder
	for len(s) > 0 {
		r, size := utf8.DecodeRuneInString(s)
		if r == utf8.RuneError && size == 1 {
			fmt.Fprintf(&b, "\\x%02x", s[0])
		} else {
			b.WriteRune(r)
		}
		s = s[size:]
	}
	return b.String()
}
