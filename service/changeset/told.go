package changeset

import (
	"cmp"
	"fmt"
	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/stage"
	"gatemap/store"
	"strings"
)

// trialOn is a version of a trial on a revision.
type trialOn struct {
	name              string // folded
	version, revision int
}

// describe says what a trial is, on the head. That is kept for many more trials than can be
// kept computed.
func (s *Bench) describe(t *store.Trial) (*answer.Trial, error) {
	of := trialOn{name.Fold(t.Name), t.Version, s.History.Head().Revision.Number}
	if d, known := s.told.Get(of); known {
		return new(*d), nil
	}
	w := s.work(t)
	of.revision = w.head.Revision.Number
	d := &answer.Trial{
		Name: t.Name, Note: t.Note, Author: t.Author, Created: t.Created, Base: t.Base, Version: t.Version, Reverts: t.Reverts,
		Changes: []answer.Staged{}, Applies: w.err == nil,
	}
	for _, c := range w.changes {
		d.Changes = append(d.Changes, answer.Staged{Sentence: c.Sentence(), By: c.By, Change: c.Change})
	}
	if w.err != nil {
		d.Obstacle = w.err.Error()
	} else {
		d.Notices = w.notices()
	}
	s.told.Add(of, new(*d))
	return d, nil
}

// notices says what is worth knowing before a trial is committed.
func (w *tried) notices() (notices []string) {
	var sourced []string
	for _, d := range w.head.Folder.Written.Map.Directories {
		if len(w.draft.Touched[d.Name]) > 0 && d.Source != nil {
			sourced = append(sourced, d.Name)
		}
	}
	if sourced != nil {
		notices = append(notices, fmt.Sprintf("Records of %s come from a source: make the change there too, or the next intake restores what the source has.", strings.Join(sourced, " and ")))
	}
	book := w.head.Atlas.Book
	for _, c := range w.changes {
		if c.Do == stage.SetUser && len(c.Value) > 0 && !book.HasAttribute(c.Attribute) && !name.Equal(c.Attribute, "expires") {
			notices = append(notices, fmt.Sprintf("No user has the attribute %s so far%s", c.Attribute, cmp.Or(name.DidYouMean(name.Near(c.Attribute, book.AttributeNames())), ".")))
		}
	}
	return notices
}
