package host

import (
	"context"
	"fmt"
	"path"
	"regexp"
	"slices"
	"strings"

	"gatemap/core/name"
)

// sshd is whom the SSH server lets in (sshd_config(5)).
type sshd struct {
	whole   policy
	of      map[string]policy // by account, where Match says otherwise for some
	withPAM bool
}

// policy is what it says of an account.
type policy struct {
	allowUsers, denyUsers, allowGroups, denyGroups []string
	rootLogin, command                             string
}

// readDoors reads what PAM asks besides, with the access list of pam_access where that is asked.
func (h *machine) readDoors(ctx context.Context) error {
	out, err := h.must(ctx, "cat /etc/pam.d/sshd /etc/pam.d/common-account 2>/dev/null; "+
		"test -e /etc/nologin -o -e /run/nologin && echo '@closed'; true", "")
	if err != nil {
		return err
	}
	h.closed = strings.Contains(out, "\n@closed")
	modules := accountModules(out)
	if h.sshd.withPAM && asks(modules, "pam_access.so") {
		list, err := h.must(ctx, "cat /etc/security/access.conf; cat /etc/security/access.d/*.conf 2>/dev/null; true", "")
		if err != nil {
			return err
		}
		h.access = admissions(list)
	}
	h.otherModules(modules)
	if h.closed {
		h.notes("login", "/etc/nologin keeps out everyone but root at this time")
	}
	accounts, groups := h.sshd.names()
	for _, a := range h.access {
		accounts, groups = append(accounts, a.names()...), append(groups, a.names()...)
	}
	return h.lookUp(ctx, accounts, groups)
}

// byConnection finds Match blocks that are about connections (sshd_config(5), Match).
var byConnection = regexp.MustCompile("(?i)address|host|localport|rdomain")

// program is how sshd is asked for what it goes by.
const program = "/usr/sbin/sshd -T"

// readSSHD asks sshd itself for what it goes by, and whether Match blocks say otherwise for some.
func (h *machine) readSSHD(ctx context.Context) error {
	config, err := h.privileged(ctx, program)
	if err != nil {
		return err
	}
	h.sshd = &sshd{whole: settings(config)}
	h.sshd.withPAM = strings.Contains(config, "usepam yes")
	out, err := h.run(ctx, "grep -hriE '^[[:space:]]*match[[:space:]]' /etc/ssh/sshd_config /etc/ssh/sshd_config.d", "")
	if err != nil {
		return err
	}
	if out.status == 1 || out.status == 2 && strings.TrimSpace(out.out) == "" && !strings.Contains(out.err, "denied") {
		return nil
	}
	for line := range strings.Lines(out.out) {
		if byConnection.MatchString(line) {
			h.notes("sshd", "%s: told as of a connection from where Gate Map is", strings.TrimSpace(line))
		}
	}
	h.sshd.of = map[string]policy{}
	return h.readPolicies(ctx)
}

// readPolicies asks what sshd goes by for each account that it was not asked for yet, where that is
// not the same for all; and for accounts and groups that this names, until nothing is new.
func (h *machine) readPolicies(ctx context.Context) error {
	for h.sshd.of != nil {
		var in strings.Builder
		for _, n := range h.ordered() {
			if _, asked := h.sshd.of[n]; !asked {
				in.WriteString(n + "\n")
			}
		}
		if in.Len() == 0 {
			return nil
		}
		if err := h.askPolicies(ctx, in.String()); err != nil {
			return err
		}
		accounts, groups := h.sshd.names()
		if err := h.lookUp(ctx, accounts, groups); err != nil {
			return err
		}
	}
	return nil
}

// askPolicies asks of accounts, each on a line, as of a connection from where Gate Map is.
func (h *machine) askPolicies(ctx context.Context, accounts string) error {
	all, err := h.must(ctx, `set -- $SSH_CONNECTION; while IFS= read -r u; do echo "@account $u"; `+
		h.as(program)+` -C "user=$u,host=$1,addr=$1,laddr=$3,lport=$4" </dev/null; done; true`, accounts)
	if err != nil {
		return err
	}
	for _, part := range strings.Split("\n"+all, "\n@account ")[1:] {
		named, config, _ := strings.Cut(part, "\n")
		if !strings.Contains(config, "permitrootlogin ") {
			return fmt.Errorf("sshd does not say what it goes by for the account %s: %q", named, name.Short(config, cited))
		}
		p := settings(config)
		h.sshd.of[named] = p
		if p.command != "" && p.command != "none" {
			h.notes("sshd", "%s is given the command %q, whatever it asks for", named, p.command)
		}
	}
	return nil
}

func settings(config string) (p policy) {
	for line := range strings.Lines(config) {
		key, value, _ := strings.Cut(strings.TrimSpace(line), " ")
		list := strings.Fields(value)
		switch key {
		case "allowusers":
			p.allowUsers = append(p.allowUsers, list...)
		case "denyusers":
			p.denyUsers = append(p.denyUsers, list...)
		case "allowgroups":
			p.allowGroups = append(p.allowGroups, list...)
		case "denygroups":
			p.denyGroups = append(p.denyGroups, list...)
		case "permitrootlogin":
			p.rootLogin = value
		case "forcecommand":
			p.command = value
		}
	}
	return p
}

func (s *sshd) names() (accounts, groups []string) {
	for _, p := range s.policies() {
		for _, list := range [][]string{p.allowUsers, p.denyUsers} {
			for _, u := range list {
				named, _, _ := strings.Cut(u, "@")
				accounts = append(accounts, named)
			}
		}
		groups = append(append(groups, p.allowGroups...), p.denyGroups...)
	}
	return accounts, groups
}

func (s *sshd) policies() []policy {
	list := []policy{s.whole}
	for _, p := range s.of {
		list = append(list, p)
	}
	return list
}

// policy is what sshd says of an account.
func (s *sshd) policy(a *account) policy {
	if p, own := s.of[a.name]; own {
		return p
	}
	return s.whole
}

// lets says whether sshd lets an account in: a list that there is must name it.
func (h *machine) lets(a *account) bool {
	p := h.sshd.policy(a)
	inGroup := func(list []string) bool {
		return slices.ContainsFunc(list, func(pattern string) bool {
			for g := range a.groups {
				if like(pattern, g) {
					return true
				}
			}
			return false
		})
	}
	return !h.user(p.denyUsers, a, false) && (len(p.allowUsers) == 0 || h.user(p.allowUsers, a, true)) &&
		!inGroup(p.denyGroups) && (len(p.allowGroups) == 0 || inGroup(p.allowGroups))
}

// user says whether a list names an account. An entry for one place only counts as from there
// where it lets in, and is told.
func (h *machine) user(list []string, a *account, lets bool) bool {
	for _, entry := range list {
		named, from, placed := strings.Cut(entry, "@")
		if !like(named, a.name) {
			continue
		}
		if placed && strings.Trim(from, "*") != "" {
			h.notes("sshd", "%s: it counts from there only", entry)
			if !lets {
				continue
			}
		}
		return true
	}
	return false
}

// literal writes what means itself in patterns of sshd, and not in those of path.Match.
var literal = strings.NewReplacer(`\`, `\\`, `[`, `\[`)

// like says whether a name matches a pattern with * and ?.
func like(pattern, named string) bool {
	matches, err := path.Match(literal.Replace(pattern), named)
	return err == nil && matches
}

// readShells asks which of the shells of accounts can be run.
func (h *machine) readShells(ctx context.Context) error {
	shells := map[string]bool{}
	var in strings.Builder
	for _, a := range h.accounts {
		if !shells[a.shell] && a.shell != "" {
			shells[a.shell] = true
			in.WriteString(a.shell + "\n")
		}
	}
	out, err := h.must(ctx, `while IFS= read -r s; do test -f "$s" -a -x "$s" && echo "$s"; done; true`, in.String())
	if err != nil {
		return err
	}
	for line := range strings.Lines(out) {
		h.shells[strings.TrimRight(line, "\n")] = true
	}
	return nil
}

// noShells are programs that are given as a shell to keep an account from doing anything.
var noShells = []string{"nologin", "false", "true", "sync", "halt", "shutdown"}

// unable says what keeps an account out by itself, whomever sshd lets in; "": nothing.
func (h *machine) unable(a *account) string {
	shell := a.shell
	if shell == "" {
		shell = "/bin/sh"
	}
	root, p := a.uid == 0, h.sshd.policy(a)
	switch {
	case a.ended != "":
		return a.ended
	case slices.Contains(noShells, path.Base(shell)):
		return "its shell is " + shell
	case a.shell != "" && !h.shells[shell]:
		return "its shell " + shell + " cannot be run"
	case root && p.rootLogin == "no":
		return "sshd lets root in by no way"
	case root && p.rootLogin == "forced-commands-only":
		return "sshd lets root in for single commands only"
	case !root && h.closed:
		return "/etc/nologin keeps it out"
	case a.locked && !h.sshd.withPAM:
		return "its password is locked"
	}
	return ""
}

// otherModules notes what else PAM asks whether an account may be used.
func (h *machine) otherModules(modules []string) {
	known := []string{"pam_unix.so", "pam_nologin.so", "pam_access.so", "pam_deny.so", "pam_permit.so"}
	for _, line := range modules {
		if !slices.ContainsFunc(known, func(m string) bool { return strings.Contains(line, m) }) {
			h.notes("PAM", "%s", strings.Join(strings.Fields(line), " "))
		}
	}
}

// accountModules are the lines of a PAM configuration that say whether an account may be used.
func accountModules(config string) (list []string) {
	for line := range strings.Lines(config) {
		if line = strings.TrimSpace(line); strings.HasPrefix(strings.TrimPrefix(line, "-"), "account") &&
			strings.Contains(line, ".so") {
			list = append(list, line)
		}
	}
	return list
}

func asks(modules []string, module string) bool {
	return slices.ContainsFunc(modules, func(line string) bool { return strings.Contains(line, module) })
}
