package changeset

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/mapfile"
	"gatemap/operator"
	"gatemap/stage"
)

// Withdraw stages that a user loses an entitlement that lines give to the user by
// name. What comes by a group is not changed on the person: the error, an
// *answer.ConflictError, names the group and the ways that there are.
func (s *Trials) Withdraw(
	ctx context.Context, by operator.Actor, named, user, system, right, object string,
) (*answer.Trial, error) {
	t, w, err := s.bench.standing(ctx, named)
	if err != nil {
		return nil, err
	}
	why, err := w.answers.Why(ctx, user, system, right, object, situation.Situation{})
	if err != nil {
		return nil, err
	}
	what := fmt.Sprintf("%s on %s in %s", why.Right, why.Object, why.System)
	if len(why.Routes) == 0 {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("no line gives %s %s", why.User, what)}
	}
	var lines, groups []string
	for _, r := range why.Routes {
		switch {
		case r.Direct:
			lines = append(lines, r.Mapping)
		default:
			groups = append(groups, throughWords(why.User, r))
		}
	}
	if groups != nil {
		return nil, &answer.ConflictError{Message: fmt.Sprintf("%s holds %s by a group, "+
			"which is not changed on the person: %s", why.User, what, strings.Join(groups, "; "))}
	}
	u, err := w.answers.Atlas.Book.FindUser(why.User, "")
	if err != nil {
		return nil, err
	}
	in, err := w.answers.Atlas.System(why.System)
	if err != nil {
		return nil, err
	}
	var changes []stage.Change
	// From the last line on, so that the numbers of those before stay.
	slices.Reverse(lines)
	for _, label := range slices.Compact(lines) {
		at := in.Site.Places[label]
		text, ok := w.folder.Files.Text(at.File)
		if !ok {
			return nil, &answer.ConflictError{Message: fmt.Sprintf("line %s cannot be found in the files of the map", label)}
		}
		c, err := without(text, at.Line, at.Column, func(ref string) bool {
			other, err := w.answers.Atlas.Book.LookUser(ref, "")
			return err == nil && other == u
		})
		if err != nil {
			return nil, &answer.ConflictError{Message: fmt.Sprintf("line %s: %v", label, err)}
		}
		changes = append(changes, c)
	}
	return s.Stage(ctx, by, named, t.Version, changes)
}

// throughWords says by which group a route comes, and what can be done about it.
func throughWords(user string, r rule.Route) string {
	if len(r.Path) == 0 {
		return fmt.Sprintf("line %s gives it to everyone: add the person to its exceptions", r.Mapping)
	}
	first, last := r.Path[0], r.Path[len(r.Path)-1].Group
	take := "remove the person from " + first.Group
	if directory.How(first.How) == directory.ByRule {
		take = "change the person's attributes, or the rule of " + first.Group
	}
	return fmt.Sprintf("line %s gives it to %s: %s, change the line, or add %s to its exceptions", r.Mapping, last, take,
		user)
}

// without is the change that takes a user out of a line that names the user; a line
// that then names nobody is removed.
func without(text *mapfile.Text, line, column int32, is func(string) bool) (stage.Change, error) {
	e, ok := text.Entry(line, column)
	if !ok {
		return stage.Change{}, fmt.Errorf("it is no longer where it was read")
	}
	c := stage.Change{Do: stage.RemoveLine, System: e.Document, List: strings.Join(e.List, " > "),
		Line: strconv.Itoa(e.Number)}
	at := e.At
	users, ok := text.Key(at, "users")
	if !ok {
		return c, fmt.Errorf("it names no users")
	}
	rest := 0
	for i := text.Size(users) - 1; i >= 0; i-- {
		if !is(text.Name(users.At(i))) {
			rest++
			continue
		}
		var err error
		if text, err = text.Remove(users.At(i)); err != nil {
			return c, err
		}
	}
	others := slices.ContainsFunc([]string{"groups", "everyone", "claims"},
		func(key string) bool { _, there := text.Key(at, key); return there })
	if rest == 0 && !others {
		return c, nil
	}
	if rest == 0 {
		var err error
		if text, err = text.Remove(users); err != nil {
			return c, err
		}
	}
	c.Do = stage.ChangeLine
	var err error
	c.Value, err = mapfile.JSON(text.Flow(at))
	return c, err
}
