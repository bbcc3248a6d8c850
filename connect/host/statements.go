package host

import (
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/core/delivery"
)

// refusal is what keeps a delivery from being made.
type refusal struct{ text string }

func (r *refusal) Error() string { return r.text }

func (p *planning) add(phase int, h *machine, text, why string) {
	effect := delivery.Gives
	switch phase {
	case switchOff, leave, narrow:
		effect = delivery.Takes
		p.plan.Taken++
	case makeGroups:
		effect = delivery.Prepares
	}
	p.out[phase] = append(p.out[phase], delivery.Statement{Text: text, On: h.name, For: why, Effect: effect})
}

// word is a name as a shell has it.
func word(named string) string {
	if accountName.MatchString(named) {
		return named
	}
	return quoted(named)
}

// host brings one host to what it is to hold.
func (p *planning) host(h *machine) error {
	want := p.wanted(h)
	if err := p.sudoers(h, want); err != nil {
		return err
	}
	p.accounts(h, want)
	p.strangers(h)
	p.members(h, p.Login, want.login, "may log in", "may not log in")
	for _, g := range p.ours(h, want) {
		of := "any group of the map by that name"
		if x := p.groups[g]; x != nil {
			of = x.Of
		}
		wanted := want.members[g]
		if wanted == nil { // it is given nothing here, and may only lose members
			wanted = map[string]bool{}
			if x := p.groups[g]; x != nil {
				for _, a := range x.Accounts {
					if slices.Contains(h.in(g), a) {
						wanted[a] = true
					}
				}
			}
		}
		p.members(h, g, wanted, "is in "+of, "is not in "+of)
	}
	for _, n := range h.ordered() {
		if _, known := p.w.Known[n]; known && h.may[n] && h.own(h.accounts[n]) && !want.login[n] && n != p.User &&
			!p.w.Aside(n) &&
			!slices.Contains(h.in(p.Login), n) {
			p.plan.Stays = append(p.plan.Stays, fmt.Sprintf("%s can log in to %s without being in %s", n, h.name, p.Login))
		}
	}
	return nil
}

// ours are the groups of a host to look at: those that are wanted here, and those there that go with
// a group of the map or are called as only ours are.
func (p *planning) ours(h *machine, want *held) []string {
	all := map[string]bool{}
	for g := range want.members {
		all[g] = true
	}
	for g := range h.groups {
		if !p.refuse[g] && g != p.Login && (p.groups[g] != nil || p.w.Ours(g)) {
			all[g] = true
		}
	}
	return slices.Sorted(maps.Keys(all))
}

// accounts makes those who are to have one, lets them in again, and switches off those of people who
// are switched off.
func (p *planning) accounts(h *machine, want *held) {
	for _, a := range p.w.Accounts {
		at := h.accounts[a.Name]
		if p.refuse[a.Name] {
			continue
		}
		if at != nil && at.ended == "" {
			p.plan.Held++
		}
		switch {
		case !a.On:
			if at != nil && at.ended == "" {
				p.add(switchOff, h, "usermod --expiredate 1 "+word(a.Name), a.User+" is switched off or has ended")
			}
		case !want.accounts[a.Name]:
		case at == nil:
			p.add(
				makeAccounts,
				h,
				"useradd --badname --create-home --shell /bin/bash "+word(a.Name),
				a.User+" gets an account, without a password",
			)
		case strings.HasPrefix(at.ended, "it ended"):
			p.add(makeAccounts, h, "usermod --expiredate '' "+word(a.Name), a.User+" can use the account again")
		case want.login[a.Name] && h.unable(at) != "":
			p.plan.Stays = append(p.plan.Stays, fmt.Sprintf("%s cannot log in to %s: %s", a.Name, h.name, h.unable(at)))
		}
	}
}

// strangers are the accounts of people whom the map does not know: they stay, unless they are asked to
// go as well.
func (p *planning) strangers(h *machine) {
	for _, n := range p.w.Unknown {
		at := h.accounts[n]
		switch {
		case at == nil || at.ended != "" || !h.own(at) || n == p.User:
		case p.w.Strangers:
			p.plan.Held++
			p.add(switchOff, h, "usermod --expiredate 1 "+word(n), "the account belongs to nobody of the map")
		default:
			p.plan.Stays = append(
				p.plan.Stays,
				fmt.Sprintf("%s has an account on %s, and belongs to nobody of the map", n, h.name),
			)
		}
	}
}

// members brings the members of a Unix group to those who are wanted.
func (p *planning) members(h *machine, named string, want map[string]bool, is, isnt string) {
	at := h.groups[named]
	if at == nil {
		if len(want) == 0 {
			return
		}
		p.add(makeGroups, h, "groupadd "+word(named), "its members "+strings.Replace(is, "is ", "are ", 1))
		at = &group{gid: -1}
	}
	in := h.in(named)
	p.plan.Held += len(in)
	for _, m := range in {
		switch {
		case want[m] || p.w.Aside(m):
		case h.accounts[m].gid == at.gid:
			p.plan.Stays = append(
				p.plan.Stays,
				fmt.Sprintf("%s is in %s on %s by the group of the account itself", m, named, h.name),
			)
		default:
			p.add(leave, h, "gpasswd --delete "+word(m)+" "+word(named), "by the map the account "+isnt)
		}
	}
	for _, m := range slices.Sorted(maps.Keys(want)) {
		if !slices.Contains(in, m) {
			p.add(join, h, "gpasswd --add "+word(m)+" "+word(named), "by the map the account "+is)
		}
	}
}

// sudoers brings the fragment to its rules: first to those that stay, then to all.
func (p *planning) sudoers(h *machine, want *held) error {
	by, is := rulesOf(h.fragment)
	if by.Map != "" && by.Map != p.mark.Map {
		return &refusal{
			fmt.Sprintf(
				"%s: %s is delivered by another map (%s): one system has one map that delivers to it",
				h.name,
				fragmentOf(p.mark.System),
				by.Map,
			),
		}
	}
	var stay []string
	for _, r := range want.rules {
		if slices.Contains(is, r) {
			stay = append(stay, r)
		}
	}
	p.plan.Held += len(is)
	all, kept := marked(p.mark, want.rules), marked(p.mark, stay)
	switch {
	case h.fragment == all:
		return nil
	case slices.Equal(stay, want.rules): // it only loses some, or is as it should be but for what is no rule
		p.add(narrow, h, p.put(all), "no line of the map gives what goes")
		return nil
	case len(stay) < len(is):
		p.add(narrow, h, p.put(kept), "no line of the map gives what goes")
	}
	p.add(widen, h, p.put(all), "what lines of the map let be run as others")
	return nil
}

// put is the command that puts a fragment in place, after visudo has looked at it, or removes it. A
// name with a dot is not read by sudo.
func (p *planning) put(fragment string) string {
	file := fragmentOf(p.mark.System)
	if fragment == "" {
		return "rm -f " + file
	}
	fresh := strings.Replace(file, fragments, fragments+".", 1) + ".new"
	return "umask 0227\nrm -f " + fresh + "\ncat >" + fresh + " <<'END'\n" + fragment + "END\nvisudo -c -q -f " + fresh +
		"\nmv -f " + fresh + " " + file
}
