package ldap

import (
	"github.com/go-ldap/ldap/v3"

	"gatemap/connect"
	"gatemap/core/name"
)

// lookMove sees that an entry can be moved to where its record is to be.
func (w *writing) lookMove(r *connect.Rewrite, raw *ldap.Entry) (*connect.Modification, error) {
	if err := w.isFree(r, r.Becomes()); err != nil {
		return nil, err
	}
	_, below := name.CutDN(r.Becomes())
	return &connect.Modification{At: raw.DN, Below: below, Version: version(raw)}, nil
}

// move puts an entry below another (RFC 4511 section 4.9). With a version it does only while that
// is the one of the entry.
func (w *writing) move(dn, below, version string) error {
	own, _ := name.CutDN(dn)
	controls, err := w.while(version)
	if err != nil {
		return err
	}
	return w.ldap.ModifyDN(ldap.NewModifyDNWithControlsRequest(dn, own, true, below, controls))
}
