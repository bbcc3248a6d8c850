package rule

// recent is how many indices a question remembers, besides that which was given.
const recent = 4

// marks are what a question has found out about the indices that it met last.
type marks struct {
	last   known // that was asked for last
	given  known // that was given
	recent [recent]known
	next   int
	words  []uint64 // where the bits lie

	deriver Deriver // what was worked out last
	derived Held
}

// Deriver works out something about a subject, as bits.
type Deriver interface{ Derive(q *Question, into Held) }

// Derived gives what is worked out about the subject, in so many words: once, where it is
// asked for again before anything else.
func (q *Question) Derived(d Deriver, words int) Held {
	if q.marks.deriver != d {
		bits := Held(q.Words(words))
		d.Derive(q, bits)
		q.marks.deriver, q.marks.derived = d, bits
	}
	return q.marks.derived
}

// known is an index with the rules of it that have the subject.
type known struct {
	index *Index
	held  Held
}

func (m *marks) clear() {
	m.last, m.given, m.recent = known{}, known{}, [recent]known{}
	m.deriver, m.derived = nil, nil
	m.words = m.words[:0]
}

// Held says which rules of an index have the subject.
func (q *Question) Held(r *Index) Held {
	if q.marks.last.index != r {
		q.marks.last = q.marks.of(q, r)
	}
	return q.marks.last.held
}

func (m *marks) of(q *Question, r *Index) known {
	if m.given.index == r {
		return m.given
	}
	for _, k := range m.recent {
		if k.index == r {
			return k
		}
	}
	k := known{r, q.Words(len(r.always))}
	r.hold(q, k.held)
	m.recent[m.next] = k
	m.next = (m.next + 1) % recent
	return k
}

// Give says which rules of an index have the subject, claims and exceptions aside, to
// spare the question looking for them.
func (q *Question) Give(r *Index, held Held) {
	r.settle(q, held)
	q.marks.given = known{r, held}
	q.marks.last = q.marks.given
}

// Words gives n words of scratch memory, all zero, until the question turns to
// another subject.
func (q *Question) Words(n int) []uint64 {
	m := &q.marks
	from := len(m.words)
	if from+n > cap(m.words) {
		m.words = make([]uint64, 0, max(64, 2*cap(m.words), n))
		from = 0
	}
	m.words = m.words[:from+n]
	clear(m.words[from:])
	return m.words[from : from+n : from+n]
}
