package events_test

import (
	"context"
	"log/slog"
	"slices"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/events"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

// process is one process's hub, whose clock the test ticks.
type process struct {
	t     *testing.T
	store *store.Store
	hub   *events.Hub
	tick  chan time.Time
	stop  func()
}

func newProcess(t *testing.T, dsn string) *process {
	t.Helper()
	ctx, cancel := context.WithCancel(context.Background())
	quiet := slog.New(slog.DiscardHandler)
	s, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	p := &process{t: t, store: s, hub: events.New(s, quiet), tick: make(chan time.Time)}
	ended := make(chan struct{})
	go func() {
		defer close(ended)
		p.hub.Run(ctx, p.tick)
	}()
	p.stop = func() {
		cancel()
		<-ended
	}
	t.Cleanup(func() {
		p.stop()
		require.NoError(t, s.Close())
	})
	p.look()
	return p
}

// look lets the hub look once: the second tick is taken when what the first brought is
// told.
func (p *process) look() {
	p.tick <- time.Time{}
	p.tick <- time.Time{}
}

// news is what a subscription has gathered, in order.
func news(s *events.Subscription) []events.Event {
	all := s.Take()
	slices.SortFunc(all, func(a, b events.Event) int { return int(a.ID - b.ID) })
	return all
}

func TestHub(t *testing.T) {
	ctx := context.Background()
	dsn := feedtest.Database(t)
	here, there := newProcess(t, dsn), newProcess(t, dsn)
	say := func(ids ...int64) {
		t.Helper()
		require.NoError(t, there.store.Tx(ctx, func(tx *store.Tx) error { return tx.Changed(store.TopicCalendar, ids...) }))
	}
	page, shelf := here.hub.Subscribe(true), here.hub.Subscribe(false)
	assert.Equal(t, 1, here.hub.Pages())
	for _, s := range []*events.Subscription{page, shelf} {
		<-s.Ready
		assert.Equal(t, []events.Event{{Topic: events.TopicAll}}, news(s), "who comes soon after the start may have seen what was before it")
	}

	say(1, 2)
	say(1)
	here.look()
	for _, s := range []*events.Subscription{page, shelf} {
		<-s.Ready
		assert.Equal(t, []events.Event{{Topic: "calendar", ID: 1}, {Topic: "calendar", ID: 2}}, news(s), "told once, however often it was said")
	}
	here.look()
	assert.Empty(t, news(page), "and not again")
	soon := here.hub.Subscribe(true)
	<-soon.Ready
	assert.Len(t, news(soon), 3, "who has asked for what it shows just before hears what has changed since, too")
	soon.Close()
	for range 10 {
		here.look()
	}
	late := here.hub.Subscribe(true)
	assert.Empty(t, news(late), "long after, nobody needs it")
	late.Close()

	// A number that was given before another, and is committed after it.
	committed := make(chan struct{})
	require.NoError(t, there.store.Tx(ctx, func(tx *store.Tx) error {
		if err := tx.Changed(store.TopicCalendar, 10); err != nil {
			return err
		}
		go func() {
			defer close(committed)
			say(11)
		}()
		<-committed
		here.look()
		assert.Equal(t, []events.Event{{Topic: "calendar", ID: 11}}, news(page))
		return nil
	}))
	here.look()
	assert.Equal(t, []events.Event{{Topic: "calendar", ID: 10}}, news(page))

	// A feed is told by its row's own time of change, to those who want to know.
	news(shelf)
	f := store.Feed{Name: "Desk", Color: "teal", URLCipher: []byte("x"), EverySeconds: 900, CreatedAt: time.Now(), DueAt: time.Now()}
	require.NoError(t, there.store.Tx(ctx, func(tx *store.Tx) error {
		p, err := tx.PlatformNamed("Desk")
		if err != nil {
			return err
		}
		f.PlatformID = p.ID
		return tx.CreateFeed(&f)
	}))
	here.look()
	assert.Equal(t, []events.Event{{Topic: "feed", ID: f.ID}}, news(page))
	_, ok, err := there.store.ClaimFeed(ctx, f, time.Now(), time.Now().Add(time.Minute))
	require.NoError(t, err)
	require.True(t, ok)
	here.look()
	assert.Equal(t, []events.Event{{Topic: "feed", ID: f.ID}}, news(page))
	assert.Empty(t, news(shelf))

	// Who lets too much lie is told that everything may have changed.
	many := make([]int64, 600)
	for i := range many {
		many[i] = int64(100 + i)
	}
	say(many...)
	here.look()
	assert.Equal(t, []events.Event{{Topic: events.TopicAll}}, news(page))

	shelf.Close()
	here.stop()
	<-page.Ready // the token of what came last
	_, open := <-page.Ready
	assert.False(t, open, "the end of the hub is the end of its subscriptions")
	_, open = <-here.hub.Subscribe(true).Ready
	assert.False(t, open)
}
