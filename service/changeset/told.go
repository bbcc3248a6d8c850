package changeset

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/core/name"
	"gatemap/service/writes"
	"gatemap/stage"
	"gatemap/store"
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
		Name: t.Name, Note: t.Note, Author: t.Author, Created: t.Created, Base: t.Base, Version: t.Version,
		Reverts: t.Reverts,
		Changes: []answer.Staged{}, Applies: w.err == nil,
	}
	for _, c := range w.changes {
		d.Changes = append(d.Changes, answer.Staged{Sentence: c.Sentence(), By: c.By, Change: c.Change})
	}
	if w.err != nil {
		d.Obstacle = w.err.Error()
	} else {
		w.tell(d, s.Writes != nil)
	}
	s.told.Add(of, new(*d))
	return d, nil
}

// tell says what is worth knowing before a trial is committed. written says whether records are
// written where they come from.
func (w *tried) tell(d *answer.Trial, written bool) {
	var notices []string
	counts, stays := writes.Records(w.head.Folder, w.folder)
	var sourced []string
	for _, x := range stays {
		sourced = append(sourced, x.Directory)
	}
	for _, c := range counts {
		if written {
			notices = append(
				notices,
				fmt.Sprintf("The commit first writes to where the records of %s come from, records: %d.", c.Directory, c.Records),
			)
			d.Writes += c.Records
		} else {
			sourced = append(sourced, c.Directory)
		}
	}
	if slices.Sort(sourced); sourced != nil {
		notices = append(
			notices,
			fmt.Sprintf(
				"Records of %s come from a source: make the change there too, or the next intake restores what the source has.",
				strings.Join(slices.Compact(sourced), " and "),
			),
		)
	}
	book := w.head.Atlas.Book
	for _, c := range w.changes {
		if c.Do == stage.SetUser && len(c.Value) > 0 && !book.HasAttribute(c.Attribute) &&
			!name.Equal(c.Attribute, "expires") {
			notices = append(
				notices,
				fmt.Sprintf(
					"No user has the attribute %s so far%s",
					c.Attribute,
					cmp.Or(name.DidYouMean(name.Near(c.Attribute, book.AttributeNames())), "."),
				),
			)
		}
	}
	d.Notices = notices
}
