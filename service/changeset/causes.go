package changeset

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/core/change"
	"gatemap/core/situation"
)

// maxCauses is how many causes an outcome lists, and maxPieces how many pieces of networks
// and windows are looked at.
const (
	maxCauses = 50
	maxPieces = 8
)

// caused lists the causes of what is gained and lost, those of the most first.
func caused(counts []answer.Caused, causes []change.Cause) []answer.Caused {
	list := make([]answer.Caused, 0, len(causes))
	for i, c := range causes {
		if counts[i].Effects > 0 {
			counts[i].Cause, counts[i].Words = c, answer.CauseWords(c)
			list = append(list, counts[i])
		}
	}
	slices.SortStableFunc(list, func(a, b answer.Caused) int {
		return cmp.Or(cmp.Compare(b.Effects, a.Effects), strings.Compare(a.Words, b.Words))
	})
	return list[:min(len(list), maxCauses)]
}

// pieces are what came into networks and windows or went out of them, with what becomes of
// whoever comes from there, or then; more is how many others there are.
func (w *tried) pieces(s situation.Situation) (list []answer.Piece, more int, err error) {
	w.mu.Lock()
	if w.asked.IsZero() {
		w.asked = time.Now()
	}
	pieces := w.trial.Pieces(w.asked)
	w.mu.Unlock()
	for _, p := range pieces {
		in, ok := p.In(s)
		if !ok {
			continue
		}
		if len(list) == maxPieces {
			more++
			continue
		}
		if w.trial.Atlas.Book.UserCount() > maxFound {
			list = append(list, answer.Piece{Piece: p})
			continue
		}
		e, err := w.effects(in)
		if err != nil {
			return nil, 0, err
		}
		x := answer.Piece{Piece: p, Computed: true, Looked: e.looked}
		people := map[string]bool{}
		for i := range e.list {
			if e.list[i].Effect == answer.Gain || e.list[i].Effect == answer.Loss {
				x.Total.Add(e.list[i].Effect)
				people[e.list[i].User] = true
			}
		}
		x.People = len(people)
		list = append(list, x)
	}
	return list, more, nil
}

// find finds the causes of what is gained and lost.
func (e *effects) find(t *change.Trial) {
	numbers := map[change.Cause]int32{}
	e.cause = make([]int32, len(e.list))
	for i := range e.list {
		x := &e.list[i]
		var c change.Cause
		switch x.Effect {
		case answer.Gain:
			c = t.GainCause(x.User, x.Before, x.After)
		case answer.Loss:
			c = t.LossCause(x.User, x.Before, x.After)
		default:
			e.cause[i] = -1
			continue
		}
		n, known := numbers[c]
		if !known {
			n = int32(len(e.causes))
			numbers[c], e.causes = n, append(e.causes, c)
		}
		e.cause[i] = n
	}
}
