package stage

import (
	"fmt"
	"iter"
	"regexp"
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/mapfile"
)

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
			if mentions.Match(f.Content) &&
				(named == "" || strings.Contains(strings.ToLower(string(f.Content)), strings.ToLower(named))) &&
				!yield(f.Path) {
				return
			}
		}
	}
}

// switched switches a line or part on or off, without moving it.
func switched(c *Change, t *mapfile.Text, at mapfile.Spot) (*mapfile.Text, error) {
	to, err := c.onOrOff()
	if err != nil {
		return nil, err
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
		return fmt.Errorf(
			"%s of %s holds lines: use %s",
			c.List,
			c.Document,
			strings.Replace(string(c.Do), "part", "line", 1),
		)
	}
	return nil
}
