// Package csv reads files of lines and columns (RFC 4180) in any encoding as
// directory entries: each column is an attribute. A line with something wrong in
// it is rejected, with its number; the rest is read.
package csv

import (
	"bufio"
	"encoding/csv"
	"errors"
	"fmt"
	"io"
	"slices"
	"strings"
	"unicode/utf8"

	"golang.org/x/text/encoding"
	"golang.org/x/text/encoding/htmlindex"
	"golang.org/x/text/encoding/unicode"

	"gatemap/connect"
	"gatemap/core/name"
	"gatemap/core/place"
)

// maxColumns bounds the columns of a file.
const maxColumns = 1000

// Read reads the entries of a file. The first line names the columns. What makes
// the whole file unreadable goes to errs, with its line; lines that cannot be
// taken are rejected. wanted are the columns that must be there.
func Read(
	in io.Reader,
	c *Document,
	wanted []string,
	errs *place.Errors,
) (entries []connect.Entry, rejected []place.Error) {
	r, err := open(in, c)
	if err != nil {
		errs.Addf(c.Place, "csv: %v", err)
		return nil, nil
	}
	columns, err := r.Read()
	at := place.Place{File: c.File.Value, Line: 1}
	switch {
	case errors.Is(err, io.EOF):
		errs.Addf(at, "the file is empty; its first line names the columns")
		return nil, nil
	case err != nil:
		errs.Addf(at, "the first line, which names the columns, cannot be read: %v", plain(err))
		return nil, nil
	}
	columns = append([]string(nil), columns...)
	err = check(columns, c)
	if err == nil {
		err = lacking(columns, wanted, c)
	}
	if err != nil {
		errs.Addf(at, "%v", err)
		return nil, nil
	}
	for {
		record, err := r.Read()
		if errors.Is(err, io.EOF) {
			return entries, rejected
		}
		var parse *csv.ParseError
		switch {
		case errors.As(err, &parse):
			at.Line = int32(parse.StartLine)
			rejected = append(rejected, *place.Errorf(at, "%s", plain(err)))
			if !errors.Is(err, csv.ErrFieldCount) && !errors.Is(err, csv.ErrBareQuote) {
				// An open quote swallows lines: what follows cannot be trusted.
				errs.Addf(at, "%s; the file cannot be read from here on", plain(err))
				return nil, nil
			}
			continue
		case err != nil:
			errs.Addf(at, "reading: %v", err)
			return nil, nil
		}
		line, _ := r.FieldPos(0)
		at.Line = int32(line)
		e, err := entry(columns, record, c, at)
		if err != nil {
			rejected = append(rejected, *place.Errorf(at, "%v", err))
			continue
		}
		entries = append(entries, e)
	}
}

func open(in io.Reader, c *Document) (*csv.Reader, error) {
	decoder := encoding.Decoder{Transformer: unicode.BOMOverride(encoding.Nop.NewDecoder())}
	if c.Encoding.Value != "" {
		e, err := htmlindex.Get(c.Encoding.Value)
		if err != nil {
			return nil, fmt.Errorf(
				"there is no character encoding %q; names are like utf-8, windows-1252 and utf-16le",
				c.Encoding.Value,
			)
		}
		decoder = encoding.Decoder{Transformer: unicode.BOMOverride(e.NewDecoder())}
	}
	r := csv.NewReader(bufio.NewReader(decoder.Reader(in)))
	switch d := []rune(c.Delimiter); {
	case c.Delimiter == "tab":
		r.Comma = '\t'
	case len(d) > 1:
		return nil, fmt.Errorf("delimiter is one character, or tab, not %q", c.Delimiter)
	case len(d) == 1 && (d[0] == '"' || d[0] == '\r' || d[0] == '\n'):
		return nil, fmt.Errorf("%q cannot be the delimiter", c.Delimiter)
	case len(d) == 1:
		r.Comma = d[0]
	}
	r.ReuseRecord = true
	return r, nil
}

func check(columns []string, c *Document) error {
	if len(columns) > maxColumns {
		return fmt.Errorf("the first line has %d columns; %d are the most", len(columns), maxColumns)
	}
	seen := map[string]bool{}
	for i, column := range columns {
		columns[i] = strings.TrimSpace(column)
		switch key := strings.ToLower(columns[i]); {
		case !utf8.ValidString(column):
			return fmt.Errorf("the first line is not UTF-8; say what it is with encoding")
		case key == "":
			return fmt.Errorf("column %d of the first line has no name", i+1)
		case seen[key]:
			return fmt.Errorf("column %q is there twice", columns[i])
		default:
			seen[key] = true
		}
	}
	return nil
}

// lacking says which columns that must be there are not, and which may be meant. Where
// the first line is one column another delimiter may be.
func lacking(columns, wanted []string, c *Document) error {
	var missing []string
	for _, w := range wanted {
		w, _, _ = strings.Cut(w, ";") // options
		if w == "*" || slices.ContainsFunc(columns, func(x string) bool { return strings.EqualFold(x, w) }) {
			continue
		}
		missing = append(missing, nearly(w, columns))
	}
	if missing == nil {
		return nil
	}
	if len(columns) == 1 {
		for _, other := range []string{";", "\t", "|", ","} {
			if n := strings.Count(columns[0], other); n > 0 && other != c.Delimiter {
				return fmt.Errorf(
					"the first line is one column, %q: set delimiter to %s",
					columns[0],
					map[string]string{"\t": "tab"}[other]+strings.Trim(other, "\t"),
				)
			}
		}
	}
	return fmt.Errorf(
		"the table names columns that the file does not have: %s. It has %s",
		strings.Join(missing, ", "),
		strings.Join(columns, ", "),
	)
}

// nearly is a column that is missing, with those that may be meant.
func nearly(w string, columns []string) string {
	near := name.Near(w, slices.Values(columns))
	if near == nil {
		return fmt.Sprintf("%q", w)
	}
	return fmt.Sprintf("%q (perhaps %s)", w, strings.Join(near, " or "))
}

func entry(columns, record []string, c *Document, at place.Place) (connect.Entry, error) {
	e := connect.Entry{Place: at}
	for i, value := range record {
		if !utf8.ValidString(value) || strings.ContainsRune(value, utf8.RuneError) {
			return e, fmt.Errorf("column %s is not in the encoding that was said (%s)", columns[i], orUTF8(c.Encoding.Value))
		}
		if strings.ContainsRune(value, 0) {
			return e, fmt.Errorf("column %s holds a NUL: the file is damaged, or in another encoding", columns[i])
		}
		values := []string{value}
		if c.Values != "" {
			values = strings.Split(value, c.Values)
		}
		a := connect.Attribute{Type: columns[i]}
		for _, v := range values {
			if v = strings.TrimSpace(v); v != "" {
				a.Values = append(a.Values, place.Text{Value: strings.Clone(v), Place: at})
			}
		}
		if a.Values != nil {
			e.Attributes = append(e.Attributes, a)
		}
	}
	return e, nil
}

func orUTF8(encoding string) string {
	if encoding == "" {
		return "UTF-8"
	}
	return encoding
}

// plain puts what the reader says into our words.
func plain(err error) string {
	switch {
	case errors.Is(err, csv.ErrFieldCount):
		return "the line has not as many columns as the first one"
	case errors.Is(err, csv.ErrBareQuote):
		return "a value without quotes contains a quote; put the value in quotes and double the quote inside (RFC 4180 " +
			"section 2)"
	case errors.Is(err, csv.ErrQuote):
		return "a quote is opened here and not closed as RFC 4180 section 2 has it"
	}
	return err.Error()
}
