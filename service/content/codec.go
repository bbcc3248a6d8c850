package content

import (
	"gatemap/connect"
	"gatemap/store"
)

// rowCodec reads and writes records as revisions keep them.
type rowCodec struct{}

func (rowCodec) Read(body []byte, n connect.Named) (connect.Records, error) {
	to := map[string]connect.Records{}
	err := Take(to, store.Row{Key: store.Key{Directory: "d", Kind: n.Kind.String(), Name: n.Name}, Body: body})
	return to["d"], err
}

// Write writes one of some records; nil if it is not there.
func (rowCodec) Write(r connect.Records, n connect.Named) ([]byte, error) {
	var one Record
	found := false
	switch n.Kind {
	case connect.User:
		for _, u := range r.Users {
			if u.Name == n.Name {
				one, found = FromUser(u), true
			}
		}
	case connect.Group:
		for _, g := range r.Groups {
			if g.Name == n.Name {
				one, found = FromGroup(g), true
			}
		}
	default:
		for _, d := range r.Devices {
			if d.Name == n.Name {
				one, found = FromDevice(d), true
			}
		}
	}
	if !found {
		return nil, nil
	}
	one.Resource = r.Resources[n]
	row, err := one.Row("", n.Kind.String(), n.Name)
	return row.Body, err
}
