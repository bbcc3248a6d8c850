package postgres

import (
	"context"
	"strings"

	"github.com/jackc/pgx/v5"
)

// readColumns reads what is granted on single columns.
func (c *catalog) readColumns(ctx context.Context) error {
	return c.each(ctx, func(rows pgx.Rows) error {
		var schema, table, column string
		var g granted
		var owner uint32
		if err := rows.Scan(&schema, &table, &column, &owner, &g.role, &g.privilege, &g.option); err != nil {
			return err
		}
		g.object = c.column(schema, table, column, owner)
		c.grant(g)
		return nil
	}, `SELECT n.nspname, c.relname, t.attname, c.relowner, a.grantee, a.privilege_type, a.is_grantable
		FROM pg_attribute t JOIN pg_class c ON c.oid = t.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
		CROSS JOIN LATERAL aclexplode(t.attacl) a
		WHERE t.attacl IS NOT NULL AND NOT t.attisdropped AND c.relkind IN ('r', 'v', 'm', 'f', 'p') AND `+ours)
}

func (c *catalog) column(schema, table, named string, owner uint32) *object {
	o := c.object(path(schema, table, named), "column", whole(schema), owner, quoted(schema, table))
	if o.column = quoted(named); o.column == "" {
		o.sql = ""
	}
	return o
}

// readDeclared reads whether the columns are there that the map declares: those of which nothing is
// granted show nowhere else.
func (c *catalog) readDeclared(ctx context.Context) error {
	var paths [3][]string
	for _, at := range c.declared {
		parts := strings.Split(strings.TrimPrefix(at, "/"), "/")
		for i := range paths {
			if len(parts) == len(paths) {
				paths[i] = append(paths[i], unescaped.Replace(parts[i]))
			}
		}
	}
	if paths[0] == nil {
		return nil
	}
	return c.each(ctx, func(rows pgx.Rows) error {
		var schema, table, column string
		var owner uint32
		err := rows.Scan(&schema, &table, &column, &owner)
		c.column(schema, table, column, owner)
		return err
	},
		`SELECT n.nspname, c.relname, t.attname, c.relowner
			FROM pg_attribute t JOIN pg_class c ON c.oid = t.attrelid JOIN pg_namespace n ON n.oid = c.relnamespace
		WHERE (n.nspname, c.relname, t.attname) IN (SELECT * FROM unnest($1::text[], $2::text[], $3::text[]))
		AND t.attnum > 0 AND NOT t.attisdropped AND c.relkind IN ('r', 'v', 'm', 'f', 'p') AND `+ours, paths[0], paths[1],
		paths[2])
}
