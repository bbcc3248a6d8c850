package writes

import (
	"slices"
	"time"

	"gatemap/connect"
	"gatemap/core/name"
)

// keptFor is how long it is known what was written: as long as a run may wait that was read before.
const keptFor = 7 * 24 * time.Hour

// lately is what was written to a directory, and when.
type lately struct {
	directory string
	at        time.Time
	all       []*connect.Rewrite
}

// remember keeps what was written, until forget.
func (s *Writes) remember(parts []*part) {
	now := time.Now()
	s.mu.Lock()
	defer s.mu.Unlock()
	s.lately = slices.DeleteFunc(s.lately, func(x *lately) bool { return now.Sub(x.at) > keptFor })
	for _, p := range parts {
		p.lately = &lately{p.directory.Name, now, p.all}
		s.lately = append(s.lately, p.lately)
	}
}

// forget lets go what is taken back.
func (s *Writes) forget(p *part) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.lately = slices.DeleteFunc(s.lately, func(x *lately) bool { return x == p.lately })
}

// Over is records that began to be read at some time with what was written since, where they are still
// what they were before that.
func (s *Writes) Over(directory string, began time.Time, r connect.Records) connect.Records {
	s.mu.Lock()
	defer s.mu.Unlock()
	for _, x := range s.lately {
		if name.Equal(x.directory, directory) && x.at.After(began) {
			r = connect.Rewritten(r, x.all)
		}
	}
	return r
}
