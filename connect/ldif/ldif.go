// Package ldif reads directory entries from LDIF content files (RFC 2849). It
// follows no URL and applies no changes.
package ldif

import (
	"bufio"
	"encoding/base64"
	"errors"
	"io"
	"strings"
	"unicode/utf8"

	"gatemap/connect"
	"gatemap/core/name"
	"gatemap/core/place"
)

// maxLine bounds a logical line, in bytes: a photograph fits, a runaway file
// does not.
const maxLine = 16 << 20

// Read hands every entry to take, one by one, so that a large file never is in
// memory as a whole. The file's name goes into the places of what is read.
// Everything that is wrong goes to errs, with its line; an entry with an error
// in it is left out, so a caller that finds errors has no whole file.
func Read(in io.Reader, file string, errs *place.Errors, take func(*connect.Entry)) {
	r := &reader{in: bufio.NewReaderSize(in, 1<<16), file: file, errs: errs, take: take}
	for {
		line, ok := r.next()
		if !ok {
			break
		}
		r.line(line)
	}
	r.finish()
}

type reader struct {
	in   *bufio.Reader
	file string
	errs *place.Errors

	number  int32 // of the last physical line read
	ahead   string
	hasNext bool
	stopped bool

	take   func(*connect.Entry)
	entry  connect.Entry
	open   bool // an entry has begun
	broken bool // it has an error in it
	first  bool // something other than a comment has been read
}

// logical is a line with its continuations put together.
type logical struct {
	text   string
	number int32
}

func (r *reader) fail(number int32, format string, args ...any) {
	r.errs.Addf(place.Place{File: r.file, Line: number}, format, args...)
	r.broken = true
}

// physical reads one line of the file without its end.
func (r *reader) physical() (string, bool) {
	if r.hasNext {
		r.hasNext = false
		r.number++
		return r.ahead, true
	}
	if r.stopped {
		return "", false
	}
	line, err := r.in.ReadString('\n')
	r.number++
	switch {
	case errors.Is(err, io.EOF) && line == "":
		r.stopped = true
		return "", false
	case errors.Is(err, io.EOF):
		r.stopped = true
		r.fail(r.number, "the file ends in the middle of a line: it is cut short, or the last line lacks its end")
	case err != nil:
		r.stopped = true
		r.fail(r.number, "reading: %v", err)
		return "", false
	}
	return strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r"), true
}

// next puts a line and its continuations, which begin with a space, together.
func (r *reader) next() (logical, bool) {
	text, ok := r.physical()
	if !ok {
		return logical{}, false
	}
	line := logical{text, r.number}
	var more strings.Builder
	for {
		following, ok := r.physical()
		if !ok {
			break
		}
		if !strings.HasPrefix(following, " ") || text == "" {
			r.ahead, r.hasNext = following, true
			r.number--
			break
		}
		if more.Len()+len(following) > maxLine {
			r.fail(line.number, "the line is longer than %d bytes", maxLine)
			r.stopped = true
			break
		}
		more.WriteString(following[1:])
	}
	line.text += more.String()
	return line, true
}

func (r *reader) line(l logical) {
	switch {
	case l.text == "":
		r.finish()
		return
	case l.text[0] == '#':
		return
	case l.text[0] == ' ':
		r.fail(l.number, "a continuation line without a line before it")
		return
	case l.text == "-":
		r.fail(l.number, "this is a file of changes; a file of entries is needed")
		return
	}
	description, value, ok := r.attribute(l)
	if !ok {
		return
	}
	if !r.first {
		r.first = true
		if strings.EqualFold(description, "version") {
			if value != "1" {
				r.fail(l.number, "version %q of the format is not known; it has version 1 only", value)
			}
			return
		}
	}
	switch {
	case strings.EqualFold(description, "dn"):
		if r.open {
			r.fail(l.number, "a second dn in one entry: an empty line is missing before it")
		}
		r.open = true
		r.entry = connect.Entry{DN: value, Place: place.Place{File: r.file, Line: l.number}}
	case !r.open:
		r.fail(l.number, "an entry begins with dn, not with %s", description)
	case strings.EqualFold(description, "changetype"):
		r.fail(l.number, "this is a file of changes; a file of entries is needed")
	default:
		r.add(description, place.Text{Value: value, Place: place.Place{File: r.file, Line: l.number}})
	}
}

// attribute splits a line into the attribute's description and its value.
func (r *reader) attribute(l logical) (description, value string, ok bool) {
	description, value, found := strings.Cut(l.text, ":")
	if !found {
		r.fail(l.number, "%q has no colon: a line is an attribute, a colon and a value", name.Short(l.text, 40))
		return "", "", false
	}
	if !validDescription(description) {
		r.fail(l.number, "%q is not the name of an attribute (RFC 4512 section 2.5)", name.Short(description, 40))
		return "", "", false
	}
	switch {
	case strings.HasPrefix(value, "<"):
		r.fail(l.number, "%s takes its value from a URL, which is not followed", description)
		return "", "", false
	case strings.HasPrefix(value, ":"):
		raw, err := base64.StdEncoding.Strict().DecodeString(strings.Trim(value[1:], " "))
		if err != nil {
			r.fail(l.number, "the value of %s is not base64 (RFC 4648 section 4): %v", description, err)
			return "", "", false
		}
		return description, string(raw), true
	}
	value = strings.TrimLeft(value, " ")
	if !utf8.ValidString(value) || strings.ContainsRune(value, 0) {
		r.fail(l.number, "the value of %s is not text in UTF-8; other bytes are written in base64", description)
		return "", "", false
	}
	return description, value, true
}

func validDescription(s string) bool {
	if s == "" {
		return false
	}
	for _, part := range strings.Split(s, ";") {
		if part == "" {
			return false
		}
		for _, c := range []byte(part) {
			if (c < 'a' || c > 'z') && (c < 'A' || c > 'Z') && (c < '0' || c > '9') && c != '-' && c != '.' {
				return false
			}
		}
	}
	return true
}

func (r *reader) add(description string, value place.Text) {
	typ, rest, _ := strings.Cut(description, ";")
	for i := range r.entry.Attributes {
		a := &r.entry.Attributes[i]
		if strings.EqualFold(a.Type, typ) && strings.EqualFold(strings.Join(a.Options, ";"), rest) {
			a.Values = append(a.Values, value)
			return
		}
	}
	a := connect.Attribute{Type: typ, Values: []place.Text{value}}
	if rest != "" {
		a.Options = strings.Split(rest, ";")
	}
	r.entry.Attributes = append(r.entry.Attributes, a)
}

// finish ends the entry that is open.
func (r *reader) finish() {
	if r.open && len(r.entry.Attributes) == 0 && !r.broken {
		r.fail(
			r.entry.Place.Line,
			"entry %q has no attributes: the file is cut short here, or the entry is empty",
			r.entry.DN,
		)
	}
	if r.open && !r.broken {
		r.take(&r.entry)
	}
	r.open, r.broken = false, false
	r.entry = connect.Entry{}
}
