package postgres_test

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os/exec"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/connect"
	"gatemap/core/delivery"
	"gatemap/core/directory"
	"gatemap/core/reading"
	"gatemap/tools/database"
)

const deliveredMap = `system: frame-index
type: roles
directory: cindervale
link:
  postgres: {address: "%s", database: frames, user: %s, secret: {env: GATEMAP_SECRET_FRAMES}}
  names: {groups: "gm_{name}"}
  ignore: {accounts: [keeper, gatemap]}
rights: ["database:connect", "schema:usage", "table:select", "table:delete", "table:own"]
resources: [{path: /}, {path: /sky}, {path: /sky/objects}, {path: /sky/objects/ra}]
roles:
  base: {rights: ["database:connect", "schema:usage"]}
  reader: {rights: ["table:select"]}
mappings:
  - {groups: [readers, columns], role: base, object: /}
  - {groups: [readers], role: reader, object: /sky/objects}
  - {groups: [columns], role: reader, object: /sky/objects/ra}
  - {users: [teo], role: base, object: /}
  - {users: [teo], role: reader, object: /sky/objects}
`

const deliveredPeople = `directory: cindervale
users: [{userName: ada}, {userName: bo}, {userName: cyd}, {userName: teo}]
groups:
  - {name: readers, members: {users: [ada, bo]}}
  - {name: columns, members: {users: [cyd]}}
`

// small is a small database and the map that is delivered to it.
func small(t *testing.T) (*database.Server, *delivering) {
	s := start(t)
	require.NoError(t, s.Run("postgres", "CREATE DATABASE frames"))
	require.NoError(
		t,
		s.Run(
			"frames",
			`DROP SCHEMA public; REVOKE ALL ON DATABASE frames FROM PUBLIC; CREATE SCHEMA sky; CREATE TABLE sky.objects (id int, ra float)`,
		),
	)
	return s, deliveringOf(t, deliveredPeople, fmt.Sprintf(deliveredMap, s.Address, database.Admin))
}

func texts(p *delivery.Plan) (list []string) {
	for _, s := range p.Statements {
		list = append(list, s.Text)
	}
	return list
}

func TestWhatIsDelivered(t *testing.T) {
	s, d := small(t)
	mark := `IS 'Gate Map cindervale-test, system frame-index`
	assert.Equal(t, []string{
		`CREATE ROLE "gm_columns" NOLOGIN`, `COMMENT ON ROLE "gm_columns" ` + mark + `'`,
		`CREATE ROLE "gm_readers" NOLOGIN`, `COMMENT ON ROLE "gm_readers" ` + mark + `'`,
		`CREATE ROLE "gm_teo" NOLOGIN`, `COMMENT ON ROLE "gm_teo" ` + mark + `, for one account'`,
		`CREATE ROLE "ada" LOGIN`, `CREATE ROLE "bo" LOGIN`, `CREATE ROLE "cyd" LOGIN`, `CREATE ROLE "teo" LOGIN`,
		`GRANT "gm_columns" TO "cyd"`, `GRANT SELECT ("ra") ON TABLE "sky"."objects" TO "gm_columns"`,
		`GRANT CONNECT ON DATABASE "frames" TO "gm_columns"`, `GRANT USAGE ON SCHEMA "sky" TO "gm_columns"`,
		`GRANT "gm_readers" TO "ada", "bo"`, `GRANT CONNECT ON DATABASE "frames" TO "gm_readers"`, `GRANT USAGE ON SCHEMA "sky" TO "gm_readers"`, `GRANT SELECT ON TABLE "sky"."objects" TO "gm_readers"`,
		`GRANT "gm_teo" TO "teo"`, `GRANT CONNECT ON DATABASE "frames" TO "gm_teo"`, `GRANT USAGE ON SCHEMA "sky" TO "gm_teo"`, `GRANT SELECT ON TABLE "sky"."objects" TO "gm_teo"`,
		`COMMENT ON ROLE "ada" ` + mark + `, an account'`, `COMMENT ON ROLE "bo" ` + mark + `, an account'`, `COMMENT ON ROLE "cyd" ` + mark + `, an account'`, `COMMENT ON ROLE "teo" ` + mark + `, an account'`,
	}, texts(d.deliver()))
	assert.Empty(t, texts(d.run()))
	drift := d.drift()
	assert.Empty(t, drift.Items)
	assert.Empty(t, drift.Lines, "what one account is given shows as its own")
	for login, want := range map[string][2]bool{"ada": {true, true}, "cyd": {true, false}, "teo": {true, true}} {
		conn, err := s.Connect(t.Context(), login, "frames")
		require.NoError(t, err)
		_, err = conn.Exec(t.Context(), "SELECT ra FROM sky.objects")
		assert.Equal(t, want[0], err == nil, "%s %v", login, err)
		_, err = conn.Exec(t.Context(), "SELECT id FROM sky.objects")
		assert.Equal(t, want[1], err == nil, "%s %v", login, err)
		require.NoError(t, conn.Close(context.Background()))
	}
}

// What is revoked on a table goes from its columns, too, so that these are granted again.
func TestColumnsStayWhereTheTableGoes(t *testing.T) {
	s, d := small(t)
	d.deliver()
	require.NoError(t, s.Run("frames", `GRANT SELECT ON sky.objects TO gm_columns`))
	assert.Equal(
		t,
		[]string{
			`REVOKE SELECT ON TABLE "sky"."objects" FROM "gm_columns"`,
			`GRANT SELECT ("ra") ON TABLE "sky"."objects" TO "gm_columns"`,
		},
		texts(d.deliver()),
	)
	assert.Empty(t, texts(d.run()))
	assert.Empty(t, d.drift().Items)
}

// Somebody leaves, is switched off, and comes back: the login goes with them, and is never dropped.
func TestALoginIsSwitchedOffAndOnAgain(t *testing.T) {
	s, d := small(t)
	d.deliver()
	system := fmt.Sprintf(deliveredMap, s.Address, database.Admin)
	off := deliveringOf(t, strings.Replace(deliveredPeople, "{userName: bo}", "{userName: bo, active: false}", 1), system)
	assert.Equal(t, []string{`REVOKE "gm_readers" FROM "bo"`, `ALTER ROLE "bo" NOLOGIN`}, texts(off.deliver()))
	assert.Empty(t, texts(off.run()))
	back := deliveringOf(t, deliveredPeople, system)
	assert.Equal(t, []string{`ALTER ROLE "bo" LOGIN`, `GRANT "gm_readers" TO "bo"`}, texts(back.deliver()))
	gone := deliveringOf(
		t,
		strings.Replace(deliveredPeople, "{userName: bo}, ", "", 1),
		strings.Replace(system, "groups: [readers]", "groups: [columns]", 1),
	)
	gone.system.Document.Link.Names.Groups = "gm_{name}"
	p := gone.run()
	assert.Contains(
		t,
		texts(p),
		`REVOKE "gm_readers" FROM "bo"`,
		"whom the map does not know any more holds nothing under our names",
	)
	assert.Contains(t, strings.Join(p.Stays, "\n"), "bo belongs to nobody of the map, and can sign in")
	gone.strangers = true
	assert.Contains(t, texts(gone.run()), `ALTER ROLE "bo" NOLOGIN`)
}

// What keeps a delivery from being made changes nothing, and is told.
func TestWhatIsNotDelivered(t *testing.T) {
	s, d := small(t)
	p := d.run()
	require.NoError(t, s.Run("frames", `CREATE ROLE "gm_readers"`))
	assert.ErrorIs(
		t,
		d.link.Deliver(t.Context(), &d.asked, p, d.plan),
		connect.ErrMoved,
		"what is there is not what was looked at",
	)
	d.deliver()
	require.NoError(t, s.Run("frames", `COMMENT ON ROLE "gm_readers" IS E'of the archive\nGate Map other, system frames'`))
	_, err := d.plan(d.read())
	assert.ErrorContains(t, err, "the role gm_readers is delivered by another map (other)")
	require.NoError(t, s.Run("frames", `COMMENT ON ROLE "gm_readers" IS NULL`))

	system := fmt.Sprintf(deliveredMap, s.Address, database.Admin)
	names := deliveringOf(
		t,
		strings.NewReplacer("ada", strings.Repeat("a", 64), "cyd", "keeper", "bo", "postgres").Replace(deliveredPeople),
		system,
	)
	var faults []string
	p, err = names.plan(names.read())
	require.NoError(t, err)
	for _, x := range append(names.wanted.Problems, p.Problems...) {
		faults = append(faults, x.Record[:min(len(x.Record), 20)]+" "+string(x.Why))
	}
	assert.ElementsMatch(
		t,
		[]string{"cindervale/keeper ignored", "cindervale/postgres ignored", "cindervale/aaaaaaaaa refused"},
		faults,
	)

	twice := deliveringOf(
		t,
		deliveredPeople,
		"directory: club\nusers: [{userName: ada}]\ngroups: [{name: guests, usable_in: any, members: {users: [ada]}}]\n",
		strings.Replace(system, "groups: [readers]", "groups: [readers, club/guests]", 1),
	)
	p, err = twice.plan(twice.read())
	require.NoError(t, err)
	assert.Equal(
		t,
		[]delivery.Problem{
			{Record: "cindervale/ada", Name: "ada", Why: delivery.TwoRecords},
			{Record: "club/ada", Name: "ada", Why: delivery.TwoRecords},
		},
		twice.wanted.Problems,
	)
	assert.Contains(t, texts(p), `REVOKE "gm_readers" FROM "ada"`, "nobody can say whose the account is")

	require.NoError(t, s.Run("frames", "CREATE ROLE columns LOGIN"))
	plain := deliveringOf(
		t,
		deliveredPeople,
		strings.Replace(
			strings.Replace(system, `  names: {groups: "gm_{name}"}`+"\n", "", 1),
			"[readers, columns]",
			"[columns]",
			1,
		),
	)
	p, err = plain.plan(plain.read())
	require.NoError(t, err)
	assert.Contains(
		t,
		p.Problems,
		delivery.Problem{Record: "cindervale/columns", Name: "columns", Why: delivery.OfOthers},
		"somebody signs in with a role of that name",
	)
	assert.NotContains(t, strings.Join(texts(p), "\n"), `ALTER ROLE "columns"`)

	require.NoError(
		t,
		s.Run("frames", "ALTER ROLE "+database.Reader+" CREATEROLE; GRANT CONNECT ON DATABASE frames TO "+database.Reader),
	)
	weak := deliveringOf(
		t,
		strings.Replace(deliveredPeople, "users: [cyd]", "users: [cyd, teo]", 1),
		strings.Replace(
			fmt.Sprintf(deliveredMap, s.Address, database.Reader),
			"groups: [columns], role: reader, object: /sky/objects/ra",
			"groups: [columns], role: reader, object: /sky/objects",
			1,
		),
	)
	before := texts(weak.run())
	require.NotEmpty(t, before)
	assert.ErrorContains(t, weak.link.Deliver(t.Context(), &weak.asked, weak.run(), weak.plan), "nothing was changed")
	assert.Equal(t, before, texts(weak.run()))
}

func (d *delivering) read() *reading.Reading {
	d.t.Helper()
	r, err := connect.Observe(d.t.Context(), d.system.Document, connect.Host{}, func(int) {})
	require.NoError(d.t, err)
	return r
}

// A delivery that is cut off at any moment was made as a whole, or not at all.
func TestADeliveryIsCutOff(t *testing.T) {
	s, d := small(t)
	admin, err := s.Connect(t.Context(), database.Admin, "frames")
	require.NoError(t, err)
	defer admin.Close(context.Background())
	seed := rand.Uint64()
	t.Logf("seed %d", seed)
	random := rand.New(rand.NewPCG(seed, 1))
	system := fmt.Sprintf(deliveredMap, s.Address, database.Admin)
	maps := []*delivering{
		d,
		deliveringOf(
			t,
			strings.Replace(deliveredPeople, "users: [ada, bo]", "users: [cyd, teo]", 1),
			strings.Replace(system, "role: reader, object: /sky/objects}", "role: base, object: /}", 1),
		),
	}
	made, not := 0, 0
	for i := range 20 {
		now := maps[i%2]
		p := now.run()
		wait := time.Duration(random.IntN(60)) * time.Millisecond
		stop := make(chan struct{})
		go func() {
			defer close(stop)
			time.Sleep(wait)
			_, _ = admin.Exec(
				context.Background(),
				"SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'gatemap'",
			)
		}()
		err := now.link.Deliver(t.Context(), &now.asked, p, now.plan)
		<-stop
		whole, failed := now.link.Finish(t.Context(), &now.asked, p, now.plan)
		require.NoError(t, failed)
		if err == nil {
			assert.True(t, whole)
		}
		after := now.run()
		if whole {
			made++
			assert.Empty(t, after.Statements)
		} else {
			not++
			assert.Equal(t, texts(p), texts(after))
		}
		now.deliver()
	}
	t.Logf("%d made, %d not", made, not)
}

// The script does the same by hand, and fails plainly where something is not as it should be.
func TestTheScript(t *testing.T) {
	s, d := small(t)
	script := d.link.Script(d.run())
	psql := func(db string) (string, error) {
		cmd := exec.Command(
			"psql",
			"-X",
			"-q",
			"-h",
			"127.0.0.1",
			"-p",
			s.Address[strings.LastIndex(s.Address, ":")+1:],
			"-U",
			database.Admin,
			db,
		)
		cmd.Env = []string{"PGPASSWORD=" + database.Secret, "PATH=/usr/bin:/bin", "LC_ALL=C.UTF-8"}
		cmd.Stdin = strings.NewReader(script)
		out, err := cmd.CombinedOutput()
		return string(out), err
	}
	out, err := psql("postgres")
	assert.Error(t, err)
	assert.Contains(t, out, "this is for the database frames")
	out, err = psql("frames")
	require.NoError(t, err, out)
	assert.Empty(t, texts(d.run()))
	out, err = psql("frames")
	assert.Error(t, err)
	assert.Contains(t, out, `role "gm_columns" already exists`)
}

// A table that somebody is changing keeps a delivery waiting, for so long as the link says; then
// nothing was changed.
func TestADeliveryThatHasToWait(t *testing.T) {
	s, d := small(t)
	other, err := s.Connect(t.Context(), database.Admin, "frames")
	require.NoError(t, err)
	defer other.Close(context.Background())
	tx, err := other.Begin(t.Context())
	require.NoError(t, err)
	_, err = tx.Exec(t.Context(), "GRANT DELETE ON sky.objects TO keeper")
	require.NoError(t, err)
	p := d.run()
	d.link.Timeout = directory.Span{Duration: 2 * time.Second}
	assert.ErrorContains(t, d.link.Deliver(t.Context(), &d.asked, p, d.plan), "it did not answer within 2s")
	require.NoError(t, tx.Rollback(t.Context()))
	d.link.Timeout = directory.Span{}
	assert.Equal(t, texts(p), texts(d.deliver()))
}
