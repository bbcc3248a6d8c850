package answer

import (
	"fmt"
	"strings"
	"time"

	"gatemap/core/delivery"
)

// DeliveryState is how far a delivery is.
type DeliveryState string

// The states of a delivery. Waiting and held ones end when they are committed, discarded, or
// overtaken by another one to the same system. One that is handed out is for a person to do: it ends
// when a reading says that all of it was done.
const (
	DeliveryWaiting    DeliveryState = "waiting"
	DeliveryHeld       DeliveryState = "held"
	DeliveryDelivering DeliveryState = "delivering"
	DeliveryHandedOut  DeliveryState = "handed out"
	DeliveryArrived    DeliveryState = "arrived"
	DeliveryUnchanged  DeliveryState = "unchanged"
	DeliveryFailed     DeliveryState = "failed"
	DeliveryDiscarded  DeliveryState = "discarded"
	DeliveryCutOff     DeliveryState = "cut off"
)

// Open says that the delivery can still be committed.
func (s DeliveryState) Open() bool { return s == DeliveryWaiting || s == DeliveryHeld }

// Delivery is what is to be delivered to a system, or was.
type Delivery struct {
	ID       int64         `json:"id" doc:"Number of the delivery."`
	System   string        `json:"system"`
	Revision int           `json:"revision" doc:"The revision of the map from which it was worked out."`
	How      string        `json:"how" enum:"hand,commit,time" doc:"What made it run: somebody, a commit, or a moment at which something ends."`
	BegunBy  string        `json:"begun_by" doc:"Who ran it; gatemap is the service itself."`
	State    DeliveryState `json:"state" enum:"waiting,held,delivering,handed out,arrived,unchanged,failed,discarded,cut off"`
	Began    time.Time     `json:"began"`
	Ended    *time.Time    `json:"ended,omitempty"`
	DeliveryReport
}

// DeliveryReport is what is known of a delivery without its statements.
type DeliveryReport struct {
	Statements int    `json:"statements" doc:"How many statements there are."`
	Grants     int    `json:"grants" doc:"How many grants, memberships and accounts there are under our names, before it."`
	Taken      int    `json:"taken" doc:"How many of these it takes away."`
	LeftOut    int    `json:"left_out" doc:"How much the map gives that is not delivered."`
	Done       []int  `json:"done,omitempty" doc:"Of one that was handed out: the statements that were done since, by their places, from 0."`
	Held       string `json:"held,omitempty" doc:"Why it is held until it is confirmed."`
	By         string `json:"by,omitempty" doc:"Who committed it."`
	Error      string `json:"error,omitempty" doc:"Why it failed."`
	Strangers  bool   `json:"strangers,omitempty" doc:"What people hold beside our names is taken away, too."`
	// What the reading after it said.
	Read   *time.Time `json:"read,omitempty" doc:"When the system was read after it."`
	Excess int        `json:"excess" doc:"How many entitlements were in excess in the reading after it."`
	Short  int        `json:"short" doc:"How many were short."`
}

// DeliveryPlan is what a delivery does, and what it does not.
type DeliveryPlan struct {
	Delivery   Delivery            `json:"delivery"`
	Statements []DeliveryStatement `json:"statements" doc:"As the system takes them, in order: what takes away first." nullable:"false"`
	Left       []DeliveryLeft      `json:"left" doc:"What the map gives and is not delivered." nullable:"false"`
	Through    []DeliveryLeft      `json:"through" doc:"What is given without the condition that it has in the map, as the link says." nullable:"false"`
	Problems   []DeliveryProblem   `json:"problems" doc:"Records of the map that cannot be delivered by their names." nullable:"false"`
	Stays      []string            `json:"stays" doc:"What people hold there beside our names, which stays as it is." nullable:"false"`
}

// DeliveryStatement is one statement, with what it is for.
type DeliveryStatement struct {
	Text   string          `json:"text" doc:"As the system takes it."`
	On     string          `json:"on,omitempty" doc:"The part of the system where it is made, such as a host."`
	For    string          `json:"for" doc:"What it is for."`
	Effect delivery.Effect `json:"effect" enum:"takes,prepares,gives" doc:"Whether it takes something away from someone, gives someone something, or does neither yet."`
	Done   bool            `json:"done,omitempty" doc:"Of one that was handed out to a person: what was read since says that it was done."`
}

// DeliveryLeft is what a line gives and is not delivered as it is written.
type DeliveryLeft struct {
	Line     string       `json:"line" doc:"The line of the map, as SYSTEM/NAME."`
	Whom     string       `json:"whom,omitempty" doc:"The group or user that it names; missing: all of it."`
	Why      delivery.Why `json:"why" doc:"What kind of reason it is."`
	Needs    []string     `json:"needs,omitempty" doc:"What the condition of the line asks for."`
	All      int          `json:"all" doc:"How many things it is about."`
	Sentence string       `json:"sentence"`
}

// DeliveryProblem is a record that cannot be delivered by its name.
type DeliveryProblem struct {
	Record   string             `json:"record" doc:"By full name in the map."`
	Name     string             `json:"name" doc:"As it is written there."`
	Why      delivery.NameFault `json:"why" doc:"What is wrong with the name."`
	Sentence string             `json:"sentence"`
}

// Deliveries are deliveries, the newest first.
type Deliveries struct {
	Deliveries []Delivery `json:"deliveries" doc:"The newest first." nullable:"false"`
	Next       string     `json:"next,omitempty" doc:"The cursor of the next page; missing on the last."`
}

// DeliveryAsked is how a delivery is to be worked out.
type DeliveryAsked struct {
	Strangers bool `json:"strangers,omitempty" doc:"What people hold beside our names is to go, too: foreign grants, and accounts of nobody of the map."`
}

// DeliveryScript is a delivery as a script.
type DeliveryScript struct {
	Script string `json:"script" doc:"It can be run by hand, and ends at the first thing that is not as it should be."`
}

// DeliveryLeftOf says what is left out, in a sentence.
func DeliveryLeftOf(l *delivery.Left) DeliveryLeft {
	return DeliveryLeft{Line: l.Line, Whom: l.Whom, Why: l.Why, Needs: l.Needs, All: l.All, Sentence: leftWords(l)}
}

func leftWords(l *delivery.Left) string {
	var permissions []string
	for _, p := range l.Permissions {
		permissions = append(permissions, p.Right+" on "+p.Object)
	}
	what := strings.Join(permissions, ", ")
	if more := l.All - len(l.Permissions); more > 0 {
		what += fmt.Sprintf(" and %d more", more)
	}
	switch l.Why {
	case delivery.ByCondition:
		if len(l.Needs) > 0 {
			return fmt.Sprintf("%s: it holds only with %s", what, strings.Join(l.Needs, ", "))
		}
		return what + ": it holds in some situations only"
	case delivery.ByMembers:
		who := "one member does not hold it"
		if l.People > 1 {
			who = fmt.Sprintf("%d members do not hold it", l.People)
		}
		return what + ": " + who + ", so the group is not given it"
	case delivery.ByBelow:
		return what + ": something that lies below it would come with it, and is not given"
	case delivery.ByEveryone:
		return what + ": it is given to everyone, and only groups and users are delivered"
	case delivery.ByClaim:
		return what + ": it is given by claims, and only groups and users are delivered"
	case delivery.ByObject:
		return what + ": there is no such object"
	}
	return what + ": no statement gives it"
}

// DeliveryProblemOf says what is wrong with a name, in a sentence.
func DeliveryProblemOf(p *delivery.Problem) DeliveryProblem {
	words := map[delivery.NameFault]string{
		delivery.NoName:     "has no value for what its name there is made of",
		delivery.TwoRecords: "is written " + p.Name + " there, and another one that is to be delivered too: neither is",
		delivery.NotOurs:    "is written " + p.Name + " there, which the link leaves aside or which is the system's own",
		delivery.OfOthers: "is written " + p.Name +
			" there, and what is there by that name belongs to another record, or to none",
		delivery.Refused: "is written " + p.Name + " there, which the system does not take as a name",
	}
	return DeliveryProblem{p.Record, p.Name, p.Why, p.Record + " " + words[p.Why]}
}
