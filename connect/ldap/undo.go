package ldap

import (
	"errors"
	"fmt"
	"slices"
	"time"

	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/name"
	"gatemap/core/place"
)

// Undo takes back what is there of a modification.
func (w *writing) Undo(m *connect.Modification, made connect.Made) error {
	switch {
	case m.Leaves(made):
		return nil
	case m.Gone:
		return w.unremove(m)
	case m.Entry != nil:
		return w.unadd(m, made)
	case m.Below != "":
		return w.unmove(m)
	}
	const tries = 10 // a server that follows a move changes the entries that refer to it, too
	for try := 1; ; try++ {
		err := w.unmodify(m, made)
		var result *ldap.Error
		if try == tries || !errors.As(err, &result) || !slices.Contains(movedCodes, result.ResultCode) {
			return err
		}
		time.Sleep(20 * time.Millisecond)
	}
}

// unmodify takes back what is there of a change of values.
func (w *writing) unmodify(m *connect.Modification, made connect.Made) error {
	attributes := append(slices.Clone(versions), "modifiersName")
	for _, c := range m.Changes {
		attributes = append(attributes, c.Attribute)
	}
	raw, err := w.read(m.At, "(objectClass=*)", attributes)
	if err != nil || raw == nil || m.Version != "" && version(raw) == m.Version {
		return err // it is gone, or was not modified
	}
	e, err := w.entry(raw)
	if err != nil {
		return err
	}
	ours := made == connect.IsMade ||
		dnKey(raw.GetEqualFoldAttributeValue("modifiersName")) == dnKey(w.client.ldap.Bind.Value)
	back := undone(e, m, ours)
	if back == nil {
		return nil
	}
	if err := w.modify(m.At, back, version(raw)); err != nil {
		return fmt.Errorf("the entry %q cannot be put back: %w", m.At, err)
	}
	return nil
}

// undone is what takes back what is there of a modification. What was added tells whether it is; for
// what was only deleted, ours does.
func undone(e *connect.Entry, m *connect.Modification, ours bool) (back []connect.ValueChange) {
	for _, c := range m.Changes {
		added := among(e, c.Attribute, c.Add)
		if len(added) < len(c.Add) || len(c.Add) == 0 && !ours {
			continue // somebody else has changed it since
		}
		b := connect.ValueChange{Attribute: c.Attribute, Delete: added}
		there := among(e, c.Attribute, c.Delete)
		b.Add = slices.DeleteFunc(slices.Clone(c.Delete), func(v string) bool { return slices.Contains(there, v) })
		if len(b.Delete)+len(b.Add) > 0 {
			back = append(back, b)
		}
	}
	return back
}

// among are those of some values that an attribute has.
func among(e *connect.Entry, attribute string, values []string) (there []string) {
	has := e.Values(attribute)
	for _, v := range values {
		if slices.ContainsFunc(has, func(h place.Text) bool { return connect.SameReference(h.Value, v) }) {
			there = append(there, v)
		}
	}
	return there
}

// unadd deletes an entry that was made, unless somebody has changed it since. Where it is not known
// whether it was made, it is only if all tells that it is ours.
func (w *writing) unadd(m *connect.Modification, made connect.Made) error {
	attributes := []string{"creatorsName", "modifiersName", "uSNCreated", "uSNChanged"}
	for _, v := range m.Entry {
		attributes = append(attributes, v.Attribute)
	}
	raw, err := w.read(m.At, "(objectClass=*)", attributes)
	if err != nil || raw == nil {
		return err
	}
	own := dnKey(w.client.ldap.Bind.Value)
	by := func(attribute string) bool {
		who := raw.GetEqualFoldAttributeValue(attribute)
		return who == "" || dnKey(who) == own
	}
	ours := by("modifiersName")
	if made == connect.Unknown {
		e, err := w.entry(raw)
		if err != nil {
			return err
		}
		ours = ours && by("creatorsName") &&
			(w.isGroup(m) || raw.GetEqualFoldAttributeValue("uSNCreated") == raw.GetEqualFoldAttributeValue("uSNChanged"))
		for _, v := range m.Entry {
			ours = ours && len(among(e, v.Attribute, v.Add)) == len(v.Add)
		}
	}
	if !ours {
		return nil
	}
	if err := w.ldap.Del(ldap.NewDelRequest(m.At, nil)); err != nil {
		return fmt.Errorf("the entry %q cannot be taken back: %w", m.At, plain(err))
	}
	return nil
}

// unmove puts an entry back that was moved, unless somebody has changed it since.
func (w *writing) unmove(m *connect.Modification) error {
	own, above := name.CutDN(m.At)
	moved := own + "," + m.Below
	raw, err := w.read(moved, "(objectClass=*)", append([]string{"modifiersName"}, versions...))
	if err != nil || raw == nil {
		return err
	}
	if old, err := w.read(m.At, "(objectClass=*)", []string{"1.1"}); err != nil || old != nil {
		return err // it was not moved: the other is another one
	}
	if by := raw.GetEqualFoldAttributeValue("modifiersName"); by != "" && dnKey(by) != dnKey(w.client.ldap.Bind.Value) {
		return nil
	}
	if err := w.move(moved, above, version(raw)); err != nil {
		return fmt.Errorf("the entry %q cannot be put back: %w", moved, plain(err))
	}
	return nil
}
