// Package world makes up maps of any size for measuring: two directories as
// LDIF, with groups whose sizes follow a power law, nested eight deep, and
// systems of all gate types. The same seed gives the same map, byte for byte.
package world

import (
	"bufio"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"slices"
)

// Size says how large a map is.
type Size struct {
	Name        string
	Users       int
	Groups      int
	Systems     int
	Memberships int // users listed in groups
	Mappings    int // lines of gates without an order
	Rules       int // lines of ordered gates
}

// Sizes are the sizes that have names.
var Sizes = map[string]Size{
	"S": {"S", 3_000, 600, 10, 22_000, 1_000, 250},
	"M": {"M", 300_000, 60_000, 200, 2_200_000, 20_000, 5_000},
	"L": {"L", 1_000_000, 200_000, 400, 7_300_000, 40_000, 10_000},
}

// maker draws everything from one source of chance, in one order.
type maker struct {
	Size
	*rand.Rand
	people []person
	groups []group
	counts []int // systems of each type
	// A larger observatory has more departments and kinds of work, so that a rule
	// describes as many people as in a smaller one.
	works, departments []string
}

// branch is how many people share one set of departments.
const branch = 300_000

// branches repeats names, with the number of the branch, so that as many people share
// one in a larger observatory as in a branch.
func branches(names []string, people int) []string {
	all := slices.Clone(names)
	for i := len(names); i < len(names)*people/branch; i++ {
		all = append(all, fmt.Sprintf("%s %d", names[i%len(names)], i/len(names)+1))
	}
	return all
}

// Write writes a map folder. The folder is made if there is none.
func Write(folder string, size Size, seed uint64) error {
	m := &maker{
		Size: size, Rand: rand.New(rand.NewPCG(seed, 0x6761746d6170)),
		works: branches(works, size.Users), departments: branches(departments, size.Users),
	}
	m.makePeople()
	m.makeGroups()
	for _, d := range []string{"", "directories", "systems"} {
		if err := os.MkdirAll(filepath.Join(folder, d), 0o755); err != nil {
			return err
		}
	}
	files := map[string]func(*bufio.Writer){
		"gatemap.yaml": func(w *bufio.Writer) { _, _ = w.WriteString(head) },
	}
	for i, d := range directories {
		files["directories/"+d+".yaml"] = func(w *bufio.Writer) { m.directory(w, i) }
		files[d+".ldif"] = func(w *bufio.Writer) { m.ldif(w, i) }
	}
	for name, text := range m.systems() {
		files["systems/"+name+".yaml"] = func(w *bufio.Writer) { _, _ = w.WriteString(text) }
	}
	for path, write := range files {
		if err := writeFile(filepath.Join(folder, path), write); err != nil {
			return err
		}
	}
	return nil
}

func writeFile(path string, write func(*bufio.Writer)) error {
	f, err := os.Create(path)
	if err != nil {
		return err
	}
	w := bufio.NewWriterSize(f, 1<<20)
	write(w)
	if err := w.Flush(); err != nil {
		_ = f.Close()
		return fmt.Errorf("%s: %w", path, err)
	}
	return f.Close()
}

const head = `title: A large made-up observatory
time_zone: Atlantic/Canary
networks:
  summit: [198.51.100.0/25, "2001:db8:51::/48"]
  office: [203.0.113.0/24]
  guest-house: [198.51.100.128/26]
windows:
  night: {days: [mon, tue, wed, thu, fri, sat, sun], from: "18:00", to: "07:00"}
  workday: {days: [mon, tue, wed, thu, fri], from: "08:00", to: "18:00"}
`
