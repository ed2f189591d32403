package server

import (
	"net/netip"
	"strings"
	"sync"
	"time"

	"golang.org/x/time/rate"
)

// attempts slows down who guesses passwords: each source, and each source at one name. So a stranger
// spends his own patience only, and the owner of a name gets in from elsewhere.
type attempts struct {
	mu    sync.Mutex
	known map[string]*attempt
	all   *rate.Limiter // from everybody together: checking costs memory and time
}

type attempt struct {
	limiter *rate.Limiter
	last    time.Time
}

// What is allowed at once, and how often after that.
const (
	fromSource, sourceEvery = 20, 2 * time.Second
	atName, nameEvery       = 10, 6 * time.Second
	fromAll, allEvery       = 50, 100 * time.Millisecond
	// mostKnown is how many sources and names are remembered; of more, the one that was not here for longest
	// is forgotten.
	mostKnown = 4096
)

func newAttempts() *attempts {
	return &attempts{known: map[string]*attempt{}, all: rate.NewLimiter(rate.Every(allEvery), fromAll)}
}

// allow reports whether a source may try a name now.
func (a *attempts) allow(source, name string, now time.Time) bool {
	a.mu.Lock()
	defer a.mu.Unlock()
	from := network(source)
	source1 := a.of(from, fromSource, sourceEvery, now)
	named := a.of(from+"\x00"+strings.ToLower(strings.TrimSpace(name)), atName, nameEvery, now)
	return named.AllowN(now, 1) && source1.AllowN(now, 1) && a.all.AllowN(now, 1)
}

// of is the limiter of a key.
func (a *attempts) of(key string, burst int, every time.Duration, now time.Time) *rate.Limiter {
	known := a.known[key]
	if known == nil {
		if len(a.known) >= mostKnown {
			a.forgetOne()
		}
		known = &attempt{limiter: rate.NewLimiter(rate.Every(every), burst)}
		a.known[key] = known
	}
	known.last = now
	return known.limiter
}

func (a *attempts) forgetOne() {
	oldest := ""
	for key, k := range a.known {
		if oldest == "" || k.last.Before(a.known[oldest].last) {
			oldest = key
		}
	}
	delete(a.known, oldest)
}

// network is the part of an address that one stranger has many of: all of an IPv4 address, and the first
// half of an IPv6 one.
func network(source string) string {
	at, err := netip.ParseAddr(source)
	if err != nil {
		return source
	}
	if at = at.Unmap(); at.Is4() {
		return at.String()
	}
	prefix, _ := at.Prefix(64) // 64 bits are never too many
	return prefix.String()
}
