package world

import (
	"bufio"
	"fmt"
	"math"
)

// group is a made-up group.
type group struct {
	home    int
	name    string
	level   int    // 0 to deepest-1; a group is nested in groups of the next level
	rule    string // empty: it lists members
	mail    bool
	own     bool // it counts in systems of its own directory alone
	members []int
	inner   []int
}

const deepest = 8

func (m *maker) makeGroups() {
	m.groups = make([]group, m.Groups)
	byLevel := make([][]int, deepest)
	for i := range m.groups {
		g := &m.groups[i]
		for g.level < deepest-1 && m.chance(55) {
			g.level++
		}
		if m.chance(10) {
			g.home = 1
		}
		switch {
		case m.chance(2):
			g.rule = m.rule()
		case m.chance(5):
			g.mail = true
		case m.chance(5):
			g.own = true
		}
		g.name = fmt.Sprintf(
			"%s-%s-%d",
			syllables[m.IntN(len(syllables))]+m.pick(syllables),
			m.pick([]string{"crew", "team", "readers", "writers", "users", "admins"}),
			i,
		)
		byLevel[g.level] = append(byLevel[g.level], i)
	}
	m.nest(byLevel)
	m.enrol()
}

// rule makes up a rule: most look for one title or department, some combine.
func (m *maker) rule() string {
	title := m.pick(ranks) + " " + m.pick(m.works)
	switch m.IntN(6) {
	case 0:
		return fmt.Sprintf(`title eq "%s" and department eq "%s"`, title, m.pick(m.departments))
	case 1:
		return fmt.Sprintf(`department eq "%s" and not (userType eq "visitor")`, m.pick(m.departments))
	case 2:
		return fmt.Sprintf(`title ew "%s" and addresses.locality eq "%s"`, m.pick(m.works), m.pick(sites))
	case 3:
		return fmt.Sprintf(`employeeNumber sw "E%04d"`, m.IntN(1+m.Users/1000))
	}
	return fmt.Sprintf(`title eq "%s"`, title)
}

// nest puts groups into groups of the next level, and a few the other way
// round, which makes circles.
func (m *maker) nest(byLevel [][]int) {
	for i := range m.groups {
		g := &m.groups[i]
		if g.level+1 < deepest && m.chance(50) {
			m.put(byLevel[g.level+1], i)
		}
		if g.level > 0 && m.chance(0.1) {
			m.put(byLevel[g.level-1], i)
		}
	}
}

// put puts a group into one of several.
func (m *maker) put(among []int, inner int) {
	if len(among) > 0 {
		outer := &m.groups[among[m.IntN(len(among))]]
		if outer.rule == "" {
			outer.inner = append(outer.inner, inner)
		}
	}
}

// enrol fills the groups: the r-th largest has a share of 1/(r+10) of the
// memberships, but no more than a third of all people.
func (m *maker) enrol() {
	order := m.Perm(m.Groups)
	weights, total := make([]float64, m.Groups), 0.0
	for r := range order {
		weights[r] = 1 / math.Pow(float64(r+10), 0.85)
		total += weights[r]
	}
	left := m.Memberships
	for r, i := range order {
		g := &m.groups[i]
		n := int(math.Round(weights[r] / total * float64(m.Memberships) * 1.12))
		if n = min(n, m.Users/3, left); g.rule != "" || n <= 0 {
			continue
		}
		left -= n
		first, stride := m.IntN(m.Users), 1+2*m.IntN(m.Users/2)
		for gcd(stride, m.Users) != 1 {
			stride += 2
		}
		for j := range n {
			g.members = append(g.members, (first+j*stride)%m.Users)
		}
	}
	for left > 0 { // those that rounding has left
		if g := &m.groups[order[m.IntN(len(order))]]; g.rule == "" {
			g.members = append(g.members, m.IntN(m.Users))
			left--
		}
	}
}

func gcd(a, b int) int {
	for b != 0 {
		a, b = b, a%b
	}
	return a
}

func (m *maker) groupDN(g *group) string {
	return "cn=" + g.name + ",ou=groups,dc=" + directories[g.home] + ",dc=example"
}

func (m *maker) groupEntry(w *bufio.Writer, g *group) {
	fmt.Fprintf(w, "\ndn: %s\nobjectClass: groupOfNames\ncn: %s\ndescription: Made up\n", m.groupDN(g), g.name)
	if g.mail {
		fmt.Fprintln(w, "businessCategory: mail")
	}
	if g.own {
		fmt.Fprintln(w, "businessCategory: own")
	}
	if len(g.members)+len(g.inner) == 0 {
		fmt.Fprintf(w, "member: %s\n", m.groupDN(g))
	}
	for _, p := range g.members {
		if m.people[p].home == g.home {
			fmt.Fprintf(w, "member: %s\n", m.dn(&m.people[p]))
		}
	}
	for _, p := range g.members {
		if m.people[p].home != g.home {
			fmt.Fprintf(w, "member: %s/%s\n", directories[m.people[p].home], m.people[p].uid)
		}
	}
	for _, i := range g.inner {
		if inner := &m.groups[i]; inner.home == g.home && inner.rule == "" {
			fmt.Fprintf(w, "member: %s\n", m.groupDN(inner))
		} else {
			fmt.Fprintf(w, "member: %s/%s\n", directories[inner.home], inner.name)
		}
	}
}
