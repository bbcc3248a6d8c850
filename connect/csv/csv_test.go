package csv_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"golang.org/x/text/encoding/charmap"
	"golang.org/x/text/encoding/unicode"

	"gatemap/connect"
	"gatemap/connect/csv"
	"gatemap/core/place"
)

func read(content string, c csv.Document) ([]connect.Entry, []place.Error, error) {
	var errs place.Errors
	c.File.Value = "people.csv"
	entries, rejected := csv.Read(strings.NewReader(content), &c, nil, &errs)
	return entries, rejected, errs.Err()
}

func values(e connect.Entry, column string) []string {
	var list []string
	for _, v := range e.Values(column) {
		list = append(list, v.Value)
	}
	return list
}

func TestRead(t *testing.T) {
	plain := "Number;Name;Skills\r\nE1;\"Okonjo; Ilse\";dome|night\r\nE2;\"Jørn \"\"Jo\"\" Pell\";\r\n"
	latin, err := charmap.Windows1252.NewEncoder().String(plain)
	require.NoError(t, err)
	wide, err := unicode.UTF16(unicode.LittleEndian, unicode.UseBOM).NewEncoder().String(plain)
	require.NoError(t, err)
	for name, c := range map[string]struct {
		content, encoding string
	}{
		"UTF-8": {plain, ""}, "UTF-8 with a mark": {"\ufeff" + plain, "utf-8"}, "one byte": {latin, "windows-1252"},
		"two bytes": {wide, "utf-16le"}, "the mark says it": {wide, ""},
	} {
		t.Run(name, func(t *testing.T) {
			entries, rejected, err := read(
				c.content,
				csv.Document{Delimiter: ";", Values: "|", Encoding: place.Text{Value: c.encoding}},
			)
			require.NoError(t, err)
			assert.Empty(t, rejected)
			require.Len(t, entries, 2)
			assert.Equal(t, []string{"Okonjo; Ilse"}, values(entries[0], "name"))
			assert.Equal(t, []string{"dome", "night"}, values(entries[0], "Skills"))
			assert.Equal(t, []string{`Jørn "Jo" Pell`}, values(entries[1], "Name"))
			assert.Empty(t, entries[1].Values("Skills"))
			assert.Equal(t, "people.csv:3", entries[1].Place.String())
		})
	}
}

func TestLinesAreRejectedOneByOne(t *testing.T) {
	entries, rejected, err := read("a\tb\n1\t2\n3\n4\t\"5\"\n6\tx\"y\n7\t\xff\n8\t9\n", csv.Document{Delimiter: "tab"})
	require.NoError(t, err)
	assert.Len(t, entries, 3)
	require.Len(t, rejected, 3)
	assert.Equal(t, "people.csv:3: the line has not as many columns as the first one", rejected[0].Error())
	assert.Contains(t, rejected[1].Error(), "people.csv:5: a value without quotes contains a quote")
	assert.Equal(t, "people.csv:6: column b is not in the encoding that was said (UTF-8)", rejected[2].Error())
}

func TestReadRefuses(t *testing.T) {
	for _, c := range []struct {
		content string
		csv     csv.Document
		want    string
	}{
		{"", csv.Document{}, "people.csv:1: the file is empty"},
		{"a,,c\n", csv.Document{}, "people.csv:1: column 2 of the first line has no name"},
		{"a,b,A\n", csv.Document{}, `people.csv:1: column "A" is there twice`},
		{"a,\xe9\n", csv.Document{}, "the first line is not UTF-8"},
		{"a,b\n1,\"2\n3,4\n5,6\n", csv.Document{}, "people.csv:2: a quote is opened here and not closed"},
		{"a\n", csv.Document{Encoding: place.Text{Value: "klingon"}}, `there is no character encoding "klingon"`},
		{"a\n", csv.Document{Delimiter: "::"}, "delimiter is one character"},
		{"a\n", csv.Document{Delimiter: "\""}, "cannot be the delimiter"},
	} {
		_, _, err := read(c.content, c.csv)
		assert.ErrorContains(t, err, c.want)
	}
}

// Every line after the first is an entry, is rejected, or makes the file
// unreadable; none is lost.
func FuzzRead(f *testing.F) {
	for _, seed := range []string{"a,b\n1,2\n", "a;b\n\"1;\n2\";3\n", "\ufeffa\n\xff\n", "a,b\n1\n\"\n"} {
		f.Add(seed, ";")
		f.Add(seed, "")
	}
	f.Fuzz(func(t *testing.T, content, delimiter string) {
		entries, rejected, err := read(content, csv.Document{Delimiter: delimiter})
		if err != nil && entries != nil {
			t.Fatal("an unreadable file gave entries")
		}
		last := int32(0)
		for _, e := range entries {
			if e.Place.Line <= last {
				t.Fatalf("line %d after line %d", e.Place.Line, last)
			}
			last = e.Place.Line
		}
		for _, r := range rejected {
			if r.Place.Line < 2 {
				t.Fatalf("rejected at line %d", r.Place.Line)
			}
		}
	})
}

// A column that the table names and the file lacks is told with those that are near, and a
// wrong delimiter by what it is sooner.
func TestColumnsMustBeThere(t *testing.T) {
	for _, c := range []struct {
		content, delimiter, want string
		columns                  []string
	}{
		{"Number,Title\n1,x\n", "", "", []string{"number", "TITLE", "*"}},
		{"Number,Titel\n1,x\n", "", `columns that the file does not have: "Title" (perhaps Titel). It has Number, Titel`, []string{"Number", "Title"}},
		{"Number;Title\n1;x\n", "", `the first line is one column, "Number;Title": set delimiter to ;`, []string{"Number", "Title"}},
		{"Number\tTitle\n1\tx\n", ";", "set delimiter to tab", []string{"Number"}},
		{"", "", "the file is empty; its first line names the columns", []string{"Number"}},
	} {
		var errs place.Errors
		_, _ = csv.Read(
			strings.NewReader(c.content),
			&csv.Document{Delimiter: c.delimiter, File: place.Text{Value: "people.csv"}},
			c.columns,
			&errs,
		)
		if c.want == "" {
			assert.NoError(t, errs.Err())
		} else {
			assert.ErrorContains(t, errs.Err(), c.want)
		}
	}
	_, rejected, err := read("a,b\n1,\x00\n2,x\n", csv.Document{})
	require.NoError(t, err)
	require.Len(t, rejected, 1)
	assert.Contains(t, rejected[0].Error(), "people.csv:2: column b holds a NUL")
}
