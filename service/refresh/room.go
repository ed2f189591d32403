package refresh

import (
	"cmp"
	"context"
	"runtime"
	"time"

	"golang.org/x/sync/semaphore"
)

// costs is how many bytes of memory a byte of a document takes while it is read, at most.
const costs = 32

// room is what readings that are going on take together: of memory, and, for large documents, of the
// processors. Small documents have a part of their own, so that they never wait for large ones.
type room struct {
	small, large *semaphore.Weighted // bytes
	processors   *semaphore.Weighted // for large ones
	least, most  int64               // weight of a large one, and of any
	patience     time.Duration       // for a processor; then there are too many large ones for that
}

// hostPatience is how long a reading waits for others of its host, if nothing else is said; then it is the
// next one's turn, and this one's again in a moment.
const hostPatience = 2 * time.Second

// askHost waits until the host of a link may be asked; ErrBusy if it is asked for too much.
func (r *Refresher) askHost(ctx context.Context, link string) (done func(), err error) {
	hasty, end := context.WithTimeout(ctx, cmp.Or(r.HostPatience, hostPatience))
	defer end()
	if done, err = r.Fetcher.Enter(hasty, link); err != nil && ctx.Err() == nil {
		return nil, ErrBusy
	}
	return done, err
}

// newRoom divides memory up: a quarter is for documents that take at most a sixty-fourth of it.
func newRoom(memory int64, patience time.Duration) *room {
	few := max(1, memory/4)
	return &room{small: semaphore.NewWeighted(few), large: semaphore.NewWeighted(max(1, memory-few)), least: memory / 64, most: max(1, memory-few),
		processors: semaphore.NewWeighted(int64(max(1, runtime.GOMAXPROCS(0)-1))), patience: patience}
}

// enter waits until there is room for a document of so many bytes; leave makes it free again. The error is
// that of a context that ended meanwhile.
func (r *room) enter(ctx context.Context, bytes int64) (leave func(), err error) {
	weight := max(1, bytes*costs)
	if weight <= r.least {
		return func() { r.small.Release(weight) }, r.small.Acquire(ctx, weight)
	}
	weight = min(weight, r.most)
	if err := r.large.Acquire(ctx, weight); err != nil {
		return nil, err
	}
	hasty, end := context.WithTimeout(ctx, r.patience)
	defer end()
	has := r.processors.Acquire(hasty, 1) == nil
	return func() {
		r.large.Release(weight)
		if has {
			r.processors.Release(1)
		}
	}, nil
}
