package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"database/sql"
	"encoding/base64"
	"errors"
	"time"
)

// Prefix begins every token, so that one that leaks is known for what it is.
const Prefix = "gm_"

// secret makes 256 random bits, written for a header or a cookie.
func secret() string {
	raw := make([]byte, 32)
	_, _ = rand.Read(raw) // never fails (crypto/rand)
	return base64.RawURLEncoding.EncodeToString(raw)
}

func hash(s string) []byte {
	h := sha256.Sum256([]byte(s))
	return h[:]
}

// FirstToken makes a token where there is none yet, and returns it: the only
// time that it is seen. Where there is one already it returns "".
func (s *Store) FirstToken(ctx context.Context, name string, now time.Time) (string, error) {
	token := ""
	err := s.within(ctx, func(tx *sql.Tx) error {
		var n int
		if err := tx.QueryRowContext(ctx, `SELECT count(*) FROM tokens WHERE directory IS NULL`).Scan(&n); err != nil || n > 0 {
			return err
		}
		token = Prefix + secret()
		_, err := tx.ExecContext(ctx, `INSERT INTO tokens (hash, name, created) VALUES (?, ?, ?)`,
			hash(token), name, now.UTC().Format(time.RFC3339))
		return err
	})
	if err != nil {
		return "", err
	}
	return token, nil
}

// PushToken makes the token by which a directory's records are pushed, and
// returns it: the only time that it is seen. One that there was before does not
// hold any more.
func (s *Store) PushToken(ctx context.Context, directory string, now time.Time) (string, error) {
	token := Prefix + secret()
	err := s.within(ctx, func(tx *sql.Tx) error {
		if _, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE directory = ?`, directory); err != nil {
			return err
		}
		_, err := tx.ExecContext(ctx, `INSERT INTO tokens (hash, name, created, directory) VALUES (?, ?, ?, ?)`,
			hash(token), "push to "+directory, now.UTC().Format(time.RFC3339), directory)
		return err
	})
	return token, err
}

// Tokens returns the hashes of all tokens.
func (s *Store) Tokens(ctx context.Context) (*Keys, error) {
	rows, err := s.db.QueryContext(ctx, `SELECT hash, coalesce(directory, '') FROM tokens`)
	if err != nil {
		return nil, s.explain(err)
	}
	defer rows.Close()
	keys := &Keys{}
	for rows.Next() {
		var k key
		if err := rows.Scan(&k.hash, &k.directory); err != nil {
			return nil, s.explain(err)
		}
		keys.list = append(keys.list, k)
	}
	return keys, s.explain(rows.Err())
}

// Keys knows tokens by their hashes alone.
type Keys struct{ list []key }

type key struct {
	hash      []byte
	directory string // the one that the token pushes to; "": it opens the service
}

// Opens says whether a token is one that opens the service. It takes the same
// time for a wrong token, a missing one and a right one.
func (k *Keys) Opens(token string) bool {
	directory, known := k.find(token)
	return known && directory == ""
}

// Pushes says to which directory a token pushes, in the same time for all
// tokens; "" for none.
func (k *Keys) Pushes(token string) string {
	directory, _ := k.find(token)
	return directory
}

func (k *Keys) find(token string) (directory string, known bool) {
	h := hash(token)
	found := -1
	for i, have := range k.list {
		found = subtle.ConstantTimeSelect(subtle.ConstantTimeCompare(h, have.hash), i, found)
	}
	if found < 0 {
		return "", false
	}
	return k.list[found].directory, true
}

// BeginSession gives out a session for a token, which ends at a time.
func (s *Store) BeginSession(ctx context.Context, token string, expires time.Time) (string, error) {
	session := secret()
	_, err := s.db.ExecContext(ctx, `INSERT INTO sessions (hash, token, expires) VALUES (?, ?, ?)`,
		hash(session), hash(token), expires.UTC().Format(time.RFC3339))
	return session, s.explain(err)
}

// Session says whether a session holds now.
func (s *Store) Session(ctx context.Context, session string, now time.Time) (bool, error) {
	var one int
	err := s.db.QueryRowContext(ctx, `SELECT 1 FROM sessions WHERE hash = ? AND expires > ?`,
		hash(session), now.UTC().Format(time.RFC3339)).Scan(&one)
	if errors.Is(err, sql.ErrNoRows) {
		return false, nil
	}
	return err == nil, s.explain(err)
}

// EndSession ends a session, and every other that is past its time.
func (s *Store) EndSession(ctx context.Context, session string, now time.Time) error {
	_, err := s.db.ExecContext(ctx, `DELETE FROM sessions WHERE hash = ? OR expires <= ?`,
		hash(session), now.UTC().Format(time.RFC3339))
	return s.explain(err)
}
