package main

import (
	"context"
	"encoding/json"
	"fmt"
	"gatemap/answer"
	"gatemap/core/situation"
	"gatemap/stage"
	"math/rand/v2"
	"runtime/metrics"
	"sync"
	"time"
)

// ask asks questions of random people at a rate, each for itself.
func (s *soak) ask(ctx context.Context, rate float64) {
	random := rand.New(rand.NewPCG(1, 1))
	var work sync.WaitGroup
	defer work.Wait()
	s.every(ctx, time.Duration(float64(time.Second)/rate), func(int) {
		user, kind := s.users[random.IntN(len(s.users))], random.IntN(20)
		work.Go(func() {
			begun := time.Now()
			var err error
			switch kind {
			case 0:
				_, err = s.client.Search(ctx, user, answer.KindUser, 1, "")
			case 1, 2, 3, 4, 5:
				_, err = s.client.Memberships(ctx, user)
			default:
				_, err = s.client.Reach(ctx, user, "", situation.Situation{})
			}
			if ctx.Err() == nil {
				s.fail("a question", err)
				s.reads.add(time.Since(begun))
			}
		})
	})
}

// commit stages a change, looks at what it would do, and commits it.
func (s *soak) commit(round int) {
	ctx := context.Background()
	user := s.users[(round*7919)%len(s.users)]
	title, err := json.Marshal(fmt.Sprintf("Round %d", round))
	if err != nil {
		s.fail("a title", err)
		return
	}
	change := stage.Change{Do: stage.SetUser, User: user, Attribute: "title", Value: title}
	if round%2 == 0 {
		change = stage.Change{Do: stage.Join, Group: s.group, Member: user}
	}
	trial := fmt.Sprintf("soak-%d", round)
	t, err := s.client.BeginTrial(ctx, trial, "", nil)
	if err == nil {
		t, err = s.client.Stage(ctx, trial, change)
	}
	if err == nil {
		_, err = s.client.Outcome(ctx, trial, situation.Situation{}, answer.Part{Limit: 20})
	}
	s.trials.Add(1)
	if err == nil {
		begun := time.Now()
		_, err = s.client.CommitTrial(ctx, trial, t.Version, "soak", "", trial)
		s.commits.add(time.Since(begun))
	}
	s.fail("a commit", err)
}

// intake brings the guests in, some of them changed.
func (s *soak) intake(round int) {
	ctx := context.Background()
	if err := s.guests(round); err != nil {
		s.fail("the guests", err)
		return
	}
	run, err := s.client.RunIntake(ctx, "guests", true, true)
	for err == nil && run.State.Running() {
		time.Sleep(20 * time.Millisecond)
		run, err = s.client.Run(ctx, run.ID)
	}
	if err == nil && run.State != answer.RunCommitted {
		err = fmt.Errorf("the run is %s: %s", run.State, run.Error)
	}
	s.intakes.Add(1)
	s.fail("an intake", err)
}

// watch looks at how much memory is in use, as the newest collection has left it.
func (s *soak) watch(ctx context.Context, pause time.Duration) (heaps []uint64) {
	live := []metrics.Sample{{Name: "/gc/heap/live:bytes"}}
	s.every(ctx, pause, func(int) {
		metrics.Read(live)
		heaps = append(heaps, live[0].Value.Uint64())
	})
	return heaps
}
