package readings

import (
	"encoding/json"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/stage"
)

// declaration is an entry of a list, or of a set of keys, of a document: of roles, rights, objects
// and the like. It goes by its key, by what it is, or by what its first key says.
type declaration struct {
	list, name string
	keyed      bool
	value      json.RawMessage
}

func declarations(t *mapfile.Text, system string) (all []declaration, err error) {
	document, _ := t.Document("system", system)
	for i, list := range t.Keys(document) {
		entries := document.At(i)
		keys := t.Keys(entries)
		for n := range t.Size(entries) {
			at := entries.At(n)
			d := declaration{list: list, keyed: keys != nil, name: t.Name(at)}
			if d.keyed {
				d.name = keys[n]
			} else if d.name == "" && t.Size(at) > 0 {
				d.name = t.Name(at.At(0))
			}
			if d.value, err = mapfile.JSON(t.Flow(at)); err != nil {
				return nil, err
			}
			all = append(all, d)
		}
	}
	return all, nil
}

// declaring are the changes that give the document of a system what lines that come name, and what
// that names, as the document that was read has it; what is there by that name stays as it is.
func declaring(
	head *query.Head, document *gate.System, from content.Files, comes []stage.Change,
) (changes []stage.Change, err error) {
	text, _ := from.Text(readFile)
	read, err := declarations(text, document.Name)
	if err != nil {
		return nil, err
	}
	text, _ = head.Folder.Files.Text(document.Place.File)
	here, err := declarations(text, document.Name)
	if err != nil {
		return nil, err
	}
	has, said := map[[2]string]bool{}, map[string]bool{}
	for _, d := range here {
		has[[2]string{d.list, name.Fold(d.name)}] = true
	}
	for _, c := range comes {
		has[[2]string{c.List}] = true // lines declare nothing
		if err := scalars(c.Value, said); err != nil {
			return nil, err
		}
	}
	for before := -1; before < len(changes); {
		before = len(changes)
		for _, d := range read {
			key := [2]string{d.list, name.Fold(d.name)}
			if !said[key[1]] || has[key] || has[[2]string{d.list}] {
				continue
			}
			has[key] = true
			c := stage.Change{Do: stage.AddPart, Document: document.Name, List: d.list, Value: d.value}
			if d.keyed {
				c.Part = d.name
			}
			changes = append(changes, c)
			if err := scalars(d.value, said); err != nil {
				return nil, err
			}
		}
	}
	return changes, nil
}

// scalars notes all texts in a value.
func scalars(raw json.RawMessage, said map[string]bool) error {
	var value any
	if err := json.Unmarshal(raw, &value); err != nil {
		return err
	}
	var walk func(any)
	walk = func(v any) {
		switch v := v.(type) {
		case string:
			said[name.Fold(v)] = true
		case []any:
			for _, x := range v {
				walk(x)
			}
		case map[string]any:
			for key, x := range v {
				said[name.Fold(key)] = true
				walk(x)
			}
		}
	}
	walk(value)
	return nil
}

// container is the part of a document of the map in which a list stands, and which is missing; "" where
// nothing is.
func container(head *query.Head, document *gate.System, list string) (missing string) {
	text, _ := head.Folder.Files.Text(document.Place.File)
	at, _ := text.Document("system", document.Name)
	path := strings.Split(list, " > ")
	for i := 0; i+2 < len(path); i += 2 {
		entries, ok := text.Key(at, path[i])
		if ok {
			at, ok = entry(text, entries, path[i+1])
		}
		if !ok {
			return path[i+1]
		}
	}
	return ""
}

// entry is the entry of a list, or of a set of keys, that goes by a name.
func entry(text *mapfile.Text, entries mapfile.Spot, named string) (mapfile.Spot, bool) {
	if at, ok := text.Key(entries, named); ok {
		return at, true
	}
	for n := range text.Size(entries) {
		if at := entries.At(n); text.Name(at) == named || text.Has(at, named) {
			return at, true
		}
	}
	return nil, false
}
