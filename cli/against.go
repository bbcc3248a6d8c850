package cli

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"os"
	"slices"
	"strings"

	"github.com/spf13/cobra"

	"gatemap/answer"
	"gatemap/core/directory"
	"gatemap/core/name"
)

// against compares the members of a group with a list in a file.
func (a *app) against(cmd *cobra.Command, group, file string) error {
	wanted, err := a.readList(file)
	if err != nil {
		return err
	}
	return ask(a, cmd, func(ctx context.Context, asker answer.Asker) (*answer.Against, error) {
		m, err := asker.Members(ctx, group)
		if err != nil {
			return nil, err
		}
		got, err := compareMembers(ctx, asker, m, wanted)
		if err == nil {
			a.failed = len(got.Missing)+len(got.Extra)+len(got.NearMisses) > 0
		}
		return got, err
	}, a.againstText, func(x *answer.Against) [][]string {
		rows := [][]string{{"what", "name", "user", "why"}}
		for _, n := range x.Missing {
			rows = append(rows, []string{"missing", n, "", ""})
		}
		for _, n := range x.Extra {
			rows = append(rows, []string{"extra", "", n, ""})
		}
		for _, n := range x.NearMisses {
			rows = append(rows, []string{"near miss", n.Listed, n.User, n.Why})
		}
		return rows
	})
}

// readList reads the names of a file, or of the standard input where it is "-".
func (a *app) readList(file string) ([]string, error) {
	in := a.in
	if file != "-" {
		f, err := os.Open(file)
		if err != nil {
			return nil, &usageError{fmt.Sprintf("the list cannot be read: %v", err)}
		}
		defer f.Close()
		in = f
	}
	var names []string
	lines := bufio.NewScanner(io.LimitReader(in, 64<<20))
	for lines.Scan() {
		line, _, _ := strings.Cut(strings.NewReplacer(";", ",", "\t", ",").Replace(lines.Text()), ",")
		if line = strings.Trim(strings.TrimSpace(line), `"`); line != "" && !strings.HasPrefix(line, "#") {
			names = append(names, line)
		}
	}
	if err := lines.Err(); err != nil {
		return nil, fmt.Errorf("reading the list: %w", err)
	}
	return names, nil
}

func compareMembers(
	ctx context.Context,
	asker answer.Asker,
	m *answer.Members,
	wanted []string,
) (*answer.Against, error) {
	x := &answer.Against{Group: m.Group, Missing: []string{}, Extra: []string{}, NearMisses: []answer.NearMiss{}}
	extra := map[string]string{} // by folded full name
	bare := map[string][]string{}
	for _, member := range m.Members {
		full := name.Fold(member.User)
		extra[full] = member.User
		_, own, _ := strings.Cut(full, "/")
		bare[own] = append(bare[own], full)
	}
	var missing []string
	for _, w := range wanted {
		key := name.Fold(w)
		found := bare[key]
		if strings.Contains(w, "/") {
			found = nil
			if m := slices.ContainsFunc(bare[key[strings.IndexByte(key, '/')+1:]],
				func(full string) bool { return full == key }); m {
				found = []string{key}
			}
		}
		if len(found) == 0 {
			missing = append(missing, w)
			continue
		}
		x.Listed++
		for _, full := range found {
			delete(extra, full)
		}
	}
	for _, full := range extra {
		x.Extra = append(x.Extra, full)
	}
	slices.Sort(x.Extra)
	for _, w := range missing {
		near, err := nearMiss(ctx, asker, w, x.Extra)
		switch {
		case err != nil:
			return nil, err
		case near.User == "":
			x.Missing = append(x.Missing, w)
			continue
		}
		x.NearMisses = append(x.NearMisses, near)
		x.Extra = slices.DeleteFunc(x.Extra, func(e string) bool { return e == near.User })
	}
	return x, nil
}

// nearMiss says whom a name that is no member's may mean: a member who is not on
// the list, or somebody else where there is no such user.
func nearMiss(ctx context.Context, asker answer.Asker, listed string, extra []string) (answer.NearMiss, error) {
	own := listed[strings.LastIndexByte(listed, '/')+1:]
	for _, e := range extra {
		_, user, _ := strings.Cut(e, "/")
		if len(name.Near(own, slices.Values([]string{user}))) > 0 {
			return answer.NearMiss{Listed: listed, User: e, Why: "a member's name is nearly the same"}, nil
		}
	}
	_, err := asker.Memberships(ctx, listed)
	var missing *directory.NotFoundError
	switch {
	case err == nil:
		return answer.NearMiss{}, nil // a user, who is missing
	case !errors.As(err, &missing):
		return answer.NearMiss{}, err
	case len(missing.Candidates) > 0:
		return answer.NearMiss{
			Listed: listed,
			User:   strings.Join(missing.Candidates, " or "),
			Why:    "the name exists in several directories",
		}, nil
	case len(missing.Near) > 0:
		return answer.NearMiss{
			Listed: listed,
			User:   strings.Join(missing.Near, " or "),
			Why:    "there is no such user; a name is nearly the same",
		}, nil
	}
	page, err := asker.Search(ctx, listed, answer.KindUser, 2, "")
	if err == nil && len(page.Items) == 1 {
		return answer.NearMiss{Listed: listed, User: page.Items[0].Name, Why: "that is another name of this user"}, nil
	}
	return answer.NearMiss{}, err
}

func (a *app) againstText(x *answer.Against) error {
	a.print("%s\n\n", a.paint(strong, x.Group))
	list := func(heading string, s style, names []string) {
		if len(names) == 0 {
			return
		}
		a.print("%s\n", a.paint(s, heading))
		for _, n := range names {
			a.print("  %s\n", n)
		}
		a.print("\n")
	}
	list("Missing: on the list, not in the group", red, x.Missing)
	list("Extra: in the group, not on the list", red, x.Extra)
	var near []string
	for _, n := range x.NearMisses {
		near = append(near, fmt.Sprintf("%s  %s?  %s", n.Listed, n.User, n.Why))
	}
	list("Near misses", yellow, near)
	a.print(
		"%d as listed, %d missing, %d extra, %s\n",
		x.Listed,
		len(x.Missing),
		len(x.Extra),
		count(len(x.NearMisses), "near miss", "near misses"),
	)
	return nil
}
