package ldap

import (
	"context"
	"slices"
	"strings"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/directory"
)

// When groups are read again whose members were renamed or are gone: at once, and later,
// as some servers follow with the references only after they have answered.
var readAgain = []time.Duration{0, time.Second, 5 * time.Second}

// renamed are the distinguished names that something had until a moment ago.
type renamed struct {
	names []formerly
}

type formerly struct {
	dn   string // canonical
	at   time.Time
	read int // how often groups were read again for it
}

// note notes that something with a distinguished name is now another entry, or gone.
func (r *renamed) note(was string, is *connect.Entry, now time.Time) {
	if was == "" || is != nil && dnKey(is.DN) == dnKey(was) {
		return
	}
	r.names = append(r.names, formerly{dn: dnKey(was), at: now})
}

// noteAll notes what a patch renames.
func (r *renamed) noteAll(have, put connect.Records, now time.Time) {
	if len(put.Users)+len(put.Groups)+len(put.Devices) == 0 {
		return
	}
	dns := map[string]string{}
	for _, u := range have.Users {
		dns[u.ID] = u.DN
	}
	for _, g := range have.Groups {
		dns[g.ID] = g.DN
	}
	for _, d := range have.Devices {
		dns[d.ID] = d.DN
	}
	is := func(id, dn string) {
		if id != "" {
			r.note(dns[id], &connect.Entry{DN: dn}, now)
		}
	}
	for _, u := range put.Users {
		is(u.ID, u.DN)
	}
	for _, g := range put.Groups {
		is(g.ID, g.DN)
	}
	for _, d := range put.Devices {
		is(d.ID, d.DN)
	}
}

// wait is how long until groups are to be read again.
func (r *renamed) wait(now time.Time) (wait time.Duration, again bool) {
	for _, f := range r.names {
		next := f.at.Add(readAgain[f.read]).Sub(now)
		if !again || next < wait {
			wait, again = max(next, 0), true
		}
	}
	return wait, again
}

// due are the names for which groups are to be read now. Those for which they were read
// often enough are forgotten.
func (r *renamed) due(now time.Time) map[string]bool {
	due := map[string]bool{}
	kept := r.names[:0]
	for _, f := range r.names {
		if !now.Before(f.at.Add(readAgain[f.read])) {
			due[f.dn] = true
			for f.read < len(readAgain) && !now.Before(f.at.Add(readAgain[f.read])) {
				f.read++
			}
		}
		if f.read < len(readAgain) {
			kept = append(kept, f)
		}
	}
	r.names = kept
	return due
}

// regroup reads the groups again that have members by names for which that is due, or whose
// members by such names the server may have followed.
func (c *Conn) regroup(
	ctx context.Context,
	tables *connect.Tables,
	searches []search,
	moved *renamed,
	groups func() []*directory.Group,
	put func(id string, one *connect.Records),
) error {
	due := moved.due(time.Now())
	if len(due) == 0 {
		return nil
	}
	for _, g := range groups() {
		if !lists(g, due) {
			continue
		}
		for _, s := range searches {
			if s.kind != connect.Group {
				continue
			}
			if err := c.each(ctx, s, g.DN, func(e *connect.Entry) error {
				var one connect.Records
				tables.TakeAs(connect.Group, e, &one)
				put(g.ID, &one)
				return nil
			}); err != nil {
				return err
			}
		}
	}
	return nil
}

// lists says whether a group has a member by one of some names.
func lists(g *directory.Group, due map[string]bool) bool {
	if g.Members == nil {
		return false
	}
	for _, ref := range g.Members.Any {
		if strings.Contains(ref.Name, "=") && due[dnKey(ref.Name)] {
			return true
		}
	}
	return false
}

// containers are the searches for what holds other entries, below the bases of others.
func containers(searches []search) []search {
	var all []search
	for _, s := range searches {
		if slices.ContainsFunc(
			all,
			func(other search) bool { return strings.HasSuffix(dnKey(s.base.Value), dnKey(other.base.Value)) },
		) {
			continue
		}
		base := s.base
		base.Scope = "sub"
		all = append(all, search{
			base: base, attributes: append(slices.Clone(connect.Identifiers), "uSNCreated", "createTimestamp", byTime),
			filter: "(|(objectClass=organizationalUnit)(objectClass=container)(objectClass=organization)" +
				"(objectClass=locality)(objectClass=country))",
		})
	}
	return all
}

// containersMoved asks whether a container has another name than when it was asked before,
// or has come in from outside the bases; the error is connect.ErrAnew then. since is a mark;
// "" asks for all of them, for the first time.
func (c *Conn) containersMoved(ctx context.Context, searches []search, since Mark) error {
	if since == (Mark{}) || c.parents == nil {
		c.parents, since = map[string]string{}, Mark{}
	}
	moved := false
	if err := c.eachContainer(ctx, searches, since, func(id string, e *connect.Entry) {
		was := c.parents[id]
		moved = moved || was != "" && dnKey(was) != dnKey(e.DN) || was == "" && since != (Mark{}) && c.older(e, since)
		c.parents[id] = e.DN
	}); err != nil {
		return err
	}
	if moved {
		return errTreeMoved
	}
	return nil
}

// containers are the distinguished names of what holds other entries, by identifier.
func (c *Conn) containers(ctx context.Context, searches []search) (map[string]string, error) {
	all := map[string]string{}
	err := c.eachContainer(ctx, searches, Mark{}, func(id string, e *connect.Entry) { all[id] = dnKey(e.DN) })
	return all, err
}

// eachContainer visits what holds other entries, and has changed since a mark where one is
// given.
func (c *Conn) eachContainer(
	ctx context.Context,
	searches []search,
	since Mark,
	visit func(id string, e *connect.Entry),
) error {
	for _, s := range containers(searches) {
		if since != (Mark{}) {
			s.filter = c.changed(s.filter, since)
		}
		var rejected connect.Records
		if err := c.pages(ctx, s, func(e *ldap.Entry) error {
			entry, err := c.entry(e)
			if err == nil && entry.Identity() != "" {
				visit(entry.Identity(), entry)
			}
			return err
		}, &rejected); err != nil {
			return err
		}
	}
	return nil
}
