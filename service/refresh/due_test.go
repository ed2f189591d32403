package refresh_test

import (
	"context"
	"net/http"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/feedtest"
	"wharf/service/desk"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/store"
)

// TestDue: a feed is due by its schedule, not before its platform says, the later the longer it fails; what is
// paused or read once is not; and it is late by its own schedule.
func TestDue(t *testing.T) {
	b := feedtest.New(t, weeks(0, 4))
	feed := func() store.Feed {
		f, err := b.Store.Feed(ctx, b.Feed)
		require.NoError(t, err)
		return f
	}
	due := func() time.Duration { return feed().DueAt.Sub(b.Now) }
	isDue := func(at time.Time) bool {
		all, err := b.Store.DueFeeds(ctx, at, 10)
		require.NoError(t, err)
		return len(all) == 1
	}
	lay := func(to desk.FeedEdit) {
		t.Helper()
		require.NoError(t, b.Desk.EditFeed(ctx, desk.By{Account: "harbour", Seen: feed().Revision}, b.Feed, to))
	}
	text := func(s string) desk.FeedEdit { return desk.FeedEdit{Schedule: &s} }

	b.Refresher.Jitter = func(most time.Duration) time.Duration { return most }
	b.Read(weeks(0, 4))
	assert.Equal(t, 15*time.Minute+45*time.Second, due(), "put off by a twentieth at most")
	b.Header = http.Header{"Retry-After": {"7200"}}
	b.Read(weeks(0, 4))
	assert.Equal(t, 2*time.Hour, due(), "the platform asks to be left alone")
	b.Header = nil

	b.Status = http.StatusInternalServerError
	for range 9 { // an hour apart
		b.Read("")
	}
	assert.Equal(t, 2*time.Hour, due(), "it has failed for eight")
	b.Now = b.Now.AddDate(0, 0, 30)
	b.Read("")
	assert.Equal(t, 24*time.Hour, due(), "a day at most")
	b.Status = http.StatusOK
	b.Read(weeks(0, 4))
	assert.Less(t, due(), time.Hour)

	lay(text("at 06:00,18:00 Europe/Lisbon"))
	next := feed().DueAt
	assert.Contains(t, []string{"05:00", "17:00"}, next.UTC().Format("15:04"), "in summer there")
	assert.Equal(t, 12*time.Hour/time.Second, time.Duration(feed().EverySeconds))
	state, _ := refresh.State(feed(), next.Add(time.Hour-time.Minute))
	assert.Equal(t, refresh.Fresh, state)
	state, since := refresh.State(feed(), next.Add(time.Hour+time.Minute))
	assert.Equal(t, refresh.Late, state, "an hour past a fixed time")
	assert.Equal(t, next.Add(time.Hour).UTC(), since.UTC())

	lay(text("once"))
	b.Read(weeks(0, 4))
	assert.False(t, isDue(b.Now.AddDate(5, 0, 0)))
	state, _ = refresh.State(feed(), b.Now.AddDate(1, 0, 0))
	assert.Equal(t, refresh.Fresh, state, "nothing more is to come")

	lay(text("every 20m"))
	assert.Empty(t, feed().Schedule)
	assert.Equal(t, 1200, feed().EverySeconds)
	yes, no := true, false
	lay(desk.FeedEdit{Paused: &yes})
	assert.False(t, isDue(b.Now.AddDate(1, 0, 0)))
	state, since = refresh.State(feed(), b.Now.AddDate(1, 0, 0))
	assert.Equal(t, refresh.Paused, state)
	assert.Equal(t, b.Now, since.UTC())
	assert.Len(t, b.Bookings(), 4, "what was read stays")
	lay(desk.FeedEdit{Paused: &no})
	assert.True(t, isDue(b.Now), "it is read again at once")
	for _, bad := range []string{"every 1s", "at noon UTC", "every 6h from 02:30 Europe/Atlantis"} {
		b.Desk.LeastEvery = 5 * time.Minute
		err := b.Desk.EditFeed(ctx, desk.By{Account: "harbour", Seen: feed().Revision}, b.Feed, text(bad))
		assert.ErrorContains(t, err, "schedule: ", bad)
	}
}

// TestHostBusy: a feed whose host is asked for others waits for its turn, and is not called failing for that.
func TestHostBusy(t *testing.T) {
	b := feedtest.New(t, weeks(0, 4))
	private, err := fetch.ParsePrivate("127.0.0.0/8:1-65535")
	require.NoError(t, err)
	b.Refresher.Fetcher = fetch.New(fetch.Settings{Allowed: []fetch.Private{private}, Polite: fetch.Polite{Connections: 1}})
	b.Refresher.HostPatience = time.Millisecond
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	link, err := b.Refresher.LinkOf(f)
	require.NoError(t, err)
	leave, err := b.Refresher.Fetcher.Enter(ctx, link)
	require.NoError(t, err)
	_, err = b.Refresher.Read(ctx, f)
	require.ErrorIs(t, err, refresh.ErrBusy)
	f, err = b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	assert.Nil(t, f.FailingSince)
	assert.Nil(t, f.LeaseUntil, "it is anybody's to read")
	leave()
	assert.Equal(t, store.OutcomeChanged, b.Read(weeks(0, 5)).Outcome)
}

// TestWake: who hands feeds out sleeps until one is due, and not a round longer; a feed that is made due
// meanwhile, here or by another process, wakes it.
func TestWake(t *testing.T) {
	b := feedtest.New(t, weeks(0, 4))
	slept, timer := make(chan time.Duration), make(chan time.Time)
	late := make(chan time.Duration, 2)
	b.Refresher.After = func(d time.Duration) <-chan time.Time { slept <- d; return timer }
	b.Refresher.Done = func(_ store.Outcome, _, l time.Duration) { late <- l }
	var at atomic.Int64 // Run combines beside handing out
	at.Store(b.Now.Add(14*time.Minute + 50*time.Second).UnixNano())
	clock := func() time.Time { return time.Unix(0, at.Load()).UTC() }
	b.Refresher.Now, b.Refresher.Combiner.Now = clock, clock
	run, stop := context.WithCancel(ctx)
	done := make(chan struct{})
	go func() { defer close(done); b.Refresher.Run(run, nil) }()
	require.Equal(t, 10*time.Second, <-slept, "until it is due")
	require.Equal(t, 10*time.Second, <-slept, "and again: that it was read on subscribing has woken it")
	at.Add(int64(10*time.Second + 30*time.Millisecond))
	timer <- clock()
	assert.Equal(t, 30*time.Millisecond, <-late)
	require.Equal(t, time.Second, <-slept, "it may still be due that was handed out")
	b.Refresher.Wake()
	require.LessOrEqual(t, <-slept, time.Minute)
	f, err := b.Store.Feed(ctx, b.Feed)
	require.NoError(t, err)
	assert.EqualValues(t, 2, f.Readings)
	stop()
	go func() {
		for range slept {
		}
	}()
	<-done
	close(slept)
}

// TestSameBytes: what comes byte for byte as it came before is no more work than word that nothing is
// new; once a day it is read all the same.
func TestSameBytes(t *testing.T) {
	b := feedtest.New(t, weeks(0, 4))
	known := func() (n int) {
		require.NoError(t, b.Store.Tx(ctx, func(tx *store.Tx) error {
			rows, err := tx.Entries(b.Feed)
			n = len(rows)
			return err
		}))
		return n
	}
	b.Read(weeks(0, 4))
	b.SQL("DELETE FROM entries WHERE feed_id = ?", b.Feed) // who compares finds all of them new
	r := b.Read(weeks(0, 4))
	assert.Equal(t, store.OutcomeUnchanged, r.Outcome)
	assert.Positive(t, r.Bytes)
	assert.Equal(t, http.StatusOK, r.Status)
	assert.Zero(t, known(), "nothing is compared")
	b.Now = b.Now.Add(25 * time.Hour)
	assert.Equal(t, 4, b.Read(weeks(0, 4)).Added, "read whole once a day")
	b.SQL("DELETE FROM entries WHERE feed_id = ?", b.Feed)
	assert.Equal(t, 4, b.Read(weeks(0, 4)+"X-ODD:1\r\n").Added, "other bytes are compared")
}
