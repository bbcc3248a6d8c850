package world

import (
	"fmt"
	"strings"
)

func (m *maker) signin(b *strings.Builder, lines, number int) {
	fmt.Fprintln(b, "policies:")
	for i := range lines {
		apps := "all"
		if m.chance(70) {
			apps = fmt.Sprintf("[roles-%d]", 1+(m.IntN(m.counts[4])/m.counts[0]*m.counts[0]+number)%m.counts[4])
		}
		then := m.pick(
			[]string{"block", "{require: [aal2]}", "{require: [managed-device]}", "{require: [aal2, compliant-device]}"},
		)
		when := m.when(100)
		if then != "block" && m.chance(40) {
			when = ""
		}
		fmt.Fprintf(
			b,
			"  - {name: policy %d, %s, apps: %s%s, then: %s, mode: %s}\n",
			i+1,
			m.who(),
			apps,
			when,
			then,
			m.pick([]string{"enforced", "enforced", "enforced", "watch"}),
		)
	}
}

func (m *maker) federation(b *strings.Builder, lines, _ int) {
	fmt.Fprintln(b, "parties:")
	const parties = 4
	for p := range parties {
		fmt.Fprintf(
			b,
			"  - party: party-%d\n    claims:\n      - {claim: mail, from: emails}\n"+
				"      - {claim: site, from: addresses.locality}\n",
			p+1,
		)
		fmt.Fprintf(
			b,
			"      - {claim: role, from_groups: true, matching: \"%s*-admins-*\", value: \"\"}\n",
			m.pick(syllables),
		)
		for range lines / parties {
			fmt.Fprintf(b, "      - {claim: part, value: part-%d, %s}\n", m.IntN(20), m.who())
		}
		fmt.Fprintf(b, "    admit:\n      - {refuse: {groups: [%s]}}\n", m.groupRef())
		if p%2 == 0 {
			fmt.Fprintf(b, "      - {permit: {claim: mail, ends: \"@cindervale.example\"}}\n")
		} else {
			fmt.Fprintf(b, "      - {permit: {claim: part, is: part-1}}\n      - {permit: {groups: [%s]}}\n", m.groupRef())
		}
	}
}

func (m *maker) network(b *strings.Builder, lines, _ int) {
	if m.chance(30) {
		fmt.Fprintf(b, "sources: [%s]\n", directories[0])
	}
	fmt.Fprintf(
		b,
		"override: {attribute: remoteAccess}\ntags:\n  match: %s\n  default: guest\n  rules:\n",
		m.pick([]string{"all", "first"}),
	)
	for i := range 12 {
		fmt.Fprintf(b, "    - {tag: tag-%d, %s}\n", i%8, m.who())
	}
	fmt.Fprintln(b, "policies:")
	for i := range lines {
		whom := m.who()
		switch {
		case m.chance(30):
			whom = fmt.Sprintf("tags: [tag-%d, tag-%d]", m.IntN(8), m.IntN(8))
		case strings.Contains(whom, "everyone") && i < lines-5:
			whom = "groups: [" + m.groupRef() + "]"
		}
		access := m.pick([]string{"", "vpn", "wifi", "wired", "vpn, wifi"})
		when := m.when(30)
		switch {
		case access == "":
		case when == "":
			when = ", when: {access: [" + access + "]}"
		default:
			when = strings.Replace(when, "{", "{access: ["+access+"], ", 1)
		}
		verdict := "admit, reply: {class: c" + fmt.Sprint(i) + ", session_timeout: 8h}"
		if m.chance(20) {
			verdict = "refuse"
		}
		fmt.Fprintf(b, "  - {name: policy %d, %s%s, verdict: %s}\n", i+1, whom, when, verdict)
	}
}

func (m *maker) firewall(b *strings.Builder, lines, _ int) {
	const zones = 24
	fmt.Fprintln(b, "zones:")
	for z := range zones {
		fmt.Fprintf(b, "  zone-%d: [192.0.2.%d/29]\n", z+1, z*8)
	}
	fmt.Fprintln(b, "  plant: [192.0.2.0/26]\n  all-machines: [192.0.2.0/24, \"2001:db8:51:a::/64\"]")
	fmt.Fprintln(
		b,
		"services:\n  ssh: [tcp/22]\n  web: [tcp/80, tcp/443]\n  cameras: [tcp/8000-8080, udp/8000]\n"+
			"  names: [udp/53, tcp/53]\n  ping: [icmp/echo-request]",
	)
	services := []string{"ssh", "web", "cameras", "names", "ping", "tcp/8040", "tcp/1-1024"}
	fmt.Fprintln(b, "rules:")
	for i := range lines {
		to := fmt.Sprintf("zone-%d", 1+m.IntN(zones))
		switch {
		case m.chance(10):
			to = "plant"
		case m.chance(10):
			to = fmt.Sprintf("192.0.2.%d", m.IntN(192))
		}
		whom := ", " + m.who()
		if strings.Contains(whom, "everyone") {
			whom = ", groups: [" + m.groupRef() + "]"
		}
		action := "permit"
		if m.chance(20) {
			action = "refuse"
			if m.chance(10) {
				whom = ""
			}
		}
		from := ""
		if m.chance(20) {
			from = ", from: [" + m.pick([]string{"summit", "office", "guest-house"}) + "]"
		}
		fmt.Fprintf(
			b,
			"  - {name: rule %d, action: %s%s%s, to: [%s], services: [%s]%s}\n",
			i+1,
			action,
			whom,
			from,
			to,
			m.pick(services),
			m.when(12),
		)
	}
	fmt.Fprintf(b, "  - {name: the rest, action: refuse, to: [all-machines]}\ndefault: refuse\n")
}
