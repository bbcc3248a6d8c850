package network

import (
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/filter"
	"gatemap/core/rule"
)

// sources is the lock that is open to the users of some directories.
type sources struct {
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

// override is an attribute that decides before any policy.
type override struct {
	attribute string // folded
	line      string
}

// Says goes by the first plain value of the attribute: always is admitted, never is not.
func (o *override) Says(q *rule.Question) (gives, takes rule.Verdict) {
	values := q.Subject.User().Attributes.Get(o.attribute)
	at := slices.IndexFunc(values, func(v filter.Value) bool { return v.Kind != filter.Complex })
	switch {
	case at < 0:
	case strings.EqualFold(values[at].Text, "always"):
		gives = rule.Opened
	case strings.EqualFold(values[at].Text, "never"):
		return gives, q.ShutFor(rule.ByOverride, o.line, "")
	}
	return gives, rule.Opened
}

// Routes is the one by the attribute.
func (o *override) Routes() []rule.Route {
	return []rule.Route{{Mapping: o.line, Direct: true, Path: []rule.Hop{}}}
}

// Depends is the attribute.
func (o *override) Depends(*directory.Book) rule.Dependencies {
	return rule.Dependencies{Attributes: []string{o.attribute}}
}
