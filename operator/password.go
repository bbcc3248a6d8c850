package operator

import (
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"sync"
	"time"
	"unicode"

	"github.com/pquerna/otp"
	"github.com/pquerna/otp/hotp"
	"github.com/pquerna/otp/totp"
	"github.com/trustelem/zxcvbn/frequency"
	"golang.org/x/crypto/argon2"
)

// The cost of a password's hash: RFC 9106 section 4, the second recommended option
// (64 MiB, three passes), on the two cores of a small machine.
const (
	passes   = 3
	memory   = 64 << 10 // KiB
	lanes    = 2
	saltSize = 16
	keySize  = 32
)

// MinPassword is how many characters a password has at least (NIST SP 800-63B
// section 5.1.1.2 asks for 8; there is a second factor beside it).
const MinPassword = 12

// NewPassword says what keeps a password from being someone's (NIST SP 800-63B section
// 5.1.1.2): it is too short, is or begins with one of the most common and has nothing but
// figures and signs besides, or contains the name.
func NewPassword(password, name string) error {
	if n := len([]rune(password)); n < MinPassword {
		return fmt.Errorf("a password needs at least %d characters; this one has %d", MinPassword, n)
	}
	folded := strings.ToLower(password)
	word := strings.TrimFunc(folded, func(r rune) bool { return !unicode.IsLetter(r) })
	for range 3 { // "tigertiger" is "tiger"
		if half := len(word) / 2; len(word)%2 == 0 && word[:half] == word[half:] {
			word = word[:half]
		}
	}
	if common()[folded] || common()[word] || word == "" {
		return errors.New(
			"this password is one of the most common, or one of those with figures or signs around it: take another",
		)
	}
	for _, part := range append(strings.FieldsFunc(strings.ToLower(name),
		func(r rune) bool { return strings.ContainsRune("._@-", r) }), strings.ToLower(name)) {
		if len(part) > 3 && strings.Contains(folded, part) {
			return errors.New("this password contains the name: take another")
		}
	}
	return nil
}

// common are the most common passwords, some 30,000.
var common = sync.OnceValue(func() map[string]bool {
	all := map[string]bool{"": true}
	for _, p := range frequency.FrequencyLists["passwords"] {
		all[p] = true
	}
	return all
})

// HashPassword hashes a password with Argon2id (RFC 9106), in the form that other
// programs read too.
func HashPassword(password string) string {
	salt := make([]byte, saltSize)
	_, _ = rand.Read(salt) // never fails (crypto/rand)
	key := argon2.IDKey([]byte(password), salt, passes, memory, lanes, keySize)
	b64 := base64.RawStdEncoding
	return fmt.Sprintf(
		"$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s",
		argon2.Version,
		memory,
		passes,
		lanes,
		b64.EncodeToString(salt),
		b64.EncodeToString(key),
	)
}

// nobody is the hash that the password of someone who is not known is checked
// against, so that it takes as long.
var nobody = fmt.Sprintf(
	"$argon2id$v=%d$m=%d,t=%d,p=%d$%s$%s",
	argon2.Version,
	memory,
	passes,
	lanes,
	base64.RawStdEncoding.EncodeToString(
		make([]byte, saltSize),
	),
	base64.RawStdEncoding.EncodeToString(make([]byte, keySize)),
)

// CheckPassword says whether a password is that of a hash. It takes as long where
// there is no hash, and then says no.
func CheckPassword(hashed, password string) bool {
	known := hashed != ""
	if !known {
		hashed = nobody
	}
	parts := strings.Split(hashed, "$")
	if len(parts) != 6 || parts[1] != "argon2id" {
		return false
	}
	var m, t uint32
	var p uint8
	if _, err := fmt.Sscanf(parts[3], "m=%d,t=%d,p=%d", &m, &t, &p); err != nil {
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	want, wantErr := base64.RawStdEncoding.DecodeString(parts[5])
	if err != nil || wantErr != nil || len(want) == 0 || t == 0 || p == 0 {
		return false
	}
	got := argon2.IDKey([]byte(password), salt, t, m, p, uint32(len(want)))
	return subtle.ConstantTimeCompare(got, want) == 1 && known
}

// period is how long a code of the second factor holds (RFC 6238 section 5.2).
const period = 30

// NewTOTP makes the secret of a second factor (RFC 6238), and the address by which
// an authenticator takes it in.
func NewTOTP(name string) (secret, address string, err error) {
	key, err := totp.Generate(
		totp.GenerateOpts{Issuer: "Gate Map", AccountName: name, Period: period, Algorithm: otp.AlgorithmSHA1},
	)
	if err != nil {
		return "", "", fmt.Errorf("making a second factor: %w", err)
	}
	return key.Secret(), key.URL(), nil
}

// CheckTOTP says whether a code is one of a secret now, or of the period before or
// after (RFC 6238 section 5.2), and gives its number, by which it is used only once.
func CheckTOTP(secret, code string, now time.Time) (counter int64, ok bool) {
	at := now.Unix() / period
	for _, c := range []int64{at, at - 1, at + 1} {
		want, err := hotp.GenerateCodeCustom(
			secret,
			uint64(c),
			hotp.ValidateOpts{Digits: otp.DigitsSix, Algorithm: otp.AlgorithmSHA1},
		)
		if err == nil && subtle.ConstantTimeCompare([]byte(want), []byte(strings.TrimSpace(code))) == 1 {
			return c, true
		}
	}
	return 0, false
}
