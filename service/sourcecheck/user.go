package sourcecheck

import (
	"cmp"
	"maps"
	"slices"
	"strings"
	"time"

	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/name"
	"gatemap/core/situation"
)

// user tells where a user was found, in which groups, and what these are mapped
// to.
func (c *checking) user(r *connect.Records, a *atlas.Atlas, written string) error {
	id, err := a.Book.FindUser(written, c.document.Name)
	if err != nil {
		c.step("user", "failed", "%v", err)
		c.nearUser(r, written)
		return nil
	}
	u := a.Book.User(id)
	where := cmp.Or(u.DN, u.Place.String())
	state := "good"
	switch {
	case !u.IsActive():
		state, where = "failed", where+"; the account is inactive, so it holds nothing"
	case !u.Expires.IsZero() && !time.Now().Before(u.Expires.Time):
		state, where = "failed", where+"; the account expired at "+u.Expires.UTC().Format(time.RFC3339)+
			", so it holds nothing"
	}
	c.step("user", state, "%s is at %s", a.Book.UserName(id), where)
	for _, s := range c.systems(a) {
		for _, attribute := range s.Document.Requires {
			if len(u.Attributes.Get(name.Fold(attribute))) == 0 && !strings.EqualFold(attribute, "userName") {
				c.step("required", "failed", "%s requires %s, which the user does not have, so everything there is shut", s.Name(),
					attribute)
			}
		}
	}
	groups := a.Book.Subject(id).Groups()
	if len(groups) == 0 {
		c.step("groups", "failed", "the user is in no group")
		return nil
	}
	names := make([]string, len(groups))
	for i, g := range groups {
		names[i] = a.Book.GroupName(g)
	}
	c.step("groups", "good", "%d: %s", len(groups), strings.Join(names, ", "))
	if err := c.mapped(a, id, groups); err != nil {
		return err
	}
	c.nearGroups(a, groups)
	return nil
}

// mapped tells for each system by which groups of the user its lines give something, also
// where they ask for claims that the groups are made into.
func (c *checking) mapped(a *atlas.Atlas, u directory.UserID, groups []directory.GroupID) error {
	facts, err := a.Facts(situation.Situation{})
	if err != nil {
		return err
	}
	found := false
	for _, s := range c.systems(a) {
		by := map[string]bool{}
		for g := range s.Site.Index.Groups {
			if _, in := slices.BinarySearch(groups, g); in {
				by[a.Book.GroupName(g)] = true
			}
		}
		claims := map[string]bool{}
		for _, e := range a.Reach(u, facts, s) {
			for _, r := range e.Routes {
				if n := len(r.Path); n > 0 {
					by[r.Path[n-1].Group] = true
				}
				if claim, is := strings.CutPrefix(r.By, "claim:"); is && strings.Contains(claim, "/") { // of another system
					claims[claim] = true
				}
			}
		}
		if len(by) > 0 {
			c.step("mapped", "good", "in %s: %s", s.Name(), strings.Join(slices.Sorted(maps.Keys(by)), ", "))
		}
		if len(claims) > 0 {
			c.step("mapped", "good", "in %s: by the claim %s", s.Name(), strings.Join(slices.Sorted(maps.Keys(claims)), ", "))
		}
		found = found || len(by)+len(claims) > 0
	}
	where := "any system"
	if c.system != "" {
		where = c.system
	}
	if !found {
		c.step("mapped", "failed", "no line of %s names any of the groups, so they open nothing there", where)
	}
	return nil
}
