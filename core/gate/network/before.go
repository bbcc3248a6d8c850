package network

import (
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/rule"
)

// sources is the lock that is open to the users of some directories.
type sources struct {
	index *rule.Index
	line  string
	homes []bool // by number of a directory: whether it is one of them; nil: all are
}

func (s *sources) locks() []rule.Lock {
	if s.homes == nil {
		return nil
	}
	return []rule.Lock{s}
}

// Verdict says whether the user's directory is one of the sources.
func (s *sources) Verdict(q *rule.Question) rule.Verdict {
	if s.homes[q.Book.HomeOf(q.Subject.ID)] {
		return rule.Opened
	}
	return q.ShutFor(rule.BySource, s.line, q.Book.UserHome(q.Subject.ID))
}

// Lines are none, and it depends on the directory alone.
func (*sources) Lines() rule.LineSet                           { return rule.LineSet{} }
func (*sources) Depends(*directory.Book) (d rule.Dependencies) { return d }

// override is an attribute that decides before any policy: as a fact, that one is always
// admitted, and as a lock, that one never is.
type override struct {
	attribute string // folded
	line      string
}

// says is what it says of the subject: the first plain value of the attribute.
func (o *override) says(q *rule.Question, word string) bool {
	for _, v := range q.Subject.User().Attributes.Get(o.attribute) {
		if v.Kind != filter.Complex {
			return strings.EqualFold(v.Text, word)
		}
	}
	return false
}

// Holds says whether the subject is always admitted.
func (o *override) Holds(q *rule.Question) bool { return o.says(q, "always") }

// Routes is the one by the attribute.
func (o *override) Routes(*rule.Question, string) []rule.Route {
	return []rule.Route{{Mapping: o.line, Direct: true, Path: []rule.Hop{}}}
}

// Lacks and From say nothing: no line asks for it.
func (*override) Lacks(*rule.Question) []string     { return nil }
func (*override) From() (none []*rule.Rule, _ bool) { return nil, true }

// Verdict is shut for those who are never admitted.
func (o *override) Verdict(q *rule.Question) rule.Verdict {
	if o.says(q, "never") {
		return q.ShutFor(rule.ByOverride, o.line, "")
	}
	return rule.Opened
}

// Lines are none, and it depends on the attribute.
func (*override) Lines() rule.LineSet { return rule.LineSet{} }
func (o *override) Depends(*directory.Book) rule.Dependencies {
	return rule.Dependencies{Attributes: []string{o.attribute}}
}
