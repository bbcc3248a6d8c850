package filter

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"
	"unicode/utf8"

	"gatemap/core/name"
)

const (
	maxDepth  = 100     // of nesting, so that no filter can exhaust the stack
	maxLength = 1 << 16 // bytes
)

// SyntaxError says what is wrong with a filter and at which column, counted in
// characters from 1.
type SyntaxError struct {
	Column  int
	Message string
}

func (e *SyntaxError) Error() string { return fmt.Sprintf("column %d: %s", e.Column, e.Message) }

// Parse reads a filter of at most 64 KiB. Every error is a *SyntaxError. Operators bind as RFC
// 7644 §3.4.2.2 has it: not, then and, then or.
func Parse(text string) (f *Filter, err error) {
	p := &parser{text: text}
	defer func() {
		if stop, ok := recover().(*SyntaxError); ok {
			f, err = nil, stop
		} else if stop != nil {
			panic(stop)
		}
	}()
	if len(text) > maxLength {
		p.fail(0, "a filter has at most %d bytes; this one has %d", maxLength, len(text))
	}
	root := p.or(false)
	p.space()
	if p.at < len(p.text) {
		p.fail(p.at, "%q is left over; join conditions with and or or", p.rest())
	}
	return &Filter{root}, nil
}

type parser struct {
	text  string
	at    int
	depth int

	counted, column int // where the newest attribute is: in bytes, and in characters
}

func (p *parser) fail(at int, format string, args ...any) {
	panic(&SyntaxError{p.columnOf(at), fmt.Sprintf(format, args...)})
}

func (p *parser) columnOf(at int) int { return utf8.RuneCountInString(p.text[:at]) + 1 }

func (p *parser) rest() string {
	r := p.text[p.at:]
	if word, _, ok := strings.Cut(r, " "); ok {
		return word
	}
	return r
}

func (p *parser) space() {
	for p.at < len(p.text) && p.text[p.at] == ' ' {
		p.at++
	}
}

// take moves past c, if it comes next.
func (p *parser) take(c byte) bool {
	if p.at < len(p.text) && p.text[p.at] == c {
		p.at++
		return true
	}
	return false
}

// word moves past a whole word of the language, in any case.
func (p *parser) word(w string) bool {
	end := p.at + len(w)
	if end > len(p.text) || !strings.EqualFold(p.text[p.at:end], w) {
		return false
	}
	if end < len(p.text) && isPathByte(p.text[end]) {
		return false
	}
	p.at = end
	return true
}

func (p *parser) or(inValue bool) node {
	left := p.and(inValue)
	for p.space(); p.word("or"); p.space() {
		left = or{left, p.and(inValue)}
	}
	return left
}

func (p *parser) and(inValue bool) node {
	left := p.factor(inValue)
	for p.space(); p.word("and"); p.space() {
		left = and{left, p.factor(inValue)}
	}
	return left
}

func (p *parser) factor(inValue bool) node {
	p.depth++
	defer func() { p.depth-- }()
	if p.depth > maxDepth {
		p.fail(p.at, "nested more than %d deep", maxDepth)
	}
	p.space()
	start := p.at
	if p.word("not") {
		p.space()
		if !p.take('(') {
			p.fail(start, "not must be followed by a condition in parentheses")
		}
		return not{p.group(start, inValue)}
	}
	if p.take('(') {
		return p.group(start, inValue)
	}
	return p.condition(inValue)
}

func (p *parser) group(start int, inValue bool) node {
	inner := p.or(inValue)
	p.space()
	if !p.take(')') {
		p.fail(p.at, "the parenthesis opened at column %d is not closed", p.columnOf(start))
	}
	return inner
}

func isAlpha(c byte) bool { return 'a' <= c && c <= 'z' || 'A' <= c && c <= 'Z' }
func isNameByte(c byte) bool {
	return isAlpha(c) || '0' <= c && c <= '9' || c == '-' || c == '_' || c == '$'
}
func isPathByte(c byte) bool { return isNameByte(c) || c == '.' || c == ':' }

func (p *parser) attribute() path {
	start := p.at
	for p.at < len(p.text) && isPathByte(p.text[p.at]) {
		p.at++
	}
	written := p.text[start:p.at]
	switch {
	case written == "" && p.at == len(p.text):
		p.fail(start, "the filter ends where an attribute is due")
	case written == "":
		r, _ := utf8.DecodeRuneInString(p.text[p.at:])
		p.fail(start, "an attribute is due here, not %q", r)
	}
	tail := written[strings.LastIndexByte(written, ':')+1:]
	head, sub, dotted := strings.Cut(tail, ".")
	if head == "" || !isAlpha(head[0]) ||
		dotted && (sub == "" || strings.Contains(sub, ".") || !isAlpha(sub[0]) && sub[0] != '$') {
		p.fail(start, "%q is not an attribute name", written)
	}
	p.column += utf8.RuneCountInString(p.text[p.counted:start])
	p.counted = start
	return newPath(written, p.column+1)
}

var operators = []string{"eq", "ne", "co", "sw", "ew", "pr", "gt", "ge", "lt", "le"}

func (p *parser) condition(inValue bool) node {
	at := p.attribute()
	if p.take('[') {
		start := p.at - 1
		if inValue {
			p.fail(start, "a value filter cannot be inside another")
		}
		if at.sub != "" {
			p.fail(start, "a value filter follows an attribute, not a sub-attribute")
		}
		inner := p.or(true)
		p.space()
		if !p.take(']') {
			p.fail(p.at, "the bracket opened at column %d is not closed", p.columnOf(start))
		}
		if p.take('.') { // some programs ask for a sub-attribute of the values so: emails[type eq "work"].value eq "x"
			inner = and{inner, p.condition(true)}
		}
		return valuePath{at, inner}
	}
	p.space()
	start := p.at
	for p.at < len(p.text) && isAlpha(p.text[p.at]) {
		p.at++
	}
	written := p.text[start:p.at]
	op := strings.ToLower(written)
	switch {
	case written == "":
		p.fail(start, "an operator is due after %s: one of %s", at.written, strings.Join(operators, " "))
	case !slices.Contains(operators, op):
		p.fail(start, "%q is not an operator%s; there are %s", written,
			name.DidYouMean(name.Near(op, slices.Values(operators))), strings.Join(operators, " "))
	}
	if op == "pr" {
		return comparison{path: at, op: op}
	}
	p.space()
	value := p.literal()
	ordered := op != "eq" && op != "ne"
	if ordered && (value.kind == Bool || value.null) {
		p.fail(start, "%s cannot be used with %s: it has no order and no parts", op, value.text)
	}
	return comparison{at, op, value}
}

func (p *parser) literal() literal {
	start := p.at
	if p.at == len(p.text) {
		p.fail(start, "the filter ends where a value is due")
	}
	if p.text[p.at] == '"' {
		return p.quoted()
	}
	for p.at < len(p.text) && !strings.ContainsRune(` ()[]"`, rune(p.text[p.at])) {
		p.at++
	}
	written := p.text[start:p.at]
	switch strings.ToLower(written) {
	case "true", "false":
		l := newText(strings.ToLower(written))
		l.kind = Bool
		return l
	case "null":
		return literal{null: true, text: "null"}
	}
	var number json.Number
	if json.Unmarshal([]byte(written), &number) != nil {
		p.fail(start, "%q is not a value; text is written in double quotes", written)
	}
	l := newText(written)
	if !l.isNum {
		p.fail(start, "the number %s is too large", written)
	}
	l.kind = Number
	return l
}

func (p *parser) quoted() literal {
	start := p.at
	for p.at++; p.at < len(p.text); p.at++ {
		switch p.text[p.at] {
		case '\\':
			p.at++
		case '"':
			p.at++
			var s string
			if json.Unmarshal([]byte(p.text[start:p.at]), &s) != nil {
				p.fail(start, "%s is not a JSON string", p.text[start:p.at])
			}
			return newText(s)
		}
	}
	p.at = len(p.text)
	panic(&SyntaxError{p.columnOf(start), "the text opened here is not closed by a double quote"})
}
