package combine_test

import (
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/echo"
	"wharf/service/store"
)

// TestHabitsInSteps: what a judgement learns is one row with the bookings that taught it, and no
// row more while it stays the same; what a person laid down stands beside it; a feed that
// becomes another platform's begins anew.
func TestHabitsInSteps(t *testing.T) {
	h := newHouse(t, 1)
	require.NoError(t, h.sell(0, "a", 10, 13))
	require.NoError(t, h.sell(0, "b", 20, 22))
	h.tx(func(tx *store.Tx) error {
		rows, err := tx.BookingsOf(h.calendar, h.feeds[0])
		if err != nil {
			return err
		}
		for i := range rows {
			rows[i].Form = "sale"
		}
		return tx.SaveBookings(nil, rows)
	})
	platform := func() (id int64) {
		feed, err := h.store.Feed(ctx, h.feeds[0])
		require.NoError(t, err)
		return feed.PlatformID
	}
	known := func(platform int64) (all []string) {
		rows, err := h.store.Habits(ctx, platform, true)
		require.NoError(t, err)
		for _, r := range rows {
			if r.Name == echo.FormOf {
				all = append(all, fmt.Sprint(r.OfWhat, " ", r.Value, " from ", len(r.Bookings), " over ", r.Until != nil, " by ", r.SetBy))
			}
		}
		return all
	}
	again := func() {
		h.tx(func(tx *store.Tx) error { return tx.MarkDirty(h.calendar) })
		require.NoError(t, h.c.All(ctx))
	}
	again()
	first := platform()
	assert.Equal(t, []string{"sale sale from 2 over false by "}, known(first))
	again()
	h.cancel(0, "a")
	h.cancel(0, "b")
	again()
	assert.Equal(t, []string{"sale sale from 2 over false by "}, known(first), "it outlives what taught it")

	h.tx(func(tx *store.Tx) error {
		return tx.StepHabits(h.now, nil, []store.Habit{{PlatformID: first, Name: echo.FormOf, OfWhat: "sale", Value: echo.Block, Bookings: []int64{}, SetBy: "harbour", Since: h.now}})
	})
	require.NoError(t, h.sell(0, "c", 25, 27))
	again()
	assert.Equal(t, []string{"sale block from 0 over false by harbour", "sale sale from 2 over false by "}, known(first))

	h.tx(func(tx *store.Tx) error {
		p, err := tx.PlatformNamed("Another")
		if err != nil {
			return err
		}
		feed, err := tx.LockFeed(h.feeds[0])
		if err != nil {
			return err
		}
		feed.PlatformID = p.ID
		return tx.SaveFeed(feed)
	})
	again()
	assert.Equal(t, []string{"sale block from 0 over false by harbour", "sale sale from 2 over true by "}, known(first))
}
