package host

import (
	"maps"
	"reflect"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name"
	"gatemap/core/place"
)

// said is an entry in patterns.
type said struct {
	*entry
	commands, except []string
}

// elevations are the lines that come to the same as the entries. In sudoers the last that matches
// decides; here each that gives has what later ones deny as its exceptions, for those whom these are
// for.
func (h *machine) elevations(entries []entry, s *sudoers) (lines []hosts.Elevate) {
	h.defaults(s)
	var list []said
	for i := range entries {
		e, before := &entries[i], len(h.beyond)
		commands, except, told := h.patterns(&e.member)
		if h.leftAlone(e.people) { // what cannot be said of them is not ours to judge
			h.beyond = h.beyond[:before]
		}
		if told && len(commands) > 0 {
			list = append(list, said{e, commands, except})
		}
	}
	for i := range list {
		if e := &list[i]; !e.Negated && len(e.people) > 0 {
			for _, l := range h.given(e, list[i+1:], s.asks(&e.command)) {
				lines = joined(lines, l)
			}
		}
	}
	return lines
}

// leftAlone says whether some accounts are all left alone.
func (h *machine) leftAlone(accounts map[string]bool) bool {
	for n := range accounts {
		if !h.ignored.Account(n) {
			return false
		}
	}
	return len(accounts) > 0
}

// given are the lines of one entry, with what later ones deny.
func (h *machine) given(e *said, later []said, password bool) (lines []hosts.Elevate) {
	var denials []*said
	split := false
	for i := range later {
		if d := &later[i]; d.Negated && overlap(e.people, d.people) && meet(e.commands, d.commands) {
			denials = append(denials, d)
			split = split || !d.as[anyone]
		}
	}
	as := slices.Sorted(maps.Keys(e.as))
	if e.as[anyone] && split {
		as = h.ordered()
	}
	for _, target := range as {
		common := slices.Clone(e.except)
		var others []*said
		for _, d := range denials {
			switch {
			case !d.as[anyone] && !d.as[target]:
			case within(e.people, d.people):
				common = append(common, d.commands...)
			default:
				others = append(others, d)
			}
		}
		who, apart := h.apart(e, others)
		lines = append(lines, line(who, e.commands, common, target, password))
		for _, key := range slices.Sorted(maps.Keys(apart)) {
			of := apart[key]
			except := append(slices.Clone(common), of.denied...)
			lines = append(lines, line(gate.Who{Users: of.users}, e.commands, except, target, password))
		}
	}
	return slices.DeleteFunc(lines, func(l hosts.Elevate) bool { return l.Empty() || len(l.Commands) == 0 })
}

// class are accounts of which the same is denied.
type class struct {
	users  []name.Ref
	denied []string
}

// apart takes those of whom something is denied that is not of all out of an entry.
func (h *machine) apart(e *said, denials []*said) (who gate.Who, classes map[string]*class) {
	who, classes = e.who, map[string]*class{}
	if len(denials) == 0 {
		return who, classes
	}
	except := &directory.People{}
	if e.who.Except != nil {
		except = &directory.People{Users: slices.Clone(e.who.Except.Users), Groups: slices.Clone(e.who.Except.Groups)}
	}
	for _, n := range slices.Sorted(maps.Keys(e.people)) {
		var denied []string
		for _, d := range denials {
			if d.people[n] {
				denied = append(denied, d.commands...)
			}
		}
		if len(denied) == 0 {
			continue
		}
		except.Users = append(except.Users, name.Ref{Name: n})
		key := strings.Join(denied, "\n")
		if classes[key] == nil {
			classes[key] = &class{denied: denied}
		}
		classes[key].users = append(classes[key].users, name.Ref{Name: n})
	}
	who.Except = except
	return who, classes
}

// line is a line that gives commands but for some; those that are excepted whole are left out.
func line(who gate.Who, commands, except []string, as string, password bool) hosts.Elevate {
	l := hosts.Elevate{Who: who, As: as, Password: password}
	pattern := func(text string) gate.Pattern { return gate.Pattern{Text: place.Text{Value: text}} }
	for _, c := range commands {
		if !slices.ContainsFunc(except, func(x string) bool { return pattern(x).Matches(c) }) {
			l.Commands = append(l.Commands, pattern(c))
		}
	}
	for _, x := range slices.Compact(slices.Sorted(slices.Values(except))) {
		if meet(values(l.Commands), []string{x}) {
			l.Except = append(l.Except, pattern(x))
		}
	}
	return l
}

func values(list []gate.Pattern) (texts []string) {
	for _, p := range list {
		texts = append(texts, p.Value)
	}
	return texts
}

// joined adds a line: to one that differs in its commands alone, where there is one.
func joined(lines []hosts.Elevate, l hosts.Elevate) []hosts.Elevate {
	for i := range lines {
		before := &lines[i]
		if before.As == l.As && before.Password == l.Password &&
			slices.Equal(values(before.Except), values(l.Except)) && reflect.DeepEqual(before.Who, l.Who) {
			for _, c := range l.Commands {
				if !slices.Contains(values(before.Commands), c.Value) {
					before.Commands = append(before.Commands, c)
				}
			}
			return lines
		}
	}
	return append(lines, l)
}

func overlap(a, b map[string]bool) bool {
	for n := range a {
		if b[n] {
			return true
		}
	}
	return false
}

func within(a, b map[string]bool) bool {
	for n := range a {
		if !b[n] {
			return false
		}
	}
	return true
}

// meet says whether a command line may be described by patterns of both lists.
func meet(a, b []string) bool {
	return slices.ContainsFunc(a, func(x string) bool {
		return slices.ContainsFunc(b, func(y string) bool { return both(x, y) })
	})
}

// both says whether some text is described by two patterns.
func both(a, b string) bool {
	row := make([]bool, len(b)+1) // by how much of b: whether the rest of a goes with it
	for i := len(a); i >= 0; i-- {
		before := slices.Clone(row)
		for j := len(b); j >= 0; j-- {
			starA, starB := i < len(a) && a[i] == '*', j < len(b) && b[j] == '*'
			switch {
			case i == len(a) && j == len(b):
				row[j] = true
			case starA:
				row[j] = before[j] || j < len(b) && row[j+1]
			case starB:
				row[j] = row[j+1] || i < len(a) && before[j]
			default:
				row[j] = i < len(a) && j < len(b) && a[i] == b[j] && before[j+1]
			}
		}
	}
	return row[0]
}

// asks says whether a command asks for the user's own password.
func (s *sudoers) asks(c *command) bool {
	if set, is := option(c.Options, "authenticate").(bool); is {
		return set
	}
	for i := range s.Defaults {
		if set, is := option(s.Defaults[i].Options, "authenticate").(bool); is && len(s.Defaults[i].Binding) == 0 {
			return set
		}
	}
	return true
}

// defaults notes settings that change who may run what, or which password is asked for.
func (h *machine) defaults(s *sudoers) {
	for i := range s.Defaults {
		d := &s.Defaults[i]
		for _, key := range []string{"rootpw", "targetpw", "runaspw", "exempt_group", "authenticate"} {
			if v := option(d.Options, key); v != nil && (key != "authenticate" || len(d.Binding) > 0) {
				h.notes("sudoers", "the setting %s (%v)", key, v)
			}
		}
	}
}
