package refresh

import (
	"context"
	"sync"
	"time"

	"wharf/service/store"
)

// Wake says that something may be due by now.
func (r *Refresher) Wake() { r.alarm.ring(time.Time{}) }

// alarm wakes a sleeper at a time, or before it.
type alarm struct {
	once sync.Once
	bell chan struct{}
	mu   sync.Mutex
	at   time.Time // for which it is set; far off while nobody sleeps
}

func (a *alarm) init() {
	a.once.Do(func() { a.bell, a.at = make(chan struct{}, 1), store.Never })
}

// ring wakes the sleeper unless it wakes by then anyway.
func (a *alarm) ring(at time.Time) {
	a.init()
	a.mu.Lock()
	defer a.mu.Unlock()
	if !at.Before(a.at) {
		return
	}
	select {
	case a.bell <- struct{}{}:
	default: // it is about to wake
	}
}

// sleep waits until then, or until it rings; false when ctx has ended. Without after it only rings.
func (a *alarm) sleep(ctx context.Context, until time.Time, now func() time.Time, after func(time.Duration) <-chan time.Time) bool {
	set := func(at time.Time) {
		a.mu.Lock()
		defer a.mu.Unlock()
		a.at = at
	}
	set(until)
	defer set(store.Never)
	var timer <-chan time.Time
	if after != nil {
		timer = after(max(until.Sub(now()), 0))
	}
	select {
	case <-ctx.Done():
		return false
	case <-a.bell:
	case <-timer:
	}
	return true
}
