package gate

import (
	"strings"

	"gatemap/core/place"
)

// Pattern is text in which * stands for any run of characters, none included.
type Pattern struct{ place.Text }

// Matches says whether the whole of s is described. Case matters.
func (p Pattern) Matches(s string) bool {
	parts := strings.Split(p.Value, "*")
	if len(parts) == 1 {
		return s == p.Value
	}
	first, last := parts[0], parts[len(parts)-1]
	if len(s) < len(first)+len(last) || !strings.HasPrefix(s, first) || !strings.HasSuffix(s, last) {
		return false
	}
	s = s[len(first) : len(s)-len(last)]
	for _, middle := range parts[1 : len(parts)-1] {
		i := strings.Index(s, middle)
		if i < 0 {
			return false
		}
		s = s[i+len(middle):]
	}
	return true
}
