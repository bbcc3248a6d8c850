// Command measure prints the table of docs/performance.md: what the engine does
// on a large made-up map, each beside a baseline on the same data in the same
// run, with equal results checked.
package main

import (
	"encoding/json"
	"flag"
	"fmt"
	"math"
	"os"
	"os/exec"
	"runtime"
	"slices"
	"strings"
	"time"

	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/plain"
	"gatemap/core/situation"
	"gatemap/service/content"
	"gatemap/tools/bigmap/world"
)

func main() {
	size := flag.String("size", "M", "S, M or L, as of bigmap")
	seed := flag.Uint64("seed", 1, "of the made-up map")
	data := flag.String("data", "", "measure only the service on this data folder, and write the result as JSON")
	from := flag.String("intake", "", "measure only an intake of the map in this folder, and write the result as JSON")
	changing := flag.String(
		"wire",
		"",
		"measure only changes that come to the map in this folder, and write the result as JSON",
	)
	reads := flag.Bool("linked", false, "measure only a reading of a database of its own, and write the result as JSON")
	only := flag.String("only", "", "only these steps, by words in their names: "+strings.Join(names(), ", "))
	flag.Parse()
	err := error(nil)
	switch {
	case *data != "":
		err = serve(*data)
	case *from != "":
		err = take(*from)
	case *reads:
		err = observe()
	case *changing != "":
		err = follow(*changing)
	default:
		err = run(*size, *seed, *only)
	}
	if err != nil {
		fmt.Fprintln(os.Stderr, "measure:", err)
		os.Exit(1)
	}
}

// bench is a large map with what the measurements share.
type bench struct {
	path   string
	folder *content.Folder
	atlas  *atlas.Atlas
	plain  *plain.World       // once it is asked for
	users  []directory.UserID // those of the samples, by a stride over all
	facts  *situation.Facts
	rows   []row
}

// row is one line of the table.
type row struct {
	work, baseline string
	own, other     time.Duration
	least          float64 // the ratio that is asked for; 0: none
	slower         bool    // the ratio is how much slower the work is, at most
	rate           bool    // the ratio is of how often it is done in the same time
}

// nothing is the situation of which nothing is known.
var nothing = situation.Situation{}

type step struct {
	name string
	do   func(*bench) error
}

var steps = []step{
	{
		"compiling",
		(*bench).compile,
	}, {"reach and who", (*bench).quantiles}, {"decisions", (*bench).decisions}, {"trials", (*bench).trials},
	{
		"everything",
		(*bench).everything,
	}, {"findings", (*bench).findings}, {"service", (*bench).service}, {"intake", (*bench).intake},
	{"wire", (*bench).wire},
	{"linked", (*bench).linked},
	{"delivered", (*bench).delivered},
	{"written", (*bench).written},
	{"sqlite", (*bench).sqlite}, {"postgres", (*bench).postgres},
}

func names() (all []string) {
	for _, s := range steps {
		all = append(all, s.name)
	}
	return all
}

func run(size string, seed uint64, only string) error {
	s, ok := world.Sizes[size]
	if !ok {
		return fmt.Errorf("there is no size %q", size)
	}
	path, err := os.MkdirTemp("", "gatemap-measure-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(path)
	b := &bench{path: path}
	progress("writing and reading the map")
	if err := world.Write(path, s, seed); err != nil {
		return err
	}
	if b.folder, err = content.ReadFolder(path); err != nil {
		return err
	}
	for _, step := range steps {
		if step.name != steps[0].name && only != "" && !strings.Contains(only, step.name) {
			continue
		}
		progress(step.name)
		if err := step.do(b); err != nil {
			return fmt.Errorf("%s: %w", step.name, err)
		}
	}
	b.print(s, seed)
	return nil
}

func progress(what string) { fmt.Fprintln(os.Stderr, "…", what) }

// apart does work in a process of its own, by flags of this program, and reads the result.
func apart(result any, flags ...string) error {
	binary, err := os.Executable()
	if err != nil {
		return err
	}
	child := exec.Command(binary, flags...)
	child.Stderr = os.Stderr
	out, err := child.Output()
	if err != nil {
		return err
	}
	return json.Unmarshal(out, result)
}

// timed is how long work takes: the median of some runs.
func timed(runs int, work func()) time.Duration {
	var all []time.Duration
	for range runs {
		runtime.GC()
		start := time.Now()
		work()
		all = append(all, time.Since(start))
	}
	slices.Sort(all)
	return all[len(all)/2]
}

// inTurn is how long two pieces of work take that are done in turn, so that both
// meet the same machine: the shortest of some runs of each.
func inTurn(runs int, own, other func()) (time.Duration, time.Duration) {
	least := [2]time.Duration{math.MaxInt64, math.MaxInt64}
	for range runs {
		for i, work := range []func(){own, other} {
			least[i] = min(least[i], timed(1, work))
		}
	}
	return least[0], least[1]
}

func (b *bench) print(s world.Size, seed uint64) {
	fmt.Printf(
		"%s (%d users, %d groups, %d systems), seed %d, %s, %d processors\n\n",
		s.Name,
		s.Users,
		s.Groups,
		s.Systems,
		seed,
		runtime.Version(),
		runtime.GOMAXPROCS(0),
	)
	fmt.Println("| work | time | baseline | its time | ratio | asked |")
	fmt.Println("|---|---|---|---|---|---|")
	for _, r := range b.rows {
		fmt.Printf(
			"| %s | %s | %s | %s | %s | %s |\n",
			r.work,
			short(r.own),
			r.baseline,
			short(r.other),
			r.ratio(),
			r.asked(),
		)
	}
}

func (r *row) ratio() string {
	if r.slower {
		return fmt.Sprintf("%.1f × slower", float64(r.own)/float64(r.other))
	}
	if r.other == 0 {
		return ""
	}
	switch x := float64(r.other) / float64(r.own); {
	case r.rate:
		return fmt.Sprintf("%.2f of its rate", x)
	case x < 10: // a bound that is missed does not look as if it were met
		return fmt.Sprintf("%.2g ×", x)
	default:
		return fmt.Sprintf("%.0f ×", x)
	}
}

func (r *row) asked() string {
	switch {
	case r.least == 0:
		return ""
	case r.rate:
		return fmt.Sprintf("%g", r.least)
	case r.slower:
		return fmt.Sprintf("at most %g ×", r.least)
	}
	return fmt.Sprintf("%.0f ×", r.least)
}

func short(d time.Duration) string {
	switch {
	case d == 0:
		return ""
	case d < time.Microsecond:
		return fmt.Sprintf("%d ns", d.Nanoseconds())
	case d < time.Millisecond:
		return fmt.Sprintf("%.1f µs", float64(d)/1e3)
	case d < time.Second:
		return fmt.Sprintf("%.1f ms", float64(d)/1e6)
	}
	return fmt.Sprintf("%.1f s", d.Seconds())
}
