package scim

import (
	"cmp"
	"crypto/sha256"
	"encoding/hex"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/name"
)

// Undo takes back what is there of a modification.
func (w *writing) Undo(m *connect.Modification, made connect.Made) error {
	switch {
	case m.Leaves(made):
		return nil
	case m.Gone:
		return w.unremove(m)
	case m.Entry != nil:
		return w.unadd(m)
	}
	const tries = 5
	for try := 1; ; try++ {
		err := w.unmodify(m, made)
		if try == tries || !hasStatus(err, http.StatusPreconditionFailed) {
			return err
		}
	}
}

// unmodify takes back what is there of changes.
func (w *writing) unmodify(m *connect.Modification, made connect.Made) error {
	at := cmp.Or(w.instead[m.At], m.At)
	if named, is := stoodFor("group", strings.TrimPrefix(at, listOf(connect.Group)+"/")); is { // it was to be made before
		id, err := w.called(connect.Group, named)
		if err != nil || id == "" {
			return err
		}
		at = pathOf(connect.Group, id)
	}
	body, version, err := w.read(at)
	if err != nil || body == nil {
		return err
	}
	if version != "" && version == m.Version {
		return nil // it was not modified
	}
	changes, _, err := w.identified(m.Changes)
	if err != nil {
		return err
	}
	if there, err := w.d.resource(kindAt(m.At), body); err == nil {
		body = there.Body
	}
	ours := made == connect.IsMade || w.instead[m.At] != ""
	back := undone(body, changes, ours)
	if back == nil {
		return nil
	}
	if _, err := w.modify(at, back, version); err != nil {
		return fmt.Errorf("%s cannot be put back: %w", m.At, err)
	}
	return nil
}

// undone is what takes back what is there of changes. What was added tells whether it is; for what was
// only taken away, ours does.
func undone(body raw, changes []connect.ValueChange, ours bool) (back []connect.ValueChange) {
	for _, c := range changes {
		there := thereOf(body, c.Attribute)
		has := func(v string) bool { return slices.Contains(there, v) }
		if c.Attribute != "members" {
			has = func(v string) bool { return len(there) > 0 && includes(plainValue(there[0]), plainValue(v)) }
		}
		added := slices.DeleteFunc(slices.Clone(c.Add), func(v string) bool { return !has(v) })
		if len(added) < len(c.Add) || len(c.Add) == 0 && !ours {
			continue // somebody else has changed it since
		}
		if len(c.Add) == 0 && c.Attribute != "members" && there != nil {
			continue // it has another value since
		}
		b := connect.ValueChange{Attribute: c.Attribute, Delete: added}
		b.Add = slices.DeleteFunc(slices.Clone(c.Delete), func(v string) bool { return slices.Contains(there, v) })
		if len(b.Delete)+len(b.Add) > 0 {
			back = append(back, b)
		}
	}
	return back
}

// thereOf are the ids of members, or the value that an attribute has, as changes have it.
func thereOf(body raw, path string) (there []string) {
	if path != "members" {
		is, key := at(body, path, false)
		return written(is[key])
	}
	list, _ := body.value("members").([]any)
	for _, m := range list {
		there = append(there, memberID(m))
	}
	return there
}

// soon is how long after it was looked for a resource may be made that is taken for ours.
const soon = time.Minute

// unadd deletes a resource that was made, unless somebody has changed it since. Where it is not known
// whether it was made, it is only if all tells that it is ours.
func (w *writing) unadd(m *connect.Modification) error {
	body, version, ours, err := w.made(m)
	if err != nil || !ours {
		return err
	}
	path := pathOf(kindAt(m.At), body.id())
	if _, err := w.ask(w.ctx, http.MethodDelete, path, nil, version, nil); err != nil &&
		!hasStatus(err, http.StatusNotFound) {
		return fmt.Errorf("%s cannot be taken back: %w", path, err)
	}
	return nil
}

// made is the resource that was made, its version, and whether it is still as it was.
func (w *writing) made(m *connect.Modification) (body raw, version string, ours bool, err error) {
	kind := kindAt(m.At)
	if m.At != listOf(kind) {
		body, version, err = w.read(m.At)
		return body, version, body != nil && w.sum(kind, body) == m.Becomes, err
	}
	want := entered(m)
	id, err := w.called(kind, raw(want).named(kind))
	if err != nil || id == "" {
		return nil, "", false, err
	}
	if body, version, err = w.read(pathOf(kind, id)); err != nil || body == nil {
		return nil, "", false, err
	}
	return body, version, w.isOurs(body, m, want), nil
}

// isOurs says that a resource is the one that was to be made: it came when that was tried, was not
// modified since, and has what was sent and no members.
func (w *writing) isOurs(body raw, m *connect.Modification, want object) bool {
	meta, _ := body.value("meta").(map[string]any)
	created, err := time.Parse(time.RFC3339, raw(meta).text("created"))
	looked, failed := http.ParseTime(m.Version)
	filled := kindAt(m.At) == connect.Group // with members, after it was made
	if err != nil || failed != nil || !filled && raw(meta).text("lastModified") != raw(meta).text("created") {
		return false
	}
	if created.Before(looked.Add(-time.Second)) || created.After(looked.Add(soon)) {
		return false
	}
	there, err := w.d.resource(kindAt(m.At), body)
	if err != nil {
		return false
	}
	if there.Body["members"] != nil {
		return false
	}
	for key, value := range want {
		if key != "schemas" && !includes(there.Body[key], value) {
			return false
		}
	}
	return true
}

// unremove makes a group again that was removed. For the server it is a new one of the same name.
func (w *writing) unremove(m *connect.Modification) error {
	body, _, err := w.read(m.At)
	if err != nil || body != nil {
		return err // it was not removed
	}
	again := &connect.Modification{At: listOf(connect.Group), Entry: m.Entry}
	id, err := w.called(connect.Group, raw(entered(m)).named(connect.Group))
	if err != nil || id != "" {
		return err // somebody has made another
	}
	if _, err := w.add(again); err != nil {
		return fmt.Errorf("%s cannot be put back: %w", m.At, err)
	}
	w.instead[m.At] = again.At
	return nil
}

// sum is the same of two resources of which the records are the same.
func (w *writing) sum(k connect.Kind, body raw) string {
	var one connect.Records
	if w.d.take(k, body, &one); len(one.Rejected) > 0 {
		return ""
	}
	var what any
	if k == connect.User {
		u := one.Users[0]
		what = []any{u.Name, u.IsActive(), u.Attributes.Plain()}
	} else {
		g := one.Groups[0]
		list := slices.Clone(members(g))
		slices.SortFunc(list, func(a, b name.Ref) int { return strings.Compare(a.Name, b.Name) })
		names := make([]string, len(list))
		for i, ref := range list {
			names[i] = ref.Name
		}
		what = []any{g.Name, g.Description, names}
	}
	hash := sha256.Sum256([]byte(written(what)[0]))
	return hex.EncodeToString(hash[:16])
}
