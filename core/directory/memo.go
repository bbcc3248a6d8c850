package directory

import (
	"sync"
	"weak"
)

// Memo holds what someone computes of books, once for each, and no longer than
// the book, or the Memo, is there. The zero Memo is empty and ready to use.
type Memo[T any] struct {
	mu sync.Mutex
	of map[weak.Pointer[Book]]func() T
}

// Of gives what work makes for a book.
func (m *Memo[T]) Of(b *Book, work func() T) T {
	key := weak.Make(b)
	m.mu.Lock()
	made, known := m.of[key]
	if !known {
		for other := range m.of {
			if other.Value() == nil {
				delete(m.of, other)
			}
		}
		if m.of == nil {
			m.of = map[weak.Pointer[Book]]func() T{}
		}
		made = sync.OnceValue(work)
		m.of[key] = made
	}
	m.mu.Unlock()
	return made()
}

// Known gives what was made for a book, if somebody asked for it.
func (m *Memo[T]) Known(b *Book) (made T, known bool) {
	m.mu.Lock()
	get, known := m.of[weak.Make(b)]
	m.mu.Unlock()
	if known {
		made = get()
	}
	return made, known
}
