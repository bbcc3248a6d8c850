package ldap

import (
	"encoding/base64"
	"fmt"
	"strings"
	"unicode"

	"gatemap/connect"
	"gatemap/core/name"
)

// Text is a modification as a change record (RFC 2849).
func (w *writing) Text(m *connect.Modification) string {
	var b strings.Builder
	ldif(&b, "dn", m.At)
	switch {
	case m.Gone:
		b.WriteString("changetype: delete\n")
		return b.String()
	case m.Entry != nil:
		b.WriteString("changetype: add\n")
		for _, c := range m.Entry {
			for _, v := range c.Add {
				ldif(&b, c.Attribute, v)
			}
		}
		return b.String()
	case m.Below != "":
		own, _ := name.CutDN(m.At)
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
