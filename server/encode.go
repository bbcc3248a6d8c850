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
	h, o := &held{pages.Get().(*[]byte)}, output{}
	*h.page = append(o.reach((*h.page)[:0], r, each), '\n')
	return h, o.err
}

// write writes the answer, once.
func (h *held) write(w io.Writer) error {
	_, err := w.Write(*h.page)
	pages.Put(h.page)
	h.page = nil
	return err
}

// output adds JSON to what is written. Of entitlements, most parts are as in the one before: these
// are written once more as they stand there.
type output struct {
	err error // the first

	system string // with the part that it begins
	head   part
	needs  []situation.Need // with the part of both
	openIf [][]situation.Need
	ways   part
	path   []rule.Hop // with its part
	hops   part
}

// part is what stands from one byte to before another; nothing does in the zero part.
type part struct{ from, to int }

// again writes a part once more.
func (p part) again(b []byte) []byte { return append(b, b[p.from:p.to]...) }

// same says whether two lists are one and the same.
func same[T any](a, b []T) bool {
	if len(a) == 0 || len(b) == 0 {
		return len(a) == len(b) && (a == nil) == (b == nil)
	}
	return len(a) == len(b) && &a[0] == &b[0]
}

func (o *output) reach(b []byte, r *answer.Reach, each query.Each) []byte {
	b = text(append(b, `{"user":`...), r.User)
	if r.DisplayName != "" {
		b = text(append(b, `,"display_name":`...), r.DisplayName)
	}
	b = o.any(append(b, `,"situation":`...), r.Situation)
	b = append(b, `,"entitlements":`...)
	if r.Entitlements == nil {
		b = append(b, "null"...)
	} else {
		next := byte('[')
		each(func(e rule.Entitlement) {
			b = o.entitlement(append(b, next), &e)
			next = ','
		})
		if next == '[' {
			b = append(b, next)
		}
		b = append(b, ']')
	}
	if len(r.Others) > 0 {
		b = o.any(append(b, `,"others":`...), r.Others)
	}
	if len(r.Really) > 0 {
		b = o.any(append(b, `,"really":`...), r.Really)
	}
	return append(b, '}')
}

func (o *output) entitlement(b []byte, e *rule.Entitlement) []byte {
	if o.head.to > 0 && e.System == o.system {
		b = o.head.again(b)
	} else {
		from := len(b)
		b = text(append(b, `{"system":`...), e.System)
		o.system, o.head = e.System, part{from, len(b)}
	}
	b = text(append(b, `,"object":`...), e.Object)
	b = text(append(b, `,"right":`...), e.Right)
	b = append(append(b, `,"state":"`...), e.State.String()...)
	b = append(b, '"')
	if e.More {
		b = append(b, `,"open_if_more":true`...)
	}
	if e.Breadth != "" {
		b = text(append(b, `,"breadth":`...), e.Breadth)
	}
	if len(e.Reply) > 0 {
		b = o.any(append(b, `,"reply":`...), e.Reply)
	}
	if len(e.Claims) > 0 {
		b = o.any(append(b, `,"claims":`...), e.Claims)
	}
	b = o.depends(b, e)
	b = elements(append(b, `,"shut_by":`...), e.ShutBy, stop)
	b = elements(append(b, `,"routes":`...), e.Routes, o.route)
	if len(e.Misses) > 0 {
		b = o.any(append(b, `,"misses":`...), e.Misses)
	}
	if len(e.Watch) > 0 {
		b = o.any(append(b, `,"watch":`...), e.Watch)
	}
	if e.DecidedAt != "" {
		b = text(append(b, `,"decided_at":`...), e.DecidedAt)
	}
	return append(b, '}')
}

// depends writes what an entitlement needs, and in which ways it is open.
func (o *output) depends(b []byte, e *rule.Entitlement) []byte {
	if o.ways.to > 0 && same(e.OpenIf, o.openIf) && same(e.Needs, o.needs) {
		return o.ways.again(b)
	}
	from := len(b)
	b = elements(append(b, `,"needs":`...), e.Needs, need)
	b = elements(append(b, `,"open_if":`...), e.OpenIf, way)
	o.needs, o.openIf, o.ways = e.Needs, e.OpenIf, part{from, len(b)}
	return b
}

func need(b []byte, n *situation.Need) []byte { return text(b, string(*n)) }

func way(b []byte, all *[]situation.Need) []byte { return elements(b, *all, need) }

func stop(b []byte, s *rule.Stop) []byte {
	b = text(append(b, `{"reason":`...), string(s.Reason))
	b = text(append(b, `,"at":`...), s.At)
	if s.Detail != "" {
		b = text(append(b, `,"detail":`...), s.Detail)
	}
	return append(b, '}')
}

func (o *output) route(b []byte, r *rule.Route) []byte {
	b = text(append(b, `{"mapping":`...), r.Mapping)
	if r.Direct {
		b = append(b, `,"direct":true`...)
	} else {
		b = append(b, `,"direct":false`...)
	}
	if r.By != "" {
		b = text(append(b, `,"by":`...), r.By)
	}
	if o.hops.to > 0 && same(r.Path, o.path) {
		b = o.hops.again(b)
	} else {
		from := len(b)
		b = elements(append(b, `,"path":`...), r.Path, hop)
		o.path, o.hops = r.Path, part{from, len(b)}
	}
	return append(b, '}')
}

func hop(b []byte, h *rule.Hop) []byte {
	b = text(append(b, `{"group":`...), h.Group)
	b = text(append(b, `,"how":`...), h.How)
	return append(b, '}')
}

// elements writes a list; one that is not there is null.
func elements[T any](b []byte, all []T, write func([]byte, *T) []byte) []byte {
	if all == nil {
		return append(b, "null"...)
	}
	b = append(b, '[')
	for i := range all {
		if i > 0 {
			b = append(b, ',')
		}
		b = write(b, &all[i])
	}
	return append(b, ']')
}

// text writes a string.
func text(b []byte, s string) []byte {
	from, to := len(b), len(b)+len(s)+2
	if to > cap(b) {
		b = slices.Grow(b, len(s)+2)
	}
	b = b[:to]
	b[from], b[to-1] = '"', '"'
	copy(b[from+1:], s)
	if !plain(b[from+1 : to-1]) {
		return json.AppendEscape(b[:from], s, 0)
	}
	return b
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

// any writes what is of some other type.
func (o *output) any(b []byte, v any) []byte {
	b, err := json.Append(b, v, json.SortMapKeys)
	if o.err == nil {
		o.err = err
	}
	return b
}
