package stage

import (
	"fmt"
	"iter"
	"regexp"
	"slices"
	"strconv"
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

// likely yields the files that may hold a document: the one in which it stood
// first, and then all that say its name.
func (d *Draft) likely(kind, named string) iter.Seq[string] {
	return func(yield func(string) bool) {
		stood := ""
		switch kind {
		case mapfile.Map:
			stood = mapfile.Head
		case "system":
			for _, s := range d.base.Map.Systems {
				if name.Equal(s.Name, named) {
					stood = s.Place.File
				}
			}
		case "directory":
			for _, x := range d.base.Map.Directories {
				if name.Equal(x.Name, named) {
					stood = x.Place.File
				}
			}
		}
		if stood != "" && d.file(stood) >= 0 && !yield(stood) || kind == mapfile.Map {
			return
		}
		mentions := regexp.MustCompile(`(?i)\b` + kind + `\b`)
		for _, f := range slices.Clone(d.Files) {
			if mentions.Match(f.Content) && (named == "" || strings.Contains(strings.ToLower(string(f.Content)), strings.ToLower(named))) && !yield(f.Path) {
				return
			}
		}
	}
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
			return fmt.Errorf("%s has no %s; it has %s", c.In(), strings.Join(steps[:i+1], " > "), strings.Join(t.Keys(at), ", "))
		}
		at = next
	}
	switch c.Do {
	case AddLine, AddPart:
		return d.addPart(c, t, at)
	case MoveLine, MovePart:
		return d.movePart(c, t, at)
	}
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

// switched switches a line or part on or off, without moving it.
func switched(c *Change, t *mapfile.Text, at mapfile.Spot) (*mapfile.Text, error) {
	to, err := c.text()
	if err != nil || to != "on" && to != "off" {
		return nil, fmt.Errorf("the value of %s is on or off", c.Do)
	}
	if t.Keys(at) == nil {
		return nil, fmt.Errorf("%s in %s of %s is not a set of keys: it cannot be switched off", c.item(), c.List, c.In())
	}
	yes, err := mapfile.ParseValue("true")
	if err != nil {
		return nil, err
	}
	key, there := t.Key(at, "off")
	switch isOff := there && strings.EqualFold(t.Flow(key), "true"); {
	case isOff == (to == "off"):
		return nil, fmt.Errorf("%s in %s of %s is %s already", c.item(), c.List, c.In(), to)
	case isOff:
		return t.Remove(key)
	case there:
		return t.Replace(key, yes)
	}
	return t.Insert(at, len(t.Keys(at)), "off", yes)
}

// holds sees that lines are changed as lines, and other parts as parts.
func holds(c *Change, t *mapfile.Text, at mapfile.Spot, list []string) error {
	g, isSystem := gateType(t, at)
	lines := isSystem && mapfile.HoldsLines(g, list)
	switch {
	case c.IsLine() && !isSystem:
		return fmt.Errorf("%s is not a system; only systems have lines", c.System)
	case c.IsLine() && !lines:
		return fmt.Errorf("%s of %s does not hold lines; the lines are in %s. Use %s for other parts of a document",
			c.List, c.System, strings.Join(mapfile.LineLists(g), ", "), strings.Replace(string(c.Do), "line", "part", 1))
	case !c.IsLine() && lines:
		return fmt.Errorf("%s of %s holds lines: use %s", c.List, c.Document, strings.Replace(string(c.Do), "part", "line", 1))
	}
	return nil
}

// gateType is the gate type of a system's document; false for another document.
func gateType(t *mapfile.Text, at mapfile.Spot) (gate.Type, bool) {
	typ, ok := t.Key(at, "type")
	if !ok {
		return gate.Type{}, false
	}
	i := slices.IndexFunc(types.Table, func(g gate.Type) bool { return g.Name == t.Flow(typ) })
	if i < 0 {
		return gate.Type{}, false
	}
	return types.Table[i], true
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

// numbered is how a line without a name is called: mapping 3.
var numbered = regexp.MustCompile(`^(?:[a-z][a-z -]*)?([1-9][0-9]*)$`)

// which finds a line or part by its name, by a value that only it has, or by its number
// from 1. Where was is given, one found by number must be what was says, wherever it
// stands now.
func which(t *mapfile.Text, at mapfile.Spot, item string, was *string) (int, error) {
	if !t.IsList(at) {
		if spot, ok := t.Key(at, item); ok {
			return spot[len(spot)-1], nil
		}
		return 0, fmt.Errorf("there is no %s; there are %s", item, strings.Join(t.Keys(at), ", "))
	}
	found := []int{}
	var names []string
	for i := range t.Size(at) {
		label := t.Name(at.At(i))
		names = append(names, label)
		if label == item {
			return i, nil
		}
		if t.Has(at.At(i), item) {
			found = append(found, i)
		}
	}
	switch m := numbered.FindStringSubmatch(item); {
	case len(found) == 1:
		return found[0], nil
	case len(found) > 1:
		return 0, fmt.Errorf("%d items have %s; name one by its number, such as %d", len(found), item, found[0]+1)
	case m != nil:
		n, err := strconv.Atoi(m[1])
		if err == nil && n <= t.Size(at) && (was == nil || t.Flow(at.At(n-1)) == *was) {
			return n - 1, nil
		}
		if was != nil {
			return again(t, at, *was)
		}
		return 0, fmt.Errorf("there is no number %s; there are %d", m[1], t.Size(at))
	}
	if was != nil {
		return 0, moved("%s is no longer there", item)
	}
	return 0, fmt.Errorf("there is no %s%s", item, name.DidYouMean(name.Near(item, func(yield func(string) bool) {
		for _, n := range names {
			if n != "" && !yield(n) {
				return
			}
		}
	})))
}

// again finds the only line or part that is what it was.
func again(t *mapfile.Text, at mapfile.Spot, was string) (int, error) {
	found := -1
	for i := range t.Size(at) {
		if t.Flow(at.At(i)) != was {
			continue
		}
		if found >= 0 {
			return 0, moved("%s is there more than once now", was)
		}
		found = i
	}
	if found < 0 {
		return 0, moved("%s is no longer there", was)
	}
	return found, nil
}
