package plain

import (
	"net/netip"
	"slices"

	"go4.org/netipx"

	"gatemap/core/gate"
	"gatemap/core/gate/firewall"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func names(refs []name.Ref) []string {
	list := make([]string, len(refs))
	for i, r := range refs {
		list[i] = r.Name
	}
	return list
}

// span is what a name of a firewall stands for: addresses.
func (s *system) spans(d *firewall.Document, written string) []netipx.IPRange {
	var list []netipx.IPRange
	for zone, ranges := range d.Zones {
		for _, r := range ranges {
			if name.Equal(zone, written) {
				list = append(list, netipx.RangeOfPrefix(r.Prefix))
			}
		}
	}
	for _, n := range s.world.m.Networks {
		for _, p := range n.Prefixes {
			if name.Equal(n.Name, written) {
				list = append(list, netipx.RangeOfPrefix(p))
			}
		}
	}
	var r situation.Range
	switch {
	case list != nil:
	case written == "any":
		for _, p := range []string{"0.0.0.0/0", "::/0"} {
			list = append(list, netipx.RangeOfPrefix(netip.MustParsePrefix(p)))
		}
	case r.UnmarshalText([]byte(written)) == nil:
		list = append(list, netipx.RangeOfPrefix(r.Prefix))
	}
	return list
}

func services(d *firewall.Document, written string) []firewall.Service {
	if list, ok := d.Services[written]; ok {
		return list
	}
	var one firewall.Service
	_ = one.UnmarshalText([]byte(written)) // it was read before
	return []firewall.Service{one}
}

func orAny(refs []name.Ref) []string {
	if len(refs) == 0 {
		return []string{"any"}
	}
	return names(refs)
}

func (s *system) firewallPoints(q *asked, d *firewall.Document) (permissions []Permission) {
	seen := map[Permission]bool{}
	if d.Default == "permit" {
		permissions = append(permissions, Permission{"any", "any"})
		seen[permissions[0]] = true
	}
	for i := range d.Rules {
		r := &d.Rules[i]
		if r.Action != "permit" || !s.forUser(q, &r.Who) {
			continue
		}
		for _, to := range orAny(r.To) {
			for _, service := range orAny(r.Services) {
				if p := (Permission{to, service}); !seen[p] {
					seen[p] = true
					permissions = append(permissions, p)
				}
			}
		}
	}
	return permissions
}

// forUser is has, for rules that may name nobody and then are for all traffic.
func (s *system) forUser(q *asked, who *gate.Who) bool {
	return !who.Off && who.Empty() && !s.excepted(q, who.Except) || s.has(q, who)
}

// wall is a firewall with the addresses and services of its rules looked up.
type wall struct {
	rules []wallRule
}

type wallRule struct {
	*firewall.Rule
	to, from []netipx.IPRange
	services []firewall.Service
}

func (s *system) read(d *firewall.Document) *wall {
	w := &wall{}
	for i := range d.Rules {
		r := wallRule{Rule: &d.Rules[i]}
		for _, n := range orAny(r.To) {
			r.to = append(r.to, s.spans(d, n)...)
		}
		for _, n := range names(r.From) {
			r.from = append(r.from, s.spans(d, n)...)
		}
		for _, n := range orAny(r.Services) {
			r.services = append(r.services, services(d, n)...)
		}
		w.rules = append(w.rules, r)
	}
	return w
}

// part is one address and one number of a protocol.
type part struct {
	address netip.Addr
	proto   string
	number  int
}

// firewall: section 5.3. The question is asked for one address and number out of
// each part in which no rule begins or ends.
func (s *system) firewall(q *asked, d *firewall.Document, p Permission) rule.State {
	switch permitted, refused, sure, shut := s.walked(q, d, p); {
	case permitted && !refused && sure:
		return rule.Open
	case permitted:
		return rule.Depends
	case shut:
		return rule.Shut
	}
	return rule.None
}

// walked says whether some part is permitted, and some refused; whether all permitted ones
// surely are, and whether a refused one is shut.
func (s *system) walked(q *asked, d *firewall.Document, p Permission) (permitted, refused, sure, shut bool) {
	found, walked := q.mine[s.wall]
	if !walked {
		for i := range s.wall.rules {
			if s.forUser(q, &s.wall.rules[i].Who) {
				found = append(found, i)
			}
		}
		q.mine[s.wall] = found
	}
	var rules []*wallRule
	for _, i := range found {
		rules = append(rules, &s.wall.rules[i])
	}
	sure = true
	for _, x := range parts(s.spans(d, p.Object), services(d, p.Right), rules) {
		var steps []step
		for _, r := range rules {
			if r.about(x) {
				truth := q.sit.holds(r.When)
				if len(r.From) > 0 {
					truth = min(truth, known(q.sit.From.IsValid(), contains(r.from, q.sit.From)))
				}
				steps = append(steps, step{r.Action == "permit", truth})
			}
		}
		switch first(steps, d.Default == "permit") {
		case rule.Open:
			permitted = true
		case rule.Depends:
			permitted, sure = true, false
		case rule.Shut:
			refused, shut = true, true
		default:
			refused = true
		}
	}
	return permitted, refused, sure, shut
}

func contains(spans []netipx.IPRange, a netip.Addr) bool {
	return a.IsValid() && slices.ContainsFunc(spans, func(s netipx.IPRange) bool { return s.Contains(a) })
}

func (r *wallRule) about(x part) bool {
	return contains(r.to, x.address) && slices.ContainsFunc(r.services, func(v firewall.Service) bool {
		return v.Proto == "" || v.Proto == x.proto && v.Low <= x.number && x.number <= v.High
	})
}

// parts are an address and a number of each stretch of what is asked about in
// which no rule begins or ends.
func parts(asked []netipx.IPRange, wanted []firewall.Service, rules []*wallRule) (all []part) {
	addresses, numbers := map[netip.Addr]bool{}, map[part]bool{}
	edge := func(a netip.Addr) {
		if contains(asked, a) {
			addresses[a] = true
		}
	}
	number := func(proto string, n int) {
		if slices.ContainsFunc(
			wanted,
			func(v firewall.Service) bool { return (v.Proto == "" || v.Proto == proto) && v.Low <= n && n <= v.High },
		) {
			numbers[part{proto: proto, number: n}] = true
		}
	}
	for _, span := range asked {
		edge(span.From())
	}
	for _, v := range wanted {
		number(v.Proto, v.Low)
	}
	for _, r := range rules {
		for _, span := range r.to {
			edge(span.From())
			edge(span.To().Next())
		}
		for _, v := range r.services {
			number(v.Proto, v.Low)
			number(v.Proto, v.High+1)
		}
	}
	for a := range addresses {
		for n := range numbers {
			all = append(all, part{a, n.proto, n.number})
		}
	}
	return all
}
