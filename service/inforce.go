package service

import (
	"gatemap/core/atlas"
	"gatemap/store"
)

func (s *Service) put(r store.Revision, f *Folder, a *atlas.Atlas) {
	s.head.Store(&Head{r, f, From(a)})
	s.tried.Purge() // they keep what was in force before
	s.events.tell(Event{Revision: r.Number})
}

// Head is what is in force.
func (s *Service) Head() *Head { return s.head.Load() }
