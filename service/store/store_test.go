package store_test

import (
	"bytes"
	"context"
	"database/sql"
	"errors"
	"sync"
	"sync/atomic"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/localdb/dbtest"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var (
	ctx = context.Background()
	now = time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
)

func open(t *testing.T) (*store.Store, string) {
	t.Helper()
	dsn := dbtest.New(t)
	s, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	return s, dsn
}

func TestMigrations(t *testing.T) {
	dsn := dbtest.New(t)
	var group sync.WaitGroup
	for range 3 { // three processes start at once
		group.Go(func() {
			s, err := store.Open(ctx, dsn, 0)
			if assert.NoError(t, err) {
				assert.NoError(t, s.Close())
			}
		})
	}
	group.Wait()
	db, err := sql.Open("mysql", dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("INSERT INTO migrations (id) VALUES ('9999_from_the_future')")
	require.NoError(t, err)
	_, err = store.Open(ctx, dsn, 0)
	var newer *store.NewerDatabaseError
	require.ErrorAs(t, err, &newer)
	assert.Contains(t, err.Error(), "9999_from_the_future")
}

func newFeed(t *testing.T, s *store.Store) store.Feed {
	t.Helper()
	f := store.Feed{Name: "Ketch, desk", Color: "teal", URLCipher: []byte("x"), EverySeconds: 60, CreatedAt: now, DueAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
		p, err := tx.PlatformNamed("Desk")
		f.PlatformID = p.ID
		if err != nil {
			return err
		}
		return tx.CreateFeed(&f)
	}))
	return f
}

func TestClaims(t *testing.T) {
	s, _ := open(t)
	f := newFeed(t, s)
	var won atomic.Int32
	var winner store.Feed
	var group sync.WaitGroup
	for range 8 {
		group.Go(func() {
			claimed, ok, err := s.ClaimFeed(ctx, f, now, now.Add(time.Minute))
			assert.NoError(t, err)
			if ok {
				won.Add(1)
				winner = claimed
			}
		})
	}
	group.Wait()
	require.EqualValues(t, 1, won.Load(), "one of eight gets the feed")
	due, err := s.DueFeeds(ctx, now.Add(30*time.Second), 10)
	require.NoError(t, err)
	assert.Empty(t, due, "a claimed feed is not due")

	later := now.Add(2 * time.Minute)
	due, err = s.DueFeeds(ctx, later, 10)
	require.NoError(t, err)
	require.Len(t, due, 1, "a claim that ran out is")
	second, ok, err := s.ClaimFeed(ctx, due[0], later, later.Add(time.Minute))
	require.NoError(t, err)
	require.True(t, ok)
	save := func(f store.Feed) error { return s.Tx(ctx, func(tx *store.Tx) error { return tx.SaveFeed(f) }) }
	assert.ErrorIs(t, save(winner), store.ErrLost, "the first claimer comes too late")
	assert.NoError(t, save(second))
}

// TestTxRunsAgain makes two transactions lock each other's rows: both must come through.
func TestTxRunsAgain(t *testing.T) {
	s, _ := open(t)
	var ids [2]int64
	for i, name := range []string{"A", "B"} {
		c := store.Calendar{Name: name, Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: now}
		require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
		ids[i] = c.ID
	}
	var both sync.WaitGroup
	var first [2]sync.Once
	both.Add(2)
	var runs atomic.Int32
	var group sync.WaitGroup
	for i := range 2 {
		group.Go(func() {
			assert.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
				runs.Add(1)
				if _, err := tx.LockCalendar(ids[i]); err != nil {
					return err
				}
				first[i].Do(func() { both.Done(); both.Wait() })
				_, err := tx.LockCalendar(ids[1-i])
				return err
			}))
		})
	}
	group.Wait()
	assert.Greater(t, runs.Load(), int32(2), "one of them lost and was run again")
}

func TestNamesAndPickups(t *testing.T) {
	s, _ := open(t)
	c := store.Calendar{Name: "Hall", Zone: "UTC", Grain: "time", Capacity: 1, CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	again := c
	again.ID = 0
	assert.ErrorIs(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&again) }), store.ErrTaken)

	f := newFeed(t, s)
	p := store.Publication{Title: "Spoken for", CalendarID: c.ID, PlatformID: f.PlatformID, Name: "For the desk", SecretHash: make([]byte, 32), SecretCipher: []byte("x"), CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreatePublication(&p) }))
	_, err := s.PublicationServed(ctx, p.SecretHash)
	assert.ErrorIs(t, err, store.ErrNotFound, "nothing is served before there is a version")
	loft, q := again, p
	loft.Name = "Loft"
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
		err := tx.CreateCalendar(&loft)
		q.ID, q.CalendarID, q.Name, q.SecretHash = 0, loft.ID, "Loft, for the desk", bytes.Repeat([]byte{1}, 32)
		return errors.Join(err, tx.CreatePublication(&q))
	}))
	odd := now.Add(999 * time.Nanosecond)
	require.NoError(t, s.RecordPickups(ctx, []store.Pickup{{PublicationID: q.ID, Version: 1, Agent: "importer", FirstAt: odd, LastAt: odd, Times: 1}}))
	one, err := s.PickupGaps(ctx, q.ID)
	require.NoError(t, err)
	assert.Zero(t, one.Gaps.Sum, "before the first there is no gap, however fine its clock is")

	var group sync.WaitGroup
	for i := range 20 {
		group.Go(func() {
			assert.NoError(t, s.RecordPickups(ctx, []store.Pickup{{PublicationID: p.ID, Version: 1, Agent: "importer", FirstAt: now, LastAt: now.Add(time.Duration(i) * time.Second), Times: 1}}))
		})
	}
	group.Wait()
	pickups, err := s.Pickups(ctx, p.ID, 10)
	require.NoError(t, err)
	require.Len(t, pickups, 1)
	assert.EqualValues(t, 20, pickups[0].Times)
	assert.Equal(t, now.Add(19*time.Second), pickups[0].LastAt)

	require.NoError(t, s.RecordPickups(ctx, []store.Pickup{{PublicationID: p.ID, Version: 2, Agent: "importer", FirstAt: now, LastAt: now, Times: 1}}))
	for _, version := range []int64{1, 2} {
		require.NoError(t, s.ForgetPickup(ctx, p.ID, version, "importer"), "a download that was broken off")
	}
	pickups, err = s.Pickups(ctx, p.ID, 10)
	require.NoError(t, err)
	require.Len(t, pickups, 1, "no pickup of version 2 is left")
	assert.EqualValues(t, 19, pickups[0].Times)

	later := now.Add(19*time.Second + time.Hour)
	require.NoError(t, s.RecordPickups(ctx, []store.Pickup{
		{PublicationID: p.ID, Version: 2, Agent: "importer", FirstAt: later.Add(2 * time.Hour), LastAt: later.Add(4 * time.Hour), Times: 3},
		{PublicationID: p.ID, Version: 2, Agent: "another", FirstAt: later, LastAt: later, Times: 1},
	}))
	gaps, err := s.PickupGaps(ctx, p.ID)
	require.NoError(t, err)
	assert.Equal(t, later.Add(4*time.Hour), gaps.LastAt)
	assert.InDelta(t, 5*3600, gaps.Gaps.Sum, 60, "an hour, two, and twice one; the twenty at once lie seconds apart")
	assert.InDelta(t, 7200, gaps.Gaps.Quantile(1).Seconds(), 720)
}
