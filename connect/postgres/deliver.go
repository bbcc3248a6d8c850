package postgres

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strings"

	"github.com/jackc/pgx/v5"
	"github.com/jackc/pgx/v5/pgconn"

	"gatemap/connect"
	"gatemap/core/delivery"
)

// Deliverer is the link itself.
func (d *Document) Deliverer() connect.Deliverer { return d }

// ByAccount is false: there are roles for groups.
func (d *Document) ByAccount() bool { return false }

// lock is the number of the advisory lock that keeps two deliveries to one database apart.
const lock = 0x6761_7465

// Deliver makes all statements in one transaction, in which the catalogs are read before and after:
// where something is there otherwise than it was agreed to, or the server did not take all of it,
// nothing is kept. A server that is killed in the middle forgets all of it.
func (d *Document) Deliver(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) error {
	return d.within(ctx, o, pgx.TxOptions{IsoLevel: pgx.ReadCommitted}, func(ctx context.Context, tx pgx.Tx) error {
		if _, err := tx.Exec(ctx, fmt.Sprintf("SELECT pg_advisory_xact_lock(%d)", lock)); err != nil {
			return err
		}
		now, err := d.replanned(ctx, tx, o, plan)
		if err != nil {
			return err
		}
		if !now.Same(agreed) {
			return connect.ErrMoved
		}
		for i := range now.Statements {
			if _, err := tx.Exec(ctx, now.Statements[i].Text); err != nil {
				return d.notTaken(&now.Statements[i], err)
			}
		}
		after, err := d.replanned(ctx, tx, o, plan)
		if err != nil {
			return err
		}
		if len(after.Statements) > 0 {
			left := &after.Statements[0]
			return &refusal{fmt.Sprintf("%s: the server took all statements, and this is still to be done: %s (%s). "+
				"It may be granted by another role than %s acts for; nothing was changed", d.Address.Value, left.Text, left.For,
				d.User)}
		}
		return nil
	})
}

func (d *Document) replanned(
	ctx context.Context,
	tx pgx.Tx,
	o *connect.Observing,
	plan connect.Planned,
) (*delivery.Plan, error) {
	r, err := d.observe(ctx, tx, o, func(int) {})
	if err != nil {
		return nil, err
	}
	r.System, r.Type = o.System.Name, o.System.Type.Name
	return plan(r)
}

// notTaken says which statement the server did not take.
func (d *Document) notTaken(s *delivery.Statement, err error) error {
	var server *pgconn.PgError
	if !errors.As(err, &server) {
		return err
	}
	return &refusal{
		fmt.Sprintf("%s: it does not take %s, and nothing was changed: %s", d.Address.Value, s.Text, server.Message),
	}
}

// Finish looks at what is there: a transaction was made as a whole, or not at all.
func (d *Document) Finish(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) (made bool, err error) {
	now, err := plan.Now(ctx, o)
	if err != nil {
		return false, err
	}
	return !slices.ContainsFunc(now.Statements, func(s delivery.Statement) bool { return agreed.Has(&s) }), nil
}

// Script is for psql, in one transaction.
func (d *Document) Script(p *delivery.Plan) string {
	var b strings.Builder
	b.WriteString(
		"-- Made by Gate Map, for psql. It ends at the first error, and then changes nothing.\n\\set ON_ERROR_STOP on\n" +
			"BEGIN;\n",
	)
	fmt.Fprintf(
		&b,
		"DO $check$ BEGIN IF current_database() <> %s THEN RAISE EXCEPTION 'this is for the database %%', %s; END IF; "+
			"END $check$;\n",
		literal(d.Database),
		literal(d.Database),
	)
	for _, s := range p.Statements {
		fmt.Fprintf(&b, "-- %s\n%s;\n", strings.ReplaceAll(s.For, "\n", " "), s.Text)
	}
	b.WriteString("COMMIT;\n")
	return b.String()
}
