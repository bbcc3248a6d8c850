package app

import (
	"slices"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/place"
)

// holding is the document in which some hold just what they were found to hold: a role for each
// action, as far as it goes by the roles of the document it is like, or else to all. A role of that
// document, without a module, is that role.
func holding(like gate.Document, list []gate.Holding) (made gate.Document, left []gate.Holding) {
	of, _ := like.(*Document)
	d := &Document{Modules: map[string][]place.Text{}, Roles: map[string]map[string]Actions{}}
	var fit []gate.Holding
	for _, h := range list {
		if h.Object == "" && of != nil && of.Roles[h.Right] != nil {
			d.takes(of, h.Right)
			fit = append(fit, h)
			continue
		}
		if h.Object == "" || h.Right == "" {
			left = append(left, h)
			continue
		}
		fit = append(fit, h)
		role := h.Object + " " + h.Right
		if d.Roles[role] == nil {
			if !slices.ContainsFunc(d.Modules[h.Object], func(a place.Text) bool { return a.Value == h.Right }) {
				d.Modules[h.Object] = append(d.Modules[h.Object], place.Text{Value: h.Right})
			}
			d.Roles[role] = map[string]Actions{h.Object: {h.Right: of.widest(h.Object, h.Right)}}
		}
	}
	for _, h := range gate.Together(fit) {
		d.Mappings = append(
			d.Mappings,
			Mapping{Who: h.Who, Role: name.Ref{Name: strings.TrimPrefix(h.Object+" "+h.Right, " ")}},
		)
	}
	return d, left
}

// takes takes a role of another document over, with its actions.
func (d *Document) takes(of *Document, role string) {
	d.Roles[role] = of.Roles[role]
	for module := range of.Roles[role] {
		for _, action := range of.Modules[module] {
			if !slices.ContainsFunc(d.Modules[module], func(a place.Text) bool { return a.Value == action.Value }) {
				d.Modules[module] = append(d.Modules[module], action)
			}
		}
	}
}

// widest is how far an action goes at most by the roles of a document.
func (d *Document) widest(module, action string) Breadth {
	widest := Breadth("none")
	if d != nil {
		for _, modules := range d.Roles {
			if b := modules[module][action]; b.width() > widest.width() {
				widest = b
			}
		}
	}
	if widest == "none" {
		return "all"
	}
	return widest
}
