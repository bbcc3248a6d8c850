package gate

import (
	"gatemap/core/directory"
	"gatemap/core/name"
)

// Who says for whom a line holds: any one of its keys is enough, and Except
// wins over all of them.
type Who struct {
	Groups   []name.Ref        `yaml:"groups" doc:"Members of any of these groups."`
	Users    []name.Ref        `yaml:"users" doc:"These users."`
	Claims   []ClaimRef        `yaml:"claims" doc:"Those whose sign-in to a relying party carries one of these claims."`
	Everyone bool              `yaml:"everyone" doc:"true: everyone in every directory."`
	Except   *directory.People `yaml:"except" doc:"But not these users, nor members of these groups."`
	Off      bool              `yaml:"off" doc:"true: the line stays in its place, and is switched off."`
}

// Empty says that nobody is named.
func (w *Who) Empty() bool {
	return len(w.Groups)+len(w.Users)+len(w.Claims) == 0 && !w.Everyone
}
