package syslog_test

import (
	"bufio"
	"context"
	"crypto/tls"
	"io"
	"net"
	"os"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/connect/syslog"
	"gatemap/core/notice"
	"gatemap/core/place"
	"gatemap/tools/slapd"
)

var noon = time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)

func TestALine(t *testing.T) {
	m := &syslog.Message{
		Facility: syslog.Audit, Severity: syslog.Warning, At: noon, ID: "run a\tdelivery that has a very long name", Data: "audit",
		Params: [][2]string{{"actor", `a "b" \ ]` + "\n"}}, Text: "one\nline",
	}
	line := m.Line("here")
	assert.True(t, strings.HasPrefix(line, "<108>1 2026-07-01T12:00:00.000000Z here gatemap "), line)
	assert.NotContains(t, line, "\n")
	_, rest, _ := strings.Cut(line, " run-adelivery-that-has-a-very-lo [")
	assert.True(t, strings.HasPrefix(rest, `audit@32473 actor="a \"b\" \\ \]`), line)
	assert.Contains(t, (&syslog.Message{}).Line("here"), " - [")
}

func sent() *connect.Message {
	return &connect.Message{Notices: []notice.Notice{
		{
			ID:    "id-1",
			Topic: notice.Stranger,
			Turn:  notice.Began,
			Of:    "ledger",
			Text:  "mallory belongs to nobody",
			Fix:   "Remove it.",
			At:    noon,
		},
		{
			ID:    "id-2",
			Topic: notice.Stranger,
			Turn:  notice.Over,
			Of:    "ledger",
			Text:  "mallory belongs to nobody",
			At:    noon,
		},
	}}
}

// frames reads messages that have their length in front.
func frames(t *testing.T, conn net.Conn) (all []string) {
	t.Helper()
	in := bufio.NewReader(conn)
	for {
		length, err := in.ReadString(' ')
		if err == io.EOF && length == "" {
			return all
		}
		require.NoError(t, err)
		n, err := strconv.Atoi(strings.TrimSpace(length))
		require.NoError(t, err)
		text := make([]byte, n)
		_, err = io.ReadFull(in, text)
		require.NoError(t, err)
		all = append(all, string(text))
	}
}

func isSent(t *testing.T, all []string) {
	t.Helper()
	require.Len(t, all, 2)
	assert.True(t, strings.HasPrefix(all[0], "<28>1 "), all[0])
	assert.Contains(
		t,
		all[0],
		` notice [notice@32473 id="id-1" turn="began" topic="stranger" of="ledger" fix="Remove it."] `+"\ufeffmallory belongs to nobody",
	)
	assert.True(t, strings.HasPrefix(all[1], "<30>1 "), all[1])
	assert.Contains(t, all[1], "\ufeffOver: mallory belongs to nobody")
}

func TestNoticesOverStreams(t *testing.T) {
	dir := t.TempDir()
	require.NoError(t, slapd.Certify(dir, time.Now().Add(time.Hour), "127.0.0.1"))
	pair, err := tls.LoadX509KeyPair(dir+"/server.pem", dir+"/server.key")
	require.NoError(t, err)
	for _, network := range []string{"tcp", "tls"} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		require.NoError(t, err)
		if network == "tls" {
			l = tls.NewListener(l, &tls.Config{Certificates: []tls.Certificate{pair}})
		}
		all := make(chan []string, 1)
		go func() {
			if conn, err := l.Accept(); err == nil {
				all <- frames(t, conn)
			}
		}()
		m := sent()
		m.Host = connect.Host{Files: os.DirFS(dir)}
		d := &syslog.Document{
			Address: syslog.Address(network + "://" + l.Addr().String()),
			TLS:     &connect.TLS{CA: place.Text{Value: "ca.pem"}},
		}
		require.NoError(t, sends(t.Context(), d, m))
		isSent(t, <-all)
		require.NoError(t, l.Close())
	}
}

func TestNoticesOverUDP(t *testing.T) {
	in, err := net.ListenPacket("udp", "127.0.0.1:0")
	require.NoError(t, err)
	defer in.Close()
	d := &syslog.Document{Address: syslog.Address("udp://" + in.LocalAddr().String())}
	require.NoError(t, sends(t.Context(), d, sent()))
	var all []string
	for range 2 {
		text := make([]byte, 2048)
		n, _, err := in.ReadFrom(text)
		require.NoError(t, err)
		all = append(all, string(text[:n]))
	}
	isSent(t, all)
}

func TestAReceiverThatIsNone(t *testing.T) {
	for _, text := range []string{
		"logs.cindervale.example:514", "tls://logs.cindervale.example", "https://logs.cindervale.example:1", "tcp://127.0.0.1:1/x",
	} {
		assert.ErrorContains(t, new(syslog.Address).UnmarshalText([]byte(text)), "is no receiver", text)
	}
	d := &syslog.Document{Address: "tcp://127.0.0.1:1"}
	assert.ErrorContains(t, sends(t.Context(), d, sent()), "connection refused")
}

func sends(ctx context.Context, d *syslog.Document, m *connect.Message) error {
	_, err := d.Send(ctx, m)
	return err
}
