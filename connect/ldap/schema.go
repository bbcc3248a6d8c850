package ldap

import (
	"regexp"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
)

// Definitions of classes in a schema (RFC 4512 section 4.1.1).
var (
	className  = regexp.MustCompile(`\bNAME\s+(?:'([^']+)'|\(\s*'([^']+)')`)
	hasMembers = regexp.MustCompile(
		`(?i)\b(?:MUST|MAY)\s+(?:\([^)]*\b(?:member|uniqueMember|memberUid)\b[^)]*\)|(?:member|uniqueMember|memberUid)\b)`,
	)
)

// groupClasses are the classes of the server's schema that have members, but the usual ones.
func (p *proposing) groupClasses() (list []string, err error) {
	root, err := p.rootEntry()
	if err != nil || root.GetEqualFoldAttributeValue("subschemaSubentry") == "" {
		return nil, err
	}
	schema, err := p.ldap.Search(
		ldap.NewSearchRequest(
			root.GetEqualFoldAttributeValue("subschemaSubentry"),
			ldap.ScopeBaseObject,
			ldap.NeverDerefAliases,
			1,
			0,
			false,
			"(objectClass=subschema)",
			[]string{"objectClasses"},
			nil,
		),
	)
	if err != nil || len(schema.Entries) != 1 {
		p.tell(
			connect.Step{
				Name:   "schema",
				Warned: true,
				Detail: "the server does not show its schema, so that only usual classes of groups were looked for",
			},
		)
		return nil, nil
	}
	for _, definition := range schema.Entries[0].GetEqualFoldAttributeValues("objectClasses") {
		m := className.FindStringSubmatch(definition)
		if m == nil || !hasMembers.MatchString(definition) {
			continue
		}
		class := m[1] + m[2]
		if !slices.ContainsFunc(usualGroups, func(known string) bool { return strings.EqualFold(known, class) }) {
			list = append(list, class)
		}
	}
	slices.Sort(list)
	return list, nil
}
