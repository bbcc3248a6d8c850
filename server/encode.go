package server

import (
	"encoding/binary"
	"io"
	"slices"
	"sync"

	"github.com/segmentio/encoding/json"

	"gatemap/answer"
	"gatemap/core/rule"
	"gatemap/core/situation"
	"gatemap/service/query"
)

// writeJSON writes what encoding/json writes with HTML left as it is, in half the time;
// everything that a user holds, which is long and asked for most, goes faster field by field.
func writeJSON(w io.Writer, v any) error {
	if h, ok := v.(*held); ok {
		return h.write(w)
	}
	if r, ok := v.(*answer.Reach); ok && r != nil {
		h, err := encode(r, func(visit func(rule.Entitlement)) {
			for _, e := range r.Entitlements {
				visit(e)
			}
		})
		if err != nil {
			return err
		}
		return h.write(w)
	}
	e := json.NewEncoder(w)
	e.SetEscapeHTML(false)
	return e.Encode(v)
}

// held is an answer.Reach as JSON, which is written while it is worked out: a list of all is
// longer than what is written of it.
type held struct{ page *[]byte }

// pages are used again for the next answer.
var pages = sync.Pool{New: func() any { return new([]byte) }}

// encode writes an answer with the entitlements that each visits.
func encode(r *answer.Reach, each query.Each) (*held, error) {
	h := &held{pages.Get().(*[]byte)}
	o := output{b: (*h.page)[:0]}
	o.reach(r, each)
	o.b = append(o.b, '\n')
	*h.page = o.b
	return h, o.err
}

// write writes the answer, once.
func (h *held) write(w io.Writer) error {
	_, err := w.Write(*h.page)
	pages.Put(h.page)
	h.page = nil
	return err
}

// output is JSON that is being written.
type output struct {
	b   []byte
	err error // the first
}

func (o *output) reach(r *answer.Reach, each query.Each) {
	o.text(`{"user":`, r.User)
	if r.DisplayName != "" {
		o.text(`,"display_name":`, r.DisplayName)
	}
	o.any(`,"situation":`, r.Situation)
	o.raw(`,"entitlements":`)
	if r.Entitlements == nil {
		o.raw("null")
	} else {
		next := byte('[')
		each(func(e rule.Entitlement) {
			o.b = append(o.b, next)
			o.entitlement(&e)
			next = ','
		})
		if next == '[' {
			o.b = append(o.b, next)
		}
		o.b = append(o.b, ']')
	}
	if len(r.Others) > 0 {
		o.any(`,"others":`, r.Others)
	}
	if len(r.Really) > 0 {
		o.any(`,"really":`, r.Really)
	}
	o.b = append(o.b, '}')
}

func (o *output) entitlement(e *rule.Entitlement) {
	o.text(`{"system":`, e.System)
	o.text(`,"object":`, e.Object)
	o.text(`,"right":`, e.Right)
	o.text(`,"state":`, e.State.String())
	if e.More {
		o.raw(`,"open_if_more":true`)
	}
	if e.Breadth != "" {
		o.text(`,"breadth":`, e.Breadth)
	}
	if len(e.Reply) > 0 {
		o.any(`,"reply":`, e.Reply)
	}
	if len(e.Claims) > 0 {
		o.any(`,"claims":`, e.Claims)
	}
	appendList(o, `,"needs":`, e.Needs, (*output).need)
	appendList(o, `,"open_if":`, e.OpenIf, (*output).way)
	appendList(o, `,"shut_by":`, e.ShutBy, (*output).stop)
	appendList(o, `,"routes":`, e.Routes, (*output).route)
	if len(e.Misses) > 0 {
		o.any(`,"misses":`, e.Misses)
	}
	if len(e.Watch) > 0 {
		o.any(`,"watch":`, e.Watch)
	}
	if e.DecidedAt != "" {
		o.text(`,"decided_at":`, e.DecidedAt)
	}
	o.b = append(o.b, '}')
}

func (o *output) need(n *situation.Need) { o.text("", string(*n)) }

func (o *output) way(all *[]situation.Need) { appendList(o, "", *all, (*output).need) }

func (o *output) stop(s *rule.Stop) {
	o.text(`{"reason":`, string(s.Reason))
	o.text(`,"at":`, s.At)
	if s.Detail != "" {
		o.text(`,"detail":`, s.Detail)
	}
	o.b = append(o.b, '}')
}

func (o *output) route(r *rule.Route) {
	o.text(`{"mapping":`, r.Mapping)
	if r.Direct {
		o.raw(`,"direct":true`)
	} else {
		o.raw(`,"direct":false`)
	}
	if r.By != "" {
		o.text(`,"by":`, r.By)
	}
	appendList(o, `,"path":`, r.Path, (*output).hop)
	o.b = append(o.b, '}')
}

func (o *output) hop(h *rule.Hop) {
	o.text(`{"group":`, h.Group)
	o.text(`,"how":`, h.How)
	o.b = append(o.b, '}')
}

// appendList writes a key and the elements of a list; one that is not there is null.
func appendList[T any](o *output, key string, all []T, write func(*output, *T)) {
	o.raw(key)
	if all == nil {
		o.raw("null")
		return
	}
	o.b = append(o.b, '[')
	for i := range all {
		if i > 0 {
			o.b = append(o.b, ',')
		}
		write(o, &all[i])
	}
	o.b = append(o.b, ']')
}

// raw writes what stands as it is.
func (o *output) raw(s string) { copy(o.room(len(s)), s) }

// room makes room for more bytes, and is that room. The list stays where it is unless it is full: a
// pointer that is written while the collector is at work costs more than what is copied.
func (o *output) room(more int) []byte {
	if cap(o.b)-len(o.b) < more {
		o.b = slices.Grow(o.b, more)
	}
	from := len(o.b)
	o.b = o.b[:from+more]
	return o.b[from:]
}

// text writes a key and a string.
func (o *output) text(key, s string) {
	o.raw(key)
	at := o.room(len(s) + 2)
	at[0], at[len(s)+1] = '"', '"'
	copy(at[1:], s)
	if !plain(at[1 : len(s)+1]) {
		o.b = json.AppendEscape(o.b[:len(o.b)-len(at)], s, 0)
	}
}

// plain reports whether bytes stand in a string as they are (RFC 8259 section 7): ASCII from the
// space on, without quotes and backslashes. Eight are looked at together: a byte with its
// high bit set, or below the space, or that becomes zero by XOR, sets the high bit of its place.
func plain(b []byte) bool {
	const ones, high = 0x0101010101010101, 0x8080808080808080
	odd := uint64(0)
	for ; len(b) >= 8; b = b[8:] {
		w := binary.LittleEndian.Uint64(b)
		quote, slash := w^ones*'"', w^ones*'\\'
		odd |= w | (w-ones*' ')&^w | (quote-ones)&^quote | (slash-ones)&^slash
	}
	for _, c := range b {
		if c < ' ' || c >= 0x80 || c == '"' || c == '\\' {
			return false
		}
	}
	return odd&high == 0
}

// any writes a key and what is of some other type.
func (o *output) any(key string, v any) {
	b, err := json.Append(append(o.b, key...), v, json.SortMapKeys)
	o.b = b
	if o.err == nil {
		o.err = err
	}
}
