package host

import (
	"context"
	"path"
	"strings"
)

// expanded is what a path with wildcards, or that of a folder, leads to on a host.
type expanded struct {
	files, folders []string
	closed         bool // the account that reads may not look there
}

const meta = `*?[\`

// list asks what the paths of sudoers that have wildcards, and folders, lead to.
func (h *machine) list(ctx context.Context, entries []entry) error {
	h.files = map[string]expanded{}
	var in strings.Builder
	for i := range entries {
		file, _, _ := strings.Cut(entries[i].Command, " ")
		if _, asked := h.files[file]; asked || !strings.HasPrefix(file, "/") ||
			!strings.ContainsAny(file, meta) && !strings.HasSuffix(file, "/") {
			continue
		}
		h.files[file] = expanded{}
		in.WriteString(file + "\n")
	}
	if in.Len() == 0 {
		return nil
	}
	// Without separators, a path is only expanded, and what comes of it is not looked at again.
	out, err := h.must(ctx, `IFS=; while read -r p; do echo "@path $p"; `+
		`d=${p%%[*?[]*}; d=${d%/*}/; test -d "$d" && test ! -r "$d" && echo @closed; `+
		`case "$p" in */) set -- $p* $p.[!.]*;; *) set -- $p;; esac; `+
		`for f do if test -d "$f"; then echo "d$f"; elif test -f "$f"; then echo "f$f"; fi; done; done; true`, in.String())
	if err != nil {
		return err
	}
	for _, part := range strings.Split("\n"+out, "\n@path ")[1:] {
		pattern, found, _ := strings.Cut(part, "\n")
		var l expanded
		for line := range strings.Lines(found) {
			switch line = strings.TrimRight(line, "\n"); {
			case line == "@closed":
				l.closed = true
			case strings.HasPrefix(line, "d"):
				l.folders = append(l.folders, line[1:])
			case strings.HasPrefix(line, "f"):
				l.files = append(l.files, line[1:])
			}
		}
		h.files[pattern] = l
	}
	return nil
}

// patterns are the command lines that a command of sudoers means, but for some. What cannot be
// said with patterns is noted, and told is false.
func (h *machine) patterns(m *member) (list, except []string, told bool) {
	unsaid := func(why string) ([]string, []string, bool) {
		h.notes("sudoers", "the command %s: %s", m.Command, why)
		return nil, nil, false
	}
	if m.SHA224 != nil || m.SHA256 != nil || m.SHA384 != nil || m.SHA512 != nil {
		h.notes("sudoers", "the command %s: only while the program has a digest", m.Command)
	}
	if m.Command == "ALL" {
		return []string{"*"}, nil, true
	}
	file, args, has := strings.Cut(m.Command, " ")
	tails, plain := tails(args, has)
	switch {
	case m.Command == "list":
		return unsaid("listing what others may run")
	case strings.HasPrefix(file, "^") || has && strings.HasPrefix(args, "^"):
		return unsaid("a regular expression")
	case !plain || strings.Contains(file, `\`) || file == "sudoedit" && strings.ContainsAny(args, meta):
		return unsaid("wildcards that no pattern has")
	case file == "sudoedit" && !has:
		return []string{"sudoedit *"}, nil, true
	case file == "sudoedit":
		return []string{"sudoedit " + args}, nil, true
	}
	found := h.files[file]
	if found.closed {
		return unsaid("the account that reads may not see what is there")
	}
	files := []string{file}
	folder := strings.TrimSuffix(file, "*")
	whole := strings.HasSuffix(folder, "/") && !strings.ContainsAny(folder, meta)
	if whole && len(tails) == 2 && (!m.Negated || len(found.folders) == 0) {
		for _, f := range found.folders {
			except = append(except, h.real(path.Clean(f))+"/*")
		}
		return []string{h.real(folder) + "*"}, except, true
	}
	if whole || strings.ContainsAny(file, meta) {
		files = found.files
	}
	for _, f := range files {
		for _, t := range tails {
			list = append(list, h.spell(f)+t)
		}
	}
	return list, nil, true
}

// tails are how a command line goes on after the program (sudoers(5), Command and Wildcards): with
// anything, unless the rule has arguments. plain is false for wildcards that no pattern has.
func tails(args string, has bool) (list []string, plain bool) {
	switch {
	case !has || strings.Trim(args, "*") == "":
		return []string{"", " *"}, true
	case args == `""`:
		return []string{""}, true
	case args == "?*":
		return []string{" *"}, true
	}
	return []string{" " + args}, !strings.ContainsAny(args, `?[\`)
}
