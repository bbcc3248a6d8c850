package audit

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"os"
	"strconv"
	"strings"
	"time"

	"gatemap/connect/syslog"
	"gatemap/store"
)

// Syslog is where the audit is sent: as RFC 5424 over TLS (RFC 5425).
type Syslog struct {
	Address string // host:port; the port that RFC 5425 gives is 6514
	CA      string // file with the certificates that are trusted; "": those of the system
}

const settingSent = "syslog-sent"

// Send sends what is in the audit, and what comes, until the service is closed.
// What a receiver that does not answer has missed is sent when it answers again.
func (s *Log) Send(to Syslog) error {
	config := &tls.Config{MinVersion: tls.VersionTLS12}
	if to.CA != "" {
		raw, err := os.ReadFile(to.CA)
		if err != nil {
			return fmt.Errorf("the certificates for syslog cannot be read: %w", err)
		}
		config.RootCAs = x509.NewCertPool()
		if !config.RootCAs.AppendCertsFromPEM(raw) {
			return fmt.Errorf("%s holds no certificate (PEM)", to.CA)
		}
	}
	s.working.Go(func() {
		for pause := time.Second; ; pause = min(2*pause, time.Minute) {
			err := s.sendOn(s.closing, to.Address, config, func() { pause = time.Second })
			if s.closing.Err() != nil {
				return
			}
			s.log.Warn("syslog: what is missing is sent later", "to", to.Address, "again in", pause, "error", err)
			select {
			case <-time.After(pause):
			case <-s.closing.Done():
				return
			}
		}
	})
	return nil
}

// sendOn sends entries by one connection.
func (s *Log) sendOn(ctx context.Context, address string, config *tls.Config, sent func()) error {
	conn, err := syslog.Dial(ctx, "tls", address, config)
	if err != nil {
		return err
	}
	defer conn.Close()
	text, err := s.store.Setting(ctx, settingSent)
	if err != nil {
		return err
	}
	last, _ := strconv.ParseInt(text, 10, 64) // "" is none
	tick := time.NewTicker(500 * time.Millisecond)
	defer tick.Stop()
	for {
		list, err := s.store.Entries(ctx, store.Asked{OldestFirst: true, Last: last, Limit: 500})
		if err != nil {
			return err
		}
		for i := range list {
			if err := conn.Write(messageOf(&list[i])); err != nil {
				return err
			}
			last = list[i].Number
		}
		if len(list) > 0 {
			if err := s.store.Set(ctx, map[string]string{settingSent: strconv.FormatInt(last, 10)}); err != nil {
				return err
			}
			sent()
			continue
		}
		select {
		case <-tick.C:
		case <-ctx.Done():
			return ctx.Err()
		}
	}
}

// messageOf is the message of an entry: a note, or where it was refused a warning.
func messageOf(e *store.Entry) *syslog.Message {
	m := &syslog.Message{Facility: syslog.Audit, Severity: syslog.Informational, At: e.At, ID: e.Act, Data: "audit",
		Text: strings.TrimSpace(e.Act + " " + e.Object + " " + e.Detail),
		Params: [][2]string{
			{"number", strconv.FormatInt(e.Number, 10)}, {"actor", e.Actor}, {"act", e.Act}, {"object", e.Object},
			{"result", e.Result}, {"origin", e.Origin}, {"hash", e.Hash},
		},
	}
	if e.Result == Refused {
		m.Severity = syslog.Warning
	}
	return m
}
