package accounts

import (
	"context"
	"fmt"
	"strings"
	"sync"
	"time"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/service/query"
)

// fresh is how long findings hold while the map stays as it is: records expire.
const fresh = time.Minute

// kept are the findings of a map, as they were last.
type kept struct {
	mu   sync.Mutex
	of   *query.Head
	at   time.Time
	list []finding.Finding
}

// Findings tell of those who have left and whose account is on, and of those whose account is to be made
// or moved: one of each a directory.
func (a *Accounts) Findings(ctx context.Context) []finding.Finding {
	a.kept.mu.Lock()
	defer a.kept.mu.Unlock()
	head := a.Head()
	if a.kept.of == head && time.Since(a.kept.at) < fresh {
		return a.kept.list
	}
	var all []finding.Finding
	for _, d := range head.Folder.Map.Directories {
		if d.Source == nil || d.Source.Accounts == nil {
			continue
		}
		plan, err := a.Plan(ctx, d.Name)
		if err != nil {
			return nil
		}
		all = append(all, found(d, plan)...)
	}
	a.kept.of, a.kept.at, a.kept.list = head, time.Now(), all
	return all
}

func found(d *directory.Document, plan *answer.Accounts) (all []finding.Finding) {
	var left, due []string
	for _, x := range plan.Accounts {
		switch x.Do {
		case answer.AccountOff:
			left = append(left, x.User)
		case answer.AccountMade, answer.AccountMoved:
			due = append(due, x.User)
		}
	}
	fix := fmt.Sprintf("Look at it, and stage it: gatemap accounts %s.", d.Name)
	if left != nil {
		all = append(all, finding.New(finding.LeaverOn, d.Source.Accounts.Place,
			fmt.Sprintf("In %s accounts of people who have left are on: %s.", d.Name, strings.Join(left, ", ")), fix, left...))
	}
	if due != nil {
		all = append(all, finding.New(finding.AccountDue, d.Source.Accounts.Place,
			fmt.Sprintf("In %s accounts are to be made or moved: %s.", d.Name, strings.Join(due, ", ")), fix, due...))
	}
	return all
}
