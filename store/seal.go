package store

import (
	"context"
	"crypto/aes"
	"crypto/cipher"
	"crypto/hkdf"
	"crypto/hmac"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"path/filepath"
	"strings"
)

// SealVariable is the variable of the environment that may hold the key of a seal.
const SealVariable = "GATEMAP_SEAL_KEY"

// keyLength is the length of the key of a seal, in bytes.
const keyLength = 32

// seal keeps what whoever has the database alone must not read or forge: it encrypts
// secrets (AES-256-GCM, NIST SP 800-38D) and signs the audit (HMAC-SHA-256, RFC 2104).
// The two keys come from one (HKDF, RFC 5869).
type seal struct {
	aead cipher.AEAD
	mac  []byte
}

func newSeal(key []byte) (*seal, error) {
	encrypt, err := hkdf.Key(sha256.New, key, nil, "gatemap secrets", 32)
	if err != nil {
		return nil, err
	}
	mac, err := hkdf.Key(sha256.New, key, nil, "gatemap audit", 32)
	if err != nil {
		return nil, err
	}
	block, err := aes.NewCipher(encrypt)
	if err != nil {
		return nil, err
	}
	aead, err := cipher.NewGCMWithRandomNonce(block)
	return &seal{aead, mac}, err
}

// mark is by what a database knows its seal.
func (s *seal) mark() string {
	return base64.RawStdEncoding.EncodeToString(s.sign([]byte("seal")))
}

func (s *seal) sign(parts ...[]byte) []byte {
	h := hmac.New(sha256.New, s.mac)
	for _, p := range parts {
		_, _ = h.Write(p) // never fails (hash.Hash)
	}
	return h.Sum(nil)
}

// sealed begins every text that is sealed.
const sealed = "sealed:"

// close seals a text for one owner; "" stays "".
func (s *seal) close(text, owner string) string {
	if text == "" {
		return ""
	}
	return sealed + base64.RawStdEncoding.EncodeToString(
		s.aead.Seal(nil, nil, []byte(text), []byte(strings.ToLower(owner))),
	)
}

// open is the text that close sealed.
func (s *seal) open(text, owner string) (string, error) {
	body, ok := strings.CutPrefix(text, sealed)
	if !ok {
		return text, nil
	}
	raw, err := base64.RawStdEncoding.DecodeString(body)
	if err == nil {
		raw, err = s.aead.Open(nil, nil, raw, []byte(strings.ToLower(owner)))
	}
	if err != nil {
		return "", fmt.Errorf("a secret of %s is not what was sealed: %w", owner, err)
	}
	return string(raw), nil
}

const otherKey = "it was sealed with another key; name the file of its key with --seal-key, or set " + SealVariable

// The settings by which a database knows its seal: what the key gives, and the first
// entry of the audit that is signed with it.
const (
	settingSeal  = "seal"
	settingKeyed = "audit-keyed-from"
	settingTaken = "audit-taken-until" // entries of a key that was lost
)

// unseal finds the key of the database's seal; a database that has none gets one.
func (s *Store) unseal(ctx context.Context, file string) error {
	known, err := s.Setting(ctx, settingSeal)
	if err != nil {
		return err
	}
	raw, err := sealKey(s.Folder(), file, known == "")
	if err != nil {
		return err
	}
	if s.seal, err = newSeal(raw); err != nil {
		return err
	}
	mark := s.seal.mark()
	if known == "" {
		return s.firstSeal(ctx, mark)
	}
	if !hmac.Equal([]byte(known), []byte(mark)) {
		return &OpenError{s.path, otherKey, nil}
	}
	return s.readKeyed(ctx)
}

// ReplaceSeal gives a database whose key is lost another one, made where it is not there,
// and says how many second factors went with the old one. Entries of the audit that were
// signed with that are taken as they are from here on.
func ReplaceSeal(ctx context.Context, folder, keyFile string) (factors int64, err error) {
	if err := private(folder); err != nil {
		return 0, err
	}
	lock, err := take(folder)
	if err != nil {
		return 0, err
	}
	s := &Store{
		writer: make(writer, 1),
		lock:   lock,
		path:   filepath.Join(folder, database),
		heads:  heads{file: headFile(folder)},
	}
	if err := s.open(ctx); err != nil {
		return 0, errors.Join(s.explain(err), s.Close())
	}
	err = s.within(ctx, func(tx *tx) error {
		result, err := tx.ExecContext(ctx, `UPDATE operators SET totp = NULL WHERE totp IS NOT NULL`)
		if err == nil {
			factors, err = result.RowsAffected()
		}
		if err == nil {
			_, err = tx.ExecContext(ctx, `DELETE FROM settings WHERE name IN (?, ?)`, settingSeal, settingKeyed)
		}
		return err
	})
	if err == nil {
		err = s.unseal(ctx, keyFile)
	}
	if err == nil {
		err = s.trustSoFar(ctx)
	}
	if err == nil {
		err = s.Audit(
			ctx,
			Entry{
				Actor:  Host,
				Act:    "seal",
				Result: "done",
				Detail: fmt.Sprintf(
					"the key was replaced; second factors that went with the old one: %d; "+
						"entries before this one are taken as they are",
					factors,
				),
			},
		)
	}
	if err == nil {
		err = s.keepNewest(ctx)
	}
	return factors, errors.Join(err, s.Close())
}

// trustSoFar notes that the entries that are there cannot be checked.
func (s *Store) trustSoFar(ctx context.Context) error {
	s.taken = s.keyed - 1
	return s.Set(ctx, map[string]string{settingTaken: s.signedTaken()})
}

func (s *Store) signedTaken() string {
	return fmt.Sprintf("%d %x", s.taken, s.seal.sign(fmt.Appendf(nil, "taken until %d", s.taken)))
}

// firstSeal seals what a database holds, and signs its audit from here on.
func (s *Store) firstSeal(ctx context.Context, mark string) error {
	s.fresh = true
	all, err := s.Operators(ctx)
	if err != nil {
		return err
	}
	return s.within(ctx, func(tx *tx) error {
		var newest int64
		if err := tx.QueryRowContext(ctx, `SELECT coalesce(max(number), 0) FROM audit`).Scan(&newest); err != nil {
			return err
		}
		s.keyed = newest + 1
		for _, setting := range [][2]string{{settingSeal, mark}, {settingKeyed, s.signedKeyed()}} {
			if _, err := tx.ExecContext(ctx, `INSERT INTO settings (name, value) VALUES (?, ?)`, setting[0],
				setting[1]); err != nil {
				return err
			}
		}
		for _, o := range all {
			if _, err := tx.ExecContext(ctx, `UPDATE operators SET totp = nullif(?, '') WHERE name = ?`,
				s.seal.close(o.TOTP, o.Name), o.Name); err != nil {
				return err
			}
		}
		return nil
	})
}

func (s *Store) readKeyed(ctx context.Context) error {
	text, err := s.Setting(ctx, settingKeyed)
	if err != nil {
		return err
	}
	if _, err := fmt.Sscan(text, &s.keyed); err != nil || s.signedKeyed() != text {
		s.keyed = 1 // it was tampered with: no entry passes without the key
	}
	if text, err = s.Setting(ctx, settingTaken); err != nil || text == "" {
		return err
	}
	if _, err := fmt.Sscan(text, &s.taken); err != nil || s.signedTaken() != text {
		s.taken = 0
	}
	return nil
}

// signedKeyed is the first entry that is signed, as it is kept.
func (s *Store) signedKeyed() string {
	return fmt.Sprintf("%d %x", s.keyed, s.seal.sign(fmt.Appendf(nil, "keyed from %d", s.keyed)))
}
