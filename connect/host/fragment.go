package host

import (
	"context"
	"fmt"
	"slices"
	"strconv"
	"strings"

	"gatemap/connect"
	"gatemap/core/gate"
	"gatemap/core/gate/hosts"
)

// The fragment of sudoers that is delivered is a file of its own, which begins with the mark of the map.
const (
	fragments = "/etc/sudoers.d/"
	notByHand = "# What is changed here by hand is written over by the next delivery."
)

// fragmentOf is the file of a system. Names with a dot are not read by sudo.
func fragmentOf(system string) string {
	var b strings.Builder
	for _, r := range strings.ToLower(system) {
		if r >= 'a' && r <= 'z' || r >= '0' && r <= '9' || r == '-' {
			b.WriteRune(r)
		} else {
			b.WriteString("_" + strconv.FormatInt(int64(r), 16))
		}
	}
	return fragments + "gatemap-" + b.String()
}

// readFragment reads what was delivered.
func (h *machine) readFragment(ctx context.Context, system string) (err error) {
	file := fragmentOf(system)
	h.fragment, err = h.privileged(ctx, "sh -c "+quoted("test ! -e "+file+" || cat "+file))
	return err
}

// marked is the fragment with some rules; "" without any.
func marked(mark connect.Mark, rules []string) string {
	if len(rules) == 0 {
		return ""
	}
	return "# " + mark.String() + "\n" + notByHand + "\n" + strings.Join(rules, "\n") + "\n"
}

// rulesOf are the rules of a fragment, with the map that delivered it.
func rulesOf(fragment string) (by connect.Mark, rules []string) {
	for line := range strings.Lines(fragment) {
		line = strings.TrimRight(line, "\n")
		if m := connect.ParseMark(strings.TrimPrefix(line, "# ")); m != (connect.Mark{}) {
			by = m
		}
		if line != "" && !strings.HasPrefix(line, "#") {
			rules = append(rules, line)
		}
	}
	return by, rules
}

// byLogin are the groups that the lines of a system let in, by their names there.
func byLogin(d *hosts.Document, names *gate.Written) (list []string) {
	if d == nil {
		return nil
	}
	for i := range d.Login {
		for _, g := range d.Login[i].Groups {
			bare := g.Name[strings.LastIndexByte(g.Name, '/')+1:]
			list = append(list, names.Group(bare))
		}
	}
	slices.Sort(list)
	return slices.Compact(list)
}

// written are patterns of command lines of a map as sudoers has them (sudoers(5), "Command Specification"
// and "Wildcards"), each with a sign before it. What sudoers cannot say exactly, or reads otherwise, is
// an error.
func written(patterns []string, sign string) (list []string, err error) {
	patterns = slices.Sorted(slices.Values(patterns))
	for _, p := range slices.Compact(patterns) {
		program, args, has := strings.Cut(p, " ")
		bare, anything := slices.Contains(patterns, program), slices.Contains(patterns, program+" *")
		switch {
		case p == "*":
			return []string{sign + "ALL"}, nil
		case program == "sudoedit" && args == "*":
			list = append(list, sign+"sudoedit")
		case program == "sudoedit" && has && plain(args) && !strings.Contains(args, "*") && strings.HasPrefix(args, "/"):
			list = append(list, sign+p)
		case !strings.HasPrefix(p, "/") || !plain(program) || strings.Contains(program, "*") ||
			strings.HasSuffix(program, "/") || has && !plain(args):
			return nil, fmt.Errorf("%q", p)
		case !has && anything:
			list = append(list, sign+program)
		case !has:
			list = append(list, sign+program+` ""`)
		case args == "*" && bare: // said already
		case args == "*":
			list = append(list, sign+program+" ?*")
		default:
			list = append(list, sign+p)
		}
	}
	return list, nil
}

// plain says whether a text has only signs that mean themselves in sudoers, and *.
func plain(text string) bool {
	if text == "" || strings.Contains(text, "  ") || strings.HasPrefix(text, " ") || strings.HasSuffix(text, " ") {
		return false
	}
	return !strings.ContainsFunc(text, func(r rune) bool {
		return !(r >= 'a' && r <= 'z' || r >= 'A' && r <= 'Z' || r >= '0' && r <= '9' || strings.ContainsRune(" _./+@%-*", r))
	})
}
