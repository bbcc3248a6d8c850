package main

import (
	"context"
	"fmt"
	"os"
	"path/filepath"
	"strings"

	"gatemap/service/query"
	"gatemap/tools/machine"
)

// keyOfDomes is the variable that holds the private key of the account that reads the hosts.
const keyOfDomes = "GATEMAP_SECRET_DOMES"

// domes are the hosts that the demo's dome-hosts is linked to.
var domes = []string{"dome1.cindervale.example", "dome2.cindervale.example"}

// startDomes starts two hosts with sshd and sudo, in which some things are not as the map says, and
// links them to the map.
func startDomes(ctx context.Context, dir, folder string, head *query.Head) (machines []*machine.Machine, err error) {
	defer func() {
		if err != nil {
			for _, m := range machines {
				m.Stop()
			}
		}
	}()
	setup, err := domesSetup(ctx, head)
	if err != nil {
		return nil, err
	}
	var hosts strings.Builder
	for i, named := range domes {
		own := filepath.Join(dir, named)
		if err := os.Mkdir(own, 0o755); err != nil {
			return machines, err
		}
		m, err := machine.Start(own, named, setup+domesBesides[i])
		if err != nil {
			return machines, err
		}
		machines = append(machines, m)
		if i > 0 { // the first one's key opens all
			if _, err := m.Run("echo '" + machines[0].Public + "' >/etc/ssh/keys/all"); err != nil {
				return machines, err
			}
		}
		fmt.Fprintf(&hosts, "      %s: {address: %q, key: %q}\n", named, m.Address, m.Key)
	}
	document := filepath.Join(folder, "systems", "hosts.yaml")
	text, err := os.ReadFile(document)
	if err != nil {
		return machines, err
	}
	const line = "system: dome-hosts\n"
	link := line + "link:\n  host:\n    user: " + machine.Reader + "\n    secret: {env: " + keyOfDomes +
		"}\n    login_group: dome-login\n    hosts:\n" + hosts.String() +
		"  ignore: {accounts: [root, dome, gatemap], groups: [gatemap]}\n  every: 15m\n  unexpressed: grant\n"
	return machines, os.WriteFile(document, []byte(strings.Replace(string(text), line, link, 1)), 0o600)
}

// domesBesides is what the hosts have and the map does not know of.
var domesBesides = []string{`
useradd --badname -m -s /bin/bash teo.marchetti
usermod -aG dome-engineers,dome-login teo.marchetti
gpasswd -d pim.castellan dome-engineers >/dev/null
echo '%night-crew ALL = (root) NOPASSWD: /usr/bin/systemctl restart dome-*, !/usr/bin/systemctl restart dome-brake' >/etc/sudoers.d/20-old
`, `
useradd -m -s /bin/bash dome_vendor
usermod -aG night-crew,dome-login dome_vendor
echo 'dome_vendor ALL = (ALL) NOPASSWD: ALL' >/etc/sudoers.d/20-vendor
echo '+summit ALL = (dome) /opt/dome/drive' >/etc/sudoers.d/30-summit
chage -E 2026-01-31 joss.ferrant
`}

// domesSetup makes a host as the map has it.
func domesSetup(ctx context.Context, head *query.Head) (string, error) {
	out := []string{"useradd --system dome", "mkdir /opt/dome", "groupadd dome-login"}
	for _, program := range []string{"shutter", "drive"} {
		out = append(out, "printf '#!/bin/sh\\necho it moves\\n' >/opt/dome/"+program, "chmod 755 /opt/dome/"+program)
	}
	made := map[string]bool{}
	for _, group := range []string{"dome-engineers", "night-crew"} {
		members, err := head.Members(ctx, group)
		if err != nil {
			return "", err
		}
		out = append(out, "groupadd "+group)
		for _, m := range members.Members {
			_, user, _ := strings.Cut(m.User, "/")
			if record, err := head.User(m.User); err != nil || !record.Active {
				continue // who is inactive has no account
			}
			if !made[user] {
				made[user] = true
				out = append(out, "useradd --badname -m -s /bin/bash "+user)
			}
			out = append(out, "usermod -aG "+group+",dome-login "+user)
		}
	}
	out = append(out,
		"echo 'AllowGroups dome-login gatemap' >/etc/ssh/sshd_config.d/domes.conf",
		"echo 'gatemap ALL = (root) NOPASSWD: ALL' >/etc/sudoers.d/gatemap",
		"echo '%dome-engineers ALL = (dome) NOPASSWD: /opt/dome/shutter ?*, /opt/dome/drive ?*' >/etc/sudoers.d/10-domes")
	return strings.Join(out, "\n") + "\n", nil
}
