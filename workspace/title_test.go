package workspace_test

import (
	"fmt"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/operator"
	"gatemap/service/content"
	"gatemap/service/intake"
	"gatemap/tools/machine"
	"gatemap/workspace"
)

const titleMap = `title: Cindervale Observatory
networks: {summit: [198.51.100.0/24]}
windows: {night: {days: [mon, tue, wed, thu, fri, sat, sun], from: "18:00", to: "07:00"}}
---
directory: personnel
source:
  csv: {file: personnel.csv}
  feeds: {directory: cindervale, by: employeeNumber, decides: [title]}
  users: {name: number, attributes: {employeeNumber: number, title: title}}
---
directory: cindervale
users:
  - {userName: ilse.okonjo, employeeNumber: E5001}
  - {userName: noor.haddix, employeeNumber: E5002}
groups:
  - {name: crew, members: {users: [ilse.okonjo, noor.haddix]}}
  - {name: dome-engineers, rule: 'title eq "Dome engineer"'}
---
system: dome-hosts
type: hosts
directory: cindervale
link:
  host:
    user: gatemap
    secret: {env: GATEMAP_SECRET_HOST}
    login_group: gm-login
    hosts:
      dome1.cindervale.example: {address: %q, key: %q}
  names: {groups: "gm-{name}"}
  ignore: {accounts: [root, gatemap]}
  deliver: on-commit
  removal_limit: 100%%
  unexpressed: grant
hosts: {domes: [dome1.cindervale.example]}
login: [{groups: [crew], hosts: [domes]}]
elevate:
  - {groups: [dome-engineers], hosts: [domes], commands: ["/opt/dome/shutter *"], as: dome, when: {windows: [night], networks: [summit]}}
`

// Joining by title: what the personnel list says of somebody is what they may run on a host, as soon as
// it is in force; and no more when it does not say so any more.
func TestAJoinerByTitleOnAHost(t *testing.T) {
	if os.Geteuid() != 0 {
		t.Skip("a host of its own needs root")
	}
	m, err := machine.Start(t.TempDir(), "dome1.cindervale.example", machine.Deliverable)
	require.NoError(t, err)
	defer m.Stop()
	t.Setenv("GATEMAP_SECRET_HOST", m.Secret)
	folder := t.TempDir()
	list := func(title string) {
		t.Helper()
		require.NoError(
			t,
			os.WriteFile(
				filepath.Join(folder, "personnel.csv"),
				[]byte("number,title\nE5001,"+title+"\nE5002,Night assistant\n"),
				0o600,
			),
		)
	}
	list("Night assistant")
	require.NoError(
		t,
		os.WriteFile(filepath.Join(folder, "gatemap.yaml"), fmt.Appendf(nil, titleMap, m.Address, m.Key), 0o600),
	)
	s, err := workspace.Open(t.Context(), t.TempDir(), slog.New(slog.DiscardHandler), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	files, err := connect.OpenFolder(folder)
	require.NoError(t, err)
	s.Allow(connect.Host{Files: files})
	f, err := content.ReadFS(os.DirFS(folder))
	require.NoError(t, err)
	_, err = s.Folders.Commit(t.Context(), f, "test", "the map")
	require.NoError(t, err)
	s.Deliveries.Follow()

	runs := func() string {
		out, _ := m.Run("sudo -l -U ilse.okonjo")
		return out
	}
	eventually := func(what string, is func() bool) {
		t.Helper()
		require.Eventually(t, is, time.Minute, 200*time.Millisecond, "%s\n%s", what, runs())
	}
	eventually("she can log in", func() bool { return m.Login("ilse.okonjo") })
	assert.NotContains(t, runs(), "/opt/dome/shutter", "and runs nothing as another")

	change := func(title string) {
		t.Helper()
		list(title)
		_, err := s.Runs.Start(
			t.Context(),
			"personnel",
			intake.ByHand,
			intake.Intaking{Commit: true, Confirm: true, By: operator.Actor{Name: "ada.lindqvist", Role: operator.Approver}},
		)
		require.NoError(t, err)
	}
	change("Dome engineer")
	eventually(
		"she may move the shutter",
		func() bool { return strings.Contains(runs(), "(dome) NOPASSWD: /opt/dome/shutter ?*") },
	)
	assert.NotContains(t, func() string { out, _ := m.Run("sudo -l -U noor.haddix"); return out }(), "/opt/dome/shutter")
	change("Night assistant")
	eventually("she may not any more", func() bool { return !strings.Contains(runs(), "/opt/dome/shutter") })
	assert.True(t, m.Login("ilse.okonjo"), "and can log in")

	all, err := s.Deliveries.List(t.Context(), "dome-hosts", 10, "")
	require.NoError(t, err)
	p, err := s.Deliveries.Plan(t.Context(), all.Deliveries[0].ID)
	require.NoError(t, err)
	assert.Equal(t, []string{"network:summit", "window:night"}, p.Through[0].Needs, "what sudoers cannot say is told")
}
