package hosts

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// point is one right on one host: to log in, where command is empty, or to run
// a command as an account. lines are those that are about it.
type point struct {
	yard    *yard
	host    string
	command string
	as      string
	right   string
	lines   []*line
	door    *point    // to log in, for a command
	listing gate.Held // the lines for which it is listed: that let in, or that write the command just so
}

const login = "login"

// run writes the right to run a command.
func run(command, as string) string { return "run " + command + " as " + as }

func (p *point) Object() string { return p.host }

func (p *point) Lines() gate.Held {
	var lines gate.Held
	if p.door != nil {
		lines = p.door.Lines()
	}
	for _, l := range p.lines {
		lines.Add(l.crowd)
	}
	return lines
}

// point makes a point with the lines that are about it.
func (y *yard) point(host, command, as string) *point {
	p := &point{yard: y, host: host, command: command, as: as, right: login}
	lines := y.logins
	if command != "" {
		lines, p.right = y.lifts, run(command, as)
		p.door = y.point(host, "", "")
	}
	for i := range lines {
		if l := &lines[i]; p.names(l) {
			p.lines = append(p.lines, l)
		}
	}
	return p
}

// names says whether a line is about this host and right.
func (p *point) names(l *line) bool {
	if !slices.Contains(l.hosts, p.host) {
		return false
	}
	if p.command == "" {
		return true
	}
	matches := func(c gate.Pattern) bool { return c.Matches(p.command) }
	return l.as == p.as && slices.ContainsFunc(l.commands, matches) && !slices.ContainsFunc(l.except, matches)
}

func (p *point) Decide(q *gate.Question) gate.Entitlement {
	e := gate.Entitlement{System: p.yard.system, Object: p.host, Right: p.right}
	verdict := p.weigh(q, &e)
	if verdict.State != gate.None && p.command != "" {
		verdict = verdict.And(p.login(q))
	}
	e.Judge(verdict)
	return e
}

// weigh is the best of the lines that give, unless one denies.
func (p *point) weigh(q *gate.Question, e *gate.Entitlement) gate.Verdict {
	var allows gate.Either
	denied, held := gate.Opened, q.Held(p.yard.roster)
	for _, l := range p.lines {
		switch {
		case !held.Has(l.crowd.Number()):
		case l.deny:
			denied = denied.And(gate.Barring(&l.when, q, l.Line, gate.ByDeny))
		default:
			allows.Add(q, gate.Conditional(&l.when, q, l.Line))
			e.Come(l.crowd.Routes(q, l.Name))
		}
	}
	if allows.None() {
		return gate.Verdict{}
	}
	if denied.State == gate.Shut {
		return denied
	}
	return allows.Verdict().And(denied)
}

// login is what logging in to the host says of a command there: what shuts it
// is told as the login's own reason.
func (p *point) login(q *gate.Question) gate.Verdict {
	e := p.door.Decide(q)
	switch {
	case q.Brief && e.State <= gate.Shut:
		return gate.Verdict{State: gate.Shut}
	case e.State == gate.None:
		return gate.ShutFor(gate.ByLogin, p.yard.system+"/login", "none: no line lets the user log in to "+p.host)
	case e.State == gate.Shut:
		v := gate.Verdict{State: gate.Shut}
		for _, s := range e.ShutBy {
			v.ShutBy = append(v.ShutBy, gate.Stop{Reason: gate.ByLogin, At: s.At, Detail: strings.TrimSpace(string(s.Reason) + " " + s.Detail)})
		}
		return v
	}
	return e.Verdict()
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	var misses []gate.Miss
	for _, l := range p.lines {
		if l.deny {
			continue
		}
		if lacks := l.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: l.Name, Lacks: lacks})
		}
	}
	return misses
}

// Giving are the lines without any of which there is nothing to list.
func (y *yard) Giving() gate.Held { return y.giving }

// Reach lists for each host whether the subject may log in, and the patterns
// of the commands that the subject may run there.
func (y *yard) Reach(q *gate.Question, add func(gate.Entitlement)) {
	held := q.Held(y.roster)
	if !held.Meets(y.giving) {
		return
	}
	for _, p := range y.listed {
		if !held.Meets(p.listing) {
			continue
		}
		if e := p.Decide(q); e.State != gate.None {
			add(e)
		}
	}
}

// list makes the points of listings: logging in, and the commands as lines
// write them, by host and right.
func (y *yard) list() {
	for _, host := range y.hosts {
		door := y.point(host, "", "")
		for _, l := range door.lines {
			if !l.deny {
				door.listing.Add(l.crowd)
			}
		}
		points := map[string]*point{login: door}
		for i := range y.lifts {
			l := &y.lifts[i]
			if !slices.Contains(l.hosts, host) {
				continue
			}
			for _, c := range l.commands {
				right := run(c.Value, l.as)
				if points[right] == nil {
					points[right] = y.point(host, c.Value, l.as)
				}
				points[right].listing.Add(l.crowd)
			}
		}
		for _, right := range slices.Sorted(maps.Keys(points)) {
			y.listed = append(y.listed, points[right])
		}
	}
}

// At finds a right on a host: "login", or "run COMMAND as ACCOUNT". The host can
// be left out where there is only one.
func (y *yard) At(object, right string) (gate.Point, error) {
	if object == "" {
		if len(y.hosts) != 1 {
			return nil, &gate.ObjectNeededError{System: y.system, Objects: y.hosts}
		}
		object = y.hosts[0]
	}
	if !slices.Contains(y.hosts, object) {
		return nil, &directory.NotFoundError{Kind: "object", Name: object, Near: name.Near(object, slices.Values(y.hosts)), Within: y.system}
	}
	if right == login {
		return y.point(object, "", ""), nil
	}
	command, ok := strings.CutPrefix(right, "run ")
	at := strings.LastIndex(command, " as ")
	if !ok || at <= 0 || at+len(" as ") == len(command) {
		return nil, &directory.NotFoundError{
			Kind: "right", Name: right, Within: y.system,
			Near: append(name.Near(right, slices.Values([]string{login})), "run COMMAND as ACCOUNT"),
		}
	}
	return y.point(object, command[:at], command[at+len(" as "):]), nil
}

// Passage asks for logging in to the host that the key host names.
func (y *yard) Passage(_, _ string, keys gate.Passage) (gate.Point, error) {
	if keys["host"] == "" || len(keys) > 1 {
		return nil, errors.New("it takes the key host, and no other")
	}
	return y.At(keys["host"], login)
}

// Check looks at each line.
func (y *yard) Check(r *gate.Report) {
	for _, lines := range [][]line{y.logins, y.lifts} {
		for i := range lines {
			l := &lines[i]
			if l.deny {
				continue
			}
			r.DirectUsers(l.crowd, l.Line)
			all := slices.ContainsFunc(l.commands, func(c gate.Pattern) bool { return c.Value == "*" })
			if all && l.crowd.Everyone && l.when.Always() {
				r.AllToEveryone(l.Line, strings.Join(l.hosts, ", "))
			}
			r.Redundant(i, len(lines), func(i int) gate.Line { return lines[i].Line },
				func(wide, narrow int) bool { return wider(r, &lines[wide], &lines[narrow]) })
		}
	}
}

// wider says whether a line gives the same people the same commands on the same
// hosts as another, on no harder condition.
func wider(r *gate.Report, wide, narrow *line) bool {
	if wide.deny || !wide.when.Covers(&narrow.when) || wide.as != narrow.as || len(wide.except) > 0 {
		return false
	}
	for _, h := range narrow.hosts {
		if !slices.Contains(wide.hosts, h) {
			return false
		}
	}
	for _, c := range narrow.commands {
		if !slices.ContainsFunc(wide.commands, func(w gate.Pattern) bool { return w.Value == c.Value || w.Value == "*" }) {
			return false
		}
	}
	return wide.crowd.Covers(r.Book, narrow.crowd)
}
