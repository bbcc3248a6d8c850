// Package host reads who may log in to hosts and what they may run there as someone else, over SSH:
// sshd and its access lists, the accounts and Unix groups, and all of sudoers (docs/connected.md).
// It runs programs of the host that read, and writes nothing.
package host

import (
	"cmp"
	"context"
	"errors"
	"fmt"
	"maps"
	"net"
	"net/url"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
	"gatemap/core/place"
	"gatemap/core/reading"
)

// Connector is this kind of connection.
var Connector = connect.Connector{
	Name: "host", Doc: "Hosts that are reached by SSH.",
	Link: func() connect.Link { return &Document{} }, Address: address,
}

// address makes a link from host://ACCOUNT@HOST:PORT, where secret=env:NAME or secret=file:PATH
// says where the private key is, key=KEY is the host's public key, and name=NAME is the host's name
// in the map.
func address(at *url.URL) (connect.Link, error) {
	d := &Document{User: at.User.Username()}
	if _, secret := at.User.Password(); secret {
		return nil, errors.New(
			"a password is never in the map, and Gate Map signs in with a key: say where it is with " +
				"?secret=env:GATEMAP_SECRET_NAME or ?secret=file:PATH",
		)
	}
	if d.User == "" || at.Hostname() == "" || strings.Trim(at.Path, "/") != "" {
		return nil, errors.New("it is written host://ACCOUNT@HOST:PORT")
	}
	m := Machine{Address: place.Text{Value: net.JoinHostPort(at.Hostname(), cmp.Or(at.Port(), "22"))}}
	named := at.Hostname()
	if err := connect.Parts(at, &d.Secret, map[string]*string{"key": &m.Key.Value, "name": &named}); err != nil {
		return nil, err
	}
	d.Hosts = map[string]Machine{named: m}
	return d, nil
}

// Document says how hosts are reached.
type Document struct {
	Place   place.Place        `yaml:"-"`
	Hosts   map[string]Machine `yaml:"hosts,required" doc:"Every host of the system, by its name there."`
	User    string             `yaml:"user,required" doc:"The account to sign in as. It needs sudo for a few programs that read, unless it is root."`
	Secret  *connect.Secret    `yaml:"secret,required" doc:"Where its private key is (PEM, without a passphrase); it is never in the map."`
	Login   string             `yaml:"login_group" doc:"The Unix group of those who may log in, as AllowGroups of sshd names it. Missing: nothing is delivered to the hosts."`
	Timeout directory.Span     `yaml:"timeout" doc:"How long the reading of one host may take. Missing: 2m."`
}

// Machine is one host.
type Machine struct {
	Place   place.Place `yaml:"-"`
	Address place.Text  `yaml:"address,required" doc:"Host and port of its SSH server, such as dome1.cindervale.example:22."`
	Key     place.Text  `yaml:"key,required" doc:"Its public host key, as in /etc/ssh/ssh_host_ed25519_key.pub: the type and the key."`
}

// Connector is the entry of the table of connectors.
func (d *Document) Connector() connect.Connector { return Connector }

// Types is the gate type of hosts.
func (d *Document) Types() []string { return []string{hosts.Type.Name} }

// Deliverer is the link itself, where it says by which group people log in.
func (d *Document) Deliverer() connect.Deliverer {
	if d.Login == "" {
		return nil
	}
	return d
}

// Targets are the hosts, how they are known, and what is told them.
func (d *Document) Targets() []string {
	targets := []string{"user " + d.User}
	for named, m := range d.Hosts {
		targets = append(targets, "ssh "+m.Address.Value, "host key of "+named+" "+m.Key.Value)
	}
	slices.Sort(targets)
	return append(targets, connect.Told(nil, d.Secret)...)
}

// Observe reads the hosts one after the other. What cannot be read of one of them is an error: a
// reading that lacks it would say that nobody holds anything there.
func (d *Document) Observe(ctx context.Context, o *connect.Observing, progress func(int)) (*reading.Reading, error) {
	like, _ := o.System.Gate.(*hosts.Document)
	if err := d.complete(like); err != nil {
		return nil, err
	}
	m := &merging{like: like, reading: &reading.Reading{At: time.Now()}, rows: progress}
	m.ours = func(group string) bool { return d.Login != "" && o.System.Link.Names.OwnGroup(group) }
	defer func() { m.reading.Native = m.hosts }()
	for _, named := range slices.Sorted(maps.Keys(d.Hosts)) {
		found, err := d.observe(ctx, o, named, like)
		if err != nil {
			return nil, err
		}
		m.add(found)
	}
	return m.whole(), nil
}

// complete sees that the link names each host of the document.
func (d *Document) complete(like *hosts.Document) error {
	var errs place.Errors
	if like == nil {
		return nil
	}
	for _, set := range like.Hosts {
		for _, h := range set {
			if _, linked := d.Hosts[h.Value]; !linked {
				errs.Addf(
					h.Place,
					"the link does not say how the host %s is reached: name it under link.host.hosts, or let another system have it",
					h.Value,
				)
			}
		}
	}
	return errs.Err()
}

func (d *Document) observe(
	ctx context.Context,
	o *connect.Observing,
	named string,
	like *hosts.Document,
) (*machine, error) {
	ctx, cancel := context.WithTimeout(ctx, d.Timeout.Or(connect.ReadingTimeout))
	defer cancel()
	s, err := d.dial(ctx, o.Host, d.Hosts[named])
	if err != nil {
		return nil, d.failed(ctx, named, err)
	}
	defer s.Close()
	found := &machine{shell: s, name: named, spelled: spelled(like), ignored: &o.System.Link.Ignore}
	if d.Login != "" {
		found.loginGroup, found.byLogin = d.Login, byLogin(like, &o.System.Link.Names)
	}
	err = found.read(ctx)
	if err == nil && d.Login != "" {
		err = found.readFragment(ctx, o.System.Name)
	}
	if err != nil {
		return nil, d.failed(ctx, named, err)
	}
	return found, nil
}

// spelled are the paths of the programs that a document names.
func spelled(d *hosts.Document) (paths []string) {
	if d == nil {
		return nil
	}
	add := func(list []gate.Pattern) {
		for _, p := range list {
			path, _, _ := strings.Cut(p.Value, " ")
			paths = append(paths, path)
		}
	}
	for i := range d.Elevate {
		add(d.Elevate[i].Commands)
		add(d.Elevate[i].Except)
	}
	return paths
}

// failed says what went wrong, on which host.
func (d *Document) failed(ctx context.Context, named string, err error) error {
	var at *place.Error
	if errors.As(err, &at) {
		return err
	}
	if errors.Is(ctx.Err(), context.DeadlineExceeded) {
		err = connect.Late(d.Timeout.Or(connect.ReadingTimeout))
	}
	return fmt.Errorf("%s (%s): %w", named, d.Hosts[named].Address.Value, err)
}
