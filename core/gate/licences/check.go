package licences

import (
	"fmt"
	"strings"

	"gatemap/core/finding"
	"gatemap/core/gate"
)

// Check looks at the seats of each product and at each mapping.
func (t *shelf) Check(r *gate.Report) {
	for i := range t.products {
		p := &t.products[i]
		t.checkSeats(r, p)
		for j := range p.mappings {
			m := &p.mappings[j]
			r.DirectUsers(m.crowd, m.line)
			r.Redundant(j, len(p.mappings), func(i int) gate.Line { return p.mappings[i].line },
				func(wide, narrow int) bool { return p.wider(r, wide, narrow) })
		}
	}
}

func (t *shelf) checkSeats(r *gate.Report, p *product) {
	holders := p.seating(r.Book).holders
	if !p.limited || len(holders) <= p.seats {
		return
	}
	var names []string
	for _, u := range holders[p.seats:] {
		names = append(names, r.Book.UserName(u))
	}
	r.Find(finding.NoSeat, p.line,
		fmt.Sprintf("Product %s has %d seats and %d holders; without a seat: %s.", p.name, p.seats, len(holders), strings.Join(names, ", ")),
		"Buy more seats, or remove the product from someone who does not need it.", names...)
}

// wider says whether a mapping gives the same people every feature that another
// one gives.
func (p *product) wider(r *gate.Report, wide, narrow int) bool {
	for f, gives := range p.mappings[narrow].gives {
		if gives && !p.mappings[wide].gives[f] {
			return false
		}
	}
	return p.mappings[wide].crowd.Covers(r.Book, p.mappings[narrow].crowd)
}
