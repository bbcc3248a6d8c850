package directory

import (
	"slices"
	"strings"

	"gatemap/core/name"
	"gatemap/core/parallel"
)

// Texts are what a search looks at: of each user the name, display name, title,
// department and first mail address, and of each group the name and description,
// folded, with a zero byte between them.
type Texts struct {
	Users  []string // by number; empty of those who went
	Groups []string
}

// Texts are computed when they are first asked for; books that are edited from this
// one share them.
func (b *Book) Texts() *Texts {
	b.textsMade.Lock()
	defer b.textsMade.Unlock()
	if t := b.texts.Load(); t != nil {
		return t
	}
	t := &Texts{make([]string, b.Users()), make([]string, b.Groups())}
	parallel.For(b.Users(), 4096, func(from, to int) {
		for u := from; u < to; u++ {
			if b.HasUser(UserID(u)) {
				t.Users[u] = b.userText(UserID(u))
			}
		}
	})
	for g := range t.Groups {
		t.Groups[g] = b.groupText(GroupID(g))
	}
	b.texts.Store(t)
	return t
}

func (b *Book) userText(u UserID) string {
	a := &b.users.records[u].Attributes
	return name.Fold(
		strings.Join(
			[]string{b.users.full[u], a.First("displayName"), a.First("title"), a.First("department"), a.First("emails")},
			"\x00",
		),
	)
}

func (b *Book) groupText(g GroupID) string {
	return name.Fold(b.groups.full[g] + "\x00" + b.groups.records[g].Description)
}

// retext gives an edited book the texts of the one before, where these are there.
func (b *Book) retext(base *Book, e Edit) {
	old := base.texts.Load()
	if old == nil {
		return
	}
	t := *old
	if len(e.Users)+len(e.Join)+len(e.Leave) > 0 {
		t.Users = slices.Grow(slices.Clone(t.Users), len(e.Join))[:b.Users()]
	}
	if len(e.Groups)+len(e.Come)+len(e.Go) > 0 {
		t.Groups = slices.Grow(slices.Clone(t.Groups), len(e.Come))[:b.Groups()]
	}
	for u := range e.Users {
		t.Users[u] = b.userText(u)
	}
	for _, u := range b.MovedUsers() {
		if t.Users[u] = ""; b.HasUser(u) {
			t.Users[u] = b.userText(u)
		}
	}
	for g := range e.Groups {
		t.Groups[g] = b.groupText(g)
	}
	for _, g := range b.Moved() {
		t.Groups[g] = b.groupText(g)
	}
	b.texts.Store(&t)
}
