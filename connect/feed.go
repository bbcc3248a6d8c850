package connect

import (
	"slices"

	"gatemap/core/directory"
	"gatemap/core/name"
)

// Feed decides attributes of accounts by records of another source. It holds
// what it made, so that an account and a record that did not change make the same
// account again. It is immutable.
type Feed struct {
	feeds *directory.Feeds
	made  map[*directory.User]decided
}

type decided struct{ record, account *directory.User }

// NewFeed makes a feed.
func NewFeed(feeds *directory.Feeds) *Feed {
	return &Feed{feeds, map[*directory.User]decided{}}
}

// Follows says whether a feed does what another source says.
func (f *Feed) Follows(feeds *directory.Feeds) bool {
	return f.feeds.Directory.Name == feeds.Directory.Name && f.feeds.By == feeds.By &&
		slices.Equal(f.feeds.Decides, feeds.Decides)
}

// Over gives back the accounts with the attributes that the records decide, the
// records that join no account, and the feed for the next time. Accounts that no
// record joins keep their own. No account is written to.
func (f *Feed) Over(accounts, records []*directory.User) (next *Feed, fed, alone []*directory.User) {
	by := name.Fold(f.feeds.By)
	joins := Joins(f.feeds, records)
	made, used := map[*directory.User]decided{}, map[*directory.User]bool{}
	fed = slices.Clone(accounts)
	for i, account := range accounts {
		r := joins[joining(account, by)]
		if r == nil {
			continue
		}
		used[r] = true
		d, known := f.made[account]
		if !known || d.record != r {
			d = decided{r, f.decide(account, r)}
		}
		made[account], fed[i] = d, d.account
	}
	for _, r := range records {
		if !used[r] {
			alone = append(alone, r)
		}
	}
	return &Feed{f.feeds, made}, fed, alone
}

// Joins are the records of a source that feeds a directory, by what joins them (Joining). Of several
// with one value it is the first.
func Joins(feeds *directory.Feeds, records []*directory.User) map[string]*directory.User {
	by := name.Fold(feeds.By)
	joins := make(map[string]*directory.User, len(records))
	for _, r := range records {
		if v := joining(r, by); v != "" && joins[v] == nil {
			joins[v] = r
		}
	}
	return joins
}

// Joining is what joins a record of a source, or an account; "" where it has none.
func Joining(feeds *directory.Feeds, u *directory.User) string {
	return joining(u, name.Fold(feeds.By))
}

// joining is the value by which a record joins: the first of the attribute.
func joining(u *directory.User, by string) string {
	return name.Fold(u.First(by))
}

func (f *Feed) decide(account, record *directory.User) *directory.User {
	now := *account
	now.Attributes = slices.Clone(account.Attributes)
	for _, a := range f.feeds.Decides {
		key := name.Fold(a)
		switch key {
		case "ACTIVE":
			now.Active = record.Active
			continue
		case "EXPIRES":
			now.Expires = record.Expires
			continue
		}
		now.Attributes = slices.DeleteFunc(
			now.Attributes,
			func(x directory.Attribute) bool { return name.Fold(x.Name) == key },
		)
		if values := record.Attributes.Get(key); len(values) > 0 {
			now.Attributes.Put(a, values)
		}
	}
	if userFields(account, &now) == nil {
		return account
	}
	return &now
}

// Joined finds the record, among those of a source that feeds a directory, that
// joins an account; nil if there is none.
func Joined(feeds *directory.Feeds, account *directory.User, records []*directory.User) *directory.User {
	by := name.Fold(feeds.By)
	key := joining(account, by)
	if key == "" {
		return nil
	}
	i := slices.IndexFunc(records, func(r *directory.User) bool { return joining(r, by) == key })
	if i < 0 {
		return nil
	}
	return records[i]
}
