// Package sourcecheck goes through everything that bringing in a directory needs, step by step,
// and says at which step it fails. It changes nothing.
package sourcecheck

import (
	"context"
	"fmt"
	"slices"
	"strings"

	"gatemap/answer"
	"gatemap/connect"
	"gatemap/core/atlas"
	"gatemap/core/directory"
	"gatemap/core/gate"
	"gatemap/core/name"
	"gatemap/service/content"
)

// Tested is what a test of a directory looks for besides: how a user comes to groups that
// open something, in one system or in any. The zero Tested is nobody.
type Tested struct{ User, System string }

// Folder is Directory for a map folder.
func Folder(
	ctx context.Context, path string, host connect.Host, named string, of Tested, tell func(answer.Step),
) (*answer.Checked, error) {
	f, err := content.ReadWithout(path, named)
	if err != nil {
		return nil, err
	}
	return Directory(ctx, f, host, named, of, tell)
}

// Directory goes through everything that bringing in a directory needs, and through
// what is looked for besides. Nothing is changed. tell is told each step as it is done. The
// error is a *directory.NotFoundError: there is no such directory or system.
func Directory(
	ctx context.Context, f *content.Folder, host connect.Host, named string, of Tested, tell func(answer.Step),
) (*answer.Checked, error) {
	d := f.Directory(named)
	if d == nil {
		return nil, f.Missing(named)
	}
	c := &checking{folder: f, host: host, document: d, tell: tell,
		out: &answer.Checked{Directory: d.Name, Steps: []answer.Step{}}}
	if of.System != "" {
		if err := c.narrow(of.System); err != nil {
			return nil, err
		}
	}
	records := c.bring(ctx)
	if c.checked != nil {
		defer c.checked.Close()
	}
	if records == nil {
		return c.out, nil
	}
	for i, r := range records.Rejected {
		if i == fewRejected {
			c.step("rejected", "warned", "and %d more", len(records.Rejected)-fewRejected)
			break
		}
		c.step("rejected", "warned", "%s", r.Error())
	}
	switch came := len(records.Users) + len(records.Groups) + len(records.Devices); {
	case came == 0 && len(records.Rejected) > 0:
		c.step("result", "failed", "nothing would come in: all %d entries are rejected", len(records.Rejected))
	case came == 0:
		c.step("result", "failed",
			"nothing would come in: the filters match nothing, or the account that binds may not see what they match")
	case len(records.Users) == 0 && d.Source != nil && d.Source.Users != nil:
		c.step("result", "failed", "nobody would come in: no entry is taken for a user")
	}
	a, err := f.With(d.Name, *records).Compile("the map with directory " + d.Name)
	if err != nil {
		return nil, err
	}
	c.attributes(records, a)
	if of.User != "" {
		if err := c.user(records, a, of.User); err != nil {
			return nil, err
		}
	}
	return c.out, nil
}

// fewRejected is how many of the records that are rejected are told one by one.
const fewRejected = 5

type checking struct {
	folder   *content.Folder
	host     connect.Host
	document *directory.Document
	checked  *connect.Checked // nil: the records are in the map
	tell     func(answer.Step)
	out      *answer.Checked
	system   string // the only one that counts; "": all do
}

// narrow lets one system count alone.
func (c *checking) narrow(named string) error {
	all := c.folder.Written.Map.Systems
	i := slices.IndexFunc(all, func(s *gate.System) bool { return name.Equal(s.Name, named) })
	if i < 0 {
		return &directory.NotFoundError{Kind: "system", Name: named, Near: name.Near(named, func(yield func(string) bool) {
			for _, s := range all {
				if !yield(s.Name) {
					return
				}
			}
		})}
	}
	c.system = all[i].Name
	return nil
}

// systems are those that count.
func (c *checking) systems(a *atlas.Atlas) []*atlas.System {
	if c.system == "" {
		return a.Systems
	}
	return slices.DeleteFunc(slices.Clone(a.Systems), func(s *atlas.System) bool { return s.Name() != c.system })
}

func (c *checking) step(named, state, format string, args ...any) {
	s := answer.Step{Name: named, State: state, Detail: fmt.Sprintf(format, args...)}
	c.out.Steps = append(c.out.Steps, s)
	c.tell(s)
}

// Told is a step of a connector as it is told.
func Told(x connect.Step) answer.Step {
	state := "good"
	if x.Failed {
		state = "failed"
	} else if x.Warned {
		state = "warned"
	}
	return answer.Step{Name: x.Name, State: state, Detail: x.Detail}
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
		s := Told(x)
		c.step(s.Name, s.State, "%s", s.Detail)
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
	for _, s := range c.systems(a) {
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
