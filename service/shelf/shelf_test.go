package shelf_test

import (
	"context"
	"crypto/sha256"
	"fmt"
	"log/slog"
	"strings"
	"sync"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/events"
	"wharf/service/shelf"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var (
	ctx   = context.Background()
	now   = time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	quiet = slog.New(slog.DiscardHandler)
)

// world is a database with a calendar whose publications the test writes.
type world struct {
	t        *testing.T
	store    *store.Store
	calendar int64
	now      time.Time
}

func newWorld(t *testing.T) *world {
	s, err := store.Open(ctx, feedtest.Database(t), 0)
	require.NoError(t, err)
	t.Cleanup(func() { _ = s.Close() }) // a test may have closed it
	c := store.Calendar{Name: "Hall", Zone: "UTC", Grain: "time", Capacity: 1, CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	return &world{t, s, c.ID, now}
}

func (w *world) shelf(maxBytes int64) *shelf.Shelf {
	return shelf.New(w.store, quiet, func() time.Time { return w.now }, maxBytes)
}

// publish adds a publication under a secret.
func (w *world) publish(secret string) int64 {
	w.t.Helper()
	hash := sha256.Sum256([]byte(secret))
	p := store.Publication{Title: "Spoken for", CalendarID: w.calendar, Name: secret, SecretHash: hash[:], SecretCipher: []byte("x"), CreatedAt: now}
	require.NoError(w.t, w.store.Tx(ctx, func(tx *store.Tx) error {
		platform, err := tx.PlatformNamed("Platform of " + secret)
		if err != nil {
			return err
		}
		p.PlatformID = platform.ID
		return tx.CreatePublication(&p)
	}))
	return p.ID
}

// render writes a version, as another process does.
func (w *world) render(id, version int64, body string) {
	w.t.Helper()
	require.NoError(w.t, w.store.Tx(ctx, func(tx *store.Tx) error {
		v := store.Version{PublicationID: id, Version: version, At: now, ETag: fmt.Sprint("v", version), Bytes: int64(len(body))}
		if err := tx.SaveVersion(v, "name", []byte(body), carried.Change{}); err != nil {
			return err
		}
		return tx.Changed(store.TopicPublication, id)
	}))
}

func (w *world) revoke(id int64) {
	w.t.Helper()
	require.NoError(w.t, w.store.Tx(ctx, func(tx *store.Tx) error {
		p, err := tx.LockPublication(id)
		if err != nil {
			return err
		}
		return tx.RemovePublication(p, now)
	}))
}

func body(t *testing.T, s *shelf.Shelf, secret string) string {
	t.Helper()
	item, err := s.Get(ctx, shelf.KeyOf(secret))
	require.NoError(t, err)
	return string(item.Plain.Bytes)
}

func TestShelf(t *testing.T) {
	w := newWorld(t)
	s := w.shelf(1 << 20)
	_, err := s.Get(ctx, shelf.KeyOf("a"))
	assert.ErrorIs(t, err, store.ErrNotFound)
	a := w.publish("a")
	_, err = s.Get(ctx, shelf.KeyOf("a"))
	assert.ErrorIs(t, err, store.ErrNotFound, "before there is a version")
	w.render(a, 1, "one")
	assert.Equal(t, "one", body(t, s, "a"))
	item, err := s.Get(ctx, shelf.KeyOf("a"))
	require.NoError(t, err)
	assert.Equal(t, []string{`"v1"`}, item.Plain.ETag)
	assert.Equal(t, []string{`"v1-gzip"`}, item.Zipped.ETag)
	assert.Equal(t, []string{"3"}, item.Plain.Length)
	assert.Equal(t, []string{"Wed, 01 Jul 2026 12:00:00 GMT"}, item.LastModified)

	w.render(a, 2, "two")
	assert.Equal(t, "one", body(t, s, "a"), "no request asks the database")
	s.Stale(a)
	assert.Equal(t, "two", body(t, s, "a"))

	b := w.publish("b")
	w.render(b, 1, "bee")
	assert.Equal(t, "bee", body(t, s, "b"))
	w.revoke(b)
	s.Stale(b)
	_, err = s.Get(ctx, shelf.KeyOf("b"))
	assert.ErrorIs(t, err, store.ErrRevoked)

	s.Stale(a)
	require.NoError(t, w.store.Close())
	assert.Equal(t, "two", body(t, s, "a"), "without the database, what was last published still holds")
	_, err = s.Get(ctx, shelf.KeyOf("c"))
	require.Error(t, err)
	assert.NotErrorIs(t, err, store.ErrNotFound, "it is not known whether there is such a link")
}

// TestRoom: the shelf keeps to its size; what was asked for longest ago goes.
func TestRoom(t *testing.T) {
	w := newWorld(t)
	s := w.shelf(3500)
	for i, secret := range []string{"a", "b", "c"} {
		w.render(w.publish(secret), 1, strings.Repeat(secret, 1000))
		body(t, s, secret)
		w.now = w.now.Add(time.Duration(i+1) * time.Minute)
	}
	body(t, s, "a") // so that b is the oldest
	w.now = w.now.Add(time.Minute)
	w.render(w.publish("d"), 1, strings.Repeat("d", 1000))
	body(t, s, "d")
	require.NoError(t, w.store.Close())
	for secret, kept := range map[string]bool{"a": true, "b": false, "c": true, "d": true} {
		_, err := s.Get(ctx, shelf.KeyOf(secret))
		assert.Equal(t, kept, err == nil, secret)
	}
}

// TestRun: a shelf is filled before anybody asks, and follows what others change.
func TestRun(t *testing.T) {
	w := newWorld(t)
	a, b := w.publish("a"), w.publish("b")
	w.render(a, 1, "one")
	w.render(b, 1, "bee")
	s, hub := w.shelf(1<<20), events.New(w.store, quiet)
	run, stop := context.WithCancel(ctx)
	look, flush, ended := make(chan time.Time), make(chan time.Time), make(chan struct{}, 2)
	go func() { hub.Run(run, look); ended <- struct{}{} }()
	go func() { s.Run(run, hub, flush); ended <- struct{}{} }()
	settle := func() { // each second token is taken when the first was dealt with
		for range 2 {
			look <- time.Time{}
		}
		for range 2 {
			flush <- time.Time{}
		}
	}
	settle()
	w.render(a, 2, "two")
	w.revoke(b)
	settle()
	assert.Equal(t, "two", body(t, s, "a"))
	_, err := s.Get(ctx, shelf.KeyOf("b"))
	assert.ErrorIs(t, err, store.ErrRevoked)

	w.render(w.publish("c"), 1, "sea")
	settle()
	require.NoError(t, w.store.Close())
	assert.Equal(t, "sea", body(t, s, "c"), "a new one is here before anybody asks, and stays while the database is away")
	stop()
	<-ended
	<-ended
}

// TestFirstLoad: a version that is rendered while the one before it is loaded for the first
// time is not missed.
func TestFirstLoad(t *testing.T) {
	w := newWorld(t)
	id := w.publish("a")
	w.render(id, 1, "1")
	for version := int64(2); version < 20; version++ {
		shelves := make([]*shelf.Shelf, 30) // each asked for the first time at another moment of the rendering
		for i := range shelves {
			shelves[i] = w.shelf(1 << 20)
		}
		var both sync.WaitGroup
		both.Go(func() {
			for _, s := range shelves {
				_, _ = s.Get(ctx, shelf.KeyOf("a"))
			}
		})
		both.Go(func() {
			w.render(id, version, fmt.Sprint(version))
			for _, s := range shelves {
				s.Stale(id)
			}
		})
		both.Wait()
		for _, s := range shelves {
			require.Equal(t, fmt.Sprint(version), body(t, s, "a"))
		}
	}
}

// TestManyReaders: however many names readers give themselves, few are recorded, and all downloads counted.
func TestManyReaders(t *testing.T) {
	w := newWorld(t)
	s := w.shelf(1 << 20)
	a := w.publish("a")
	w.render(a, 1, "one")
	item, err := s.Get(ctx, shelf.KeyOf("a"))
	require.NoError(t, err)
	s.PickedUp(ctx, item, "Strand importer/2", now)
	for i := range 1500 {
		s.PickedUp(ctx, item, fmt.Sprintf("probe%d/%d", i/3, i%3), now.Add(time.Duration(i)*time.Second))
	}
	s.PickedUp(ctx, item, "Strand importer/2", now.Add(time.Hour))
	s.Flush(ctx)
	rows, err := w.store.Pickups(ctx, a, 2000)
	require.NoError(t, err)
	assert.LessOrEqual(t, len(rows), 101, "of 1,501 names few are recorded")
	times := map[string]int64{}
	var all int64
	for _, r := range rows {
		times[r.Agent] = r.Times
		all += r.Times
	}
	assert.EqualValues(t, 1502, all, "and each download is counted")
	assert.EqualValues(t, 2, times["Strand importer/2"], "who was there before is known as before")
	assert.Positive(t, times["others"])
}

func TestPickups(t *testing.T) {
	w := newWorld(t)
	s := w.shelf(1 << 20)
	a, b := w.publish("a"), w.publish("b")
	w.render(a, 1, "one")
	w.render(b, 1, "bee")
	get := func(secret string) *shelf.Item {
		item, err := s.Get(ctx, shelf.KeyOf(secret))
		require.NoError(t, err)
		return item
	}
	written := func(id int64) (n int64) {
		rows, err := w.store.Pickups(ctx, id, 10)
		require.NoError(t, err)
		for _, r := range rows {
			n += r.Times
		}
		return n
	}
	s.PickedUp(ctx, get("a"), "desk", now)
	assert.EqualValues(t, 1, written(a), "the first is written before it is answered")
	for i := range 9 {
		s.PickedUp(ctx, get("a"), "desk", now.Add(time.Duration(i)*time.Minute))
	}
	s.PickedUp(ctx, get("a"), "office", now)
	assert.EqualValues(t, 2, written(a), "repeats are counted")
	s.BrokenOff(ctx, get("a"), "desk")
	s.Flush(ctx)
	assert.EqualValues(t, 10, written(a), "and written together, less the one that broke off")
	s.Flush(ctx)
	assert.EqualValues(t, 10, written(a), "once")
	s.BrokenOff(ctx, get("a"), "office")
	assert.EqualValues(t, 9, written(a), "a first one that breaks off is taken back")
	rows, err := w.store.Pickups(ctx, a, 10)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.Equal(t, now.Add(8*time.Minute), rows[0].LastAt)

	// One whose publication is gone with its calendar hinders no others.
	for range 2 {
		s.PickedUp(ctx, get("b"), "desk", now)
	}
	other := store.Calendar{Name: "Crane", Zone: "UTC", Grain: "time", Capacity: 1, CreatedAt: now}
	require.NoError(t, w.store.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&other) }))
	w.calendar = other.ID
	c := w.publish("c")
	w.render(c, 1, "sea")
	for range 3 {
		s.PickedUp(ctx, get("c"), "desk", now)
	}
	require.NoError(t, w.store.Tx(ctx, func(tx *store.Tx) error { _, err := tx.RemoveCalendar(other.ID, now); return err }))
	s.Flush(ctx)
	assert.EqualValues(t, 2, written(b))
	s.Stale(c)
	_, err = s.Get(ctx, shelf.KeyOf("c"))
	assert.ErrorIs(t, err, store.ErrRevoked, "the links of a removed calendar are revoked")
}

// TestPickupsLater: what cannot be written is kept until it can.
func TestPickupsLater(t *testing.T) {
	dsn := feedtest.Database(t)
	gone, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	w := &world{t: t, store: gone, now: now}
	c := store.Calendar{Name: "Hall", Zone: "UTC", Grain: "time", Capacity: 1, CreatedAt: now}
	require.NoError(t, gone.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	w.calendar = c.ID
	a := w.publish("a")
	w.render(a, 1, "one")
	s := w.shelf(1 << 20)
	item, err := s.Get(ctx, shelf.KeyOf("a"))
	require.NoError(t, err)
	require.NoError(t, gone.Close())
	for range 5 {
		s.PickedUp(ctx, item, "desk", now)
	}
	s.Flush(ctx)
	back, err := store.Open(ctx, dsn, 0)
	require.NoError(t, err)
	defer back.Close()
	s.Store = back
	s.Flush(ctx)
	rows, err := back.Pickups(ctx, a, 10)
	require.NoError(t, err)
	require.Len(t, rows, 1)
	assert.EqualValues(t, 5, rows[0].Times)
}

// TestMany: readers, renderings and writings at once lose no pickup and never serve what is
// older than what was served before.
func TestMany(t *testing.T) {
	w := newWorld(t)
	a := w.publish("a")
	w.render(a, 1, "version 1")
	s := w.shelf(1 << 20)
	const readers, times, versions = 6, 40, 8
	var all sync.WaitGroup
	for i := range readers {
		all.Go(func() {
			newest := int64(0)
			for range times {
				item, err := s.Get(ctx, shelf.KeyOf("a"))
				if !assert.NoError(t, err) {
					return
				}
				assert.GreaterOrEqual(t, item.Version, newest)
				assert.Equal(t, fmt.Sprint("version ", item.Version), string(item.Plain.Bytes))
				newest = item.Version
				s.PickedUp(ctx, item, fmt.Sprint("reader ", i), now)
			}
		})
	}
	all.Go(func() {
		for v := range int64(versions) {
			w.render(a, v+2, fmt.Sprint("version ", v+2))
			s.Stale(a)
			s.Flush(ctx)
		}
	})
	all.Wait()
	s.Flush(ctx)
	assert.Equal(t, fmt.Sprint("version ", versions+1), body(t, s, "a"))
	rows, err := w.store.Pickups(ctx, a, readers*(versions+1))
	require.NoError(t, err)
	total := int64(0)
	for _, r := range rows {
		total += r.Times
	}
	assert.EqualValues(t, readers*times, total)
}
