package host

import (
	"cmp"
	"maps"
	"regexp"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/gate/hosts"
	"gatemap/core/reading"
)

// Names that Debian's useradd and groupadd take (useradd(8), --badname for dots).
var (
	accountName = regexp.MustCompile(`^[a-z_][a-z0-9_.-]{0,31}$`)
	groupName   = regexp.MustCompile(`^[a-z_][a-z0-9_-]{0,31}$`)
)

// planning compares the hosts of a system with what is wanted.
type planning struct {
	*Document
	w      *delivery.Wanted
	of     *hosts.Document
	mark   connect.Mark
	plan   delivery.Plan
	refuse map[string]bool // accounts and groups that are not delivered
	groups map[string]*delivery.Group
	left   delivery.LeftOut
	out    [phases][]delivery.Statement
}

// The phases of a delivery, in their order on all hosts.
const (
	switchOff    = iota // accounts
	leave               // groups
	narrow              // sudoers
	makeGroups          // without anyone in them
	makeAccounts        // without any group
	widen               // sudoers
	join                // groups
	phases
)

// Plan says which accounts and Unix groups are made, who comes into groups and goes, and what the
// fragment of sudoers on each host says.
func (d *Document) Plan(r *reading.Reading, w *delivery.Wanted, mark connect.Mark) (*delivery.Plan, error) {
	p := &planning{
		Document: d, w: w, mark: mark, refuse: map[string]bool{}, groups: map[string]*delivery.Group{},
	}
	p.of, _ = w.Document.(*hosts.Document)
	machines := r.Native.([]*machine)
	p.names(machines)
	for i := range w.Groups {
		if g := &w.Groups[i]; !p.refuse[g.Name] {
			p.groups[g.Name] = g
		}
	}
	for _, h := range machines {
		if err := p.host(h); err != nil {
			return nil, err
		}
	}
	for _, list := range p.out {
		p.plan.Statements = append(p.plan.Statements, list...)
	}
	p.plan.Left = p.left.List()
	return &p.plan, nil
}

// names takes out what hosts do not take, or have for themselves.
func (p *planning) names(machines []*machine) {
	fault := func(record, named string, why delivery.NameFault) {
		if !p.refuse[named] {
			p.refuse[named] = true
			p.plan.Problems = append(p.plan.Problems, delivery.Problem{Record: record, Name: named, Why: why})
		}
	}
	for _, a := range p.w.Accounts {
		if a.On && !accountName.MatchString(a.Name) {
			fault(a.User, a.Name, delivery.Refused)
		}
		for _, h := range machines {
			if at := h.accounts[a.Name]; a.Name == p.User || a.Name == "root" || at != nil && !h.own(at) {
				fault(a.User, a.Name, delivery.NotOurs)
			}
		}
	}
	for _, g := range p.w.Groups {
		if g.Used && !groupName.MatchString(g.Name) {
			fault(g.Of, g.Name, delivery.Refused)
		}
		for _, h := range machines {
			if at := h.groups[g.Name]; g.Name == p.Login || at != nil && (at.gid < h.ownUIDs && !p.w.Ours(g.Name)) {
				fault(g.Of, g.Name, delivery.NotOurs)
			}
		}
	}
}

// held is what is wanted on one host.
type held struct {
	accounts map[string]bool            // who is to have an account that can be used
	login    map[string]bool            // who may log in
	members  map[string]map[string]bool // by group
	rules    []string
}

// wanted puts together what a host is to hold.
func (p *planning) wanted(h *machine) *held {
	x := &held{accounts: map[string]bool{}, login: map[string]bool{}, members: map[string]map[string]bool{}}
	runs := map[[2]string][]*delivery.Grant{} // by whom, as sudoers writes it, and line
	for i := range p.w.Grants {
		g := &p.w.Grants[i]
		if g.Object != h.name || p.refuse[g.Whom()] {
			continue
		}
		as, in := g.Account, []string{g.Account}
		if g.Group != "" {
			as, in = "%"+g.Group, nil
			for _, a := range p.groups[g.Group].Accounts {
				if !p.refuse[a] {
					in = append(in, a)
				}
			}
			x.members[g.Group] = set(in)
		}
		for _, a := range in {
			x.accounts[a] = true
			if g.Right == "login" {
				x.login[a] = true
			}
		}
		if g.Right == "login" {
			continue
		}
		if len(g.Lines) == 0 {
			p.left.Ungiven(g)
		}
		for _, line := range g.Lines {
			runs[[2]string{as, line}] = append(runs[[2]string{as, line}], g)
		}
	}
	var excepting []piece
	for _, k := range slices.SortedFunc(maps.Keys(runs),
		func(a, b [2]string) int { return cmp.Or(strings.Compare(a[0], b[0]), strings.Compare(a[1], b[1])) }) {
		rule, pieces := p.rule(k[0], k[1], runs[k])
		for i := range pieces {
			pieces[i].people = x.people(k[0])
		}
		excepting = append(excepting, pieces...)
		if rule != "" {
			x.rules = append(x.rules, rule)
		}
	}
	p.conflicts(excepting)
	var first []string // the last rule that matches decides (sudoers(5)): those that take something away come first
	for i := range excepting {
		first = append(first, excepting[i].rule)
	}
	x.rules = slices.Concat(first, x.rules)
	return x
}

// people are those whom a rule is for.
func (x *held) people(whom string) map[string]bool {
	if group, is := strings.CutPrefix(whom, "%"); is {
		return x.members[group]
	}
	return map[string]bool{whom: true}
}

func set(list []string) map[string]bool {
	all := map[string]bool{}
	for _, x := range list {
		all[x] = true
	}
	return all
}
