package ldap

import (
	"fmt"
	"strconv"
	"sync"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"

	"gatemap/connect"
)

// Mark is a moment of a server: what changes after it is found by Changes.
type Mark struct {
	number string    // its change number, where it has such
	at     time.Time // by the clock of this machine, where it marks changes by time
}

// The attributes by which servers mark changes: a number that grows, or the time (RFC 4512
// section 3.4).
const (
	byNumber = "uSNChanged"
	byTime   = "modifyTimestamp"
)

// marked is the attribute by which the server marks changes.
func (c *Conn) marked() string {
	if root, err := c.rootEntry(); err == nil && root.GetEqualFoldAttributeValue("highestCommittedUSN") != "" {
		return byNumber
	}
	return byTime
}

// Mark marks this moment.
func (c *Conn) Mark() (Mark, error) {
	if c.marked() == byTime {
		return Mark{at: time.Now()}, nil
	}
	c.root = nil // it grows
	root, err := c.rootEntry()
	if err != nil {
		return Mark{}, &Error{"search", c.server, err}
	}
	return Mark{number: root.GetEqualFoldAttributeValue("highestCommittedUSN")}, nil
}

// from is the value of the marked attribute from which on entries may have changed since.
func (c *Conn) from(since Mark) string {
	if since.at.IsZero() {
		return since.number
	}
	return c.clock.before(since.at).UTC().Format("20060102150405Z")
}

// changed is a filter with the condition that an entry may have changed since.
func (c *Conn) changed(filter string, since Mark) string {
	return fmt.Sprintf("(&%s(%s>=%s))", filter, c.marked(), c.from(since))
}

// older says whether an entry was made before a mark.
func (c *Conn) older(e *connect.Entry, mark Mark) bool {
	if c.marked() == byNumber {
		made, err := strconv.ParseInt(e.First("uSNCreated").Value, 10, 64)
		from, _ := strconv.ParseInt(mark.number, 10, 64)
		return err == nil && made < from
	}
	made := e.First("createTimestamp").Value
	return made != "" && made < c.from(mark)
}

// overlap is how far a mark by time reaches back, since entries of one second come one by
// one, and those of other servers a little later.
const overlap = 5 * time.Second

// clock is what is known of the clock of a server, which may be before or behind that of
// this machine: it has told the times of changes, none of which was yet to come.
type clock struct {
	mu          sync.Mutex
	told, heard time.Time // the time of a change, and when it came here
}

// hear takes the time of a change that came just now.
func (c *clock) hear(stamp string) {
	told, err := ber.ParseGeneralizedTime([]byte(stamp))
	if err != nil {
		return
	}
	now := time.Now()
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.heard.IsZero() || told.After(c.told.Add(now.Sub(c.heard))) {
		c.told, c.heard = told, now
	}
}

// before is a time that the server's clock had passed at a moment of this machine's; the
// beginning of time where it has told nothing.
func (c *clock) before(at time.Time) time.Time {
	c.mu.Lock()
	defer c.mu.Unlock()
	if c.heard.IsZero() {
		return time.Unix(0, 0)
	}
	theirs := c.told.Add(at.Sub(c.heard))
	if at.Before(theirs) {
		theirs = at // one that runs ahead may be that of another server, from which an entry was copied
	}
	return theirs.Add(-overlap)
}
