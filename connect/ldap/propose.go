package ldap

import (
	"context"
	"fmt"
	"net/url"
	"slices"
	"strings"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// proposing is what a server that nobody described is asked, and what comes of it.
type proposing struct {
	*Conn
	source *directory.Source
	root   string // of its tree
	tell   func(connect.Step)
}

// propose asks a server what it is and how its people and groups are kept, and makes a source of
// that. What it found goes to tell, step by step.
func propose(ctx context.Context, at *url.URL, host connect.Host, tell func(connect.Step)) (*directory.Source, error) {
	d, base, err := addressed(at)
	if err != nil {
		return nil, err
	}
	p := &proposing{
		source: &directory.Source{Connection: directory.Connection{Name: "ldap", Live: true, Document: d}},
		tell:   tell,
	}
	if p.Conn, err = New(p.source, host).Connect(ctx); err != nil {
		return nil, err
	}
	defer p.Close()
	if err := p.server(base); err != nil {
		return nil, err
	}
	if err := p.users(ctx, base); err != nil {
		return nil, err
	}
	return p.source, p.groups(ctx, base)
}

// isController is the capability of a directory of a domain.
const isController = "1.2.840.113556.1.4.800"

// server asks the server what it is, and takes its table and how it is followed from that.
func (p *proposing) server(base string) (err error) {
	of, err := p.rootEntry()
	if err != nil {
		return err
	}
	if p.root = base; base == "" {
		if p.root, err = p.ownBase(); err != nil {
			return fmt.Errorf(
				"%w at the end of its address; it has %s",
				err,
				strings.Join(of.GetEqualFoldAttributeValues("namingContexts"), ", "),
			)
		}
	}
	what := "a directory server"
	p.source.Table.Value, p.source.Follow = "open-schemas", "poll"
	if slices.Contains(of.GetEqualFoldAttributeValues("supportedCapabilities"), isController) {
		what, p.source.Table.Value = "a domain controller", "domain-controller"
	} else if p.Streams() {
		p.source.Follow = "stream"
	}
	p.tell(connect.Step{Name: "server", Detail: fmt.Sprintf("%s, with the tree %s", what, p.root)})
	p.tell(connect.Step{Name: "table", Detail: p.source.Table.Value})
	follows := "it tells changes when it is asked"
	if p.source.Follow == "stream" {
		follows = "it sends changes as they happen (RFC 4533)"
	}
	p.tell(
		connect.Step{
			Name:   "follow",
			Detail: fmt.Sprintf("%s: %s. Once this is in force, what is there comes in by itself", p.source.Follow, follows),
		},
	)
	return nil
}

func (p *proposing) controller() bool { return p.source.Table.Value == "domain-controller" }

// users looks how people are kept: below which entry, and by which attribute they have a name.
func (p *proposing) users(ctx context.Context, base string) error {
	if p.controller() {
		found, err := p.look(ctx, "(&(objectClass=user)(!(objectClass=computer)))", "sAMAccountName")
		if err != nil {
			return err
		}
		p.picks(p.below(base, found, "users", "sAMAccountName", nil))
		return nil
	}
	usual, err := p.look(ctx, "(|(objectClass=inetOrgPerson)(objectClass=posixAccount))", nameAttributes...)
	if err != nil {
		return err
	}
	others, err := p.look(
		ctx,
		"(&(objectClass=person)(!(objectClass=inetOrgPerson))(!(objectClass=posixAccount)))",
		nameAttributes...)
	if err != nil {
		return err
	}
	filter := ""
	if len(usual) == 0 && len(others) > 0 {
		usual, others, filter = others, nil, "(objectClass=person)"
	}
	named, lack := naming(usual)
	pick := p.below(base, usual, "users", named, lack)
	pick.Filter.Value = filter
	if named != nameAttributes[0] {
		pick.Name = named
	}
	p.picks(pick)
	off, err := p.look(ctx, "(pwdAccountLockedTime=000001010000Z)", "uid")
	if err != nil {
		return err
	}
	step := connect.Step{Name: "disabled", Detail: fmt.Sprintf("%d switched off by pwdAccountLockedTime", len(off))}
	if len(off) == 0 && len(usual) > 0 {
		step.Warned, step.Detail = true, "no account is switched off by pwdAccountLockedTime: "+
			"if the server says it otherwise, write so as users: {disabled: (FILTER)}"
	}
	p.tell(step)
	if len(others) > 0 {
		p.tell(connect.Step{Name: "users", Warned: true, Detail: fmt.Sprintf(
			"%d of the class person %s neither inetOrgPerson nor posixAccount, and left out: %s",
			len(others),
			is(len(others)),
			first(others),
		)})
	}
	return nil
}

// picks says of users what the table does not.
func (p *proposing) picks(pick directory.Pick) {
	if len(pick.Base) > 0 || pick.Filter.Value != "" || pick.Name != "" {
		p.source.Users = &directory.UserTable{Pick: pick}
	}
}

// nameAttributes are attributes that a user may have a name by, the usual one first.
var nameAttributes = []string{"uid", "cn", "mail"}

// naming is the attribute by which users have a name: the first that all of them have, each another
// value, else the one that most have. lack are those who have none.
func naming(entries []*ldap.Entry) (named string, lack []*ldap.Entry) {
	best := -1
	for _, attribute := range nameAttributes {
		taken := map[string]bool{}
		var without []*ldap.Entry
		for _, e := range entries {
			key := name.Fold(e.GetEqualFoldAttributeValue(attribute))
			if key == "" || taken[key] {
				without = append(without, e)
			}
			taken[key] = true
		}
		if best < 0 || len(without) < best {
			named, lack, best = attribute, without, len(without)
		}
	}
	return named, lack
}

// below says where entries are, where that is not the whole tree, and tells of them.
func (p *proposing) below(
	base string,
	entries []*ldap.Entry,
	what, named string,
	lack []*ldap.Entry,
) (pick directory.Pick) {
	at := common(entries)
	if at == "" {
		at = p.root
	}
	detail := fmt.Sprintf("%d below %s, named by %s", len(entries), at, named)
	if len(lack) > 0 {
		detail += fmt.Sprintf("; %d without a name of its own there %s rejected: %s", len(lack), is(len(lack)), first(lack))
	}
	p.tell(connect.Step{Name: what, Warned: len(entries) == 0 || len(lack) > 0, Detail: detail})
	if base == "" && sameDN(at, p.root) {
		return pick
	}
	pick.Base = []directory.Base{{Text: place.Text{Value: at}}}
	return pick
}

// usualGroups are the classes that the table knows.
var usualGroups = []string{"groupOfNames", "groupOfUniqueNames", "posixGroup"}

// groups looks where groups are, and by which classes of the server's schema besides the usual ones.
func (p *proposing) groups(ctx context.Context, base string) error {
	classes := []string{"group"}
	if !p.controller() {
		classes = usualGroups
		more, err := p.groupClasses()
		if err != nil {
			return err
		}
		for _, class := range more {
			found, err := p.look(ctx, "(objectClass="+ldap.EscapeFilter(class)+")", "cn")
			if err != nil {
				return err
			}
			if len(found) > 0 {
				classes = append(classes[:len(classes):len(classes)], class)
			}
		}
	}
	filter := "(|(objectClass=" + strings.Join(classes, ")(objectClass=") + "))"
	found, err := p.look(ctx, filter, "cn")
	if err != nil {
		return err
	}
	var lack []*ldap.Entry
	if !p.controller() {
		for _, e := range found {
			if e.GetEqualFoldAttributeValue("cn") == "" {
				lack = append(lack, e)
			}
		}
	}
	pick := p.below(base, found, "groups", "cn", lack)
	if len(classes) > len(usualGroups) {
		pick.Filter.Value = filter
		p.tell(
			connect.Step{
				Name:   "groups",
				Detail: "the class " + strings.Join(classes[len(usualGroups):], ", ") + " of the server's schema has members too",
			},
		)
	}
	if len(pick.Base) > 0 || pick.Filter.Value != "" {
		p.source.Groups = &directory.GroupTable{Pick: pick}
	}
	return nil
}

// look finds entries of the tree, with some attributes.
func (p *proposing) look(ctx context.Context, filter string, attributes ...string) (found []*ldap.Entry, err error) {
	s := search{base: directory.Base{Text: place.Text{Value: p.root}}, filter: filter, attributes: attributes}
	err = p.pages(ctx, s, func(e *ldap.Entry) error {
		found = append(found, e)
		return nil
	}, &connect.Records{})
	return found, err
}
