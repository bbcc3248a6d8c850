package roles

// set is a set of rights by their index in the catalogue.
type set []uint64

func newSet(n int) set { return make(set, (n+63)/64) }

func (s set) put(i int)      { s[i/64] |= 1 << (i % 64) }
func (s set) has(i int) bool { return s[i/64]&(1<<(i%64)) != 0 }

func (s set) add(t set) {
	for i := range s {
		s[i] |= t[i]
	}
}

func (s set) remove(t set) {
	for i := range s {
		s[i] &^= t[i]
	}
}

func (s set) empty() bool {
	for _, w := range s {
		if w != 0 {
			return false
		}
	}
	return true
}

// in says whether every right of s is in t.
func (s set) in(t set) bool {
	for i := range s {
		if s[i]&^t[i] != 0 {
			return false
		}
	}
	return true
}

// all says whether every right of n is in s.
func (s set) all(n int) bool {
	for i := range n {
		if !s.has(i) {
			return false
		}
	}
	return true
}
