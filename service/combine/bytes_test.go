package combine_test

import (
	"database/sql"
	"log/slog"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/store"
)

// TestSameBytes: what is stored gives the same bytes, whichever process writes them, after a restart, and on another day of the
// week: with the stored documents thrown away, another process writes them again, letter by letter.
func TestSameBytes(t *testing.T) {
	h := newHouse(t, 4)
	options := []rules.Publication{
		{Detail: rules.Times, Title: "Spoken for"}, {Detail: rules.Titles, Title: "Spoken for", Cancelled: 48, Alarm: "1d", Color: "teal"},
		{Detail: rules.Times, Title: "Gone", Joined: true, Refresh: 60}, {Detail: rules.Titles, Title: "Full", Occupancy: rules.WhereFull, Shown: true}}
	h.tx(func(tx *store.Tx) error {
		all, err := tx.PublicationsOf(h.calendar)
		for i, p := range all {
			p.SetRules(options[i])
			if err == nil {
				err = tx.SavePublication(p)
			}
		}
		return err
	})
	for i, sold := range []struct {
		feed        int
		title       string
		first, last int
	}{{0, "Ann", 10, 12}, {1, "Ben", 12, 14}, {2, "Cleo, \"the elder\"; she\nsings", 13, 15}, {3, "Dora", 20, 22}, {0, "Eve", 24, 25}} {
		h.now = h.now.Add(time.Duration(i) * time.Minute)
		require.NoError(t, h.sell(sold.feed, sold.title, sold.first, sold.last))
		h.c.Calendars(ctx, h.calendar)
	}
	h.now = h.now.Add(time.Hour)
	h.cancel(0, "Eve")
	h.c.Calendars(ctx, h.calendar)
	bodies := func() (all []string) {
		ids, err := h.store.NewestPublications(ctx)
		require.NoError(t, err)
		rows, err := h.store.PublicationsServed(ctx, ids)
		require.NoError(t, err)
		for _, r := range rows {
			_, plain, err := r.Texts()
			require.NoError(t, err)
			all = append(all, string(plain))
		}
		return all
	}
	before := bodies()
	require.Len(t, before, 4)
	assert.Equal(t, 1, strings.Count(strings.Join(before, ""), "STATUS:CANCELLED"))

	db, err := sql.Open("mysql", h.dsn)
	require.NoError(t, err)
	defer db.Close()
	_, err = db.Exec("UPDATE publications SET body = '', rendered_name = ''")
	require.NoError(t, err)
	other, err := store.Open(ctx, h.dsn, 0)
	require.NoError(t, err)
	defer other.Close()
	h.now = h.now.Add(20 * time.Hour) // over a midnight, in the same week
	h.tx(func(tx *store.Tx) error { return tx.MarkDirty(h.calendar) })
	again := &combine.Combiner{Store: other, Now: h.c.Now, Log: slog.New(slog.DiscardHandler)}
	again.Calendars(ctx, h.calendar)
	assert.Equal(t, before, bodies())
}
