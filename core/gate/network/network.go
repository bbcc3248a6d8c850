// Package network is the gate type of admission to VPN, Wi-Fi and wired networks
// (docs/model.md section 5.4).
package network

import (
	"fmt"
	"net/netip"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "network",
	Doc:  "Admission to VPN, Wi-Fi and wired networks.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Sources  []name.Ref            `yaml:"sources" doc:"The directories whose users are known here. Missing: all."`
	Override *Override             `yaml:"override" doc:"An attribute that decides before any policy."`
	Tags     *Tags                 `yaml:"tags" doc:"Tags that users get."`
	Policies []Policy              `yaml:"policies,required" doc:"Who is admitted, in order: the first that matches decides."`
	ACLs     map[string][]ACLEntry `yaml:"acls" doc:"Named address lists."`
}

// Override names an attribute with the values always and never.
type Override struct {
	Attribute string `yaml:"attribute,required" doc:"always: admitted; never: refused; anything else: by the policies."`
}

// Match says how many tag rules count.
type Match string

// Values lists the ways; the first is the default.
func (Match) Values() []string { return []string{"all", "first"} }

// Tags are the rules by which users get tags.
type Tags struct {
	Match   Match     `yaml:"match" doc:"all rules that match (unless said), or the first."`
	Default string    `yaml:"default" doc:"The tag of users whom no rule matches."`
	Rules   []TagRule `yaml:"rules" doc:"Who gets which tag, in order."`
}

// TagRule gives a tag.
type TagRule struct {
	Place    place.Place `yaml:"-"`
	Tag      string      `yaml:"tag,required" doc:"The tag."`
	gate.Who `yaml:",inline"`
}

// Verdict says what a policy does.
type Verdict string

// Values lists the verdicts.
func (Verdict) Values() []string { return []string{"admit", "refuse"} }

// Policy admits or refuses.
type Policy struct {
	Place    place.Place `yaml:"-"`
	Name     string      `yaml:"name,required" doc:"The name of the policy."`
	gate.Who `yaml:",inline"`
	Tags     []name.Ref      `yaml:"tags" doc:"Those with any of these tags. With groups, users or everyone as well, both must hold."`
	When     *situation.When `yaml:"when" doc:"In which situations; access says to which networks."`
	Verdict  Verdict         `yaml:"verdict,required" doc:"admit or refuse."`
	Reply    *Reply          `yaml:"reply" doc:"What the answer carries."`
}

// Reply is what an admission carries.
type Reply struct {
	Class          string   `yaml:"class" doc:"A name for the kind of session."`
	ACL            name.Ref `yaml:"acl" doc:"The address list that holds for it."`
	VLAN           *int     `yaml:"vlan" doc:"Number of the network, 1 to 4094 (IEEE 802.1Q)."`
	SessionTimeout string   `yaml:"session_timeout" doc:"How long it lasts, such as 8h."`
	IdleTimeout    string   `yaml:"idle_timeout" doc:"How long it may be idle, such as 15m."`
	Message        string   `yaml:"message" doc:"The message for the user."`
}

// ACLEntry is one line of an address list: permit or refuse, a protocol, and two
// addresses, prefixes or "any".
type ACLEntry struct {
	Text   string
	Permit bool
	Proto  string
	From   netip.Prefix // the zero Prefix is any
	To     netip.Prefix
}

// UnmarshalText reads permit|refuse PROTO FROM TO.
func (a *ACLEntry) UnmarshalText(text []byte) error {
	words := strings.Fields(string(text))
	if len(words) != 4 || words[0] != "permit" && words[0] != "refuse" {
		return fmt.Errorf("%q is not a line of an address list: it is written permit|refuse PROTO FROM TO", text)
	}
	a.Text, a.Permit, a.Proto = strings.Join(words, " "), words[0] == "permit", words[1]
	if !slices.Contains([]string{"ip", "tcp", "udp", "icmp"}, a.Proto) {
		return fmt.Errorf("%q: the protocol is one of ip, tcp, udp, icmp, not %q", text, a.Proto)
	}
	for i, into := range []*netip.Prefix{&a.From, &a.To} {
		if words[2+i] == "any" {
			continue
		}
		p, err := netip.ParsePrefix(words[2+i])
		if err != nil {
			single, err := netip.ParseAddr(words[2+i])
			if err != nil || single.Zone() != "" {
				return fmt.Errorf("%q: %q is neither an address, a prefix nor any", text, words[2+i])
			}
			p = netip.PrefixFrom(single, single.BitLen())
		}
		*into = p
	}
	return nil
}

// MarshalText gives back the line.
func (a ACLEntry) MarshalText() ([]byte, error) { return []byte(a.Text), nil }
