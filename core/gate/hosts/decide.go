package hosts

import (
	"errors"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
)

// point is one right on one host: to log in, where command is empty, or to run
// a command as an account.
type point struct {
	yard    *yard
	host    string
	command string
	as      string
	right   string
}

const login = "login"

// run writes the right to run a command.
func run(command, as string) string { return "run " + command + " as " + as }

func (p *point) Object() string { return p.host }

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
	if p.command == "" {
		e.Judge(p.weigh(q, p.yard.logins, &e))
		return e
	}
	verdict := p.weigh(q, p.yard.lifts, &e)
	if verdict.State != gate.None {
		e.Judge(verdict.And(p.login(q)))
	}
	return e
}

// weigh is the best of the lines that give, unless one denies.
func (p *point) weigh(q *gate.Question, lines []line, e *gate.Entitlement) gate.Verdict {
	var allows []gate.Verdict
	denied := gate.Opened
	for i := range lines {
		l := &lines[i]
		if !p.names(l) || !l.crowd.Has(q.Subject) {
			continue
		}
		if l.deny {
			denied = denied.And(gate.Barring(&l.when, q, l.Line, gate.ByDeny))
			continue
		}
		allows = append(allows, gate.Conditional(&l.when, q, l.Line))
		e.Routes = append(e.Routes, l.crowd.Routes(q, l.Name)...)
	}
	if allows == nil {
		return gate.Verdict{}
	}
	if denied.State == gate.Shut {
		return denied
	}
	return gate.Either(allows).And(denied)
}

// login is what logging in to the host says of a command there: what shuts it
// is told as the login's own reason.
func (p *point) login(q *gate.Question) gate.Verdict {
	door := point{yard: p.yard, host: p.host, right: login}
	e := door.Decide(q)
	switch e.State {
	case gate.None:
		return gate.ShutFor(gate.ByLogin, p.yard.system+"/login", "none: no line lets the user log in to "+p.host)
	case gate.Shut:
		v := gate.Verdict{State: gate.Shut}
		for _, s := range e.ShutBy {
			v.ShutBy = append(v.ShutBy, gate.Stop{Reason: gate.ByLogin, At: s.At, Detail: strings.TrimSpace(string(s.Reason) + " " + s.Detail)})
		}
		return v
	}
	return e.Verdict()
}

func (p *point) Misses(q *gate.Question) []gate.Miss {
	lines := p.yard.logins
	if p.command != "" {
		lines = p.yard.lifts
	}
	var misses []gate.Miss
	for i := range lines {
		l := &lines[i]
		if l.deny || !p.names(l) {
			continue
		}
		if lacks := l.crowd.Lacks(q); lacks != nil {
			misses = append(misses, gate.Miss{Mapping: l.Name, Lacks: lacks})
		}
	}
	return misses
}

// Reach lists for each host whether the subject may log in, and the patterns
// of the commands that the subject may run there.
func (y *yard) Reach(q *gate.Question, add func(gate.Entitlement)) {
	for _, host := range y.hosts {
		points := []point{{yard: y, host: host, right: login}}
		for i := range y.lifts {
			l := &y.lifts[i]
			if !slices.Contains(l.hosts, host) || !l.crowd.Has(q.Subject) {
				continue
			}
			for _, c := range l.commands {
				points = append(points, point{y, host, c.Value, l.as, run(c.Value, l.as)})
			}
		}
		slices.SortFunc(points, func(a, b point) int { return strings.Compare(a.right, b.right) })
		points = slices.CompactFunc(points, func(a, b point) bool { return a.right == b.right })
		for i := range points {
			if e := points[i].Decide(q); e.State != gate.None {
				add(e)
			}
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
		return &point{yard: y, host: object, right: right}, nil
	}
	command, ok := strings.CutPrefix(right, "run ")
	at := strings.LastIndex(command, " as ")
	if !ok || at <= 0 || at+len(" as ") == len(command) {
		return nil, &directory.NotFoundError{
			Kind: "right", Name: right, Within: y.system,
			Near: append(name.Near(right, slices.Values([]string{login})), "run COMMAND as ACCOUNT"),
		}
	}
	return &point{y, object, command[:at], command[at+len(" as "):], right}, nil
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
			r.DirectUsers(&l.crowd, l.Line)
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
	return wide.crowd.Covers(r.Book, &narrow.crowd)
}
