package server

import (
	"net/http"
	"sync"
	"time"

	"github.com/go-chi/chi/v5/middleware"
	"github.com/hashicorp/golang-lru/v2/simplelru"

	"gatemap/operator"
	"gatemap/service/query"
)

// Answers follow from the revision and the question alone, so that those given
// last are kept: at most so many bytes of them, and none longer than a
// hundredth of that. One is kept when its question comes again, so that who asks about
// everyone once does not push out what others look at; one that took long, at once.
const (
	keptBytes   = 64 << 20
	longestKept = keptBytes / 100
	long        = 10 * time.Millisecond
	around      = 256 // bytes that an entry takes besides, about
)

// kept holds the answers of one revision by question, and the questions that came once without
// their answers. It is safe for use by many.
type kept struct {
	lock    sync.Mutex
	head    *query.Head
	answers *simplelru.LRU[string, keptAnswer]
	bytes   int
}

type keptAnswer struct {
	contentType string
	body        []byte
}

// size is how many bytes an entry takes.
func size(question string, a keptAnswer) int { return len(question) + len(a.body) + around }

func newKept() *kept {
	k := &kept{}
	// Room is made by bytes; the number is never reached.
	k.answers, _ = simplelru.NewLRU(
		keptBytes,
		func(question string, a keptAnswer) { k.bytes -= size(question, a) },
	)
	return k
}

// get finds the answer that a head gave, and whether it was asked before.
func (k *kept) get(head *query.Head, question string) (a keptAnswer, asked bool) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.head != head {
		return keptAnswer{}, false
	}
	return k.answers.Get(question)
}

// put keeps what a head was asked, and its answer if there is a body, which takes no other away; those
// of another head are forgotten.
func (k *kept) put(head *query.Head, question string, a keptAnswer) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.head != head {
		k.answers.Purge()
		k.head = head
	}
	if size(question, a) <= longestKept && (a.body != nil || !k.answers.Contains(question)) {
		k.answers.Remove(question)
		k.answers.Add(question, a)
		k.bytes += size(question, a)
	}
	for k.bytes > keptBytes {
		k.answers.RemoveOldest()
	}
}

// answerCopy takes down an answer while it is given: one to a question that was asked before, or
// that took long to begin, and none that is too long to be kept.
type answerCopy struct {
	body    []byte
	asked   bool
	began   time.Time
	written int
}

func (c *answerCopy) Write(p []byte) (int, error) {
	if c.written == 0 && !c.asked {
		c.asked = time.Since(c.began) > long
	}
	if c.written += len(p); c.written > longestKept {
		c.body = nil
	} else if c.asked {
		c.body = append(c.body, p...)
	}
	return len(p), nil
}

// keep answers what was asked before from memory. It stands behind whatever
// decides who may ask.
func (s *Server) keep(next http.Handler) http.Handler {
	return http.HandlerFunc(func(w http.ResponseWriter, r *http.Request) {
		if by := operator.From(r.Context()); r.Method != http.MethodGet || r.URL.Query().Has("trial") || by.Systems != nil ||
			by.May(operator.Read) != nil {
			next.ServeHTTP(w, r)
			return
		}
		head, question := s.service.Head(), r.Header.Get("Accept")+" "+r.URL.RequestURI()
		a, asked := s.kept.get(head, question)
		if a.body != nil {
			w.Header().Set("Content-Type", a.contentType)
			_, _ = w.Write(a.body)
			return
		}
		given := answerCopy{asked: asked, began: time.Now()}
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		ww.Tee(&given)
		next.ServeHTTP(ww, r)
		if ww.Status() == http.StatusOK && s.service.Head() == head {
			s.kept.put(head, question, keptAnswer{w.Header().Get("Content-Type"), given.body})
		}
	})
}
