package cli

import (
	"encoding/csv"
	"encoding/json"
	"fmt"
	"maps"
	"os"
	"regexp"
	"slices"
	"strings"
	"unicode/utf8"

	"github.com/spf13/cobra"
	"golang.org/x/term"

	"gatemap/core/name"
	"gatemap/core/rule"
	"gatemap/core/situation"
)

// format is the form in which an answer is written.
type format string

const (
	asText format = "text"
	asJSON format = "json"
	asCSV  format = "csv"
	// To be pasted into a ticket, or posted on a merge request.
	asMarkdown format = "markdown"
	// For checks alone, in the forms that code reviews and pipelines read.
	asSARIF format = "sarif"
	asJUnit format = "junit"
)

var formats = []string{
	string(asText),
	string(asJSON),
	string(asCSV),
	string(asMarkdown),
	string(asSARIF),
	string(asJUnit),
}

// moreForms is where a command says which forms it has besides text, JSON and CSV.
const moreForms = "forms"

// also says that a command has more forms of output than text, JSON and CSV.
func also(cmd *cobra.Command, forms ...format) *cobra.Command {
	if cmd.Annotations == nil {
		cmd.Annotations = map[string]string{}
	}
	for _, f := range forms {
		cmd.Annotations[moreForms] += " " + string(f)
	}
	return cmd
}

// checkFormat sees that a command has the form that is asked for.
func (a *app) checkFormat(cmd *cobra.Command) error {
	has := append([]string{string(asText), string(asJSON), string(asCSV)}, strings.Fields(cmd.Annotations[moreForms])...)
	if slices.Contains(has, a.format.String()) {
		return nil
	}
	return &usageError{fmt.Sprintf("%s has no -o %s; it has %s", cmd.CommandPath(), a.format, strings.Join(has, ", "))}
}

func (f *format) String() string {
	if *f == "" {
		return string(asText)
	}
	return string(*f)
}

func (f *format) Type() string { return "form" }

func (f *format) Set(s string) error {
	if !slices.Contains(formats, s) {
		return fmt.Errorf("one of %s", strings.Join(formats, ", "))
	}
	*f = format(s)
	return nil
}

func env(name string) string { return os.Getenv("GATEMAP_" + name) }

func (a *app) writeJSON(v any) error {
	enc := json.NewEncoder(a.out)
	enc.SetEscapeHTML(false)
	enc.SetIndent("", "  ")
	return enc.Encode(v)
}

func (a *app) writeCSV(rows [][]string) error {
	w := csv.NewWriter(a.out)
	for _, row := range rows {
		safe := make([]string, len(row))
		for i, cell := range row {
			safe[i] = guarded(cell)
		}
		if err := w.Write(safe); err != nil {
			return err
		}
	}
	w.Flush()
	return w.Error()
}

// formula is what a spreadsheet would run, and figure what it would not.
var (
	formula = regexp.MustCompile(`^[=+\-@\t\r]`)
	figure  = regexp.MustCompile(`^-?\d+(\.\d+)?$`)
)

// guarded is a cell that no spreadsheet runs, with an apostrophe in front where one would.
func guarded(cell string) string {
	if formula.MatchString(cell) && !figure.MatchString(cell) {
		return "'" + cell
	}
	return cell
}

// The signs of the states: a gate whose bar is open, half drawn or full.
var signs = map[rule.State]string{rule.Open: "┃ ┃", rule.Depends: "┃╌┃", rule.Shut: "┃━┃", rule.None: " · "}

// style is a colour of the terminal, by its number in ECMA-48.
type style string

const (
	plainStyle style = ""
	strong     style = "1"
	faint      style = "2"
	red        style = "31"
	green      style = "32"
	yellow     style = "33"
)

var stateStyles = map[rule.State]style{rule.Open: green, rule.Depends: yellow, rule.Shut: red, rule.None: faint}

// paint colours text where the output is a terminal and NO_COLOR is not set.
func (a *app) paint(s style, text string) string {
	if s == plainStyle || !a.colour() {
		return text
	}
	return "\x1b[" + string(s) + "m" + text + "\x1b[0m"
}

func (a *app) colour() bool {
	f, ok := a.out.(*os.File)
	return ok && os.Getenv("NO_COLOR") == "" && os.Getenv("TERM") != "dumb" && term.IsTerminal(int(f.Fd()))
}

func (a *app) state(s rule.State) string {
	return a.paint(stateStyles[s], fmt.Sprintf("%s %-7s", signs[s], s))
}

// print writes text. What is not seen in it is written out, but for the colours of paint:
// names come from anywhere, and must not steer a terminal.
func (a *app) print(format string, args ...any) {
	text := fmt.Sprintf(format, args...)
	if !a.colour() {
		fmt.Fprint(a.out, name.Text(text))
		return
	}
	from := 0
	for _, at := range painted.FindAllStringIndex(text, -1) {
		fmt.Fprint(a.out, name.Text(text[from:at[0]]), text[at[0]:at[1]])
		from = at[1]
	}
	fmt.Fprint(a.out, name.Text(text[from:]))
}

// painted is what paint writes around a text.
var painted = regexp.MustCompile(`\x1b\[(?:0|1|2|31|32|33)m`)

// pad fills text up to a width, counted in characters.
func pad(text string, width int) string {
	if n := utf8.RuneCountInString(text); n < width {
		return text + strings.Repeat(" ", width-n)
	}
	return text
}

// widest is the width of the widest of some texts.
func widest[T any](list []T, text func(T) string) int {
	w := 0
	for _, x := range list {
		w = max(w, utf8.RuneCountInString(text(x)))
	}
	return w
}

// joinWays writes the ways in which something is open: any way; needs of one with a plus.
func joinWays(ways [][]situation.Need, more bool) string {
	parts := make([]string, len(ways))
	for i, way := range ways {
		if parts[i] = written(way, " + "); len(way) == 0 {
			parts[i] = "any case"
		}
	}
	if more {
		parts = append(parts, "…")
	}
	return strings.Join(parts, "; ")
}

// written joins what answers have as texts of their own, such as needs, as they stand.
func written[T ~string](list []T, between string) string {
	return labels(list, func(x T) string { return string(x) }, between)
}

func joinStops(stops []rule.Stop) string {
	parts := make([]string, len(stops))
	for i, s := range stops {
		parts[i] = strings.TrimSpace(fmt.Sprintf("%s at %s %s", s.Reason, s.At, s.Detail))
	}
	return strings.Join(parts, "; ")
}

// entitlementHead and entitlementCells are the columns of a table that say what becomes of
// an entitlement.
var entitlementHead = []string{"state", "breadth", "needs", "shut_by", "routes", "reply", "claims", "watch", "open_if"}

func entitlementCells(e *rule.Entitlement) []string {
	return []string{
		e.State.String(), e.Breadth, written(e.Needs, "; "), joinStops(e.ShutBy), joinRoutes(e.Routes),
		joinReply(e.Reply), joinClaims(e.Claims), joinWatch(e.Watch), joinWays(e.OpenIf, e.More),
	}
}

func joinReply(reply map[string]any) string {
	return joinKeys(reply, func(v any) string { return fmt.Sprint(v) })
}

func joinClaims(claims map[string][]string) string {
	return joinKeys(claims, func(values []string) string { return strings.Join(values, ", ") })
}

func joinKeys[T any](m map[string]T, text func(T) string) string {
	var parts []string
	for _, key := range slices.Sorted(maps.Keys(m)) {
		parts = append(parts, key+"="+text(m[key]))
	}
	return strings.Join(parts, "; ")
}

func joinWatch(watched []rule.Watch) string {
	var parts []string
	for _, w := range watched {
		parts = append(parts, w.Policy+" "+w.Would)
	}
	return strings.Join(parts, "; ")
}

func joinRoutes(routes []rule.Route) string {
	parts := make([]string, len(routes))
	for i, r := range routes {
		groups := make([]string, len(r.Path))
		for j, h := range r.Path {
			groups[j] = h.Group
		}
		if r.By != "" {
			groups = append(groups, r.By)
		}
		parts[i] = strings.Join(append(groups, r.Mapping), " > ")
	}
	return strings.Join(parts, "; ")
}

// count writes a number with its word.
func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}
