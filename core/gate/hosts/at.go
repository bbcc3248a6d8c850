package hosts

import (
	"errors"
	"maps"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
)

const login = "login"

// run writes the right to run a command.
func run(command, as string) string { return "run " + command + " as " + as }

// Running takes the right to run a command as an account apart; ok is false for another right.
func Running(right string) (command, as string, ok bool) {
	command, ok = strings.CutPrefix(right, "run ")
	at := strings.LastIndex(command, " as ")
	if !ok || at <= 0 || at+len(" as ") == len(command) {
		return "", "", false
	}
	return command[:at], command[at+len(" as "):], true
}

// decision is what some lines decide: a denial stands over what is let in.
func (y *compiled) decision(lines []line, about func(*line) bool) *rule.Decision {
	level := &rule.Level{}
	for i := range lines {
		switch l := &lines[i]; {
		case !about(l):
		case l.Effect == rule.Giving:
			level.Gives.Add(l.Rule)
		default:
			level.Takes.Add(l.Rule)
		}
	}
	return &rule.Decision{Index: y.Index, Nearest: level}
}

// run is what decides on running a command as an account: the elevate lines, and logging in.
func (y *compiled) run(host, command, as string) *rule.Decision {
	matches := func(c gate.Pattern) bool { return c.Matches(command) }
	d := y.decision(y.lifts, func(l *line) bool {
		return slices.Contains(l.hosts, host) && l.runsAs(as) && slices.ContainsFunc(l.commands, matches) &&
			!slices.ContainsFunc(l.except, matches)
	})
	d.Locks = []rule.Lock{
		&rule.Door{
			Decision: y.doors[host],
			Reason:   rule.ByLogin,
			At:       y.System + "/login",
			None:     "none: no line lets the user log in to " + host,
		},
	}
	return d
}

// anyone stands for every account as which commands may run.
const anyone = "*"

// runsAs says whether the commands of a line run as an account.
func (l *line) runsAs(account string) bool { return l.as == anyone || l.as == account }

// list lists logging in, and the commands as lines write them, by host and right. Each
// command is listed for those for whom a line writes it just so.
func (y *compiled) list() {
	for _, host := range y.hosts {
		door := y.decision(y.logins, func(l *line) bool { return slices.Contains(l.hosts, host) })
		y.doors[host] = door
		decisions := map[string]*rule.Decision{login: door}
		listed := map[string]rule.LineSet{login: door.Nearest.Gives}
		for i := range y.lifts {
			l := &y.lifts[i]
			if !slices.Contains(l.hosts, host) {
				continue
			}
			for _, c := range l.commands {
				right := run(c.Value, l.as)
				if decisions[right] == nil {
					decisions[right] = y.run(host, c.Value, l.as)
				}
				lines := listed[right]
				lines.Add(l.Rule)
				listed[right] = lines
			}
		}
		for _, right := range y.asked {
			command, as, _ := Running(right)
			if decisions[right] == nil {
				decisions[right] = y.run(host, command, as)
			}
			listed[right] = decisions[right].Nearest.Gives
		}
		for _, right := range slices.Sorted(maps.Keys(decisions)) {
			y.Add(host, right, decisions[right], listed[right], false)
		}
	}
}

// At finds a right on a host: "login", or "run COMMAND as ACCOUNT". The host can
// be left out where there is only one.
func (y *compiled) At(object, right string) (rule.Permission, error) {
	if object == "" {
		if len(y.hosts) != 1 {
			return nil, &rule.ObjectNeededError{System: y.System, Objects: y.hosts}
		}
		object = y.hosts[0]
	}
	if !slices.Contains(y.hosts, object) {
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, slices.Values(y.hosts)),
			Within: y.System,
		}
	}
	if right == login {
		return y.Entry(object, login, y.doors[object]), nil
	}
	command, as, ok := Running(right)
	if !ok {
		return nil, &directory.NotFoundError{
			Kind: "right", Name: right, Within: y.System,
			Near: append(name.Near(right, slices.Values([]string{login})), "run COMMAND as ACCOUNT"),
		}
	}
	return y.Entry(object, right, y.run(object, command, as)), nil
}

// InFront asks for logging in to the host that the key host names.
func (y *compiled) InFront(_, _ string, keys gate.Passage) (rule.Permission, error) {
	if keys["host"] == "" || len(keys) > 1 {
		return nil, errors.New("it takes the key host, and no other")
	}
	return y.At(keys["host"], login)
}

// Catalogue lists the hosts, and login with the command patterns of all elevate lines.
func (y *compiled) Catalogue() gate.Catalogue {
	c := gate.Catalogue{Objects: y.hosts, Rights: []string{login}, Open: true}
	for i := range y.lifts {
		for _, p := range y.lifts[i].commands {
			c.Rights = append(c.Rights, run(p.Value, y.lifts[i].as))
		}
	}
	slices.Sort(c.Rights[1:])
	c.Rights = slices.Compact(c.Rights)
	return c
}

// Check looks at each line.
func (y *compiled) Check(r *gate.Report) {
	for _, lines := range [][]line{y.logins, y.lifts} {
		rules := make([]*rule.Rule, len(lines))
		for i := range lines {
			rules[i] = lines[i].Rule
		}
		for i := range lines {
			l := &lines[i]
			if l.Effect == rule.Taking {
				continue
			}
			all := slices.ContainsFunc(l.commands, func(c gate.Pattern) bool { return c.Value == "*" })
			if all && l.Everyone && l.When.Always() {
				r.AllToEveryone(l.Line, strings.Join(l.hosts, ", "))
			}
			r.Mapped(rules, i, func(wide, narrow int) bool { return lines[wide].wider(r, &lines[narrow]) })
		}
	}
}

// wider says whether a line gives the same people the same commands on the same
// hosts as another, on no harder condition.
func (l *line) wider(r *gate.Report, narrow *line) bool {
	if l.Effect == rule.Taking || !l.When.Covers(&narrow.When) || !l.runsAs(narrow.as) || len(l.except) > 0 {
		return false
	}
	for _, h := range narrow.hosts {
		if !slices.Contains(l.hosts, h) {
			return false
		}
	}
	for _, c := range narrow.commands {
		if !slices.ContainsFunc(l.commands, func(w gate.Pattern) bool { return w.Value == c.Value || w.Value == "*" }) {
			return false
		}
	}
	return l.Covers(r.Book, narrow.Rule)
}
