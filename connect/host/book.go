package host

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"gatemap/core/name"
)

// book is the accounts and groups that a host has or was asked for.
type book struct {
	accounts map[string]*account
	groups   map[string]*group
	shells   map[string]bool // those that can be run
	ownUIDs  int             // smallest number of an account of a person
	asked    map[string]bool // names that were looked up
	members  map[string][]string
}

type account struct {
	name     string
	uid, gid int
	shell    string
	groups   map[string]bool // by name, its own group among them
	locked   bool            // its password is
	ended    string          // why it can no longer be used
}

type group struct {
	name    string
	gid     int
	members []string // as the group lists them
}

// nobodyID is the number of the account of nobody (Debian policy, section 9.2.2).
const nobodyID = 65534

func (h *machine) readBook(ctx context.Context) error {
	h.book = &book{
		accounts: map[string]*account{}, groups: map[string]*group{},
		shells: map[string]bool{}, asked: map[string]bool{}, ownUIDs: 1000,
	}
	out, err := h.must(ctx, `getent passwd; echo; getent group; echo; `+
		`sed -n 's/^[[:space:]]*UID_MIN[[:space:]]*//p' /etc/login.defs 2>/dev/null; true`, "")
	if err != nil {
		return err
	}
	parts := strings.SplitN(out, "\n\n", 3)
	if len(parts) < 2 {
		return fmt.Errorf("getent lists no accounts and groups: %q", name.Short(out, cited))
	}
	h.take(parts[0], parts[1])
	if len(parts) == 3 {
		if n := number(strings.TrimSpace(parts[2])); n >= 0 {
			h.ownUIDs = n
		}
	}
	return nil
}

func (h *machine) readShadow(ctx context.Context) error {
	text, err := h.privileged(ctx, "getent shadow")
	if err == nil {
		h.shadow(text, time.Now(), h.sshd.withPAM)
	}
	return err
}

// take takes accounts and groups as getent prints them (passwd(5), group(5)).
func (b *book) take(passwd, groups string) {
	for line := range strings.Lines(passwd) {
		f := strings.Split(strings.TrimRight(line, "\n"), ":")
		if len(f) >= 7 && b.accounts[f[0]] == nil {
			b.accounts[f[0]] = &account{name: f[0], uid: number(f[2]), gid: number(f[3]), shell: f[6]}
		}
	}
	for line := range strings.Lines(groups) {
		f := strings.Split(strings.TrimRight(line, "\n"), ":")
		if len(f) >= 4 && b.groups[f[0]] == nil {
			g := &group{name: f[0], gid: number(f[2])}
			if f[3] != "" {
				g.members = strings.Split(f[3], ",")
			}
			b.groups[f[0]] = g
		}
	}
}

// tie says of each account in which groups it is.
func (b *book) tie() {
	byID := map[int][]string{}
	for named, g := range b.groups {
		byID[g.gid] = append(byID[g.gid], named)
	}
	for _, a := range b.accounts {
		a.groups = map[string]bool{}
		for _, g := range byID[a.gid] {
			a.groups[g] = true
		}
	}
	for named, g := range b.groups {
		for _, m := range g.members {
			if a := b.accounts[m]; a != nil {
				a.groups[named] = true
			}
		}
	}
	b.members = map[string][]string{}
	for _, n := range b.ordered() {
		for g := range b.accounts[n].groups {
			b.members[g] = append(b.members[g], n)
		}
	}
}

// shadow takes what is known of passwords (shadow(5)): which are locked, and which accounts ended.
// That a password was not changed in time ends an account where PAM is asked.
func (b *book) shadow(text string, now time.Time, withPAM bool) {
	today := int(now.Unix() / 86400)
	for line := range strings.Lines(text) {
		f := strings.Split(strings.TrimRight(line, "\n"), ":")
		if len(f) < 8 || b.accounts[f[0]] == nil {
			continue
		}
		a := b.accounts[f[0]]
		a.locked = strings.HasPrefix(f[1], "!")
		changed, most, idle := number(f[2]), number(f[4]), number(f[6])
		switch ends := number(f[7]); {
		case ends >= 0 && today >= ends:
			a.ended = "it ended " + time.Unix(int64(ends)*86400, 0).UTC().Format(time.DateOnly)
		case withPAM && changed > 0 && most >= 0 && idle >= 0 && today > changed+most+idle:
			a.ended = "its password was not changed in time"
		}
	}
}

// lookUp asks for accounts and groups that the host did not list, and for the members of such
// groups.
func (h *machine) lookUp(ctx context.Context, accounts, groups []string) error {
	ask := func(database string, names []string, known func(string) bool) (string, error) {
		var in strings.Builder
		for _, n := range names {
			key := database + " " + n
			if n == "" || known(n) || h.asked[key] || strings.ContainsAny(n, "\n*?[") {
				continue
			}
			h.asked[key] = true
			in.WriteString(n + "\n")
		}
		if in.Len() == 0 {
			return "", nil
		}
		return h.must(ctx, "while IFS= read -r n; do getent "+database+" -- \"$n\" </dev/null; done; true", in.String())
	}
	found, err := ask("group", groups, func(n string) bool { return h.groups[n] != nil })
	if err != nil {
		return err
	}
	h.take("", found)
	for _, g := range h.groups {
		accounts = append(slices.Clip(accounts), g.members...)
	}
	if found, err = ask("passwd", accounts, func(n string) bool { return h.accounts[n] != nil }); err != nil {
		return err
	}
	h.take(found, "")
	var own []string // the groups of accounts, by number
	numbered := map[int]bool{}
	for _, g := range h.groups {
		numbered[g.gid] = true
	}
	for _, a := range h.accounts {
		if !numbered[a.gid] {
			own = append(own, strconv.Itoa(a.gid))
		}
	}
	if found, err = ask("group", own, func(string) bool { return false }); err != nil {
		return err
	}
	h.take("", found)
	h.tie()
	return nil
}

// ordered are the accounts by name.
func (b *book) ordered() []string { return slices.Sorted(maps.Keys(b.accounts)) }

// own says whether an account is of a person, by its number.
func (b *book) own(a *account) bool { return a.uid >= b.ownUIDs && a.uid != nobodyID }

// in are the accounts of a group, by name.
func (b *book) in(named string) []string { return b.members[named] }

// groupOf finds a group by its number.
func (b *book) groupOf(gid int) string {
	for _, named := range slices.Sorted(maps.Keys(b.groups)) {
		if b.groups[named].gid == gid {
			return named
		}
	}
	return ""
}

// cited is how many letters of what a host answered an error shows.
const cited = 200
