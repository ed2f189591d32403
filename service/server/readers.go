package server

import (
	"net/http"
	"net/netip"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// Readers bounds what strangers can take of the service by reading publications.
type Readers struct {
	// Timeout is how long a reader may take to read an answer; 0: for ever.
	Timeout time.Duration
	// Most is how many answers of one publication are on the way at once; 0: any number. An
	// address has a fifth of them.
	Most int
	// Unknown is how many links that lead nowhere an address may ask for in a minute; 0: any number.
	Unknown int
}

// readers are those who are reading at this moment.
type readers struct {
	Readers
	mu        sync.Mutex
	open      map[reader]int
	strangers *limiters
	one       chan struct{} // has room for one: who asks for unknown links too often is looked after one by one
}

// reader is a publication with the network that it is read from; the zero Prefix for all of them.
type reader struct {
	publication int64
	from        netip.Prefix
}

func newReaders(r Readers) *readers {
	return &readers{Readers: r, open: map[reader]int{}, strangers: newLimiters(), one: make(chan struct{}, 1)}
}

// begin counts an answer in, unless there are too many of the publication on the way; done counts it
// out again.
func (r *readers) begin(publication int64, source string) (done func(), ok bool) {
	if r.Most == 0 {
		return func() {}, true
	}
	all, one := reader{publication, netip.Prefix{}}, reader{publication, networkOf(source)}
	r.mu.Lock()
	defer r.mu.Unlock()
	if r.open[all] >= r.Most || r.open[one] >= max(1, r.Most/5) {
		return nil, false
	}
	r.open[all]++
	r.open[one]++
	return func() {
		r.mu.Lock()
		defer r.mu.Unlock()
		for _, who := range []reader{all, one} {
			if r.open[who]--; r.open[who] == 0 {
				delete(r.open, who)
			}
		}
	}, true
}

// deadline bounds how long an answer may take that is worked on for so long.
func (r *readers) deadline(w http.ResponseWriter, work time.Duration) {
	if r.Timeout > 0 {
		_ = http.NewResponseController(w).SetWriteDeadline(time.Now().Add(work + r.Timeout)) // what cannot have one is no connection
	}
}

// mayGuess reports whether an address may ask for one more link that is not known here, and guessed
// says that it did.
func (r *readers) mayGuess(source string, now time.Time) bool {
	return r.Unknown == 0 || r.guesses(source, now).TokensAt(now) >= 1
}

func (r *readers) guessed(source string, now time.Time) {
	if r.Unknown > 0 {
		r.guesses(source, now).AllowN(now, 1)
	}
}

func (r *readers) guesses(source string, now time.Time) *rate.Limiter {
	return r.strangers.of(network(source), r.Unknown, time.Minute/time.Duration(r.Unknown), now)
}
