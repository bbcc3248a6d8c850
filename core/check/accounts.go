package check

import (
	"fmt"
	"slices"
	"strings"

	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
)

var accounts = Analyzer{
	Name: "accounts",
	Doc: "People with both active and inactive accounts, and same_person or feeds naming a directory that does not " +
		"exist.",
	Run: func(p *Pass) {
		book := p.Atlas.Book
		for _, d := range book.Directories() {
			if d.SamePerson != nil {
				p.named(d.SamePerson.Directory, "same_person of directory "+d.Name)
			}
			if d.Source != nil && d.Source.Feeds != nil {
				p.named(d.Source.Feeds.Directory, "The feed of directory "+d.Name)
			}
		}
		for all := range book.Persons {
			var on, off []string
			for _, u := range all {
				if book.Active(u) {
					on = append(on, book.UserName(u))
				} else {
					off = append(off, book.UserName(u))
				}
			}
			if on != nil && off != nil {
				p.Add(finding.New(
					finding.HalfLeft,
					book.User(all[0]).Place,
					fmt.Sprintf(
						"%s %s inactive, but %s of the same person %s active.",
						strings.Join(off, " and "),
						isOrAre(off),
						strings.Join(on, " and "),
						isOrAre(on),
					),
					"Deactivate the others too, or find out why one is inactive.",
					slices.Concat(off, on)...))
			}
		}
	},
}

func isOrAre(names []string) string {
	if len(names) == 1 {
		return "is"
	}
	return "are"
}

// named tells of a directory that does not exist.
func (p *Pass) named(ref name.Ref, what string) {
	for _, d := range p.Atlas.Book.Directories() {
		if name.Equal(d.Name, ref.Name) {
			return
		}
	}
	err := &directory.NotFoundError{Kind: "directory", Name: ref.Name, Near: name.Near(ref.Name, p.Atlas.DirectoryNames)}
	p.Add(directory.ReportMissing(ref, err, what))
}
