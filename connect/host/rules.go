package host

import (
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/delivery"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/place"
)

// piece is a rule of sudoers for one pattern of which something is excepted.
type piece struct {
	rule, gives string
	excepts     []string
	grant       *delivery.Grant
	people      map[string]bool
}

// rule is what one line gives to one whom it names, as a rule of sudoers, and as a piece of its own
// each pattern of which something is excepted. What sudoers cannot say is left out.
func (p *planning) rule(whom, line string, list []*delivery.Grant) (rule string, pieces []piece) {
	n, err := strconv.Atoi(line[strings.LastIndexByte(line, ' ')+1:])
	if err != nil || p.of == nil || n < 1 || n > len(p.of.Elevate) {
		for _, g := range list {
			p.left.Ungiven(g)
		}
		return "", nil
	}
	of := &p.of.Elevate[n-1]
	var whole []string
	for _, g := range list {
		gives, as, _ := hosts.Running(g.Right)
		if as != of.As {
			continue // the line gives it as any account, which is a right of its own
		}
		excepts, all := exceptions(gives, of.Except)
		one, err := written([]string{gives}, "")
		takes, err2 := written(excepts, "!")
		switch {
		case all: // nothing is left of it
		case err != nil || err2 != nil || of.As != anyone && !accountName.MatchString(of.As):
			p.left.Ungiven(g)
		case len(takes) > 0:
			pieces = append(
				pieces,
				piece{rule: ruleOf(whom, of, append(one, takes...)), gives: gives, excepts: excepts, grant: g},
			)
		default:
			whole = append(whole, gives)
		}
	}
	if len(whole) > 0 {
		commands, _ := written(whole, "") // each of them alone can be
		rule = ruleOf(whom, of, commands)
	}
	return rule, pieces
}

func ruleOf(whom string, of *hosts.Elevate, commands []string) string {
	as, tag := of.As, "NOPASSWD"
	if as == anyone {
		as = "ALL"
	}
	if of.Password {
		tag = "PASSWD"
	}
	return fmt.Sprintf("%s ALL = (%s) %s: %s", whom, as, tag, strings.Join(commands, ", "))
}

// exceptions are the patterns that take something from one; all says that they take all of it.
func exceptions(gives string, list []gate.Pattern) (some []string, all bool) {
	for _, x := range list {
		if x.Matches(gives) {
			return nil, true
		}
		if mayBoth(gives, x.Value) {
			some = append(some, x.Value)
		}
	}
	return some, false
}

// mayBoth says whether two patterns may both match something.
func mayBoth(a, b string) bool {
	before, _, many := strings.Cut(a, "*")
	other, _, manyOther := strings.Cut(b, "*")
	switch {
	case !many && !manyOther:
		return a == b
	case !many:
		return gate.Pattern{Text: place.Text{Value: b}}.Matches(a)
	case !manyOther:
		return gate.Pattern{Text: place.Text{Value: a}}.Matches(b)
	}
	return strings.HasPrefix(before, other) || strings.HasPrefix(other, before)
}

// conflicts notes what one piece gives to somebody and a later one takes away again, as the last
// rule that matches decides.
func (p *planning) conflicts(list []piece) {
	for i := range list {
		for j := i + 1; j < len(list); j++ {
			a, b := &list[i], &list[j]
			takes := slices.ContainsFunc(
				b.excepts,
				func(e string) bool { return mayBoth(a.gives, e) && !slices.Contains(a.excepts, e) },
			)
			if takes && overlap(a.people, b.people) {
				p.left.Ungiven(a.grant)
				break
			}
		}
	}
}
