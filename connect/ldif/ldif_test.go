package ldif_test

import (
	"strings"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/ldif"
	"gatemap/core/place"
)

func read(content string) ([]connect.Entry, error) {
	var errs place.Errors
	var entries []connect.Entry
	ldif.Read(strings.NewReader(content), "people.ldif", &errs, func(e *connect.Entry) { entries = append(entries, *e) })
	return entries, errs.Err()
}

func values(e *connect.Entry, description string) []string {
	var list []string
	for _, v := range e.Values(description) {
		list = append(list, v.Value)
	}
	return list
}

func TestRead(t *testing.T) {
	entries, err := read(
		"version: 1\r\n# a comment\n  that goes on\n\ndn: uid=ilse,ou=people,dc=cinder\n vale,dc=example\nuid: ilse\ncn: Ilse\n  Okonjo\nCN;lang-es: Ilsa\ndescription:: w7hyZQ==\nempty:\ntitle:Night\nmail: a@x\nMAIL: b@x\n\n\n# between\ndn:: dWlkPXRlbw==\nuid: teo\n",
	)
	require.NoError(t, err)
	require.Len(t, entries, 2)
	e := &entries[0]
	assert.Equal(t, "uid=ilse,ou=people,dc=cindervale,dc=example", e.DN)
	assert.Equal(t, "people.ldif:5", e.Place.String())
	assert.Equal(t, []string{"Ilse Okonjo", "Ilsa"}, values(e, "cn"), "plain values stand before those with options")
	assert.Equal(t, []string{"Ilsa"}, values(e, "cn;LANG-ES"))
	assert.Equal(t, []string{"øre"}, values(e, "description"))
	assert.Equal(t, []string{""}, values(e, "empty"))
	assert.Equal(t, []string{"Night"}, values(e, "title"))
	assert.Equal(t, []string{"a@x", "b@x"}, values(e, "mail"))
	assert.EqualValues(t, 14, e.Values("mail")[0].Place.Line)
	assert.Equal(t, "uid=teo", entries[1].DN)
}

func TestReadRefuses(t *testing.T) {
	for _, c := range []struct{ name, content, want string }{
		{"cut in a value", "dn: uid=a\nuid: il", "people.ldif:2: the file ends in the middle of a line"},
		{"cut after a dn", "dn: uid=a\nuid: a\n\ndn: uid=b\n", `people.ldif:4: entry "uid=b" has no attributes: the file is cut short`},
		{"cut in base64", "dn: uid=a\ncn:: SWxzZSBP\n a29u\n\nuid: x\n", "people.ldif:5: an entry begins with dn, not with uid"},
		{"wrong base64", "dn: uid=a\nuid: a\ncn:: SWxz*\n", "people.ldif:3: the value of cn is not base64"},
		{"base64 of the wrong length", "dn: uid=a\ncn:: SWxzZ\n", "people.ldif:2: the value of cn is not base64"},
		{"no colon", "dn: uid=a\nuid a\n", `people.ldif:2: "uid a" has no colon`},
		{"a bad name", "dn: uid=a\nu id: a\n", `people.ldif:2: "u id" is not the name of an attribute`},
		{"an empty option", "dn: uid=a\ncn;: a\n", "is not the name of an attribute"},
		{"a URL", "dn: uid=a\ncn:< file:///etc/hosts\n", "people.ldif:2: cn takes its value from a URL, which is not followed"},
		{"other bytes", "dn: uid=a\ncn: \xff\n", "people.ldif:2: the value of cn is not text in UTF-8"},
		{"changes", "dn: uid=a\nchangetype: add\nuid: a\n", "people.ldif:2: this is a file of changes"},
		{"a separator of changes", "dn: uid=a\nuid: a\n-\n", "people.ldif:3: this is a file of changes"},
		{"another version", "version: 2\n", `people.ldif:1: version "2" of the format is not known`},
		{"a stray continuation", "\n uid: a\n", "people.ldif:2: a continuation line without a line before it"},
		{"no empty line", "dn: uid=a\nuid: a\ndn: uid=b\nuid: b\n", "people.ldif:3: a second dn in one entry"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := read(c.content)
			assert.ErrorContains(t, err, c.want)
		})
	}
}

// What is read has attributes, and does not depend on where lines are folded.
func FuzzRead(f *testing.F) {
	for _, seed := range []string{"dn: uid=a\nuid: a\n", "version: 1\n\ndn:: dWlkPWE=\ncn;x:\n  a\n b\n\n", "#\n\n", "dn: a=b\n-", "\n \n"} {
		f.Add(seed)
	}
	f.Fuzz(func(t *testing.T, content string) {
		entries, err := read(content)
		for _, e := range entries {
			if len(e.Attributes) == 0 {
				t.Fatalf("an entry without attributes: %q", e.DN)
			}
		}
		if err != nil {
			return
		}
		// Folding every line after its first 20 bytes changes nothing.
		again, err := read(refold(content))
		if err != nil || len(again) != len(entries) {
			t.Fatalf("refolded: %v, %d entries of %d", err, len(again), len(entries))
		}
		for i := range entries {
			if entries[i].DN != again[i].DN || len(entries[i].Attributes) != len(again[i].Attributes) {
				t.Fatalf("refolded entry %d differs: %q %q", i, entries[i].DN, again[i].DN)
			}
		}
	})
}

func refold(content string) string {
	var b strings.Builder
	for _, line := range strings.SplitAfter(content, "\n") {
		body := strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r")
		for len(body) > 20 {
			b.WriteString(body[:20] + "\n ")
			body = body[20:]
		}
		b.WriteString(body + line[len(strings.TrimSuffix(strings.TrimSuffix(line, "\n"), "\r")):])
	}
	return b.String()
}
