package sourcecheck

import (
	"cmp"
	"fmt"
	"slices"
	"strings"

	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
)

// nearUser tells where the name stands that was looked for, if somewhere else.
func (c *checking) nearUser(r *connect.Records, written string) {
	const most = 3
	n := 0
	for _, u := range r.Users {
		for _, x := range u.Attributes {
			for _, v := range x.Values {
				if name.Equal(v.Text, written) && n < most {
					n++
					c.step("near miss", "warned", "%s has %q as %s; the name that counts is %q", whereIs(u), written, x.Name, u.Name)
				}
			}
		}
	}
	if n > 0 || c.checked == nil || c.checked.Elsewhere == nil {
		return
	}
	near, err := c.checked.Elsewhere(written)
	if err != nil {
		c.step("near miss", "warned", "looking for the name elsewhere: %v", err)
	}
	for _, x := range near[:min(most, len(near))] {
		c.step(
			"near miss",
			"warned",
			"%s has %q as %s, but the attribute table does not select it as a user",
			x.DN,
			written,
			x.Attribute,
		)
	}
}

func whereIs(u *directory.User) string {
	return cmp.Or(u.DN, u.Name)
}

// nearGroups tells of names in the systems' lines that lead to nothing, but
// nearly to one of some groups.
func (c *checking) nearGroups(a *atlas.Atlas, groups []directory.GroupID) {
	for _, s := range c.systems(a) {
		for _, f := range s.Site.Findings {
			if f.Code != finding.UnknownName || len(f.Names) == 0 {
				continue
			}
			for _, g := range groups {
				group := a.Book.Group(g)
				if why := nearly(f.Names[0], group); why != "" {
					c.step(
						"near miss",
						"warned",
						"%s names %q, and the user is in %s: %s",
						s.Name()+"/"+f.Where.Rule,
						f.Names[0],
						cmp.Or(group.DN, a.Book.GroupName(g)),
						why,
					)
				}
			}
		}
	}
}

// nearly says in what a reference that leads to nothing misses a group by one
// thing; "" if it is another altogether.
func nearly(ref string, g *directory.Group) string {
	want, isDN := name.DN(ref)
	if !isDN {
		bare := ref[strings.LastIndexByte(ref, '/')+1:]
		if name.Fold(bare) == name.Fold(g.Name) {
			return "the same name in another directory"
		}
		if alike(bare, g.Name) {
			return "the name is nearly the same"
		}
		return ""
	}
	have, ok := name.DN(g.DN)
	if !ok {
		return ""
	}
	x, y := strings.Split(
		strings.TrimSuffix(want, "\x00"),
		"\x00",
	), strings.Split(
		strings.TrimSuffix(have, "\x00"),
		"\x00",
	)
	differ, at := 0, 0
	for i := range min(len(x), len(y)) {
		if x[i] != y[i] {
			differ, at = differ+1, i
		}
	}
	switch {
	case len(x) == len(y) && differ == 1 && at > 0:
		return fmt.Sprintf("the names differ in one part, %s and %s", part(x[at]), part(y[at]))
	case x[0] == y[0]:
		return "a group of that name is in another branch"
	case len(x) == len(y) && differ == 1 && alike(part(x[0]), part(y[0])):
		return "the name is nearly the same"
	}
	return ""
}

// alike says whether two names differ in a few letters.
func alike(a, b string) bool {
	const few = 3
	return len(name.NearWithin(a, few, slices.Values([]string{b}))) > 0
}

func part(rdn string) string { return strings.ToLower(strings.TrimSuffix(rdn, "\x01")) }
