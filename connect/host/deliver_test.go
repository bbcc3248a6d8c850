package host_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/host"
	"gatemap/core/atlas"
	"gatemap/core/delivery"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/gate/types"
	"gatemap/core/place"
	"gatemap/core/reading"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/tools/machine"
)

// delivering is a map with one system that is delivered to.
type delivering struct {
	t      *testing.T
	now    *atlas.Atlas
	system *atlas.System
	link   *host.Document
	asked  connect.Observing
	drift  *reading.Drift
	// strangers asks for what is beside our names to go as well
	strangers bool
}

func deliveringOf(t *testing.T, people, lines string, link gate.Link, machines ...*machine.Machine) *delivering {
	t.Helper()
	d := document(machines...)
	d.Login = "gm-login"
	link.Connection = directory.Connection{Document: d}
	link.Ignore.Accounts = []gate.Pattern{{Text: place.Text{Value: "gatemap"}}, {Text: place.Text{Value: "root"}}}
	sets := ""
	for _, m := range machines {
		sets += m.Name + ", "
	}
	m, err := mapfile.Parse([]mapfile.File{
		{
			Path: "gatemap.yaml",
			Content: []byte(
				"title: Cindervale Observatory\nwindows: {night: {days: [mon, tue, wed, thu, fri, sat, sun], from: \"18:00\", to: \"06:00\"}}\n",
			),
		},
		{Path: "people.yaml", Content: []byte(people)},
		{
			Path: "domes.yaml",
			Content: []byte(
				"system: domes\ntype: hosts\ndirectory: cindervale\nhosts: {all: [" + strings.TrimSuffix(
					sets,
					", ",
				) + "]}\n" + lines,
			),
		},
	}, types.Table, nil)
	require.NoError(t, err)
	m.Systems[0].Link = &link
	a, err := atlas.Compile(m)
	require.NoError(t, err)
	s := a.Systems[0]
	return &delivering{t: t, now: a, system: s, link: d, asked: connect.Observing{System: s.Document}}
}

func (d *delivering) plan(r *reading.Reading) (*delivery.Plan, error) {
	c, err := reading.Compile(r, d.now, d.system.Document)
	require.NoError(d.t, err)
	d.drift, err = reading.Between(c, hosts.Type)
	require.NoError(d.t, err)
	w, err := delivery.Compute(c, hosts.Type)
	if err != nil {
		return nil, err
	}
	w.Strangers = d.strangers
	p, err := d.link.Plan(r, w, connect.Mark{Map: "cindervale-test", System: "domes"})
	if err == nil {
		p.Left, p.Problems = append(w.Left, p.Left...), append(w.Problems, p.Problems...)
	}
	return p, err
}

func (d *delivering) run() *delivery.Plan {
	d.t.Helper()
	p, err := connect.Planned(d.plan).Now(d.t.Context(), &d.asked)
	require.NoError(d.t, err)
	return p
}

func (d *delivering) deliver() *delivery.Plan {
	d.t.Helper()
	p := d.run()
	require.NoError(d.t, d.link.Deliver(d.t.Context(), &d.asked, p, d.plan), "%s", texts(p))
	return p
}

func texts(p *delivery.Plan) string {
	var list []string
	for _, s := range p.Statements {
		list = append(list, s.Text)
	}
	return strings.Join(list, "\n")
}

const domePeople = `directory: cindervale
users: [{userName: ilse.okonjo, title: %s}, {userName: teo, active: %t}]
groups:
  - {name: engineers, rule: 'title eq "Dome engineer"'}
  - {name: crew, members: {users: [ilse.okonjo, teo]}}
`

const domeLines = `login: [{groups: [crew], hosts: [all]}]
elevate:
  - {groups: [engineers], hosts: [all], commands: ["/opt/dome/shutter *", "/opt/dome/drive", "/opt/dome/drive *"], except_commands: ["/opt/dome/drive fast"], as: dome, when: {windows: [night]}}
`

// Somebody gets a title, and with it what the group of that title may run; when the title goes, that
// goes. The host itself is asked.
func TestJoiningByTitle(t *testing.T) {
	m := start(t, dome1, machine.Deliverable)
	of := func(title string, active bool, unexpressed gate.Unexpressed) *delivering {
		return deliveringOf(
			t,
			fmt.Sprintf(domePeople, title, active),
			domeLines,
			gate.Link{Unexpressed: unexpressed, Names: gate.Written{Groups: "gm-{name}"}},
			m,
		)
	}
	may := func(account, command string) bool {
		out, err := m.Run("sudo -l -U " + account + " -u dome " + command)
		return err == nil && strings.TrimSpace(out) != ""
	}
	of("Observer", true, gate.LetThrough).deliver()
	assert.True(t, m.Login("ilse.okonjo"), "she can log in at once")
	assert.False(t, may("ilse.okonjo", "/opt/dome/shutter open"))
	d := of("Dome engineer", true, gate.LetThrough)
	p := d.deliver()
	assert.Contains(t, texts(p), "gpasswd --add ilse.okonjo gm-engineers")
	assert.True(t, may("ilse.okonjo", "/opt/dome/shutter open"))
	assert.True(t, may("ilse.okonjo", "/opt/dome/drive"))
	assert.True(t, may("ilse.okonjo", "/opt/dome/drive 5"))
	assert.False(t, may("ilse.okonjo", "/opt/dome/drive fast"), "it is excepted")
	assert.False(t, may("ilse.okonjo", "/opt/dome/shutter"), "only with arguments")
	assert.False(t, may("teo", "/opt/dome/shutter open"))
	assert.Empty(t, texts(d.run()), "a second run has no statement")

	left := of("Dome engineer", true, gate.LeaveOut)
	p = left.deliver()
	assert.Equal(t, delivery.ByCondition, p.Left[0].Why)
	assert.False(t, may("ilse.okonjo", "/opt/dome/shutter open"), "a condition that sudoers cannot say is left out")
	of("Dome engineer", true, gate.LetThrough).deliver()
	p = of("Observer", false, gate.LetThrough).deliver()
	assert.Equal(
		t,
		[]delivery.Effect{delivery.Takes, delivery.Takes, delivery.Takes, delivery.Takes},
		effects(p),
		texts(p),
	)
	assert.False(t, may("ilse.okonjo", "/opt/dome/shutter open"))
	assert.True(t, m.Login("ilse.okonjo"))
	assert.False(t, m.Login("teo"), "whoever is switched off cannot log in")
	of("Observer", true, gate.LetThrough).deliver()
	assert.True(t, m.Login("teo"))

	_, err := m.Run("useradd -m -s /bin/bash vendor; usermod -aG gm-login,gm-crew vendor")
	require.NoError(t, err)
	d = of("Observer", true, gate.LetThrough)
	assert.Contains(t, d.run().Stays, "vendor has an account on "+dome1+", and belongs to nobody of the map")
	d.strangers = true
	assert.Contains(t, texts(d.deliver()), "usermod --expiredate 1 vendor")
	assert.False(t, m.Login("vendor"))
	d.strangers = false
	assert.Empty(t, texts(d.run()))

	_, err = m.Run("sed -i 's/Gate Map [^,]*/Gate Map other/' /etc/sudoers.d/gatemap-domes")
	require.NoError(t, err)
	other := of("Observer", true, gate.LetThrough)
	r, err := connect.Observe(t.Context(), other.system.Document, connect.Host{}, func(int) {})
	require.NoError(t, err)
	_, err = other.plan(r)
	assert.ErrorContains(t, err, "/etc/sudoers.d/gatemap-domes is delivered by another map (other)")
}

func effects(p *delivery.Plan) (list []delivery.Effect) {
	for _, s := range p.Statements {
		list = append(list, s.Effect)
	}
	return list
}

// drawnMap draws people and lines for two hosts.
func drawnMap(w *rand.Rand) (people, lines string) {
	chance := func(percent int) bool { return w.IntN(100) < percent }
	some := func(of int, named string) string {
		list := []string{fmt.Sprintf("%s%d", named, w.IntN(of))}
		for i := range of {
			if chance(30) {
				list = append(list, fmt.Sprintf("%s%d", named, i))
			}
		}
		slices.Sort(list)
		return strings.Join(slices.Compact(list), ", ")
	}
	var b strings.Builder
	b.WriteString("directory: cindervale\nusers:\n")
	for u := range 8 {
		fmt.Fprintf(&b, "  - {userName: u%d, active: %t}\n", u, !chance(15))
	}
	b.WriteString("groups:\n")
	for g := range 4 {
		fmt.Fprintf(&b, "  - {name: g%d, members: {users: [%s]}}\n", g, some(8, "u"))
	}
	who := func() string {
		if chance(15) {
			return "users: [" + some(8, "u") + "]"
		}
		text := "groups: [" + some(4, "g") + "]"
		if chance(15) {
			text += fmt.Sprintf(", except: {users: [u%d]}", w.IntN(8))
		}
		if chance(15) {
			text += ", when: {windows: [night]}"
		}
		return text
	}
	at := func() string {
		return []string{"all", "dome1.cindervale.example", "dome2.cindervale.example"}[w.IntN(3)]
	}
	patterns := []string{
		"/opt/dome/shutter",
		"/opt/dome/shutter *",
		"/opt/dome/drive *",
		"/opt/dome/drive 5",
		"/opt/dome/brake --on*",
		"/usr/bin/id",
	}
	command := func() string {
		list := []string{}
		for range 1 + w.IntN(3) {
			list = append(list, `"`+patterns[w.IntN(len(patterns))]+`"`)
		}
		return strings.Join(list, ", ")
	}
	var l strings.Builder
	l.WriteString("login:\n  - {groups: [g0, g1, g2, g3], hosts: [all]}\n")
	if chance(40) {
		fmt.Fprintf(&l, "  - {users: [u%d], hosts: [%s], effect: deny}\n", w.IntN(8), at())
	}
	l.WriteString("elevate:\n")
	for range 4 {
		except := ""
		if chance(30) {
			except = ", except_commands: [" + command() + "]"
		}
		fmt.Fprintf(
			&l,
			"  - {%s, hosts: [%s], commands: [%s]%s, as: %s, password: %t}\n",
			who(),
			at(),
			command(),
			except,
			[]string{"dome", "root", `"*"`}[w.IntN(3)],
			chance(30),
		)
	}
	return b.String(), l.String()
}

// The laws of docs/connected.md, "Delivery", on drawn maps, one after the other on the same hosts.
func TestADeliveryToHostsKeepsTheLaws(t *testing.T) {
	one, two := start(t, dome1, machine.Deliverable), start(t, "dome2.cindervale.example", machine.Deliverable)
	_, err := two.Run("echo '" + one.Public + "' >/etc/ssh/keys/all")
	require.NoError(t, err)
	t.Setenv("GATEMAP_SECRET_HOST", one.Secret)
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	w := rand.New(rand.NewPCG(seed, 1))
	rounds := 8
	if testing.Short() {
		rounds = 3
	}
	for round := range rounds {
		people, lines := drawnMap(w)
		link := gate.Link{Names: gate.Written{Groups: "gm-{name}"}}
		if w.IntN(2) == 0 {
			link.Unexpressed = gate.LetThrough
		}
		d := deliveringOf(t, people, lines, link, one, two)
		p := d.deliver()
		d.lawsHold(p, link.Unexpressed == gate.LetThrough)
		if t.Failed() {
			t.Fatalf("round %d\n%s\n%s\n%s", round, people, lines, texts(p))
		}
	}
}

func (d *delivering) lawsHold(p *delivery.Plan, lets bool) {
	t := d.t
	gave := false
	for _, e := range effects(p) {
		gave = gave || e == delivery.Gives
		assert.False(t, gave && e == delivery.Takes, "it takes away first")
	}
	again := d.run()
	assert.Empty(t, texts(again), "a second run has none")
	facts := d.now.Frame.Facts(situation.Situation{}, nil)
	for _, x := range d.drift.Items {
		if x.Effect() == reading.Short {
			assert.NotEmpty(t, p.Left, "%+v is short, and nothing is told to be left out", x)
			continue
		}
		u, err := d.now.Book.FindUser(x.User, "")
		if !assert.NoError(t, err, "%+v", x) {
			continue
		}
		at, err := d.system.Gate.At(x.Object, x.Right)
		require.NoError(t, err)
		got := d.now.Decide(d.now.Question(u, facts), d.system, at).State
		assert.True(t, lets && got == rule.Depends, "never wider: %+v is %v by the map", x, got)
	}
}

// holds is what every account can do there now.
func (d *delivering) holds() map[string]bool {
	d.t.Helper()
	r, err := connect.Observe(d.t.Context(), d.system.Document, connect.Host{}, func(int) {})
	require.NoError(d.t, err)
	c, err := reading.Compile(r, d.now, d.system.Document)
	require.NoError(d.t, err)
	all, there := map[string]bool{}, c.ByReading()
	for _, a := range c.Accounts {
		there.Account(c, a.Name)
		for _, e := range there.Holds() {
			all[a.Name+" "+e.Right+" on "+e.Object] = true
		}
	}
	return all
}

// A delivery that is cut off at any moment leaves nobody with more than before or after it, and is
// finished where it has begun.
func TestADeliveryToAHostIsCutOff(t *testing.T) {
	m := start(t, dome1, machine.Deliverable)
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	w := rand.New(rand.NewPCG(seed, 1))
	rounds := 10
	if testing.Short() {
		rounds = 4
	}
	finished, nothing := 0, 0
	for range rounds {
		people, lines := drawnMap(w)
		for _, named := range []string{"dome2.cindervale.example", "dome1.cindervale.example"} {
			lines = strings.ReplaceAll(lines, "hosts: ["+named+"]", "hosts: [all]")
		}
		d := deliveringOf(
			t,
			people,
			lines,
			gate.Link{Names: gate.Written{Groups: "gm-{name}"}, Unexpressed: gate.LetThrough},
			m,
		)
		before := d.holds()
		p := d.run()
		ctx, cancel := context.WithTimeout(t.Context(), 700*time.Millisecond+time.Duration(w.IntN(900))*time.Millisecond)
		err := d.link.Deliver(ctx, &d.asked, p, d.plan)
		cancel()
		middle := d.holds()
		made, failed := d.link.Finish(t.Context(), &d.asked, p, d.plan)
		require.NoError(t, failed)
		if made {
			finished++
			assert.Empty(t, texts(d.run()))
		} else {
			nothing++
			assert.Error(t, err)
			assert.Equal(t, before, middle)
			d.deliver()
		}
		after := d.holds()
		for x := range middle {
			assert.True(t, before[x] || after[x], "%s: %v\n%s", x, err, texts(p))
		}
	}
	t.Logf("%d finished, of %d nothing was made", finished, nothing)
}

// A host that stands still in the middle keeps a delivery waiting no longer than the link says.
func TestAHostThatStandsStillInTheMiddle(t *testing.T) {
	m := start(t, dome1, machine.Deliverable)
	d := deliveringOf(
		t,
		fmt.Sprintf(domePeople, "Observer", true),
		domeLines,
		gate.Link{Names: gate.Written{Groups: "gm-{name}"}},
		m,
	)
	p := d.run()
	d.link.Timeout = directory.Span{Duration: 3 * time.Second}
	stops := func(r *reading.Reading) (*delivery.Plan, error) {
		require.NoError(t, m.Freeze())
		return d.plan(r)
	}
	err := d.link.Deliver(t.Context(), &d.asked, p, stops)
	require.NoError(t, m.Thaw())
	assert.ErrorContains(t, err, "nothing was changed: ")
	assert.ErrorContains(t, err, "it did not answer within 3s")
	d.link.Timeout = directory.Span{}
	d.deliver()
}
