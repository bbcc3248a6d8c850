package rule_test

import (
	"fmt"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// Two lines about one lamp: the crew may light it with a managed device, and guests may not.
func ExampleDecision() {
	var errs place.Errors
	member := func(users ...string) *directory.Members {
		m := &directory.Members{}
		for _, u := range users {
			m.Users = append(m.Users, name.Ref{Name: u})
		}
		return m
	}
	book := directory.Build([]*directory.Document{{
		Name: "cindervale", Users: []*directory.User{{Name: "ilse"}, {Name: "teo"}, {Name: "rana"}},
		Groups: []*directory.Group{{Name: "crew", Members: member("ilse", "teo")}, {Name: "guests", Members: member("teo")}},
	}}, &errs)
	frame := &situation.Frame{}
	s := &gate.Site{System: &gate.System{Name: "dome"}, Book: book, Frame: frame, Errors: &errs}
	managed := &situation.When{Device: []situation.Property{"managed"}}
	allow := s.Rule(rule.Line{Name: "dome/allow"}, &gate.Who{Groups: []name.Ref{{Name: "crew"}}}, managed, rule.Giving)
	deny := s.Rule(rule.Line{Name: "dome/deny"}, &gate.Who{Groups: []name.Ref{{Name: "guests"}}}, nil, rule.Taking)
	deny.Reason = rule.ByDeny
	s.Finish()

	lamp := &rule.Entry{System: "dome", On: "lamp", Right: "light", Decision: &rule.Decision{
		Index: &s.Index, Nearest: &rule.Level{Gives: rule.Lines(allow), Takes: rule.Lines(deny)},
	}}
	for u := range book.AllUsers {
		q := &rule.Question{Book: book, Subject: book.Subject(u), Facts: frame.Facts(situation.Situation{}, nil)}
		e := lamp.Decide(q)
		e.Settle(q)
		fmt.Println(book.UserName(u), e.State, e.OpenIf, e.ShutBy)
	}
	// Output:
	// cindervale/ilse depends [[device:managed]] []
	// cindervale/rana none [] []
	// cindervale/teo shut [] [{deny dome/deny }]
}
