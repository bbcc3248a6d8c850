package answer

import (
	"slices"
	"time"

	"gatemap/connect"
	"gatemap/core/change"
)

// RunState is how far a run of an intake is.
type RunState string

// The states of a run. Waiting and held runs end when they are committed,
// discarded, or overtaken by another run of the same directory.
const (
	RunReading   RunState = "reading"
	RunComparing RunState = "comparing"
	RunWaiting   RunState = "waiting"
	RunHeld      RunState = "held"
	RunCommitted RunState = "committed"
	RunUnchanged RunState = "unchanged"
	RunFailed    RunState = "failed"
	RunDiscarded RunState = "discarded"
	RunCutOff    RunState = "cut off"
)

// Running says that the run is at work.
func (s RunState) Running() bool { return s == RunReading || s == RunComparing }

// Open says that the run can still be committed.
func (s RunState) Open() bool { return s == RunWaiting || s == RunHeld }

// Run is one run of an intake.
type Run struct {
	ID        int64      `json:"id" doc:"Number of the run."`
	Directory string     `json:"directory"`
	How       string     `json:"how" enum:"hand,schedule,stream,push,folder" doc:"What made it run."`
	StartedBy string     `json:"started_by,omitempty" doc:"Who started it; gatemap is the service itself."`
	State     RunState   `json:"state" enum:"reading,comparing,waiting,held,committed,unchanged,failed,discarded,cut off"`
	Started   time.Time  `json:"started"`
	Ended     *time.Time `json:"ended,omitempty"`
	Revision  int        `json:"revision,omitempty" doc:"The revision that it made."`
	RunReport
}

// RunReport is what a run brought to light.
type RunReport struct {
	Read    int      `json:"read" doc:"Entries read so far."`
	Counts  Counts   `json:"counts"`
	Samples []string `json:"samples" doc:"Some of what changes, in words." nullable:"false"`
	Held    string   `json:"held,omitempty" doc:"Why the run is held until it is confirmed."`
	Error   string   `json:"error,omitempty" doc:"Why it failed."`
	Server  string   `json:"server,omitempty" doc:"The server that answered."`
	Version int      `json:"version" doc:"Of what it would change; it counts up when that is worked out again, and is the ETag with which the run is committed."`
	Times   int      `json:"times,omitempty" doc:"How many runs in a row came by themselves and changed nothing; this is the newest."`
}

// Counts are how much of what a run changes.
type Counts struct {
	Users         int `json:"users" doc:"Users of the directory after it."`
	Groups        int `json:"groups"`
	Devices       int `json:"devices"`
	Joined        int `json:"joined"`
	Left          int `json:"left"`
	Changed       int `json:"changed"`
	Off           int `json:"off" doc:"Users who became inactive, or are gone."`
	NewGroups     int `json:"new_groups"`
	GoneGroups    int `json:"gone_groups"`
	ChangedGroups int `json:"changed_groups"`
	Added         int `json:"added" doc:"Members that groups get."`
	Removed       int `json:"removed" doc:"Members that groups lose."`
	OtherDevices  int `json:"devices_changed"`
	Rejected      int `json:"rejected"`
	Alone         int `json:"alone" doc:"Records of a feed that match no account."`
	Gains         int `json:"gains" doc:"Entitlements that people gain."`
	Losses        int `json:"losses"`
	Changes       int `json:"changes"`
}

// Preview is what a run would change. Lists are cut after a thousand; the counts
// of the run are whole.
type Preview struct {
	Run      Run              `json:"run"`
	Joined   []string         `json:"joined" nullable:"false"`
	Left     []string         `json:"left" nullable:"false"`
	Changed  []RecordChange   `json:"changed" nullable:"false"`
	Groups   []GroupChange    `json:"groups" nullable:"false"`
	Devices  []RecordChange   `json:"devices" nullable:"false"`
	Rejected []string         `json:"rejected" doc:"What cannot be taken, with its place and the reason." nullable:"false"`
	Renamed  []string         `json:"renamed" doc:"References in documents that are written anew, since the source renamed what they name." nullable:"false"`
	Alone    []string         `json:"alone" doc:"Records of a feed that match no account." nullable:"false"`
	Gains    []change.Held    `json:"gains" nullable:"false"`
	Losses   []change.Held    `json:"losses" nullable:"false"`
	Changes  []change.Changed `json:"changes" nullable:"false"`
	// Touched and Looked say for how many people it was computed what they gain
	// and lose.
	Touched int `json:"touched" doc:"People whom the run touches."`
	Looked  int `json:"looked" doc:"How many of these gains and losses were computed for."`
}

// RecordChange is a user or a device that comes, goes or changes.
type RecordChange struct {
	Name   string          `json:"name"`
	Fields []connect.Field `json:"fields" nullable:"false"`
}

// GroupChange is a group that comes, goes or changes.
type GroupChange struct {
	Name    string          `json:"name"`
	What    string          `json:"what" enum:"new,gone,changed"`
	Fields  []connect.Field `json:"fields" nullable:"false"`
	Added   []string        `json:"added" nullable:"false"`
	Removed []string        `json:"removed" nullable:"false"`
}

// Runs are runs of intakes, the newest first.
type Runs struct {
	Runs []Run  `json:"runs" doc:"The newest first." nullable:"false"`
	Next string `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// Directory is one directory as the service holds it.
type Directory struct {
	Name     string `json:"name"`
	Title    string `json:"title,omitempty"`
	Source   string `json:"source" doc:"Where its records come from: the name of a connector, such as ldap, or map."`
	Follow   string `json:"follow,omitempty"`
	Feeds    string `json:"feeds,omitempty" doc:"The directory whose accounts it decides attributes of."`
	Users    int    `json:"users"`
	Groups   int    `json:"groups"`
	Devices  int    `json:"devices"`
	Accounts bool   `json:"accounts,omitempty" doc:"Whether accounts are made there for people whom other sources know."`
	Latest   *Run   `json:"latest,omitempty" doc:"Its newest run."`
}

// Directories are all of them.
type Directories struct {
	Directories []Directory `json:"directories" nullable:"false"`
}

// Checked is what a check of a directory's source came to.
type Checked struct {
	Directory string `json:"directory"`
	Steps     []Step `json:"steps" doc:"In order; the check ends with the first that fails." nullable:"false"`
}

// Step is one step of a check.
type Step struct {
	Name   string `json:"name" doc:"Such as address, certificate, bind, filter, attribute, user, groups or mapped."`
	State  string `json:"state" enum:"good,warned,failed"`
	Detail string `json:"detail"`
}

// Failed says whether the check failed.
func (c *Checked) Failed() bool {
	return slices.ContainsFunc(c.Steps, func(s Step) bool { return s.State == "failed" })
}

// Token is a token, shown only once.
type Token struct {
	Token string `json:"token" doc:"It is shown only once; the service keeps its hash."`
}

// Hello is the first event of a stream of events.
type Hello struct {
	Revision int `json:"revision" doc:"The revision in force."`
}

// NewRevision is the event that another revision is in force.
type NewRevision struct {
	Revision int `json:"revision"`
}

// SystemRead says that a linked system was read, or could not be.
type SystemRead struct {
	System string `json:"system"`
}

// SystemDelivered says that a delivery to a linked system got further.
type SystemDelivered struct {
	System string `json:"system"`
}

// TrialChanged says that a trial was begun, changed, removed or committed.
type TrialChanged struct {
	Trial string `json:"trial"`
}
