package ldap_test

import (
	"context"
	"net"
	"strings"
	"testing"
	"time"

	ber "github.com/go-asn1-ber/asn1-ber"
	"github.com/go-ldap/ldap/v3"
	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	own "gatemap/connect/ldap"
	"gatemap/core/directory"
	"gatemap/core/place"
)

// standIn is a server that answers searches as a test wants; every bind succeeds.
type standIn struct {
	answer func(conn net.Conn, id int64, search *ber.Packet, cookie string)
}

func (s standIn) start(t *testing.T) string {
	t.Helper()
	l, err := net.Listen("tcp", "127.0.0.1:0")
	require.NoError(t, err)
	t.Cleanup(func() { l.Close() })
	go func() {
		for {
			conn, err := l.Accept()
			if err != nil {
				return
			}
			go s.serve(conn)
		}
	}()
	return "ldap://" + l.Addr().String()
}

func (s standIn) serve(conn net.Conn) {
	defer conn.Close()
	for {
		p, err := ber.ReadPacket(conn)
		if err != nil || len(p.Children) < 2 {
			return
		}
		id, op := p.Children[0].Value.(int64), p.Children[1]
		switch op.Tag {
		case ldap.ApplicationBindRequest:
			send(conn, id, result(ldap.ApplicationBindResponse), nil)
		case ldap.ApplicationSearchRequest:
			cookie := ""
			if len(p.Children) > 2 {
				value := p.Children[2].Children[0].Children
				raw := ber.DecodePacket(value[len(value)-1].ByteValue)
				cookie = raw.Children[1].Data.String()
			}
			s.answer(conn, id, op, cookie)
		case ldap.ApplicationUnbindRequest:
			return
		}
	}
}

func result(tag ber.Tag) *ber.Packet {
	p := ber.Encode(ber.ClassApplication, ber.TypeConstructed, tag, nil, "")
	p.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagEnumerated, int64(0), ""))
	p.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, "", ""))
	p.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, "", ""))
	return p
}

func send(conn net.Conn, id int64, op, controls *ber.Packet) {
	p := ber.Encode(ber.ClassUniversal, ber.TypeConstructed, ber.TagSequence, nil, "")
	p.AppendChild(ber.NewInteger(ber.ClassUniversal, ber.TypePrimitive, ber.TagInteger, id, ""))
	p.AppendChild(op)
	if controls != nil {
		p.AppendChild(controls)
	}
	_, _ = conn.Write(p.Bytes()) // a client that has gone needs no answer
}

// done ends a search; with a cookie it says that there is more.
func done(conn net.Conn, id int64, cookie string) {
	paging := ldap.NewControlPaging(0)
	paging.SetCookie([]byte(cookie))
	controls := ber.Encode(ber.ClassContext, ber.TypeConstructed, 0, nil, "")
	controls.AppendChild(paging.Encode())
	send(conn, id, result(ldap.ApplicationSearchResultDone), controls)
}

func entry(conn net.Conn, id int64, dn string, attributes ...string) {
	p := ber.Encode(ber.ClassApplication, ber.TypeConstructed, ldap.ApplicationSearchResultEntry, nil, "")
	p.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, dn, ""))
	list := ber.Encode(ber.ClassUniversal, ber.TypeConstructed, ber.TagSequence, nil, "")
	for i := 0; i+1 < len(attributes); i += 2 {
		a := ber.Encode(ber.ClassUniversal, ber.TypeConstructed, ber.TagSequence, nil, "")
		a.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, attributes[i], ""))
		set := ber.Encode(ber.ClassUniversal, ber.TypeConstructed, ber.TagSet, nil, "")
		for _, v := range strings.Split(attributes[i+1], "|") {
			set.AppendChild(ber.NewString(ber.ClassUniversal, ber.TypePrimitive, ber.TagOctetString, v, ""))
		}
		a.AppendChild(set)
		list.AppendChild(a)
	}
	p.AppendChild(list)
	send(conn, id, p, nil)
}

func askStandIn(t *testing.T, s standIn) (connect.Records, error) {
	t.Helper()
	source := &directory.Source{
		Connection: directory.Connection{
			Document: &own.Document{
				Servers: []place.Text{text(s.start(t))},
				Timeout: directory.Span{Duration: 300 * time.Millisecond},
				Tries:   1,
				Bind:    text("cn=x"),
				Secret:  &connect.Secret{Env: "GATEMAP_SECRET_TEST"},
			},
		},
		Groups: &directory.GroupTable{
			Pick: directory.Pick{
				Base:   []directory.Base{{Text: text(suffix)}},
				Filter: text("(cn=*)"),
				Name:   "cn",
			}, Members: []string{"member"},
		},
	}
	ctx, cancel := context.WithTimeout(t.Context(), 5*time.Second)
	defer cancel()
	conn, err := own.New(source, connect.Host{}).Connect(ctx)
	if err != nil {
		return connect.Records{}, err
	}
	defer conn.Close()
	return conn.Fetch(ctx, tablesOf(t, source), func(int) {})
}

// Whatever a server does, reading from it ends with an error that says what.
func TestServersThatMisbehave(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	for _, c := range []struct {
		name   string
		answer func(conn net.Conn, id int64, search *ber.Packet, cookie string)
		want   string
	}{
		{"hangs", func(net.Conn, int64, *ber.Packet, string) {}, "timed out"},
		{"goes away", func(conn net.Conn, id int64, _ *ber.Packet, _ string) {
			entry(conn, id, "cn=a", "cn", "a")
			conn.Close()
		}, "search: below"},
		{"sends garbage", func(conn net.Conn, _ int64, _ *ber.Packet, _ string) {
			_, _ = conn.Write([]byte("HTTP/1.1 400 Bad Request\r\n\r\n"))
		}, "search: below"},
		{"gives a page again", func(conn net.Conn, id int64, _ *ber.Packet, _ string) {
			entry(conn, id, "cn=a,"+suffix, "cn", "a")
			done(conn, id, "more")
		}, `the server gives entry "cn=a,` + suffix + `" twice, so its pages cannot be trusted`},
		{"always says that there is more", func(conn net.Conn, id int64, _ *ber.Packet, _ string) { done(conn, id, "more") }, "gives none in 101 pages"},
		{"gives a range and not the rest", func(conn net.Conn, id int64, _ *ber.Packet, _ string) {
			entry(conn, id, "cn=a,"+suffix, "cn", "a", "member;range=0-1", "cn=x|cn=y")
			done(conn, id, "")
		}, "came in a range"},
		{"gives a range that does not fit", func(conn net.Conn, id int64, _ *ber.Packet, _ string) {
			entry(conn, id, "cn=a,"+suffix, "cn", "a", "member;range=0-7", "cn=x|cn=y")
			done(conn, id, "")
		}, `came in a range "range=0-7" that does not fit the 2 values that came`},
		{"gives a range without numbers", func(conn net.Conn, id int64, _ *ber.Packet, _ string) {
			entry(conn, id, "cn=a,"+suffix, "cn", "a", "member;range=x-y", "cn=x|cn=y")
			done(conn, id, "")
		}, "cannot be understood"},
	} {
		t.Run(c.name, func(t *testing.T) {
			_, err := askStandIn(t, standIn{c.answer})
			assert.ErrorContains(t, err, c.want)
		})
	}
}

func TestAGroupInRangesIsWhole(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	r, err := askStandIn(t, standIn{func(conn net.Conn, id int64, search *ber.Packet, _ string) {
		asked := search.Children[7].Children[0].Data.String()
		switch asked {
		case "member;range=2-*":
			entry(conn, id, "cn=a,"+suffix, "member;range=2-3", "cn=3|cn=4")
		case "member;range=4-*":
			entry(conn, id, "cn=a,"+suffix, "member;range=4-*", "cn=5")
		default:
			entry(conn, id, "cn=a,"+suffix, "cn", "a", "member;range=0-1", "cn=1|cn=2")
		}
		done(conn, id, "")
	}})
	require.NoError(t, err)
	require.Len(t, r.Groups, 1)
	assert.Len(t, r.Groups[0].Members.Any, 5)
	assert.Equal(t, "cn=5", r.Groups[0].Members.Any[4].Name)
}

// An entry that is deleted while its page has been read, and made anew before the last, is
// read as what it is then.
func TestAnEntryThatIsReplacedWhileItIsRead(t *testing.T) {
	t.Setenv("GATEMAP_SECRET_TEST", secret)
	const old, young = "5b2c29a4-802a-1041-9477-59d1f827397a", "5c85993e-802a-1041-96a3-112e086ebef1"
	answers := func(times int) func(net.Conn, int64, *ber.Packet, string) {
		return func(conn net.Conn, id int64, _ *ber.Packet, cookie string) {
			switch {
			case cookie == "":
				if times > 0 {
					entry(conn, id, "cn=a,"+suffix, "cn", "a", "entryUUID", old)
				}
				done(conn, id, "more")
			default:
				times--
				entry(conn, id, "cn=a,"+suffix, "cn", "a", "entryUUID", young)
				done(conn, id, "")
			}
		}
	}
	r, err := askStandIn(t, standIn{answers(1)})
	require.NoError(t, err)
	require.Len(t, r.Groups, 1)
	assert.Equal(t, young, r.Groups[0].ID)

	_, err = askStandIn(t, standIn{answers(100)})
	assert.ErrorIs(t, err, connect.ErrAnew)
	assert.ErrorContains(
		t,
		err,
		`entry "cn=a,`+suffix+`" was replaced by another while it was read; everything is read anew`,
	)
}
