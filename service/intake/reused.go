package intake

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/operator"
	"gatemap/store"
)

// departures are the names that documents still have, of records that a run takes away or
// that another record bears by it, with the identifiers to which the names led.
func (p *prepared) departures() (all []store.Departed) {
	gone := func(kind, id string, names ...string) {
		for _, n := range names {
			if id != "" && n != "" {
				all = append(all, store.Departed{Directory: p.directory.Name, Kind: kind, Name: referred(n), ID: id})
			}
		}
	}
	for _, u := range p.delta.Left {
		gone("user", u.ID, u.Name, u.DN)
	}
	for _, g := range p.delta.GoneGroups {
		gone("group", g.ID, g.Name, g.DN)
	}
	for _, d := range p.delta.GoneDevices {
		gone("device", d.ID, d.Name, d.DN)
	}
	if all == nil {
		return nil
	}
	named := p.named()
	return slices.DeleteFunc(all, func(d store.Departed) bool { return !named[d.Kind+" "+d.Name] })
}

// reusedSince are the new records that bear names by which documents mean others, which
// departed in this run or before: what would be theirs by these lines was never meant for
// them.
func (p *prepared) reusedSince(old []store.Departed) (all []store.Departed) {
	led := map[string]string{}
	for _, d := range slices.Concat(old, p.departed) {
		led[d.Kind+" "+d.Name] = d.ID
	}
	if len(led) == 0 {
		return nil
	}
	look := func(kind, id string, names ...string) {
		for _, n := range names {
			key := kind + " " + referred(n)
			if was, is := led[key]; is && was != id && p.named()[key] {
				all = append(all, store.Departed{Directory: p.directory.Name, Kind: kind, Name: n, ID: id})
			}
		}
	}
	for _, u := range p.delta.Joined {
		look("user", u.ID, u.Name, u.DN)
	}
	for _, g := range p.delta.NewGroups {
		look("group", g.ID, g.Name, g.DN)
	}
	for _, d := range p.delta.NewDevices {
		look("device", d.ID, d.Name, d.DN)
	}
	for _, r := range renames(&p.delta) {
		look(r.kind, r.id, r.toName, r.toDN)
	}
	return all
}

// reusedWords says why names hold a run.
func reusedWords(all []store.Departed) string {
	var names []string
	for _, d := range all {
		names = append(names, fmt.Sprintf("%s %s/%s", d.Kind, d.Directory, d.Name))
	}
	slices.Sort(names)
	if len(names) > 5 {
		names = append(names[:5], fmt.Sprintf("%d more", len(names)-5))
	}
	return fmt.Sprintf(
		"name-reused: the source has another record by a name that documents have: "+
			"%s. Look whom the lines are to mean, then confirm",
		strings.Join(names, ", "),
	)
}

// leavingOut are the records that came in but for those whose names are reused.
func leavingOut(r connect.Records, reused []store.Departed) connect.Records {
	is := map[string]bool{}
	for _, d := range reused {
		is[d.Kind+" "+d.ID] = true
	}
	r.Users = slices.DeleteFunc(slices.Clone(r.Users), func(u *directory.User) bool { return is["user "+u.ID] })
	r.Groups = slices.DeleteFunc(slices.Clone(r.Groups), func(g *directory.Group) bool { return is["group "+g.ID] })
	r.Devices = slices.DeleteFunc(slices.Clone(r.Devices), func(d *directory.Device) bool { return is["device "+d.ID] })
	return r
}

// withoutReused commits what a run changes besides records whose names are reused, where
// there are such and nothing else holds it: the lines that have the names give nothing until
// someone has looked. What is left is worked out again.
func (s *Plans) withoutReused(
	ctx context.Context,
	p *prepared,
	by operator.Actor,
	held func(*prepared) string,
) (*prepared, error) {
	if len(p.reused) == 0 {
		return p, nil
	}
	named := p.directory.Name
	others := p.brought
	others.but = p.reused
	first, err := s.prepare(s.History.Head(), named, others)
	if err != nil || held(first) != "" || first.empty() {
		return p, err
	}
	first.step = p.step
	if _, err := s.commit(ctx, first, by, fmt.Sprintf("Intake of %s, without those whose names are reused", named),
		nil); err != nil {
		return nil, err
	}
	if first.step {
		s.lanes.lane(named).lately.note(first.taken(), time.Now())
	}
	next, err := s.prepare(s.History.Head(), named, p.brought)
	if err == nil {
		next.step = p.step
	}
	return next, err
}
