package host

import (
	"context"
	"fmt"
	"net/netip"
	"path"
	"slices"
	"strconv"
	"strings"

	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/reading"
)

// machine is what one host was found to hold.
type machine struct {
	*shell
	name    string   // in the map
	spelled []string // paths of programs that the map names
	ignored *gate.Ignored
	// loginGroup is the group of those who may log in, where they are delivered, and byLogin are those
	// that the map's lines let in, by their names here.
	loginGroup string
	byLogin    []string
	fragment   string // of sudoers, as it was delivered; "": there is none

	short, full string         // its names
	addresses   []netip.Prefix // its own
	links       map[string]string
	files       map[string]expanded // what paths with wildcards lead to, as sudoers writes them
	*book
	sshd   *sshd
	access []admission // of pam_access; nil: it is not asked
	closed bool        // nobody but root may log in at this time
	lines  []hosts.Elevate
	may    map[string]bool // who may log in
	named  map[string]bool // accounts that sudoers names, or their groups
	beyond []reading.Beyond
}

// read reads the host. What is there of users and groups is asked for first, then what names
// others, and then these others: a directory behind the host may not list its users.
func (h *machine) read(ctx context.Context) error {
	if err := h.identify(ctx); err != nil {
		return err
	}
	for _, step := range []func(context.Context) error{
		h.readNames, h.readBook, h.readSSHD, h.readShadow, h.readDoors, h.readElevations, h.readPolicies, h.readShells,
	} {
		if err := step(ctx); err != nil {
			return err
		}
	}
	return nil
}

// readNames reads the names and addresses of the host, and which of its folders are others. Those
// of the loopback interface do not count (sudoers(5), Host_List).
func (h *machine) readNames(ctx context.Context) error {
	out, err := h.must(ctx, `hostname; hostname -f 2>/dev/null || hostname; `+
		`ip -o addr 2>/dev/null | while read -r n i f a rest; do test "$i" = lo || echo "address $a"; done; `+
		`for d in /bin /sbin /lib /lib64; do test -L $d && echo "link $d $(readlink -f $d)"; done; true`, "")
	if err != nil {
		return err
	}
	h.links = map[string]string{}
	for i, line := range strings.Split(strings.TrimSpace(out), "\n") {
		fields := strings.Fields(line)
		switch {
		case i == 0:
			h.short, _, _ = strings.Cut(line, ".")
		case i == 1:
			h.full = line
		case len(fields) == 2 && fields[0] == "address":
			if p, err := netip.ParsePrefix(fields[1]); err == nil {
				h.addresses = append(h.addresses, p)
			}
		case len(fields) == 3 && fields[0] == "link":
			h.links[fields[1]] = fields[2]
		}
	}
	return nil
}

// real is a path without the folders that are others, such as /usr/bin/id for /bin/id.
func (h *machine) real(file string) string {
	for from, to := range h.links {
		if rest, within := strings.CutPrefix(file, from+"/"); within {
			return to + "/" + rest
		}
	}
	return file
}

// spell is a path as the map writes it, where it names the same file, else the one without links:
// sudo tells files apart and not their paths.
func (h *machine) spell(file string) string {
	for _, s := range h.spelled {
		if path.Base(s) == path.Base(file) && h.real(s) == h.real(file) {
			return s
		}
	}
	return h.real(file)
}

func (h *machine) notes(what, format string, args ...any) {
	b := reading.Beyond{What: what, Text: h.name + ": " + fmt.Sprintf(format, args...)}
	if !slices.Contains(h.beyond, b) {
		h.beyond = append(h.beyond, b)
	}
}

// number is a decimal number, or -1.
func number(s string) int {
	n, err := strconv.Atoi(s)
	if err != nil {
		return -1
	}
	return n
}
