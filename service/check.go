package service

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/finding"
	"gatemap/core/name"
)

// TestDirectory goes through everything that bringing in a directory needs, and,
// where a user is named, through how that user comes to groups that open
// something. Nothing is changed. tell is told each step as it is done.
func (s *Service) TestDirectory(ctx context.Context, named, user string, tell func(answer.Step)) (*answer.Checked, error) {
	return s.Head().Folder.Check(ctx, s.host, named, user, tell)
}

// Check is Service.TestDirectory for a folder.
func (f *Folder) Check(ctx context.Context, host connect.Host, named, user string, tell func(answer.Step)) (*answer.Checked, error) {
	d := f.directory(named)
	if d == nil {
		return nil, f.missing(named)
	}
	c := &checking{folder: f, host: host, document: d, tell: tell, out: &answer.Checked{Directory: d.Name, Steps: []answer.Step{}}}
	records := c.bring(ctx)
	if c.checked != nil {
		defer c.checked.Close()
	}
	if records == nil {
		return c.out, nil
	}
	for i, r := range records.Rejected {
		if i == sampled {
			c.step("rejected", "warned", "and %d more", len(records.Rejected)-sampled)
			break
		}
		c.step("rejected", "warned", "%s", r.Error())
	}
	switch came := len(records.Users) + len(records.Groups) + len(records.Devices); {
	case came == 0 && len(records.Rejected) > 0:
		c.step("result", "failed", "nothing would come in: all %d entries are rejected", len(records.Rejected))
	case came == 0:
		c.step("result", "failed", "nothing would come in: the filters match nothing, or the account that binds may not see what they match")
	case len(records.Users) == 0 && d.Source != nil && d.Source.Users != nil:
		c.step("result", "failed", "nobody would come in: no entry is taken for a user")
	}
	a, err := f.with(d.Name, *records).Compile("the map with directory " + d.Name)
	if err != nil {
		return nil, err
	}
	c.attributes(records, a)
	if user != "" {
		c.user(records, a, user)
	}
	return c.out, nil
}

type checking struct {
	folder   *Folder
	host     connect.Host
	document *directory.Document
	checked  *connect.Checked // nil: the records are in the map
	tell     func(answer.Step)
	out      *answer.Checked
}

func (c *checking) step(named, state, format string, args ...any) {
	s := answer.Step{Name: named, State: state, Detail: fmt.Sprintf(format, args...)}
	c.out.Steps = append(c.out.Steps, s)
	c.tell(s)
}

// bring brings in the records, step by step; nil if that fails.
func (c *checking) bring(ctx context.Context) *connect.Records {
	if c.document.Source == nil {
		c.step("source", "good", "the records are listed in the map itself")
		return new(c.folder.Records[c.document.Name])
	}
	job, from, err := connect.NewJob(c.document.Source, c.host, c.folder.Records[c.document.Name])
	if err != nil {
		c.step("tables", "failed", "%v", err)
		return nil
	}
	c.checked = from.Check(ctx, job, func(x connect.Step) {
		state := "good"
		if x.Failed {
			state = "failed"
		} else if x.Warned {
			state = "warned"
		}
		c.step(x.Name, state, "%s", x.Detail)
	})
	return c.checked.Records
}

// attributes tells of each attribute that the table brings in, or a system
// requires, how many users have it.
func (c *checking) attributes(r *connect.Records, a *atlas.Atlas) {
	required := map[string][]string{} // the systems that require an attribute
	var all []string
	add := func(attribute string) {
		if !slices.ContainsFunc(all, func(x string) bool { return strings.EqualFold(x, attribute) }) {
			all = append(all, attribute)
		}
	}
	if s := c.document.Source; s != nil && s.Users != nil {
		for ours := range s.Users.Attributes {
			add(ours)
		}
	}
	for _, s := range a.Systems {
		for _, attribute := range s.Document.Requires {
			add(attribute)
			required[name.Fold(attribute)] = append(required[name.Fold(attribute)], s.Name())
		}
	}
	slices.Sort(all)
	for _, attribute := range all {
		var lack []string
		n := 0
		for _, u := range r.Users {
			if len(u.Attributes.Get(name.Fold(attribute))) > 0 || strings.EqualFold(attribute, "userName") {
				continue
			}
			if n++; n <= 3 {
				lack = append(lack, u.Name)
			}
		}
		state, detail := "good", fmt.Sprintf("%s: %d of %d users", attribute, len(r.Users)-n, len(r.Users))
		if n > 0 {
			detail += "; without it are " + strings.Join(lack, ", ")
			if n > 3 {
				detail += fmt.Sprintf(" and %d more", n-3)
			}
		}
		if systems := required[name.Fold(attribute)]; systems != nil {
			detail += "; required by " + strings.Join(systems, ", ")
			if n > 0 {
				state = "warned"
			}
			if n > 0 && n == len(r.Users) {
				state = "failed"
			}
		} else if n == len(r.Users) && n > 0 {
			state = "warned"
		}
		c.step("attribute", state, "%s", detail)
	}
}

// user tells where a user was found, in which groups, and what these are mapped
// to.
func (c *checking) user(r *connect.Records, a *atlas.Atlas, written string) {
	id, err := a.Book.FindUser(written, c.document.Name)
	if err != nil {
		c.step("user", "failed", "%v", err)
		c.nearUser(r, written)
		return
	}
	u := a.Book.User(id)
	where := cmp.Or(u.DN, u.Place.String())
	state := "good"
	switch {
	case !u.IsActive():
		state, where = "failed", where+"; the account is inactive, so it holds nothing"
	case !u.Expires.IsZero() && !time.Now().Before(u.Expires.Time):
		state, where = "failed", where+"; the account expired at "+u.Expires.UTC().Format(time.RFC3339)+", so it holds nothing"
	}
	c.step("user", state, "%s is at %s", a.Book.UserName(id), where)
	for _, s := range a.Systems {
		for _, attribute := range s.Document.Requires {
			if len(u.Attributes.Get(name.Fold(attribute))) == 0 && !strings.EqualFold(attribute, "userName") {
				c.step("required", "failed", "%s requires %s, which the user does not have, so everything there is shut", s.Name(), attribute)
			}
		}
	}
	groups := a.Book.Subject(id).Groups()
	if len(groups) == 0 {
		c.step("groups", "failed", "the user is in no group")
		c.nearGroups(a, groups)
		return
	}
	names := make([]string, len(groups))
	for i, g := range groups {
		names[i] = a.Book.GroupName(g)
	}
	c.step("groups", "good", "%d: %s", len(groups), strings.Join(names, ", "))
	found := false
	for _, s := range a.Systems {
		var by []string
		for g := range s.Site.Roster.Groups {
			if _, in := slices.BinarySearch(groups, g); in {
				by = append(by, a.Book.GroupName(g))
			}
		}
		if slices.Sort(by); len(by) > 0 {
			found = true
			c.step("mapped", "good", "in %s: %s", s.Name(), strings.Join(slices.Compact(by), ", "))
		}
	}
	if !found {
		c.step("mapped", "failed", "no line of any system names any of the groups, so they open nothing")
	}
	c.nearGroups(a, groups)
}

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
		c.step("near miss", "warned", "%s has %q as %s, but the attribute table does not select it as a user", x.DN, written, x.Attribute)
	}
}

func whereIs(u *directory.User) string {
	return cmp.Or(u.DN, u.Name)
}

// nearGroups tells of names in the systems' lines that lead to nothing, but
// nearly to one of some groups.
func (c *checking) nearGroups(a *atlas.Atlas, groups []directory.GroupID) {
	for _, s := range a.Systems {
		for _, f := range s.Site.Findings {
			if f.Code != finding.UnknownName || len(f.Names) == 0 {
				continue
			}
			for _, g := range groups {
				group := a.Book.Group(g)
				if why := nearly(f.Names[0], group); why != "" {
					c.step("near miss", "warned", "%s names %q, and the user is in %s: %s", s.Name()+"/"+f.Where.Rule, f.Names[0], cmp.Or(group.DN, a.Book.GroupName(g)), why)
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
		if slices.Contains(name.Near(bare, slices.Values([]string{g.Name})), g.Name) {
			return "the name is nearly the same"
		}
		return ""
	}
	have, ok := name.DN(g.DN)
	if !ok {
		return ""
	}
	x, y := strings.Split(strings.TrimSuffix(want, "\x00"), "\x00"), strings.Split(strings.TrimSuffix(have, "\x00"), "\x00")
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
	case len(x) == len(y) && differ == 1 && len(name.Near(part(x[0]), slices.Values([]string{part(y[0])}))) > 0:
		return "the name is nearly the same"
	}
	return ""
}

func part(rdn string) string { return strings.ToLower(strings.TrimSuffix(rdn, "\x01")) }
