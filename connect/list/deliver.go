package list

import (
	"cmp"
	"context"
	"encoding/csv"
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/gate"
	"gatemap/core/reading"
)

// holders are the accounts of a list by what each holds, with the groups by which, and whether they
// can be used.
type holders struct {
	held   map[string]map[delivery.Permission]string
	active map[string]bool
}

// holders puts together what the list says of each account.
func (t *taking) holders() *holders {
	all := &holders{map[string]map[delivery.Permission]string{}, map[string]bool{}}
	for named, a := range t.accounts {
		all.held[named], all.active[named] = map[delivery.Permission]string{}, a.Active
	}
	add := func(account string, h gate.Holding) {
		if of := all.held[account]; of != nil {
			of[delivery.Permission{Object: h.Object, Right: h.Right}] = h.Group
		}
	}
	for h, accounts := range t.through {
		for _, account := range accounts {
			add(account, h)
		}
	}
	for _, h := range t.holdings {
		if h.Group == "" {
			add(h.Account, h)
			continue
		}
		for account := range t.members[h.Group] {
			add(account, h)
		}
	}
	return all
}

// Deliverer is the link itself: it makes a list of what a person is to do.
func (d *Document) Deliverer() connect.Deliverer { return d }

// ByAccount is true: what somebody is to do is told by account.
func (d *Document) ByAccount() bool { return true }

// planning compares a list with what is wanted.
type planning struct {
	*Document
	words map[string]string                // how the list calls rights and objects, where it is clear
	stays map[string][]delivery.Permission // the lines of accounts that stay
	plan  delivery.Plan
}

// Plan is what somebody is to do in the system, by account and by right: what is to be taken away
// comes first.
func (d *Document) Plan(r *reading.Reading, w *delivery.Wanted, _ connect.Mark) (*delivery.Plan, error) {
	p := &planning{Document: d, words: d.theirs(), stays: map[string][]delivery.Permission{}}
	there := r.Native.(*holders)
	wanted := map[string]map[delivery.Permission]string{}
	for i := range w.Grants {
		g := &w.Grants[i]
		if wanted[g.Account] == nil {
			wanted[g.Account] = map[delivery.Permission]string{}
		}
		wanted[g.Account][g.Permission()] = g.Line
	}
	p.away(w, there, wanted)
	for _, a := range w.Accounts {
		active, is := there.active[a.Name]
		switch {
		case !a.On:
			continue
		case !is:
			p.add(delivery.Gives, "open the account "+a.Name, "for "+a.User)
		case !active:
			p.add(
				delivery.Gives,
				"switch the account "+a.Name+" on",
				a.User+" is active by the map, and the account cannot be used",
			)
		}
		has := p.stays[a.Name]
		for _, at := range inOrder(wanted[a.Name]) {
			if !slices.ContainsFunc(has, func(x delivery.Permission) bool { return covers(x, at) }) {
				p.add(delivery.Gives, "give "+a.Name+" "+p.calls(at), "by "+wanted[a.Name][at])
				has = append(has, at)
			}
		}
	}
	return &p.plan, nil
}

// covers says whether a line of the list is enough for something: it says it, without a right is of all
// rights on its object, and is of all that lies in a path.
func covers(line, at delivery.Permission) bool {
	if line.Right != "" && line.Right != at.Right {
		return false
	}
	under := strings.TrimSuffix(line.Object, "/") + "/"
	return line.Object == at.Object || strings.HasPrefix(line.Object, "/") && strings.HasPrefix(at.Object, under)
}

// away is what is to be taken away: from those whom the map knows what it does not give them, and
// the accounts of those who are switched off.
func (p *planning) away(w *delivery.Wanted, there *holders, wanted map[string]map[delivery.Permission]string) {
	off := map[string]string{}
	for _, a := range w.Accounts {
		if !a.On {
			off[a.Name] = a.User
		}
	}
	for _, account := range slices.Sorted(maps.Keys(there.active)) {
		user, known := w.Known[account]
		if w.Aside(account) {
			continue
		}
		p.plan.Held += len(w.Held[account])
		switch {
		case !known && !w.Strangers:
			if there.active[account] {
				p.plan.Stays = append(p.plan.Stays, account+" belongs to nobody of the map, and can sign in")
			}
			continue
		case !known: // one that is locked holds nothing
			if there.active[account] {
				p.takes("switch the account "+account+" off", "it belongs to nobody of the map")
			}
			continue
		case off[account] != "" && there.active[account]:
			p.takes("switch the account "+account+" off", user+" is switched off or has ended")
			continue
		}
		for _, line := range inOrder(there.held[account]) {
			p.line(account, user, line, there, w, wanted[account])
		}
	}
}

// line takes a line of the list away that says something that the map does not, as far as it is known
// what it says: a locked account shows nothing.
func (p *planning) line(
	account, user string,
	line delivery.Permission,
	there *holders,
	w *delivery.Wanted,
	wanted map[delivery.Permission]string,
) {
	says := []delivery.Permission{line}
	if line.Right == "" {
		says = nil
	}
	for _, at := range w.Held[account] {
		if covers(line, at) && at != line {
			says = append(says, at)
		}
	}
	if !slices.ContainsFunc(says, func(at delivery.Permission) bool { return wanted[at] == "" }) {
		p.stays[account] = append(p.stays[account], line)
		return
	}
	by := ""
	if g := there.held[account][line]; g != "" {
		by = "; it comes by " + g + " there"
	}
	p.takes("take "+p.calls(line)+" from "+account, "no line of the map gives it to "+user+by)
}

func (p *planning) takes(text, why string) {
	p.plan.Taken++
	p.add(delivery.Takes, text, why)
}

func (p *planning) add(effect delivery.Effect, text, why string) {
	p.plan.Statements = append(p.plan.Statements, delivery.Statement{Text: text, For: why, Effect: effect})
}

// calls is a right on an object, as the list calls them.
func (p *planning) calls(at delivery.Permission) string {
	right, object := cmp.Or(p.words[at.Right], at.Right), cmp.Or(p.words[at.Object], at.Object)
	switch {
	case right == "" || p.Right != "":
		return object
	case object == "" || p.Object != "":
		return right
	}
	return right + " on " + object
}

// theirs are the words of the list by those of the map; of several the first in order.
func (d *Document) theirs() map[string]string {
	all := map[string]string{}
	for _, theirs := range slices.Sorted(maps.Keys(d.Words)) {
		if ours := d.Words[theirs]; all[ours] == "" {
			all[ours] = theirs
		}
	}
	return all
}

func inOrder(permissions map[delivery.Permission]string) []delivery.Permission {
	return slices.SortedFunc(maps.Keys(permissions), delivery.Permission.Compare)
}

// Deliver hands the plan out, if it is still what was agreed to.
func (d *Document) Deliver(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) error {
	now, err := plan.Now(ctx, o)
	if err != nil {
		return err
	}
	if !now.Same(agreed) {
		return connect.ErrMoved
	}
	return connect.ErrHandedOut
}

// Finish says whether what was handed out was done.
func (d *Document) Finish(context.Context, *connect.Observing, *delivery.Plan, connect.Planned) (made bool, err error) {
	return false, nil
}

// Script is the list of what is to be done, as CSV (RFC 4180) for a person to work through.
func (d *Document) Script(p *delivery.Plan) string {
	var b strings.Builder
	out := csv.NewWriter(&b)
	_ = out.Write([]string{"number", "to do", "why"}) // a builder takes everything
	for i, s := range p.Statements {
		_ = out.Write([]string{fmt.Sprint(i + 1), s.Text, s.For})
	}
	out.Flush()
	return b.String()
}
