// Package filter reads, prints and matches the filter language of RFC 7644
// §3.4.2.2. It knows nothing of directories: what is matched is a Record.
package filter

import (
	"iter"
	"strings"

	"gatemap/core/name"
)

// Kind says what a Value is.
type Kind uint8

// The kinds of values; Text is the zero Kind.
const (
	Text Kind = iota
	Number
	Bool
	Complex
)

// Value is one value of an attribute (RFC 7643 §2.3). All but Complex values
// carry their printed form in Text; a Complex one has its sub-attributes in
// Sub, by folded name.
type Value struct {
	Kind Kind
	Text string
	Sub  map[string][]Value
}

// Record is what a filter is matched against.
type Record interface {
	// Values returns the values of an attribute by its folded name
	// (name.Fold); none where it has no value.
	Values(attribute string) []Value
	// Exact says whether strings of the attribute are compared with regard
	// to case (caseExact in RFC 7643 §2.2).
	Exact(attribute string) bool
}

// Filter is a parsed filter. It is immutable and safe for use by many.
type Filter struct{ root node }

// Match says whether the record is one that the filter describes. An attribute
// without a value fails every comparison but "ne"; "eq null" and "ne null" ask
// whether it has a value (RFC 7643 §2.5).
func (f *Filter) Match(r Record) bool { return f.root.match(r) }

// String prints the filter in one canonical form: parsing it again gives the
// same filter.
func (f *Filter) String() string {
	var b strings.Builder
	f.root.print(&b, 0)
	return b.String()
}

// Attribute is an attribute that a filter names, as written, with the column
// (from 1) at which it first stands.
type Attribute struct {
	Name   string
	Column int
	// AsText is a number in quotes by which gt, ge, lt or le orders texts: as text, in
	// which 10 comes before 9. "" for all others.
	AsText string
}

// Attributes yields each attribute that the filter names, in the order of
// writing. A sub-attribute is written after a dot.
func (f *Filter) Attributes() iter.Seq[Attribute] {
	return func(yield func(Attribute) bool) { f.root.attributes("", yield) }
}

// Reads yields the attributes, by their folded names, that Match asks a record
// for: two records with the same values and case rules of all of them are both
// matched or neither. A name can come more than once.
func (f *Filter) Reads() iter.Seq[string] {
	return func(yield func(string) bool) { f.root.reads(yield) }
}

// Start is something that every record which a filter matches has: a value of
// an attribute that is a text, or has it in it, regardless of case.
type Start struct {
	Attribute string // folded
	Text      string // folded
	Op        string // eq, sw, ew or co: how the value has the text
	Alone     bool   // the filter asks for nothing else
}

// Fits says whether a folded value has the text so.
func (s Start) Fits(folded string) bool {
	switch s.Op {
	case "eq":
		return folded == s.Text
	case "sw":
		return strings.HasPrefix(folded, s.Text)
	case "ew":
		return strings.HasSuffix(folded, s.Text)
	}
	return strings.Contains(folded, s.Text)
}

// Leads says whether all values that fit stand together in the order of folded values:
// from the text on.
func (s Start) Leads() bool { return s.Op == "eq" || s.Op == "sw" }

// narrower says whether fewer values fit, as a rule: those that are the text, then
// those that begin with it.
func (s Start) narrower(than Start) bool {
	return s.Op != than.Op && (s.Op == "eq" || s.Op == "sw" && !than.Leads())
}

// Start gives one such thing, where the filter asks for one; ok is false if
// it does not. The attribute is one without sub-attributes.
func (f *Filter) Start() (start Start, ok bool) { return f.root.start() }

// Path is an attribute path: an attribute and perhaps one of its
// sub-attributes. The schema prefixes of RFC 7643 §8.1 and the enterprise
// extension are left off; any other stays part of the name.
type path struct {
	written   string // as it stood, without a known schema prefix
	attribute string // folded
	sub       string // folded; empty if there is none
	column    int
}

var knownSchemas = []string{
	"urn:ietf:params:scim:schemas:core:2.0:User:",
	"urn:ietf:params:scim:schemas:core:2.0:Group:",
	"urn:ietf:params:scim:schemas:extension:enterprise:2.0:User:",
}

func newPath(written string, column int) path {
	for _, s := range knownSchemas {
		if len(written) > len(s) && strings.EqualFold(written[:len(s)], s) {
			written = written[len(s):]
			break
		}
	}
	p := path{written: written, column: column}
	tail := written[strings.LastIndexByte(written, ':')+1:]
	head, sub, _ := strings.Cut(tail, ".")
	p.attribute = name.Fold(written[:len(written)-len(tail)] + head)
	p.sub = name.Fold(sub)
	return p
}

// exactName is the folded name under which the attribute's case rule is kept.
func (p path) exactName() string {
	if p.sub == "" {
		return p.attribute
	}
	return p.attribute + "." + p.sub
}

// values collects what the path leads to. Sources may keep a sub-attribute as
// an attribute of its own with a dot in its name, or inside complex values;
// the default sub-attribute of a complex value is "value" (RFC 7643 §2.4).
func (p path) values(r Record, visit func(Value) bool) {
	if p.sub != "" {
		for _, v := range r.Values(p.attribute + "." + p.sub) {
			if v.has() && !visit(v) {
				return
			}
		}
	}
	for _, v := range r.Values(p.attribute) {
		switch {
		case v.Kind == Complex:
			for _, s := range v.Sub[p.subOrValue()] {
				if s.has() && !visit(s) {
					return
				}
			}
		case p.sub == "" || p.sub == "VALUE":
			if v.has() && !visit(v) {
				return
			}
		}
	}
}

func (p path) subOrValue() string {
	if p.sub == "" {
		return "VALUE"
	}
	return p.sub
}

// has says whether the value counts as one ("pr" in RFC 7644 table 3): an
// empty string and an empty complex value do not.
func (v Value) has() bool {
	if v.Kind != Complex {
		return v.Text != ""
	}
	for _, sub := range v.Sub {
		for _, s := range sub {
			if s.has() {
				return true
			}
		}
	}
	return false
}

type node interface {
	match(Record) bool
	// print writes the node inside an operator that binds as tightly as
	// outer: 0 or, 1 and, 2 not.
	print(b *strings.Builder, outer int)
	attributes(prefix string, yield func(Attribute) bool) bool
	reads(yield func(string) bool) bool
	start() (Start, bool)
}
