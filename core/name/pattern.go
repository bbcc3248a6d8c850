package name

import (
	"fmt"
	"strings"
)

// Pattern is how names are written: text with {attribute} in it, in pieces, every second of which
// is an attribute.
type Pattern []string

// ParsePattern reads a pattern. A bracket that is not closed is text.
func ParsePattern(text string) (p Pattern) {
	for {
		before, after, more := strings.Cut(text, "{")
		p = append(p, before)
		if !more {
			return p
		}
		attribute, rest, closed := strings.Cut(after, "}")
		if !closed {
			return append(p[:len(p)-1], before+"{"+after)
		}
		p, text = append(p, attribute), rest
	}
}

// Fixed says that the pattern has no attribute in it, so that it writes all alike.
func (p Pattern) Fixed() bool { return len(p) < 3 }

// Write writes the pattern with the values of a record. Where one is empty, it says which attribute
// lacks, and writes nothing.
func (p Pattern) Write(value func(attribute string) string) (written, lacks string) {
	var b strings.Builder
	for i, piece := range p {
		if i%2 == 1 {
			attribute := piece
			if piece = value(attribute); piece == "" {
				return "", attribute
			}
		}
		b.WriteString(piece)
	}
	return b.String(), ""
}

// CheckPattern says what is wrong with a way to write names; it must have {attribute} in it, or
// all records would have one name.
func CheckPattern(text string) error {
	if ParsePattern(text).Fixed() {
		return fmt.Errorf("%q has no {attribute} in it, so that all would be written alike", text)
	}
	return nil
}
