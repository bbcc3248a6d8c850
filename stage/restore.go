package stage

import (
	"crypto/sha256"
	"encoding/base64"
	"encoding/hex"
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/directory"
)

// Codec reads and writes records of sources as they are kept.
type Codec interface {
	// Read gives one record.
	Read(body []byte, n connect.Named) (connect.Records, error)
	// Write writes one of some records; nil if it is not among them.
	Write(r connect.Records, n connect.Named) ([]byte, error)
}

// RestoreRecord is a change that puts a record of a source back: before is nil
// where there was none, and after what stands there now.
func RestoreRecord(dir string, n connect.Named, before, after []byte) Change {
	was := sum(after)
	c := Change{Do: Restore, Document: n.Kind.String() + " " + dir + "/" + n.Name, Was: &was}
	if before != nil {
		c.Value = []byte(`"` + base64.StdEncoding.EncodeToString(before) + `"`)
	}
	return c
}

// RestoreDocument is a change that puts a file of the map back.
func RestoreDocument(path string, before, after []byte, text func([]byte) []byte) Change {
	was := sum(after)
	if before == nil {
		return Change{Do: RemoveDocument, Document: path, Was: &was}
	}
	return Change{Do: WriteDocument, Document: path, Value: text(before), Was: &was}
}

// sum names a content; "" is none.
func sum(content []byte) string {
	if content == nil {
		return ""
	}
	s := sha256.Sum256(content)
	return hex.EncodeToString(s[:8])
}

// restore puts a record of a source back.
func (d *Draft) restore(c *Change) error {
	kind, full, _ := strings.Cut(c.Document, " ")
	dir, named, ok := strings.Cut(full, "/")
	k, known := connect.ParseKind(kind)
	if !ok || !known {
		return fmt.Errorf("restore names a record, such as user cindervale/ilse.okonjo, not %q", c.Document)
	}
	n := connect.Named{Kind: k, Name: named}
	body, err := d.base.Codec.Write(d.Records[dir], n)
	if err != nil {
		return err
	}
	if err := same(&c.Was, sum(body), "the record of "+full); err != nil {
		return err
	}
	r := d.Records[dir]
	var one connect.Records
	if len(c.Value) > 0 {
		text, err := c.text()
		if err != nil {
			return err
		}
		raw, err := base64.StdEncoding.DecodeString(text)
		if err != nil {
			return fmt.Errorf("the value is base64: %w", err)
		}
		if one, err = d.base.Codec.Read(raw, n); err != nil {
			return err
		}
	}
	switch k {
	case connect.User:
		r.Users = restored(r.Users, one.Users, func(x *directory.User) bool { return x.Name == named })
	case connect.Group:
		r.Groups = restored(r.Groups, one.Groups, func(x *directory.Group) bool { return x.Name == named })
	default:
		r.Devices = restored(r.Devices, one.Devices, func(x *directory.Device) bool { return x.Name == named })
	}
	r.Resources = withResource(r.Resources, n, one.Resources[n])
	d.Records[dir] = r
	d.touch(dir, k, named)
	return nil
}

// withResource are records as they were pushed, with one as it was when its record was there;
// nil: its record goes. What was pushed since stays, as a commit changes nothing where a record
// comes from.
func withResource(all map[connect.Named][]byte, n connect.Named, raw []byte) map[connect.Named][]byte {
	if (all[n] == nil) == (raw == nil) {
		return all
	}
	all = maps.Clone(all)
	if raw == nil {
		delete(all, n)
		return all
	}
	if all == nil {
		all = map[connect.Named][]byte{}
	}
	all[n] = raw
	return all
}

// restored is a list with one record, or none, in the place of the one that is.
func restored[T any](list, one []T, is func(T) bool) []T {
	i := slices.IndexFunc(list, is)
	switch {
	case i < 0:
		return append(slices.Clone(list), one...)
	case len(one) == 0:
		return slices.Delete(slices.Clone(list), i, i+1)
	}
	list = slices.Clone(list)
	list[i] = one[0]
	return list
}
