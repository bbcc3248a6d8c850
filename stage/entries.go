package stage

import (
	"fmt"
	"iter"
	"regexp"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/directory"
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
				if strings.EqualFold(s.Name, named) {
					stood = s.Place.File
				}
			}
		case "directory":
			for _, x := range d.base.Map.Directories {
				if strings.EqualFold(x.Name, named) {
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

// entry adds, changes, moves or drops one entry of a list, or of a set of keys.
func (d *Draft) entry(c *Change) error {
	t, at, err := d.find(c.Document)
	if err != nil {
		return err
	}
	steps := strings.Split(c.List, ">")
	for i := range steps {
		steps[i] = strings.TrimSpace(steps[i])
	}
	for i, step := range steps {
		next, ok := t.Key(at, step)
		if !ok && t.IsList(at) {
			n, err := which(t, at, step, nil)
			if err != nil {
				return fmt.Errorf("%s of %s: %w", strings.Join(steps[:i], " > "), c.Document, err)
			}
			next, ok = at.At(n), true
		}
		if !ok && i == len(steps)-1 && c.Do == AddEntry {
			return d.addFirst(c, t, at, step)
		}
		if !ok {
			return fmt.Errorf("%s has no %s; it has %s", c.Document, strings.Join(steps[:i+1], " > "), strings.Join(t.Keys(at), ", "))
		}
		at = next
	}
	switch c.Do {
	case AddEntry:
		return d.addEntry(c, t, at)
	case MoveEntry:
		return d.moveEntry(c, t, at)
	}
	n, err := which(t, at, c.Entry, c.Was)
	if err != nil {
		return fmt.Errorf("%s of %s: %w", c.List, c.Document, err)
	}
	spot := at.At(n)
	if err := same(&c.Was, t.Flow(spot), fmt.Sprintf("%s in %s of %s", c.Entry, c.List, c.Document)); err != nil {
		return err
	}
	if c.Do == DropEntry {
		t, err = t.Remove(spot)
	} else {
		v, ok, valueErr := c.value()
		switch {
		case valueErr != nil:
			return valueErr
		case !ok:
			return fmt.Errorf("%s needs a value; drop-entry takes the entry away", c.Do)
		case v.String() == *c.Was:
			return fmt.Errorf("%s in %s of %s says that already", c.Entry, c.List, c.Document)
		}
		t, err = t.Replace(spot, v)
	}
	if err == nil {
		d.put(t)
	}
	return err
}

// addFirst puts the first entry under a key that is not there yet.
func (d *Draft) addFirst(c *Change, t *mapfile.Text, at mapfile.Spot, key string) error {
	v, ok, err := c.value()
	if err != nil || !ok {
		return fmt.Errorf("add-entry needs a value: %w", err)
	}
	if c.Entry != "" {
		v = mapfile.KeyValue(c.Entry, v)
	} else {
		v = mapfile.ListValue(v)
	}
	if t, err = t.Insert(at, len(t.Keys(at)), key, v); err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) addEntry(c *Change, t *mapfile.Text, at mapfile.Spot) error {
	v, _, err := c.value()
	if err != nil {
		return err
	}
	keys := t.Keys(at)
	if !t.IsList(at) && (keys != nil || c.Entry != "") {
		if c.Entry == "" {
			return fmt.Errorf("%s of %s is a set of keys: say in entry which key is added", c.List, c.Document)
		}
		if _, there := t.Key(at, c.Entry); there {
			return moved("%s of %s has %s already", c.List, c.Document, c.Entry)
		}
	} else if c.Entry != "" {
		return fmt.Errorf("%s of %s is a list: an entry that is added has its name in its value", c.List, c.Document)
	}
	i, err := d.beside(c, t, at)
	if err != nil {
		return err
	}
	if t, err = t.Insert(at, i, c.Entry, v); err == nil {
		d.put(t)
	}
	return err
}

func (d *Draft) moveEntry(c *Change, t *mapfile.Text, at mapfile.Spot) error {
	if !t.IsList(at) {
		return fmt.Errorf("%s of %s has no order", c.List, c.Document)
	}
	n, err := which(t, at, c.Entry, c.Was)
	if err != nil {
		return fmt.Errorf("%s of %s: %w", c.List, c.Document, err)
	}
	if err := same(&c.Was, t.Flow(at.At(n)), fmt.Sprintf("%s in %s of %s", c.Entry, c.List, c.Document)); err != nil {
		return err
	}
	i, err := d.beside(c, t, at)
	if err != nil {
		return err
	}
	if i == n || i == n+1 {
		return fmt.Errorf("%s stands there already", c.Entry)
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

// beside gives the number that an entry is put before.
func (d *Draft) beside(c *Change, t *mapfile.Text, at mapfile.Spot) (int, error) {
	anchor := c.Before + c.After
	if anchor == "" {
		return t.Size(at), nil
	}
	n, err := which(t, at, anchor, c.Beside)
	if err != nil {
		return 0, fmt.Errorf("%s of %s: %w", c.List, c.Document, err)
	}
	if err := same(&c.Beside, t.Flow(at.At(n)), fmt.Sprintf("%s in %s of %s", anchor, c.List, c.Document)); err != nil {
		return 0, err
	}
	if c.After != "" {
		n++
	}
	return n, nil
}

// numbered is how lines without a name are called: mapping 3.
var numbered = regexp.MustCompile(`^(?:[a-z][a-z -]*)?([1-9][0-9]*)$`)

// which finds an entry by its name, by a value that it alone has, or by its number
// from 1. Where was says what the entry was, one found by number is that one still,
// wherever it stands now.
func which(t *mapfile.Text, at mapfile.Spot, entry string, was *string) (int, error) {
	if !t.IsList(at) {
		if spot, ok := t.Key(at, entry); ok {
			return spot[len(spot)-1], nil
		}
		return 0, fmt.Errorf("there is no %s; there are %s", entry, strings.Join(t.Keys(at), ", "))
	}
	found := []int{}
	var names []string
	for i := range t.Size(at) {
		label := t.Name(at.At(i))
		names = append(names, label)
		if label == entry {
			return i, nil
		}
		if t.Has(at.At(i), entry) {
			found = append(found, i)
		}
	}
	switch m := numbered.FindStringSubmatch(entry); {
	case len(found) == 1:
		return found[0], nil
	case len(found) > 1:
		return 0, fmt.Errorf("%s is said of %d entries; name one by its number, such as %d", entry, len(found), found[0]+1)
	case m != nil:
		n, err := strconv.Atoi(m[1])
		if err == nil && n <= t.Size(at) && (was == nil || t.Flow(at.At(n-1)) == *was) {
			return n - 1, nil
		}
		if was != nil {
			return again(t, at, *was)
		}
		return 0, fmt.Errorf("there is no entry %s; there are %d", m[1], t.Size(at))
	}
	if was != nil {
		return 0, moved("there is no %s any more", entry)
	}
	return 0, fmt.Errorf("there is no %s%s", entry, name.DidYouMean(name.Near(entry, func(yield func(string) bool) {
		for _, n := range names {
			if n != "" && !yield(n) {
				return
			}
		}
	})))
}

// again finds the only entry that is what it was.
func again(t *mapfile.Text, at mapfile.Spot, was string) (int, error) {
	found := -1
	for i := range t.Size(at) {
		if t.Flow(at.At(i)) != was {
			continue
		}
		if found >= 0 {
			return 0, moved("the entry %s stands there more than once now", was)
		}
		found = i
	}
	if found < 0 {
		return 0, moved("the entry %s is not there any more", was)
	}
	return found, nil
}
