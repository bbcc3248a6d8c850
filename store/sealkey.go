package store

import (
	"crypto/rand"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"
	"strings"
)

// KeyFile is where the key of a data folder's seal is, unless that is said: beside the
// folder, so that no copy of the folder has it.
func KeyFile(folder string) string {
	absolute, err := filepath.Abs(folder)
	if err != nil {
		absolute = filepath.Clean(folder)
	}
	return absolute + ".seal"
}

// sealKey reads the key of a seal, from the environment or a file, and makes the file where
// it is not there and may be made.
func sealKey(folder, file string, mayMake bool) ([]byte, error) {
	if text := os.Getenv(SealVariable); text != "" {
		return decodeKey(text, SealVariable)
	}
	if file == "" {
		file = KeyFile(folder)
	}
	if in, err := filepath.Rel(absolute(folder), absolute(file)); err == nil && !strings.HasPrefix(in, "..") {
		return nil, &OpenError{
			file,
			"the key of the seal lies in the data folder, so that a copy of that would have it; move it elsewhere",
			nil,
		}
	}
	info, err := os.Stat(file)
	if errors.Is(err, fs.ErrNotExist) && mayMake {
		return makeKey(file)
	}
	if errors.Is(err, fs.ErrNotExist) {
		return nil, &OpenError{
			folder,
			fmt.Sprintf("the key of its seal is not in %s; name the file with --seal-key, or set %s", file, SealVariable),
			nil,
		}
	}
	if err != nil {
		return nil, &OpenError{file, "the key of the seal cannot be read", err}
	}
	if err := closed(file, info, 0o600); err != nil {
		return nil, err
	}
	raw, err := os.ReadFile(file)
	if err != nil {
		return nil, &OpenError{file, "the key of the seal cannot be read", err}
	}
	return decodeKey(string(raw), file)
}

func absolute(path string) string {
	path, err := filepath.Abs(path)
	if err != nil {
		return path
	}
	if real, err := filepath.EvalSymlinks(path); err == nil {
		return real
	}
	return path
}

func makeKey(file string) ([]byte, error) {
	raw := make([]byte, keyLength)
	_, _ = rand.Read(raw) // never fails (crypto/rand)
	f, err := os.OpenFile(file, os.O_CREATE|os.O_EXCL|os.O_WRONLY, 0o600)
	if err != nil {
		return nil, &OpenError{file, "the key of the seal cannot be written; name another file with --seal-key", err}
	}
	_, err = f.WriteString(base64.StdEncoding.EncodeToString(raw) + "\n")
	if err := errors.Join(err, f.Sync(), f.Close()); err != nil {
		return nil, &OpenError{file, "the key of the seal cannot be written", err}
	}
	return raw, nil
}

func decodeKey(text, from string) ([]byte, error) {
	raw, err := base64.StdEncoding.DecodeString(strings.TrimSpace(text))
	if err != nil || len(raw) != keyLength {
		return nil, &OpenError{
			from,
			fmt.Sprintf("this is no key of a seal, which is %d bytes in base 64 (RFC 4648)", keyLength),
			nil,
		}
	}
	return raw, nil
}
