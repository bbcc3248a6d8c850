// Command bigmap writes a made-up map folder of a chosen size, the same one for
// the same seed, for measuring and for trying the service out on a large map.
package main

import (
	"flag"
	"fmt"
	"os"

	"gatemap/tools/bigmap/world"
)

func main() {
	size := flag.String("size", "S", "S (3,000 users), M (300,000) or L (1,000,000)")
	seed := flag.Uint64("seed", 1, "the same seed gives the same map")
	flag.Usage = func() {
		fmt.Fprint(flag.CommandLine.Output(), `Writes a made-up map folder: users and groups of two directories as LDIF, and
systems of all gate types.

  bigmap [--size S|M|L] [--seed N] FOLDER

  bigmap --size M /tmp/m       300,000 users, 60,000 groups, 200 systems
  gatemap serve --data /tmp/d --map /tmp/m

`)
		flag.PrintDefaults()
	}
	flag.Parse()
	if err := run(flag.Args(), *size, *seed); err != nil {
		fmt.Fprintln(os.Stderr, "bigmap:", err)
		os.Exit(1)
	}
}

func run(args []string, size string, seed uint64) error {
	s, ok := world.Sizes[size]
	if !ok {
		return fmt.Errorf("there is no size %q: it is S, M or L", size)
	}
	if len(args) != 1 {
		return fmt.Errorf("say which folder to write, such as /tmp/%s", size)
	}
	if err := world.Write(args[0], s, seed); err != nil {
		return err
	}
	fmt.Printf("%s: %d users, %d groups, %d systems, seed %d\n", args[0], s.Users, s.Groups, s.Systems, seed)
	return nil
}
