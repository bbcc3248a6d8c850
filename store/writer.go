package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// writer lets one write at a time at the database, in the order in which they come. Those
// who read never wait for it.
type writer chan struct{}

// longestWait is how long a write waits for those before it: a revision of a large map takes
// a fraction of that. A variable, so that tests do not have to wait.
var longestWait = 2 * time.Minute

// enter waits until it is a write's turn. The error is a context.DeadlineExceeded where that
// takes too long, or that of the context.
func (w writer) enter(ctx context.Context) (leave func(), err error) {
	patience := time.NewTimer(longestWait)
	defer patience.Stop()
	select {
	case w <- struct{}{}:
		return func() { <-w }, nil
	case <-patience.C:
		return nil, fmt.Errorf(
			"the writes to the database before this one took longer than %s: %w",
			longestWait,
			context.DeadlineExceeded,
		)
	case <-ctx.Done():
		return nil, ctx.Err()
	}
}

// tx is a transaction that writes.
type tx struct {
	*sql.Tx
	head Head // of the audit, once an entry was added
}

// within runs work in one transaction, when its turn comes: all of it counts, or nothing.
func (s *Store) within(ctx context.Context, work func(*tx) error) error {
	leave, err := s.writer.enter(ctx)
	if err != nil {
		return err
	}
	defer leave()
	begun, err := s.db.BeginTx(ctx, nil)
	if err != nil {
		return s.explain(err)
	}
	t := &tx{Tx: begun}
	if err := work(t); err != nil {
		return errors.Join(s.explain(err), ignoreDone(begun.Rollback()))
	}
	if err := begun.Commit(); err != nil {
		return s.explain(err)
	}
	if t.head.Number == 0 {
		return nil
	}
	return s.heads.keep(t.head)
}

func ignoreDone(err error) error {
	if errors.Is(err, sql.ErrTxDone) {
		return nil
	}
	return err
}

// exec is one statement that writes, as a transaction of its own.
func (s *Store) exec(ctx context.Context, statement string, args ...any) (result sql.Result, err error) {
	err = s.within(ctx, func(tx *tx) error {
		result, err = tx.ExecContext(ctx, statement, args...)
		return err
	})
	return result, err
}

// nanos is a time as the database has it: Unix time in nanoseconds; 0 for the zero time.
func nanos(t time.Time) int64 {
	if t.IsZero() {
		return 0
	}
	return t.UnixNano()
}

// orNull is nanos of a time; NULL for the zero time.
func orNull(t time.Time) any {
	if t.IsZero() {
		return nil
	}
	return nanos(t)
}

// seconds is nanos of a time to the second.
func seconds(t time.Time) int64 { return nanos(t.Truncate(time.Second)) }

// moment reads nanos.
func moment(n int64) time.Time {
	if n == 0 {
		return time.Time{}
	}
	return time.Unix(0, n).UTC()
}
