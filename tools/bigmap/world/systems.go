package world

import (
	"fmt"
	"strings"
)

// share says how many of 100 systems are of a type.
type share struct {
	typ    string
	of100  int
	orders bool // its lines are ordered rules
	write  func(m *maker, b *strings.Builder, lines, number int)
}

var shares = []share{
	{"signin", 5, false, (*maker).signin},
	{"federation", 6, false, (*maker).federation},
	{"network", 5, true, (*maker).network},
	{"firewall", 8, true, (*maker).firewall},
	{"roles", 30, false, (*maker).roles},
	{"app", 16, false, (*maker).app},
	{"licences", 8, false, (*maker).licences},
	{"files", 10, false, (*maker).files},
	{"hosts", 12, false, (*maker).hosts},
}

// plan gives every type a system, and shares out the rest.
func (m *maker) plan() []int {
	counts := make([]int, len(shares))
	left := m.Systems
	for i := range counts {
		counts[i] = max(1, m.Systems*shares[i].of100/100)
		left -= counts[i]
	}
	counts[4] += left
	return counts
}

// systems writes one document for each system, by the name of its file.
func (m *maker) systems() map[string]string {
	m.counts = m.plan()
	counts := m.counts
	ordered, plain := 0, 0
	for i, n := range counts {
		if shares[i].orders {
			ordered += n
		} else {
			plain += n
		}
	}
	docs := map[string]string{}
	for i, s := range shares {
		for k := range counts[i] {
			lines := m.Mappings / plain
			if s.orders {
				lines = m.Rules / ordered
			}
			var b strings.Builder
			name := fmt.Sprintf("%s-%d", s.typ, k+1)
			fmt.Fprintf(&b, "system: %s\ntype: %s\ntitle: Made up\n", name, s.typ)
			if s.typ != "signin" {
				m.around(&b, s.typ, k)
			}
			s.write(m, &b, lines, k)
			docs[name] = b.String()
		}
	}
	return docs
}

// around writes what stands around a system: its directory, what it requires,
// and what is in front of it.
func (m *maker) around(b *strings.Builder, typ string, number int) {
	if m.chance(60) {
		fmt.Fprintf(b, "directory: %s\n", directories[0])
	}
	if m.chance(15) {
		fmt.Fprintf(b, "requires: [%s]\n", m.pick([]string{"emails", "employeeNumber"}))
	}
	if typ == "network" || typ == "firewall" {
		return
	}
	var fronts []string
	if m.chance(60) {
		fronts = append(fronts, fmt.Sprintf("{signin: signin-%d}", 1+number%m.counts[0]))
	}
	if m.chance(10) && typ != "federation" {
		fronts = append(fronts, fmt.Sprintf("{federation: federation-%d/party-1}", 1+m.IntN(m.counts[1])))
	}
	if m.chance(10) {
		fronts = append(
			fronts,
			fmt.Sprintf("{any: [{when: {networks: [office]}}, {network: network-%d, access: vpn}]}", 1+m.IntN(m.counts[2])),
		)
	}
	if m.chance(5) {
		fronts = append(fronts, fmt.Sprintf("{firewall: firewall-%d, to: zone-1, service: ssh}", 1+m.IntN(m.counts[3])))
	}
	if fronts != nil {
		fmt.Fprintf(b, "behind: [%s]\n", strings.Join(fronts, ", "))
	}
}

// groupRef names a group, mostly one that others flow into.
func (m *maker) groupRef() string {
	g := &m.groups[m.IntN(len(m.groups))]
	for range 2 {
		if g.level == 0 || g.mail {
			g = &m.groups[m.IntN(len(m.groups))]
		}
	}
	return directories[g.home] + "/" + g.name
}

func (m *maker) userRef() string {
	p := &m.people[m.IntN(len(m.people))]
	return directories[p.home] + "/" + p.uid
}

// who writes for whom a line is.
func (m *maker) who() string {
	var keys []string
	switch {
	case m.chance(0.03):
		keys = append(keys, "everyone: true")
	case m.chance(4):
		keys = append(keys, "users: ["+m.userRef()+", "+m.userRef()+"]")
	default:
		refs := []string{m.groupRef()}
		for m.chance(25) {
			refs = append(refs, m.groupRef())
		}
		keys = append(keys, "groups: ["+strings.Join(refs, ", ")+"]")
	}
	if m.chance(5) {
		keys = append(keys, "except: {groups: ["+m.groupRef()+"]}")
	}
	return strings.Join(keys, ", ")
}

// when writes a condition, or nothing.
func (m *maker) when(percent float64) string {
	if !m.chance(percent) {
		return ""
	}
	return ", when: {" + m.pick([]string{
		"networks: [summit]", "networks: [summit, office]", "not_networks: [guest-house]", "windows: [night]",
		"windows: [workday]",
		"device: [managed]", "device: [managed, compliant]", "strength: [aal2]", "risk: [low, medium]",
		"networks: [office], windows: [workday]", "clients: [browser]",
	}) + "}"
}

func (m *maker) roles(b *strings.Builder, lines, _ int) {
	nouns := []string{"frames", "jobs", "nodes", "charts", "queues"}
	verbs := []string{"list", "read", "write", "purge"}
	var rights []string
	for _, n := range nouns {
		for _, v := range verbs {
			rights = append(rights, `"`+n+":"+v+`"`)
		}
	}
	fmt.Fprintf(b, "rights: [%s]\nresources:\n  - {path: /}\n", strings.Join(rights, ", "))
	paths := []string{"/"}
	for i := range 5 {
		top := fmt.Sprintf("/area-%d", i)
		fmt.Fprintf(b, "  - {path: %s, tags: {stage: %s}}\n", top, m.pick([]string{"raw", "reduced"}))
		paths = append(paths, top)
		for j := range 3 {
			sealed := ""
			if m.chance(15) {
				sealed = ", sealed: true"
			}
			paths = append(paths, fmt.Sprintf("%s/part-%d", top, j))
			fmt.Fprintf(b, "  - {path: %s%s}\n", paths[len(paths)-1], sealed)
		}
	}
	fmt.Fprintln(b, "roles:")
	roles := []string{"viewer"}
	fmt.Fprintln(b, `  guest: {rights: ["charts:list"]}`)
	fmt.Fprintln(b, `  viewer: {rights: ["*:list"]}`)
	for i := range 10 {
		name := fmt.Sprintf("role-%d", i)
		fmt.Fprintf(
			b,
			"  %s: {includes: [%s], rights: [\"%s:*\", \"*:%s\"], without: [\"%s:purge\"]}\n",
			name,
			m.pick(roles),
			m.pick(nouns),
			m.pick(verbs),
			m.pick(nouns),
		)
		roles = append(roles, name)
	}
	if m.chance(10) {
		fmt.Fprintln(b, "everyone_has: [guest]")
	}
	fmt.Fprintln(b, "mappings:")
	for range lines {
		extra := m.when(20)
		if m.chance(8) {
			extra += ", effect: deny"
		}
		if m.chance(8) {
			extra += ", where: {stage: raw}"
		}
		fmt.Fprintf(b, "  - {%s, role: %s, object: %s%s}\n", m.who(), m.pick(roles), m.pick(paths), extra)
	}
	fmt.Fprintf(
		b,
		"limits:\n"+
			"  - {name: no purging from outside, rights: [\"*:purge\"], object: /area-1, when: {not_networks: [office]}}\n",
	)
	fmt.Fprintf(
		b,
		"  - {name: risky, rights: [\"*:write\"], object: /, when: {risk: [high]}, except: {groups: [%s]}}\n",
		m.groupRef(),
	)
}

func (m *maker) app(b *strings.Builder, lines, _ int) {
	fmt.Fprintln(b, "modules:")
	modules, actions := []string{
		"proposal",
		"schedule",
		"report",
		"entry",
	}, []string{
		"view",
		"list",
		"edit",
		"delete",
		"approve",
	}
	for _, mod := range modules {
		fmt.Fprintf(b, "  %s: [%s]\n", mod, strings.Join(actions, ", "))
	}
	fmt.Fprintln(b, "roles:")
	for i := range 12 {
		fmt.Fprintf(
			b,
			"  role-%d: {%s: {%s: %s, %s: %s}, %s: {view: all}}\n",
			i,
			modules[i%2],
			actions[i%5],
			m.pick([]string{"none", "own", "team", "all"}),
			actions[(i+1)%5],
			m.pick([]string{"own", "team", "all"}),
			modules[2+i%2],
		)
	}
	fmt.Fprintf(b, "merge: %s\nmappings:\n", m.pick([]string{"widest", "widest", "narrowest"}))
	for range lines {
		fmt.Fprintf(b, "  - {%s, role: role-%d%s}\n", m.who(), m.IntN(12), m.when(15))
	}
}

func (m *maker) licences(b *strings.Builder, lines, number int) {
	fmt.Fprintln(b, "products:")
	for i := range 8 {
		seats := ""
		if i < 2 && number == 0 {
			seats = fmt.Sprintf("seats: %d, ", m.Users/100)
		}
		fmt.Fprintf(
			b,
			"  - {product: suite-%d, %sfeatures: [viewer, pipeline, {feature: cluster, needs: [pipeline]}, export]}\n",
			i,
			seats,
		)
	}
	fmt.Fprintln(b, "mappings:")
	for range lines {
		without := ""
		if m.chance(30) {
			without = ", without: [" + m.pick([]string{"cluster", "pipeline", "export"}) + "]"
		}
		who := m.who()
		for strings.Contains(who, "everyone") {
			who = m.who()
		}
		fmt.Fprintf(b, "  - {%s, product: suite-%d%s}\n", who, m.IntN(8), without)
	}
}

func (m *maker) files(b *strings.Builder, lines, _ int) {
	fmt.Fprintln(b, "shares:")
	grants := []string{"reader", "editor", "full", "read", "list, read, write", "delete"}
	for s := range 4 {
		fmt.Fprintf(
			b,
			"  - share: share-%d\n"+
				"    door: [{everyone: true, allow: [editor]}, {%s, deny: [write]}, {groups: [%s], allow: [full]}]\n    folders:\n",
			s,
			m.who(),
			m.groupRef(),
		)
		for f := range 6 {
			path := "/"
			if f > 0 {
				path = fmt.Sprintf("/folder-%d", (f-1)/2)
				if f%2 == 0 {
					path += "/inner"
				}
			}
			inherits := ""
			if m.chance(15) {
				inherits = ", inherits: false"
			}
			fmt.Fprintf(b, "      - {path: %s%s, entries: [", path, inherits)
			for e := range max(1, lines/24) {
				if e > 0 {
					b.WriteString(", ")
				}
				side := "allow"
				if m.chance(12) {
					side = "deny"
				}
				fmt.Fprintf(b, "{%s, %s: [%s]}", m.who(), side, m.pick(grants))
			}
			b.WriteString("]}\n")
		}
	}
}

func (m *maker) hosts(b *strings.Builder, lines, _ int) {
	fmt.Fprintln(b, "hosts:")
	for s := range 6 {
		fmt.Fprintf(b, "  set-%d: [h%d-1.cindervale.example, h%d-2.cindervale.example]\n", s, s, s)
	}
	fmt.Fprintln(b, "login:")
	for range lines / 2 {
		effect := ""
		if m.chance(5) {
			effect = ", effect: deny"
		}
		fmt.Fprintf(b, "  - {%s, hosts: [set-%d]%s%s}\n", m.who(), m.IntN(6), m.when(10), effect)
	}
	fmt.Fprintln(b, "elevate:")
	for range lines - lines/2 {
		except := ""
		if m.chance(15) {
			except = `, except_commands: ["/opt/dome/drive fast"]`
		}
		fmt.Fprintf(
			b,
			"  - {%s, hosts: [set-%d], commands: [\"%s\"], as: %s%s%s}\n",
			m.who(),
			m.IntN(6),
			m.pick(
				[]string{"*", "/opt/dome/*", "/opt/dome/drive fast", "/usr/bin/systemctl restart *", "/opt/archive/sync"},
			),
			m.pick([]string{"root", "dome"}),
			m.when(10),
			except,
		)
	}
}
