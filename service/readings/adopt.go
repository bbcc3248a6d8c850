package readings

import (
	"context"
	"fmt"
	"net/url"
	"strings"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/name"
	"gatemap/core/reading"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
)

// Adopted are the files of the map in force, with what a system was found to hold in the place of
// what its document says of its gate; or with the document of one that the map does not have yet,
// which is read now.
func (s *Readings) Adopted(ctx context.Context, a answer.Adopting) (files map[string]string, err error) {
	if a.New {
		return s.adoptedNew(ctx, a)
	}
	if a.Type+a.Link != "" {
		return nil, answer.Invalid("new", "", "type and link are for a system that the map does not have yet: say that it is new")
	}
	head := s.Head()
	document, err := s.linked(head, a.System)
	if err != nil {
		return nil, err
	}
	real, err := s.compiled(ctx, head, document)
	if err != nil {
		return nil, err
	}
	return adoptedFiles(head, real, document)
}

func (s *Readings) adoptedNew(ctx context.Context, n answer.Adopting) (files map[string]string, err error) {
	head := s.Head()
	if err := name.Check(n.System); err != nil {
		return nil, answer.Invalid("system", n.System, err.Error())
	}
	if known, err := head.Atlas.System(n.System); err == nil {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("the map has a system %s already: adopt it without new", known.Name())}
	}
	t, known := types.Named(n.Type)
	if !known {
		return nil, answer.Invalid("type", n.Type, "there is no such gate type; there are "+strings.Join(types.Names(), ", "))
	}
	document, err := newDocument(n, t)
	if err != nil {
		return nil, err
	}
	r, err := connect.Observe(ctx, document, *s.Host, func(int) {})
	if err != nil {
		return nil, &answer.ConflictError{Message: err.Error()}
	}
	real, err := reading.Compile(r, head.Atlas, document)
	if err != nil {
		return nil, err
	}
	return adoptedFiles(head, real, document)
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
		return nil, answer.Invalid("link", n.Link, "no kind of link has addresses that begin with "+at.Scheme+"://; write the link in YAML, as the key link of a document has it")
	}
	head := gate.Type{Name: t.Name, New: func() gate.Document { return &bare{} }}
	m, err := mapfile.Parse([]mapfile.File{{Path: "link", Content: fmt.Appendf(nil, "system: %q\ntype: %s\nlink: %s\n", n.System, n.Type, strings.ReplaceAll(n.Link, "\n", "\n  "))}}, []gate.Type{head}, connectors.Kinds())
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

// adoptedFiles are the files of a map with what was adopted.
func adoptedFiles(head *query.Head, real *reading.Compiled, document *gate.System) (map[string]string, error) {
	files := head.Documents()
	adopted, own := real.Adopted(document)
	text, err := mapfile.Write(adopted)
	if err != nil {
		return nil, err
	}
	if err := content.Put(files, "system", document.Name, text); err != nil {
		return nil, err
	}
	if own == nil {
		return files, nil
	}
	if text, err = mapfile.WriteDirectory(own); err != nil {
		return nil, err
	}
	return files, content.Put(files, "directory", own.Name, text)
}
