package server

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
)

// TestAttempts: who guesses passwords is slowed down at a name and from a source, and locks nobody else
// out; however many there are, few are remembered.
func TestAttempts(t *testing.T) {
	now := time.Date(2026, 7, 10, 12, 0, 0, 0, time.UTC)
	a := newAttempts()
	tries := func(source, name string, n int, gap time.Duration) (allowed int) {
		for range n {
			now = now.Add(gap)
			if a.allow(source, name, now) {
				allowed++
			}
		}
		return allowed
	}
	assert.Equal(t, atName, tries("203.0.113.5", "harbour", 40, time.Millisecond))
	assert.Equal(t, fromSource-atName, tries("203.0.113.5", "another", 40, time.Millisecond), "all names of a source together")
	assert.Equal(t, 1, tries("203.0.113.6", " Harbour", 1, time.Second), "the owner comes from elsewhere")
	assert.Equal(t, atName, tries("2001:db8::1", "harbour", atName, time.Millisecond))
	assert.Zero(t, tries("2001:db8::2", "harbour", 1, 0), "one stranger has many addresses of one network")
	assert.Equal(t, 1, tries("203.0.113.5", "harbour", 1, time.Minute), "it passes")
	now = now.Add(time.Hour)
	for i := range 3 * mostKnown {
		a.allow("203.0.113.9", fmt.Sprint("name ", i), now)
	}
	assert.LessOrEqual(t, len(a.known), mostKnown)
	now = now.Add(time.Minute)
	assert.Equal(t, 1, tries("203.0.113.6", "harbour", 1, 0))
	assert.LessOrEqual(t, tries("198.51.100.1", "x", 10, 0)+tries("198.51.100.2", "x", 10, 0)+tries("198.51.100.3", "x", 10, 0)+tries("198.51.100.4", "x", 10, 0)+
		tries("198.51.100.5", "x", 10, 0)+tries("198.51.100.6", "x", 10, 0), fromAll, "all together")
}
