package filter

import (
	"bytes"
	"cmp"
	"encoding/json"
	"slices"
	"strconv"
	"strings"
	"time"

	"gatemap/core/name"
)

// literal is the value that a comparison names, with whatever it can be read
// as computed once.
type literal struct {
	kind   Kind
	null   bool
	text   string
	folded string
	number float64
	isNum  bool
	time   time.Time
	isTime bool
}

func newText(s string) literal {
	l := literal{kind: Text, text: s, folded: name.Fold(s)}
	l.number, l.isNum = number(s)
	l.time, l.isTime = instant(s)
	return l
}

func (l literal) print(b *strings.Builder) {
	if l.kind != Text || l.null {
		b.WriteString(l.text)
		return
	}
	var quoted strings.Builder
	enc := json.NewEncoder(&quoted)
	enc.SetEscapeHTML(false)
	_ = enc.Encode(l.text) // a string always encodes
	b.WriteString(strings.TrimSuffix(quoted.String(), "\n"))
}

func number(s string) (float64, bool) {
	if s == "" || strings.ContainsAny(s, "xXpPnNiI_") { // no hex, NaN or Inf
		return 0, false
	}
	n, err := strconv.ParseFloat(s, 64)
	return n, err == nil
}

// instant reads an xsd:dateTime as RFC 7643 §2.3.5 has it.
func instant(s string) (time.Time, bool) {
	if len(s) < len("2006-01-02T15:04:05Z") || s[4] != '-' {
		return time.Time{}, false
	}
	t, err := time.Parse(time.RFC3339Nano, s)
	return t, err == nil
}

// comparison is an attribute, an operator and mostly a value.
type comparison struct {
	path  path
	op    string // lower case
	value literal
}

func (n comparison) print(b *strings.Builder, _ int) {
	b.WriteString(n.path.written)
	b.WriteByte(' ')
	b.WriteString(n.op)
	if n.op != "pr" {
		b.WriteByte(' ')
		n.value.print(b)
	}
}

func (n comparison) attributes(p string, y func(Attribute) bool) bool {
	a := Attribute{Name: p + n.path.written, Column: n.path.column}
	if l := &n.value; l.kind == Text && l.isNum && slices.Contains([]string{"gt", "ge", "lt", "le"}, n.op) {
		a.AsText = l.text
	}
	return y(a)
}

func (n comparison) reads(y func(string) bool) bool {
	return y(n.path.attribute) && (n.path.sub == "" || y(n.path.exactName()))
}

func (n comparison) start() (Start, bool) {
	l := &n.value
	plain := n.op == "sw" || n.op == "ew" || n.op == "co" || n.op == "eq" && !l.isTime && !l.isNum
	if !plain || l.kind != Text || l.null || n.path.sub != "" {
		return Start{}, false
	}
	return Start{n.path.attribute, l.folded, n.op, true}, true
}

func (n comparison) match(r Record) bool {
	exact := r.Exact(n.path.exactName())
	found, any := false, false
	n.path.values(r, func(v Value) bool {
		any = true
		found = n.op == "pr" || n.value.holds(n.op, v, exact)
		return !found
	})
	switch {
	case n.value.null && n.op != "pr":
		return any == (n.op == "ne")
	case !any:
		return n.op == "ne" || n.op == "pr" && n.complexHas(r)
	}
	return found
}

// complexHas answers "pr" for an attribute whose complex values have no
// "value" of their own, as addresses have none.
func (n comparison) complexHas(r Record) bool {
	if n.path.sub != "" {
		return false
	}
	for _, v := range r.Values(n.path.attribute) {
		if v.has() {
			return true
		}
	}
	return false
}

// holds compares one value. Numbers compare as numbers and dates as points in
// time where both sides can be read so, everything else as text.
func (l literal) holds(op string, v Value, exact bool) bool {
	if l.null {
		return false
	}
	if op == "co" || op == "sw" || op == "ew" {
		return l.within(op, v, exact)
	}
	order := l.order(v, exact)
	switch op {
	case "eq":
		return order == 0
	case "ne":
		return order != 0
	case "gt":
		return order > 0
	case "ge":
		return order >= 0
	case "lt":
		return order < 0
	}
	return order <= 0
}

func (l literal) within(op string, v Value, exact bool) bool {
	if exact {
		return withinBytes(op, []byte(v.Text), []byte(l.text))
	}
	var short [128]byte
	return withinBytes(op, name.AppendFold(short[:0], v.Text), []byte(l.folded))
}

func withinBytes(op string, have, want []byte) bool {
	switch op {
	case "co":
		return bytes.Contains(have, want)
	case "sw":
		return bytes.HasPrefix(have, want)
	}
	return bytes.HasSuffix(have, want)
}

func (l literal) order(v Value, exact bool) int {
	if l.isTime && v.Kind == Text {
		if t, ok := instant(v.Text); ok {
			return t.Compare(l.time)
		}
	}
	if l.isNum && (v.Kind == Number || l.kind == Number) {
		if n, ok := number(v.Text); ok {
			return cmp.Compare(n, l.number)
		}
	}
	if exact && l.kind == Text {
		return strings.Compare(v.Text, l.text)
	}
	var short [128]byte
	return bytes.Compare(name.AppendFold(short[:0], v.Text), []byte(l.folded))
}
