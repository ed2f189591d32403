package server

import (
	"net/netip"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// limiters slow strangers down, each by a key. However many keys there are, few are remembered.
type limiters struct {
	mu    sync.Mutex
	known map[string]*limited
}

type limited struct {
	limiter *rate.Limiter
	last    time.Time
}

// mostKnown is how many keys are remembered; of more, the one that was not here for longest is forgotten.
const mostKnown = 4096

func newLimiters() *limiters { return &limiters{known: map[string]*limited{}} }

// of is the limiter of a key.
func (l *limiters) of(key string, burst int, every time.Duration, now time.Time) *rate.Limiter {
	l.mu.Lock()
	defer l.mu.Unlock()
	known := l.known[key]
	if known == nil {
		if len(l.known) >= mostKnown {
			l.forgetOne()
		}
		known = &limited{limiter: rate.NewLimiter(rate.Every(every), burst)}
		l.known[key] = known
	}
	known.last = now
	return known.limiter
}

func (l *limiters) forgetOne() {
	oldest := ""
	for key, k := range l.known {
		if oldest == "" || k.last.Before(l.known[oldest].last) {
			oldest = key
		}
	}
	delete(l.known, oldest)
}

// network is the part of an address that one stranger has many of: all of an IPv4 address, and the first
// half of an IPv6 one.
func network(source string) string {
	if of := networkOf(source); of != nowhere {
		return of.String()
	}
	return source
}

// nowhere is the network of what is no address.
var nowhere = netip.PrefixFrom(netip.IPv6Unspecified(), 128)

// networkOf is the same as a value; nowhere for what is no address.
func networkOf(source string) netip.Prefix {
	at, err := netip.ParseAddr(source)
	if err != nil {
		return nowhere
	}
	bits := 64
	if at = at.Unmap(); at.Is4() {
		bits = 32
	}
	prefix, _ := at.Prefix(bits) // never too many
	return prefix
}
