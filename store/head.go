package store

import (
	"context"
	"crypto/hmac"
	"database/sql"
	"encoding/hex"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strconv"
	"strings"
	"sync"
)

// Head is the newest entry of the audit at some moment, signed. With one that was kept,
// a later check can tell that entries were removed from the end, or that an older
// database was put in place. Its text is the number of the entry, its hash and the
// signature, joined by dashes.
type Head struct {
	Number int64
	Hash   string // in hexadecimal
	mac    string
}

func (h Head) String() string { return fmt.Sprintf("%d-%s-%s", h.Number, h.Hash, h.mac) }

// ParseHead reads what String writes.
func ParseHead(text string) (Head, error) {
	parts := strings.Split(strings.TrimSpace(text), "-")
	if len(parts) == 3 {
		number, err := strconv.ParseInt(parts[0], 10, 64)
		if err == nil && number >= 0 && len(parts[1]) <= 64 && len(parts[2]) == 64 {
			return Head{number, parts[1], parts[2]}, nil
		}
	}
	return Head{}, errors.New(
		"a head of the audit is a number, a hash and a signature joined by dashes, as audit verify prints it",
	)
}

func (s *Store) signedHead(number int64, hash string) Head {
	mac := s.seal.sign([]byte(fmt.Sprintf("head %d %s %d", number, hash, s.keyed)))
	return Head{number, hash, hex.EncodeToString(mac)}
}

// genuine says whether the head was signed with the key of this database.
func (s *Store) genuine(h Head) bool {
	return hmac.Equal([]byte(h.mac), []byte(s.signedHead(h.Number, h.Hash).mac))
}

// heads keeps the head beside the database.
type heads struct {
	mu   sync.Mutex
	file string
	last int64
}

// keep writes a head, unless a newer one is kept. It is not synced: a head that is older
// than the database is right, too.
func (k *heads) keep(h Head) error {
	k.mu.Lock()
	defer k.mu.Unlock()
	if h.Number <= k.last {
		return nil
	}
	fresh := k.file + ".new"
	if err := os.WriteFile(fresh, []byte(h.String()+"\n"), 0o600); err != nil {
		return &OpenError{k.file, "the head of the audit cannot be written", err}
	}
	if err := os.Rename(fresh, k.file); err != nil {
		return &OpenError{k.file, "the head of the audit cannot be written", err}
	}
	k.last = h.Number
	return nil
}

func headFile(folder string) string { return filepath.Join(folder, "gatemap.head") }

// checkHead sees that the database goes on from the head that is kept beside it. What
// does not fit is returned, "" if all does; it is an entry of the audit then, and the
// head is kept under another name.
func (s *Store) checkHead(ctx context.Context) (trouble string, err error) {
	defer func() {
		if err == nil {
			err = s.keepNewest(ctx)
		}
	}()
	raw, err := os.ReadFile(s.heads.file)
	if errors.Is(err, fs.ErrNotExist) && s.fresh {
		return "", nil
	}
	switch {
	case errors.Is(err, fs.ErrNotExist):
		trouble = "the head of the audit is gone from beside the database"
	case err != nil:
		return "", &OpenError{s.heads.file, "the head of the audit cannot be read", err}
	default:
		if trouble, err = s.against(ctx, string(raw)); err != nil || trouble == "" {
			return "", err
		}
		if err := os.Rename(s.heads.file, s.heads.file+".mismatch"); err != nil {
			return "", &OpenError{s.heads.file, "the head of the audit cannot be put aside", err}
		}
	}
	return trouble, s.Audit(ctx, Entry{Actor: "gatemap", Act: "audit check", Result: "refused", Detail: trouble})
}

// against says in what the audit does not go on from a head; "" if it does.
func (s *Store) against(ctx context.Context, text string) (trouble string, err error) {
	h, err := ParseHead(text)
	if err != nil {
		return err.Error(), nil
	}
	if !s.genuine(h) {
		return "the head of the audit was not signed with the key of this database", nil
	}
	if h.Number == 0 {
		return "", nil
	}
	list, err := s.Entries(ctx, Asked{OldestFirst: true, Last: h.Number - 1, Limit: 1})
	switch {
	case err != nil:
		return "", err
	case len(list) == 0 || list[0].Number != h.Number:
		return fmt.Sprintf(
			"the audit ends before entry %d, which it had: entries were removed from its end, "+
				"or an older database was put in place",
			h.Number,
		), nil
	case list[0].Hash != h.Hash:
		return fmt.Sprintf(
			"entry %d is another than it was: the audit was written anew, or another database was put in place",
			h.Number,
		), nil
	}
	return "", nil
}

// keepNewest keeps the head that the database has now.
func (s *Store) keepNewest(ctx context.Context) error {
	h, err := s.newestHead(ctx)
	if err != nil {
		return err
	}
	s.heads.mu.Lock()
	s.heads.last = -1
	s.heads.mu.Unlock()
	return s.heads.keep(h)
}

func (s *Store) newestHead(ctx context.Context) (Head, error) {
	var number int64
	var hash []byte
	err := s.db.QueryRowContext(ctx, `SELECT number, hash FROM audit ORDER BY number DESC LIMIT 1`).Scan(&number, &hash)
	if err != nil && !errors.Is(err, sql.ErrNoRows) {
		return Head{}, s.explain(err)
	}
	return s.signedHead(number, hex.EncodeToString(hash)), nil
}
