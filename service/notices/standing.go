package notices

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"sync/atomic"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/finding"
	"gatemap/core/notice"
)

// topics are the topics of what is found in linked systems.
var topics = map[finding.Code]notice.Topic{
	finding.Excess: notice.Drift, finding.Short: notice.Drift, finding.Stranger: notice.Stranger,
	finding.Unreachable: notice.Connection, finding.Undelivered: notice.Delivery,
}

// watch sees what stands.
type watch struct {
	*Ports
	broken atomic.Pointer[string] // what is wrong with the audit; nil: nothing that is known
	next   time.Time              // when the audit is looked at again
	turned chan struct{}          // has something when broken is another
}

// standing is everything that stands and is of some topic that a receiver is told of. What nobody is
// told of is not looked at: it may be much work.
func (w *watch) standing(ctx context.Context, to map[string]*notice.Document) (all []notice.Standing, err error) {
	told := func(topics ...notice.Topic) bool {
		for _, d := range to {
			if len(d.About) == 0 ||
				slices.ContainsFunc(d.About, func(t notice.Topic) bool { return slices.Contains(topics, t) }) {
				return true
			}
		}
		return false
	}
	if told(notice.Audit) && time.Now().After(w.next) {
		w.next = time.Now().Add(verified)
		w.Working.Go(w.verify)
	}
	if why := w.broken.Load(); why != nil {
		all = append(all, notice.Standing{
			Topic: notice.Audit, Text: "The audit is not what was written: " + *why + ".", Turns: *why,
			Fix: "Keep a copy of the data folder, and see where it differs: gatemap audit verify.",
		})
	}
	if told(notice.Guarantee) {
		broken, err := w.guarantees(ctx)
		if err != nil {
			return nil, err
		}
		all = append(all, broken...)
	}
	if told(notice.Connection, notice.Intake) {
		sources, err := w.sources(ctx)
		if err != nil {
			return nil, err
		}
		all = append(all, sources...)
	}
	if told(notice.Drift, notice.Stranger, notice.Connection) {
		all = append(all, found(w.Readings.Findings(ctx))...)
	}
	if told(notice.Delivery) {
		all = append(all, found(w.Deliveries.Findings(ctx))...)
		left, err := w.left(ctx)
		if err != nil {
			return nil, err
		}
		all = append(all, left...)
	}
	return all, nil
}

// goesOn is how long a commit may write to a directory before what it wrote counts as left there.
const goesOn = time.Minute

// left are the directories in which there is what a commit wrote that was not made.
func (w *watch) left(ctx context.Context) (all []notice.Standing, err error) {
	open, err := w.Store.OpenWrites(ctx)
	for _, o := range open {
		if time.Since(o.Began) > goesOn {
			all = append(all, notice.Standing{
				Topic: notice.Delivery, Of: o.Directory, Key: "left",
				Text: fmt.Sprintf(
					"What a commit wrote to the directory %s before it failed is not taken back yet; "+
						"nothing is committed that writes there.",
					o.Directory,
				),
				Fix: "See that its server answers; it is tried again and again.",
			})
		}
	}
	return all, err
}

// guarantees are those that are broken.
func (w *watch) guarantees(ctx context.Context) (all []notice.Standing, err error) {
	guarantees, err := w.Head().Answers.Really(w.Readings.Kept).Guarantees(ctx)
	if err != nil {
		return nil, err
	}
	for i := range guarantees.Guarantees {
		if g := &guarantees.Guarantees[i]; g.Broken() {
			all = append(all, notice.Standing{
				Topic: notice.Guarantee, Key: g.Guarantee, Text: fmt.Sprintf("The guarantee %s is broken: %s", g.Guarantee,
					g.Reason),
				Turns: strings.Join(g.Users, "\n"), Fix: "See who breaks it, and by which routes: gatemap guarantees.",
			})
		}
	}
	return all, nil
}

// found is what is found in linked systems.
func found(findings []finding.Finding) (all []notice.Standing) {
	for _, f := range findings {
		topic, is := topics[f.Code]
		if !is {
			continue
		}
		one := notice.Standing{
			Topic: topic,
			Of:    f.Where.System,
			Key:   string(f.Code) + " " + f.Key,
			Text:  f.Message,
			Fix:   f.Fix,
		}
		if topic == notice.Drift {
			one.Turns = f.Message
		}
		all = append(all, one)
	}
	return all
}

// sources are the directories of which the newest run that ended failed, or of which one is held.
func (w *watch) sources(ctx context.Context) (all []notice.Standing, err error) {
	for _, d := range w.Head().Folder.Written.Map.Directories {
		if connect.Of(d.Source) == nil {
			continue
		}
		runs, err := w.Journal.List(ctx, d.Name, 10, "")
		if err != nil {
			return nil, err
		}
		if one := standsOf(d.Name, runs.Runs); one != nil {
			all = append(all, *one)
		}
	}
	return all, nil
}

// standsOf is what stands of a directory by its runs, the newest first; nil: nothing. Runs that go on,
// were cut off or were discarded say nothing.
func standsOf(named string, runs []answer.Run) *notice.Standing {
	for i := range runs {
		r := &runs[i]
		switch {
		case r.State.Running(), r.State == answer.RunCutOff, r.State == answer.RunDiscarded:
			continue
		case r.State == answer.RunFailed:
			return &notice.Standing{
				Topic: notice.Connection, Of: named,
				Text: fmt.Sprintf("The directory %s cannot be read: %s.", named, strings.TrimSuffix(r.Error, ".")),
				Fix:  "See what its source lacks: gatemap directory test " + named + ".",
			}
		case r.State == answer.RunHeld:
			return &notice.Standing{
				Topic: notice.Intake, Of: named, Turns: fmt.Sprint(r.ID, " ", r.Version),
				Text: fmt.Sprintf("Run %d of the directory %s is held: %s.", r.ID, named, r.Held),
				Fix:  fmt.Sprintf("Look at it, and commit it if that is meant: gatemap intake show %d.", r.ID),
			}
		}
		return nil
	}
	return nil
}

// verified is how often the whole audit is looked at.
const verified = 6 * time.Hour

// verify looks whether the audit holds. What is broken stays so.
func (w *watch) verify() {
	if w.broken.Load() != nil {
		return
	}
	why := w.Store.Trouble
	if why == "" {
		v, err := w.Audit.Verify(w.Closing, "")
		switch {
		case w.Closing.Err() != nil:
			return
		case err != nil:
			w.Log.Error("the audit cannot be looked at", "error", err)
			return
		case v.Holds:
			return
		}
		why = fmt.Sprintf("entry %d: %s", v.Broken, v.Reason)
	}
	w.Log.Error("the audit does not hold", "reason", why)
	w.broken.Store(&why)
	w.turned <- struct{}{}
}
