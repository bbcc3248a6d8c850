package connect

// Modification is how one record is modified, made or moved where it comes from.
type Modification struct {
	At      string        `json:"dn"` // the distinguished name of the entry, or the path of the resource
	Changes []ValueChange `json:"changes,omitempty"`
	// Entry are the values of an entry that is made, or of one that is removed.
	Entry []ValueChange `json:"entry,omitempty"`
	// Gone says that the entry is removed.
	Gone bool `json:"gone,omitempty"`
	// Below is what the entry is moved below.
	Below string `json:"below,omitempty"`
	// GetsPassword says that an entry gets a first password once it is made, and Password is that; it is
	// kept nowhere.
	GetsPassword bool   `json:"-"`
	Password     string `json:"-"`
	// Version is what the server said of the version that was looked at; "": nothing.
	Version string `json:"version,omitempty"`
	// Becomes is a sum of what an entry that was made became; "": it is not known.
	Becomes string `json:"-"`
}

// Leaves says that nothing is taken back of a modification: nothing was made, or it is not known whether an
// entry was removed by it, and somebody else may have.
func (m *Modification) Leaves(made Made) bool {
	return made == NotMade || m.Empty() || m.Gone && made == Unknown
}

// ValueChange is what becomes of the values of one attribute.
type ValueChange struct {
	Attribute string   `json:"attribute"`
	Delete    []string `json:"delete,omitempty"`
	Add       []string `json:"add,omitempty"`
}

// Empty says that nothing is to be done.
func (m *Modification) Empty() bool { return len(m.Changes)+len(m.Entry) == 0 && m.Below == "" }
