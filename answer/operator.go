package answer

import (
	"fmt"
	"hash/fnv"
	"strings"
	"time"
)

// Operators are those who work with the service.
type Operators struct {
	Operators []Operator `json:"operators" nullable:"false"`
}

// Operator is someone who works with the service.
type Operator struct {
	Name      string    `json:"name"`
	Role      string    `json:"role" enum:"viewer,editor,approver,admin"`
	Display   string    `json:"display,omitempty" doc:"The display name."`
	Password  bool      `json:"password" doc:"Whether a password is set."`
	TwoFactor bool      `json:"two_factor" doc:"Whether a second factor is asked for."`
	Issuer    string    `json:"issuer,omitempty" doc:"The provider of OpenID Connect that signs this one in."`
	Inactive  bool      `json:"inactive,omitempty" doc:"Whether the operator is deactivated."`
	Version   int       `json:"version" doc:"Counts up with every change; it is the ETag."`
	Created   time.Time `json:"created"`
}

// OperatorChange is a change of an operator; what is missing stays as it is.
type OperatorChange struct {
	Role     *string `json:"role,omitempty" enum:"viewer,editor,approver,admin"`
	Display  *string `json:"display,omitempty" maxLength:"200"`
	Password *string `json:"password,omitempty" minLength:"12" maxLength:"1000"`
	Issuer   *string `json:"issuer,omitempty" doc:"The provider of OpenID Connect that may sign this one in, by the name."`
	Inactive *bool   `json:"inactive,omitempty"`
}

// PasswordChange is a change of one's own password.
type PasswordChange struct {
	Old string `json:"old" maxLength:"1000"`
	New string `json:"new" minLength:"12" maxLength:"1000"`
}

// SecondFactor is the secret of a second factor.
type SecondFactor struct {
	Secret  string `json:"secret" doc:"In base 32 (RFC 4648); shown only once."`
	Address string `json:"address" doc:"For authenticators."`
}

// Settings are the settings of the service.
type Settings struct {
	TwoPersons bool     `json:"two_persons" doc:"The two-person rule: who staged a change may not commit it."`
	Connect    []string `json:"connect" nullable:"false" doc:"Operators who may change what the map connects to and reads on the host, besides admins."`
}

// Version tells these settings from others.
func (s *Settings) Version() int {
	h := fnv.New32a()
	fmt.Fprint(h, s.TwoPersons, strings.Join(s.Connect, " "))
	return int(h.Sum32()>>1) + 1
}

// SettingsChange is a change of the settings; what is missing stays as it is.
type SettingsChange struct {
	TwoPersons *bool    `json:"two_persons,omitempty" doc:"The two-person rule: who staged a change may not commit it."`
	Connect    []string `json:"connect,omitempty" doc:"Operators who may change what the map connects to and reads on the host, besides admins; an empty list is nobody."`
}

// Tokens are the tokens of the service.
type Tokens struct {
	Tokens   []TokenInfo `json:"tokens" nullable:"false" doc:"Of persons."`
	Services []TokenInfo `json:"services" nullable:"false" doc:"Of services, which read and run intakes, or push; no person uses them."`
}

// TokenInfo is what is known of a token.
type TokenInfo struct {
	Name      string     `json:"name"`
	Role      string     `json:"role" enum:"viewer,editor,approver,admin,manager,push"`
	Owner     string     `json:"owner,omitempty" doc:"The operator whose token it is, or host; missing for tokens that no person uses."`
	Author    string     `json:"author" doc:"Who made it."`
	Created   time.Time  `json:"created"`
	Expires   *time.Time `json:"expires,omitempty"`
	Expired   bool       `json:"expired,omitempty"`
	Systems   []string   `json:"systems,omitempty" doc:"The only systems that it may be used for; missing: all."`
	User      string     `json:"user,omitempty" doc:"Whose groups it manages."`
	Directory string     `json:"directory,omitempty" doc:"The directory that it pushes to."`
}

// TokenChange is a token to be made.
type TokenChange struct {
	Name    string     `json:"name" minLength:"1"`
	Service bool       `json:"service,omitempty" doc:"true: for a program. It can read and run intakes as its role allows, and never stage or commit. Missing: the token is yours, and what it does is done by you."`
	Role    string     `json:"role,omitempty" enum:"viewer,editor,approver,admin" doc:"Missing only with user."`
	Expires *time.Time `json:"expires,omitempty" doc:"When it expires (RFC 3339). Missing: never."`
	Systems []string   `json:"systems,omitempty" doc:"The only systems that it may be used for. Missing: all."`
	User    string     `json:"user,omitempty" doc:"A user whose groups it manages, and nothing else."`
}

// Audit is a part of the audit.
type Audit struct {
	Entries []Entry `json:"entries" nullable:"false"`
	Next    string  `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// Entry is one entry of the audit.
type Entry struct {
	Number int64     `json:"number"`
	At     time.Time `json:"at"`
	Actor  string    `json:"actor" doc:"Who did it."`
	Act    string    `json:"act" doc:"What was done."`
	Object string    `json:"object,omitempty" doc:"To what."`
	Result string    `json:"result" enum:"done,refused"`
	Detail string    `json:"detail,omitempty"`
	Origin string    `json:"origin,omitempty" doc:"Where the request came from."`
	Hash   string    `json:"hash" doc:"HMAC-SHA-256 of the hash of the entry before and of this one, in hexadecimal; SHA-256 alone where the entry is older than the seal of the database."`
}

// Verified says whether the audit is what it was when it was written.
type Verified struct {
	Holds   bool   `json:"holds"`
	Entries int64  `json:"entries" doc:"How many hold."`
	Hash    string `json:"hash,omitempty" doc:"Hash of the newest entry."`
	Head    string `json:"head,omitempty" doc:"The newest entry, signed. Keep it elsewhere: with it a later check can tell whether entries were removed from the end, or an older database was put in place."`
	Broken  int64  `json:"broken,omitempty" doc:"The first entry that does not hold."`
	Reason  string `json:"reason,omitempty"`
}

// OwnGroups are the groups that someone manages.
type OwnGroups struct {
	User        string     `json:"user"`
	DisplayName string     `json:"display_name,omitempty"`
	Groups      []OwnGroup `json:"groups" nullable:"false"`
}

// OwnGroup is a group with its members.
type OwnGroup struct {
	Group       string   `json:"group"`
	Description string   `json:"description,omitempty"`
	Rule        string   `json:"rule,omitempty" doc:"The rule, of a group by rule."`
	Members     []Member `json:"members" nullable:"false"`
}
