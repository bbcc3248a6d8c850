package host

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"path"
	"regexp"
	"strings"
	"time"
)

// sudoers is the policy as cvtsudoers writes it (cvtsudoers(1), JSON).
type sudoers struct {
	Defaults       []defaults
	UserAliases    map[string][]member `json:"User_Aliases"`
	RunasAliases   map[string][]member `json:"Runas_Aliases"`
	HostAliases    map[string][]member `json:"Host_Aliases"`
	CommandAliases map[string][]member `json:"Command_Aliases"`
	Specs          []spec              `json:"User_Specs"`
}

type defaults struct {
	Binding []member
	Options []map[string]any
}

// spec says which users may run what on which hosts.
type spec struct {
	Users    []member  `json:"User_List"`
	Hosts    []member  `json:"Host_List"`
	Commands []command `json:"Cmnd_Specs"`
}

type command struct {
	RunasUsers  []member         `json:"runasusers"`
	RunasGroups []member         `json:"runasgroups"`
	Options     []map[string]any `json:"Options"`
	SELinux     []map[string]any `json:"SELinux_Spec"`
	Commands    []member         `json:"Commands"`
}

// member is one of a list: one of its keys is set.
type member struct {
	Username, Usergroup, Netgroup    string
	UserID, UserGID                  *int
	NonUnixGroup, NonUnixGID         any
	Useralias, Runasalias, Hostalias string
	Cmndalias                        string
	Hostname, Networkaddr            string
	Command                          string
	SHA224, SHA256, SHA384, SHA512   any
	Negated                          bool
}

func (m *member) alias() string { return m.Useralias + m.Runasalias + m.Hostalias + m.Cmndalias }

// bare is an option that cvtsudoers 1.9.13 writes without the braces that JSON wants.
var bare = regexp.MustCompile(
	`(?m)^(\s*)("(?:runcwd|runchroot|role|type|privs|limitprivs|apparmor_profile)": (?:"(?:[^"\\]|\\.)*"|\d+))(,?)$`,
)

func parseSudoers(text string) (*sudoers, error) {
	s := &sudoers{}
	if strings.TrimSpace(text) == "" {
		return s, nil
	}
	if err := json.Unmarshal([]byte(bare.ReplaceAllString(text, "$1{ $2 }$3")), s); err != nil {
		return nil, fmt.Errorf("what cvtsudoers writes cannot be read: %w", err)
	}
	return s, nil
}

// verdict is what a list says of something: the last of it that matches decides.
type verdict uint8

const (
	silent verdict = iota
	yes
	no
)

func (v verdict) negated(n bool) verdict {
	switch {
	case !n || v == silent:
		return v
	case v == yes:
		return no
	}
	return yes
}

func judged(list []member, aliases map[string][]member, matches func(*member) bool) verdict {
	for i := len(list) - 1; i >= 0; i-- {
		m := &list[i]
		v := silent
		if a := m.alias(); a != "" {
			v = judged(aliases[a], aliases, matches)
		} else if matches(m) {
			v = yes
		}
		if v != silent {
			return v.negated(m.Negated)
		}
	}
	return silent
}

// flat is a list without aliases, in its order.
func flat(list []member, aliases map[string][]member) (all []member) {
	for _, m := range list {
		inner := []member{m}
		if a := m.alias(); a != "" {
			inner = flat(aliases[a], aliases)
			for i := range inner {
				inner[i].Negated = inner[i].Negated != m.Negated
			}
		}
		all = append(all, inner...)
	}
	return all
}

// is says whether a member of a list of users means an account.
func (m *member) is(a *account) bool {
	switch {
	case m.Username == "ALL":
		return true
	case m.Username != "":
		return m.Username == a.name
	case m.UserID != nil:
		return *m.UserID == a.uid
	case m.Usergroup != "":
		return a.groups[m.Usergroup]
	}
	return false // groups by number were given their names; netgroups are told
}

// here says whether a member of a list of hosts means this one.
func (h *machine) here(m *member) bool {
	switch {
	case m.Hostname == "ALL":
		return true
	case m.Hostname != "":
		own := h.short
		if strings.Contains(m.Hostname, ".") {
			own = h.full
		}
		if strings.ContainsAny(m.Hostname, "*?[") {
			matches, _ := path.Match(m.Hostname, own)
			return matches
		}
		return strings.EqualFold(m.Hostname, own)
	case m.Networkaddr != "":
		return h.within(m.Networkaddr)
	}
	return false
}

// within says whether the host has an address, or one in a network (sudoers(5), Host_List).
func (h *machine) within(text string) bool {
	network, err := netip.ParsePrefix(text)
	if at, mask, found := strings.Cut(text, "/"); err != nil && found {
		network, err = maskedPrefix(at, mask)
	}
	single, single2 := netip.ParseAddr(text)
	for _, own := range h.addresses {
		switch {
		case err == nil && network.Contains(own.Addr()):
			return true
		case single2 == nil && (own.Addr() == single || own.Masked().Addr() == single):
			return true
		}
	}
	return false
}

// maskedPrefix reads a network with its mask, such as 192.0.2.0/255.255.255.0.
func maskedPrefix(at, mask string) (p netip.Prefix, err error) {
	a, err := netip.ParseAddr(at)
	if err != nil {
		return p, err
	}
	m, err := netip.ParseAddr(mask)
	if err != nil {
		return p, err
	}
	bits := 0
	for _, b := range m.AsSlice() {
		for ; b&0x80 != 0; b <<= 1 {
			bits++
		}
	}
	return a.Prefix(bits)
}

// option is the last value of an option that is set; nil: it is not.
func option(list []map[string]any, key string) (value any) {
	for _, o := range list {
		if v, set := o[key]; set {
			value = v
		}
	}
	return value
}

// inForce says whether a time is within the times of a rule (RFC 4517 section 3.3.13).
func inForce(options []map[string]any, now time.Time) bool {
	at := func(key string) (time.Time, bool) {
		text, _ := option(options, key).(string)
		t, err := time.Parse("20060102150405Z", text)
		return t, err == nil
	}
	if from, set := at("notbefore"); set && now.Before(from) {
		return false
	}
	to, set := at("notafter")
	return !set || !now.After(to)
}
