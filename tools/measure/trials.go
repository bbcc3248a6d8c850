package main

import (
	"cmp"
	"encoding/json"
	"fmt"
	"gatemap/core/change"
	"gatemap/core/directory"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/stage"
	"slices"
	"strings"
	"time"
)

// trials measures a change with its outcome against recompiling.
func (b *bench) trials() error {
	compiled := b.rows[0].own
	u, other := b.atlas.Book.UserName(b.users[1]), b.atlas.Book.User(b.users[2])
	var group string
	for g := range directory.GroupID(b.atlas.Book.Groups()) {
		if b.atlas.Book.Group(g).Rule == nil && b.atlas.Book.DirectUsers(g) > 20 && b.atlas.Book.Group(g).Kind == "" {
			group = b.atlas.Book.GroupName(g)
			break
		}
	}
	var ruled string // stands in a file, and not in a source
	for g := range b.atlas.Book.AllGroups {
		if n := len(b.atlas.Book.Members(g)); b.atlas.Book.Group(g).Rule != nil && n > 20 && n < 200 {
			ruled = b.atlas.Book.GroupName(g)
			break
		}
	}
	title, err := json.Marshal(other.Attributes.First("title"))
	if err != nil {
		return err
	}
	set := func(field, value string) stage.Change {
		return stage.Change{Do: stage.SetGroup, Group: group, Field: field, Value: []byte(value)}
	}
	for _, c := range []struct {
		work   string
		least  float64
		change stage.Change
	}{
		{"a trial of one membership", 50, stage.Change{Do: stage.Join, Group: group, Member: u}},
		{"a trial of one attribute", 50, stage.Change{Do: stage.SetUser, User: u, Attribute: "title", Value: title}},
		{"a trial of one rule", 50, stage.Change{Do: stage.RemoveLine, System: "firewall-1", List: "rules", Line: b.aRule()}},
		{"a trial of one group's kind", 0, set("kind", `"mail"`)},
		{"a trial of one group's reach", 0, set("usable_in", `"own"`)},
		{"a trial of one group in a group", 0, stage.Change{Do: stage.Join, Group: group, Member: b.loose(group)}},
		{"a trial of one group more", 0, stage.Change{Do: stage.CreateGroup,
			Group: b.atlas.Book.GroupHome(0) + "/night-watch", Value: []byte(`{"members": {"users": ["` + u + `"]}}`)}},
		{"a trial of one group less", 0, stage.Change{Do: stage.RemoveGroup, Group: group}},
		{"a trial of one group's name", 0, stage.Change{Do: stage.RenameGroup, Group: ruled, To: "night-watch"}},
		{"a trial of one network more", 0, stage.Change{Do: stage.AddPart, Document: "map", List: "networks", Part: "hut",
			Value: []byte(`["192.0.2.224/28"]`)}},
	} {
		next, err := b.folder.Changed(b.atlas, []stage.Change{c.change})
		if err != nil {
			return err
		}
		var outcome *change.Outcome
		own := timed(5, func() {
			var t *change.Trial
			if t, err = change.Try(b.atlas, b.folder.Map, next.Map); err == nil {
				outcome, err = t.Outcome(nothing)
			}
		})
		if err != nil {
			return err
		}
		differences := len(outcome.Gains) + len(outcome.Losses) + len(outcome.Changes)
		b.rows = append(
			b.rows,
			row{
				work:     fmt.Sprintf("%s, with who gains and loses (%d differences)", c.work, differences),
				own:      own,
				baseline: "recompiling",
				other:    compiled,
				least:    c.least,
			},
		)
		if err := b.stagedToo(c.work, c.change); err != nil {
			return err
		}
	}
	return nil
}

// loose names a group that could be put into another: it lists people, and holds no
// group.
func (b *bench) loose(other string) string {
	book := b.atlas.Book
	for g := range directory.GroupID(book.Groups()) {
		if book.Group(g).Rule == nil && book.Group(g).Kind == "" && book.Group(g).UsableIn == "" &&
			book.DirectUsers(g) > 5 && len(book.Held(g)) == 0 && book.GroupName(g) != other {
			return book.GroupName(g)
		}
	}
	return ""
}

// stagedToo measures a trial with the edit of files and records before it.
func (b *bench) stagedToo(work string, c stage.Change) (err error) {
	own := timed(5, func() {
		var next *content.Folder
		if next, err = b.folder.Changed(b.atlas, []stage.Change{c}); err != nil {
			return
		}
		var t *change.Trial
		if t, err = change.Try(b.atlas, b.folder.Map, next.Map); err == nil {
			_, err = t.Outcome(nothing)
		}
	})
	b.rows = append(
		b.rows,
		row{
			work:     work + ", from the staged change on",
			own:      own,
			baseline: "100 ms",
			other:    100 * time.Millisecond,
			least:    1,
		},
	)
	return err
}

// aRule names a rule of a firewall: that which, of those that permit something to the
// members of one group, is for the median number of them.
func (b *bench) aRule() string {
	type rule struct {
		name    string
		members int
	}
	var rules []rule
	i := slices.IndexFunc(b.folder.Files, func(f mapfile.File) bool { return f.Path == "systems/firewall-1.yaml" })
	for _, l := range strings.Split(string(b.folder.Files[i].Content), "\n") {
		_, rest, ok := strings.Cut(l, "action: permit, groups: [")
		group, _, _ := strings.Cut(rest, "]")
		_, named, _ := strings.Cut(l, "name: ")
		named, _, _ = strings.Cut(named, ",")
		if g, err := b.atlas.Book.FindGroup(group, ""); ok && err == nil {
			rules = append(rules, rule{named, len(b.atlas.Book.Members(g))})
		}
	}
	slices.SortFunc(rules, func(x, y rule) int { return cmp.Compare(x.members, y.members) })
	median := rules[len(rules)/2]
	progress(fmt.Sprintf("  the rule is for %d people", median.members))
	return median.name
}
