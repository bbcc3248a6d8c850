package server

import (
	"net/http"
	"sync"

	"github.com/go-chi/chi/v5/middleware"
	"github.com/hashicorp/golang-lru/v2/simplelru"

	"gatemap/operator"
	"gatemap/service/query"
)

// Answers follow from the revision and the question alone, so that those given
// last are kept: at most so many bytes of them, and none longer than a
// hundredth of that.
const (
	keptBytes   = 64 << 20
	longestKept = keptBytes / 100
)

// kept holds the answers of one revision by question. It is safe for use by many.
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

func newKept() *kept {
	k := &kept{}
	// Room is made by bytes; the number is never reached.
	k.answers, _ = simplelru.NewLRU(
		keptBytes,
		func(question string, a keptAnswer) { k.bytes -= len(question) + len(a.body) },
	)
	return k
}

// get finds an answer that was given by a head.
func (k *kept) get(head *query.Head, question string) (keptAnswer, bool) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.head != head {
		return keptAnswer{}, false
	}
	return k.answers.Get(question)
}

// put keeps an answer of a head; those of another are forgotten.
func (k *kept) put(head *query.Head, question string, a keptAnswer) {
	k.lock.Lock()
	defer k.lock.Unlock()
	if k.head != head {
		k.answers.Purge()
		k.head = head
	}
	if size := len(question) + len(a.body); size <= longestKept && !k.answers.Contains(question) {
		k.answers.Add(question, a)
		k.bytes += size
	}
	for k.bytes > keptBytes {
		k.answers.RemoveOldest()
	}
}

// answerCopy takes down an answer while it is given, unless it is too long to be
// kept.
type answerCopy struct {
	body []byte
	long bool
}

func (c *answerCopy) Write(p []byte) (int, error) {
	if c.long = c.long || len(c.body)+len(p) > longestKept; c.long {
		c.body = nil
	} else {
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
		if a, ok := s.kept.get(head, question); ok {
			w.Header().Set("Content-Type", a.contentType)
			_, _ = w.Write(a.body)
			return
		}
		var given answerCopy
		ww := middleware.NewWrapResponseWriter(w, r.ProtoMajor)
		ww.Tee(&given)
		next.ServeHTTP(ww, r)
		if ww.Status() == http.StatusOK && !given.long && s.service.Head() == head {
			s.kept.put(head, question, keptAnswer{w.Header().Get("Content-Type"), given.body})
		}
	})
}
