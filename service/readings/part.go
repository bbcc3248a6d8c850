package readings

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"

	"gatemap/answer"
	"gatemap/connect/connectors"
	"gatemap/core/atlas"
	"gatemap/core/gate"
	"gatemap/core/gate/types"
	"gatemap/core/reading"
	"gatemap/mapfile"
	"gatemap/service/content"
	"gatemap/service/query"
	"gatemap/stage"
)

// AdoptedLines are the changes that take a part of what was read of a system into the map: of the
// lines of its drift that are named, those of the map go, and what those whom they are about are
// given there comes. right says of a map with the changes whether that is so, and nothing else is.
func (s *Readings) AdoptedLines(
	ctx context.Context, system string, lines []string,
) (changes []stage.Change, right func(*query.Head) error, err error) {
	head := s.Head()
	document, err := linked(head, system)
	if err != nil {
		return nil, nil, err
	}
	drift, err := s.drifted(ctx, head, document)
	if err != nil {
		return nil, nil, err
	}
	part, err := drift.Part(document, lines)
	var unknown *reading.NoLineError
	if errors.As(err, &unknown) {
		return nil, nil, answer.Invalid("lines", unknown.Named, err.Error())
	} else if err != nil {
		return nil, nil, err
	}
	var own []stage.Change
	if part.Own != nil {
		if own, err = withOwn(head, head.Documents(), part.Own); err != nil {
			return nil, nil, err
		}
	}
	now, err := head.Atlas.System(document.Name)
	if err != nil {
		return nil, nil, err
	}
	here := head.Folder.Files.Lines(now)
	goes, err := going(here, document, part)
	if err != nil {
		return nil, nil, err
	}
	declared, comes, err := coming(head, drift.Of, document, part)
	if err != nil {
		return nil, nil, err
	}
	stay := staying(here, goes)
	right = func(h *query.Head) error { return adoptedRight(drift.Of.Reading, part, h, stay) }
	return slices.Concat(own, goes, declared, comes), right, nil
}

// staying is how many lines of each list stay where some go.
func staying(lines map[string]content.Entry, goes []stage.Change) map[string]int {
	stay := map[string]int{}
	for _, e := range lines {
		stay[e.List] = max(stay[e.List], e.Number)
	}
	for _, c := range goes {
		stay[c.List]--
	}
	return stay
}

// adoptedRight says what a map with a part of a reading gives otherwise than that part says. A line
// can mean something else in the map, where what it names is declared otherwise.
func adoptedRight(r *reading.Reading, part *reading.Part, head *query.Head, stay map[string]int) error {
	s, err := head.Atlas.System(r.System)
	if err != nil {
		return err
	}
	real, err := reading.Compile(r, head.Atlas, s.Document)
	if err != nil {
		return err
	}
	after, err := between(real, s.Document)
	if err != nil {
		return err
	}
	lines := head.Folder.Files.Lines(s)
	came := func(line string) bool { e, is := lines[line]; return is && e.Number > stay[e.List] }
	if g, by := part.Otherwise(after, came); g != nil {
		return &answer.ConflictError{Message: fmt.Sprintf(
			"taken alone, these lines would not be what is there, as the map declares otherwise what they name: %s. "+
				"Adopt the whole system, or change its declarations first.", answer.OtherwiseWords(g, by),
		)}
	}
	return nil
}

// going removes lines of the map, from the last on, so that the numbers of those before stay.
func going(
	lines map[string]content.Entry, document *gate.System, part *reading.Part,
) (changes []stage.Change, err error) {
	for i := len(part.Goes) - 1; i >= 0; i-- {
		e, ok := lines[part.Goes[i]]
		if !ok {
			return nil, notFound(part.Goes[i])
		}
		c := stage.Change{Do: stage.RemoveLine, System: document.Name, List: e.List, Line: strconv.Itoa(e.Number)}
		changes = append(changes, c)
	}
	return changes, nil
}

// coming adds lines of what was read, and declares what they name.
func coming(
	head *query.Head, real *reading.Compiled, document *gate.System, part *reading.Part,
) (declared, comes []stage.Change, err error) {
	if len(part.Comes) == 0 {
		return nil, nil, nil
	}
	text, err := mapfile.Write(part.Document)
	if err != nil {
		return nil, nil, err
	}
	type spot struct {
		list   string
		number int
	}
	read, values := fileOf(text), map[spot][]byte{}
	for _, e := range read.Entries(readFile) {
		values[spot{e.List, e.Number}] = e.Value
	}
	stand, err := standing(real)
	if err != nil {
		return nil, nil, err
	}
	for _, named := range part.Comes {
		at := spot{stand[named].List, stand[named].Number} // the part has its lines where the whole has them
		if values[at] == nil {
			return nil, nil, notFound(named)
		}
		if missing := container(head, document, at.list); missing != "" {
			return nil, nil, &answer.ConflictError{Message: fmt.Sprintf(
				"%s stands in %s, which the map does not declare: declare it first, or adopt the whole system", named, missing,
			)}
		}
		comes = append(comes, stage.Change{Do: stage.AddLine, System: document.Name, List: at.list, Value: values[at]})
	}
	declared, err = declaring(head, document, read, comes)
	return declared, comes, err
}

// standing are the entries that the lines of what was read are, by the names of lines.
func standing(real *reading.Compiled) (map[string]content.Entry, error) {
	text, err := mapfile.Write(real.System.Document)
	if err != nil {
		return nil, err
	}
	read := fileOf(text)
	m, err := mapfile.Parse(read, types.Table, connectors.Kinds())
	if err != nil {
		return nil, err
	}
	was := real.Atlas
	a, err := was.With(atlas.Changed{Title: was.Title, Book: was.Book, Frame: was.Frame, Systems: m.Systems})
	if err != nil {
		return nil, err
	}
	s, err := a.System(real.Reading.System)
	if err != nil {
		return nil, err
	}
	return read.Lines(s), nil
}

// readFile is the name of a file that holds what was read.
const readFile = "reading"

func fileOf(text []byte) content.Files { return content.Files{{Path: readFile, Content: text}} }

func notFound(line string) error {
	return &answer.ConflictError{Message: fmt.Sprintf(
		"the line %s cannot be found where it is written: adopt the whole system", line,
	)}
}
