// Package mapfile reads a map from a folder of YAML files, strictly and with
// the place of everything in it (docs/map-folder.md), and draws the JSON
// Schema of what it reads. It compiles nothing and fetches no sources.
package mapfile

import (
	"bytes"
	"cmp"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"maps"
	"path"
	"reflect"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"

	"go.yaml.in/yaml/v3"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/notice"
	"gatemap/core/place"
	"gatemap/core/situation"
)

// Head is the file that marks a map folder.
const Head = "gatemap.yaml"

// File is one file of a folder, by its slash-separated path from there.
type File struct {
	Path    string
	Content []byte
}

// Files reads the YAML files of a folder, Head first. Folders and files whose
// names start with a dot are passed over.
func Files(folder fs.FS) ([]File, error) {
	var files []File
	err := fs.WalkDir(folder, ".", func(p string, entry fs.DirEntry, err error) error {
		switch {
		case err != nil:
			return err
		case p != "." && strings.HasPrefix(path.Base(p), "."):
			if entry.IsDir() {
				return fs.SkipDir
			}
			return nil
		case entry.IsDir(), path.Ext(p) != ".yaml" && path.Ext(p) != ".yml":
			return nil
		}
		content, err := fs.ReadFile(folder, p)
		files = append(files, File{p, content})
		return err
	})
	if err != nil {
		return nil, fmt.Errorf("reading the map folder: %w", err)
	}
	if !slices.ContainsFunc(files, func(f File) bool { return f.Path == Head }) {
		return nil, fmt.Errorf("there is no %s in it, so it is no map folder; make one with at least a title", Head)
	}
	slices.SortStableFunc(files, func(a, b File) int {
		return cmp.Or(cmp.Compare(rank(a), rank(b)), strings.Compare(a.Path, b.Path))
	})
	return files, nil
}

func rank(f File) int {
	if f.Path == Head {
		return 0
	}
	return 1
}

// head is the document in the file Head.
type head struct {
	Title    string                       `yaml:"title,required" doc:"What the map is of."`
	TimeZone place.Text                   `yaml:"time_zone" doc:"The time zone of the windows (IANA name). Missing: UTC."`
	Networks map[string][]situation.Range `yaml:"networks" doc:"Named networks: addresses and prefixes, IPv4 and IPv6."`
	Windows  map[string]*situation.Window `yaml:"windows" doc:"Named weekly time windows."`
}

// promises is a document of guarantees.
type promises struct {
	Guarantees []*atlas.Guarantee `yaml:"guarantees,required" doc:"Statements about the map that must stay true."`
}

type reader struct {
	*part
	types       []gate.Type
	connections []directory.ConnectionKind
	errs        *place.Errors
}

func (r *reader) file(f File) {
	d := &decoder{file: f.Path, connections: r.connections, errs: r.errs}
	in := yaml.NewDecoder(bytes.NewReader(f.Content))
	for {
		var doc yaml.Node
		err := in.Decode(&doc)
		if errors.Is(err, io.EOF) {
			return
		}
		if err != nil {
			r.syntax(f, err)
			return
		}
		root := doc.Content[0]
		if isNull(root) {
			continue
		}
		if root.Kind != yaml.MappingNode {
			d.fail(root, "a document is a set of keys, not %s", describe(root))
			continue
		}
		r.document(d, root)
	}
}

func (r *reader) document(d *decoder, root *yaml.Node) {
	switch {
	case value(root, "system") != nil:
		r.system(d, root)
	case value(root, "directory") != nil:
		doc := &directory.Document{}
		d.structs(root, "the directory", reflect.ValueOf(doc).Elem())
		r.directories = append(r.directories, doc)
	case value(root, "table") != nil:
		t := &attributeTable{}
		d.structs(root, "the table", reflect.ValueOf(t).Elem())
		r.tables = append(r.tables, t)
	case value(root, "guarantees") != nil:
		var g promises
		d.structs(root, "the document", reflect.ValueOf(&g).Elem())
		r.guarantees = append(r.guarantees, g.Guarantees...)
	case d.file == Head:
		r.head = &head{}
		d.structs(root, "the map", reflect.ValueOf(r.head).Elem())
	case value(root, "notices") != nil:
		doc := &notice.Document{}
		d.structs(root, "the receiver", reflect.ValueOf(doc).Elem())
		r.notices = append(r.notices, doc)
	default:
		d.fail(
			root,
			"this document has none of the keys system, directory, table, guarantees and notices, so it is none of these",
		)
	}
}

func value(n *yaml.Node, key string) *yaml.Node {
	for i := 0; i+1 < len(n.Content); i += 2 {
		if n.Content[i].Value == key {
			return n.Content[i+1]
		}
	}
	return nil
}

// into puts what the head says into a map.
func (h *head) into(m *atlas.Map, errs *place.Errors) {
	m.Title = h.Title
	if h.TimeZone.Value != "" {
		zone, err := time.LoadLocation(h.TimeZone.Value)
		if err != nil {
			errs.Addf(h.TimeZone.Place, "time_zone: there is no time zone %q; names are like Atlantic/Canary", h.TimeZone.Value)
		}
		m.Zone = zone
	}
	for _, n := range slices.Sorted(maps.Keys(h.Networks)) {
		network := situation.Network{Name: n}
		for _, p := range h.Networks[n] {
			network.Prefixes = append(network.Prefixes, p.Prefix)
		}
		m.Networks = append(m.Networks, network)
	}
	for _, n := range slices.Sorted(maps.Keys(h.Windows)) {
		if w := h.Windows[n]; w != nil {
			named := *w // what was read is shared by all maps that are put together of it
			named.Name = n
			m.Windows = append(m.Windows, named)
		}
	}
}

func (r *reader) system(d *decoder, root *yaml.Node) {
	s := &gate.System{}
	typ := value(root, "type")
	if typ == nil || isNull(typ) {
		d.fail(root, "the system needs the key type: %s", r.typeNames())
		return
	}
	i := slices.IndexFunc(r.types, func(t gate.Type) bool { return t.Name == typ.Value })
	if i < 0 {
		near := name.DidYouMean(name.Near(typ.Value, func(yield func(string) bool) {
			for _, t := range r.types {
				if !yield(t.Name) {
					return
				}
			}
		}))
		d.fail(typ, "there is no gate type %q%s; there are %s", typ.Value, near, r.typeNames())
		return
	}
	s.Gate = r.types[i].New()
	d.structs(root, "the system", reflect.ValueOf(s).Elem(), reflect.ValueOf(s.Gate).Elem())
	r.systems = append(r.systems, s)
}

func (r *reader) typeNames() string {
	names := make([]string, len(r.types))
	for i, t := range r.types {
		names[i] = t.Name
	}
	return strings.Join(names, ", ")
}

var yamlLine = regexp.MustCompile(`^yaml: (?:line (\d+): )?`)

// syntax reports a file that is not YAML. A tab in the indentation, the
// commonest slip, gets words of its own.
func (r *reader) syntax(f File, err error) {
	at := place.Place{File: f.Path}
	message := err.Error()
	if m := yamlLine.FindStringSubmatch(message); m != nil {
		line, _ := strconv.Atoi(m[1])
		at.Line = int32(line)
		message = message[len(m[0]):]
	}
	for i, line := range strings.Split(string(f.Content), "\n") {
		indent := line[:len(line)-len(strings.TrimLeft(line, " \t"))]
		if tab := strings.IndexByte(indent, '\t'); tab >= 0 && int32(i+1) >= at.Line-1 {
			at.Line, at.Column = int32(i+1), int32(tab+1)
			message = "the indentation has a tab; only spaces are allowed"
			break
		}
	}
	r.errs.Addf(at, "not YAML: %s", message)
}
