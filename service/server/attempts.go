package server

import (
	"strings"
	"time"

	"golang.org/x/time/rate"
)

// attempts slows down who guesses passwords: each source, and each source at one name. So a stranger
// spends his own patience only, and the owner of a name gets in from elsewhere.
type attempts struct {
	*limiters
	all *rate.Limiter // from everybody together: checking costs memory and time
}

// What is allowed at once, and how often after that.
const (
	fromSource, sourceEvery = 20, 2 * time.Second
	atName, nameEvery       = 10, 6 * time.Second
	fromAll, allEvery       = 50, 100 * time.Millisecond
)

func newAttempts() *attempts {
	return &attempts{newLimiters(), rate.NewLimiter(rate.Every(allEvery), fromAll)}
}

// allow reports whether a source may try a name now.
func (a *attempts) allow(source, name string, now time.Time) bool {
	from := network(source)
	ofSource := a.of(from, fromSource, sourceEvery, now)
	named := a.of(from+"\x00"+strings.ToLower(strings.TrimSpace(name)), atName, nameEvery, now)
	return named.AllowN(now, 1) && ofSource.AllowN(now, 1) && a.all.AllowN(now, 1)
}
