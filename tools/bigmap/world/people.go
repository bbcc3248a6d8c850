package world

import (
	"bufio"
	"fmt"
	"strings"
)

var directories = []string{"cindervale", "ridge"}

// person is a made-up user.
type person struct {
	home       int // index of the directory
	uid        string
	given      string
	family     string
	title      string
	department string
	site       string
	kind       string
	number     string // of the employee; empty: none
	mail       bool
	closed     bool
	ends       string // generalized time; empty: never
	remote     string
}

var (
	syllables = strings.Fields(
		"ka lo mi ren sa to vel na du or ith an be cor da el fi gan hal is jo ku lem mar nor os pel qui ros sen tam ul " +
			"ver wyn yor zan",
	)
	departments = strings.Fields(
		"Operations Data Instruments Science Site Safety Accounts Outreach Networks Optics Mechanics Archive Survey " +
			"Planning Visitors Kitchen",
	)
	ranks = strings.Fields("Junior Assistant Deputy Senior Lead Principal Visiting Resident")
	works = strings.Fields(
		"astronomer engineer operator archivist technician planner warden writer analyst mechanic optician accountant " +
			"driver cook librarian surveyor",
	)
	sites = strings.Fields("Summit Office Ridge Valley Harbour")
	kinds = strings.Fields("staff staff staff staff visitor partner contractor")
)

func (m *maker) pick(list []string) string { return list[m.IntN(len(list))] }

func (m *maker) chance(percent float64) bool { return m.Float64()*100 < percent }

func (m *maker) word() string {
	w := m.pick(syllables) + m.pick(syllables)
	if m.chance(40) {
		w += m.pick(syllables)
	}
	return strings.ToUpper(w[:1]) + w[1:]
}

func (m *maker) makePeople() {
	m.people = make([]person, m.Users)
	for i := range m.people {
		p := &m.people[i]
		*p = person{
			given: m.word(), family: m.word(), title: m.pick(ranks) + " " + m.pick(m.works),
			department: m.pick(m.departments), site: m.pick(sites), kind: m.pick(kinds),
			mail: !m.chance(3), closed: m.chance(20),
		}
		if m.chance(15) {
			p.home = 1
		}
		if !m.chance(5) {
			p.number = fmt.Sprintf("E%07d", i)
		}
		if m.chance(5) {
			p.ends = fmt.Sprintf("2026%02d01000000Z", 1+m.IntN(12))
		}
		if m.chance(2) {
			p.remote = m.pick([]string{"always", "never"})
		}
		p.uid = fmt.Sprintf("%s.%s.%d", strings.ToLower(p.given), strings.ToLower(p.family), i)
	}
}

func (m *maker) dn(p *person) string {
	return "uid=" + p.uid + ",ou=people,dc=" + directories[p.home] + ",dc=example"
}

func (m *maker) ldif(w *bufio.Writer, home int) {
	fmt.Fprintf(w, "version: 1\n")
	for i := range m.people {
		if m.people[i].home == home {
			m.entry(w, &m.people[i])
		}
	}
	for i := range m.groups {
		if g := &m.groups[i]; g.home == home && g.rule == "" {
			m.groupEntry(w, g)
		}
	}
}

func (m *maker) entry(w *bufio.Writer, p *person) {
	fmt.Fprintf(
		w,
		"\ndn: %s\nobjectClass: inetOrgPerson\nuid: %s\ncn: %s %s\nsn: %s\ndisplayName: %s %s\ntitle: %s\n"+
			"departmentNumber: %s\nl: %s\nemployeeType: %s\n",
		m.dn(p),
		p.uid,
		p.given,
		p.family,
		p.family,
		p.given,
		p.family,
		p.title,
		p.department,
		p.site,
		p.kind,
	)
	put := func(attribute, value string) {
		if value != "" {
			fmt.Fprintf(w, "%s: %s\n", attribute, value)
		}
	}
	put("employeeNumber", p.number)
	if p.mail {
		put("mail", p.uid+"@cindervale.example")
	}
	if p.closed {
		put("accountStatus", "closed")
	}
	put("seasonEnd", p.ends)
	put("remoteAccess", p.remote)
}

// directory writes the document of a directory: its source, and the groups
// that follow from what people are.
func (m *maker) directory(w *bufio.Writer, home int) {
	d := directories[home]
	fmt.Fprintf(w, `directory: %[1]s
source:
  ldif: %[1]s.ldif
  users:
    base: ou=people,dc=%[1]s,dc=example
    filter: (objectClass=inetOrgPerson)
    name: uid
    disabled: (accountStatus=closed)
    expires: seasonEnd
    attributes: {displayName: displayName, title: title, department: departmentNumber, addresses.locality: l, userType: employeeType, employeeNumber: employeeNumber, emails: mail, remoteAccess: remoteAccess}
  groups:
    base: ou=groups,dc=%[1]s,dc=example
    filter: (objectClass=groupOfNames)
    name: cn
    members: [member]
    description: description
    kind: {mail: (businessCategory=mail)}
    usable_in: {own: (businessCategory=own)}
groups:
`, d)
	some := false
	for i := range m.groups {
		if g := &m.groups[i]; g.home == home && g.rule != "" {
			fmt.Fprintf(w, "  - {name: %s, rule: '%s'}\n", g.name, g.rule)
			some = true
		}
	}
	if !some {
		fmt.Fprintln(w, "  []")
	}
}
