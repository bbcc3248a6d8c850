package plain

import (
	"slices"

	"gatemap/core/gate/network"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

func networkPoints(d *network.Document) (permissions []Permission) {
	for _, way := range []string{"vpn", "wifi", "wired"} {
		permissions = append(permissions, Permission{way, "admit"})
	}
	if d.Tags != nil {
		permissions = append(permissions, Permission{"tag", d.Tags.Default})
		for i := range d.Tags.Rules {
			permissions = append(permissions, Permission{"tag", d.Tags.Rules[i].Tag})
		}
	}
	return permissions
}

func (s *system) tags(q *asked, d *network.Document) (tags []string) {
	if d.Tags == nil {
		return nil
	}
	for i := range d.Tags.Rules {
		if r := &d.Tags.Rules[i]; s.has(q, &r.Who) {
			tags = append(tags, r.Tag)
			if d.Tags.Match == "first" {
				break
			}
		}
	}
	if tags == nil && d.Tags.Default != "" {
		tags = []string{d.Tags.Default}
	}
	return tags
}

// network: section 5.4.
func (s *system) network(q *asked, d *network.Document, p Permission) rule.State {
	known := rule.Open
	if len(d.Sources) > 0 && !slices.ContainsFunc(d.Sources, func(r name.Ref) bool { return name.Equal(r.Name, q.home) }) {
		known = rule.Shut
	}
	tags := s.tags(q, d)
	if p.Object == "tag" {
		if slices.Contains(tags, p.Right) {
			return known
		}
		return rule.None
	}
	override := ""
	if d.Override != nil {
		override = q.Attributes.First(d.Override.Attribute)
	}
	if override == "always" {
		return known
	}
	var steps []step
	for i := range d.Policies {
		c := &d.Policies[i]
		when := situation.When{}
		if c.When != nil {
			when = *c.When
		}
		about := len(when.Access) == 0 || slices.Contains(when.Access, situation.Access(p.Object))
		when.Access = nil
		named := len(c.Tags) == 0 ||
			slices.ContainsFunc(c.Tags, func(r name.Ref) bool { return slices.Contains(tags, r.Name) })
		whom := s.has(q, &c.Who)
		if c.Empty() && len(c.Tags) > 0 {
			whom = !c.Off && !s.excepted(q, c.Except)
		}
		if about && named && whom {
			steps = append(steps, step{c.Verdict == "admit", q.sit.holds(&when)})
		}
	}
	state := first(steps, false)
	if state != rule.None && override == "never" {
		return rule.Shut
	}
	return min(state, known)
}
