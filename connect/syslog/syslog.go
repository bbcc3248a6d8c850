// Package syslog writes messages as RFC 5424 has them, and sends them over TLS (RFC 5425), TCP (RFC
// 6587) or UDP (RFC 5426). It also sends notices.
package syslog

import (
	"context"
	"crypto/tls"
	"fmt"
	"io"
	"net"
	"os"
	"strings"
	"time"

	"gatemap/core/name"
)

// The facilities and severities that are used (RFC 5424 section 6.2.1).
const (
	Daemon = 3
	Audit  = 13

	Warning       = 4
	Informational = 6
)

// Message is a message of the system log.
type Message struct {
	Facility, Severity int
	At                 time.Time
	ID                 string // its kind; of it, 32 printable letters without spaces are written
	Data               string // the name of its structured data
	Params             [][2]string
	Text               string
}

// quoted escapes a value of structured data (RFC 5424 section 6.3.3).
var quoted = strings.NewReplacer(`\`, `\\`, `"`, `\"`, `]`, `\]`)

// Line writes a message from a host. 32473 is the number that RFC 5612 keeps for documentation: a
// private one is not registered.
func (m *Message) Line(host string) string {
	var data strings.Builder
	for _, p := range m.Params {
		fmt.Fprintf(&data, ` %s="%s"`, p[0], quoted.Replace(name.Line(p[1])))
	}
	return fmt.Sprintf(
		"<%d>1 %s %s gatemap %d %s [%s@32473%s] \ufeff%s",
		m.Facility*8+m.Severity,
		m.At.UTC().Format("2006-01-02T15:04:05.000000Z"),
		host,
		os.Getpid(),
		strings.ReplaceAll(kind(m.ID), " ", "-"),
		m.Data,
		data.String(),
		name.Line(m.Text),
	)
}

// kind cuts a text to the 32 printable ASCII characters that a message's kind may have.
func kind(text string) string {
	var out []byte
	for i := 0; i < len(text) && len(out) < 32; i++ {
		if c := text[i]; c > 31 && c < 127 {
			out = append(out, c)
		}
	}
	if len(out) == 0 {
		return "-"
	}
	return string(out)
}

// Conn is a connection to a receiver.
type Conn struct {
	conn   net.Conn
	framed bool // each message has its length in front
	host   string
}

// wait is how long a receiver is waited for.
const wait = 10 * time.Second

// Dial connects to a receiver over tls, tcp or udp; config is for tls alone.
func Dial(ctx context.Context, network, address string, config *tls.Config) (*Conn, error) {
	d := &net.Dialer{Timeout: wait}
	var conn net.Conn
	var err error
	if network == "tls" {
		conn, err = (&tls.Dialer{NetDialer: d, Config: config}).DialContext(ctx, "tcp", address)
	} else {
		conn, err = d.DialContext(ctx, network, address)
	}
	if err != nil {
		return nil, err
	}
	host, err := os.Hostname()
	if err != nil {
		host = "-"
	}
	return &Conn{conn, network != "udp", host}, nil
}

// Write sends a message. Over a stream its length stands in front (RFC 5425 section 4.3, RFC 6587
// section 3.4.1).
func (c *Conn) Write(m *Message) error {
	line := m.Line(c.host)
	if err := c.conn.SetWriteDeadline(time.Now().Add(wait)); err != nil {
		return err
	}
	if c.framed {
		line = fmt.Sprintf("%d %s", len(line), line)
	}
	_, err := io.WriteString(c.conn, line)
	return err
}

// Close ends the connection.
func (c *Conn) Close() error { return c.conn.Close() }
