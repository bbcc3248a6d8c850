package situation

import "strings"

// Need is one thing that must be so: a kind, the values of which any is enough, and whether it is the
// opposite that must be so. It is a text in the words of docs/model.md section 4, such as
// "network:summit|office" or "not-window:night", which NewNeed puts together and Parts takes apart.
type Need string

const (
	opposite = "not-"
	either   = "|"
)

// NewNeed is a need of a kind for any of some values.
func NewNeed(kind string, values ...string) Need {
	return Need(kind + ":" + strings.Join(values, either))
}

// Opposite is met where the need is not.
func (n Need) Opposite() Need {
	if rest, is := strings.CutPrefix(string(n), opposite); is {
		return Need(rest)
	}
	return opposite + n
}

// Parts are the kind and the values of a need, and whether its opposite must be so.
func (n Need) Parts() (kind string, values []string, not bool) {
	kind, value, _ := strings.Cut(string(n), ":")
	kind, not = strings.CutPrefix(kind, opposite)
	return kind, strings.Split(value, either), not
}
