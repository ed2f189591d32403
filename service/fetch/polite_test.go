package fetch

import (
	"context"
	"fmt"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestPolite: however many feeds a host has, it is asked for few at once, and not too often; other hosts do not
// wait for it; and few hosts are remembered.
func TestPolite(t *testing.T) {
	ctx := context.Background()
	h := newHosts(Polite{Connections: 3})
	var within, most atomic.Int64
	var all sync.WaitGroup
	begin := make(chan bool)
	for range 30 {
		all.Go(func() {
			<-begin
			leave, err := h.enter(ctx, "cal.example")
			if !assert.NoError(t, err) {
				return
			}
			n := within.Add(1)
			for was := most.Load(); n > was && !most.CompareAndSwap(was, n); was = most.Load() {
			}
			within.Add(-1)
			leave()
		})
	}
	close(begin)
	all.Wait()
	assert.LessOrEqual(t, most.Load(), int64(3))

	var leaves []func()
	for range 3 {
		leave, err := h.enter(ctx, "cal.example")
		require.NoError(t, err)
		leaves = append(leaves, leave)
	}
	over, end := context.WithTimeout(ctx, 20*time.Millisecond)
	defer end()
	_, err := h.enter(over, "cal.example")
	require.ErrorIs(t, err, context.DeadlineExceeded)
	leave, err := h.enter(over, "other.example")
	if err == nil { // its own time may be over by now
		leave()
	}
	for _, leave := range leaves {
		leave()
	}
	for i := range 3 * mostIdle {
		leave, err := h.enter(ctx, fmt.Sprint(i, ".example"))
		require.NoError(t, err)
		leave()
	}
	assert.LessOrEqual(t, len(h.all), mostIdle)

	h = newHosts(Polite{PerSecond: 0.001})
	_, err = h.enter(ctx, "cal.example")
	require.NoError(t, err, "some at once")
	over, end = context.WithTimeout(ctx, 20*time.Millisecond)
	defer end()
	_, err = h.enter(over, "cal.example")
	require.Error(t, err, "and then not too often")
}
