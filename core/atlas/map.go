// Package atlas compiles a whole map once into an immutable atlas, and answers
// from it: what a user holds, why, why not, and who holds what. An atlas is
// never changed; a changed map is compiled into a new one.
package atlas

import (
	"fmt"
	"net/netip"
	"time"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Map is everything that is known, as it was written or brought in.
type Map struct {
	Title       string
	Zone        *time.Location // nil: UTC
	Networks    []situation.Network
	Windows     []situation.Window
	Directories []*directory.Document
	Systems     []*gate.System
}

// Range is a set of neighbouring addresses: a prefix, or one address.
type Range struct{ netip.Prefix }

// UnmarshalText reads an address or a prefix (RFC 4632, RFC 4291).
func (r *Range) UnmarshalText(text []byte) error {
	p, err := netip.ParsePrefix(string(text))
	if err != nil {
		a, err := netip.ParseAddr(string(text))
		if err != nil {
			return fmt.Errorf("%q is not an address or a prefix, such as 198.51.100.0/25", text)
		}
		p = netip.PrefixFrom(a, a.BitLen())
	}
	if p.Masked() != p {
		return fmt.Errorf("%s has bits set behind its length; write %s", p, p.Masked())
	}
	r.Prefix = p
	return nil
}

// Atlas is a compiled map.
type Atlas struct {
	Title   string
	Book    *directory.Book
	Frame   *situation.Frame
	Systems []*System // by name
}

// System is one compiled system.
type System struct {
	Document *gate.System
	Gate     gate.Gate
	Site     *gate.Site // what compiling it brought to light
	front    []front
}

// Name is the name of the system.
func (s *System) Name() string { return s.Document.Name }

// Compile makes an atlas. The error, if any, joins a *place.Error for each
// thing that keeps the map from loading.
func Compile(m *Map) (*Atlas, error) {
	var errs place.Errors
	zone := m.Zone
	if zone == nil {
		zone = time.UTC
	}
	a := &Atlas{
		Title: m.Title,
		Frame: &situation.Frame{Zone: zone, Networks: m.Networks, Windows: m.Windows},
		Book:  directory.Build(m.Directories, &errs),
	}
	for _, s := range sorted(m.Systems, &errs) {
		a.Systems = append(a.Systems, a.compile(s, &errs))
	}
	if err := errs.Err(); err != nil {
		return nil, err
	}
	return a, nil
}

func (a *Atlas) compile(d *gate.System, errs *place.Errors) *System {
	site := &gate.Site{System: d, Book: a.Book, Frame: a.Frame, Errors: errs}
	head := site.Line("directory", d.Place)
	if d.Directory.Name != "" && !a.hasDirectory(d.Directory.Name) {
		site.Missing("directory", d.Directory, name.Near(d.Directory.Name, a.DirectoryNames), head)
	}
	s := &System{Document: d, Site: site, Gate: d.Gate.Compile(site)}
	for i := range d.Behind {
		s.front = append(s.front, compileFront(site, &d.Behind[i], fmt.Sprintf("behind %d", i+1)))
	}
	return s
}

// front is one compiled thing in front of a system.
type front struct {
	line      gate.Line
	condition situation.Condition
	any       []front
	broken    bool // a name in it leads to nothing, so nothing gets through
}

func compileFront(s *gate.Site, d *gate.Front, label string) front {
	f := front{line: s.Line(label, d.Place)}
	if (d.When == nil) == (d.Any == nil) {
		s.Errors.Addf(d.Place, "what stands in front of a system is one of when and any")
	}
	condition, usable := s.When(d.When, f.line, gate.Giving)
	f.condition, f.broken = condition, !usable
	for j := range d.Any {
		f.any = append(f.any, compileFront(s, &d.Any[j], fmt.Sprintf("%s.%d", label, j+1)))
	}
	return f
}

// verdict is what the front lets through: what it shuts is shut by the gate,
// with its own reason as the detail.
func (f *front) verdict(q *gate.Question) gate.Verdict {
	if f.broken {
		return gate.ShutFor(gate.ByGate, f.line.Name, "a name in its condition leads to nothing")
	}
	if f.any != nil {
		alternatives := make([]gate.Verdict, len(f.any))
		for i := range f.any {
			alternatives[i] = f.any[i].verdict(q)
		}
		return gate.Either(alternatives)
	}
	v := gate.Conditional(&f.condition, q, f.line)
	for i := range v.ShutBy {
		v.ShutBy[i].Reason = gate.ByGate
	}
	return v
}
