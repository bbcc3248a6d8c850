package host_test

import (
	"fmt"
	"math/rand/v2"
	"os"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/host"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/name"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/tools/machine"
)

const dome1 = "dome1.cindervale.example"

func start(t *testing.T, named, setup string) *machine.Machine {
	t.Helper()
	if os.Geteuid() != 0 {
		t.Skip("a host of its own needs root")
	}
	m, err := machine.Start(t.TempDir(), named, setup)
	require.NoError(t, err)
	t.Cleanup(m.Stop)
	t.Setenv("GATEMAP_SECRET_HOST", m.Secret)
	return m
}

func document(machines ...*machine.Machine) *host.Document {
	d := &host.Document{
		User:   machine.Reader,
		Secret: &connect.Secret{Env: "GATEMAP_SECRET_HOST"},
		Hosts:  map[string]host.Machine{},
	}
	for _, m := range machines {
		d.Hosts[m.Name] = host.Machine{Address: place.Text{Value: m.Address}, Key: place.Text{Value: m.Key}}
	}
	return d
}

func system(d *host.Document, of *hosts.Document) *gate.System {
	return &gate.System{
		Name: "domes",
		Type: name.Ref{Name: "hosts"},
		Gate: of,
		Link: &gate.Link{Connection: directory.Connection{Document: d}},
	}
}

// read reads hosts, and compiles that beside a map of nobody.
func read(t *testing.T, d *host.Document) *reading.Compiled {
	t.Helper()
	s := system(d, &hosts.Document{})
	r, err := connect.Observe(t.Context(), s, connect.Host{}, func(int) {})
	require.NoError(t, err)
	a, err := atlas.Compile(&atlas.Map{Systems: []*gate.System{s}})
	require.NoError(t, err)
	c, err := reading.Compile(r, a, s)
	require.NoError(t, err)
	return c
}

// state is what the compiled reading says; an account that it does not have can do nothing.
func state(t require.TestingT, c *reading.Compiled, account, object, right string) rule.State {
	full := c.Full(account)
	if full == "" {
		return rule.None
	}
	u, err := c.Atlas.Book.FindUser(full, "")
	require.NoError(t, err, account)
	p, err := c.System.Gate.At(object, right)
	require.NoError(t, err, "%s on %s", right, object)
	return c.Atlas.Decide(c.Atlas.Question(u, c.Atlas.Frame.Facts(situation.Situation{}, nil)), c.System, p).State
}

// drawn is a host as it is drawn.
type drawn struct {
	*rand.Rand
	accounts, groups, commands, targets []string
	setup                               strings.Builder
}

func (w *drawn) of(list []string) string { return list[w.IntN(len(list))] }

func (w *drawn) some(most int, one func() string) string {
	var list []string
	for range 1 + w.IntN(most) {
		list = append(list, one())
	}
	return strings.Join(list, ", ")
}

func (w *drawn) not(percent int, s string) string {
	if w.IntN(100) < percent {
		return "!" + s
	}
	return s
}

// draw draws accounts, groups, programs and sudoers, with aliases in each other, negation, groups by
// name and number, tags, wildcards and folders.
func draw(seed uint64) *drawn {
	w := &drawn{Rand: rand.New(rand.NewPCG(seed, 1)), targets: []string{"root", "dome", "data", "acc01"}}
	add := func(format string, args ...any) { fmt.Fprintf(&w.setup, format+"\n", args...) }
	add("useradd --system dome; useradd --system data; mkdir -p /opt/bin/sub /opt/tool")
	for i := range 6 {
		w.groups = append(w.groups, fmt.Sprintf("crew%d", i))
		add("groupadd -g %d crew%d", 3000+i, i)
	}
	for i := range 12 {
		w.accounts = append(w.accounts, fmt.Sprintf("acc%02d", i))
		add("useradd -s /bin/sh -g crew%d -G crew%d acc%02d", i%6, w.IntN(6), i)
	}
	for _, p := range []string{"/opt/bin/a", "/opt/bin/ab", "/opt/bin/b", "/opt/bin/sub/c", "/opt/tool/d"} {
		add("printf '#!/bin/sh\\n' >%s; chmod 755 %[1]s", p)
		w.commands = append(w.commands, p, p+" -l", p+" -l x/y", p+" on", p+" on now")
	}
	w.commands = append(w.commands, "/usr/bin/id", "/usr/bin/id -u")
	user := func() string {
		switch w.IntN(12) {
		case 0:
			return w.not(20, "ALL")
		case 1, 2, 3:
			return w.not(25, "%"+w.of(w.groups))
		case 4:
			return w.not(25, fmt.Sprintf("%%#%d", 3000+w.IntN(6)))
		}
		return w.not(20, w.of(w.accounts))
	}
	command := func() string {
		return w.not(30, w.of([]string{
			"ALL", "/opt/bin/a", "/opt/bin/b -l", "/opt/bin/a on *", `/opt/bin/ab ""`, "/opt/bin/", "/opt/bin/*", "/opt/*/d", "/opt/bin/a*", "/opt/bin/a* on",
			"/opt/tool/d ?*", "/opt/tool/d *", "/usr/bin/id", "/bin/id -u", "sudoedit /etc/motd", "sudoedit", "/bin/i[d]", "/bin/", "/opt/bin/sub/c", "/opt/bin/[ab]", "/opt/bin/b o*",
		}))
	}
	target := func() string {
		return w.not(20, w.of([]string{"ALL", "root", "dome", "data", "#0", "%crew1", "acc01"}))
	}
	add("cat >/etc/sudoers.d/drawn <<'END'")
	for i := range 3 {
		more := func(one func() string, alias string) func() string {
			return func() string {
				if i > 0 && w.IntN(5) == 0 {
					return w.not(30, fmt.Sprintf("%s%d", alias, w.IntN(i)))
				}
				return one()
			}
		}
		add("User_Alias U%d = %s", i, w.some(4, more(user, "U")))
		add("Runas_Alias R%d = %s", i, w.some(3, more(target, "R")))
		add("Cmnd_Alias C%d = %s", i, w.some(4, more(command, "C")))
		add("Host_Alias H%d = %s", i, w.some(3, func() string {
			return w.not(
				25,
				w.of(
					[]string{
						"ALL",
						"dome1",
						"dome2",
						"dome*",
						dome1,
						"127.0.0.1",
						"192.0.2.7",
						"192.0.2.0/24",
						"192.0.2.0/255.255.255.0",
					},
				),
			)
		}))
	}
	for range 8 + w.IntN(12) {
		users := w.some(3, user)
		if w.IntN(3) == 0 {
			users = w.not(15, fmt.Sprintf("U%d", w.IntN(3)))
		}
		at := w.of([]string{"ALL", "ALL", "ALL", "dome1", "dome2", "H0", "H1", "H2", "!H1"})
		var list []string
		for range 1 + w.IntN(3) {
			what := ""
			switch w.IntN(4) {
			case 0:
				what = "(" + w.some(3, target) + ") "
			case 1:
				what = fmt.Sprintf("(R%d) ", w.IntN(3))
			}
			what += w.of([]string{"", "", "NOPASSWD: ", "PASSWD: "})
			if w.IntN(3) == 0 {
				what += w.not(30, fmt.Sprintf("C%d", w.IntN(3)))
			} else {
				what += w.some(3, command)
			}
			list = append(list, what)
		}
		add("%s %s = %s", users, at, strings.Join(list, ", "))
	}
	add("END")
	return w
}

// Every account and every command of a foreign sudoers is what sudo itself answers.
func TestSudoIsTheReferee(t *testing.T) {
	allowed := 0
	for i := range 3 {
		seed := uint64(time.Now().UnixNano()) + uint64(i)
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			w := draw(seed)
			m := start(t, dome1, w.setup.String())
			c := read(t, document(m))
			var script strings.Builder
			type asked struct{ account, command, as string }
			var list []asked
			script.WriteString("ask() { if sudo -l -U \"$1\" -u \"$2\" $3 >/dev/null 2>&1; then echo yes; else echo no; fi; }\n")
			for _, account := range append(w.accounts, "root", machine.Reader) {
				for _, as := range w.targets {
					for _, command := range w.commands {
						list = append(list, asked{account, command, as})
						fmt.Fprintf(&script, "ask %s %s '%s'\n", account, as, command)
					}
				}
			}
			out, err := m.Run(script.String())
			require.NoError(t, err)
			answers := strings.Fields(out)
			require.Len(t, answers, len(list))
			may, wrong := 0, 0
			for i, q := range list {
				got := state(t, c, q.account, dome1, "run "+q.command+" as "+q.as) == rule.Open
				if answers[i] == "yes" {
					may++
				}
				if want := answers[i] == "yes"; got != want && wrong < 10 {
					wrong++
					t.Errorf("%s runs %s as %s: read as %v, sudo says %v", q.account, q.command, q.as, got, want)
				}
			}
			allowed += may
			if wrong > 0 {
				text, _ := m.Run("cat /etc/sudoers.d/drawn; getent group | tail -8")
				t.Log(text)
				t.Log(c.Beyond)
			}
			t.Logf("%d of %d allowed; beyond: %v", may, len(list), c.Beyond)
		})
	}
	// One draw may end in a line that takes everything from everybody.
	assert.Greater(t, allowed, 20, "drawn so that somebody may do something")
}

// drawLogins draws accounts with all that keeps one out, and whom sshd and the access list let in.
func drawLogins(seed uint64) *drawn {
	w := &drawn{Rand: rand.New(rand.NewPCG(seed, 2))}
	add := func(format string, args ...any) { fmt.Fprintf(&w.setup, format+"\n", args...) }
	for i := range 5 {
		w.groups = append(w.groups, fmt.Sprintf("crew%d", i))
		add("groupadd crew%d", i)
	}
	for i := range 14 {
		account := fmt.Sprintf("acc%02d", i)
		w.accounts = append(w.accounts, account)
		shell := w.of([]string{"/bin/sh", "/bin/sh", "/bin/bash", "/bin/sh", "/usr/sbin/nologin", "/bin/false", "/opt/gone"})
		add("useradd -s %s -g crew%d -G crew%d %s", shell, i%5, w.IntN(5), account)
		switch w.IntN(8) {
		case 0:
			add("chage -E %s %s", w.of([]string{"0", "2020-01-01", "2099-01-01"}), account)
		case 1:
			add("usermod -p '*' %s; chage -d 2020-01-01 -M 10 -I 5 %[1]s", account)
		case 2:
			add("passwd -q -l %s", account)
		}
	}
	list := func(names []string) string {
		return strings.ReplaceAll(w.some(4, func() string { return w.of(names) }), ",", "")
	}
	users := append([]string{"acc0*", "acc1?", "root", "*"}, w.accounts...)
	groups := append([]string{"crew*", "crew?"}, w.groups...)
	if w.IntN(5) == 0 {
		add("sed -i 's/UsePAM yes/UsePAM no/' /etc/ssh/sshd_config")
	}
	add("cat >/etc/ssh/sshd_config.d/drawn.conf <<'END'")
	if w.IntN(2) == 0 {
		add("AllowGroups %s gatemap", list(groups)) // the account that reads has to get in
	}
	for _, l := range []struct {
		key   string
		names []string
	}{{"AllowUsers gatemap", users[:3+w.IntN(12)]}, {"DenyUsers", w.accounts}, {"DenyGroups", w.groups}} {
		if w.IntN(4) == 0 {
			add("%s %s", l.key, list(l.names))
		}
	}
	if w.IntN(2) == 0 {
		add("PermitRootLogin %s", w.of([]string{"no", "yes", "prohibit-password"}))
	}
	if w.IntN(3) == 0 {
		add("Match Group %s", w.of(w.groups))
		add("AllowUsers %s gatemap", list(users))
		add("Match User acc1?\nDenyUsers acc10")
	}
	add("END")
	if w.IntN(2) == 0 {
		add(
			"echo 'account required pam_access.so' >>/etc/pam.d/sshd\ncat >/etc/security/access.conf <<'END'\n# written by hand\n+ : gatemap : ALL",
		)
		for range 1 + w.IntN(4) {
			who := func() string { return w.of(append([]string{"(crew1)", "(crew2)", "crew3", "ALL"}, w.accounts...)) }
			entry := strings.ReplaceAll(w.some(4, who), ",", "")
			if w.IntN(3) == 0 {
				entry += " EXCEPT " + who()
			}
			add("%s : %s : %s", w.of([]string{"+", "-"}), entry, w.of([]string{"ALL", "ALL", "LOCAL", "cron"}))
		}
		if w.IntN(2) == 0 {
			add("- : ALL EXCEPT root (crew0) : ALL")
		}
		add("END")
	}
	return w
}

// Who may log in is who can log in.
func TestLoginsAreTheReferee(t *testing.T) {
	both := map[bool]int{}
	for i := range 8 {
		seed := uint64(time.Now().UnixNano()) + uint64(i)
		t.Run(fmt.Sprint(seed), func(t *testing.T) {
			w := drawLogins(seed)
			m := start(t, dome1, w.setup.String())
			c := read(t, document(m))
			for _, account := range append(w.accounts, "root", machine.Reader) {
				got, want := state(t, c, account, dome1, "login") == rule.Open, m.Login(account)
				both[want]++
				assert.Equal(t, want, got, account)
			}
			if t.Failed() {
				text, _ := m.Run(
					"cat /etc/ssh/sshd_config.d/drawn.conf /etc/security/access.conf | grep -v '^#'; getent passwd | grep acc; getent group | tail -6; getent shadow | grep acc",
				)
				t.Log(text)
				t.Log(c.Beyond)
			}
		})
	}
	assert.Positive(t, both[true])
	assert.Positive(t, both[false])
}
