package plain

import (
	"net/netip"
	"path"
	"slices"
	"strings"

	"go4.org/netipx"

	"gatemap/core/filter"
	"gatemap/core/gate"
	"gatemap/core/gate/federation"
	"gatemap/core/gate/firewall"
	"gatemap/core/gate/network"
	"gatemap/core/gate/signin"
	"gatemap/core/name"
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
			if strings.EqualFold(zone, written) {
				list = append(list, netipx.RangeOfPrefix(r.Prefix))
			}
		}
	}
	for _, n := range s.world.m.Networks {
		for _, p := range n.Prefixes {
			if strings.EqualFold(n.Name, written) {
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

func (s *system) firewallPoints(q *asked, d *firewall.Document) (points []Point) {
	seen := map[Point]bool{}
	for i := range d.Rules {
		r := &d.Rules[i]
		if r.Action != "permit" || !s.forUser(q, &r.Who) {
			continue
		}
		for _, to := range orAny(r.To) {
			for _, service := range orAny(r.Services) {
				if p := (Point{to, service}); !seen[p] {
					seen[p] = true
					points = append(points, p)
				}
			}
		}
	}
	return points
}

// forUser is has, for rules that may name nobody and then are for all traffic.
func (s *system) forUser(q *asked, who *gate.Who) bool {
	return who.Empty() && !s.excepted(q, who.Except) || s.has(q, who)
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
func (s *system) firewall(q *asked, d *firewall.Document, p Point) gate.State {
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
	var permitted, refused, sure, shut = false, false, true, false
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
		case gate.Open:
			permitted = true
		case gate.Depends:
			permitted, sure = true, false
		case gate.Shut:
			refused, shut = true, true
		default:
			refused = true
		}
	}
	switch {
	case permitted && !refused && sure:
		return gate.Open
	case permitted:
		return gate.Depends
	case shut:
		return gate.Shut
	}
	return gate.None
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
		if slices.ContainsFunc(wanted, func(v firewall.Service) bool { return v.Proto == proto && v.Low <= n && n <= v.High }) {
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

func networkPoints(d *network.Document) (points []Point) {
	for _, way := range []string{"vpn", "wifi", "wired"} {
		points = append(points, Point{way, "admit"})
	}
	if d.Tags != nil {
		points = append(points, Point{"tag", d.Tags.Default})
		for i := range d.Tags.Rules {
			points = append(points, Point{"tag", d.Tags.Rules[i].Tag})
		}
	}
	return points
}

func (s *system) tags(q *asked, d *network.Document) (tags []string) {
	if d.Tags == nil {
		return nil
	}
	for i := range d.Tags.Rules {
		if r := &d.Tags.Rules[i]; s.has(q, &r.Who) {
			tags = append(tags, r.Tag)
			if d.Tags.Match == "first" {
				break
			}
		}
	}
	if tags == nil && d.Tags.Default != "" {
		tags = []string{d.Tags.Default}
	}
	return tags
}

// network: section 5.4.
func (s *system) network(q *asked, d *network.Document, p Point) gate.State {
	known := gate.Open
	if len(d.Sources) > 0 && !slices.ContainsFunc(d.Sources, func(r name.Ref) bool { return strings.EqualFold(r.Name, q.home) }) {
		known = gate.Shut
	}
	tags := s.tags(q, d)
	if p.Object == "tag" {
		if slices.Contains(tags, p.Right) {
			return known
		}
		return gate.None
	}
	override := ""
	if d.Override != nil {
		override = q.Attributes.First(d.Override.Attribute)
	}
	if override == "always" {
		return known
	}
	var steps []step
	for i := range d.Policies {
		c := &d.Policies[i]
		when := situation.When{}
		if c.When != nil {
			when = *c.When
		}
		about := len(when.Access) == 0 || slices.Contains(when.Access, situation.Access(p.Object))
		when.Access = nil
		named := len(c.Tags) == 0 || slices.ContainsFunc(c.Tags, func(r name.Ref) bool { return slices.Contains(tags, r.Name) })
		whom := s.has(q, &c.Who)
		if c.Empty() && len(c.Tags) > 0 {
			whom = !s.excepted(q, c.Except)
		}
		if about && named && whom {
			steps = append(steps, step{c.Verdict == "admit", q.sit.holds(&when)})
		}
	}
	state := first(steps, false)
	if state != gate.None && override == "never" {
		return gate.Shut
	}
	return min(state, known)
}

// claims are what a sign-in to a party carries.
func (s *system) claims(q *asked, p *federation.Party) map[string][]string {
	claims := map[string][]string{}
	put := func(claim, value string) {
		if value != "" {
			claims[claim] = append(claims[claim], value)
		}
	}
	for i := range p.Claims {
		c := &p.Claims[i]
		if !s.forUser(q, &c.Who) {
			continue
		}
		switch {
		case c.From != "":
			for _, v := range (record{q.User}).Values(name.Fold(c.From)) {
				if v.Kind != filter.Complex {
					put(c.Claim, v.Text)
				}
			}
		case !c.FromGroups:
			put(c.Claim, c.Value)
		default:
			for g := range q.in {
				if ok, _ := path.Match(c.Matching.Value, g.Name); s.counts(g) && (ok || c.Matching.Value == "") {
					if c.Value != "" {
						put(c.Claim, c.Value)
					} else {
						put(c.Claim, g.Name)
					}
				}
			}
		}
	}
	return claims
}

// admitted: one refusal that holds refuses, else one permit admits, else the
// default.
func (s *system) admitted(q *asked, p *federation.Party, claims map[string][]string) gate.State {
	holds := func(t *federation.Test) bool {
		if t.Claim == "" {
			return s.has(q, &t.Who)
		}
		return slices.ContainsFunc(claims[t.Claim], func(v string) bool {
			return t.Is != nil && v == *t.Is || t.Starts != nil && strings.HasPrefix(v, *t.Starts) || t.Ends != nil && strings.HasSuffix(v, *t.Ends)
		})
	}
	permitted, refused := p.Default == "permit", false
	for _, a := range p.Admit {
		permitted = permitted || a.Permit != nil && holds(a.Permit)
		refused = refused || a.Refuse != nil && holds(a.Refuse)
	}
	switch {
	case !permitted:
		return gate.None
	case refused:
		return gate.Shut
	}
	return gate.Open
}

func (s *system) federationPoints(q *asked, d *federation.Document) (points []Point) {
	for i := range d.Parties {
		p := &d.Parties[i]
		points = append(points, Point{p.Party.Value, "sign-in"})
		for claim, values := range s.claims(q, p) {
			for _, v := range values {
				points = append(points, Point{p.Party.Value, "claim " + claim + "=" + v})
			}
		}
	}
	return points
}

// federation: section 5.8.
func (s *system) federation(q *asked, d *federation.Document, at Point) gate.State {
	for i := range d.Parties {
		p := &d.Parties[i]
		if p.Party.Value != at.Object {
			continue
		}
		claims := s.claims(q, p)
		state := s.admitted(q, p, claims)
		if at.Right == "sign-in" {
			return state
		}
		claim, value, _ := strings.Cut(strings.TrimPrefix(at.Right, "claim "), "=")
		if slices.Contains(claims[claim], value) {
			return max(state, gate.Shut)
		}
	}
	return gate.None
}

// carries says whether a user is admitted to a party with a claim.
func (w *World) carries(q *asked, c gate.ClaimRef) bool {
	named, party, _ := strings.Cut(c.Party.Name, "/")
	s := w.systems[name.Fold(named)]
	d := s.Gate.(*federation.Document)
	for i := range d.Parties {
		if p := &d.Parties[i]; p.Party.Value == party {
			claims := s.claims(q, p)
			return s.admitted(q, p, claims) == gate.Open && slices.Contains(claims[c.Claim], c.Is)
		}
	}
	return false
}

func (s *system) signinPoints(d *signin.Document) (points []Point) {
	for _, other := range s.world.m.Systems {
		listed := behind(other.Behind, s.Name)
		for i := range d.Policies {
			for _, r := range d.Policies[i].Apps {
				listed = listed || d.Policies[i].Mode != "disabled" && strings.EqualFold(r.Name, other.Name)
			}
		}
		if listed {
			points = append(points, Point{other.Name, "sign-in"})
		}
	}
	return points
}

func behind(list []gate.Front, system string) bool {
	return slices.ContainsFunc(list, func(f gate.Front) bool {
		return strings.EqualFold(f.Gate["signin"], system) || behind(f.Any, system)
	})
}

// signin: section 5.9.
func (s *system) signin(q *asked, d *signin.Document, p Point) gate.State {
	state, given := gate.Open, gate.None
	for _, i := range mine(s, q, d.Policies, func(c *signin.Policy) *gate.Who { return &c.Who }) {
		c := &d.Policies[i]
		about := slices.ContainsFunc(c.Apps, func(r name.Ref) bool { return r.Name == "all" || strings.EqualFold(r.Name, p.Object) })
		if !about || c.Mode == "watch" || c.Mode == "disabled" {
			continue
		}
		matches := q.sit.holds(c.When)
		if c.Then.Block {
			state = min(state, takes(matches))
			continue
		}
		given = max(given, gives(matches))
		for _, r := range c.Then.Require {
			// A policy that does not match asks for nothing.
			state = min(state, gives(max(yes-matches, q.sit.holds(required(r)))))
		}
	}
	if d.Default == "block" {
		if given == gate.None {
			return given
		}
		return min(state, given)
	}
	return state
}

func required(r signin.Requirement) *situation.When {
	switch r {
	case "managed-device":
		return &situation.When{Device: []situation.Property{"managed"}}
	case "compliant-device":
		return &situation.When{Device: []situation.Property{"compliant"}}
	}
	return &situation.When{Strength: []situation.Strength{situation.Strength(r)}}
}
