package ldap

import (
	"context"
	"errors"
	"time"

	"gatemap/connect"
)

// How often a server that is polled is asked, and how often for everything, unless the
// source says otherwise.
const (
	pollEvery = 10 * time.Second
	fullEvery = 6 * time.Hour
)

// streamed follows a server that tells changes as they happen.
func streamed(ctx context.Context, j *connect.Job, o connect.Observer) error {
	return o.Everything(func(progress func(int), done func(connect.Records, string) error) error {
		conn, err := New(j.Source, j.Host).Connect(ctx)
		if err != nil {
			return err
		}
		defer conn.Close()
		return conn.Stream(ctx, j.Tables, progress, func(all connect.Records) error {
			return done(all, conn.Server())
		}, func(p connect.Patch) error { return o.Change(p, conn.Server()) })
	})
}

// polled asks a server again and again for what changed.
func polled(ctx context.Context, j *connect.Job, o connect.Observer) error {
	conn, err := New(j.Source, j.Host).Connect(ctx)
	if err != nil {
		return o.Everything(func(func(int), func(connect.Records, string) error) error { return err })
	}
	defer conn.Close()
	for {
		mark, err := conn.Mark()
		if err != nil {
			return err
		}
		if err := o.Everything(func(progress func(int), done func(connect.Records, string) error) error {
			all, err := conn.Fetch(ctx, j.Tables, progress)
			if err != nil {
				return err
			}
			return done(all, conn.Server())
		}); err != nil {
			return err
		}
		if err := conn.polls(ctx, j, o, mark); err != nil && !errors.Is(err, connect.ErrAnew) {
			return err
		}
	}
}

// polls asks for changes since a mark until everything is to be read anew; the error is
// then connect.ErrAnew.
func (c *Conn) polls(ctx context.Context, j *connect.Job, o connect.Observer, mark Mark) error {
	full, verify := time.Now().Add(j.Source.Every.Or(fullEvery)), time.Now().Add(j.Source.Verify.Or(VerifyEvery))
	tick := time.NewTicker(j.Source.Poll.Or(pollEvery))
	defer tick.Stop()
	for {
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-tick.C:
		}
		if time.Now().After(full) {
			return connect.ErrAnew
		}
		began := time.Now()
		next, err := c.Mark()
		if err != nil {
			return err
		}
		p, err := c.Changes(ctx, j.Tables, mark, o.Known())
		if p.Read = began; err == nil {
			err = o.Change(p, c.Server())
		}
		if err != nil {
			return err
		}
		mark = next
		if time.Now().Before(verify) {
			continue
		}
		began = time.Now()
		verify = began.Add(j.Source.Verify.Or(VerifyEvery))
		p, err = c.Verify(ctx, j.Tables, o.Known())
		if p.Read = began; err == nil {
			err = o.Change(p, c.Server())
		}
		if err != nil {
			return err
		}
	}
}
