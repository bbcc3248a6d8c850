package readings

import (
	"context"
	"errors"

	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/reading"
)

// Kept looks whether a guarantee that is asked of what is really there holds of the newest readings.
// Where one is missing or stale, it is broken. Whom it is about is said by the map of a.
func (s *Readings) Kept(ctx context.Context, a *atlas.Atlas, p *atlas.Promise) check.Guaranteed {
	head := s.Head()
	g, err := reading.Kept(a, p, func(system string) (*reading.Compiled, error) {
		d, err := linked(head, system)
		if err != nil {
			return nil, err
		}
		real, err := s.compiled(ctx, head, d)
		if err != nil {
			return nil, err
		}
		if info := infoOf(real, d); info.Stale {
			return nil, errors.New("the " + staleWords(info))
		}
		return real, nil
	})
	if err != nil {
		return check.Unread(p, err.Error())
	}
	return g
}
