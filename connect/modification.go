package connect

import (
	"encoding/base64"
	"fmt"
	"strings"
	"unicode"

	"gatemap/core/name"
)

// Modification is how one entry of a directory is modified, made or moved (RFC 4511 sections 4.6, 4.7
// and 4.9).
type Modification struct {
	DN      string        `json:"dn"`
	Changes []ValueChange `json:"changes,omitempty"`
	// Entry are the values of an entry that is made.
	Entry []ValueChange `json:"entry,omitempty"`
	// Below is what the entry is moved below.
	Below string `json:"below,omitempty"`
	// GetsPassword says that an entry gets a first password once it is made, and Password is that; it is
	// kept nowhere.
	GetsPassword bool   `json:"-"`
	Password     string `json:"-"`
	// Version is what the server said of the version that was looked at; "": nothing.
	Version string `json:"version,omitempty"`
}

// ValueChange is what becomes of the values of one attribute.
type ValueChange struct {
	Attribute string   `json:"attribute"`
	Delete    []string `json:"delete,omitempty"`
	Add       []string `json:"add,omitempty"`
}

// Empty says that nothing is to be done.
func (m *Modification) Empty() bool { return len(m.Changes)+len(m.Entry) == 0 && m.Below == "" }

// LDIF is the modification as a change record (RFC 2849).
func (m *Modification) LDIF() string {
	var b strings.Builder
	ldif(&b, "dn", m.DN)
	switch {
	case m.Entry != nil:
		b.WriteString("changetype: add\n")
		for _, c := range m.Entry {
			for _, v := range c.Add {
				ldif(&b, c.Attribute, v)
			}
		}
		return b.String()
	case m.Below != "":
		own, _ := name.CutDN(m.DN)
		b.WriteString("changetype: modrdn\n")
		ldif(&b, "newrdn", own)
		b.WriteString("deleteoldrdn: 1\n")
		ldif(&b, "newsuperior", m.Below)
		return b.String()
	}
	b.WriteString("changetype: modify\n")
	for _, c := range m.Changes {
		for _, part := range []struct {
			what   string
			values []string
		}{{"delete", c.Delete}, {"add", c.Add}} {
			if len(part.values) == 0 {
				continue
			}
			fmt.Fprintf(&b, "%s: %s\n", part.what, c.Attribute)
			for _, v := range part.values {
				ldif(&b, c.Attribute, v)
			}
			b.WriteString("-\n")
		}
	}
	return b.String()
}

// ldif writes one line; a value that is no SAFE-STRING of RFC 2849 is written in base64.
func ldif(b *strings.Builder, key, value string) {
	safe := value == "" || !strings.ContainsRune(" :<", rune(value[0])) && !strings.HasSuffix(value, " ")
	for _, r := range value {
		safe = safe && r != 0 && r != '\n' && r != '\r' && r <= unicode.MaxASCII
	}
	if safe {
		fmt.Fprintf(b, "%s: %s\n", key, value)
		return
	}
	fmt.Fprintf(b, "%s:: %s\n", key, base64.StdEncoding.EncodeToString([]byte(value)))
}
