// Package place says where in a document something stands, and collects the
// errors found there. It reads no files.
package place

import (
	"cmp"
	"errors"
	"fmt"
	"slices"
	"strings"
)

// Place is a position in a named document. Line and Column count from 1; the
// zero Place means "nowhere in particular".
type Place struct {
	File   string
	Line   int32
	Column int32
}

// String writes file:line:column, leaving out what is not known.
func (p Place) String() string {
	switch {
	case p.File == "":
		return ""
	case p.Line == 0:
		return p.File
	case p.Column == 0:
		return fmt.Sprintf("%s:%d", p.File, p.Line)
	}
	return fmt.Sprintf("%s:%d:%d", p.File, p.Line, p.Column)
}

// Compare orders places by file, line and column.
func Compare(a, b Place) int {
	return cmp.Or(strings.Compare(a.File, b.File), cmp.Compare(a.Line, b.Line), cmp.Compare(a.Column, b.Column))
}

// Error is one thing that is wrong at one place.
type Error struct {
	Place   Place
	Message string
}

func (e *Error) Error() string {
	if e.Place == (Place{}) {
		return e.Message
	}
	return e.Place.String() + ": " + e.Message
}

// Errorf makes an error at p.
func Errorf(p Place, format string, args ...any) *Error {
	return &Error{Place: p, Message: fmt.Sprintf(format, args...)}
}

// Errors collects every error of a map, so that all can be mended in one go.
// The zero value is ready to use.
type Errors struct{ list []*Error }

// Addf adds an error at p.
func (l *Errors) Addf(p Place, format string, args ...any) {
	l.list = append(l.list, Errorf(p, format, args...))
}

// Join adds the errors of another list.
func (l *Errors) Join(other *Errors) { l.list = append(l.list, other.list...) }

// Add adds an error that Err gave, or another one as one at p.
func (l *Errors) Add(p Place, err error) {
	if all, ok := err.(interface{ Unwrap() []error }); ok {
		for _, e := range all.Unwrap() {
			l.Add(p, e)
		}
		return
	}
	var placed *Error
	if !errors.As(err, &placed) {
		placed = Errorf(p, "%v", err)
	}
	l.list = append(l.list, placed)
}

// Err returns nil when nothing was added, else one error that prints each on a
// line of its own, ordered by place.
func (l *Errors) Err() error {
	if len(l.list) == 0 {
		return nil
	}
	slices.SortStableFunc(l.list, func(a, b *Error) int { return Compare(a.Place, b.Place) })
	all := make([]error, len(l.list))
	for i, e := range l.list {
		all[i] = e
	}
	return errors.Join(all...)
}

// Text is a piece of text that remembers where it was written.
type Text struct {
	Value string
	Place Place
}

// UnmarshalText takes any text.
func (t *Text) UnmarshalText(text []byte) error {
	t.Value = string(text)
	return nil
}

// MarshalText gives back the text.
func (t Text) MarshalText() ([]byte, error) { return []byte(t.Value), nil }

// SetPlace notes where the text stands.
func (t *Text) SetPlace(p Place) { t.Place = p }
