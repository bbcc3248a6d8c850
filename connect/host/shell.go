package host

import (
	"bytes"
	"context"
	"errors"
	"fmt"
	"net"
	"strings"

	"golang.org/x/crypto/ssh"

	"gatemap/connect"
	"gatemap/core/place"
)

// mostOutput is how much one program of a host may answer, in bytes.
const mostOutput = 64 << 20

// shell runs programs on a host.
type shell struct {
	*ssh.Client
	user string
	root bool // the account is root
}

// dial connects to a host, whose key must be the one that the link says.
func (d *Document) dial(ctx context.Context, host connect.Host, m Machine) (*shell, error) {
	if _, _, err := net.SplitHostPort(m.Address.Value); err != nil {
		return nil, place.Errorf(
			m.Address.Place,
			"%q is no address of a server: it is written host:port, such as dome1.cindervale.example:22",
			m.Address.Value,
		)
	}
	pem, err := host.Secret(d.Secret)
	if err != nil {
		return nil, place.Errorf(d.Place, "%v", err)
	}
	signer, err := ssh.ParsePrivateKey([]byte(pem + "\n"))
	if err != nil {
		return nil, place.Errorf(
			d.Place,
			"the secret is no private key without a passphrase (PEM): make one with ssh-keygen -t ed25519 -N ''",
		)
	}
	config := &ssh.ClientConfig{User: d.User, Auth: []ssh.AuthMethod{ssh.PublicKeys(signer)}, HostKeyCallback: unknown(m)}
	if m.Key.Value != "" {
		key, _, _, _, err := ssh.ParseAuthorizedKey([]byte(m.Key.Value))
		if err != nil {
			return nil, place.Errorf(
				m.Key.Place,
				"%q is no public key: it is written as in /etc/ssh/ssh_host_ed25519_key.pub, such as \"ssh-ed25519 AAAA…\"",
				m.Key.Value,
			)
		}
		config.HostKeyAlgorithms = algorithms(key.Type())
		config.HostKeyCallback = func(_ string, _ net.Addr, shown ssh.PublicKey) error {
			if !bytes.Equal(shown.Marshal(), key.Marshal()) {
				return place.Errorf(
					m.Key.Place,
					"the host shows another key than the link has: %s. Either it was set up anew, or something else answers there",
					text(shown),
				)
			}
			return nil
		}
	}
	conn, err := (&net.Dialer{}).DialContext(ctx, "tcp", m.Address.Value)
	if err != nil {
		return nil, err
	}
	stop := context.AfterFunc(ctx, func() { _ = conn.Close() })
	defer stop()
	c, chans, requests, err := ssh.NewClientConn(conn, m.Address.Value, config)
	if err != nil {
		_ = conn.Close()
		return nil, d.refused(err)
	}
	return &shell{Client: ssh.NewClient(c, chans, requests), user: d.User}, nil
}

// unknown refuses a host of which the link has no key, and tells the key that it shows.
func unknown(m Machine) ssh.HostKeyCallback {
	return func(_ string, _ net.Addr, shown ssh.PublicKey) error {
		return place.Errorf(
			m.Place,
			"the link has no key of the host, which shows %q: compare it with /etc/ssh/ssh_host_*_key.pub there, "+
				"and write it as key",
			text(shown),
		)
	}
}

func text(key ssh.PublicKey) string {
	return strings.TrimSpace(string(ssh.MarshalAuthorizedKey(key)))
}

// algorithms are those with which a host proves that it has a key of a type (RFC 8332).
func algorithms(kind string) []string {
	if kind == ssh.KeyAlgoRSA {
		return []string{ssh.KeyAlgoRSASHA512, ssh.KeyAlgoRSASHA256}
	}
	return []string{kind}
}

func (d *Document) refused(err error) error {
	var at *place.Error
	switch {
	case errors.As(err, &at):
		return at
	case strings.Contains(err.Error(), "unable to authenticate"):
		return fmt.Errorf(
			"it does not let the account %s in with this key: add its public key to the account's authorized keys",
			d.User,
		)
	case strings.Contains(err.Error(), "no common algorithm for host key"):
		return errors.New("it has no key of the type that the link has: it was set up anew, or something else answers there")
	}
	return err
}

// answer is what a program answered.
type answer struct {
	out, err string
	status   int // its exit status
}

// run runs a command line in sh, whatever the account's shell is. The error says that it could not
// be run.
func (s *shell) run(ctx context.Context, line, in string) (a answer, err error) {
	session, err := s.NewSession()
	if err != nil {
		return a, err
	}
	defer session.Close()
	stop := context.AfterFunc(ctx, func() { _ = s.Close() })
	defer stop()
	out, errs := &limited{}, &limited{}
	session.Stdin, session.Stdout, session.Stderr = strings.NewReader(in), out, errs
	err = session.Run("sh -c " + quoted(line))
	if ctx.Err() != nil {
		return a, ctx.Err()
	}
	if out.over || errs.over {
		return a, fmt.Errorf("%q answers more than %d MiB", line, mostOutput>>20)
	}
	a.out, a.err = out.String(), strings.TrimSpace(errs.String())
	var exit *ssh.ExitError
	if errors.As(err, &exit) {
		a.status, err = exit.ExitStatus(), nil
	}
	return a, err
}

// must is what a command line answers that has to succeed.
func (s *shell) must(ctx context.Context, line, in string) (string, error) {
	a, err := s.run(ctx, line, in)
	return a.succeeded(line, err)
}

func (a *answer) succeeded(line string, err error) (string, error) {
	switch {
	case err != nil:
		return "", err
	case a.status != 0:
		return "", fmt.Errorf("%q failed: %s", line, a.err)
	}
	return a.out, nil
}

// identify finds out whether the account is root.
func (s *shell) identify(ctx context.Context) error {
	id, err := s.must(ctx, "id -u", "")
	s.root = strings.TrimSpace(id) == "0"
	return err
}

// quoted is a text as one word of a shell.
func quoted(text string) string { return "'" + strings.ReplaceAll(text, "'", `'\''`) + "'" }

// as is a command line as it is run with the rights of root.
func (s *shell) as(line string) string {
	if s.root {
		return line
	}
	return "sudo -n " + line
}

// privileged is what a program answers that only root may run.
func (s *shell) privileged(ctx context.Context, line string) (string, error) {
	a, err := s.run(ctx, s.as(line), "")
	if _, why, refused := strings.Cut(a.err, "sudo: "); err == nil && a.status != 0 && !s.root && refused {
		return "", fmt.Errorf("the account %s may not run %q, so that nobody can say what is there: "+
			"allow it in sudoers with NOPASSWD (docs/connected.md): sudo: %s", s.user, line, why)
	}
	return a.succeeded(line, err)
}

// limited keeps what is written to it, up to mostOutput.
type limited struct {
	bytes.Buffer
	over bool
}

func (l *limited) Write(p []byte) (int, error) {
	if l.Len()+len(p) > mostOutput {
		l.over = true
		return len(p), nil
	}
	return l.Buffer.Write(p)
}
