package host_test

import (
	"fmt"
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
	"gatemap/core/gate/types"
	"gatemap/core/name/nametest"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/mapfile"
	"gatemap/tools/machine"
)

// sudoedit is not listed by sudo -l: it is run, without asking for a password.
func TestEditingFilesIsTheReferee(t *testing.T) {
	m := start(
		t,
		dome1,
		`for u in ilse tor bob; do useradd -s /bin/sh $u; done; groupadd crew; usermod -aG crew ilse; usermod -aG crew tor
cat >/etc/sudoers.d/x <<'END'
Defaults !authenticate
%crew ALL = sudoedit /etc/motd, sudoedit /etc/issue
tor ALL = !sudoedit /etc/issue
bob ALL = (ALL) ALL, !sudoedit
END`,
	)
	c := read(t, document(m))
	for _, account := range []string{"ilse", "tor", "bob"} {
		for _, file := range []string{"/etc/motd", "/etc/issue", "/etc/hosts"} {
			_, err := m.Run(fmt.Sprintf("su %s -c 'EDITOR=/bin/true sudo -n -e %s'", account, file))
			assert.Equal(
				t,
				err == nil,
				state(t, c, account, dome1, "run sudoedit "+file+" as root") == rule.Open,
				"%s edits %s: %v",
				account,
				file,
				err,
			)
		}
	}
	for _, x := range []struct{ account, command string }{{"bob", "/usr/bin/id"}, {"ilse", "/usr/bin/id"}} {
		_, err := m.Run(fmt.Sprintf("su %s -c 'sudo -n %s'", x.account, x.command))
		assert.Equal(t, err == nil, state(t, c, x.account, dome1, "run "+x.command+" as root") == rule.Open, "%v", x)
	}
}

// What no system of hosts can say is told, and counted.
func TestWhatGoesBeyondIsTold(t *testing.T) {
	m := start(t, dome1, `for u in ilse tor; do useradd -s /bin/sh $u; done; useradd --system -s /usr/sbin/nologin keeper
cat >/etc/sudoers.d/x <<'END'
+night ALL = /usr/bin/id
%:remote ALL = /usr/bin/id
gone ALL = /usr/bin/id
%nogroup-there ALL = /usr/bin/id
keeper ALL = NOPASSWD: /usr/bin/id
ilse ALL = ^/usr/bin/(a|b)$, /usr/bin/tail -n [0-9], (:adm) /usr/bin/id, CWD=/tmp /usr/bin/ls
tor ALL = NOTAFTER=20990101000000Z /usr/bin/id
tor ALL = NOTAFTER=20200101000000Z /usr/bin/cat
tor +cluster = /usr/bin/head
Defaults:tor !authenticate
END
printf 'Match Address 192.0.2.0/24\nPermitRootLogin no\nMatch User tor\nForceCommand /usr/bin/id\n' >/etc/ssh/sshd_config.d/x.conf
echo 'sudoers: files sss' >>/etc/nsswitch.conf`)
	c := read(t, document(m))
	var texts []string
	for _, b := range c.Beyond {
		texts = append(texts, b.What+": "+b.Text)
	}
	const at = dome1 + ": "
	for _, want := range []string{
		"sudoers: " + at + "the netgroup +night: what it is given is not told",
		"sudoers: " + at + "a group that is none of Unix: what it is given is not told",
		"sudoers: " + at + "it names gone, who has no account",
		"sudoers: " + at + "it names the group nogroup-there, which is not there",
		"sudoers: " + at + "keeper may run commands, and cannot log in (its shell is /usr/sbin/nologin)",
		"sudoers: " + at + "the command ^/usr/bin/(a|b)$: a regular expression",
		"sudoers: " + at + "the command /usr/bin/tail -n [0-9]: wildcards that no pattern has",
		"sudoers: " + at + "/usr/bin/ls: in another folder (/tmp)",
		"sudoers: " + at + "/usr/bin/id: until a time (20990101000000Z)",
		"sudoers: " + at + "a rule is for hosts of a netgroup, and is not told",
		"sudoers: " + at + "the setting authenticate (false)",
		"sudoers: " + at + "rules come from files sss too, and only files are read",
		"sshd: " + at + "Match Address 192.0.2.0/24: told as of a connection from where Gate Map is",
		"sshd: " + at + `tor is given the command "/usr/bin/id", whatever it asks for`,
	} {
		assert.Contains(t, texts, want)
	}
	assert.Equal(t, rule.Open, state(t, c, "tor", dome1, "run /usr/bin/id as root"))
	assert.Equal(t, rule.None, state(t, c, "tor", dome1, "run /usr/bin/cat as root"), "it ended")
	assert.Equal(t, rule.None, state(t, c, "tor", dome1, "run /usr/bin/head as root"))
}

// A group that has others in it on some hosts is one of its own for each.
func TestGroupsThatDifferByHost(t *testing.T) {
	const dome2 = "dome2.cindervale.example"
	setup := func(crew, more string) string {
		return "groupadd -g 3000 crew; for u in ilse tor bob; do useradd -s /bin/sh $u; done; for u in " + crew + "; do usermod -aG crew $u; done\n" +
			"echo 'AllowGroups crew gatemap' >/etc/ssh/sshd_config.d/x.conf\necho '%crew ALL = /usr/bin/id' >/etc/sudoers.d/x\n" + more
	}
	first := start(t, dome1, setup("ilse tor", ""))
	second, err := machine.Start(t.TempDir(), dome2, setup("ilse bob", "chage -E 0 ilse"))
	require.NoError(t, err)
	t.Cleanup(second.Stop)
	t.Setenv("GATEMAP_SECRET_SECOND", second.Secret)
	d := document(first, second)
	_, err = second.Run("cat >/etc/ssh/keys/all <<'END'\n" + first.Public + "\nEND")
	require.NoError(t, err)
	c := read(t, d)
	for _, x := range []struct {
		account, host string
		want          rule.State
	}{
		{"ilse", dome1, rule.Open}, {"ilse", dome2, rule.Shut}, {"tor", dome1, rule.Open}, {"tor", dome2, rule.None}, {"bob", dome1, rule.None}, {"bob", dome2, rule.Open},
	} {
		assert.Equal(t, x.want, state(t, c, x.account, x.host, "login"), "%s on %s", x.account, x.host)
		assert.Equal(t, x.want, state(t, c, x.account, x.host, "run /usr/bin/id as root"), "%s on %s", x.account, x.host)
	}
	assert.Contains(
		t,
		c.Groups,
		reading.Group{Name: "crew on " + dome2, Of: "crew", On: dome2, Accounts: []string{"bob", "ilse"}},
	)
}

// Patterns that are written otherwise and come to the same are no drift, and what one side excepts is.
func TestDriftOfCommands(t *testing.T) {
	m := start(t, dome1, `groupadd crew; for u in ilse tor; do useradd -s /bin/sh -G crew $u; done
mkdir /opt/dome; for f in shutter drive; do printf '#!/bin/sh\n' >/opt/dome/$f; chmod 755 /opt/dome/$f; done
cat >/etc/sudoers.d/x <<'END'
%crew ALL = (dome, root) /opt/dome/
%crew ALL = /usr/bin/systemctl restart *
END
useradd --system dome; echo 'AllowGroups crew gatemap' >/etc/ssh/sshd_config.d/x.conf`)
	who := gate.Who{Groups: nametest.Refs("crew")}
	pattern := func(list ...string) (all []gate.Pattern) {
		for _, p := range list {
			all = append(all, gate.Pattern{Text: place.Text{Value: p}})
		}
		return all
	}
	at := nametest.Refs(dome1)
	of := &hosts.Document{
		Hosts: map[string][]place.Text{"dome": {{Value: dome1}}},
		Login: []hosts.Login{{Who: who, Hosts: at}},
		Elevate: []hosts.Elevate{
			{
				Who:      who,
				Hosts:    at,
				As:       "dome",
				Commands: pattern("/opt/dome/shutter", "/opt/dome/shutter *", "/opt/dome/drive", "/opt/dome/drive *"),
			},
			{Who: who, Hosts: at, As: "root", Commands: pattern("/opt/dome/*"), Except: pattern("/opt/dome/drive *")},
			{Who: who, Hosts: at, As: "root", Commands: pattern("/bin/systemctl restart *")},
		},
	}
	s := system(document(m), of)
	s.Link.Ignore.Accounts = pattern("root", "gatemap", "dome")
	s.Directory.Name = "cindervale"
	r, err := connect.Observe(t.Context(), s, connect.Host{}, func(int) {})
	require.NoError(t, err)
	people := &directory.Document{
		Name:   "cindervale",
		Users:  []*directory.User{{Name: "ilse"}, {Name: "tor"}},
		Groups: []*directory.Group{{Name: "crew", Members: &directory.Members{Users: nametest.Refs("ilse", "tor")}}},
	}
	a, err := atlas.Compile(&atlas.Map{Directories: []*directory.Document{people}, Systems: []*gate.System{s}})
	require.NoError(t, err)
	c, err := reading.Compile(r, a, s)
	require.NoError(t, err)
	d, err := reading.Between(c, hosts.Type)
	require.NoError(t, err)
	var got []string
	for _, i := range d.Items {
		got = append(got, string(i.Effect())+" "+i.User+" "+i.Right)
	}
	assert.Equal(t, []string{
		"excess cindervale/ilse run /opt/dome/* as dome", "excess cindervale/ilse run /opt/dome/drive * as root",
		"excess cindervale/tor run /opt/dome/* as dome", "excess cindervale/tor run /opt/dome/drive * as root",
	}, got)

	s.Link.Connection.Name = "host"
	s.Link.Ignore.Accounts = nil
	c, err = reading.Compile(r, a, s)
	require.NoError(t, err)
	is, own := c.Adopted(s)
	text, err := mapfile.Write(is)
	require.NoError(t, err)
	home, err := mapfile.WriteDirectory(own)
	require.NoError(t, err)
	crew, err := mapfile.WriteDirectory(people)
	require.NoError(t, err)
	again, err := mapfile.Parse(
		[]mapfile.File{
			{Path: "systems/a.yaml", Content: text},
			{Path: "directories/a.yaml", Content: home},
			{Path: "directories/b.yaml", Content: crew},
		},
		types.Table,
		[]directory.ConnectionKind{host.Connector.Kind()},
	)
	require.NoError(t, err, string(text))
	after, err := atlas.Compile(again)
	require.NoError(t, err)
	c, err = reading.Compile(r, after, again.Systems[0])
	require.NoError(t, err)
	d, err = reading.Between(c, hosts.Type)
	require.NoError(t, err)
	assert.Empty(t, d.Items, "what was adopted is there")
}

// Each failure says what to do, and none of them is a reading.
func TestFailuresSayWhatToDo(t *testing.T) {
	m := start(t, dome1, "useradd -s /bin/sh -p '*' plain")
	_, other, err := machine.NewKey()
	require.NoError(t, err)
	t.Setenv("GATEMAP_SECRET_OTHER", other)
	t.Setenv("GATEMAP_SECRET_NONE", "not a key")
	for _, x := range []struct {
		what   string
		change func(*host.Document, *host.Machine)
		want   string
	}{
		{"another key", func(d *host.Document, _ *host.Machine) { d.Secret = &connect.Secret{Env: "GATEMAP_SECRET_OTHER"} }, "it does not let the account gatemap in with this key"},
		{"no key", func(d *host.Document, _ *host.Machine) { d.Secret = &connect.Secret{Env: "GATEMAP_SECRET_NONE"} }, "no private key without a passphrase"},
		{"no secret", func(d *host.Document, _ *host.Machine) { d.Secret = &connect.Secret{Env: "GATEMAP_SECRET_UNSET"} }, "GATEMAP_SECRET_UNSET, which is to hold the secret, is not set"},
		{"no host key", func(_ *host.Document, h *host.Machine) { h.Key.Value = "" }, "the link has no key of the host, which shows \"" + m.Key + "\""},
		{"another host key", func(_ *host.Document, h *host.Machine) { h.Key.Value, _, _ = machine.NewKey() }, "the host shows another key than the link has"},
		{"a bad host key", func(_ *host.Document, h *host.Machine) { h.Key.Value = "SHA256:x" }, "is no public key"},
		{"nobody there", func(_ *host.Document, h *host.Machine) { h.Address.Value = "127.0.0.1:1" }, "connection refused"},
		{"no address", func(_ *host.Document, h *host.Machine) { h.Address.Value = "dome1" }, "it is written host:port"},
		{"no rights", func(d *host.Document, _ *host.Machine) { d.User = "plain" }, `the account plain may not run "/usr/sbin/sshd -T", so that nobody can say what is there: allow it in sudoers with NOPASSWD (docs/connected.md): sudo: a password is required`},
	} {
		d := document(m)
		h := d.Hosts[dome1]
		x.change(d, &h)
		d.Hosts[dome1] = h
		_, err := connect.Observe(t.Context(), system(d, &hosts.Document{}), connect.Host{}, func(int) {})
		assert.ErrorContains(t, err, x.want, x.what)
	}
	d := document(m)
	_, err = connect.Observe(
		t.Context(),
		system(d, &hosts.Document{Hosts: map[string][]place.Text{"dome": {{Value: "dome9"}}}}),
		connect.Host{},
		func(int) {},
	)
	assert.ErrorContains(t, err, "the link does not say how the host dome9 is reached")

	d.Timeout = directory.Span{Duration: 300 * time.Millisecond}
	require.NoError(t, m.Freeze())
	_, err = connect.Observe(t.Context(), system(d, &hosts.Document{}), connect.Host{}, func(int) {})
	assert.ErrorContains(t, err, "it did not answer within 300ms")
	require.NoError(t, m.Thaw())
}

// A directory behind the host may not list its users: those whom sshd, the access list and sudoers
// name, and who is in their groups, are asked for by name.
func TestUsersThatTheHostDoesNotList(t *testing.T) {
	m := start(t, dome1, `groupadd crew; groupadd night; for u in ilse tor bob dora; do useradd -s /bin/sh $u; done
usermod -aG crew ilse; usermod -aG night tor; usermod -s /bin/bash dora
printf 'AllowGroups crew night gatemap\nMatch User tor\nAllowGroups crew\nMatch User dora\nAllowGroups dora\n' >/etc/ssh/sshd_config.d/x.conf
printf '%%night ALL = /usr/bin/id\ndora ALL = (bob) /usr/bin/id\n' >/etc/sudoers.d/x
mount -t tmpfs tmpfs /usr/local/bin
cat >/usr/local/bin/getent <<'END'
#!/bin/sh
if [ $# -eq 1 ]; then /usr/bin/getent "$1" | grep -vE '^(ilse|tor|bob|dora|crew|night):'; else exec /usr/bin/getent "$@"; fi
END
chmod 755 /usr/local/bin/getent
echo 'gatemap ALL=(root) NOPASSWD: /usr/local/bin/getent shadow' >/etc/sudoers.d/y`)
	c := read(t, document(m))
	for _, account := range []string{"ilse", "tor", "dora", "root", machine.Reader} {
		assert.Equal(t, m.Login(account), state(t, c, account, dome1, "login") == rule.Open, account)
	}
	assert.Equal(t, rule.Open, state(t, c, "dora", dome1, "run /usr/bin/id as bob"))
	assert.NotEmpty(t, c.Full("tor"), "he may run something, and cannot log in")
}
