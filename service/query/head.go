package query

import (
	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/service/content"
	"gatemap/store"
)

// Head is the newest revision, compiled. It is immutable.
type Head struct {
	Revision store.Revision
	Folder   *content.Folder
	Answers
}

var _ answer.Asker = (*Head)(nil)

// HeadOf is a folder with the atlas compiled of it, without a revision.
func HeadOf(f *content.Folder, a *atlas.Atlas) *Head { return &Head{Folder: f, Answers: From(a)} }

// Documents are the files of the map in force, by path.
func (h *Head) Documents() map[string]string {
	all := map[string]string{}
	for _, f := range h.Folder.Files {
		all[f.Path] = string(f.Content)
	}
	return all
}
