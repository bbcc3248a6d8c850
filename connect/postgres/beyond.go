package postgres

import (
	"context"
	"errors"
	"fmt"

	"github.com/jackc/pgx/v5/pgconn"
)

// readBeyond reads what a system of roles cannot express. What our role may not see of it is
// noted as not seen.
func (c *catalog) readBeyond(ctx context.Context) error {
	for _, q := range []struct{ what, query string }{
		{"row policy",
			`SELECT format('%s on %I.%I', p.polname, n.nspname, c.relname)
				FROM pg_policy p JOIN pg_class c ON c.oid = p.polrelid
				JOIN pg_namespace n ON n.oid = c.relnamespace WHERE ` + ours},
		{"default privileges",
			`SELECT format('of what %s makes%s: %s to %s', pg_get_userbyid(d.defaclrole), coalesce(' in ' || n.nspname, ''),
				string_agg(lower(a.privilege_type), ', ' ORDER BY a.privilege_type),
				CASE a.grantee WHEN 0 THEN 'everyone' ELSE pg_get_userbyid(a.grantee) END)
				FROM pg_default_acl d LEFT JOIN pg_namespace n ON n.oid = d.defaclnamespace
				CROSS JOIN LATERAL aclexplode(d.defaclacl) a GROUP BY d.oid, d.defaclrole, n.nspname, a.grantee`},
		{"large object",
			`SELECT format('%s: %s to %s', m.oid, string_agg(lower(a.privilege_type), ', ' ORDER BY a.privilege_type),
				CASE a.grantee WHEN 0 THEN 'everyone' ELSE pg_get_userbyid(a.grantee) END)
				FROM pg_largeobject_metadata m CROSS JOIN LATERAL aclexplode(m.lomacl) a
				WHERE m.lomacl IS NOT NULL GROUP BY m.oid, a.grantee`},
		{"type",
			`SELECT format('%I.%I: usage to %s', n.nspname, t.typname,
				string_agg(CASE a.grantee WHEN 0 THEN 'everyone' ELSE pg_get_userbyid(a.grantee) END, ', '))
				FROM pg_type t JOIN pg_namespace n ON n.oid = t.typnamespace CROSS JOIN LATERAL aclexplode(t.typacl) a
				WHERE t.typacl IS NOT NULL AND ` + ours + ` GROUP BY n.nspname, t.typname`},
		{"foreign server",
			`SELECT format('%I: usage to %s', s.srvname,
				string_agg(CASE a.grantee WHEN 0 THEN 'everyone' ELSE pg_get_userbyid(a.grantee) END, ', '))
				FROM pg_foreign_server s CROSS JOIN LATERAL aclexplode(s.srvacl) a WHERE s.srvacl IS NOT NULL GROUP BY s.srvname`},
	} {
		if err := c.beyondOf(ctx, q.what, q.query); err != nil {
			return err
		}
	}
	options := 0
	for _, g := range c.grants {
		if g.option && g.role != g.object.owner {
			options++
		}
	}
	if options > 0 {
		c.beyond = append(
			c.beyond,
			beyond{"grant option", fmt.Sprintf("%d privileges may be passed on by those who have them", options)},
		)
	}
	return nil
}

func (c *catalog) beyondOf(ctx context.Context, what, query string) error {
	nested, err := c.tx.Begin(ctx) // a refusal ends only this
	if err != nil {
		return err
	}
	defer func() { _ = nested.Rollback(ctx) }()
	rows, err := nested.Query(ctx, query)
	if refused(err) {
		c.unseen = append(c.unseen, what)
		return nil
	} else if err != nil {
		return err
	}
	defer rows.Close()
	for rows.Next() {
		b := beyond{what: what}
		if err := rows.Scan(&b.text); err != nil {
			return err
		}
		b.text = whole(b.text)
		c.beyond = append(c.beyond, b)
	}
	if err := rows.Err(); refused(err) {
		c.unseen = append(c.unseen, what)
		return nil
	} else if err != nil {
		return err
	}
	return nil
}

// refused says whether our role may not see something.
func refused(err error) bool {
	var server *pgconn.PgError
	return errors.As(err, &server) && server.Code == "42501" // insufficient_privilege
}
