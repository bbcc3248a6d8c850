package licences

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/gate"
	"gatemap/core/rule"
)

// Check looks at the seats of each product and at each mapping.
func (t *compiled) Check(r *gate.Report) {
	for i := range t.products {
		p := &t.products[i]
		p.checkSeats(r)
		rules := make([]*rule.Rule, len(p.mappings))
		for j := range rules {
			rules[j] = p.mappings[j].Rule
		}
		for j := range rules {
			r.Mapped(rules, j, func(wide, narrow int) bool {
				return p.wider(r, wide, narrow) && (p.seats == nil || seatsBefore(rules, wide, narrow))
			})
		}
	}
}

// seatsBefore says whether one mapping seats those of another no later than that one does: it
// is written before it, and names itself whom that names.
func seatsBefore(rules []*rule.Rule, wide, narrow int) bool {
	return wide < narrow && !slices.ContainsFunc(rules[narrow].Users, func(u directory.UserID) bool {
		return !slices.Contains(rules[wide].Users, u)
	})
}

func (p *product) checkSeats(r *gate.Report) {
	if p.seats == nil {
		return
	}
	holders, seats := p.seats.of(r.Book).holders, p.seats.seats
	if len(holders) <= seats {
		return
	}
	var names []string
	for _, u := range holders[seats:] {
		names = append(names, r.Book.UserName(u))
	}
	r.Find(
		finding.NoSeat,
		p.Line,
		fmt.Sprintf(
			"Product %s has %d seats and %d holders; without a seat: %s.",
			p.name,
			seats,
			len(holders),
			strings.Join(names, ", "),
		),
		"Buy more seats, or remove the product from someone who does not need it.",
		names...)
}

// wider says whether a mapping gives the same people every feature that another
// one gives.
func (p *product) wider(r *gate.Report, wide, narrow int) bool {
	for f, gives := range p.mappings[narrow].gives {
		if gives && !p.mappings[wide].gives[f] {
			return false
		}
	}
	return p.mappings[wide].Covers(r.Book, p.mappings[narrow].Rule)
}
