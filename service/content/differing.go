package content

import (
	"encoding/json"
	"maps"
	"slices"

	"gatemap/stage"
)

// Differing are the changes that make the files others.
func (f Files) Differing(files map[string]string) ([]stage.Change, error) {
	var changes []stage.Change
	old := map[string]string{}
	for _, x := range f {
		old[x.Path] = string(x.Content)
	}
	for _, path := range slices.Sorted(maps.Keys(files)) {
		if was, known := old[path]; known && was == files[path] {
			continue
		}
		text, err := json.Marshal(files[path])
		if err != nil {
			return nil, err
		}
		changes = append(changes, stage.Change{Do: stage.WriteDocument, Document: path, Value: text})
	}
	for _, path := range slices.Sorted(maps.Keys(old)) {
		if _, stays := files[path]; !stays {
			changes = append(changes, stage.Change{Do: stage.RemoveDocument, Document: path})
		}
	}
	return changes, nil
}
