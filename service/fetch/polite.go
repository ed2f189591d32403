package fetch

import (
	"context"
	"sync"

	"golang.org/x/sync/semaphore"
	"golang.org/x/time/rate"
)

// Polite bounds what one host is asked for, however many feeds it has.
type Polite struct {
	Connections int     // at once; 0: any number
	PerSecond   float64 // requests, on the average; 0: any number
}

// hosts are those that are being asked.
type hosts struct {
	Polite
	mu  sync.Mutex
	all map[string]*host
}

type host struct {
	connections *semaphore.Weighted
	rate        *rate.Limiter
	users       int
}

// mostIdle is how many hosts that nobody is asking are remembered.
const mostIdle = 1024

func newHosts(p Polite) *hosts { return &hosts{Polite: p, all: map[string]*host{}} }

// enter waits until a host may be asked once more; leave, which may be called again, says that it was. The error is that of the
// context.
func (h *hosts) enter(ctx context.Context, name string) (leave func(), err error) {
	one := h.of(name)
	leave = func() {
		h.mu.Lock()
		defer h.mu.Unlock()
		one.users--
	}
	if one.connections != nil {
		if err := one.connections.Acquire(ctx, 1); err != nil {
			leave()
			return nil, err
		}
		forget := leave
		leave = func() { one.connections.Release(1); forget() }
	}
	if one.rate != nil {
		if err := one.rate.Wait(ctx); err != nil {
			leave()
			return nil, err
		}
	}
	return sync.OnceFunc(leave), nil
}

// of is a host with one more user.
func (h *hosts) of(name string) *host {
	h.mu.Lock()
	defer h.mu.Unlock()
	one := h.all[name]
	if one == nil {
		if len(h.all) >= mostIdle {
			h.forgetIdle()
		}
		one = &host{}
		if h.Connections > 0 {
			one.connections = semaphore.NewWeighted(int64(h.Connections))
		}
		if h.PerSecond > 0 {
			one.rate = rate.NewLimiter(rate.Limit(h.PerSecond), max(1, int(2*h.PerSecond)))
		}
		h.all[name] = one
	}
	one.users++
	return one
}

func (h *hosts) forgetIdle() {
	for name, one := range h.all {
		if one.users == 0 {
			delete(h.all, name)
		}
	}
}
