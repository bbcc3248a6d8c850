package workspace

import (
	"context"
	"log/slog"
	"os/user"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/situation"
	"gatemap/operator"
	"gatemap/service/changeset"
	"gatemap/service/content"
	"gatemap/service/events"
	"gatemap/service/page"
	"gatemap/service/query"
	"gatemap/service/readings"
	"gatemap/service/rights"
	"gatemap/stage"
)

// Folder is the map in a folder of files. Its trials are kept beside them, and a commit writes
// the files. Whoever can write the folder may do everything.
type Folder struct {
	changes  *changeset.Changes
	by       operator.Actor
	files    *files
	readings *readings.Readings
}

var _ answer.Changer = (*Folder)(nil)

// ReadFolder reads a map folder with what its sources hold, and compiles it.
func ReadFolder(ctx context.Context, dir string, host connect.Host) (*query.Head, error) {
	f, err := content.ReadFolder(dir)
	if err != nil {
		return nil, err
	}
	if err := f.Fetch(ctx, host, dir); err != nil {
		return nil, err
	}
	a, err := f.Compile(dir)
	if err != nil {
		return nil, err
	}
	h := query.HeadOf(f, a)
	read, err := readNow(&host, func() *query.Head { return h })
	if err != nil {
		return nil, err
	}
	h.Answers = h.Really(read.Kept)
	return h, nil
}

// readNow reads linked systems when something is asked of them.
func readNow(host *connect.Host, head func() *query.Head) (*readings.Readings, error) {
	return readings.Open(context.Background(), readings.Ports{
		Keeper: unkept{}, Head: head, Host: host, Events: &events.Events{}, Log: slog.New(slog.DiscardHandler), Busy: idle,
		AtOnce: true,
	})
}

// OpenFolder is ReadFolder with the trials of the folder.
func OpenFolder(ctx context.Context, dir string, host connect.Host) (*Folder, error) {
	head, err := ReadFolder(ctx, dir, host)
	if err != nil {
		return nil, err
	}
	head.Revision.Number = 1
	kept := &files{dir: dir, head: head}
	changes := changeset.Open(changeset.Ports{
		Keeper: kept, History: kept, Past: noPast{}, Rights: allowed{}, Events: &events.Events{},
		Log: slog.New(slog.DiscardHandler),
	})
	read, err := readNow(&host, kept.Head)
	if err != nil {
		return nil, err
	}
	return &Folder{changes, operator.Actor{Name: whoAmI(), Role: operator.Admin, How: "folder"}, kept, read}, nil
}

// whoAmI is the name of the user of the machine who works on the folder.
func whoAmI() string {
	if u, err := user.Current(); err == nil && u.Username != "" {
		return u.Username
	}
	return "folder"
}

// allowed is that everything is.
type allowed struct{}

func (allowed) MayCommit(context.Context, operator.Actor, ...rights.Begun) error { return nil }
func (allowed) MayConnect(context.Context, operator.Actor, *content.Folder, *content.Folder) error {
	return nil
}
func (allowed) Exempt(context.Context, string) (string, error) { return "", nil }

// Dir is the folder's path.
func (f *Folder) Dir() string { return f.files.dir }

func (f *Folder) Trials(ctx context.Context) (*answer.Trials, error) {
	return f.changes.Trials.List(ctx, f.by, 0, "")
}

func (f *Folder) Trial(ctx context.Context, named string) (*answer.Trial, error) {
	return f.changes.Trials.Find(ctx, f.by, named)
}

func (f *Folder) BeginTrial(ctx context.Context, named, note string, files map[string]string) (*answer.Trial, error) {
	if files != nil {
		return f.changes.Trials.BeginFrom(ctx, f.by, named, note, files)
	}
	return f.changes.Trials.Begin(ctx, f.by, named, note)
}

func (f *Folder) Stage(ctx context.Context, named string, changes ...stage.Change) (*answer.Trial, error) {
	return f.changes.Trials.Stage(ctx, f.by, named, 0, changes)
}

func (f *Folder) Unstage(ctx context.Context, named string, number int) (*answer.Trial, error) {
	return f.changes.Trials.Unstage(ctx, f.by, named, 0, number)
}

func (f *Folder) Withdraw(ctx context.Context, named, user, system, right, object string) (*answer.Trial, error) {
	return f.changes.Trials.Withdraw(ctx, f.by, named, user, system, right, object)
}

func (f *Folder) RemoveTrial(ctx context.Context, named string) error {
	return f.changes.Trials.Remove(ctx, f.by, named, 0)
}

func (f *Folder) Outcome(
	ctx context.Context,
	named string,
	s situation.Situation,
	p answer.Part,
) (*answer.Outcome, error) {
	const usual = 100
	switch {
	case p.Limit < 0 || p.Limit > page.Max:
		return nil, answer.Invalid("limit", "", "it is 1 to 1000")
	case p.Limit == 0:
		p.Limit = usual
	}
	return f.outcome(ctx, named, s, p)
}

func (f *Folder) WholeOutcome(
	ctx context.Context,
	named string,
	s situation.Situation,
	p answer.Part,
) (*answer.Outcome, error) {
	p.Limit = changeset.NoLimit
	return f.outcome(ctx, named, s, p)
}

func (f *Folder) outcome(
	ctx context.Context,
	named string,
	s situation.Situation,
	p answer.Part,
) (*answer.Outcome, error) {
	return f.changes.Outcomes.Outcome(ctx, named, changeset.Outcoming{
		Situation: s, User: p.User, System: p.System, Effect: answer.Effect(p.Effect), Limit: p.Limit, Cursor: p.Cursor,
	})
}

func (f *Folder) Turned(ctx context.Context, named string) (*answer.Turned, error) {
	return f.changes.Outcomes.Turned(ctx, named)
}

func (f *Folder) Impact(
	ctx context.Context,
	named string,
	change stage.Change,
	s situation.Situation,
) (*answer.Impact, error) {
	return f.changes.Outcomes.Impact(f.acting(ctx), named, change, s)
}

func (f *Folder) CommitTrial(
	ctx context.Context,
	named string,
	version int,
	reason, override, key string,
) (*answer.Committed, error) {
	return f.changes.Commits.Commit(
		ctx,
		f.by,
		named,
		changeset.Committing{Version: version, Reason: reason, Override: override, Key: key},
	)
}

func (f *Folder) Of(ctx context.Context, trial string) (answer.Asker, error) {
	h, err := f.changes.AskedHead(f.acting(ctx), trial)
	if err != nil {
		return nil, err
	}
	really := *h
	really.Answers = h.Really(f.readings.Kept)
	return &really, nil
}

func (f *Folder) acting(ctx context.Context) context.Context { return operator.With(ctx, f.by) }
