package postgres

import (
	"cmp"
	"maps"
	"slices"
	"strings"

	"gatemap/core/delivery"
)

// statements are those of a delivery, by when they are made.
type statements struct{ taking, preparing, opening, giving, last []delivery.Statement }

func (s *statements) takes(text, why string) {
	s.taking = append(s.taking, delivery.Statement{Text: text, For: why, Effect: delivery.Takes})
}

func (s *statements) prepares(text, why string) {
	s.preparing = append(s.preparing, delivery.Statement{Text: text, For: why, Effect: delivery.Prepares})
}

// marks prepares nothing that what gives needs.
func (s *statements) marks(text, why string) {
	s.last = append(s.last, delivery.Statement{Text: text, For: why, Effect: delivery.Prepares})
}

// opens adds one that makes a login, or lets it be used: that is before it comes into groups.
func (s *statements) opens(text, why string) {
	s.opening = append(s.opening, delivery.Statement{Text: text, For: why, Effect: delivery.Gives})
}

func (s *statements) gives(text, why string) {
	s.giving = append(s.giving, delivery.Statement{Text: text, For: why, Effect: delivery.Gives})
}

func (s *statements) ordered() []delivery.Statement {
	return slices.Concat(s.taking, s.preparing, s.opening, s.giving, s.last)
}

// most is how many names one statement has at most.
const most = 50

// each hands on some names, quoted, as one statement after the other takes them.
func (s *statements) each(names []string, add func(list string)) {
	for list := range slices.Chunk(names, most) {
		var all []string
		for _, n := range list {
			all = append(all, quoted(n))
		}
		add(strings.Join(all, ", "))
	}
}

// batches puts privileges together that one statement can grant: the same ones on things of one
// kind.
func batches(list []privilege, add func(verbs, on string, list []privilege)) {
	of := map[*object][]privilege{}
	for _, x := range list {
		of[x.object] = append(of[x.object], x)
	}
	type batch struct{ kind, verbs string }
	alike := map[batch][]*object{}
	for o, held := range of {
		b := batch{o.kind, verbsOf(o, held)}
		alike[b] = append(alike[b], o)
	}
	for _, b := range slices.SortedFunc(maps.Keys(alike), func(x, y batch) int {
		return cmp.Or(strings.Compare(x.kind, y.kind), strings.Compare(x.verbs, y.verbs))
	}) {
		objects := alike[b]
		slices.SortFunc(objects, func(x, y *object) int { return strings.Compare(x.path, y.path) })
		for some := range slices.Chunk(objects, most) {
			var names []string
			var held []privilege
			for _, o := range some {
				names, held = append(names, o.sql), append(held, of[o]...)
			}
			add(b.verbs, nouns[b.kind]+" "+strings.Join(names, ", "), held)
		}
	}
}

// verbsOf are privileges on one thing as a statement has them: of a column each names it.
func verbsOf(o *object, held []privilege) string {
	var words []string
	for _, x := range held {
		word := strings.ToUpper(x.verb)
		if o.column != "" {
			word += " (" + o.column + ")"
		}
		words = append(words, word)
	}
	slices.Sort(words)
	return strings.Join(words, ", ")
}

// nouns are what statements call kinds of objects. A routine is a function of whatever sort.
var nouns = map[string]string{
	"database": "DATABASE",
	"schema":   "SCHEMA",
	"table":    "TABLE",
	"column":   "TABLE",
	"sequence": "SEQUENCE",
	"function": "ROUTINE",
}

// literal is a text as a statement has it.
func literal(text string) string {
	if strings.Contains(text, `\`) {
		return ` E'` + strings.NewReplacer(`\`, `\\`, `'`, `''`).Replace(text) + `'`
	}
	return `'` + strings.ReplaceAll(text, `'`, `''`) + `'`
}
