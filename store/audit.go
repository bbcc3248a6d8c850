package store

import (
	"bytes"
	"context"
	"crypto/sha256"
	"database/sql"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"time"
)

// Entry is one entry of the audit.
type Entry struct {
	Number int64
	At     time.Time
	Actor  string // who did it
	Act    string // what was done
	Object string // to what
	Result string // done or refused
	Detail string
	Origin string // where the request came from
	Hash   string // in hexadecimal
}

// chained is the hash of an entry after that of the one before, keyed from the entry on
// with which the database was sealed.
func (s *Store) chained(e *Entry, before []byte) ([]byte, error) {
	raw, err := json.Marshal(
		[]any{e.Number, e.At.UTC().Format(time.RFC3339Nano), e.Actor, e.Act, e.Object, e.Result, e.Detail, e.Origin},
	)
	if err != nil {
		return nil, err
	}
	if e.Number >= s.keyed {
		return s.seal.sign(before, raw), nil
	}
	sum := sha256.Sum256(append(bytes.Clone(before), raw...))
	return sum[:], nil
}

// Audit adds an entry.
func (s *Store) Audit(ctx context.Context, e Entry) error {
	return s.within(ctx, func(tx *tx) error { return s.audit(ctx, tx, e) })
}

// audit adds an entry of now in a transaction.
func (s *Store) audit(ctx context.Context, tx *tx, e Entry) error {
	var before []byte
	err := tx.QueryRowContext(ctx, `SELECT number, hash FROM audit ORDER BY number DESC LIMIT 1`).Scan(&e.Number, &before)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return err
	}
	e.Number++
	if e.At.IsZero() {
		e.At = time.Now()
	}
	hash, err := s.chained(&e, before)
	if err != nil {
		return err
	}
	tx.head = s.signedHead(e.Number, hex.EncodeToString(hash))
	_, err = tx.ExecContext(
		ctx,
		`INSERT INTO audit (number, at, actor, act, object, result, detail, origin, hash) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?)`,
		e.Number,
		nanos(e.At),
		e.Actor,
		e.Act,
		e.Object,
		e.Result,
		e.Detail,
		e.Origin,
		hash,
	)
	return err
}

// audited adds the entry of something that was done in the same transaction.
func (s *Store) audited(ctx context.Context, tx *tx, err error, e Entry) error {
	if err != nil {
		return err
	}
	return s.audit(ctx, tx, e)
}

// Asked says which entries of the audit are asked for; empty fields ask for all.
type Asked struct {
	Actor, Object string
	From, To      time.Time // To is not included
	OldestFirst   bool
	Last          int64 // only entries that come after the one with this number; 0: all
	Limit         int
}

// Entries lists entries of the audit.
func (s *Store) Entries(ctx context.Context, a Asked) ([]Entry, error) {
	order := `number < ?5) ORDER BY number DESC`
	if a.OldestFirst {
		order = `number > ?5) ORDER BY number`
	}
	return query(ctx, s, scanEntry, `SELECT number, at, actor, act, object, result, detail, origin, hash FROM audit
		WHERE (?1 = '' OR actor = ?1) AND (?2 = '' OR object = ?2) AND (?3 = 0 OR at >= ?3) AND (?4 = 0 OR at < ?4)
		AND (?5 = 0 OR `+order+` LIMIT ?6`, a.Actor, a.Object, nanos(a.From), nanos(a.To), a.Last, a.Limit)
}

func scanEntry(rows *sql.Rows, e *Entry) error {
	var at int64
	var hash []byte
	err := rows.Scan(&e.Number, &at, &e.Actor, &e.Act, &e.Object, &e.Result, &e.Detail, &e.Origin, &hash)
	e.At, e.Hash = moment(at), hex.EncodeToString(hash)
	return err
}

// BrokenError says which entry of the audit is the first that is not what it was
// when it was added, or is missing.
type BrokenError struct {
	Number int64
	Reason string
}

func (e *BrokenError) Error() string {
	return fmt.Sprintf("the audit is broken at entry %d: %s", e.Number, e.Reason)
}

// Verify looks at every entry of the audit, and gives the newest as a signed head. Where
// one that was kept is given, the audit must go on from that. The error is a
// *BrokenError where it does not hold.
func (s *Store) Verify(ctx context.Context, kept string) (Head, error) {
	count, last, err := s.verify(ctx)
	head := s.signedHead(count, last)
	if err != nil || kept == "" {
		return head, err
	}
	trouble, err := s.against(ctx, kept)
	if err == nil && trouble != "" {
		err = &BrokenError{count + 1, trouble}
	}
	return head, err
}

func (s *Store) verify(ctx context.Context) (count int64, last string, err error) {
	rows, err := s.db.QueryContext(
		ctx,
		`SELECT number, at, actor, act, object, result, detail, origin, hash FROM audit ORDER BY number`,
	)
	if err != nil {
		return 0, "", s.explain(err)
	}
	defer rows.Close()
	var before []byte
	for rows.Next() {
		var e Entry
		if err := scanEntry(rows, &e); err != nil {
			return count, last, &BrokenError{count + 1, "it cannot be read"}
		}
		if e.Number != count+1 {
			return count, last, &BrokenError{count + 1, fmt.Sprintf("it is missing; the next is %d", e.Number)}
		}
		if e.Number <= s.taken {
			if before, err = hex.DecodeString(e.Hash); err != nil {
				return count, last, err
			}
			last = e.Hash
			count++
			continue
		}
		hash, err := s.chained(&e, before)
		if err != nil {
			return count, last, err
		}
		if hex.EncodeToString(hash) != e.Hash {
			return count, last, &BrokenError{e.Number, "it is not what it was when it was added"}
		}
		before, last = hash, e.Hash
		count++
	}
	return count, last, s.explain(rows.Err())
}
