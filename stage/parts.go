package stage

import (
	"fmt"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/mapfile"
)

// find finds a document by what a change calls it.
func (d *Draft) find(named string) (*mapfile.Text, mapfile.Spot, error) {
	kind, own := "system", named
	switch word, rest, _ := strings.Cut(named, " "); {
	case named == mapfile.Map || named == "guarantees":
		kind, own = named, ""
	case (word == "directory" || word == "table" || word == "system") && rest != "":
		kind, own = word, rest
	}
	for path := range d.likely(kind, own) {
		t, err := d.open(path)
		if err != nil {
			return nil, nil, err
		}
		if at, ok := t.Document(kind, own); ok {
			return t, at, nil
		}
	}
	if kind == "guarantees" {
		return d.begin("guarantees.yaml", "guarantees: []\n", kind)
	}
	return nil, nil, &directory.NotFoundError{Kind: kind, Name: own, Near: name.Near(own, func(yield func(string) bool) {
		for _, s := range d.base.Map.Systems {
			if kind == "system" && !yield(s.Name) {
				return
			}
		}
	})}
}

// begin makes a new file.
func (d *Draft) begin(path, content, kind string) (*mapfile.Text, mapfile.Spot, error) {
	t, err := mapfile.OpenText(mapfile.File{Path: path, Content: []byte(content)})
	if err != nil {
		return nil, nil, err
	}
	d.put(t)
	at, _ := t.Document(kind, "")
	return t, at, nil
}

// part adds, changes, moves or removes one line or other part of a document: an item
// of a list, or of a set of keys.
func (d *Draft) part(c *Change) error {
	t, at, err := d.find(c.In())
	if err != nil {
		return err
	}
	steps := strings.Split(c.List, ">")
	for i := range steps {
		steps[i] = strings.TrimSpace(steps[i])
	}
	if err := holds(c, t, at, steps); err != nil {
		return err
	}
	for i, step := range steps {
		next, ok := t.Key(at, step)
		if !ok && t.IsList(at) {
			n, err := which(t, at, step, nil)
			if err != nil {
				return fmt.Errorf("%s of %s: %w", strings.Join(steps[:i], " > "), c.In(), err)
			}
			next, ok = at.At(n), true
		}
		if !ok && i == len(steps)-1 && c.adds() {
			return d.addFirst(c, t, at, step)
		}
		if !ok {
			return fmt.Errorf(
				"%s has no %s; it has %s",
				c.In(),
				strings.Join(steps[:i+1], " > "),
				strings.Join(t.Keys(at), ", "),
			)
		}
		at = next
	}
	switch c.Do {
	case AddLine, AddPart:
		return d.addPart(c, t, at)
	case MoveLine, MovePart:
		return d.movePart(c, t, at)
	}
	return d.changePart(c, t, at)
}

// changePart changes, switches or removes one entry of the list at a place.
func (d *Draft) changePart(c *Change, t *mapfile.Text, at mapfile.Spot) error {
	n, err := which(t, at, c.item(), c.Was)
	if err != nil {
		return fmt.Errorf("%s of %s: %w", c.List, c.In(), err)
	}
	spot := at.At(n)
	if err := same(&c.Was, t.Flow(spot), fmt.Sprintf("%s in %s of %s", c.item(), c.List, c.In())); err != nil {
		return err
	}
	switch c.Do {
	case RemoveLine, RemovePart:
		t, err = t.Remove(spot)
	case SwitchLine, SwitchPart:
		t, err = switched(c, t, spot)
	default:
		v, valueErr := c.given()
		switch {
		case valueErr != nil:
			return valueErr
		case v.String() == *c.Was:
			return fmt.Errorf("%s in %s of %s already says that", c.item(), c.List, c.In())
		}
		t, err = t.Replace(spot, v)
	}
	if err == nil {
		d.put(t)
	}
	return err
}

// gateType is the gate type of a system's document; false for another document.
func gateType(t *mapfile.Text, at mapfile.Spot) (gate.Type, bool) {
	typ, ok := t.Key(at, "type")
	if !ok {
		return gate.Type{}, false
	}
	return types.Named(t.Flow(typ))
}

// addFirst puts the first line or part under a key that is not there yet.
func (d *Draft) addFirst(c *Change, t *mapfile.Text, at mapfile.Spot, key string) error {
	v, err := c.given()
	if err != nil {
		return err
	}
	if c.item() != "" {
		v = mapfile.KeyValue(c.item(), v)
	} else {
		v = mapfile.ListValue(v)
	}
	if t, err = t.Insert(at, len(t.Keys(at)), key, v); err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) addPart(c *Change, t *mapfile.Text, at mapfile.Spot) error {
	v, err := c.given()
	if err != nil {
		return err
	}
	keys := t.Keys(at)
	if !t.IsList(at) && (keys != nil || c.item() != "") {
		if c.item() == "" {
			return fmt.Errorf("%s of %s is a set of keys: name the key to add in part", c.List, c.In())
		}
		if _, there := t.Key(at, c.item()); there {
			return moved("%s of %s has %s already", c.List, c.In(), c.item())
		}
	} else if c.item() != "" {
		return fmt.Errorf("%s of %s is a list: what is added has its name in its value", c.List, c.In())
	}
	i, err := d.beside(c, t, at)
	if err != nil {
		return err
	}
	if t, err = t.Insert(at, i, c.item(), v); err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) movePart(c *Change, t *mapfile.Text, at mapfile.Spot) error {
	if !t.IsList(at) {
		return fmt.Errorf("%s of %s has no order", c.List, c.In())
	}
	n, err := which(t, at, c.item(), c.Was)
	if err != nil {
		return fmt.Errorf("%s of %s: %w", c.List, c.In(), err)
	}
	if err := same(&c.Was, t.Flow(at.At(n)), fmt.Sprintf("%s in %s of %s", c.item(), c.List, c.In())); err != nil {
		return err
	}
	i, err := d.beside(c, t, at)
	if err != nil {
		return err
	}
	if i == n || i == n+1 {
		return fmt.Errorf("%s is there already", c.item())
	}
	d.Passed = nil
	for j := min(n+1, i); j < max(n, i); j++ {
		label := t.Name(at.At(j))
		if label == "" {
			label = t.Flow(at.At(j))
		}
		d.Passed = append(d.Passed, label)
	}
	if t, err = t.Move(at.At(n), i); err == nil {
		d.put(t)
	}
	return err
}

// beside gives the index before which a line or part is put.
func (d *Draft) beside(c *Change, t *mapfile.Text, at mapfile.Spot) (int, error) {
	anchor := c.Before + c.After
	if anchor == "" {
		return t.Size(at), nil
	}
	n, err := which(t, at, anchor, c.Beside)
	if err != nil {
		return 0, fmt.Errorf("%s of %s: %w", c.List, c.In(), err)
	}
	if err := same(&c.Beside, t.Flow(at.At(n)), fmt.Sprintf("%s in %s of %s", anchor, c.List, c.In())); err != nil {
		return 0, err
	}
	if c.After != "" {
		n++
	}
	return n, nil
}
