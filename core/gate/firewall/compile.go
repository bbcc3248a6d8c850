package firewall

import (
	"iter"
	"net/netip"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// compiled is the compiled gate.
type compiled struct {
	system    string
	index     *rule.Index
	zones     map[string][]span // by folded name: zones and named networks
	names     []string          // of zones, as written
	services  map[string][]Service
	rules     []*entry
	giving    rule.LineSet // those that permit
	byDefault []rule.Route // the default, where it permits; nil: it refuses
	listed    []*point
}

// entry is one rule of the list.
type entry struct {
	*rule.Rule
	always   bool // it has no condition but the source
	from     []span
	to       []span
	toNames  []string
	services []Service
	svcNames []string
	listed   []int // the points of the listing that it is about
}

// Compile makes the gate.
func (d *Document) Compile(s *gate.Site) gate.Gate {
	w := &compiled{system: s.System.Name, index: &s.Index, zones: map[string][]span{}, services: d.Services}
	if d.Default == "permit" {
		w.byDefault = []rule.Route{{Mapping: w.system + "/default", Path: []rule.Hop{}}}
	}
	for _, n := range s.Networks() {
		w.zones[name.Fold(n.Name)] = spansOf(n.Prefixes)
	}
	for zone, ranges := range d.Zones {
		list := make([]netip.Prefix, len(ranges))
		for i, r := range ranges {
			list[i] = r.Prefix
		}
		w.zones[name.Fold(zone)] = spansOf(list)
		w.names = append(w.names, zone)
	}
	slices.Sort(w.names)
	rules := d.limited(s)
	for i := range rules {
		r := w.entry(s, &rules[i])
		if w.rules = append(w.rules, r); r.Effect == rule.Giving {
			w.giving.Add(r.Rule)
		}
	}
	w.list()
	return w
}

// The rules of a firewall, and what each names, are compared with each other.
const (
	maxRules = 5000
	maxNames = 200 // destinations, and services, of one rule
)

// limited are the rules; of one that has too many there are none, and the error says so.
func (d *Document) limited(s *gate.Site) []Rule {
	if len(d.Rules) > maxRules {
		s.Errors.Addf(
			d.Rules[maxRules].Place,
			"this is rule %d, and a firewall has at most %d: divide it into several systems",
			maxRules+1,
			maxRules,
		)
		return nil
	}
	for i := range d.Rules {
		if r := &d.Rules[i]; max(len(r.To), len(r.Services), len(r.From)) > maxNames {
			s.Errors.Addf(
				r.Place,
				"rule %s names more than %d of one kind: give them a name, as a zone or a service",
				r.Name,
				maxNames,
			)
			return nil
		}
	}
	return d.Rules
}

func (w *compiled) entry(s *gate.Site, d *Rule) *entry {
	line, effect := s.Line(d.Name, d.Place), rule.Taking
	if d.Action == "permit" {
		effect = rule.Giving
	}
	r := &entry{to: everywhere, from: everywhere, services: []Service{{High: maxPort}}}
	if d.Who.Empty() {
		r.Rule = s.EveryoneBut(line, &d.Who, d.When, effect)
	} else {
		r.Rule = s.Rule(line, &d.Who, d.When, effect)
	}
	r.always = r.When.Always()
	usable := true
	if len(d.From) > 0 {
		from, _, ok := w.ranges(s, d.From, line)
		if usable = ok || effect == rule.Taking; ok {
			source := situation.SourceIn(joined(d.From), toPrefixes(from))
			r.from, r.When = from, source.And(&r.When)
		}
	}
	if len(d.To) > 0 {
		var ok bool
		r.to, r.toNames, ok = w.ranges(s, d.To, line)
		usable = usable && ok
	}
	if len(d.Services) > 0 {
		var ok bool
		r.services, r.svcNames, ok = w.lookupServices(s, d.Services, line)
		usable = usable && ok
	}
	if !usable && effect == rule.Giving {
		r.Break()
	}
	return r
}

func joined(refs []name.Ref) string {
	names := make([]string, len(refs))
	for i, r := range refs {
		names[i] = r.Name
	}
	return strings.Join(names, "|")
}

func toPrefixes(spans []span) []netip.Prefix {
	var list []netip.Prefix
	for _, s := range spans {
		list = append(list, s.Prefixes()...)
	}
	return list
}

// ranges looks up zones, named networks, addresses and prefixes.
func (w *compiled) ranges(s *gate.Site, refs []name.Ref, line rule.Line) (spans []span, names []string, ok bool) {
	ok = true
	for _, ref := range refs {
		part, found := w.destination(ref.Name)
		if !found {
			s.Missing("zone", ref, name.Near(ref.Name, w.zoneNames(s)), line)
			ok = false
			continue
		}
		spans, names = append(spans, part...), append(names, ref.Name)
	}
	return spans, names, ok
}

func (w *compiled) zoneNames(s *gate.Site) iter.Seq[string] {
	return func(yield func(string) bool) {
		for _, n := range w.names {
			if !yield(n) {
				return
			}
		}
		s.Frame.NetworkNames()(yield)
	}
}

// anyName is the destination and the service of rules that do not say theirs.
const anyName = "any"

// destination reads what a question or a rule is about: a zone, a named
// network, an address, a prefix, a range FROM-TO, or any.
func (w *compiled) destination(written string) ([]span, bool) {
	if zone, ok := w.zones[name.Fold(written)]; ok {
		return zone, true
	}
	if written == anyName {
		return everywhere, true
	}
	var r situation.Range
	if r.UnmarshalText([]byte(written)) == nil {
		return spansOf([]netip.Prefix{r.Prefix}), true
	}
	if from, to, ranged := strings.Cut(written, "-"); ranged {
		a, err1 := netip.ParseAddr(from)
		b, err2 := netip.ParseAddr(to)
		if err1 == nil && err2 == nil && a.BitLen() == b.BitLen() && a.Zone()+b.Zone() == "" && a.Compare(b) <= 0 {
			return []span{spanFrom(a, b)}, true
		}
	}
	return nil, false
}

func (w *compiled) lookupServices(
	s *gate.Site,
	refs []name.Ref,
	line rule.Line,
) (list []Service, names []string, ok bool) {
	ok = true
	for _, ref := range refs {
		part, found := w.service(ref.Name)
		if !found {
			s.Missing("service", ref, name.Near(ref.Name, w.serviceNames), line)
			ok = false
			continue
		}
		list, names = append(list, part...), append(names, ref.Name)
	}
	return list, names, ok
}

func (w *compiled) serviceNames(yield func(string) bool) {
	for n := range w.services {
		if !yield(n) {
			return
		}
	}
}

// service reads a service by name, or as tcp/443.
func (w *compiled) service(written string) ([]Service, bool) {
	if list, ok := w.services[written]; ok {
		return list, true
	}
	var s Service
	if !strings.Contains(written, "/") && written != anyName && written != "icmp" && !slices.Contains(ported, written) {
		return nil, false
	}
	if s.UnmarshalText([]byte(written)) != nil {
		return nil, false
	}
	return []Service{s}, true
}
