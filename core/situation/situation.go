// Package situation holds what may be known about one attempt to get in (when,
// from where, on which device, how strongly signed in) and the three-valued
// conditions over it (docs/model.md sections 2 and 4). It reads no clock.
package situation

import (
	"encoding/json"
	"fmt"
	"net/netip"
	"slices"
	"strings"
	"time"

	"gatemap/core/name"
)

// Situation is what is known of one attempt. The zero value knows nothing;
// every fact that is left out is unknown, never a yes or a no.
type Situation struct {
	From       netip.Addr  // source address
	At         time.Time   // point in time
	Device     *Properties // nil: unknown; given, what it does not list is false
	DeviceName string      // a device of a directory
	Strength   Strength    // of the sign-in; empty: unknown
	Access     Access
	Client     Client
	Risk       Risk
	Via        Via
}

// Properties are the properties that a device is known to have.
type Properties struct{ Managed, Compliant bool }

// The facts with a fixed set of values. The empty string is unknown.
type (
	Strength string // authenticator assurance level, NIST SP 800-63B section 4
	Access   string
	Client   string
	Risk     string
	Via      string
	Property string
)

func (Strength) Values() []string { return []string{"aal1", "aal2", "aal3"} }
func (Access) Values() []string   { return []string{"vpn", "wifi", "wired"} }
func (Client) Values() []string   { return []string{"browser", "native", "legacy"} }
func (Risk) Values() []string     { return []string{"low", "medium", "high"} }
func (Via) Values() []string      { return []string{"share", "local"} }
func (Property) Values() []string { return []string{"managed", "compliant"} }

// level orders strengths; unknown is 0.
func (s Strength) level() int { return slices.Index(s.Values(), string(s)) + 1 }

// Fields are the facts of a situation as text, by the names that the command
// line, the API and the map use.
var Fields = []string{"from", "at", "device", "device_name", "strength", "access", "client", "risk", "via"}

// FieldError says which fact could not be read.
type FieldError struct {
	Field, Value, Problem string
}

func (e *FieldError) Error() string { return fmt.Sprintf("%s %q: %s", e.Field, e.Value, e.Problem) }

// Parse reads a situation from its facts as text, by field name. Empty and
// missing facts are unknown. An address may be IPv4 or IPv6, a time is RFC
// 3339, device is "none" or a list of managed and compliant.
func Parse(fact func(field string) string) (Situation, error) {
	var s Situation
	for _, field := range Fields {
		value := strings.TrimSpace(fact(field))
		if value == "" {
			continue
		}
		if problem := s.set(field, value); problem != "" {
			return Situation{}, &FieldError{field, value, problem}
		}
	}
	return s, nil
}

func (s *Situation) set(field, value string) (problem string) {
	switch field {
	case "from":
		a, err := netip.ParseAddr(value)
		if err != nil {
			return "not an IPv4 or IPv6 address, such as 198.51.100.9"
		}
		s.From = a.Unmap().WithZone("")
	case "at":
		t, err := time.Parse(time.RFC3339, value)
		if err != nil {
			return "not a time as RFC 3339 has it, such as 2026-11-23T22:00:00Z"
		}
		s.At = t
	case "device":
		return s.setDevice(value)
	case "device_name":
		s.DeviceName = value
	case "strength":
		return choose(&s.Strength, value)
	case "access":
		return choose(&s.Access, value)
	case "client":
		return choose(&s.Client, value)
	case "risk":
		return choose(&s.Risk, value)
	case "via":
		return choose(&s.Via, value)
	}
	return ""
}

func (s *Situation) setDevice(value string) (problem string) {
	s.Device = &Properties{}
	if value == "none" {
		return ""
	}
	for _, part := range strings.Split(value, ",") {
		var p Property
		if problem := choose(&p, strings.TrimSpace(part)); problem != "" {
			return problem + ", or only none"
		}
		s.Device.Managed = s.Device.Managed || p == "managed"
		s.Device.Compliant = s.Device.Compliant || p == "compliant"
	}
	return ""
}

func choose[T interface {
	~string
	Values() []string
}](into *T, value string) (problem string) {
	values := T("").Values()
	if !slices.Contains(values, value) {
		return "one of " + strings.Join(values, ", ") + name.DidYouMean(name.Near(value, slices.Values(values)))
	}
	*into = T(value)
	return ""
}

// Facts returns the facts that are given, as text, by field name.
func (s Situation) Facts() map[string]string {
	facts := map[string]string{}
	put := func(field, value string) {
		if value != "" {
			facts[field] = value
		}
	}
	if s.From.IsValid() {
		put("from", s.From.String())
	}
	if !s.At.IsZero() {
		put("at", s.At.Format(time.RFC3339))
	}
	if s.Device != nil {
		var have []string
		if s.Device.Managed {
			have = append(have, "managed")
		}
		if s.Device.Compliant {
			have = append(have, "compliant")
		}
		if have == nil {
			have = []string{"none"}
		}
		put("device", strings.Join(have, ","))
	}
	put("device_name", s.DeviceName)
	put("strength", string(s.Strength))
	put("access", string(s.Access))
	put("client", string(s.Client))
	put("risk", string(s.Risk))
	put("via", string(s.Via))
	return facts
}

// MarshalJSON writes the facts that are given.
func (s Situation) MarshalJSON() ([]byte, error) { return json.Marshal(s.Facts()) }

// UnmarshalJSON reads what MarshalJSON wrote.
func (s *Situation) UnmarshalJSON(data []byte) error {
	var facts map[string]string
	if err := json.Unmarshal(data, &facts); err != nil {
		return err
	}
	read, err := Parse(func(field string) string { return facts[field] })
	*s = read
	return err
}
