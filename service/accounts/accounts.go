// Package accounts plans the accounts of a directory by what is known of people in sources that feed
// it: who has none gets one, who is in another place is moved, and who has left is switched off
// (docs/connected.md, "New accounts"). It changes nothing: what it plans is staged in a trial.
package accounts

import (
	"cmp"
	"context"
	"encoding/json"
	"fmt"
	"maps"
	"slices"
	"strconv"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/account"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/service/query"
	"gatemap/stage"
	"gatemap/store"
)

// Accounts plans accounts.
type Accounts struct {
	Head     func() *query.Head
	Departed func(ctx context.Context, directory string) ([]store.Departed, error)

	kept kept
}

// Plan says what becomes of the accounts of a directory now. The error is a *directory.NotFoundError, or
// an *answer.ConflictError where the directory's accounts are not written.
func (a *Accounts) Plan(ctx context.Context, named string) (*answer.Accounts, error) {
	head := a.Head()
	d := head.Folder.Directory(named)
	switch {
	case d == nil:
		return nil, head.Folder.Missing(named)
	case d.Source == nil || d.Source.Accounts == nil:
		return nil, &answer.ConflictError{Message: fmt.Sprintf(
			"the source of directory %s does not say what new accounts are to be: give it write: "+
				"[members, active, users], and accounts (docs/connected.md)",
			d.Name,
		)}
	}
	departed, err := a.Departed(ctx, d.Name)
	if err != nil {
		return nil, err
	}
	p := planning{head: head, directory: d, now: time.Now(), taken: map[string]bool{}}
	for _, x := range departed {
		p.taken[x.Name] = true // lines that name who had it would be taken for lines about the other
	}
	p.names()
	return p.plan(), nil
}

// planning is what is planned for one directory.
type planning struct {
	head      *query.Head
	directory *directory.Document
	now       time.Time
	taken     map[string]bool // names, folded
	numbers   *account.Counter
	out       answer.Accounts
}

// names notes which names there are: in all directories, as a name that stands in two is not clear.
func (p *planning) names() {
	book := p.head.Atlas.Book
	for u := range book.AllUsers {
		p.taken[name.Fold(book.User(u).Name)] = true
	}
	for g := range book.AllGroups {
		p.taken[name.Fold(book.Group(g).Name)] = true
	}
	for _, x := range p.head.Folder.Records[p.directory.Name].Devices {
		p.taken[name.Fold(x.Name)] = true
	}
}

func (p *planning) plan() *answer.Accounts {
	users := p.head.Folder.Records[p.directory.Name].Users
	p.out = answer.Accounts{Directory: p.directory.Name, Accounts: []answer.AccountChange{}}
	p.numbers = account.NewCounter(p.directory.Source.Accounts.Numbers, users)
	for _, x := range p.head.Folder.Map.Directories {
		if x.Source == nil || x.Source.Feeds == nil || !name.Equal(x.Source.Feeds.Directory.Name, p.directory.Name) {
			continue
		}
		people := p.head.Folder.Records[x.Name].Users
		joins := connect.Joins(x.Source.Feeds, people)
		accounts := map[*directory.User][]*directory.User{} // by the record
		for _, u := range users {
			if r := joins[connect.Joining(x.Source.Feeds, u)]; r != nil {
				accounts[r] = append(accounts[r], u)
			}
		}
		sorted := slices.SortedFunc(
			slices.Values(people),
			func(a, b *directory.User) int { return strings.Compare(a.Name, b.Name) },
		)
		for _, r := range sorted {
			p.person(x, r, joins, accounts[r])
		}
	}
	return &p.out
}

// person plans for one person, who may have accounts.
func (p *planning) person(
	feed *directory.Document,
	r *directory.User,
	joins map[string]*directory.User,
	accounts []*directory.User,
) {
	x := answer.AccountChange{Person: name.Full(feed.Name, r.Name), DisplayName: called(r)}
	here := r.IsActive() && (r.Expires.IsZero() || p.now.Before(r.Expires.Time))
	for _, u := range accounts {
		x := x
		x.User = name.Full(p.directory.Name, u.Name)
		if here {
			p.moves(x, r, u)
		} else if u.IsActive() {
			p.off(x, r)
		}
	}
	if !here || len(accounts) > 0 {
		return
	}
	by := feed.Source.Feeds.By
	_, takes := connect.Written(p.directory.Source.Users, by)
	switch v := connect.Joining(feed.Source.Feeds, r); {
	case v == "":
		p.none(x, fmt.Sprintf("the record has no %s, which joins it to an account", by))
	case joins[v] != r:
		p.none(x, fmt.Sprintf("another record, %s, has the same %s", name.Full(feed.Name, joins[v].Name), by))
	case !takes && !strings.EqualFold(by, "userName"):
		p.none(x, fmt.Sprintf("directory %s does not take in %s, which joins records to accounts", p.directory.Name, by))
	default:
		p.create(x, r)
	}
}

// called is what a person is called, as far as the record tells.
func called(r *directory.User) string {
	parts := r.Attributes.First("name.givenName") + " " + r.Attributes.First("name.familyName")
	return cmp.Or(r.Attributes.First("displayName"), strings.TrimSpace(parts))
}

func (p *planning) none(x answer.AccountChange, why string) {
	x.Do, x.Why = answer.AccountNone, why
	p.out.Accounts = append(p.out.Accounts, x)
}

func (p *planning) add(x answer.AccountChange, do answer.AccountDo, why string, c stage.Change) {
	c.User = x.User
	x.Do, x.Why, x.Change = do, why, &c
	p.out.Accounts = append(p.out.Accounts, x)
}

// moves moves an account that stands in the place of another locality, department or whatever the
// place is made of.
func (p *planning) moves(x answer.AccountChange, r, u *directory.User) {
	pattern := p.directory.Source.Accounts.Where.Value
	if pattern == "" {
		return
	}
	_, above := name.CutDN(u.DN)
	to, lacks := account.Place(pattern, r)
	if lacks != "" || connect.SameReference(above, to) || !account.Movable(pattern, above) {
		return
	}
	p.add(x, answer.AccountMoved, fmt.Sprintf("from %s to %s", above, to), stage.Change{Do: stage.MoveUser, To: to})
}

// off switches the account of someone off who has left.
func (p *planning) off(x answer.AccountChange, r *directory.User) {
	why := "the record is inactive"
	if r.IsActive() {
		why = "the record has expired, " + r.Expires.UTC().Format(time.RFC3339)
	}
	if !slices.Contains(p.directory.Source.Write, directory.WriteActive) {
		p.none(x, why+", and the account is on: the source does not say write: active")
		return
	}
	p.add(x, answer.AccountOff, why, stage.Change{Do: stage.SwitchUser, Value: json.RawMessage(`"off"`)})
}

// longest is how long names of accounts are at most: of a domain controller's (sAMAccountName), and
// of Unix (LOGIN_NAME_MAX).
func (p *planning) longest() int {
	if table := p.directory.Source.Users; table != nil && strings.EqualFold(table.Name, "sAMAccountName") {
		return 20
	}
	return 32
}

// create makes an account.
func (p *planning) create(x answer.AccountChange, r *directory.User) {
	of := p.directory.Source.Accounts
	to, lacks := account.Place(of.Where.Value, r)
	if lacks == "" {
		x.User, x.Namesake, lacks = account.Name(
			of.Name.Value,
			r,
			p.longest(),
			func(n string) bool { return p.taken[name.Fold(n)] },
		)
	}
	if lacks != "" {
		p.none(x, "the record has no "+lacks)
		return
	}
	values, lacks := p.values(r, x.User)
	if lacks != "" {
		p.none(x, lacks)
		return
	}
	value, err := json.Marshal(values)
	if err != nil {
		p.none(x, err.Error())
		return
	}
	p.taken[name.Fold(x.User)] = true
	x.User = name.Full(p.directory.Name, x.User)
	why := "below " + to
	if to == "" {
		why = "by a name that is free"
	}
	if x.Namesake != "" {
		why = fmt.Sprintf("a namesake of %s; %s", x.Namesake, why)
	}
	p.add(x, answer.AccountMade, why, stage.Change{Do: stage.CreateUser, To: to, Value: value})
}

// values are the attributes of a new account; lacks says what keeps it from having them.
func (p *planning) values(r *directory.User, named string) (values map[string]any, lacks string) {
	of := p.directory.Source.Accounts
	values = map[string]any{}
	for attribute, v := range r.Attributes.Plain() {
		if _, takes := connect.Written(p.directory.Source.Users, attribute); takes {
			values[attribute] = v
		}
	}
	person := account.Value(r)
	for _, attribute := range slices.Sorted(maps.Keys(of.Attributes)) {
		written, missing := name.ParsePattern(of.Attributes[attribute]).Write(func(a string) string {
			if strings.EqualFold(a, "userName") {
				return named
			}
			return person(a)
		})
		if missing != "" {
			return nil, fmt.Sprintf("the record has no %s, of which %s is made", missing, attribute)
		}
		values[attribute] = written
	}
	if !of.Numbers.Empty() {
		n, ok := p.numbers.Next()
		if !ok {
			return nil, "no number is left of those for new accounts"
		}
		values["uidNumber"] = strconv.FormatUint(uint64(n), 10)
	}
	return values, ""
}
