package directory

import (
	"fmt"
	"strconv"
	"strings"

	"gatemap/core/place"
)

// Accounts says what the accounts are to be of people whom a source that feeds the directory knows
// (docs/connected.md, "New accounts").
type Accounts struct {
	Place      place.Place         `yaml:"-"`
	Where      place.Text          `yaml:"place" doc:"The entry below which an account is put, as a distinguished name with {attribute} of the person in it, such as ou={addresses.locality},ou=people,dc=cindervale,dc=example. Needed at a directory server."`
	Name       place.Text          `yaml:"name,required" doc:"What an account is called, such as {name.givenName}.{name.familyName}: in lower case and ASCII. A namesake gets a number."`
	Numbers    Numbers             `yaml:"numbers" doc:"The range of Unix numbers (uidNumber) for new accounts, such as 20000-29999. Missing: they get none."`
	Attributes map[string]string   `yaml:"attributes" doc:"Our attribute: what it is of a new account, with {attribute} of the person or {userName} in it. Others are those of the person."`
	Entry      map[string][]string `yaml:"entry" doc:"The server's attribute: what a new entry has of it besides, with {attribute} of the account in it, such as objectClass or homeDirectory."`
	Password   FirstPassword       `yaml:"password" doc:"shown (unless said): a new account gets a random first password, which who commits sees once; none: it gets none."`
}

// NewGroups says what the entries of new groups are to be.
type NewGroups struct {
	Place place.Place         `yaml:"-"`
	Where place.Text          `yaml:"place" doc:"The entry below which a new group is put, as a distinguished name. Missing: the base of groups, where there is one."`
	Entry map[string][]string `yaml:"entry" doc:"The server's attribute: what a new entry has of it, with {name} of the group in it, such as objectClass."`
}

// FirstPassword says what becomes of the first password of a new account.
type FirstPassword string

// Values lists what can become of it; shown is the default.
func (FirstPassword) Values() []string { return []string{"shown", "none"} }

// Numbers is a range of numbers, both ends included; the zero value is none.
type Numbers struct{ From, To uint32 }

// Empty says that there is no range.
func (n Numbers) Empty() bool { return n.To == 0 }

// Has says that a number is in the range.
func (n Numbers) Has(x uint32) bool { return !n.Empty() && x >= n.From && x <= n.To }

// UnmarshalText reads a range such as 20000-29999.
func (n *Numbers) UnmarshalText(text []byte) error {
	from, to, _ := strings.Cut(string(text), "-")
	a, errA := strconv.ParseUint(strings.TrimSpace(from), 10, 32)
	b, errB := strconv.ParseUint(strings.TrimSpace(to), 10, 32)
	if errA != nil || errB != nil || a == 0 || a > b {
		return fmt.Errorf("%q is not a range of numbers from 1 on, such as 20000-29999", text)
	}
	n.From, n.To = uint32(a), uint32(b)
	return nil
}

// MarshalText gives back what UnmarshalText reads.
func (n Numbers) MarshalText() ([]byte, error) {
	if n.Empty() {
		return nil, nil
	}
	return fmt.Appendf(nil, "%d-%d", n.From, n.To), nil
}
