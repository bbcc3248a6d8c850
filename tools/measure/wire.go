package main

import (
	"bufio"
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"maps"
	"net"
	"os"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/connect/connectors"
	"gatemap/connect/ldif"
	"gatemap/core/place"
	"gatemap/service/events"
	"gatemap/workspace"
)

// wire is a connector made up here: everything is in a file of directory entries, and what
// changes then comes by a connection: entries as they are now, each after a line "now" or
// "gone" and before an empty one.
type wire struct {
	Place   place.Place `yaml:"-"`
	File    place.Text  `yaml:"file,required" doc:"What is there at first."`
	Address place.Text  `yaml:"address,required" doc:"Where changes come from."`
}

var wired = connect.Connector{
	Name: "wire", Doc: "Entries that change.", New: func() connect.Document { return &wire{} },
	From: connect.Server, Follows: []string{"stream"},
}

func (w *wire) Connector() connect.Connector { return wired }
func (w *wire) Targets() []string            { return nil }

func (w *wire) Read(ctx context.Context, j *connect.Job, progress func(int)) (connect.Records, string, error) {
	return (&ldif.Document{Text: w.File}).Read(ctx, j, progress)
}

func (w *wire) Check(ctx context.Context, j *connect.Job, tell func(connect.Step)) *connect.Checked {
	return connect.CheckFile(ctx, w, j, tell)
}

func (w *wire) Follow(ctx context.Context, j *connect.Job, o connect.Observer) error {
	return o.Everything(func(progress func(int), done func(connect.Records, string) error) error {
		all, server, err := w.Read(ctx, j, progress)
		if err != nil {
			return err
		}
		if err := done(all, server); err != nil {
			return err
		}
		conn, err := net.Dial("tcp", w.Address.Value)
		if err != nil {
			return err
		}
		defer conn.Close()
		for in := bufio.NewReader(conn); ; {
			p, err := received(in, j)
			if err == nil {
				err = o.Change(p, server)
			}
			if err != nil {
				return err
			}
		}
	})
}

// received reads one change.
func received(in *bufio.Reader, j *connect.Job) (p connect.Patch, err error) {
	var lines []string
	for {
		line, err := in.ReadString('\n')
		if err != nil {
			return p, err
		}
		if line == "\n" {
			break
		}
		lines = append(lines, line)
	}
	var errs place.Errors
	ldif.Read(
		strings.NewReader(strings.Join(lines[1:], "")),
		"wire",
		&errs,
		func(e *connect.Entry) { j.Tables.Take(e, &p.Put) },
	)
	if lines[0] == "gone\n" {
		for _, u := range p.Put.Users {
			p.Gone = append(p.Gone, connect.Gone{Named: connect.Named{Kind: connect.User, Name: u.Name}})
		}
		p.Put = connect.Records{}
	}
	return p, errs.Err()
}

// wire measures from a change on the wire to the answer that follows from it.
func (b *bench) wire() error {
	var all []delay
	if err := apart(&all, "--wire", b.path); err != nil {
		return err
	}
	for _, d := range all {
		b.rows = append(
			b.rows,
			row{
				work:     "from the wire to the changed answer: " + d.Change,
				own:      d.Took,
				baseline: "100 ms",
				other:    100 * time.Millisecond,
				least:    1,
			},
		)
	}
	return nil
}

// delay is how long a change takes.
type delay struct {
	Change string
	Took   time.Duration
}

// follow is the process of its own that measures them.
func follow(path string) error {
	ctx := context.Background()
	connectors.Table = append(connectors.Table, wired)
	listener, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return err
	}
	defer listener.Close()
	dir, folder, err := copied(path)
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	people, entries := filepath.Join(folder, "directories", "cindervale.yaml"), filepath.Join(folder, "cindervale.ldif")
	document, err := os.ReadFile(people)
	if err != nil {
		return err
	}
	from := fmt.Sprintf("  follow: stream\n  wire: {file: cindervale.ldif, address: %s}\n", listener.Addr())
	document = bytes.Replace(document, []byte("  ldif: cindervale.ldif\n"), []byte(from), 1)
	if err := os.WriteFile(people, document, 0o600); err != nil {
		return err
	}
	s, err := open(ctx, dir)
	if err != nil {
		return err
	}
	defer s.Close()
	events := s.Events.Listen(ctx)
	s.Follower.Follow()
	conn, err := listener.Accept()
	if err != nil {
		return err
	}
	defer conn.Close()
	user, group, err := samples(entries)
	if err != nil {
		return err
	}
	m := &meter{s, events, conn, map[string][]time.Duration{}, nil}
	retitled := strings.Replace(user, "\ntitle: ", "\ntitle: Former ", 1)
	joiner := strings.ReplaceAll(user, named(user, "uid"), "aaron.newcomer")
	wider := group + "member: " + named(user, "dn") + "\n"
	for range 7 {
		m.see("an attribute", "now", retitled, named(user, "uid"))
		m.see("an attribute", "now", user, named(user, "uid"))
		m.see("a membership", "now", wider, named(user, "uid"))
		m.see("a membership", "now", group, named(user, "uid"))
		m.see("a joiner", "now", joiner, named(joiner, "uid"))
		m.see("a leaver", "gone", joiner, "")
		m.see("a leaver in groups", "gone", user, "")
		m.see("a joiner whom groups list", "now", user, named(user, "uid"))
	}
	if m.err != nil {
		return m.err
	}
	return json.NewEncoder(os.Stdout).Encode(m.medians())
}

// meter takes the times from changes on the wire to answers.
type meter struct {
	service *workspace.Service
	events  <-chan events.Event
	conn    net.Conn
	all     map[string][]time.Duration
	err     error
}

// see sends an entry, and asks about a user, if there is one, as soon as it counts.
func (m *meter) see(change, how, entry, user string) {
	if m.err != nil {
		return
	}
	for len(m.events) > 0 {
		<-m.events
	}
	runtime.GC()
	start := time.Now()
	_, m.err = fmt.Fprintf(m.conn, "%s\n%s\n", how, entry)
	for e := range m.events {
		if e.Revision > 0 {
			break
		}
	}
	if user != "" && m.err == nil {
		_, m.err = m.service.Head().Reach(context.Background(), "cindervale/"+user, "", nothing)
	}
	m.all[change] = append(m.all[change], time.Since(start))
}

func (m *meter) medians() (list []delay) {
	for _, change := range slices.Sorted(maps.Keys(m.all)) {
		slices.Sort(m.all[change])
		list = append(list, delay{change, m.all[change][len(m.all[change])/2]})
	}
	return list
}

// samples are the entries of a user whose account is on and who is in some groups, and of a
// group of a few others.
func samples(path string) (user, group string, err error) {
	content, err := os.ReadFile(path)
	if err != nil {
		return "", "", err
	}
	entries := strings.SplitAfter(string(content), "\n\n")
	for _, e := range entries {
		listed := strings.Count(e, "\nmember: uid=")
		switch e = strings.TrimSuffix(e, "\n\n") + "\n"; {
		case user == "" && strings.Contains(e, "\ntitle: ") && !strings.Contains(e, "\naccountStatus: ") &&
			strings.Count(string(content), "\nmember: "+named(e, "dn")+"\n") > 2:
			user = e
		case group == "" && listed > 10 && listed < 30 && user != "" && !strings.Contains(e, named(user, "dn")):
			group = e
		}
	}
	if user == "" || group == "" {
		return "", "", errors.New("the map has no user and group to measure with")
	}
	return user, group, nil
}

// named is the value of an attribute of an entry.
func named(entry, attribute string) string {
	for line := range strings.SplitSeq(entry, "\n") {
		if value, is := strings.CutPrefix(line, attribute+": "); is {
			return value
		}
	}
	return ""
}
