package combine_test

import (
	"database/sql"
	"fmt"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
	"wharf/service/store"
)

// TestLargeCalendars: a calendar is combined however much of it clashes, and cleared again.
func TestLargeCalendars(t *testing.T) {
	for _, tc := range []struct {
		name      string
		bookings  int
		spans     string // start and end of the booking seq
		conflicts int
		largest   int
	}{
		{"33,000 bookings in one conflict", 33_000, "30000 + seq MOD 5, 30010", 1, 33_000},
		{"6,000 new conflicts", 24_001, "30000 + 2 * seq, 30002 + 2 * seq + IF(seq MOD 4 = 0, 1, 0)", 6_000, 2},
	} {
		t.Run(tc.name, func(t *testing.T) {
			h := newHouse(t, 1)
			db, err := sql.Open("mysql", h.dsn)
			require.NoError(t, err)
			defer db.Close()
			_, err = db.Exec(fmt.Sprintf(`INSERT INTO bookings (calendar_id, feed_id, entry_id, occurrence, uid, minted, start_point, end_point, tentative, blocks, units, title, notices,
				sequence, seen_by, verdict, evidence) SELECT %d, %d, seq, '', seq, seq, %s, FALSE, TRUE, 1, 'Guest', '', 0, NOW(6), 'booking', '' FROM seq_1_to_%d`,
				h.calendar, h.feeds[0], tc.spans, tc.bookings))
			require.NoError(t, err)
			_, err = h.c.Calendar(ctx, h.calendar)
			require.NoError(t, err)
			found, err := h.store.Conflicts(ctx, h.calendar, judge.Open)
			require.NoError(t, err)
			assert.Equal(t, tc.conflicts, len(found))
			most := 0
			for _, c := range found {
				most = max(most, len(c.BookingIDs))
			}
			assert.Equal(t, tc.largest, most)

			_, err = db.Exec("UPDATE bookings SET removed_at = NOW(6)")
			require.NoError(t, err)
			h.tx(func(tx *store.Tx) error { return tx.MarkDirty(h.calendar) })
			_, err = h.c.Calendar(ctx, h.calendar)
			require.NoError(t, err)
			counts, err := h.store.CountConflicts(ctx, judge.Cleared)
			require.NoError(t, err)
			assert.Equal(t, tc.conflicts, counts[h.calendar])
		})
	}
}
