package changeset

import (
	"encoding/json"
	"fmt"
	"slices"
	"strings"

	"gatemap/operator"
	"gatemap/stage"
	"gatemap/store"
)

// mayStage says whether someone may stage a change.
func mayStage(by operator.Actor, c *stage.Change) error {
	if by.Systems == nil {
		return nil
	}
	if c.IsLine() && by.Sees(c.System) {
		return nil
	}
	return &operator.ForbiddenError{
		Actor:  by,
		Reason: fmt.Sprintf("%s may change lines of %s, and nothing else", by.Name, strings.Join(by.Systems, ", ")),
	}
}

// mayTouch says whether someone may see, change and remove a trial: who is limited to
// some systems may only where they began it, and nobody staged anything else in it.
func mayTouch(by operator.Actor, t *store.Trial) error {
	if by.Systems == nil {
		return nil
	}
	var changes []stage.Signed
	err := json.Unmarshal(t.Changes, &changes)
	if err == nil && t.Author == by.Name &&
		!slices.ContainsFunc(changes, func(c stage.Signed) bool { return mayStage(by, &c.Change) != nil }) {
		return nil
	}
	return &operator.ForbiddenError{
		Actor: by,
		Reason: fmt.Sprintf(
			"%s is limited to %s, and to trials of its own with nothing else in them",
			by.Name,
			strings.Join(by.Systems, ", "),
		),
	}
}
