package answer

import "gatemap/stage"

// Accounts is what becomes of the accounts of a directory by what is known of the people in sources
// that feed it.
type Accounts struct {
	Directory string          `json:"directory"`
	Accounts  []AccountChange `json:"accounts" doc:"By source and record." nullable:"false"`
}

// AccountDo says what becomes of an account.
type AccountDo string

// What becomes of accounts.
const (
	AccountMade  AccountDo = "create"
	AccountMoved AccountDo = "move"
	AccountOff   AccountDo = "switch-off"
	AccountNone  AccountDo = "none"
)

// AccountChange is what becomes of the account of one person.
type AccountChange struct {
	Do          AccountDo     `json:"do" enum:"create,move,switch-off,none" doc:"What becomes of the account; none: nothing can, for the reason given."`
	Person      string        `json:"person" doc:"The record of the person, with its source."`
	DisplayName string        `json:"display_name,omitempty"`
	User        string        `json:"user,omitempty" doc:"The account, by full name."`
	Namesake    string        `json:"namesake,omitempty" doc:"Whose name it would have been: the account has a number in its own."`
	Why         string        `json:"why" doc:"In words: where to, or for which reason."`
	Change      *stage.Change `json:"change,omitempty" doc:"The change to stage in a trial."`
}

// Changes are the changes to stage.
func (a *Accounts) Changes() (all []stage.Change) {
	for _, x := range a.Accounts {
		if x.Change != nil {
			all = append(all, *x.Change)
		}
	}
	return all
}
