package firewall

import (
	"fmt"
	"net/netip"
	"slices"

	"go4.org/netipx"
)

// span is a stretch of neighbouring addresses of one family.
type span = netipx.IPRange

var everywhere = []span{
	netipx.RangeOfPrefix(netip.MustParsePrefix("0.0.0.0/0")),
	netipx.RangeOfPrefix(netip.MustParsePrefix("::/0")),
}

func spansOf(prefixes []netip.Prefix) []span {
	spans := make([]span, len(prefixes))
	for i, p := range prefixes {
		spans[i] = netipx.RangeOfPrefix(p)
	}
	return spans
}

func inSpans(spans []span, a netip.Addr) bool {
	return slices.ContainsFunc(spans, func(s span) bool { return s.Contains(a) })
}

func overlap(a, b []span) bool {
	return slices.ContainsFunc(a, func(x span) bool {
		return slices.ContainsFunc(b, x.Overlaps)
	})
}

// cut divides spans where any of the others begins or ends: within each part,
// every address is in the same ones of the others.
func cut(spans []span, others [][]span) []span {
	var edges []netip.Addr // the first addresses of parts
	for _, o := range others {
		for _, s := range o {
			edges = append(edges, s.From())
			if after := s.To().Next(); after.IsValid() {
				edges = append(edges, after)
			}
		}
	}
	slices.SortFunc(edges, netip.Addr.Compare)
	edges = slices.Compact(edges)
	var parts []span
	for _, s := range merged(spans) {
		from := s.From()
		i, _ := slices.BinarySearchFunc(edges, from, netip.Addr.Compare)
		for ; i < len(edges) && edges[i].Compare(s.To()) <= 0; i++ {
			if edges[i].BitLen() != from.BitLen() || edges[i] == from {
				continue
			}
			parts = append(parts, netipx.IPRangeFrom(from, edges[i].Prev()))
			from = edges[i]
		}
		parts = append(parts, netipx.IPRangeFrom(from, s.To()))
	}
	return parts
}

// merged puts spans in order, without overlaps.
func merged(spans []span) []span {
	var b netipx.IPSetBuilder
	for _, s := range spans {
		b.AddRange(s)
	}
	set, err := b.IPSet()
	if err != nil {
		panic(err) // spans are valid
	}
	return set.Ranges()
}

// prefixes writes spans as the fewest prefixes.
func prefixes(spans []span) []string {
	var list []string
	for _, s := range merged(spans) {
		for _, p := range s.Prefixes() {
			if p.IsSingleIP() {
				list = append(list, p.Addr().String())
			} else {
				list = append(list, p.String())
			}
		}
	}
	return list
}

// shares says whether two lists of services have any number in common.
func shares(a, b []Service) bool {
	return slices.ContainsFunc(a, func(x Service) bool {
		return slices.ContainsFunc(b, func(y Service) bool {
			return x.Proto == "" || y.Proto == "" || x.Proto == y.Proto && x.Low <= y.High && y.Low <= x.High
		})
	})
}

// other stands for the protocols that nobody names.
const other = "other"

// atoms divides services where any of the others begins or ends: within each
// part, every number is in the same ones of the others. any becomes every
// protocol that is named, and one for the rest.
func atoms(services []Service, others []Service) []Service {
	protos := []string{"tcp", "udp", "sctp", "icmp", other}
	for _, s := range slices.Concat(services, others) {
		if s.Proto != "" && !slices.Contains(protos, s.Proto) {
			protos = append(protos, s.Proto)
		}
	}
	var parts []Service
	for _, proto := range protos {
		edges := []int{}
		for _, s := range slices.Concat(services, others) {
			if s.Proto == proto {
				edges = append(edges, s.Low, s.High+1)
			}
		}
		edges = append(edges, 0, last(proto)+1)
		slices.Sort(edges)
		edges = slices.Compact(edges)
		for i := 0; i+1 < len(edges); i++ {
			if slices.ContainsFunc(services, func(s Service) bool { return s.holds(proto, edges[i]) }) {
				parts = append(parts, Service{Proto: proto, Low: edges[i], High: edges[i+1] - 1})
			}
		}
	}
	return parts
}

// ports writes services for a need: as ports alone where all are of one
// protocol that has ports.
func ports(all, part []Service) []string {
	bare := !slices.ContainsFunc(all, func(s Service) bool { return s.Proto != all[0].Proto }) &&
		last(all[0].Proto) == maxPort
	joined := slices.Clone(part)
	for i := len(joined) - 2; i >= 0; i-- {
		if joined[i].Proto == joined[i+1].Proto && joined[i].High+1 == joined[i+1].Low {
			joined[i].High = joined[i+1].High
			joined = slices.Delete(joined, i+1, i+2)
		}
	}
	list := make([]string, len(joined))
	for i, s := range joined {
		switch {
		case !bare:
			list[i] = s.String()
		case s.Low == s.High:
			list[i] = fmt.Sprint(s.Low)
		default:
			list[i] = fmt.Sprintf("%d-%d", s.Low, s.High)
		}
	}
	return list
}
