// Package machine starts hosts with sshd and sudo on this machine, for tests and for the demo. Each
// lives in namespaces of its own (unshare(1)): its /etc, /home, /opt and /run are copies, and nothing
// of this machine is touched. It needs root, and Debian's openssh-server and sudo.
package machine

import (
	"bytes"
	"crypto/ed25519"
	"crypto/rand"
	_ "embed"
	"encoding/pem"
	"errors"
	"fmt"
	"io"
	"net"
	"os"
	"os/exec"
	"path/filepath"
	"strconv"
	"strings"
	"syscall"
	"time"

	"gatemap/tools/standstill"

	"golang.org/x/crypto/ssh"
)

// Reader is the account that reads the host, with the rights that docs/connected.md asks for.
const Reader = "gatemap"

// Deliverable is a setup by which a host can be delivered to: who is in gm-login may log in, the
// account of the link is root, and there is something to be run as the account dome.
const Deliverable = `
groupadd gm-login
echo 'AllowGroups gm-login gatemap' >/etc/ssh/sshd_config.d/gatemap.conf
echo 'gatemap ALL = (root) NOPASSWD: ALL' >/etc/sudoers.d/gatemap
useradd --system dome
mkdir -p /opt/dome
for p in shutter drive brake; do printf '#!/bin/sh\necho it moves\n' >/opt/dome/$p; chmod 755 /opt/dome/$p; done
`

// Machine is a running host.
type Machine struct {
	Name    string // such as dome1.cindervale.example
	Address string // host:port of its sshd
	Key     string // its public host key
	Secret  string // the private key (PEM) with which every account is let in
	Public  string // and the public one
	dir     string
	process *exec.Cmd
	signer  ssh.Signer
}

//go:embed start.sh
var script string

// Start starts a host with files in a folder. setup is a shell script that runs in it first, as
// root: it makes accounts, and writes /etc/sudoers.d/* and /etc/ssh/sshd_config.d/*.
func Start(dir, name, setup string) (*Machine, error) {
	if os.Geteuid() != 0 {
		return nil, errors.New("a host of its own needs root")
	}
	m := &Machine{Name: name, dir: dir}
	if err := m.keys(); err != nil {
		return nil, err
	}
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		return nil, err
	}
	m.Address = l.Addr().String()
	_ = l.Close() // sshd is to have the port
	if err := os.WriteFile(filepath.Join(dir, "setup"), []byte("set -eu\n"+setup), 0o600); err != nil {
		return nil, err
	}
	_, port, _ := net.SplitHostPort(m.Address)
	m.process = exec.Command(
		"unshare",
		"--mount",
		"--uts",
		"--pid",
		"--fork",
		"--kill-child",
		"bash",
		"-c",
		script,
		"start",
		dir,
		name,
		port,
	)
	var out bytes.Buffer
	m.process.Stdout, m.process.Stderr = &out, &out
	m.process.SysProcAttr = &syscall.SysProcAttr{Pdeathsig: syscall.SIGKILL}
	m.process.Env = []string{"PATH=/usr/sbin:/usr/bin:/sbin:/bin", "LC_ALL=C.UTF-8"}
	if err := m.process.Start(); err != nil {
		return nil, err
	}
	ended := make(chan struct{})
	go func() {
		_ = m.process.Wait()
		close(ended)
	}()
	for range 6000 { // a minute: a busy machine takes its time
		select {
		case <-ended:
			return nil, fmt.Errorf("the host %s did not start:\n%s", name, out.String())
		case <-time.After(10 * time.Millisecond):
		}
		if m.speaks() {
			return m, nil
		}
	}
	m.Stop()
	return nil, fmt.Errorf("the host %s does not answer:\n%s", name, out.String())
}

// speaks says whether sshd answers.
func (m *Machine) speaks() bool {
	conn, err := net.DialTimeout("tcp", m.Address, time.Second)
	if err != nil {
		return false
	}
	defer conn.Close()
	_ = conn.SetReadDeadline(time.Now().Add(time.Second))
	hello := make([]byte, len("SSH-"))
	_, err = io.ReadFull(conn, hello)
	return err == nil && string(hello) == "SSH-"
}

// keys makes the host's key, and one with which every account is let in.
func (m *Machine) keys() (err error) {
	host := ""
	if m.Key, host, err = NewKey(); err != nil {
		return err
	}
	if m.Public, m.Secret, err = NewKey(); err != nil {
		return err
	}
	if m.signer, err = ssh.ParsePrivateKey([]byte(m.Secret)); err != nil {
		return err
	}
	return errors.Join(
		os.WriteFile(filepath.Join(m.dir, "host"), []byte(host), 0o600),
		os.WriteFile(filepath.Join(m.dir, "account.pub"), []byte(m.Public+"\n"), 0o644))
}

// NewKey makes a key: the public one as in an authorized_keys file, the private one in PEM.
func NewKey() (public, secret string, err error) {
	key, private, err := ed25519.GenerateKey(rand.Reader)
	if err != nil {
		return "", "", err
	}
	block, err := ssh.MarshalPrivateKey(private, "")
	if err != nil {
		return "", "", err
	}
	of, err := ssh.NewPublicKey(key)
	return strings.TrimSpace(string(ssh.MarshalAuthorizedKey(of))), string(pem.EncodeToMemory(block)), err
}

// Stop stops the host and all that runs in it.
func (m *Machine) Stop() { _ = m.process.Process.Kill() } // ours, by its own number

// Freeze makes the host stand still until Thaw: nothing new is answered.
func (m *Machine) Freeze() error { return m.all(standstill.Freeze) }

// Thaw lets the host go on.
func (m *Machine) Thaw() error { return m.all(standstill.Thaw) }

// all does something to the first process of the host.
func (m *Machine) all(do func(pid int) error) error {
	text, err := os.ReadFile(fmt.Sprintf("/proc/%d/task/%[1]d/children", m.process.Process.Pid))
	if err != nil {
		return err
	}
	for _, field := range strings.Fields(string(text)) {
		pid, err := strconv.Atoi(field)
		if err != nil {
			return err
		}
		if err := do(pid); err != nil {
			return err
		}
	}
	return nil
}

// Run runs a shell script in the host, as root.
func (m *Machine) Run(script string) (string, error) {
	cmd := exec.Command(
		"nsenter",
		"--mount",
		"--uts",
		"--target",
		strconv.Itoa(m.process.Process.Pid),
		"bash",
		"-c",
		script,
	)
	cmd.Env = m.process.Env
	out, err := cmd.CombinedOutput()
	if err != nil {
		return string(out), fmt.Errorf("%w: %s", err, out)
	}
	return string(out), nil
}

// Dial signs in by SSH as an account.
func (m *Machine) Dial(account string) (*ssh.Client, error) {
	return ssh.Dial("tcp", m.Address, &ssh.ClientConfig{
		User: account, Auth: []ssh.AuthMethod{ssh.PublicKeys(m.signer)}, HostKeyCallback: ssh.InsecureIgnoreHostKey(),
		Timeout: 5 * time.Second,
	})
}

// Login says whether an account can log in and run a command.
func (m *Machine) Login(account string) bool {
	client, err := m.Dial(account)
	if err != nil {
		return false
	}
	defer client.Close()
	session, err := client.NewSession()
	if err != nil {
		return false
	}
	defer session.Close()
	out, err := session.Output("echo it runs")
	return err == nil && strings.TrimSpace(string(out)) == "it runs"
}
