// Package operator says who may do what in the service: the roles of those who
// work with it, and the rights that each has (docs/security.md). It keeps nothing
// and asks nobody.
package operator

import (
	"context"
	"fmt"
	"slices"
	"strings"
)

// Right is something that an operator may do.
type Right string

// The rights.
const (
	Read       Right = "read"       // ask questions of the map and of trials
	Stage      Right = "stage"      // begin trials, stage changes, drop them
	Intake     Right = "intake"     // run an intake, and look at what it would change
	Commit     Right = "commit"     // commit trials and intakes, revert revisions
	Override   Right = "override"   // commit what brings an error or breaks a guarantee
	Audit      Right = "audit"      // read and verify the audit
	Administer Right = "administer" // operators, tokens and settings
	// Members is the right of those who manage groups and are no operators: to
	// change the members of their own groups.
	Members Right = "members"
	// Connect is the right to add or change what the map connects to, or reads on the
	// host: servers, binds, secrets, certificates and files of sources.
	Connect Right = "connect"
	// Deliver is the right to bring linked systems to what the map says, and to let that happen at
	// every commit.
	Deliver Right = "deliver"
)

// Role is a named set of rights.
type Role string

// The roles.
const (
	Viewer   Role = "viewer"
	Editor   Role = "editor"
	Approver Role = "approver"
	Admin    Role = "admin"
	Manager  Role = "manager" // of groups; no operator
)

// Roles lists the roles of operators, the weakest first.
var Roles = []Role{Viewer, Editor, Approver, Admin}

var rights = map[Role][]Right{
	Viewer:   {Read},
	Editor:   {Read, Stage, Intake},
	Approver: {Read, Stage, Intake, Commit, Override, Audit, Deliver},
	Admin:    {Read, Stage, Intake, Commit, Override, Audit, Administer, Connect, Deliver},
	Manager:  {Members},
}

// Least is the weaker of two roles of operators.
func Least(a, b Role) Role {
	if slices.Index(Roles, a) < slices.Index(Roles, b) {
		return a
	}
	return b
}

// Has says whether a role has a right. The empty right is anyone's.
func (r Role) Has(right Right) bool { return right == "" || slices.Contains(rights[r], right) }

// Rights lists the rights of a role.
func (r Role) Rights() []Right { return slices.Clone(rights[r]) }

// ParseRole reads the role of an operator.
func ParseRole(text string) (Role, error) {
	if r := Role(text); slices.Contains(Roles, r) {
		return r, nil
	}
	return "", fmt.Errorf("there is no role %q; there are viewer, editor, approver and admin", text)
}

// Actor is who does something.
type Actor struct {
	Name    string
	Role    Role
	How     string   // password, provider, token, or service
	Token   string   // the name of the token; "": it is a session, or the service
	Program bool     // by a token of a service, which no person uses
	Systems []string // of a token: the only systems that it opens; nil: all
	User    string   // of a manager of groups: the account, by full name
	Origin  string   // where the request came from
}

// Service is the service itself, which follows sources.
var Service = Actor{Name: "gatemap", Role: Admin, How: "service"}

// IsService says whether the service itself acts, and no person.
func (a Actor) IsService() bool { return a.How == Service.How }

// ForbiddenError says that someone may not do something.
type ForbiddenError struct {
	Actor  Actor
	Reason string
}

func (e *ForbiddenError) Error() string { return e.Reason }

// May is nil if someone has a right.
func (a Actor) May(right Right) error {
	if a.Program && slices.Contains(personal, right) {
		return &ForbiddenError{
			a,
			fmt.Sprintf("%s is a program, and only persons may %s: use a token of your own", a.Name, acts[right]),
		}
	}
	if a.Role.Has(right) {
		return nil
	}
	var have []string
	for _, r := range append(slices.Clone(Roles), Manager) {
		if r.Has(right) {
			have = append(have, string(r)+"s")
		}
	}
	return &ForbiddenError{
		a,
		fmt.Sprintf("%s is %s %s, and only %s may %s", a.Name, article(a.Role), a.Role, listed(have), acts[right]),
	}
}

// personal are the rights that only persons have.
var personal = []Right{Stage, Commit, Override, Administer, Connect, Deliver}

// acts says what someone with a right may do.
var acts = map[Right]string{
	Read: "read the map", Stage: "stage changes", Intake: "run intakes", Commit: "commit",
	Override: "override errors and guarantees",
	Audit:    "read the audit", Administer: "administer", Members: "change the members of groups that they manage",
	Connect: "change what the map connects to and reads on the host",
	Deliver: "deliver to linked systems",
}

// listed is "a", "a and b" or "a, b and c".
func listed(all []string) string {
	last := len(all) - 1
	if last < 1 {
		return strings.Join(all, "")
	}
	return strings.Join(all[:last], ", ") + " and " + all[last]
}

func article(r Role) string {
	if r != "" && strings.ContainsRune("aeiou", rune(r[0])) {
		return "an"
	}
	return "a"
}

// Sees says whether someone may ask about a system.
func (a Actor) Sees(system string) bool {
	return a.Systems == nil || slices.ContainsFunc(a.Systems, func(s string) bool { return strings.EqualFold(s, system) })
}

type actorKey struct{}

// With is a context in which someone acts.
func With(ctx context.Context, a Actor) context.Context {
	return context.WithValue(ctx, actorKey{}, a)
}

// From is who acts in a context; nobody, who has no rights, where none does.
func From(ctx context.Context) Actor {
	a, _ := ctx.Value(actorKey{}).(Actor)
	return a
}
