package refresh

import (
	"context"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
)

// TestRoom: large documents wait for each other, and small ones for none of them; all together take what
// they may and no more; who has waited long enough for a processor goes on without; all is free in the end.
func TestRoom(t *testing.T) {
	const memory = 64 << 20
	small, large := int64(1<<20/costs), int64(16<<20/costs)
	ctx := context.Background()
	r := newRoom(memory, time.Millisecond)
	var leaves []func()
	for range 3 { // of 16 MB each
		leave, err := r.enter(ctx, large)
		require.NoError(t, err)
		leaves = append(leaves, leave)
	}
	over, end := context.WithTimeout(ctx, 20*time.Millisecond)
	defer end()
	_, err := r.enter(over, large)
	require.ErrorIs(t, err, context.DeadlineExceeded, "there is no memory left")
	for range 16 {
		leave, err := r.enter(ctx, small)
		require.NoError(t, err, "small ones have their own")
		leaves = append(leaves, leave)
	}
	over, end = context.WithTimeout(ctx, 20*time.Millisecond)
	defer end()
	_, err = r.enter(over, small)
	require.ErrorIs(t, err, context.DeadlineExceeded, "and no more")
	for _, leave := range leaves {
		leave()
	}
	leave, err := r.enter(ctx, 1<<40)
	require.NoError(t, err, "one that takes more than there is has all for itself")
	leave()

	r = newRoom(memory, time.Minute)
	var within, most, done atomic.Int64
	var all sync.WaitGroup
	for range 50 {
		all.Go(func() {
			leave, err := r.enter(ctx, large/4)
			if assert.NoError(t, err) {
				n := within.Add(1)
				for was := most.Load(); n > was && !most.CompareAndSwap(was, n); was = most.Load() {
				}
				within.Add(-1)
				done.Add(1)
				leave()
			}
		})
	}
	all.Wait()
	assert.EqualValues(t, 50, done.Load())
	assert.Positive(t, most.Load())
	assert.True(t, r.processors.TryAcquire(1), "all processors are free again")
	assert.True(t, r.large.TryAcquire(r.most), "and all memory")
}
