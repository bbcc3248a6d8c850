// Package answer holds the answers that Gate Map gives, in the shape in which
// the command line prints them and the API sends them. Both ask through the
// Asker interface, so a folder and a service give the same answers.
package answer

import (
	"context"
	"slices"
	"time"

	"gatemap/core/change"
	"gatemap/core/check"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Asker answers questions about one map. Names may be bare, full or
// distinguished; what is not found is a *directory.NotFoundError, a question
// that needs an object a *rule.ObjectNeededError.
type Asker interface {
	Reach(ctx context.Context, user, system string, s situation.Situation) (*Reach, error)
	Person(ctx context.Context, user, system string, s situation.Situation) (*Person, error)
	Why(ctx context.Context, user, system, right, object string, s situation.Situation) (*Why, error)
	Probe(ctx context.Context, user, system, right, object string, s situation.Situation) (*Probe, error)
	Who(ctx context.Context, system, right, object string, s situation.Situation) (*Who, error)
	Members(ctx context.Context, group string) (*Members, error)
	Memberships(ctx context.Context, user string) (*Memberships, error)
	Findings(ctx context.Context, w Wanted) (*Findings, error)
	Guarantees(ctx context.Context) (*Guarantees, error)
	Compare(ctx context.Context, first, second string, s situation.Situation) (*Compare, error)
	Matrix(ctx context.Context, system, group, right string, s situation.Situation) (*Matrix, error)
	Hours(ctx context.Context, user, system string, s situation.Situation) (*Hours, error)
	Search(ctx context.Context, text string, kind Kind, limit int, cursor string) (*Page, error)
	Map(ctx context.Context) (*Map, error)
	Group(ctx context.Context, name string) (*GroupInfo, error)
	Opens(ctx context.Context, group string) (*Opened, error)
	System(ctx context.Context, name string) (*SystemInfo, error)
	Lines(ctx context.Context, system string) (*Lines, error)
	TestRule(ctx context.Context, filter, directory string) (*Matched, error)
}

// Reach is everything that a user holds.
type Reach struct {
	User         string             `json:"user" doc:"Full name of the user."`
	DisplayName  string             `json:"display_name,omitempty" doc:"Display name of the user."`
	Situation    map[string]string  `json:"situation" doc:"The facts that were given."`
	Entitlements []rule.Entitlement `json:"entitlements" doc:"All but none, by system, object and right." nullable:"false"`
	Others       []Account          `json:"others,omitempty" doc:"Other accounts of the same person."`
	Really       []ReadingInfo      `json:"really,omitempty" doc:"What was asked of: the newest readings; missing: the map."`
}

// Account is one account of a person.
type Account struct {
	User   string `json:"user" doc:"Full name of the account."`
	Active bool   `json:"active" doc:"Whether the account is active."`
}

// Person is everything that a person holds, by account.
type Person struct {
	Accounts []Reach `json:"accounts" doc:"By name." nullable:"false"`
	HalfLeft bool    `json:"half_left" doc:"Whether one account is inactive and another is active."`
}

// Why is one entitlement of a user, in whatever state, with the same in
// sentences.
type Why struct {
	User      string            `json:"user" doc:"Full name of the user."`
	Situation map[string]string `json:"situation" doc:"The facts that were given."`
	rule.Entitlement
	Lines     []rule.Pass   `json:"lines" doc:"The lines that decide, may decide or are watched; of what is not held, those that the resource lacks something for." nullable:"false"`
	Ways      []Way         `json:"ways" doc:"What is enough for it, what brings the least else first." nullable:"false"`
	Sentences []string      `json:"sentences" doc:"The answer in words, ready for a ticket." nullable:"false"`
	Really    []ReadingInfo `json:"really,omitempty" doc:"What was asked of: the newest readings; missing: the map."`
}

// Who is everyone who holds an entitlement.
type Who struct {
	System    string            `json:"system"`
	Object    string            `json:"object"`
	DecidedAt string            `json:"decided_at,omitempty" doc:"The declared object that decides for the one asked about."`
	Right     string            `json:"right"`
	Situation map[string]string `json:"situation" doc:"The facts that were given."`
	Users     []Holder          `json:"users" doc:"Those whose state is not none, by name." nullable:"false"`
	Total     int               `json:"total" doc:"How many there are on all pages."`
	Next      string            `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
	Really    []ReadingInfo     `json:"really,omitempty" doc:"What was asked of: the newest readings; missing: the map."`
}

// Holder is a user with the state of one entitlement.
type Holder struct {
	User    string           `json:"user"`
	State   rule.State       `json:"state"`
	Breadth string           `json:"breadth,omitempty" doc:"How far it goes: own, team or all."`
	Reply   map[string]any   `json:"reply,omitempty" doc:"What the gate answers with."`
	Needs   []situation.Need `json:"needs" nullable:"false"`
	// OpenIf and More are as of an entitlement.
	OpenIf [][]situation.Need `json:"open_if" doc:"The ways in which it is open." nullable:"false"`
	More   bool               `json:"open_if_more,omitempty" doc:"There are further ways than those given."`
	ShutBy []rule.Stop        `json:"shut_by" nullable:"false"`
	Routes []rule.Route       `json:"routes" nullable:"false"`
}

// Members is everyone in a group.
type Members struct {
	Group   string   `json:"group" doc:"Full name of the group."`
	Members []Member `json:"members" doc:"By name." nullable:"false"`
	Total   int      `json:"total" doc:"How many there are on all pages."`
	Next    string   `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
	// Devices come whole with every page.
	Devices []DeviceMember `json:"devices,omitempty" doc:"The devices in the group, by name; missing where there are none."`
}

// DeviceMember is a device in a group.
type DeviceMember struct {
	Device string   `json:"device"`
	How    string   `json:"how" enum:"direct,nested,primary"`
	Path   []string `json:"path" doc:"As of a user." nullable:"false"`
}

// Member is a user in a group.
type Member struct {
	User string   `json:"user"`
	How  string   `json:"how" enum:"direct,nested,rule,primary"`
	Path []string `json:"path" doc:"The groups from the user's own to the one asked about." nullable:"false"`
}

// Against is a group compared with a list of who should be in it.
type Against struct {
	Group      string     `json:"group" doc:"Full name of the group."`
	Listed     int        `json:"listed" doc:"How many of the list are in the group."`
	Missing    []string   `json:"missing" doc:"On the list, not in the group." nullable:"false"`
	Extra      []string   `json:"extra" doc:"In the group, not on the list." nullable:"false"`
	NearMisses []NearMiss `json:"near_misses" doc:"Names on the list that match no user, or nearly match one." nullable:"false"`
}

// NearMiss is a name of a list that may mean somebody.
type NearMiss struct {
	Listed string `json:"listed"`
	User   string `json:"user"`
	Why    string `json:"why"`
}

// Memberships is every group of a user.
type Memberships struct {
	User   string       `json:"user" doc:"Full name of the user."`
	Groups []Membership `json:"groups" doc:"By name." nullable:"false"`
}

// Membership is one group of a user.
type Membership struct {
	Group string   `json:"group"`
	How   string   `json:"how" enum:"direct,nested,rule,primary"`
	Path  []string `json:"path" doc:"The groups from the user's own to this one." nullable:"false"`
}

// Guarantees is every guarantee of the map, and whether it holds.
type Guarantees struct {
	Guarantees []check.Guaranteed `json:"guarantees" nullable:"false"`
}

// Failed says whether any of them is broken.
func (g *Guarantees) Failed() bool {
	return slices.ContainsFunc(g.Guarantees, func(x check.Guaranteed) bool { return x.Broken() })
}

// Compare is two people side by side.
type Compare struct {
	First     string            `json:"first" doc:"Full name of the first."`
	Second    string            `json:"second" doc:"Full name of the second."`
	Situation map[string]string `json:"situation" doc:"The facts that were given."`
	change.Compared
	Really []ReadingInfo `json:"really,omitempty" doc:"What was asked of: the newest readings; missing: the map."`
}

// Matrix is people against entitlements.
type Matrix struct {
	Situation map[string]string `json:"situation" doc:"The facts that were given."`
	Columns   []Column          `json:"columns" doc:"By system, object and right." nullable:"false"`
	Rows      []Row             `json:"rows" doc:"By name; people who hold none of it are left out." nullable:"false"`
	Really    []ReadingInfo     `json:"really,omitempty" doc:"What was asked of: the newest readings; missing: the map."`
}

// Column is one entitlement of a matrix.
type Column struct {
	System string `json:"system"`
	Object string `json:"object"`
	Right  string `json:"right"`
}

// Row is one person of a matrix.
type Row struct {
	User     string       `json:"user"`
	States   []rule.State `json:"states" doc:"One for each column." nullable:"false"`
	Breadths []string     `json:"breadths,omitempty" doc:"One for each column, where any of them has a breadth."`

	// Replies are by the number of the column, from 0.
	Replies map[int]map[string]any `json:"replies,omitempty" doc:"What the gate answers with, by the number of the column, from 0."`
}

// Hours is a week of a person.
type Hours struct {
	User      string            `json:"user"`
	Situation map[string]string `json:"situation" doc:"The facts that were given, but for the time, which says the week."`
	Monday    string            `json:"monday" doc:"The first day of the week, YYYY-MM-DD."`
	TimeZone  string            `json:"time_zone" doc:"The zone of the wall clock."`
	Weeks     []Week            `json:"weeks" doc:"By system, object and right." nullable:"false"`
}

// Week is one entitlement through a week.
type Week struct {
	Column
	Spans []Span `json:"spans" doc:"From the beginning of the week to its end, no two neighbours alike." nullable:"false"`
}

// Span is a stretch of time in which nothing changes.
type Span struct {
	From   time.Time          `json:"from" doc:"Its first moment, on the wall clock of the map."`
	To     time.Time          `json:"to" doc:"The first moment after it."`
	State  rule.State         `json:"state"`
	OpenIf [][]situation.Need `json:"open_if" doc:"The ways in which it is open." nullable:"false"`
}

// Kind is a kind of thing that can be searched for; empty means all.
type Kind string

// The kinds.
const (
	KindUser   Kind = "user"
	KindGroup  Kind = "group"
	KindSystem Kind = "system"
	KindDevice Kind = "device"
	KindLine   Kind = "line" // of a system; told only where it is asked for
)

// Values lists the kinds.
func (Kind) Values() []string {
	return []string{string(KindUser), string(KindGroup), string(KindSystem), string(KindDevice), string(KindLine)}
}

// Page is a page of a list.
type Page struct {
	Items []Item `json:"items" nullable:"false"`
	Total int    `json:"total" doc:"How many there are in all."`
	Next  string `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// Item is one thing that was found.
type Item struct {
	Kind   Kind   `json:"kind" enum:"user,group,system,device,line"`
	Name   string `json:"name" doc:"Full name."`
	Title  string `json:"title,omitempty" doc:"Display name, description or title."`
	Detail string `json:"detail,omitempty" doc:"Title and department of a user, kind of a group, gate type of a system."`
	Active bool   `json:"active" doc:"false: an inactive account."`
}
