package combine_test

import (
	"context"
	"fmt"
	"log/slog"
	"slices"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/combine"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

// house is a calendar by the day with a feed and a publication for each of some platforms.
type house struct {
	t        *testing.T
	now      time.Time
	dsn      string
	store    *store.Store
	c        *combine.Combiner
	calendar int64
	feeds    []int64
}

func newHouse(t *testing.T, platforms int) *house {
	quiet := slog.New(slog.DiscardHandler)
	dsn := feedtest.Database(t)
	s, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	h := &house{t: t, dsn: dsn, now: time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC), store: s}
	h.c = &combine.Combiner{Store: s, Now: func() time.Time { return h.now }, Log: quiet}
	calendar := store.Calendar{Name: "Ketch", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: h.now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&calendar) }))
	h.calendar = calendar.ID
	h.tx(func(tx *store.Tx) error {
		for i := range platforms {
			name := fmt.Sprint("Platform ", i)
			p, err := tx.PlatformNamed(name)
			if err != nil {
				return err
			}
			f := store.Feed{PlatformID: p.ID, Name: name, Color: "teal", URLCipher: []byte("x"), EverySeconds: 60, CreatedAt: h.now, DueAt: h.now}
			if err := tx.CreateFeed(&f); err != nil {
				return err
			}
			h.feeds = append(h.feeds, f.ID)
			if err := tx.CreateLink(store.Link{CalendarID: h.calendar, FeedID: f.ID, Role: "blocks", Tentative: "tentative", Units: 1}); err != nil {
				return err
			}
			pub := store.Publication{Title: "Spoken for", CalendarID: h.calendar, PlatformID: p.ID, Name: name, SecretHash: []byte(fmt.Sprintf("%032d", i)), SecretCipher: []byte("x"), CreatedAt: h.now}
			if err := tx.CreatePublication(&pub); err != nil {
				return err
			}
		}
		return tx.MarkDirty(h.calendar)
	})
	return h
}

func (h *house) tx(f func(*store.Tx) error) {
	h.t.Helper()
	require.NoError(h.t, h.store.Tx(ctx, f))
}

// sell adds a booking, as a reading does.
func (h *house) sell(feed int, title string, first, last int) error {
	return h.store.Tx(ctx, func(tx *store.Tx) error {
		if _, err := tx.LockFeed(h.feeds[feed]); err != nil {
			return err
		}
		b := &store.Booking{CalendarID: h.calendar, FeedID: h.feeds[feed], EntryID: int64(1000*feed + first), UID: title, Title: title, Verdict: "booking",
			Minted: carried.Mint([]byte("k"), title), StartPoint: int64(span.NewDate(2026, 7, first)), EndPoint: int64(span.NewDate(2026, 7, last)),
			Blocks: true, Units: 1, SeenBy: h.now}
		if err := tx.SaveBookings([]*store.Booking{b}, nil); err != nil {
			return err
		}
		return tx.MarkDirty(h.calendar)
	})
}

// cancel removes a booking, as a reading does.
func (h *house) cancel(feed int, title string) {
	h.tx(func(tx *store.Tx) error {
		rows, err := tx.BookingsOf(h.calendar, h.feeds[feed])
		if err != nil {
			return err
		}
		i := slices.IndexFunc(rows, func(b store.Booking) bool { return b.Title == title })
		rows[i].RemovedAt = &h.now
		if err := tx.SaveBookings(nil, rows[i:i+1]); err != nil {
			return err
		}
		return tx.MarkDirty(h.calendar)
	})
}

// published lists what each publication carries now: "version: titles' UIDs".
func (h *house) published() []string {
	h.t.Helper()
	var all []string
	h.tx(func(tx *store.Tx) error {
		all = nil
		publications, err := tx.PublicationsOf(h.calendar)
		if err != nil {
			return err
		}
		published, err := tx.PublishedOf(h.calendar)
		if err != nil {
			return err
		}
		for _, p := range publications {
			var spans []string
			for _, r := range carried.Apply(published.Carried[p.ID], carried.Change{}) {
				first, last := r.Span.Format(span.Day)
				spans = append(spans, fmt.Sprintf("%s-%s/%d", first[8:], last[8:], r.Sequence))
			}
			all = append(all, strings.Join(spans, " "))
		}
		return nil
	})
	return all
}

func (h *house) conflicts(states ...judge.State) []string {
	h.t.Helper()
	rows, err := h.store.Conflicts(ctx, h.calendar, states...)
	require.NoError(h.t, err)
	var all []string
	for _, k := range rows {
		first, last := span.Span{Start: k.StartPoint, End: k.EndPoint}.Format(span.Day)
		all = append(all, fmt.Sprintf("%d %s %s-%s among %d", k.ID, k.State, first[8:], last[8:], len(k.BookingIDs)))
	}
	return all
}

func TestLifeOfACalendar(t *testing.T) {
	h := newHouse(t, 2)
	for _, step := range []struct {
		name      string
		do        func()
		conflicts []string
		published []string
	}{
		{"nothing yet", func() {}, nil, []string{"", ""}},
		{"one sale", func() { require.NoError(t, h.sell(0, "a", 10, 13)) }, nil, []string{"", "10-13/0"}},
		{"a clash", func() { require.NoError(t, h.sell(1, "b", 12, 14)) }, []string{"1 open 12-13 among 2"}, []string{"12-14/0", "10-13/0"}},
		{"acknowledged", func() {
			require.NoError(t, h.store.Acknowledge(ctx, 1, "harbour", "on it", h.now))
			h.tx(func(tx *store.Tx) error { return tx.MarkDirty(h.calendar) })
		}, []string{"1 acknowledged 12-13 among 2"}, []string{"12-14/0", "10-13/0"}},
		{"it gains a booking, and opens again", func() { require.NoError(t, h.sell(1, "c", 10, 12)) }, []string{"1 open 10-13 among 3"}, []string{"10-12/0 12-14/0", "10-13/0"}},
		{"one side is cancelled", func() { h.cancel(0, "a") }, []string{"1 cleared 10-13 among 3"}, []string{"10-12/0 12-14/0", ""}},
		{"it comes back", func() {
			h.tx(func(tx *store.Tx) error {
				rows, err := tx.BookingsOf(h.calendar, h.feeds[0])
				if err != nil {
					return err
				}
				rows[0].RemovedAt = nil
				if err := tx.SaveBookings(nil, rows[:1]); err != nil {
					return err
				}
				return tx.MarkDirty(h.calendar)
			})
		}, []string{"1 open 10-13 among 3"}, []string{"10-12/0 12-14/0", "10-13/2"}},
		{"its time is over", func() {
			h.now = h.now.AddDate(0, 0, 20)
			h.tx(func(tx *store.Tx) error { return tx.MarkDirty(h.calendar) })
		}, []string{"1 past 10-13 among 3"}, []string{"10-12/0 12-14/0", "10-13/2"}},
	} {
		step.do()
		require.NoError(t, h.c.All(ctx), step.name)
		assert.Equal(t, step.conflicts, h.conflicts("open", "acknowledged", "cleared", "past"), step.name)
		assert.Equal(t, step.published, h.published(), step.name)
		dirty, err := h.store.DirtyCalendars(ctx, h.now)
		require.NoError(t, err)
		assert.Empty(t, dirty, step.name)
	}
}

// TestManyAtOnce: readings of several feeds and several processes that combine, all at the
// same time, end where one after the other ends.
func TestManyAtOnce(t *testing.T) {
	const each = 12
	sales := func(h *house, feed int) error {
		for n := range each {
			if err := h.sell(feed, fmt.Sprintf("%d.%d", feed, n), 1+2*n, 3+2*n); err != nil {
				return err
			}
		}
		return nil
	}
	quiet := newHouse(t, 3)
	for feed := range quiet.feeds {
		require.NoError(t, sales(quiet, feed))
	}
	require.NoError(t, quiet.c.All(ctx))

	busy := newHouse(t, 3)
	stop := make(chan struct{})
	var readers, combiners sync.WaitGroup
	for feed := range busy.feeds {
		readers.Go(func() { assert.NoError(t, sales(busy, feed)) })
	}
	for range 3 {
		combiners.Go(func() {
			for {
				assert.NoError(t, busy.c.All(ctx))
				select {
				case <-stop:
					return
				default:
				}
			}
		})
	}
	readers.Wait()
	close(stop)
	combiners.Wait()
	require.NoError(t, busy.c.All(ctx))
	dirty, err := busy.store.DirtyCalendars(ctx, busy.now)
	require.NoError(t, err)
	assert.Empty(t, dirty, "no mark is lost, none is left")
	withoutSequence := func(all []string) []string {
		for i := range all {
			all[i] = strings.NewReplacer("/0", "", "/1", "", "/2", "").Replace(all[i])
		}
		return all
	}
	assert.Equal(t, withoutSequence(quiet.published()), withoutSequence(busy.published()))
	spans := func(h *house) (all []string) {
		for _, c := range h.conflicts("open") {
			_, rest, _ := strings.Cut(c, " ")
			all = append(all, rest)
		}
		slices.Sort(all)
		return all
	}
	assert.Equal(t, spans(quiet), spans(busy))
	assert.NotEmpty(t, spans(busy))
}
