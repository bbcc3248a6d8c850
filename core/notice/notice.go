// Package notice holds what must not wait for someone to look: what it can be about, who is told
// of it, and what one is told when what stands has turned (docs/notices.md). It sends nothing.
package notice

import (
	"slices"
	"strings"
	"time"

	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Topic is what a notice can be about.
type Topic string

// The topics.
const (
	Guarantee  Topic = "guarantee"  // a guarantee is broken
	Drift      Topic = "drift"      // a system really gives more or less than the map says
	Stranger   Topic = "stranger"   // an account of a system belongs to nobody of the map
	Connection Topic = "connection" // a source or a system cannot be read
	Intake     Topic = "intake"     // a run is held until someone confirms it
	Delivery   Topic = "delivery"   // a delivery did not arrive
	Audit      Topic = "audit"      // the audit is not what was written
)

// Values lists them.
func (Topic) Values() []string {
	return []string{
		string(Guarantee),
		string(Drift),
		string(Stranger),
		string(Connection),
		string(Intake),
		string(Delivery),
		string(Audit),
	}
}

// Document says who is told of what. What about and systems leave out is everything.
type Document struct {
	Place      place.Place          `yaml:"-"`
	Name       string               `yaml:"notices,required" doc:"The name of the receiver."`
	Connection directory.Connection `yaml:",notify"`
	About      []Topic              `yaml:"about" doc:"What it is told of. Missing: everything."`
	Systems    []name.Ref           `yaml:"systems" doc:"The systems and directories of which it is told. Missing: all, and what is of none."`
	Digest     directory.Span       `yaml:"digest" doc:"How long notices are gathered into one message, such as 1h. Missing: each is sent at once."`
}

// Wants says whether the receiver is told of something that stands.
func (d *Document) Wants(s *Standing) bool {
	if len(d.About) > 0 && !slices.Contains(d.About, s.Topic) {
		return false
	}
	return len(d.Systems) == 0 ||
		slices.ContainsFunc(d.Systems, func(r name.Ref) bool { return s.Of != "" && name.Equal(r.Name, s.Of) })
}

// Standing is something that stands until it is over, such as a guarantee that is broken.
type Standing struct {
	Topic Topic
	Of    string // the system or directory concerned; "": none
	Key   string // the same as long as it lasts, and of nothing else of that topic
	Text  string // what stands, in a sentence
	Fix   string // what to do about it, in a sentence
	// Turns is another text whenever it has changed in a way that is worth telling again.
	Turns string
}

// ID is the same as long as something stands.
func (s *Standing) ID() string {
	return strings.Join([]string{string(s.Topic), name.Fold(s.Of), s.Key}, "\x00")
}

// Turn is how what stands has turned.
type Turn string

// The turns. Test is of a message that somebody sends to see whether it arrives.
const (
	Began   Turn = "began"
	Changed Turn = "changed"
	Over    Turn = "over"
	Test    Turn = "test"
)

// Notice is what a receiver is told.
type Notice struct {
	ID       string    `json:"id" doc:"The same each time that it is sent."`
	Receiver string    `json:"receiver"`
	Topic    Topic     `json:"topic,omitempty" doc:"What it is about. Missing: it is a test."`
	Turn     Turn      `json:"turn" enum:"began,changed,over,test"`
	Of       string    `json:"of,omitempty" doc:"The system or directory concerned."`
	Text     string    `json:"text" doc:"What stands, or stood, in a sentence."`
	Fix      string    `json:"fix,omitempty" doc:"What to do about it, in a sentence."`
	Since    time.Time `json:"since" doc:"Since when it stands."`
	At       time.Time `json:"at" doc:"When it turned."`
}

// Words is the notice in one line.
func (n *Notice) Words() string {
	switch n.Turn {
	case Changed:
		return "Changed: " + n.Text
	case Over:
		return "Over: " + n.Text
	}
	return n.Text
}

// Told is what a receiver was told of something that stands.
type Told struct {
	Standing
	Since time.Time
}

// Turned compares what a receiver was told, by ID, with what stands: it gives what is to be told
// now, in the order of what stands with what is over first, and what the receiver then knows.
// Notices have no ID yet.
func Turned(
	d *Document,
	told map[string]Told,
	stands []Standing,
	now time.Time,
) (notices []Notice, known map[string]Told) {
	known = make(map[string]Told, len(stands))
	var fresh []Notice
	for i := range stands {
		s := stands[i]
		if !d.Wants(&s) {
			continue
		}
		id := s.ID()
		if _, twice := known[id]; twice {
			continue
		}
		was, is := told[id]
		t := Told{s, now}
		if is {
			t.Since = was.Since
		}
		known[id] = t
		switch {
		case !is:
			fresh = append(fresh, t.notice(d, Began, now))
		case was.Turns != s.Turns:
			fresh = append(fresh, t.notice(d, Changed, now))
		}
	}
	var over []string
	for id, was := range told {
		if _, stands := known[id]; !stands && d.Wants(&was.Standing) {
			over = append(over, id)
		}
	}
	slices.Sort(over)
	for _, id := range over {
		was := told[id]
		notices = append(notices, was.notice(d, Over, now))
	}
	return append(notices, fresh...), known
}

func (t *Told) notice(d *Document, turn Turn, now time.Time) Notice {
	n := Notice{
		Receiver: d.Name,
		Topic:    t.Topic,
		Turn:     turn,
		Of:       t.Of,
		Text:     t.Text,
		Since:    t.Since.UTC(),
		At:       now.UTC(),
	}
	if turn != Over {
		n.Fix = t.Fix
	}
	return n
}
