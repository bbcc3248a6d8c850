package workspace_test

import (
	"context"
	"fmt"
	"io/fs"
	"log/slog"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"testing/fstest"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"gatemap/answer"
	"gatemap/core/atlas"
	"gatemap/core/check"
	"gatemap/core/directory"
	"gatemap/core/situation"
	"gatemap/demo"
	"gatemap/operator"
	"gatemap/service/access"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/store"
	"gatemap/workspace"
)

var ctx = context.Background()

// planted are the mistakes in testdata/findings: code, file, line and rule.
const planted = `
ambiguous-name systems/s.yaml 14 mapping 3
group-out-of-reach systems/s.yaml 16 mapping 5
mail-group systems/s.yaml 15 mapping 4
unknown-attribute directories/d.yaml 19
unknown-name directories/d.yaml 13
unknown-name systems/s.yaml 13 mapping 2
unknown-name systems/s.yaml 21 mapping 10
unknown-right systems/s.yaml 8 role typo
all-to-everyone systems/s.yaml 19 mapping 8
cycle directories/d.yaml 10
empty-group directories/d.yaml 15
empty-group directories/d.yaml 16
empty-group directories/d.yaml 17
empty-group directories/d.yaml 19
foreign-member directories/d.yaml 16
locked-out systems/s.yaml 20 mapping 9
mail-nested directories/d.yaml 13
nesting directories/d.yaml 15
no-seat systems/s.yaml 27 product p
prerequisite systems/s.yaml 1
direct-user systems/s.yaml 20 mapping 9
expected-count directories/d.yaml 18
inactive-members directories/d.yaml 17
layering directories/d.yaml 14
redundant systems/s.yaml 12 mapping 1
redundant systems/s.yaml 17 mapping 6
redundant systems/s.yaml 18 mapping 7
redundant systems/s.yaml 20 mapping 9
redundant systems/s.yaml 30 mapping 2
unused-group directories/d.yaml 20
unused-group directories/d.yaml 24
`

func TestFindings(t *testing.T) {
	folder, err := content.ReadFolder("testdata/findings")
	require.NoError(t, err)
	a, err := folder.Compile("testdata")
	require.NoError(t, err)
	var got []string
	for _, f := range check.Findings(a) {
		got = append(got, strings.TrimSpace(fmt.Sprintf("%s %s %d %s", f.Code, f.Where.File, f.Where.Line, f.Where.Rule)))
		assert.NotEmpty(t, f.Severity, "%s has no severity", f.Code)
		assert.True(t, strings.HasSuffix(f.Message, ".") || strings.HasSuffix(f.Message, "?"), f.Message)
		assert.True(t, strings.HasSuffix(f.Fix, "."), f.Fix)
	}
	assert.Equal(t, strings.Split(strings.TrimSpace(planted), "\n"), got)
}

func quiet() *slog.Logger { return slog.New(slog.DiscardHandler) }

func demoFolder(t testing.TB) *content.Folder {
	t.Helper()
	folder, err := content.ReadFS(demo.Map())
	require.NoError(t, err)
	return folder
}

// everything is all that can be asked of a map without a situation.
func everything(t *testing.T, a answer.Asker) []any {
	t.Helper()
	people, err := a.Search(ctx, "", answer.KindUser, 0, "")
	require.NoError(t, err)
	groups, err := a.Search(ctx, "", answer.KindGroup, 0, "")
	require.NoError(t, err)
	found, err := a.Findings(ctx, answer.Wanted{})
	require.NoError(t, err)
	all := []any{people, groups, found}
	for _, p := range people.Items {
		reach, err := a.Reach(ctx, p.Name, "", situation.Situation{})
		require.NoError(t, err)
		all = append(all, reach)
	}
	for _, g := range groups.Items {
		members, err := a.Members(ctx, g.Name)
		require.NoError(t, err)
		all = append(all, members)
	}
	return all
}

func TestAStoredMapGivesTheAnswersOfItsFolder(t *testing.T) {
	data := t.TempDir()
	folder := demoFolder(t)
	a, err := folder.Compile("demo")
	require.NoError(t, err)
	want := everything(t, query.HeadOf(folder, a))

	s, err := workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	assert.Equal(t, 0, s.Head().Revision.Number)
	r, err := s.Folders.Commit(ctx, folder, "test", "first")
	require.NoError(t, err)
	assert.Equal(t, 1, r.Number)
	assert.Equal(t, want, everything(t, s.Head()))
	again, err := s.Folders.Commit(ctx, demoFolder(t), "test", "the same")
	require.NoError(t, err)
	assert.Equal(t, 1, again.Number, "what does not differ makes no revision")
	require.NoError(t, s.Close())

	s, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	assert.Equal(t, "first", s.Head().Revision.Reason)
	assert.Equal(t, want, everything(t, s.Head()), "read back from the database")
}

func TestAMapThatDoesNotLoadChangesNothing(t *testing.T) {
	s, err := workspace.Open(ctx, t.TempDir(), quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	_, err = s.Folders.Commit(ctx, demoFolder(t), "test", "good")
	require.NoError(t, err)
	bad := demoFolder(t)
	bad.Map.Systems = append(bad.Map.Systems, bad.Map.Systems[0])
	_, err = s.Folders.Commit(ctx, bad, "test", "bad")
	require.ErrorContains(t, err, "is in the map twice")
	assert.Equal(t, 1, s.Head().Revision.Number)
}

// copyDemo gives the demo as a file system that a test can change.
func copyDemo(t *testing.T) fstest.MapFS {
	t.Helper()
	files := fstest.MapFS{}
	require.NoError(t, fs.WalkDir(demo.Map(), ".", func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		content, err := fs.ReadFile(demo.Map(), p)
		files[p] = &fstest.MapFile{Data: content}
		return err
	}))
	return files
}

func TestSourcesThatFail(t *testing.T) {
	const file = "directories/cindervale.yaml"
	change := func(name, old, replacement string) error {
		files := copyDemo(t)
		before := string(files[name].Data)
		require.Contains(t, before, old)
		files[name].Data = []byte(strings.Replace(before, old, replacement, 1))
		_, err := content.ReadFS(files)
		return err
	}
	assert.ErrorContains(t, change(file, "ldif: people.ldif", "ldif: peple.ldif"), file+":4:9: ldif: open peple.ldif")
	assert.ErrorContains(
		t,
		change(file, "ldif: people.ldif", "ldif: ../../etc/passwd"),
		"are taken from one folder and stay in it",
	)
	assert.ErrorContains(t, change(file, "  ldif: people.ldif\n", ""), "the source does not say what to read")
	assert.ErrorContains(t, change(file, "(accountStatus=closed)", "(accountStatus=closed"), file+":9:15: disabled:")
	assert.ErrorContains(t, change("people.ldif", "cn: Ilse Okonjo", "cn:: SWxz*"), "people.ldif:")
	files := copyDemo(t)
	files["people.ldif"].Data = files["people.ldif"].Data[:4000]
	_, err := content.ReadFS(files)
	assert.ErrorContains(t, err, "cut short")
}

func TestReadFolderRefuses(t *testing.T) {
	empty := t.TempDir()
	_, err := content.ReadFolder(empty)
	assert.ErrorContains(t, err, "no gatemap.yaml")
	_, err = content.ReadFolder(filepath.Join(empty, "nowhere"))
	assert.ErrorContains(t, err, "nowhere")
	file := filepath.Join(empty, "file")
	require.NoError(t, os.WriteFile(file, nil, 0o600))
	_, err = content.ReadFolder(file)
	assert.ErrorContains(t, err, "a file, not a folder")
}

func TestDataThatCannotBeUsed(t *testing.T) {
	data := t.TempDir()
	s, err := workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	_, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	assert.ErrorContains(t, err, "another gatemap uses it")
	assert.ErrorContains(t, store.Remove(data), "another gatemap uses it")
	_, err = s.Folders.Commit(ctx, demoFolder(t), "test", "first")
	require.NoError(t, err)
	require.NoError(t, s.Close())

	db := filepath.Join(data, "gatemap.db")
	whole, err := os.ReadFile(db)
	require.NoError(t, err)
	require.NoError(t, os.WriteFile(db, append([]byte("this is no database"), whole[19:]...), 0o600))
	_, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	assert.ErrorContains(t, err, "the database is damaged; put a backup in its place")
	torn := append([]byte{}, whole...)
	for i := 4096; i < len(torn); i++ {
		torn[i] = 0xa5
	}
	require.NoError(t, os.WriteFile(db, torn, 0o600))
	_, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	assert.ErrorContains(t, err, "the database is damaged")
	require.NoError(t, os.WriteFile(db, whole, 0o600))
	s, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	assert.Equal(t, 1, s.Head().Revision.Number)
	require.NoError(t, s.Close())
	require.NoError(t, store.Remove(data))
	assert.NoDirExists(t, data)
}

func TestTokensAndSessions(t *testing.T) {
	data := t.TempDir()
	s, err := workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	token, err := s.Tokens.First(ctx)
	require.NoError(t, err)
	opens := func(token string) bool { _, ok := s.Tokens.ByToken(token); return ok }
	assert.True(t, opens(token))
	for _, wrong := range []string{"", token + "x", token[:len(token)-1], strings.ToUpper(token)} {
		assert.False(t, opens(wrong), wrong)
	}
	second, err := s.Tokens.First(ctx)
	require.NoError(t, err)
	assert.Empty(t, second, "it is shown once")
	require.NoError(t, s.Tokens.Revoke(ctx, admin, "first"))
	second, err = s.Tokens.First(ctx)
	require.NoError(t, err)
	assert.Empty(t, second, "a restart opens no service that was closed to all")
	named, token, err := s.Tokens.Recover(ctx)
	require.NoError(t, err)
	by, _ := s.Tokens.ByToken(token)
	assert.Equal(t, operator.Actor{Name: "host", Role: operator.Admin, How: "token", Token: named}, by)
	assert.NotNil(t, s.Tokens.List(operator.Service).Tokens[0].Expires)
	log, err := s.Audit.List(ctx, store.Asked{Actor: "host"}, 10, "")
	require.NoError(t, err)
	assert.Len(t, log.Entries, 1)
	session, _, err := s.Sessions.SignIn(ctx, access.SignIn{Token: token}, "192.0.2.1")
	require.NoError(t, err)
	by, holds, err := s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.True(t, holds)
	assert.Equal(t, operator.Admin, by.Role)
	require.NoError(t, s.Sessions.SignOut(ctx, session))
	_, holds, err = s.Sessions.BySession(ctx, session)
	require.NoError(t, err)
	assert.False(t, holds)
	require.NoError(t, s.Close())

	s, err = workspace.Open(ctx, data, quiet(), workspace.Options{})
	require.NoError(t, err)
	defer s.Close()
	assert.True(t, opens(token), "tokens outlive a restart")
	require.NoError(t, filepath.WalkDir(data, func(p string, d fs.DirEntry, err error) error {
		if err != nil || d.IsDir() {
			return err
		}
		content, err := os.ReadFile(p)
		assert.NotContains(t, string(content), token, "only the hash is kept")
		assert.NotContains(t, string(content), session)
		return err
	}))
}

func TestSearch(t *testing.T) {
	a, err := demoFolder(t).Compile("demo")
	require.NoError(t, err)
	asker := query.From(a)
	for text, want := range map[string]string{"OKONJO": "cindervale/ilse.okonjo", "night calla": "cindervale/calla.reyk", "zieliń": "cindervale/maud.zielinska", "archive@": ""} {
		page, err := asker.Search(ctx, text, answer.KindUser, 0, "")
		require.NoError(t, err)
		if want == "" {
			assert.Empty(t, page.Items, text)
			continue
		}
		require.NotEmpty(t, page.Items, text)
		assert.Equal(t, want, page.Items[0].Name, text)
	}
	var names []string
	for cursor := ""; ; {
		page, err := asker.Search(ctx, "", "", 7, cursor)
		require.NoError(t, err)
		assert.LessOrEqual(t, len(page.Items), 7)
		for _, i := range page.Items {
			names = append(names, string(i.Kind)+i.Name)
		}
		if cursor = page.Next; cursor == "" {
			assert.Len(t, names, page.Total)
			break
		}
	}
	_, err = asker.Search(ctx, "", "", 7, "!")
	var bad *situation.FieldError
	assert.ErrorAs(t, err, &bad)
}

// onTheDemo compiles the demo for a benchmark and picks a user.
func onTheDemo(b *testing.B) (*atlas.Atlas, *situation.Facts, directory.UserID) {
	a, err := demoFolder(b).Compile("demo")
	require.NoError(b, err)
	facts, err := a.Facts(situation.Situation{})
	require.NoError(b, err)
	u, err := a.Book.FindUser("ilse.okonjo", "")
	require.NoError(b, err)
	b.ReportAllocs()
	return a, facts, u
}

// One answer: what becomes of one right for one user.
func BenchmarkAnswerOnTheDemo(b *testing.B) {
	a, facts, u := onTheDemo(b)
	s, err := a.System("archive")
	require.NoError(b, err)
	point, err := s.Gate.At("/raw/2026", "frames:write")
	require.NoError(b, err)
	for b.Loop() {
		a.Why(u, facts, s, point)
	}
}

// Everything that one user holds, in the archive and of licences.
func BenchmarkReachOfTwoSystemsOnTheDemo(b *testing.B) {
	a, facts, u := onTheDemo(b)
	archive, err := a.System("archive")
	require.NoError(b, err)
	tools, err := a.System("sky-tools")
	require.NoError(b, err)
	for b.Loop() {
		a.Reach(u, facts, archive)
		a.Reach(u, facts, tools)
	}
}

// Everything that one user holds in all twelve systems.
func BenchmarkReachOnTheDemo(b *testing.B) {
	a, facts, u := onTheDemo(b)
	for b.Loop() {
		a.Reach(u, facts, nil)
	}
}

// Everything that everyone holds in all twelve systems.
func BenchmarkEveryoneOnTheDemo(b *testing.B) {
	a, facts, _ := onTheDemo(b)
	for b.Loop() {
		for u := range directory.UserID(a.Book.Users()) {
			a.Reach(u, facts, nil)
		}
	}
}
