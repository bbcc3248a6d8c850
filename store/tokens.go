package store

import (
	"context"
	"crypto/rand"
	"crypto/sha256"
	"crypto/subtle"
	"database/sql"
	"encoding/base64"
	"encoding/json"
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

// Token is what is kept of a token: all but itself.
type Token struct {
	Name      string
	Role      string // of an operator, manager or push
	Owner     string // the operator who uses it, or Host; "": no person does
	Author    string
	Created   time.Time
	Expires   time.Time // zero: never
	Systems   []string  // the only ones that it opens; nil: all
	User      string    // whose groups it manages
	Directory string    // the one that it pushes to

	OwnerRole string // of the operator whose it is; "" of others
	off       bool   // that operator is inactive
}

// Host is the owner of tokens that were made on the host, or by one of those.
const Host = "host"

// Holds says whether the token holds at a time.
func (t *Token) Holds(now time.Time) bool {
	return !t.off && (t.Expires.IsZero() || now.Before(t.Expires))
}

// CreateToken creates a token and returns it: the only time that it is shown. The error is
// ErrTaken where there is one by its name, unless it takes the place of that.
func (s *Store) CreateToken(ctx context.Context, t Token, instead bool, e Entry) (string, error) {
	token := Prefix + secret()
	systems, err := json.Marshal(t.Systems)
	if err != nil {
		return "", err
	}
	optional := func(text string) sql.NullString { return sql.NullString{String: text, Valid: text != ""} }
	err = s.within(ctx, func(tx *tx) error {
		if instead {
			if _, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE name = ?`, t.Name); err != nil {
				return err
			}
		}
		result, err := tx.ExecContext(
			ctx,
			`INSERT INTO tokens (hash, name, role, created, author, expires, systems, user, directory, owner)
				VALUES (?, ?, ?, ?, ?, nullif(?, 0), ?, ?, ?, ?) ON CONFLICT DO NOTHING`,
			hash(
				token,
			),
			t.Name,
			t.Role,
			seconds(t.Created),
			t.Author,
			seconds(t.Expires),
			string(systems),
			optional(t.User),
			optional(t.Directory),
			optional(t.Owner),
		)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrTaken), e)
	})
	return token, err
}

// FirstToken creates a token if there never was one for the service, nor an operator,
// and returns it; "" if there was.
func (s *Store) FirstToken(ctx context.Context, name string, now time.Time, e Entry) (string, error) {
	var used bool
	err := s.db.QueryRowContext(ctx,
		`SELECT EXISTS (SELECT 1 FROM operators) OR EXISTS (SELECT 1 FROM tokens WHERE directory IS NULL)
		OR EXISTS (SELECT 1 FROM audit WHERE act = 'token' AND object = ?)`, name).
		Scan(&used)
	if err != nil || used {
		return "", s.explain(err)
	}
	return s.CreateToken(ctx, Token{Name: name, Role: admin, Owner: Host, Author: "gatemap", Created: now}, false, e)
}

// RevokeToken revokes a token by its name. The error is ErrMoved if there is none.
func (s *Store) RevokeToken(ctx context.Context, name string, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE name = ?`, name)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrMoved), e)
	})
}

// Tokens returns what is known of all tokens.
func (s *Store) Tokens(ctx context.Context) (*Keys, error) {
	list, err := query(ctx, s, func(rows *sql.Rows, k *key) error {
		var created, expires int64
		var systems []byte
		err := rows.Scan(
			&k.hash,
			&k.Name,
			&k.Role,
			&created,
			&k.Author,
			&expires,
			&systems,
			&k.User,
			&k.Directory,
			&k.Owner,
			&k.OwnerRole,
			&k.off,
		)
		k.Created, k.Expires = moment(created), moment(expires)
		if err == nil && systems != nil {
			err = json.Unmarshal(systems, &k.Systems)
		}
		return err
	},
		`SELECT t.hash, t.name, t.role, t.created, t.author, coalesce(t.expires, 0), t.systems, coalesce(t.user, ''),
			coalesce(t.directory, ''),
		coalesce(t.owner, ''), coalesce(o.role, ''), coalesce(o.off, t.owner IS NOT NULL AND t.owner <> 'host')
		FROM tokens AS t LEFT JOIN operators AS o ON o.name = t.owner ORDER BY t.name`)
	return &Keys{list}, err
}

// Keys knows tokens by their hashes alone.
type Keys struct{ list []key }

type key struct {
	hash []byte
	Token
}

// All lists the tokens, by name.
func (k *Keys) All() []Token {
	all := make([]Token, len(k.list))
	for i := range k.list {
		all[i] = k.list[i].Token
	}
	return all
}

// Find finds a token. It takes the same time for a wrong token, a missing one and a
// right one.
func (k *Keys) Find(token string) (t *Token, known bool) {
	h := hash(token)
	found := -1
	for i := range k.list {
		found = subtle.ConstantTimeSelect(subtle.ConstantTimeCompare(h, k.list[i].hash), i, found)
	}
	if found < 0 {
		return nil, false
	}
	return &k.list[found].Token, true
}
