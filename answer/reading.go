package answer

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Linked is a system with a link, and what is known of the real one.
type Linked struct {
	System  string       `json:"system"`
	Title   string       `json:"title,omitempty"`
	Kind    string       `json:"kind" doc:"How it is reached: the kind of its link."`
	Every   string       `json:"every,omitempty" doc:"How often it is read; missing: when asked."`
	Deliver string       `json:"deliver,omitempty" enum:"by-hand,on-commit,never" doc:"When it is brought to what the map says; missing: links of its kind deliver nothing."`
	Newest  *ReadingInfo `json:"newest,omitempty" doc:"The newest reading; missing: there is none yet."`
	Busy    bool         `json:"busy,omitempty" doc:"It is being read now."`
	Failed  int          `json:"failed,omitempty" doc:"How many readings have failed since, one after the other."`
	Error   string       `json:"error,omitempty" doc:"Why the last one failed."`
	Tried   *time.Time   `json:"tried,omitempty" doc:"When the last one was tried."`
}

// LinkedSystems are the systems with links.
type LinkedSystems struct {
	Systems []Linked `json:"systems" doc:"By name." nullable:"false"`
}

// ReadingInfo is what a reading is of.
type ReadingInfo struct {
	System    string           `json:"system"`
	At        time.Time        `json:"at" doc:"When the system held it: of a list, when its file was written."`
	Stale     bool             `json:"stale,omitempty" doc:"It is older than three times what every says."`
	Server    string           `json:"server,omitempty" doc:"What answered."`
	Accounts  int              `json:"accounts"`
	Groups    int              `json:"groups"`
	Tied      int              `json:"tied" doc:"How many accounts belong to users of the map."`
	Strangers int              `json:"strangers" doc:"How many belong to nobody of the map."`
	Ignored   int              `json:"ignored" doc:"How many the link leaves aside."`
	Beyond    []reading.Beyond `json:"beyond" doc:"What the gate type cannot express, the first of it." nullable:"false"`
	BeyondAll int              `json:"beyond_all" doc:"How much of that there is."`
	Unseen    []string         `json:"unseen" doc:"What the account that read was not allowed to see." nullable:"false"`
}

// Drift is how what a system really holds differs from what the map says.
type Drift struct {
	ReadingInfo
	Lines   []DriftLine  `json:"lines" doc:"Lines of the map that are not there as they are written, and lines there that the map does not have." nullable:"false"`
	Causes  []DriftCause `json:"causes" doc:"What explains the differences by person, what explains the most first." nullable:"false"`
	Items   []DriftItem  `json:"items" doc:"Who really holds more or less than the map says, by user, object and right." nullable:"false"`
	Total   int          `json:"total" doc:"How many items there are on all pages."`
	Excess  int          `json:"excess" doc:"How many of them are excess."`
	Short   int          `json:"short" doc:"How many of them are short."`
	Next    string       `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
	Unknown []Stranger   `json:"unknown" doc:"The strangers: accounts that belong to nobody of the map." nullable:"false"`
	Unclear []Unclear    `json:"unclear" doc:"Accounts and groups there that may be meant for several of the map; none is taken." nullable:"false"`
}

// Any says whether there is any drift.
func (d *Drift) Any() bool { return d.Total+len(d.Lines)+len(d.Unknown)+len(d.Unclear) > 0 }

// Stranger is an account of a system that belongs to nobody of the map.
type Stranger struct {
	Name   string `json:"name" doc:"Its name there."`
	Active bool   `json:"active" doc:"false: nobody can sign in with it."`
	Note   string `json:"note,omitempty" doc:"What the system says of it."`
}

// Unclear is a name there that may be meant for several records of the map.
type Unclear struct {
	Name    string   `json:"name"`
	Records []string `json:"records" nullable:"false"`
}

// DriftLine is a line that is on one side only, or not the same on both.
type DriftLine struct {
	Line     string       `json:"line" doc:"A line of the map, as SYSTEM/NAME; or a group or account of the system, by its name there."`
	Side     string       `json:"side" enum:"map,system" doc:"Where it is: in the map, or in what was read."`
	Same     int          `json:"same" doc:"Of what it gives, to each that it names, so many the other side gives too."`
	All      int          `json:"all" doc:"How much it gives, to each that it names."`
	Lacking  []DriftGrant `json:"lacking" doc:"The first of what the other side does not give." nullable:"false"`
	Sentence string       `json:"sentence"`
}

// DriftGrant is a right that someone is given, or denied, on one side.
type DriftGrant struct {
	Whom   string `json:"whom" doc:"A group or account by its name there, or as the map has it; everyone."`
	Object string `json:"object"`
	Right  string `json:"right"`
	Denied bool   `json:"denied,omitempty"`
}

// DriftCause explains a part of a drift.
type DriftCause struct {
	Effect   reading.Effect `json:"effect" enum:"excess,short"`
	Why      reading.Why    `json:"why" doc:"What kind of thing it is."`
	User     string         `json:"user,omitempty" doc:"The user or account concerned."`
	Group    string         `json:"group,omitempty" doc:"The group of the map concerned, or of the system where the map has none."`
	There    string         `json:"there,omitempty" doc:"What the group is called there."`
	Line     string         `json:"line,omitempty" doc:"The line of the map concerned."`
	People   int            `json:"people" doc:"How many people it concerns."`
	Items    int            `json:"items" doc:"How many entitlements it explains."`
	Sentence string         `json:"sentence"`
}

// DriftItem is one entitlement that someone really holds otherwise than by the map.
type DriftItem struct {
	Effect      reading.Effect     `json:"effect" enum:"excess,short"`
	User        string             `json:"user" doc:"The user, or a stranger as SYSTEM/ACCOUNT."`
	Object      string             `json:"object"`
	Right       string             `json:"right"`
	Map         rule.State         `json:"map" doc:"What the map says, leaving aside what stands in front."`
	Really      rule.State         `json:"really" doc:"What the system held."`
	OpenIf      [][]situation.Need `json:"open_if" doc:"When it is open by the map." nullable:"false"`
	MapRoute    []rule.Route       `json:"map_routes" doc:"The routes by the map." nullable:"false"`
	ReallyRoute []rule.Route       `json:"really_routes" doc:"The routes there." nullable:"false"`
	Cause       int                `json:"cause" doc:"Its cause, by its place in causes, from 0."`
}

// DriftAsked says which part of a drift is asked for.
type DriftAsked struct {
	Effect string // excess or short; "": both
	User   string // "": all
	Limit  int    // 0: all
	Cursor string
}

// DriftCauseWords says what a cause is, in a sentence.
func DriftCauseWords(c *reading.Cause) string {
	switch c.Why {
	case reading.NoAccount:
		return c.User + " has no account there"
	case reading.AccountOff:
		return "the account of " + c.User + " cannot be used there"
	case reading.NoGroup:
		return "the group " + c.Group + " is not there"
	case reading.NotMember:
		return fmt.Sprintf("%s is not in %s there, and is in %s", c.User, c.There, c.Group)
	case reading.NotGranted:
		switch {
		case c.There != "":
			return fmt.Sprintf("line %s is not given to %s there", c.Line, c.There)
		case c.User != "":
			return fmt.Sprintf("line %s is not given to the account of %s there", c.Line, c.User)
		}
		return fmt.Sprintf("line %s is not there", c.Line)
	case reading.Stopped:
		return fmt.Sprintf("line %s there stops it", c.There)
	case reading.OffHere:
		return fmt.Sprintf("%s is switched off or has ended by the map, and can use an account there", c.User)
	case reading.LacksHere:
		return fmt.Sprintf(
			"%s lacks %s, which the map requires for this system, and can use an account there",
			c.User,
			c.Lacks,
		)
	case reading.Unknown:
		return fmt.Sprintf("the account %s belongs to nobody of the map", c.User)
	case reading.ExtraMember:
		return fmt.Sprintf("%s is in %s there, and not in %s", c.User, c.There, c.Group)
	case reading.ExtraNesting:
		return fmt.Sprintf("the group %s is in %s there, and by the map is not", c.Group, c.There)
	case reading.ForeignGroup:
		return fmt.Sprintf("it comes by %s there, which is no group of the map", c.There)
	case reading.ExtraGrant:
		return fmt.Sprintf("%s is given more there than %s by the map", c.There, c.Group)
	case reading.DirectGrant:
		return fmt.Sprintf("it is given to the account of %s itself there", c.User)
	case reading.ToEveryone:
		return "it is given to everyone there"
	case reading.Unconditional:
		return fmt.Sprintf("line %s has a condition that is not there", c.Line)
	}
	return "the lines there decide otherwise"
}

// DriftLineWords says how a line differs, in a sentence.
func DriftLineWords(l *reading.Line) string {
	switch {
	case l.Real && l.Same < l.All:
		return "is given there, and not by the map: " + lackingWords(l, false)
	case l.Real:
		return "is given the same there on another condition"
	case l.Same == 0 && l.All > 1:
		return "is not there: " + lackingWords(l, true)
	case l.Same < l.All:
		return "does not give there: " + lackingWords(l, true)
	}
	return "is there on another condition"
}

// OtherwiseWords says what only one side gives: the system, or the map.
func OtherwiseWords(g *reading.Grant, there bool) string {
	what := grantWords(g, true)
	if there {
		return what + " is there, and would not be given by the map"
	}
	return what + " would be given by the map, and is not there"
}

// lackingWords names the first of what the other side does not give, and says how much more there is.
func lackingWords(l *reading.Line, whom bool) string {
	var words []string
	for i := range l.Lacking {
		words = append(words, grantWords(&l.Lacking[i], whom))
	}
	text := strings.Join(words, "; ")
	if more := l.All - l.Same - len(l.Lacking); more > 0 {
		text += fmt.Sprintf("; and %d more", more)
	}
	return text
}

func grantWords(g *reading.Grant, whom bool) string {
	w := g.Right + " on " + g.Object
	if whom {
		w += " to " + g.Whom
	}
	if g.Denied {
		w = "the denial of " + w
	}
	return w
}

// Drifts are the drifts of several systems.
type Drifts struct {
	Drifts []Drift  `json:"drifts" doc:"By system." nullable:"false"`
	Unread []Linked `json:"unread" doc:"Linked systems of which there is nothing to compare, with the reason." nullable:"false"`
	Next   string   `json:"next,omitempty" doc:"Of a drift that was asked for alone, the cursor of the next page; missing on the last."`
}

// Any says whether there is any drift, or a system of which nobody can say.
func (d *Drifts) Any() bool {
	return len(d.Unread) > 0 || slices.ContainsFunc(d.Drifts, func(x Drift) bool { return x.Any() })
}

// Filled makes the lists of an item that are nil empty ones.
func Filled(d DriftItem) DriftItem {
	if d.OpenIf == nil {
		d.OpenIf = [][]situation.Need{}
	}
	if d.MapRoute == nil {
		d.MapRoute = []rule.Route{}
	}
	if d.ReallyRoute == nil {
		d.ReallyRoute = []rule.Route{}
	}
	return d
}
