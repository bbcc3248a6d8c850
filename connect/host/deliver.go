package host

import (
	"context"
	"fmt"
	"maps"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/delivery"
)

// ByAccount is false: there are Unix groups.
func (d *Document) ByAccount() bool { return false }

// Deliver makes the statements one after the other, on all hosts what takes away first: a stop in the
// middle leaves nobody with more than before or after.
func (d *Document) Deliver(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) error {
	steps, end := d.steps(o)
	defer end()
	return steps.Deliver(ctx, agreed, plan)
}

// Finish makes what is left of a delivery that was cut off.
func (d *Document) Finish(
	ctx context.Context,
	o *connect.Observing,
	agreed *delivery.Plan,
	plan connect.Planned,
) (bool, error) {
	steps, end := d.steps(o)
	defer end()
	return steps.Finish(ctx, agreed, plan)
}

// steps signs in to each host when the first statement is for it, and to all off at the end.
func (d *Document) steps(o *connect.Observing) (s *connect.Steps, end func()) {
	shells := map[string]*shell{}
	return &connect.Steps{
			Observing: o, Timeout: d.Timeout.Or(connect.ReadingTimeout),
			Make: func(ctx context.Context, x *delivery.Statement) error {
				if shells[x.On] == nil {
					s, err := d.root(ctx, o, x.On)
					if err != nil {
						return err
					}
					shells[x.On] = s
				}
				_, err := shells[x.On].privileged(ctx, "sh -e -c "+quoted(x.Text))
				return err
			},
			Text: func(x *delivery.Statement) string { return fmt.Sprintf("%q on %s", firstLine(x.Text), x.On) },
		}, func() {
			for _, s := range shells {
				_ = s.Close()
			}
		}
}

// root signs in to a host as an account that may act as root.
func (d *Document) root(ctx context.Context, o *connect.Observing, named string) (*shell, error) {
	s, err := d.dial(ctx, o.Host, d.Hosts[named])
	if err != nil {
		return nil, d.failed(ctx, named, err)
	}
	if err := s.identify(ctx); err != nil {
		_ = s.Close()
		return nil, d.failed(ctx, named, err)
	}
	return s, nil
}

func firstLine(text string) string {
	for line := range strings.Lines(text) {
		if l := strings.TrimSpace(line); l != "" && !strings.HasPrefix(l, "umask") {
			return l
		}
	}
	return text
}

// Script is for a shell of root on each host: it makes the statements for the host that it runs on,
// and ends at the first that fails.
func (d *Document) Script(p *delivery.Plan) string {
	var b strings.Builder
	b.WriteString(
		"#!/bin/sh\n" +
			"# Made by Gate Map, for root. Run it on each host: it does what is for that one, and ends at the first error.\n" +
			"set -eu\nme=$(hostname -f 2>/dev/null || hostname)\n",
	)
	fmt.Fprintf(&b, "case $me in\n")
	for _, named := range slices.Sorted(maps.Keys(d.Hosts)) {
		fmt.Fprintf(&b, "%s) ;;\n", quoted(named))
	}
	b.WriteString("*) echo \"this is not for the host $me\" >&2; exit 1 ;;\nesac\n")
	for _, s := range p.Statements {
		fmt.Fprintf(&b, "# %s\nif test \"$me\" = %s; then\n%s\nfi\n", s.For, quoted(s.On), s.Text)
	}
	return b.String()
}
