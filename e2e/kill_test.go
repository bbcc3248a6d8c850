package e2e

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"path/filepath"
	"sync"
	"syscall"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/client"
	"gatemap/core/situation"
	"gatemap/stage"
)

// Whenever a service is killed under commits and questions, nothing that it has
// acknowledged is lost, and the audit holds.
func TestKilledUnderCommitsAndReads(t *testing.T) {
	dir, data := t.TempDir(), t.TempDir()
	write(t, dir, map[string]string{
		"gatemap.yaml": "title: Cindervale\n",
		"people.yaml": `directory: cindervale
users: [{userName: u0, title: t0}, {userName: u1, title: t0}, {userName: u2, title: t0}]
groups: [{name: all, rule: 'title pr'}]
---
system: doors
type: roles
rights: ["door:open"]
roles: {opener: {rights: ["door:open"]}}
mappings: [{groups: [all], role: opener, object: /}]
`,
	})
	p, env := serve(t, dir, data)
	token := env[len(env)-1][len("GATEMAP_TOKEN="):]
	acknowledged := map[int]string{} // reasons, by revision
	titles := [3]string{"t0", "t0", "t0"}
	var mu sync.Mutex
	random := rand.New(rand.NewPCG(3, 4))
	const kills = 50
	for kill := range kills {
		address := p.address
		ctx, cancel := context.WithCancel(t.Context())
		committed, note := context.WithTimeout(ctx, time.Minute)
		var work sync.WaitGroup
		for i := range 3 {
			work.Go(func() {
				c, err := client.New(address, token)
				if err != nil {
					return
				}
				for n := 0; ctx.Err() == nil; n++ {
					title := fmt.Sprintf("t%d.%d", kill, n)
					trial := fmt.Sprintf("k%d.u%d.%d", kill, i, n)
					if _, err := c.BeginTrial(ctx, trial, "", nil); err != nil {
						return
					}
					staged, err := c.Stage(
						ctx,
						trial,
						stage.Change{
							Do:        stage.SetUser,
							User:      fmt.Sprintf("u%d", i),
							Attribute: "title",
							Value:     []byte(`"` + title + `"`),
						},
					)
					if err != nil {
						return
					}
					done, err := c.CommitTrial(ctx, trial, staged.Version, "to "+title, "", trial)
					if err != nil {
						return
					}
					mu.Lock()
					acknowledged[done.Revision], titles[i] = "to "+title, title
					mu.Unlock()
					note()
				}
			})
			work.Go(func() {
				c, err := client.New(address, token)
				for err == nil && ctx.Err() == nil {
					_, err = c.Reach(ctx, "u1", "", situation.Situation{})
				}
			})
		}
		if kill%2 == 0 { // at any moment after a commit; else at any moment
			<-committed.Done()
		}
		time.Sleep(20*time.Millisecond + time.Duration(random.IntN(150))*time.Millisecond)
		_ = p.stop(t, syscall.SIGKILL)
		cancel()
		note()
		work.Wait()

		require.Equal(t, "ok", integrity(t, data))
		p = launch(t, "serve", "--data", data, "--listen", "127.0.0.1:0")
		p.address = p.out.waitFor(t, `at (http://\S+)`)[1]
		c, err := client.New(p.address, token)
		require.NoError(t, err)
		for i, title := range titles {
			u, err := c.Search(t.Context(), fmt.Sprintf("u%d", i), "user", 1, "")
			require.NoError(t, err)
			// What was being committed when it was killed may be there as well.
			if now := u.Items[0].Detail; now != title {
				assert.True(
					t,
					later(now, title),
					"kill %d: the acknowledged title %s of u%d is lost: it is %s",
					kill,
					title,
					i,
					now,
				)
				titles[i] = now
			}
		}
	}
	c, err := client.New(p.address, token)
	require.NoError(t, err)
	for revision, reason := range acknowledged {
		r, err := c.Revision(t.Context(), revision)
		require.NoError(t, err)
		assert.Equal(t, reason, r.Reason)
	}
	v, err := c.VerifyAudit(t.Context(), "")
	require.NoError(t, err)
	assert.True(t, v.Holds, v.Reason)
	require.GreaterOrEqual(t, len(acknowledged), kills/2, "some commits are made before every second kill")
	t.Logf("%d commits were acknowledged, and %d entries of the audit hold", len(acknowledged), v.Entries)
	require.NoError(t, os.Remove(filepath.Join(data, "token")))
}

// later says whether a title was set after another.
func later(title, than string) bool {
	a, b := [2]int{-1, -1}, [2]int{-1, -1} // t0 is before all
	_, _ = fmt.Sscanf(title, "t%d.%d", &a[0], &a[1])
	_, _ = fmt.Sscanf(than, "t%d.%d", &b[0], &b[1])
	return a[0] > b[0] || a[0] == b[0] && a[1] > b[1]
}
