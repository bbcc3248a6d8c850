// Package packed writes what is kept in a database as compressed JSON, and reads it. It keeps nothing.
package packed

import (
	"bytes"
	"compress/gzip"
	"encoding/json"
	"errors"
)

// Pack makes compressed JSON (RFC 1952) of a value.
func Pack(v any) ([]byte, error) {
	var b bytes.Buffer
	z := gzip.NewWriter(&b)
	err := errors.Join(json.NewEncoder(z).Encode(v), z.Close())
	return b.Bytes(), err
}

// Unpack reads what Pack made.
func Unpack[T any](raw []byte) (*T, error) {
	z, err := gzip.NewReader(bytes.NewReader(raw))
	if err != nil {
		return nil, err
	}
	v := new(T)
	return v, json.NewDecoder(z).Decode(v)
}
