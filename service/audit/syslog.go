package audit

import (
	"context"
	"crypto/tls"
	"crypto/x509"
	"fmt"
	"net"
	"os"
	"strconv"
	"strings"
	"time"

	"gatemap/core/name"
	"gatemap/store"
)

// Syslog is where the audit is sent: as RFC 5424 over TLS (RFC 5425).
type Syslog struct {
	Address string // host:port; the port that RFC 5425 gives is 6514
	CA      string // file with the certificates that are trusted; "": those of the system
}

// The priorities of entries (RFC 5424 section 6.2.1): the facility of the audit (13)
// with the severities of a note, and of a warning.
const (
	priorityDone    = 13*8 + 6
	priorityRefused = 13*8 + 4
)

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
	d := tls.Dialer{NetDialer: &net.Dialer{Timeout: 10 * time.Second}, Config: config}
	conn, err := d.DialContext(ctx, "tcp", address)
	if err != nil {
		return err
	}
	defer conn.Close()
	host, err := os.Hostname()
	if err != nil {
		host = "-"
	}
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
			line := syslogLine(&list[i], host)
			if err := conn.SetWriteDeadline(time.Now().Add(10 * time.Second)); err != nil {
				return err
			}
			// Each message has its length in front (RFC 5425 section 4.3).
			if _, err := fmt.Fprintf(conn, "%d %s", len(line), line); err != nil {
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

// quoted escapes a value of structured data (RFC 5424 section 6.3.3).
var quoted = strings.NewReplacer(`\`, `\\`, `"`, `\"`, `]`, `\]`)

// quote is a value on one line.
func quote(text string) string { return quoted.Replace(name.Line(text)) }

// syslogLine writes an entry as RFC 5424 section 6 has it. 32473 is the number that
// RFC 5612 keeps for documentation: a private one is not registered.
func syslogLine(e *store.Entry, host string) string {
	priority := priorityDone
	if e.Result == Refused {
		priority = priorityRefused
	}
	return fmt.Sprintf("<%d>1 %s %s gatemap %d %s [audit@32473 number=\"%d\" actor=\"%s\" act=\"%s\" object=\"%s\" result=\"%s\" origin=\"%s\" hash=\"%s\"] \ufeff%s",
		priority, e.At.UTC().Format("2006-01-02T15:04:05.000000Z"), host, os.Getpid(), strings.ReplaceAll(cutTo(e.Act, 32), " ", "-"),
		e.Number, quote(e.Actor), quote(e.Act), quote(e.Object), e.Result, quote(e.Origin), e.Hash,
		quote(strings.TrimSpace(e.Act+" "+e.Object+" "+e.Detail)))
}

// cutTo cuts a text to so many printable ASCII characters, which is what a message's
// kind may have.
func cutTo(text string, most int) string {
	var out []byte
	for i := 0; i < len(text) && len(out) < most; i++ {
		if c := text[i]; c > 31 && c < 127 {
			out = append(out, c)
		}
	}
	if len(out) == 0 {
		return "-"
	}
	return string(out)
}
