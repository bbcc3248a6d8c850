package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"time"
)

// Operator is someone who works with the service.
type Operator struct {
	Name     string
	Role     string
	Display  string
	Password string // its Argon2id hash; "": signs in otherwise
	TOTP     string // the secret of the second factor (RFC 6238), in base 32; "": none
	Counter  int64  // of the newest code that was used
	Issuer   string // of OpenID Connect, with the subject there
	Subject  string
	Inactive bool
	Version  int
	Created  time.Time
}

// CreateOperator adds an operator. The error is ErrTaken where the name, or the
// subject, is.
func (s *Store) CreateOperator(ctx context.Context, o *Operator, e Entry) error {
	o.Version = 1
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(
			ctx,
			`INSERT INTO operators (name, role, display, password, totp, issuer, subject, off, created)
				VALUES (?, ?, ?, nullif(?, ''), nullif(?, ''), nullif(?, ''), nullif(?, ''), ?, ?) ON CONFLICT DO NOTHING`,
			o.Name,
			o.Role,
			o.Display,
			o.Password,
			s.seal.close(o.TOTP, o.Name),
			o.Issuer,
			o.Subject,
			o.Inactive,
			seconds(o.Created),
		)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrTaken), e)
	})
}

// UpdateOperator writes an operator in the place of the version before. It ends the
// sessions and the tokens of one who is inactive, or has another password, second factor
// or provider. The error is ErrMoved where that version is not there, and ErrLastAdmin
// where nobody would be left who may administer.
func (s *Store) UpdateOperator(ctx context.Context, o *Operator, e Entry) error {
	was, known, err := s.Operator(ctx, o.Name)
	if err != nil {
		return err
	}
	if !known || was.Version != o.Version {
		return ErrMoved
	}
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(
			ctx,
			`UPDATE operators SET role = ?, display = ?, password = nullif(?, ''), totp = nullif(?, ''), counter = ?,
				issuer = nullif(?, ''), subject = nullif(?, ''), off = ?, version = version + 1 WHERE name = ? AND version = ?`,
			o.Role,
			o.Display,
			o.Password,
			s.seal.close(o.TOTP, o.Name),
			o.Counter,
			o.Issuer,
			o.Subject,
			o.Inactive,
			o.Name,
			o.Version,
		)
		if err := s.changedOne(result, err, ErrMoved); err != nil {
			return err
		}
		if was.administers() && !o.administers() {
			if err := adminStays(ctx, tx); err != nil {
				return err
			}
		}
		if o.Inactive || o.Password != was.Password || o.TOTP != was.TOTP || o.Issuer != was.Issuer {
			if err := signOut(ctx, tx, o.Name, &e); err != nil {
				return err
			}
		}
		return s.audited(ctx, tx, nil, e)
	})
}

// signOut ends the sessions and the tokens of an operator, and says so in an entry.
func signOut(ctx context.Context, tx *tx, name string, e *Entry) error {
	if _, err := tx.ExecContext(ctx, `DELETE FROM sessions WHERE operator = ?`, name); err != nil {
		return err
	}
	result, err := tx.ExecContext(ctx, `DELETE FROM tokens WHERE owner = ?`, name)
	if err != nil {
		return err
	}
	if n, err := result.RowsAffected(); err == nil && n > 0 {
		e.Detail += fmt.Sprintf("; tokens that ended: %d", n)
	}
	return nil
}

// UseCode notes that a code of the second factor was used; ok is false if it, or
// a later one, was used before.
func (s *Store) UseCode(ctx context.Context, name string, counter int64) (ok bool, err error) {
	result, err := s.exec(ctx, `UPDATE operators SET counter = ? WHERE name = ? AND counter < ?`, counter, name, counter)
	err = s.changedOne(result, err, ErrMoved)
	if errors.Is(err, ErrMoved) {
		return false, nil
	}
	return err == nil, err
}

// ErrLastAdmin says that nobody would be left who may administer.
var ErrLastAdmin = errors.New("nobody else may administer")

const admin = "admin" // the role

func (o *Operator) administers() bool { return o.Role == admin && !o.Inactive }

// adminStays sees that someone is left who may administer: an operator, or who has a token
// of the host.
func adminStays(ctx context.Context, tx *tx) error {
	var stays bool
	err := tx.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM operators WHERE role = ?1 AND NOT off)
		OR EXISTS (SELECT 1 FROM tokens WHERE role = ?1 AND owner = ?2 AND coalesce(expires, ?3 + 1) > ?3)`, admin, Host,
		nanos(time.Now())).Scan(&stays)
	if err == nil && !stays {
		return ErrLastAdmin
	}
	return err
}

// RemoveOperator removes an operator, and ends the sessions and the tokens. The error is
// ErrMoved if there is none by this name, and ErrLastAdmin where nobody would be left who may
// administer.
func (s *Store) RemoveOperator(ctx context.Context, name string, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		var was Operator
		err := tx.QueryRowContext(ctx, `DELETE FROM operators WHERE name = ? RETURNING role, off`, name).
			Scan(&was.Role, &was.Inactive)
		if errors.Is(err, sql.ErrNoRows) {
			return ErrMoved
		}
		if err == nil && was.administers() {
			err = adminStays(ctx, tx)
		}
		if err != nil {
			return err
		}
		if err := signOut(ctx, tx, name, &e); err != nil {
			return err
		}
		return s.audited(ctx, tx, nil, e)
	})
}

// Operators lists all operators, by name.
func (s *Store) Operators(ctx context.Context) ([]Operator, error) {
	return s.operators(ctx, `ORDER BY name`)
}

// Operator finds an operator; ok is false if there is none by this name.
func (s *Store) Operator(ctx context.Context, name string) (o Operator, ok bool, err error) {
	return firstOf(s.operators(ctx, `WHERE name = ?`, name))
}

// OperatorBySubject finds the operator whom a provider of OpenID Connect knows.
func (s *Store) OperatorBySubject(ctx context.Context, issuer, subject string) (o Operator, ok bool, err error) {
	return firstOf(s.operators(ctx, `WHERE issuer = ? AND subject = ?`, issuer, subject))
}

func (s *Store) operators(ctx context.Context, which string, args ...any) ([]Operator, error) {
	return query(ctx, s, func(rows *sql.Rows, o *Operator) error {
		var created int64
		err := rows.Scan(
			&o.Name,
			&o.Role,
			&o.Display,
			&o.Password,
			&o.TOTP,
			&o.Counter,
			&o.Issuer,
			&o.Subject,
			&o.Inactive,
			&o.Version,
			&created,
		)
		o.Created = moment(created)
		if err == nil && s.seal != nil {
			o.TOTP, err = s.seal.open(o.TOTP, o.Name)
		}
		return err
	},
		`SELECT name, role, display, coalesce(password, ''), coalesce(totp, ''), counter, coalesce(issuer, ''),
			coalesce(subject, ''), off, version, created FROM operators `+which, args...)
}

// TieManager ties a manager of groups to a subject of a provider, where neither is tied
// yet; tied is false where one of them is tied to another.
func (s *Store) TieManager(ctx context.Context, user, issuer, subject string, e Entry) (tied bool, err error) {
	err = s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(
			ctx,
			`INSERT INTO managers (user, issuer, subject) VALUES (?, ?, ?) ON CONFLICT DO NOTHING`,
			user,
			issuer,
			subject,
		)
		if err = s.changedOne(result, err, ErrTaken); err == nil {
			tied = true
			return s.audit(ctx, tx, e)
		}
		if !errors.Is(err, ErrTaken) {
			return err
		}
		return tx.QueryRowContext(ctx, `SELECT EXISTS (SELECT 1 FROM managers WHERE user = ? AND issuer = ? AND subject = ?)`,
			user, issuer, subject).
			Scan(&tied)
	})
	return tied, err
}

// UntieManager unties a manager of groups. The error is ErrMoved where nobody is tied by
// this name.
func (s *Store) UntieManager(ctx context.Context, user string, e Entry) error {
	return s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(ctx, `DELETE FROM managers WHERE user = ?`, user)
		return s.audited(ctx, tx, s.changedOne(result, err, ErrMoved), e)
	})
}

// Session is a session of the console: of an operator, of a token, or of a user who
// manages groups.
type Session struct {
	Operator string
	Token    string // the token itself, when a session begins; its name, when it is found
	User     string
	How      string
	Expires  time.Time
}

// BeginSession gives out a session.
func (s *Store) BeginSession(ctx context.Context, x Session) (string, error) {
	session := secret()
	var token []byte
	if x.Token != "" {
		token = hash(x.Token)
	}
	_, err := s.exec(
		ctx,
		`INSERT INTO sessions (hash, operator, token, user, how, expires) VALUES (?, nullif(?, ''), ?, nullif(?, ''), ?, ?)`,
		hash(session),
		x.Operator,
		token,
		x.User,
		x.How,
		seconds(x.Expires),
	)
	return session, err
}

// Session finds a session that holds now; ok is false if there is none.
func (s *Store) Session(ctx context.Context, session string, now time.Time) (x Session, ok bool, err error) {
	return firstOf(query(ctx, s, func(rows *sql.Rows, x *Session) error {
		return rows.Scan(&x.Operator, &x.Token, &x.User, &x.How)
	},
		`SELECT coalesce(operator, ''), coalesce((SELECT name FROM tokens WHERE tokens.hash = sessions.token), ''),
			coalesce(user, ''), how FROM sessions WHERE hash = ? AND expires > ?`,
		hash(session), nanos(now)))
}

// EndSession ends a session, and every other that is past its time.
func (s *Store) EndSession(ctx context.Context, session string, now time.Time) error {
	_, err := s.exec(ctx, `DELETE FROM sessions WHERE hash = ? OR expires <= ?`, hash(session), nanos(now))
	return err
}
