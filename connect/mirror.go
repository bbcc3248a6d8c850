package connect

import (
	"gatemap/core/directory"
	"gatemap/core/name"
)

// Mirror is what a source that tells changes one by one has told so far, by identifier. Of
// several records with one name the first holds it; the others wait, and get it, in their
// order, when it is given up.
type Mirror struct {
	users   keyed[directory.User]
	groups  keyed[directory.Group]
	devices keyed[directory.Device]
}

// NewMirror is a mirror in which nothing is.
func NewMirror() *Mirror {
	return &Mirror{newKeyed(users), newKeyed(groups), newKeyed(devices)}
}

// Has says whether there is a record of a kind with an identifier, also one that waits or
// was rejected.
func (m *Mirror) Has(k Kind, id string) bool {
	switch k {
	case User:
		return m.users.told[id]
	case Group:
		return m.groups.told[id]
	}
	return m.devices.told[id]
}

// Put takes what an entry with an identifier is now: the records that it was taken for, of
// which there is one, or none where it was rejected.
func (m *Mirror) Put(k Kind, id string, r *Records) {
	switch k {
	case User:
		m.users.put(id, only(r.Users))
	case Group:
		m.groups.put(id, only(r.Groups))
	case Device:
		m.devices.put(id, only(r.Devices))
	}
}

// Drop takes note that an entry is gone.
func (m *Mirror) Drop(k Kind, id string) {
	switch k {
	case User:
		m.users.drop(id)
	case Group:
		m.groups.drop(id)
	case Device:
		m.devices.drop(id)
	}
}

// DN is the distinguished name of a record; "" if there is none.
func (m *Mirror) DN(k Kind, id string) string {
	switch k {
	case User:
		return m.users.at(id)
	case Group:
		return m.groups.at(id)
	}
	return m.devices.at(id)
}

func (s *keyed[T]) at(id string) string {
	if x := s.records[id]; x != nil {
		return s.of.dn(x)
	}
	return ""
}

func only[T any](list []*T) *T {
	if len(list) == 0 {
		return nil
	}
	return list[0]
}

// Patch is what has changed since the patch before, and begins the next one.
func (m *Mirror) Patch() Patch {
	var p Patch
	p.Put.Users = m.users.patch(&p)
	p.Put.Groups = m.groups.patch(&p)
	p.Put.Devices = m.devices.patch(&p)
	return p
}

// Records are the records that hold their names, in the order in which they came.
func (m *Mirror) Records() Records {
	return Records{Users: m.users.holders(), Groups: m.groups.holders(), Devices: m.devices.holders()}
}

// keyed is the records of one kind.
type keyed[T any] struct {
	of      of[T]
	told    map[string]bool // identifiers of everything that is there
	records map[string]*T   // by identifier
	names   map[string][]*T // by folded name: who holds it, then who waits
	order   []string        // identifiers as they came
	before  map[string]*T   // who held the names that were touched since the last patch
	touched []string        // in order
	refused map[*T]*T       // who waits, and for whom it was told
}

func newKeyed[T any](o of[T]) keyed[T] {
	return keyed[T]{
		of:      o,
		told:    map[string]bool{},
		records: map[string]*T{},
		names:   map[string][]*T{},
		before:  map[string]*T{},
		refused: map[*T]*T{},
	}
}

// touch notes who holds a name before it may change.
func (s *keyed[T]) touch(key string) {
	if _, noted := s.before[key]; noted {
		return
	}
	s.before[key] = only(s.names[key])
	s.touched = append(s.touched, key)
}

func (s *keyed[T]) put(id string, x *T) {
	old := s.records[id]
	if old != nil && x != nil && name.Fold(s.of.named(old)) == name.Fold(s.of.named(x)) {
		key := name.Fold(s.of.named(x)) // it stays in its place
		s.touch(key)
		for i, other := range s.names[key] {
			if other == old {
				s.names[key][i] = x
			}
		}
		delete(s.refused, old)
		s.records[id] = x
		return
	}
	s.drop(id)
	s.told[id] = true
	if x == nil {
		return
	}
	key := name.Fold(s.of.named(x))
	s.touch(key)
	s.records[id] = x
	s.order = append(s.order, id)
	s.names[key] = append(s.names[key], x)
}

func (s *keyed[T]) drop(id string) {
	delete(s.told, id)
	x := s.records[id]
	if x == nil {
		return
	}
	key := name.Fold(s.of.named(x))
	s.touch(key)
	delete(s.records, id)
	delete(s.refused, x)
	list := s.names[key]
	for i, other := range list {
		if other == x {
			list = append(list[:i:i], list[i+1:]...)
			break
		}
	}
	if s.names[key] = list; len(list) == 0 {
		delete(s.names, key)
	}
}

func (s *keyed[T]) patch(p *Patch) (put []*T) {
	for _, key := range s.touched {
		was, is := s.before[key], only(s.names[key])
		switch {
		case is == nil && was != nil:
			p.Gone = append(p.Gone, Gone{Named{s.of.kind, s.of.named(was)}, s.of.id(was)})
		case is != was:
			if was != nil && s.of.id(was) != s.of.id(is) && !s.holds(s.of.id(was)) {
				p.Gone = append(p.Gone, Gone{Named{s.of.kind, s.of.named(was)}, s.of.id(was)})
			}
			put = append(put, is)
		}
		for i, x := range s.names[key] {
			if i > 0 && s.refused[x] != is {
				s.refused[x] = is
				p.Put.Rejected = append(p.Put.Rejected, *s.of.twice(x, is))
			}
		}
	}
	s.before, s.touched = map[string]*T{}, nil
	return put
}

// holds says whether a record with an identifier holds its name.
func (s *keyed[T]) holds(id string) bool {
	x := s.records[id]
	return x != nil && only(s.names[name.Fold(s.of.named(x))]) == x
}

func (s *keyed[T]) holders() []*T {
	all := make([]*T, 0, len(s.names))
	kept, seen := s.order[:0], make(map[string]bool, len(s.order))
	for _, id := range s.order {
		x := s.records[id]
		if x == nil || seen[id] {
			continue
		}
		seen[id] = true
		kept = append(kept, id)
		if only(s.names[name.Fold(s.of.named(x))]) == x {
			all = append(all, x)
		}
	}
	s.order = kept
	return all
}
