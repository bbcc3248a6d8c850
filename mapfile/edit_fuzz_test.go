package mapfile_test

import (
	"testing"

	"gatemap/mapfile"
)

// Whatever a file holds, an edit of it fails or does what it says, and what comes of
// it can be read.
func FuzzEdits(f *testing.F) {
	for _, seed := range []string{rules, "system: a\nrules:\n- one\nlast: true\n", "a: |\n  text\n  more\nb: {c: [1, 'x''y', \"z\\\"\"]}\n", "? a\n: b\n", "- - 1\n  - 2\n- {}\n", "a: !!str 1 # ä\nb: &x [*x]\n", "\"ä\": ü\nß:\n - ö", "a:\r\n- b\r\n- c\r\n", "--- {a: 1}\n--- [b]\n...\n", "a: >-\n  x\n\n  y\n", "a:\n- [x \"y, z]\n- [w]\nb: \"q\"\n# c"} {
		f.Add([]byte(seed), uint8(0), uint8(1))
	}
	v, err := mapfile.ParseValue("{new: [1, 'it''s']}")
	if err != nil {
		f.Fatal(err)
	}
	f.Fuzz(func(t *testing.T, content []byte, at, to uint8) {
		x, err := mapfile.OpenText(mapfile.File{Path: "f.yaml", Content: content})
		if err != nil {
			return
		}
		for _, spot := range spots(x) {
			n := x.Size(spot)
			if n == 0 {
				continue
			}
			i := int(at) % n
			if more, err := x.Insert(spot, i, "added", v); err == nil && more.Size(spot) != n+1 {
				t.Fatalf("%q: %d were %d after one was added", content, more.Size(spot), n)
			}
			if less, err := x.Remove(spot.At(i)); err == nil && less.Size(spot) != n-1 {
				t.Fatalf("%q: %d were %d after one was taken out", content, less.Size(spot), n)
			}
			if other, err := x.Replace(spot.At(i), v); err == nil && other.Flow(spot.At(i)) != v.String() &&
				other.Size(spot.At(i)) == 0 {
				t.Fatalf("%q: %s", content, other.Flow(spot.At(i)))
			}
			if x.IsList(spot) {
				if moved, err := x.Move(spot.At(i), int(to)%(n+1)); err == nil && moved.Size(spot) != n {
					t.Fatalf("%q: %d were %d after one was moved", content, moved.Size(spot), n)
				}
			}
		}
	})
}

// spots lists the first two levels of all systems of a file.
func spots(x *mapfile.Text) []mapfile.Spot {
	var all []mapfile.Spot
	root, ok := x.Document("system", "a")
	if !ok {
		root, ok = x.Document(mapfile.Map, "")
	}
	if !ok {
		return nil
	}
	all = append(all, root)
	for i := range x.Size(root) {
		all = append(all, root.At(i))
	}
	return all
}
