package stage

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/mapfile"
)

// renameGroup gives a group another name, there and wherever the files name it.
func (d *Draft) renameGroup(c *Change) error {
	g, err := d.group(c.Group)
	if err != nil {
		return err
	}
	if g.record != nil {
		return fmt.Errorf("group %s comes from the source of directory %s: rename it there", g.full, g.dir)
	}
	if strings.Contains(c.To, "/") || strings.TrimSpace(c.To) == "" {
		return fmt.Errorf("the new name is written without its directory, and without a slash")
	}
	c.Group = g.full
	to := g.dir + "/" + c.To
	if _, made := d.fresh[name.Fold(to)]; (made || d.stood(to)) && !name.Equal(to, g.full) {
		return moved("there is a group %s already", to)
	}
	own := strings.TrimPrefix(g.full, g.dir+"/")
	spot, _ := g.text.Key(g.at, "name")
	t, err := g.text.Replace(spot, mapfile.TextValue(c.To))
	if err != nil {
		return err
	}
	d.put(t)
	c.noted()
	_, err = d.base.Book.LookGroup(own, "")
	alone := err == nil // a bare name means this group everywhere
	if _, made := d.fresh[name.Fold(g.full)]; made {
		alone = len(d.called(own)) == 1
	}
	delete(d.fresh, name.Fold(g.full))
	d.gone[name.Fold(g.full)] = true
	d.fresh[name.Fold(to)] = to
	who := &one{"groups", g.full, g.dir, own, ""}
	for _, f := range slices.Clone(d.Files) {
		if !strings.Contains(strings.ToLower(string(f.Content)), strings.ToLower(own)) {
			continue
		}
		if err := d.renameIn(f.Path, who, c.To, alone); err != nil {
			return err
		}
	}
	return nil
}

// renameIn writes the new name of a group in a file.
func (d *Draft) renameIn(path string, who *one, to string, alone bool) error {
	t, err := d.open(path)
	if err != nil {
		return err
	}
	type place struct {
		at    mapfile.Spot
		write string
	}
	var places []place
	for _, key := range []string{"groups", "device_groups"} {
		t.Named(key, func(kind, document string, at mapfile.Spot, named string) {
			home := ""
			switch {
			case kind == "directory":
				home = document
			case alone:
				home = who.dir
			}
			if who.isReferredTo(named, home) {
				write := to
				if strings.Contains(named, "/") {
					write = who.dir + "/" + to
				}
				places = append(places, place{at, write})
			}
		})
	}
	for _, p := range places {
		if t, err = t.Replace(p.at, mapfile.TextValue(p.write)); err != nil {
			return err
		}
	}
	d.put(t)
	return nil
}
