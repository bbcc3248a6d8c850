package connect

import (
	"encoding/base64"
	"fmt"
	"strings"
	"unicode"
)

// Modification is how one entry of a directory is modified (RFC 4511 section 4.6).
type Modification struct {
	DN      string        `json:"dn"`
	Changes []ValueChange `json:"changes"`
	// Version is what the server said of the version that was looked at; "": nothing.
	Version string `json:"version,omitempty"`
}

// ValueChange is what becomes of the values of one attribute.
type ValueChange struct {
	Attribute string   `json:"attribute"`
	Delete    []string `json:"delete,omitempty"`
	Add       []string `json:"add,omitempty"`
}

// LDIF is the modification as a change record (RFC 2849).
func (m *Modification) LDIF() string {
	var b strings.Builder
	ldif(&b, "dn", m.DN)
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
