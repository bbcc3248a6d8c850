package filter_test

import (
	"errors"
	"fmt"
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"

	"gatemap/core/filter"
	"gatemap/core/name"
)

type record struct {
	values map[string][]filter.Value
	exact  map[string]bool
}

func (r record) Values(a string) []filter.Value { return r.values[a] }
func (r record) Exact(a string) bool            { return r.exact[a] }

func text(list ...string) []filter.Value {
	var values []filter.Value
	for _, s := range list {
		values = append(values, filter.Value{Text: s})
	}
	return values
}

func mail(value, kind string) filter.Value {
	return filter.Value{Kind: filter.Complex, Sub: map[string][]filter.Value{"VALUE": text(value), "TYPE": text(kind)}}
}

var ilse = record{
	values: map[string][]filter.Value{
		"USERNAME":           text("ilse.okonjo"),
		"TITLE":              text("Night assistant"),
		"EMAILS":             text("ilse@cindervale.example", "night@cindervale.example"),
		"WORKMAIL":           {mail("ilse@cindervale.example", "work"), mail("ilse@home.example", "home")},
		"ADDRESSES":          {{Kind: filter.Complex, Sub: map[string][]filter.Value{"LOCALITY": text("Summit")}}},
		"NAME.FAMILYNAME":    text("Okonjo"),
		"ACTIVE":             {{Kind: filter.Bool, Text: "true"}},
		"UIDNUMBER":          text("5001"),
		"SHIFTS":             {{Kind: filter.Number, Text: "12"}},
		"EXPIRES":            text("2026-12-31T00:00:00Z"),
		"EMPTY":              text(""),
		"BADGE":              text("aB-7"),
		"DEPARTMENT":         text("Operations"),
		"URN:X:Y:CAFETERIA":  text("east"),
		"META.LASTMODIFIED":  text("2026-11-01T10:00:00+01:00"),
		"ADDRESSES.LOCALITY": nil,
	},
	exact: map[string]bool{"BADGE": true},
}

func TestMatch(t *testing.T) {
	for written, want := range map[string]bool{
		// Every operator of RFC 7644 table 3.
		`title eq "night ASSISTANT"`: true, `title eq "night"`: false,
		`title ne "Night assistant"`: false, `title ne "x"`: true,
		`title co "ASSIST"`: true, `title sw "night"`: true, `title ew "tant"`: true, `title ew "night"`: false,
		`title pr`: true, `empty pr`: false, `nothing pr`: false, `addresses pr`: true,
		`title gt "Nigg"`: true, `title gt "Night assistant"`: false, `title ge "Night assistant"`: true,
		`title lt "o"`: true, `title le "Night assistant"`: true,
		// Multi-valued: any is enough; ne: any differs.
		`emails eq "night@cindervale.example"`: true, `emails ne "night@cindervale.example"`: true,
		`emails ew "@home.example"`: false,
		// Without a value every comparison fails but ne.
		`nothing eq "x"`: false, `nothing ne "x"`: true, `nothing lt "x"`: false, `not (nothing eq "x")`: true,
		// null asks for the absence of a value.
		`nothing eq null`: true, `title eq null`: false, `title ne null`: true, `nothing ne null`: false,
		// Types.
		`active eq true`: true, `active eq "TRUE"`: true, `active ne true`: false, `active eq false`: false,
		`uidNumber gt 500`: true, `uidNumber gt "600"`: false, `shifts gt "3"`: true, `shifts eq 12.0`: true, `shifts lt 3`: false,
		`expires gt "2026-12-30T23:00:00-02:00"`: false, `expires gt "2026-12-30T20:00:00-02:00"`: true,
		`meta.lastModified eq "2026-11-01T09:00:00Z"`: true,
		// Case rules.
		`badge eq "ab-7"`: false, `badge eq "aB-7"`: true, `badge co "b"`: false, `badge sw "aB"`: true,
		`TITLE EQ "night assistant"`: true, `Title Pr AND NOT (userName pr)`: false,
		// Precedence: not, and, or.
		`title pr or title pr and nothing pr`: true, `(title pr or title pr) and nothing pr`: false,
		`not (title pr) or title pr`: true, `nothing pr and title pr or title pr`: true,
		// Sub-attributes, value paths, schema prefixes.
		`addresses.locality eq "summit"`: true, `name.familyName eq "okonjo"`: true,
		`workMail.type eq "home"`: true, `workMail eq "ilse@home.example"`: true, `emails.value sw "night"`: true,
		`workMail[type eq "work" and value ew "@cindervale.example"]`:                   true,
		`workMail[type eq "home" and value ew "@cindervale.example"]`:                   false,
		`workMail[type eq "home"].value sw "ilse@home"`:                                 true,
		`workMail[type eq "work" or type eq "x"].value sw "ilse@home"`:                  false,
		`emails[value sw "ilse"]`:                                                       true,
		`workMail[not (type eq "work")] and title pr`:                                   true,
		`urn:ietf:params:scim:schemas:core:2.0:User:title sw "night"`:                   true,
		`urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:department pr`:      true,
		`urn:x:y:cafeteria eq "EAST"`:                                                   true,
		`title eq "Night\u0020assistant"`:                                               true,
		`(((title pr)))`:                                                                true,
		`userName eq "ilse.okonjo" and (title co "dome" or not (department eq "Data"))`: true,
	} {
		f, err := filter.Parse(written)
		require.NoError(t, err, written)
		assert.Equal(t, want, f.Match(ilse), written)
		again, err := filter.Parse(f.String())
		require.NoError(t, err, f.String())
		assert.Equal(t, f.String(), again.String())
		assert.Equal(t, want, again.Match(ilse), "printed: %s", f)
	}
}

func TestErrorsNameTheColumn(t *testing.T) {
	for written, want := range map[string]string{
		``:         "column 1: the filter ends where an attribute is due",
		`title`:    "column 6: an operator is due after title",
		`title eq`: "column 9: the filter ends where a value is due",
		strings.Repeat("title pr or ", 6000) + "title pr": "column 1: a filter has at most 65536 bytes; this one has 72008",
		`title eq "x`:           "column 10: the text opened here is not closed",
		`title is "x"`:          `column 7: "is" is not an operator`,
		`title equals "x"`:      `column 7: "equals" is not an operator`,
		`title eq x`:            `column 10: "x" is not a value; text is written in double quotes`,
		`title eq 007`:          `column 10: "007" is not a value`,
		`active gt true`:        "column 8: gt cannot be used with true",
		`title co null`:         "column 7: co cannot be used with null",
		`(title pr`:             "column 10: the parenthesis opened at column 1 is not closed",
		`title pr)`:             `column 9: ")" is left over`,
		`title pr title pr`:     `column 10: "title" is left over`,
		`not title pr`:          "column 1: not must be followed by a condition in parentheses",
		`é pr`:                  "column 1: an attribute is due here, not 'é'",
		`title eq "é" and ü pr`: "column 18: an attribute is due here",
		`emails[type eq "work"`: "column 22: the bracket opened at column 7 is not closed",
		`a[b[c pr]]`:            "column 4: a value filter cannot be inside another",
		`emails.type[value pr]`: "column 12: a value filter follows an attribute",
		`a.b.c pr`:              `column 1: "a.b.c" is not an attribute name`,
		`1title pr`:             `column 1: "1title" is not an attribute name`,
		`title eq "\x"`:         `is not a JSON string`,
		`title eq 1e999`:        "column 10: the number 1e999 is too large",
		nested(200):             "nested more than 100 deep",
		`title pr and`:          "column 13: the filter ends where an attribute is due",
		`emails[type eq "w"].`:  "column 21: the filter ends where an attribute is due",
	} {
		_, err := filter.Parse(written)
		require.ErrorContains(t, err, want, written)
		var syntax *filter.SyntaxError
		assert.True(t, errors.As(err, &syntax))
	}
}

func nested(n int) string {
	s := "a pr"
	for range n {
		s = "(" + s + ")"
	}
	return s
}

func TestAttributes(t *testing.T) {
	f, err := filter.Parse(`title pr and emails[type eq "wörk"] or not (name.familyName eq "日") and x pr`)
	require.NoError(t, err)
	var got []string
	for a := range f.Attributes() {
		got = append(got, fmt.Sprintf("%s@%d", a.Name, a.Column))
	}
	assert.Equal(t, []string{"title@1", "emails@14", "emails.type@21", "name.familyName@45", "x@73"}, got)
}

// expression draws a filter with the value that a plain evaluation gives it.
func expression(depth int) *rapid.Generator[pair] {
	return rapid.Custom(func(t *rapid.T) pair {
		kind := rapid.IntRange(0, 3).Draw(t, "kind")
		if depth == 0 || kind == 0 {
			attribute := rapid.SampledFrom([]string{"title", "nothing"}).Draw(t, "attribute")
			value := rapid.SampledFrom([]string{"Night assistant", "night assistant", "x"}).Draw(t, "value")
			same := attribute == "title" && name.Fold(value) == name.Fold("Night assistant")
			if rapid.Bool().Draw(t, "negative") {
				return pair{fmt.Sprintf("%s ne %q", attribute, value), !same}
			}
			return pair{fmt.Sprintf("%s eq %q", attribute, value), same}
		}
		a := expression(depth-1).Draw(t, "left")
		if kind == 1 {
			return pair{"not (" + a.written + ")", !a.holds}
		}
		b := expression(depth-1).Draw(t, "right")
		if kind == 2 {
			return pair{"(" + a.written + ") and (" + b.written + ")", a.holds && b.holds}
		}
		return pair{"(" + a.written + ") or (" + b.written + ")", a.holds || b.holds}
	})
}

type pair struct {
	written string
	holds   bool
}

func TestPrintingKeepsTheMeaning(t *testing.T) {
	rapid.Check(t, func(t *rapid.T) {
		e := expression(4).Draw(t, "filter")
		f, err := filter.Parse(e.written)
		if err != nil {
			t.Fatal(err)
		}
		printed, err := filter.Parse(f.String())
		if err != nil {
			t.Fatalf("%s: %v", f, err)
		}
		if f.Match(ilse) != e.holds || printed.Match(ilse) != e.holds {
			t.Fatalf("%s is %v, printed as %s", e.written, f.Match(ilse), f)
		}
	})
}

func FuzzParse(f *testing.F) {
	for _, seed := range []string{`title eq "x" and not (a[b co "c"] or d pr)`, `urn:a:b ge -1.5e3`, `a eq "\u00e9"`, `((`, `a eq null`} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, written string) {
		parsed, err := filter.Parse(written)
		if err != nil {
			return
		}
		again, err := filter.Parse(parsed.String())
		if err != nil || again.String() != parsed.String() || again.Match(ilse) != parsed.Match(ilse) {
			t.Fatalf("%q prints as %q, which gives %v %v", written, parsed, again, err)
		}
	})
}

func ExampleParse() {
	_, err := filter.Parse(`title eq "Archivist" and activ`)
	fmt.Println(err)
	// Output: column 31: an operator is due after activ: one of eq ne co sw ew pr gt ge lt le
}
