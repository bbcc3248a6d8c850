// Package writes writes the records that a commit changes where they come from, before the revision
// is made (docs/connected.md, "Directories that are written"). What was written for a revision that is
// not made is taken back: at once, or when the program starts again.
package writes

import (
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"sync/atomic"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/operator"
	"gatemap/service/audit"
	"gatemap/service/content"
	"gatemap/store"
)

// Ports are what writing needs of the workspace that it is of.
type Ports struct {
	Store   *store.Store
	History sync.Locker // locked by who makes a revision
	Folder  func() *content.Folder
	Host    *connect.Host
	Log     *slog.Logger
	Closing context.Context // ends when the workspace is being closed
	Working *sync.WaitGroup // counts what goes on
}

// Writes writes the records of one map. It is used by one at a time: who has locked the history.
type Writes struct {
	Ports
	RetryAfter time.Duration // how long is waited before what could not be taken back is tried again; 0: a minute

	retrying atomic.Bool
	mu       sync.Mutex
	lately   []*lately
}

// part is what is written of one directory.
type part struct {
	directory *directory.Document
	all       []*connect.Rewrite
	w         connect.Writing
	list      []*connect.Modification
	id        int64 // in the journal; 0: there is nothing to take back
	made      bool
	lately    *lately
}

// planned says which records of which directories a change of the map writes, and what of it, in words,
// stays to be done where records come from. It asks no server.
func planned(before, after *content.Folder) (parts []*part, stays []Stay) {
	for _, d := range before.Written.Map.Directories {
		if d.Source == nil || after.Directory(d.Name) == nil {
			continue
		}
		all, left := connect.Rewrites(d.Source, before.Records[d.Name], after.Records[d.Name])
		for _, words := range left {
			stays = append(stays, Stay{d.Name, words})
		}
		if len(all) > 0 {
			parts = append(parts, &part{directory: d, all: all})
		}
	}
	return parts, stays
}

// Records counts the records that are written, by directory.
func Records(before, after *content.Folder) (counts []Count, stays []Stay) {
	parts, stays := planned(before, after)
	for _, p := range parts {
		counts = append(counts, Count{p.directory.Name, len(p.all)})
	}
	return counts, stays
}

// Stay is something of a directory that is to be changed where its records come from.
type Stay struct{ Directory, Words string }

// Count is how many records of a directory are written.
type Count struct {
	Directory string
	Records   int
}

// Look asks the servers, and says with which modifications a change of the map is written. The error
// is an *answer.ConflictError that says what keeps it from being written.
func (s *Writes) Look(ctx context.Context, before, after *content.Folder) (*answer.Writes, error) {
	parts, stays := planned(before, after)
	defer closeAll(parts)
	if err := s.look(ctx, before, after, parts); err != nil {
		return nil, err
	}
	out := &answer.Writes{Writes: []answer.Write{}, Stays: []string{}}
	for _, x := range stays {
		out.Stays = append(out.Stays, x.Directory+": "+x.Words)
	}
	for _, p := range parts {
		for i, m := range p.list {
			x := answer.Write{
				Directory: p.directory.Name, Server: p.w.Server(), Entry: m.At, For: p.all[i].String(), Password: m.GetsPassword,
			}
			if !m.Empty() {
				x.Text = p.w.Text(m)
			}
			out.Writes = append(out.Writes, x)
		}
	}
	return out, nil
}

// look connects to the servers and looks at all entries.
func (s *Writes) look(ctx context.Context, before, after *content.Folder, parts []*part) error {
	if err := fed(before, after); err != nil {
		return err
	}
	for _, p := range parts {
		job, from, err := connect.NewJob(p.directory.Source, *s.Host, connect.Records{})
		if err != nil {
			return &answer.ConflictError{Message: err.Error()}
		}
		if p.w, err = from.(connect.Writer).Writing(ctx, job, ""); err == nil {
			p.list, err = connect.Look(p.w, p.all)
		}
		if err != nil {
			return p.refused(err)
		}
	}
	return nil
}

// fed sees that no change is of what another source decides, where the accounts are written.
func fed(before, after *content.Folder) error {
	for _, d := range before.Written.Map.Directories {
		if d.Source == nil || d.Source.Feeds == nil {
			continue
		}
		accounts := before.Directory(d.Source.Feeds.Directory.Name)
		if accounts == nil || accounts.Source == nil || len(accounts.Source.Write) == 0 {
			continue
		}
		_, delta := connect.Settle(before.Records[d.Name], after.Records[d.Name])
		for _, c := range delta.Changed {
			return &answer.ConflictError{
				Message: fmt.Sprintf("%s: %s. %s decides this: change it there (%s); it is not written to %s",
					c.Before.Name, connect.FieldWords(c.Fields), d.Name, c.Before.Place, accounts.Name),
			}
		}
	}
	return nil
}

// refused says that a directory is not written.
func (p *part) refused(err error) error {
	message := fmt.Sprintf("nothing is committed, as %s cannot be written: %v", p.directory.Name, err)
	var elsewhere *connect.ElsewhereError
	if errors.As(err, &elsewhere) {
		message += fmt.Sprintf(". Take that in (gatemap intake run %s), and look at the change again", p.directory.Name)
	}
	return &answer.ConflictError{Message: message}
}

func closeAll(parts []*part) {
	for _, p := range parts {
		if p.w != nil {
			p.w.Close()
		}
	}
}

// Written is what was written for a revision that is not made yet.
type Written struct {
	s     *Writes
	by    operator.Actor
	parts []*part
}

// IDs are its numbers in the journal, which the revision ends.
func (w *Written) IDs() (ids []int64) {
	for _, p := range w.parts {
		ids = append(ids, p.id)
	}
	return ids
}

// Passwords are the first passwords of the accounts that were made.
func (w *Written) Passwords() (all []answer.FirstPassword) {
	for _, p := range w.parts {
		for i, m := range p.list {
			if m.Password != "" {
				user := name.Full(p.directory.Name, p.all[i].Named().Name)
				all = append(all, answer.FirstPassword{User: user, Password: m.Password})
			}
		}
	}
	return all
}

// Close ends the use of the servers.
func (w *Written) Close() { closeAll(w.parts) }

// Make writes what a change of the map writes: all of it, or nothing. The error is an
// *answer.ConflictError that says what keeps it from being written. The history is locked until the
// revision is made, or Back was called.
func (s *Writes) Make(ctx context.Context, by operator.Actor, before, after *content.Folder) (*Written, error) {
	parts, _ := planned(before, after)
	w := &Written{s, by, parts}
	if len(parts) > 0 {
		if err := s.Resume(ctx); err != nil {
			return nil, &answer.ConflictError{
				Message: "nothing is committed: what an earlier commit wrote is not taken back yet: " + err.Error(),
			}
		}
	}
	err := s.look(ctx, before, after, parts)
	for _, p := range parts {
		if err == nil {
			err = s.note(ctx, by, p)
		}
	}
	for _, p := range parts {
		if err == nil {
			err = s.make(p)
		}
	}
	if err != nil {
		w.Back(ctx)
		w.Close()
		return nil, err
	}
	s.remember(parts)
	return w, nil
}

// make writes the records of one directory, or nothing of them.
func (s *Writes) make(p *part) error {
	err := connect.Make(p.w, p.all, p.list)
	var unfinished *connect.UnfinishedError
	switch {
	case errors.As(err, &unfinished):
		p.id = 0 // the journal has it
		s.retry(err)
	case err == nil:
		p.made = true
		return nil
	}
	return p.refused(err)
}

// journaled is what is kept of what is written: what is taken back is taken back where it was written.
type journaled struct {
	Server        string                  `json:"server"`
	Modifications []*connect.Modification `json:"modifications"`
}

// words says what is written, for the audit.
func (p *part) words() string {
	const most = 100
	words := make([]string, 0, min(len(p.all), most+1))
	for i, r := range p.all {
		if i == most {
			words = append(words, fmt.Sprintf("and %d more", len(p.all)-most))
			break
		}
		words = append(words, r.String())
	}
	return strings.Join(words, "; ")
}

// note keeps what is about to be written.
func (s *Writes) note(ctx context.Context, by operator.Actor, p *part) error {
	body, err := json.Marshal(journaled{p.w.Server(), p.list})
	if err != nil {
		return err
	}
	row := &store.Write{Directory: p.directory.Name, Began: time.Now(), Body: body}
	err = s.Store.BeginWrite(ctx, row, audit.Of(by, "write", p.directory.Name, audit.Done, p.words()))
	p.id = row.ID
	return err
}
