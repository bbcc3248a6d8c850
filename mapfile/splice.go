package mapfile

import (
	"bytes"
	"slices"
	"strings"
	"unicode/utf8"

	"go.yaml.in/yaml/v3"
)

// splicer writes an edit into the text of a file. What it cannot place for sure it
// refuses; whether it was right is looked at afterwards.
type splicer struct {
	text  []byte
	lines []int      // where each line begins, and the end
	key   *yaml.Node // the key whose value is edited; nil: none
	out   []byte
}

func newSplicer(text []byte, key *yaml.Node) *splicer {
	s := &splicer{text: text, lines: []int{0}, key: key}
	for i, b := range text {
		if b == '\n' && i+1 < len(text) {
			s.lines = append(s.lines, i+1)
		}
	}
	s.lines = append(s.lines, len(text))
	return s
}

// write replaces a stretch of the text.
func (s *splicer) write(from, to int, with string) bool {
	s.out = append(append(append(make([]byte, 0, len(s.text)+len(with)), s.text[:from]...), with...), s.text[to:]...)
	return true
}

// start is where a node begins. Columns count characters.
func (s *splicer) start(n *yaml.Node) int {
	at := s.lines[n.Line-1]
	for range n.Column - 1 {
		_, width := utf8.DecodeRune(s.text[at:])
		at += width
	}
	return at
}

// end is where a node ends; -1 where that is not sure.
func (s *splicer) end(n *yaml.Node) int {
	from := s.start(n)
	switch {
	case n.Style&yaml.FlowStyle != 0:
		return s.closing(from)
	case n.Kind != yaml.ScalarNode:
		if len(n.Content) == 0 {
			return -1
		}
		return s.end(n.Content[len(n.Content)-1])
	case n.Style&(yaml.DoubleQuotedStyle|yaml.SingleQuotedStyle) != 0:
		return s.unquote(from)
	case n.Style&(yaml.LiteralStyle|yaml.FoldedStyle|yaml.TaggedStyle) != 0:
		return -1
	case bytes.HasPrefix(s.text[from:], []byte(n.Value)):
		return from + len(n.Value)
	}
	return -1
}

// unquote finds the end of a quoted text.
func (s *splicer) unquote(from int) int {
	quote := s.text[from]
	for i := from + 1; i < len(s.text); i++ {
		switch {
		case s.text[i] == '\\' && quote == '"':
			i++
		case s.text[i] != quote:
		case quote == '\'' && i+1 < len(s.text) && s.text[i+1] == quote:
			i++
		default:
			return i + 1
		}
	}
	return -1
}

// closing finds the end of what a bracket opens.
func (s *splicer) closing(from int) int {
	depth := 0
	for i := from; i >= 0 && i < len(s.text); i++ {
		before := byte(' ')
		if i > 0 {
			before = s.text[i-1]
		}
		begins := strings.IndexByte(" \t\n,[{:", before) >= 0
		switch c := s.text[i]; {
		case c == '[' || c == '{':
			depth++
		case c == ']' || c == '}':
			if depth--; depth == 0 {
				return i + 1
			}
		case (c == '"' || c == '\'') && begins:
			if i = s.unquote(i) - 1; i < 0 {
				return -1
			}
		case c == '#' && strings.IndexByte(" \t\n", before) >= 0:
			end := bytes.IndexByte(s.text[i:], '\n')
			if end < 0 {
				return -1
			}
			i += end
		}
	}
	return -1
}

// span is where an item begins and ends, with its key.
func (s *splicer) span(n *yaml.Node, i int) (from, to int) {
	first := child(n, i)
	to = s.end(first)
	if n.Kind == yaml.MappingNode {
		first = n.Content[2*i]
	}
	return s.start(first), to
}

// rows are the lines that an item of a block has to itself, from the comments above
// it; ok is false if it has none.
func (s *splicer) rows(n *yaml.Node, i int) (from, to int, indent string, ok bool) {
	begin, end := s.span(n, i)
	if end < 0 {
		return 0, 0, "", false
	}
	line := s.line(begin)
	indent = string(s.text[s.lines[line]:begin])
	if n.Kind == yaml.SequenceNode {
		dash := strings.TrimRight(indent, " ")
		if !strings.HasSuffix(dash, "-") {
			return 0, 0, "", false
		}
		indent = strings.TrimSuffix(dash, "-")
	}
	last := s.line(end)
	rest := strings.TrimSpace(string(s.text[end:s.lines[last+1]]))
	if strings.TrimSpace(indent) != "" || rest != "" && !strings.HasPrefix(rest, "#") {
		return 0, 0, "", false
	}
	for line > 0 && strings.HasPrefix(string(s.text[s.lines[line-1]:s.lines[line]]), indent+"#") {
		line--
	}
	return s.lines[line], s.lines[last+1], indent, true
}

// line is the number, from 0, of the line that a place is in.
func (s *splicer) line(at int) int {
	line, exact := slices.BinarySearch(s.lines[:len(s.lines)-1], at)
	if !exact {
		line--
	}
	return line
}

func isBlock(n *yaml.Node) bool { return n.Kind != yaml.ScalarNode && n.Style&yaml.FlowStyle == 0 }

func pair(key string, v Value) string {
	if key == "" {
		return v.String()
	}
	return TextValue(key).String() + ": " + v.String()
}

func (s *splicer) insert(n *yaml.Node, i int, key string, v Value) bool {
	count := size(n)
	if n.Kind == yaml.ScalarNode || count == 0 {
		text := "[" + v.String() + "]"
		if key != "" {
			text = "{" + pair(key, v) + "}"
		}
		return s.instead(n, text)
	}
	if isBlock(n) {
		from, to, indent, ok := s.rows(n, min(i, count-1))
		if !ok {
			return false
		}
		if i == count {
			from = to
		}
		dash := ""
		if n.Kind == yaml.SequenceNode {
			dash = "- "
		}
		before := ""
		if from > 0 && s.text[from-1] != '\n' {
			before = "\n"
		}
		return s.write(from, from, before+indent+dash+pair(key, v)+"\n")
	}
	if i == count {
		_, to := s.span(n, count-1)
		return to >= 0 && s.write(to, to, ", "+pair(key, v))
	}
	from, _ := s.span(n, i)
	return s.write(from, from, pair(key, v)+", ")
}

func (s *splicer) remove(n *yaml.Node, i int) bool {
	count := size(n)
	if isBlock(n) && count > 1 {
		from, to, _, ok := s.rows(n, i)
		return ok && s.write(from, to, "")
	}
	from, to := s.span(n, i)
	switch {
	case to < 0:
		return false
	case isBlock(n):
		empty := "[]"
		if n.Kind == yaml.MappingNode {
			empty = "{}"
		}
		return s.instead(n, empty)
	case i > 0:
		_, from = s.span(n, i-1)
	case count > 1:
		to, _ = s.span(n, i+1)
	}
	return from >= 0 && s.write(from, to, "")
}

func (s *splicer) move(n *yaml.Node, from, to int) bool {
	if to == from || to == from+1 {
		return s.write(0, 0, "")
	}
	if !isBlock(n) {
		return false
	}
	begin, end, _, ok := s.rows(n, from)
	if !ok || s.text[end-1] != '\n' {
		return false
	}
	target, after, _, ok := s.rows(n, min(to, size(n)-1))
	if !ok {
		return false
	}
	if to == size(n) {
		target = after
	}
	if target > 0 && s.text[target-1] != '\n' {
		return false
	}
	item := string(s.text[begin:end])
	text := string(s.text)
	if target <= begin {
		return s.write(0, len(s.text), text[:target]+item+text[target:begin]+text[end:])
	}
	return s.write(0, len(s.text), text[:begin]+text[end:target]+item+text[target:])
}

func (s *splicer) replace(n *yaml.Node, v Value) bool { return s.instead(n, v.String()) }

// instead puts a text that can stand anywhere in the place of a node.
func (s *splicer) instead(n *yaml.Node, with string) bool {
	if n.Kind == yaml.ScalarNode && n.Value == "" && n.Style == 0 { // a key without a value
		if s.key == nil {
			return false
		}
		at := bytes.IndexByte(s.text[s.start(s.key):], ':')
		at += s.start(s.key) + 1
		return s.write(at, at, " "+with)
	}
	from, to := s.start(n), s.end(n)
	if to < 0 {
		return false
	}
	if isBlock(n) && s.key != nil {
		colon := s.end(s.key)
		if colon < 0 {
			return false
		}
		colon += bytes.IndexByte(s.text[colon:], ':') + 1
		return s.write(colon, to, " "+with)
	}
	return s.write(from, to, with)
}
