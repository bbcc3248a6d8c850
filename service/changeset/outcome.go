package changeset

import (
	"cmp"
	"context"
	"math"
	"slices"
	"strings"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/change"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/core/situation"
	"gatemap/service/page"
)

// outcomes are what is computed of a trial when it is asked for.
type outcomes struct {
	mu     sync.Mutex
	known  map[string]*effects // by the situation
	broken *change.TurnedGuarantees
	turned *answer.Turned
	asked  time.Time // for the first time: pieces of windows are looked at in the week after
}

// effects is what a trial does in a situation, by person.
type effects struct {
	list   []answer.Effected
	looked int // of how many people it may touch; 0: of all
	causes []change.Cause
	cause  []int32 // beside list: one of the causes; -1: none
}

// NoLimit is the limit of an outcome that is wanted whole.
const NoLimit = math.MaxInt

// Outcoming says which part of an outcome is asked for.
type Outcoming struct {
	Situation    situation.Situation
	User, System string // only of these
	Effect       answer.Effect
	Limit        int
	Cursor       string
}

// Outcome is what a trial would change. The error is a *directory.NotFoundError, or
// an *answer.ConflictError where the trial cannot be made as things are.
func (s *Outcomes) Outcome(ctx context.Context, named string, o Outcoming) (*answer.Outcome, error) {
	t, w, err := s.bench.standing(ctx, named)
	if err != nil {
		return nil, err
	}
	return w.outcome(t.Name, o)
}

func (w *tried) outcome(named string, o Outcoming) (*answer.Outcome, error) {
	e, err := w.effects(o.Situation)
	if err != nil {
		return nil, err
	}
	from, err := page.Read(o.Cursor)
	if err != nil {
		return nil, err
	}
	if o.Limit != NoLimit && (o.Limit <= 0 || o.Limit > page.Max) {
		o.Limit = page.Max
	}
	out := &answer.Outcome{
		Trial: named, Version: w.version, Revision: w.head.Revision.Number, Situation: o.Situation.Facts(), Looked: e.looked,
		BySystem: []answer.Tallied{}, ByPerson: []answer.Tallied{}, Items: []answer.Effected{}, Seats: w.seats(),
	}
	if o.User != "" {
		u, err := w.trial.Atlas.Book.FindUser(o.User, "")
		if err != nil {
			return nil, err
		}
		o.User = w.trial.Atlas.Book.UserName(u)
	}
	systems, people := map[string]*answer.Tallied{}, map[string]*answer.Tallied{}
	causes := make([]answer.Caused, len(e.causes))
	n := 0
	for i := range e.list {
		x := &e.list[i]
		system := x.Entitlement().System
		if o.User != "" && !name.Equal(x.User, o.User) || o.System != "" && !name.Equal(system, o.System) {
			continue
		}
		out.Total.Add(x.Effect)
		count(systems, system, x.Effect)
		count(people, x.User, x.Effect)
		if c := e.cause[i]; c >= 0 {
			causes[c].Count(x.User)
		}
		if o.Effect == "" && x.Effect == answer.Reroute ||
			o.Effect != "" && o.Effect != answer.Every && o.Effect != x.Effect {
			continue
		}
		if n >= from && len(out.Items) < o.Limit {
			out.Items = append(out.Items, *x)
		}
		n++
	}
	out.Next = page.Next(from, len(out.Items), n)
	out.People, out.BySystem, out.ByPerson = len(people), tallied(systems, len(systems)), tallied(people, 50)
	out.ByCause, out.Deliver = caused(causes, e.causes), toDeliver(w.trial.Atlas, out.BySystem)
	if o.User == "" && o.System == "" && from == 0 {
		out.Pieces, out.MorePieces, err = w.pieces(o.Situation)
	}
	return out, err
}

// toDeliver are those of some systems that are delivered to.
func toDeliver(a *atlas.Atlas, touched []answer.Tallied) (list []answer.ToDeliver) {
	for _, t := range touched {
		s, err := a.System(t.Name)
		if err != nil {
			continue // it is gone
		}
		link := s.Document.Link
		if l := connect.LinkOf(s.Document); l == nil || l.Deliverer() == nil || link.Deliver == gate.Never {
			continue
		}
		list = append(list, answer.ToDeliver{System: s.Name(), When: string(cmp.Or(link.Deliver, gate.ByHand))})
	}
	return list
}

func count(of map[string]*answer.Tallied, named string, e answer.Effect) {
	if of[named] == nil {
		of[named] = &answer.Tallied{Name: named}
	}
	of[named].Add(e)
}

// tallied lists tallies, the greatest first.
func tallied(of map[string]*answer.Tallied, most int) []answer.Tallied {
	list := make([]answer.Tallied, 0, len(of))
	for _, t := range of {
		list = append(list, *t)
	}
	slices.SortFunc(list, func(a, b answer.Tallied) int {
		return cmp.Or(cmp.Compare(b.All(), a.All()), strings.Compare(a.Name, b.Name))
	})
	return list[:min(len(list), most)]
}

// effects computes what a trial does in a situation, once.
func (w *tried) effects(s situation.Situation) (*effects, error) {
	var key []string
	for field, value := range s.Facts() {
		key = append(key, field+"="+value)
	}
	slices.Sort(key)
	w.mu.Lock()
	defer w.mu.Unlock()
	known := strings.Join(key, "&")
	if e := w.known[known]; e != nil {
		return e, nil
	}
	o, looked, err := w.trial.OutcomeWithin(s, change.LookedAt, change.Told)
	if err != nil {
		return nil, err
	}
	e := &effects{
		looked: looked,
		list:   make([]answer.Effected, 0, len(o.Gains)+len(o.Losses)+len(o.Changes)+len(o.Reroutes)),
	}
	for i := range o.Gains {
		e.list = append(
			e.list,
			answer.Effected{
				Effect: answer.Gain,
				User:   o.Gains[i].User,
				Before: o.Gains[i].Other(),
				After:  &o.Gains[i].Entitlement,
			},
		)
	}
	for i := range o.Losses {
		e.list = append(
			e.list,
			answer.Effected{
				Effect: answer.Loss,
				User:   o.Losses[i].User,
				Before: &o.Losses[i].Entitlement,
				After:  o.Losses[i].Other(),
			},
		)
	}
	both := func(effect answer.Effect, list []change.Changed) {
		for i := range list {
			e.list = append(
				e.list,
				answer.Effected{Effect: effect, User: list[i].User, Before: &list[i].Before, After: &list[i].After},
			)
		}
	}
	both(answer.Changed, o.Changes)
	both(answer.Reroute, o.Reroutes)
	slices.SortStableFunc(e.list, func(a, b answer.Effected) int { return strings.Compare(a.User, b.User) })
	e.find(w.trial)
	if w.known == nil || len(w.known) == maxSituations {
		w.known = map[string]*effects{}
	}
	w.known[known] = e
	return e, nil
}

// maxSituations is for how many situations the effects of one trial are kept.
const maxSituations = 16

// seats lists the products of which the trial gives others a seat, or more.
func (w *tried) seats() []answer.TurnedSeats {
	var all []answer.TurnedSeats
	for _, s := range w.trial.Atlas.Systems {
		before := map[string]gate.Seats{}
		if old, err := w.head.Atlas.System(s.Name()); err == nil {
			for _, x := range old.Site.Seats(w.head.Atlas.Book) {
				before[x.Product] = x
			}
		}
		for _, x := range s.Site.Seats(w.trial.Atlas.Book) {
			if b := before[x.Product]; b != x {
				all = append(
					all,
					answer.TurnedSeats{Product: s.Name() + "/" + x.Product, Seats: x.Seats, Before: b.Holders, After: x.Holders},
				)
			}
		}
	}
	return all
}

// guarantees are those that the trial breaks or mends.
func (w *tried) guarantees() *change.TurnedGuarantees {
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.broken == nil {
		turned := w.trial.Guarantees(w.head.Kept())
		w.broken = &turned
	}
	return w.broken
}

// maxFound is up to how many people everything is looked for that a trial turns;
// beyond, guarantees, and what is found in what is written.
const maxFound = 20_000

// Turned is what a trial turns.
func (s *Outcomes) Turned(ctx context.Context, named string) (*answer.Turned, error) {
	_, w, err := s.bench.standing(ctx, named)
	if err != nil {
		return nil, err
	}
	return w.turns(), nil
}

func (w *tried) turns() *answer.Turned {
	guarantees := w.guarantees()
	w.mu.Lock()
	defer w.mu.Unlock()
	if w.turned == nil {
		w.turned = &answer.Turned{Guarantees: *guarantees, Whole: w.trial.Atlas.Book.UserCount() <= maxFound}
		if w.turned.Whole {
			w.turned.Findings = w.trial.Findings(w.head.Found())
		} else {
			w.turned.Findings = w.trial.Written()
		}
	}
	return w.turned
}
