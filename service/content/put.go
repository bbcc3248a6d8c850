package content

import (
	"fmt"
	"strings"

	"gatemap/mapfile"
)

// Put puts a document in the place of the one of that kind and name, in the file that has it, or
// into a file of its own.
func Put(files map[string]string, kind, named string, text []byte) error {
	for path, content := range files {
		t, err := mapfile.OpenText(mapfile.File{Path: path, Content: []byte(content)})
		if err != nil {
			return err
		}
		at, there := t.Document(kind, named)
		if !there {
			continue
		}
		if !strings.Contains(content, "\n---") { // the file is this document
			files[path] = string(text)
			return nil
		}
		v, err := mapfile.ParseValue(string(text))
		if err != nil {
			return err
		}
		if t, err = t.Replace(at, v); err != nil {
			return err
		}
		files[path] = string(t.File.Content)
		return nil
	}
	folder := map[string]string{"system": "systems", "directory": "directories"}[kind]
	path := folder + "/" + fileName(named) + ".yaml"
	for n := 2; files[path] != ""; n++ {
		path = fmt.Sprintf("%s/%s-%d.yaml", folder, fileName(named), n)
	}
	files[path] = string(text)
	return nil
}

// fileName is a name as that of a file.
func fileName(named string) string {
	return strings.Map(func(r rune) rune {
		if r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || r == '-' || r == '_' {
			return r
		}
		return '-'
	}, named)
}
