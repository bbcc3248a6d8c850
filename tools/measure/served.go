package main

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"net/http"
	"net/http/httptest"
	"net/url"
	"os"
	"path/filepath"
	"runtime"
	"sync"
	"sync/atomic"
	"testing/fstest"
	"time"

	"github.com/go-chi/chi/v5"

	"gatemap/cli/collector"
	"gatemap/server"
)

// served is what a process of its own says of the service: how long it takes from
// a data folder to the first answer, what it then holds in memory, and how many
// listings it gives out in a second.
type served struct {
	Start             time.Duration
	Heap              uint64 // bytes after a collection
	First, Kept, Bare float64
	Found             time.Duration // the page of findings, at first
}

// service measures the service with the map in its database.
func (b *bench) service() error {
	data, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(data)
	s, err := collector.Open(context.Background(), data, slog.New(slog.DiscardHandler), "")
	if err != nil {
		return err
	}
	if _, err := s.Folders.Commit(context.Background(), b.folder, "measure", "a made-up map"); err != nil {
		return err
	}
	if err := s.Close(); err != nil {
		return err
	}
	var got served
	if err := apart(&got, "--data", data); err != nil {
		return err
	}
	each := func(rate float64) time.Duration { return time.Duration(float64(time.Second) / rate) }
	b.rows = append(
		b.rows,
		row{work: "from the database to the first answer", own: got.Start},
		row{work: fmt.Sprintf("heap of the service: %d MB", got.Heap>>20)},
		row{
			work:     "the page of findings, for the first time, with what was found so far",
			own:      got.Found,
			baseline: "200 ms",
			other:    200 * time.Millisecond,
			least:    1,
		},
		row{
			work:     "reach by HTTP, asked before",
			own:      each(got.Kept),
			baseline: "a bare chi handler with the same bytes",
			other:    each(got.Bare),
			least:    0.6,
			rate:     true,
		},
		row{
			work:     "reach by HTTP, asked for the first time",
			own:      each(got.First),
			baseline: "the same",
			other:    each(got.Bare),
			least:    0.25,
			rate:     true,
		},
	)
	return nil
}

// serve is the process of its own.
func serve(data string) error {
	start := time.Now()
	ctx := context.Background()
	s, err := collector.Open(ctx, data, slog.New(slog.NewJSONHandler(io.Discard, nil)), "")
	if err != nil {
		return err
	}
	defer s.Close()
	book := s.Head().Atlas.Book
	if _, err := s.Head().Reach(ctx, book.UserName(0), "", nothing); err != nil {
		return err
	}
	got := served{Start: time.Since(start)}
	runtime.GC()
	var m runtime.MemStats
	runtime.ReadMemStats(&m)
	got.Heap = m.HeapAlloc
	token, err := s.Tokens.First(ctx)
	if err != nil {
		return err
	}
	handler := server.New(s, fstest.MapFS{}, "measure", slog.New(slog.NewJSONHandler(io.Discard, nil))).Handler()
	own := httptest.NewServer(handler)
	defer own.Close()
	bodies := map[string][]byte{}
	router := chi.NewRouter()
	router.Get("/api/v1/reach", func(w http.ResponseWriter, r *http.Request) {
		w.Header().Set("Content-Type", "application/json")
		_, _ = w.Write(bodies[r.URL.RequestURI()])
	})
	bare := httptest.NewServer(router)
	defer bare.Close()
	for round := range 5 { // in turn, so that all meet the same machine
		var paths []string
		for i := range questions {
			name := book.UserName(book.Everyone()[(round*questions+i)*7919%book.UserCount()])
			paths = append(paths, "/api/v1/reach?user="+url.QueryEscape(name))
		}
		first, err := once(own.URL, paths, token, bodies)
		if err != nil {
			return err
		}
		got.First = max(got.First, first)
		got.Bare = max(got.Bare, rate(bare.URL, paths, token))
		got.Kept = max(got.Kept, rate(own.URL, paths, token))
	}
	begun := time.Now()
	if _, err := ask(own.URL+"/api/v1/findings?limit=1&so_far=true", token); err != nil {
		return err
	}
	got.Found = time.Since(begun)
	return json.NewEncoder(os.Stdout).Encode(got)
}

// clients is how many ask at the same time, questions how many a round has.
const (
	clients   = 4
	questions = 200
)

// once asks everything once and keeps what is answered; it is how many answers a second all
// clients get together.
func once(base string, paths []string, token string, bodies map[string][]byte) (float64, error) {
	answers, failed := make([][]byte, len(paths)), make([]error, clients)
	var all sync.WaitGroup
	begun := time.Now()
	for c := range clients {
		all.Go(func() {
			for i := c; i < len(paths) && failed[c] == nil; i += clients {
				answers[i], failed[c] = ask(base+paths[i], token)
			}
		})
	}
	all.Wait()
	took := time.Since(begun)
	for i, p := range paths {
		bodies[p] = answers[i]
	}
	return float64(len(paths)) / took.Seconds(), errors.Join(failed...)
}

// rate is how many answers a second all clients get together.
func rate(base string, paths []string, token string) float64 {
	const lasting = 2 * time.Second
	var answers atomic.Int64
	var all sync.WaitGroup
	begun := time.Now()
	for c := range clients {
		all.Go(func() {
			for i := c; time.Since(begun) < lasting; i++ {
				if _, err := ask(base+paths[i%len(paths)], token); err == nil {
					answers.Add(1)
				}
			}
		})
	}
	all.Wait()
	return float64(answers.Load()) / time.Since(begun).Seconds()
}

var client = &http.Client{Transport: &http.Transport{MaxIdleConnsPerHost: 8}}

func ask(address, token string) ([]byte, error) {
	request, err := http.NewRequest(http.MethodGet, address, nil)
	if err != nil {
		return nil, err
	}
	request.Header.Set("Authorization", "Bearer "+token)
	response, err := client.Do(request)
	if err != nil {
		return nil, err
	}
	defer response.Body.Close()
	body, err := io.ReadAll(response.Body)
	if err == nil && response.StatusCode != http.StatusOK {
		err = fmt.Errorf("%s: %s", filepath.Base(address), response.Status)
	}
	return body, err
}
