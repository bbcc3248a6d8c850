// Package firewall is the gate type of ordered rules over addresses and services
// (docs/model.md section 5.3). Questions about zones, ranges and services of
// several parts are answered exactly, by cutting them where rules begin and end.
package firewall

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Type is this gate type.
var Type = gate.Type{
	Name: "firewall",
	Doc:  "Ordered rules over addresses and services.",
	New:  func() gate.Document { return &Document{} },
}

// Document is what a system of this type says besides the common keys.
type Document struct {
	Zones    map[string][]situation.Range `yaml:"zones" doc:"Named ranges of addresses."`
	Services map[string][]Service         `yaml:"services" doc:"Named services."`
	Rules    []Rule                       `yaml:"rules,required" doc:"What is permitted and refused, in order: the first that matches decides."`
	Default  Action                       `yaml:"default" doc:"What holds at the end of the list: refuse, unless said."`
}

// Action says what a rule does.
type Action string

// Values lists the actions.
func (Action) Values() []string { return []string{"permit", "refuse"} }

// Rule permits or refuses traffic. Without a who it is for all traffic.
type Rule struct {
	Place    place.Place `yaml:"-"`
	Name     string      `yaml:"name,required" doc:"The name of the rule."`
	Action   Action      `yaml:"action,required" doc:"permit or refuse."`
	gate.Who `yaml:",inline"`
	From     []name.Ref      `yaml:"from" doc:"Zones, named networks, addresses or prefixes. Missing: anywhere."`
	To       []name.Ref      `yaml:"to" doc:"Zones, named networks, addresses or prefixes. Missing: anywhere."`
	Services []name.Ref      `yaml:"services" doc:"Named services, or tcp/443. Missing: any."`
	When     *situation.When `yaml:"when" doc:"In which situations."`
}

// Service is a protocol with a range of ports, or of types for icmp.
type Service struct {
	Text  string
	Proto string // empty: any protocol
	Low   int
	High  int
}

// The numbers of a protocol's ports or types. Protocols without any have one
// number, 0.
const (
	maxPort = 65535
	maxType = 255
)

var ported = []string{"tcp", "udp", "sctp"}

// icmpTypes are the message types that go by a name, by their IPv4 number
// (RFC 792); their IPv6 counterparts (RFC 4443) go by the same names.
var icmpTypes = map[string]int{
	"echo-reply": 0, "destination-unreachable": 3, "redirect": 5, "echo-request": 8,
	"time-exceeded": 11, "parameter-problem": 12, "timestamp-request": 13, "timestamp-reply": 14,
}

func last(proto string) int {
	switch {
	case slices.Contains(ported, proto):
		return maxPort
	case proto == "icmp":
		return maxType
	}
	return 0
}

// UnmarshalText reads any, PROTO, PROTO/PORT, PROTO/PORT-PORT or icmp/TYPE.
func (s *Service) UnmarshalText(text []byte) error {
	written := string(text)
	proto, part, has := strings.Cut(written, "/")
	*s = Service{Text: written, Proto: proto, High: last(proto)}
	switch {
	case written == "any":
		s.Proto, s.High = "", maxPort
		return nil
	case !isWord(proto):
		return fmt.Errorf(
			"%q is not a service: it is written tcp/443, udp/1000-2000, icmp/echo-request, icmp or any",
			written,
		)
	case !has:
		return nil
	case s.High == 0:
		return fmt.Errorf("%q: the protocol %s has no ports", written, proto)
	}
	if n, named := icmpTypes[part]; named && proto == "icmp" {
		s.Low, s.High = n, n
		return nil
	}
	low, high, ranged := strings.Cut(part, "-")
	if !ranged {
		high = low
	}
	from, err1 := strconv.ParseUint(low, 10, 16)
	to, err2 := strconv.ParseUint(high, 10, 16)
	if err1 != nil || err2 != nil || from > to || int(to) > s.High {
		return fmt.Errorf("%q: %q is not a number or a range of numbers from 0 to %d", written, part, s.High)
	}
	s.Low, s.High = int(from), int(to)
	return nil
}

func isWord(s string) bool {
	for _, c := range []byte(s) {
		if (c < 'a' || c > 'z') && (c < '0' || c > '9') && c != '-' {
			return false
		}
	}
	return s != ""
}

// MarshalText gives back the service as written.
func (s Service) MarshalText() ([]byte, error) { return []byte(s.Text), nil }

// holds says whether one number of a protocol belongs to the service.
func (s Service) holds(proto string, n int) bool {
	return s.Proto == "" || s.Proto == proto && s.Low <= n && n <= s.High
}

// String writes the service in its shortest form.
func (s Service) String() string {
	switch {
	case s.Proto == "":
		return "any"
	case s.Low == 0 && s.High == last(s.Proto):
		return s.Proto
	case s.Low == s.High:
		for n, i := range icmpTypes {
			if s.Proto == "icmp" && i == s.Low {
				return "icmp/" + n
			}
		}
		return fmt.Sprintf("%s/%d", s.Proto, s.Low)
	}
	return fmt.Sprintf("%s/%d-%d", s.Proto, s.Low, s.High)
}
