package readings

import (
	"context"
	"fmt"
	"maps"
	"net/url"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/stage"
)

// Adopted are the changes that put what a system was found to hold in the place of what its document
// says of its gate; or that make the document of one that the map does not have yet, which is read
// now.
func (s *Readings) Adopted(ctx context.Context, a answer.Adopting) ([]stage.Change, error) {
	if a.New {
		return s.adoptedNew(ctx, a)
	}
	if a.Type+a.Link != "" {
		return nil, answer.Invalid(
			"new",
			"",
			"type and link are for a system that the map does not have yet: say that it is new",
		)
	}
	head := s.Head()
	document, err := linked(head, a.System)
	if err != nil {
		return nil, err
	}
	real, err := s.compiled(ctx, head, document)
	if err != nil {
		return nil, err
	}
	return adopted(head, real, document)
}

func (s *Readings) adoptedNew(ctx context.Context, n answer.Adopting) ([]stage.Change, error) {
	head := s.Head()
	if err := name.Check(n.System); err != nil {
		return nil, answer.Invalid("system", n.System, err.Error())
	}
	if known, err := head.Atlas.System(n.System); err == nil {
		return nil, &answer.ConflictError{
			Message: fmt.Sprintf("the map has a system %s already: adopt it without new", known.Name()),
		}
	}
	t, known := types.Named(n.Type)
	if !known {
		return nil, answer.Invalid("type", n.Type, "there is no such gate type; there are "+strings.Join(types.Names(), ", "))
	}
	document, err := newDocument(n, t)
	if err != nil {
		return nil, err
	}
	defer s.Busy()()
	r, err := connect.Observe(ctx, document, *s.Host, func(int) {})
	if err != nil {
		return nil, &answer.ConflictError{Message: err.Error()}
	}
	real, err := reading.Compile(r, head.Atlas, document)
	if err != nil {
		return nil, err
	}
	return adopted(head, real, document)
}

// newDocument is the beginning of a document: its name, its type and its link.
func newDocument(n answer.Adopting, t gate.Type) (*gate.System, error) {
	if at, err := url.Parse(n.Link); err == nil && at.Host != "" {
		for _, c := range connectors.Table {
			if c.Link == nil || c.Address == nil || c.Name != at.Scheme {
				continue
			}
			l, err := c.Address(at)
			if err != nil {
				return nil, answer.Invalid("link", n.Link, err.Error())
			}
			return &gate.System{
				Name: n.System, Type: name.Ref{Name: n.Type},
				Link: &gate.Link{Connection: directory.Connection{Name: c.Name, Live: true, Document: l}},
			}, nil
		}
		return nil, answer.Invalid(
			"link",
			n.Link,
			"no kind of link has addresses that begin with "+at.Scheme+
				"://; write the link in YAML, as the key link of a document has it",
		)
	}
	head := gate.Type{Name: t.Name, New: func() gate.Document { return &bare{} }}
	m, err := mapfile.Parse(
		[]mapfile.File{
			{
				Path: "link",
				Content: fmt.Appendf(
					nil,
					"system: %q\ntype: %s\nlink: %s\n",
					n.System,
					n.Type,
					strings.ReplaceAll(n.Link, "\n", "\n  "),
				),
			},
		},
		[]gate.Type{head},
		connectors.Kinds(),
	)
	if err != nil {
		return nil, answer.Invalid("link", n.Link, err.Error())
	}
	document := m.Systems[0]
	document.Gate = t.New()
	return document, nil
}

// bare is a document that says nothing of a gate yet.
type bare struct{}

// Compile is never asked for.
func (*bare) Compile(*gate.Site) gate.Gate { return nil }

// adopted are the changes that make a system of the map what was adopted.
func adopted(head *query.Head, real *reading.Compiled, document *gate.System) ([]stage.Change, error) {
	is, own := real.Adopted(document)
	text, err := mapfile.Write(is)
	if err != nil {
		return nil, err
	}
	files := head.Documents()
	if err := content.Put(files, "system", document.Name, text); err != nil {
		return nil, err
	}
	return withOwn(head, files, own)
}

// withOwn are the changes that make the files of the map others, and give it what a system has of its
// own: as a directory, or in the one that it has already.
func withOwn(head *query.Head, files map[string]string, own *directory.Document) ([]stage.Change, error) {
	if own == nil {
		return head.Folder.Files.Differing(files)
	}
	text, err := mapfile.WriteDirectory(own)
	if err != nil {
		return nil, err
	}
	has := func(d *directory.Document) bool { return d.Name == own.Name }
	if !slices.ContainsFunc(head.Atlas.Book.Directories(), has) {
		if err := content.Put(files, "directory", own.Name, text); err != nil {
			return nil, err
		}
		return head.Folder.Files.Differing(files)
	}
	changes, err := head.Folder.Files.Differing(files)
	if err != nil {
		return nil, err
	}
	all := fileOf(text).Entries(readFile)
	for _, at := range slices.SortedFunc(maps.Keys(all), place.Compare) {
		if e := all[at]; e.List == "users" || e.List == "groups" {
			c := stage.Change{Do: stage.AddPart, Document: "directory " + own.Name, List: e.List, Value: e.Value}
			changes = append(changes, c)
		}
	}
	return changes, nil
}
