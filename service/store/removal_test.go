package store_test

import (
	"crypto/sha256"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/service/store"
)

// TestRemoved: what is removed is out of the lists and its name is free; what is still
// needed of it stays.
func TestRemoved(t *testing.T) {
	s, _ := open(t)
	in := func(f func(tx *store.Tx) error) {
		t.Helper()
		require.NoError(t, s.Tx(ctx, f))
	}
	f := newFeed(t, s)
	c := store.Calendar{Name: "Hall", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&c) }))
	in(func(tx *store.Tx) error {
		if err := tx.CreateLink(store.Link{CalendarID: c.ID, FeedID: f.ID, Role: "blocks", Tentative: "tentative", Units: 1}); err != nil {
			return err
		}
		booking := func(entry, start, end int64, verdict judge.Kind) *store.Booking {
			return &store.Booking{CalendarID: c.ID, FeedID: f.ID, EntryID: entry, Occurrence: "1", StartPoint: start, EndPoint: end, Blocks: true, Verdict: verdict, SeenBy: now}
		}
		return tx.SaveBookings([]*store.Booking{booking(1, 10, 12, "booking"), booking(2, 18, 25, "booking"), booking(3, 30, 31, "booking"), booking(4, 40, 50, "echo")}, nil)
	})
	ahead, err := s.AheadOf(ctx, c.ID, f.ID, 20)
	require.NoError(t, err)
	assert.Equal(t, store.Ahead{CalendarID: c.ID, Bookings: 2, Points: 6}, ahead, "of one that has begun, what is left; echoes count for nothing")
	in(func(tx *store.Tx) error {
		bookings, err := tx.CurrentBookings(c.ID)
		if err != nil {
			return err
		}
		var conflicts []*store.ConflictWith
		for _, state := range []judge.State{judge.Open, judge.Acknowledged, judge.Cleared} {
			conflicts = append(conflicts, &store.ConflictWith{Conflict: store.Conflict{CalendarID: c.ID, Kind: "double_booking", State: state, OpenedAt: now}, BookingIDs: []int64{bookings[0].ID, bookings[1].ID}})
		}
		return tx.SaveConflicts(conflicts)
	})
	conflicts, err := s.ConflictsWithFeed(ctx, 0, f.ID)
	require.NoError(t, err)
	assert.EqualValues(t, 2, conflicts, "a conflict counts once, and not when it is over")

	hash := sha256.Sum256([]byte("secret"))
	publication := func() store.Publication {
		p := store.Publication{Title: "Spoken for", CalendarID: c.ID, PlatformID: f.PlatformID, Name: "For the desk", SecretHash: hash[:], SecretCipher: []byte("x"), CreatedAt: now}
		in(func(tx *store.Tx) error {
			if err := tx.CreatePublication(&p); err != nil {
				return err
			}
			return tx.SaveVersion(store.Version{PublicationID: p.ID, Version: 1, At: now, ETag: "v1"}, p.Name, []byte("body"),
				carried.Change{Open: []carried.Row{{Item: carried.Item{Name: carried.Name{UID: "u"}, Units: 1}, Stamp: now, From: 1}}})
		})
		return p
	}
	p := publication()
	served, err := s.PublicationServed(ctx, hash[:])
	require.NoError(t, err)
	_, plain, err := served.Texts()
	require.NoError(t, err)
	assert.Equal(t, "body", string(plain))
	in(func(tx *store.Tx) error { return tx.RemovePublication(p, now) })
	_, err = s.PublicationServed(ctx, hash[:])
	assert.ErrorIs(t, err, store.ErrRevoked)
	hash = sha256.Sum256([]byte("another"))
	publication() // name and recipient are free again
	in(func(tx *store.Tx) error {
		all, err := tx.PublicationsOf(c.ID)
		require.Len(t, all, 2, "what the removed one carried is needed to know its echoes")
		assert.NotNil(t, all[0].RemovedAt)
		require.NoError(t, err)
		published, err := tx.PublishedOf(c.ID)
		assert.Len(t, published.Carried[all[0].ID], 1)
		assert.Len(t, published.Versions[all[0].ID], 1)
		return err
	})

	in(func(tx *store.Tx) error { return tx.RemoveFeed(f.ID, now) })
	_, err = s.Feed(ctx, f.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	all, err := s.AllFeeds(ctx)
	require.NoError(t, err)
	assert.Len(t, all, 1, "its name is still needed for what it was in")
	_, ok, err := s.ClaimFeed(ctx, all[0], now.Add(time.Hour), now.Add(2*time.Hour))
	require.NoError(t, err)
	assert.False(t, ok, "nobody reads it")
	newFeed(t, s) // by the same name

	in(func(tx *store.Tx) error {
		platform, err := tx.LockPlatform(f.PlatformID)
		if err != nil {
			return err
		}
		platform.RemovedAt = &now
		return tx.SavePlatform(platform)
	})
	_, err = s.Platform(ctx, f.PlatformID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	in(func(tx *store.Tx) error {
		again, err := tx.CreatePlatform("Desk")
		assert.Equal(t, f.PlatformID, again.ID, "what is known of it stays true")
		_, taken := tx.CreatePlatform("Desk")
		assert.ErrorIs(t, taken, store.ErrTaken)
		return err
	})

	in(func(tx *store.Tx) error {
		revoked, err := tx.RemoveCalendar(c.ID, now)
		assert.Len(t, revoked, 2, "the one that was removed before, too")
		return err
	})
	_, err = s.Calendar(ctx, c.ID)
	assert.ErrorIs(t, err, store.ErrNotFound)
	in(func(tx *store.Tx) error {
		published, err := tx.PublishedOf(c.ID)
		assert.Len(t, published.Carried[p.ID], 1, "what was carried stays on record")
		return err
	})
	again := store.Calendar{Name: "Hall", Zone: "UTC", Grain: "day", Capacity: 1, CreatedAt: now}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error { return tx.CreateCalendar(&again) }), "its name is free")
	_, err = s.PublicationServed(ctx, hash[:])
	assert.ErrorIs(t, err, store.ErrRevoked, "the links of a removed calendar are revoked")
}

// TestEdits: what was changed after a revision is told in order, and of nothing else.
func TestEdits(t *testing.T) {
	s, _ := open(t)
	edit := func(topic string, subject, part, revision int64, field string) store.Edit {
		return store.Edit{Topic: topic, Subject: subject, Part: part, Revision: revision, Account: "harbour", At: now, Field: field, Was: "a", Became: "b"}
	}
	require.NoError(t, s.Tx(ctx, func(tx *store.Tx) error {
		return tx.SaveEdits([]store.Edit{edit("feed", 1, 0, 2, "name"), edit("feed", 1, 0, 3, "color"), edit("feed", 1, 0, 3, "every"), edit("feed", 2, 0, 9, "name"),
			edit("calendar", 1, 0, 9, "name"), edit("link", 1, 5, 9, "role"), edit("link", 1, 6, 2, "units")})
	}))
	for _, tc := range []struct {
		of   store.Edit
		want []string
	}{
		{edit("feed", 1, 0, 1, ""), []string{"name", "color", "every"}},
		{edit("feed", 1, 0, 2, ""), []string{"color", "every"}},
		{edit("feed", 1, 0, 3, ""), nil},
		{edit("link", 1, 6, 1, ""), []string{"units"}},
	} {
		rows, err := s.EditsAfter(ctx, tc.of)
		require.NoError(t, err)
		var got []string
		for _, r := range rows {
			got = append(got, r.Field)
		}
		assert.Equal(t, tc.want, got)
	}
}
