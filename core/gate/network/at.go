package network

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// At finds admission to a kind of network, or a tag.
func (p *compiled) At(object, right string) (rule.Permission, error) {
	objects := append(slices.Clone(ways), tagObject)
	switch {
	case object == "" && right == admit:
		return nil, &rule.ObjectNeededError{System: p.System, Objects: ways}
	case object != "" && !slices.Contains(objects, object):
		return nil, &directory.NotFoundError{
			Kind:   "object",
			Name:   object,
			Near:   name.Near(object, slices.Values(objects)),
			Within: p.System,
		}
	case object == "":
		object = tagObject
	}
	d, ok := p.Find(object, right)
	switch {
	case ok:
		return p.Entry(object, right, d), nil
	case object == tagObject:
		return nil, &directory.NotFoundError{
			Kind:   "tag",
			Name:   right,
			Near:   name.Near(right, slices.Values(p.tags.names)),
			Within: p.System,
		}
	}
	return nil, &directory.NotFoundError{Kind: "right", Name: right, Near: []string{admit}, Within: p.System}
}

// InFront asks for admission to the kind of network that the key access names, and for being
// on it.
func (p *compiled) InFront(_, _ string, keys gate.Passage) (rule.Permission, error) {
	if len(keys) != 1 || !slices.Contains(ways, keys["access"]) {
		return nil, errAccess
	}
	way := keys["access"]
	d, _ := p.Find(way, admit)
	on := *d
	is := &rule.Rule{Line: rule.Line{Name: p.System + "/" + way}, When: situation.AccessBy(situation.Access(way))}
	on.Locks = append(slices.Clip(on.Locks), rule.If{Rule: is})
	return p.Entry(way, admit, &on), nil
}

// Public are the tags: a policy that asks for one which nobody gives is broken.
func (p *compiled) Public() []string { return p.tags.names }

// Catalogue lists the kinds of network with admission, and the tags.
func (p *compiled) Catalogue() gate.Catalogue {
	return gate.Catalogue{Objects: append(slices.Clone(ways), tagObject), Rights: append([]string{admit}, p.tags.names...)}
}
