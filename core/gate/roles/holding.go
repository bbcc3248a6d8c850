package roles

import (
	"maps"
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

// holding is the document in which some hold just what they were found to hold: a role for each
// right, on the tree of the document it is like. A role of that document is that role. What has no
// path, or is neither a role nor noun:verb, is left over.
func holding(like gate.Document, list []gate.Holding) (made gate.Document, left []gate.Holding) {
	of, _ := like.(*Document)
	d := &Document{Roles: map[string]*Role{}}
	var fit []gate.Holding
	named := false
	objects := map[string]bool{}
	for _, h := range list {
		if h.Object == "" {
			h.Object = "/"
		}
		h.Object = clean(h.Object)
		noun, verb, ok := strings.Cut(h.Right, ":")
		role := of != nil && of.Roles[h.Right] != nil
		if role && valid(h.Object) {
			named = true
		} else if !ok || noun == "" || verb == "" || strings.Contains(h.Right, "*") || !valid(h.Object) {
			left = append(left, h)
			continue
		}
		fit = append(fit, h)
		if !role && d.Roles[h.Right] == nil {
			right := place.Text{Value: h.Right}
			d.Rights = append(d.Rights, right)
			d.Roles[h.Right] = &Role{Rights: []gate.Pattern{{Text: right}}}
		}
		if !objects[h.Object] {
			objects[h.Object] = true
			d.Resources = append(d.Resources, Resource{Path: Path{place.Text{Value: h.Object}}})
		}
	}
	if named {
		d.Rights = append(
			d.Rights,
			slices.DeleteFunc(slices.Clone(of.Rights), func(r place.Text) bool { return d.Roles[r.Value] != nil })...)
		maps.Copy(d.Roles, of.Roles)
	}
	if of != nil {
		d.Resources = declare(&Document{Resources: of.Resources}, d).(*Document).Resources
	}
	for _, h := range gate.Together(fit) {
		d.Mappings = append(
			d.Mappings,
			Mapping{Who: h.Who, Role: name.Ref{Name: h.Right}, Object: Path{place.Text{Value: h.Object}}},
		)
	}
	return d, left
}
