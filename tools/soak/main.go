// Command soak runs an hour's worth of questions, trials, commits and intake runs
// against a service on a made-up map, in a few minutes, and says whether all went
// well: no error, no growth of memory, and readers who do not wait for writers.
package main

import (
	"context"
	"errors"
	"flag"
	"fmt"
	"log/slog"
	"net/http/httptest"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"gatemap/cli/collector"
	"gatemap/client"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/server"
	"gatemap/service/content"
	"gatemap/tools/bigmap/world"
	"gatemap/web"
	"gatemap/workspace"
)

func main() {
	size := flag.String("size", "M", "S, M or L, as bigmap has them")
	seed := flag.Uint64("seed", 1, "the same seed gives the same map")
	length := flag.Duration("for", 5*time.Minute, "how long")
	untimed := flag.Bool("untimed", false, "check only errors and memory, as under the race detector")
	flag.Parse()
	if err := run(*size, *seed, *length, *untimed); err != nil {
		fmt.Fprintln(os.Stderr, "soak:", err)
		os.Exit(1)
	}
}

// In so many minutes as asked for there is as much to do as in an hour in which
// every second someone asks twice, every half minute someone commits, and every
// five minutes a directory is brought in.
const (
	questionsInAnHour = 7200
	commitsInAnHour   = 120
	intakesInAnHour   = 12
)

const guests = `directory: guests
source: {csv: {file: guests.csv}, users: {name: name, attributes: {title: title}}}
`

// soak is one run.
type soak struct {
	folder  string
	service *workspace.Service
	client  *client.Client
	users   []string
	group   string

	errors          atomic.Int64
	reads, commits  times
	trials, intakes atomic.Int64
}

// times gathers how long something took.
type times struct {
	mu  sync.Mutex
	all []time.Duration
}

func (t *times) add(d time.Duration) {
	t.mu.Lock()
	defer t.mu.Unlock()
	t.all = append(t.all, d)
}

// take gives what was gathered, sorted, and begins again.
func (t *times) take() []time.Duration {
	t.mu.Lock()
	defer t.mu.Unlock()
	all := t.all
	t.all = nil
	slices.Sort(all)
	return all
}

func p99(sorted []time.Duration) time.Duration {
	if len(sorted) == 0 {
		return 0
	}
	return sorted[len(sorted)*99/100]
}

func run(named string, seed uint64, length time.Duration, untimed bool) error {
	size, ok := world.Sizes[named]
	if !ok {
		return fmt.Errorf("there is no size %q", named)
	}
	folder, err := os.MkdirTemp("", "gatemap-soak-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(folder)
	s := &soak{folder: folder}
	fmt.Fprintln(os.Stderr, "… writing and reading the map")
	if err := world.Write(folder, size, seed); err != nil {
		return err
	}
	if err := s.guests(0); err != nil {
		return err
	}
	if err := os.WriteFile(filepath.Join(folder, "directories", "guests.yaml"), []byte(guests), 0o644); err != nil {
		return err
	}
	stop, err := s.start()
	if err != nil {
		return err
	}
	defer stop()
	ctx, cancel := context.WithCancel(context.Background())
	defer cancel()
	rate := float64(questionsInAnHour) / length.Seconds()
	fmt.Fprintln(os.Stderr, "… asking alone")
	quiet, cancelQuiet := context.WithTimeout(ctx, length/10)
	s.ask(quiet, rate)
	cancelQuiet()
	calm := s.reads.take()
	fmt.Fprintln(os.Stderr, "… asking, trying, committing, bringing in")
	busy, cancelBusy := context.WithTimeout(ctx, length)
	defer cancelBusy()
	var work sync.WaitGroup
	work.Go(func() { s.ask(busy, rate) })
	work.Go(func() { s.every(busy, length/commitsInAnHour, s.commit) })
	work.Go(func() { s.every(busy, length/intakesInAnHour, s.intake) })
	heaps := s.watch(busy, length/30)
	work.Wait()
	return s.report(named, length, calm, heaps, untimed)
}

// start serves the map; stop ends that.
func (s *soak) start() (stop func(), err error) {
	quiet := slog.New(slog.DiscardHandler)
	ctx := context.Background()
	f, err := content.ReadFolder(s.folder)
	if err != nil {
		return nil, err
	}
	if s.service, err = collector.Open(ctx, filepath.Join(s.folder, "data"), quiet, ""); err != nil {
		return nil, err
	}
	s.service.Allow(connect.Host{Files: os.DirFS(s.folder)})
	if _, err := s.service.Folders.Commit(ctx, f, "soak", "the map"); err != nil {
		return nil, err
	}
	token, err := s.service.Tokens.First(ctx)
	if err != nil {
		return nil, err
	}
	h := httptest.NewServer(server.New(s.service, web.Files(), "soak", quiet).Handler())
	if s.client, err = client.New(h.URL, token); err != nil {
		return nil, err
	}
	book := s.service.Head().Atlas.Book
	for name := range book.UserNames() {
		s.users = append(s.users, name)
	}
	for g := range directory.GroupID(book.Groups()) {
		if book.Group(g).Rule == nil && book.Group(g).Kind == "" && book.DirectUsers(g) > 20 {
			s.group = book.GroupName(g)
			break
		}
	}
	return func() { h.Close(); _ = s.service.Close() }, nil
}

// guests writes the file of the guests, of whom some have another title each time.
func (s *soak) guests(round int) error {
	var b strings.Builder
	b.WriteString("name,title\n")
	for i := range 500 {
		fmt.Fprintf(&b, "guest%d,Guest %d\n", i, (i+round)/7)
	}
	return os.WriteFile(filepath.Join(s.folder, "guests.csv"), []byte(b.String()), 0o644)
}

func (s *soak) fail(what string, err error) {
	if err == nil || errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded) {
		return
	}
	if s.errors.Add(1) <= 10 {
		fmt.Fprintln(os.Stderr, "  ", what+":", err)
	}
}

// every works at a rate, one after the other.
func (s *soak) every(ctx context.Context, pause time.Duration, work func(round int)) {
	tick := time.NewTicker(max(pause, time.Millisecond))
	defer tick.Stop()
	for round := 1; ; round++ {
		select {
		case <-tick.C:
			work(round)
		case <-ctx.Done():
			return
		}
	}
}

func (s *soak) report(size string, length time.Duration, calm []time.Duration, heaps []uint64, untimed bool) error {
	reads, commits := s.reads.take(), s.commits.take()
	fifth := max(len(heaps)/5, 1)
	early, late := slices.Max(heaps[:2*fifth]), slices.Max(heaps[len(heaps)-fifth:])
	type row struct {
		what, is, asked string
		ok              bool
	}
	rows := []row{
		{"errors", fmt.Sprint(s.errors.Load()), "0", s.errors.Load() == 0},
		{"commits, p99", p99(commits).String(), "under 150ms", untimed || p99(commits) < 150*time.Millisecond},
		{
			"questions, p99 while others write",
			p99(reads).String(),
			fmt.Sprintf("within 5 × of %s, when nobody does", p99(calm)),
			untimed || p99(reads) <= 5*p99(calm),
		},
		{
			"memory, in the last fifth",
			fmt.Sprintf("%d MB", late>>20),
			fmt.Sprintf("not above %d MB, the most of the first two fifths, by a twentieth", early>>20),
			late <= early+early/20,
		},
	}
	fmt.Printf(
		"%s for %s: %d questions, %d trials with %d commits, %d intake runs\n\n",
		size,
		length,
		len(reads),
		s.trials.Load(),
		len(commits),
		s.intakes.Load(),
	)
	failed := 0
	for _, r := range rows {
		mark := "yes"
		if !r.ok {
			mark, failed = "NO", failed+1
		}
		fmt.Printf("%-36s %-16s %-3s %s\n", r.what, r.is, mark, r.asked)
	}
	if failed > 0 {
		return fmt.Errorf("%d of %d are not as asked", failed, len(rows))
	}
	return nil
}
