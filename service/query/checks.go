package query

import (
	"context"
	"slices"
	"time"

	"gatemap/answer"
	"gatemap/core/finding"
	"gatemap/service/page"
)

func (c Checks) Findings(ctx context.Context, w answer.Wanted) (*answer.Findings, error) {
	return c.FindingsPage(ctx, w, 0, "")
}

// FindingsPage is a page of Findings; a limit of 0 is all.
func (c Checks) FindingsPage(_ context.Context, w answer.Wanted, limit int, cursor string) (*answer.Findings, error) {
	from, err := page.Read(cursor)
	if err != nil {
		return nil, err
	}
	f := answer.Find(c.Found(), w, from, limit)
	f.Next = page.Next(from, len(f.Findings), f.Total)
	return f, nil
}

// Besides answers with more findings than those of the map itself.
func (a Answers) Besides(more []finding.Finding) Answers {
	if len(more) == 0 {
		return a
	}
	found := a.Found
	a.Found = func() []finding.Finding {
		all := slices.Concat(found(), more)
		finding.Sort(all)
		return all
	}
	a.more = more
	return a
}

// patience is how long a page of what was found so far waits for more.
const patience = 100 * time.Millisecond

// FoundSoFar is a page of the findings that there are so far: the first time that they are
// asked for on a large map, looking takes seconds.
func (c Checks) FoundSoFar(w answer.Wanted, limit int) *answer.Findings {
	list, whole := c.finder.soFar(patience)
	if len(c.more) > 0 {
		list = slices.Concat(list, c.more)
		finding.Sort(list)
	}
	f := answer.Find(list, w, 0, limit)
	f.Pending = !whole
	if whole {
		f.Next = page.Next(0, len(f.Findings), f.Total)
	}
	return f
}

// Really answers with guarantees that are asked of what is really there.
func (a Answers) Really(look Guarantee) Answers {
	a.really = look
	return a
}

func (c Checks) Guarantees(ctx context.Context) (*answer.Guarantees, error) {
	all := slices.Clone(c.Kept())
	for i, p := range c.atlas.Guarantees {
		if p.Document.Really && c.really != nil {
			all[i] = c.really(ctx, c.atlas, p)
		}
	}
	return &answer.Guarantees{Guarantees: all}, nil
}
