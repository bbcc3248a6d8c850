package rule

import "strings"

// Lack is one thing that is lacking for a line: a kind and a name, as the text "KIND:NAME", which Of of
// LackKind puts together and Parts takes apart.
type Lack string

// LackKind is what is lacking.
type LackKind string

// The kinds.
const (
	LackGroup     LackKind = "group"     // membership of it
	LackUser      LackKind = "user"      // being this user
	LackClaim     LackKind = "claim"     // a sign-in that carries it
	LackTag       LackKind = "tag"       // of the user
	LackAttribute LackKind = "attribute" // any value of it
	LackNotGroup  LackKind = "not-group" // the line excepts its members
	LackNotUser   LackKind = "not-user"  // the line excepts this user
	LackMark      LackKind = "tag-of-resource"
)

// Of is the lack of something by its name.
func (k LackKind) Of(name string) Lack { return Lack(string(k) + ":" + name) }

// Parts are the kind of the lack, and the name.
func (l Lack) Parts() (kind LackKind, name string) {
	text, name, _ := strings.Cut(string(l), ":")
	return LackKind(text), name
}
