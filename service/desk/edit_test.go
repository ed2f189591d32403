package desk

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/service/store"
)

// TestEditing: only what differs is an edit, and an edit of anything but the newest
// revision is none.
func TestEditing(t *testing.T) {
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	text, same, number := "B", "A", 3
	for name, tc := range map[string]struct {
		seen, stands int64
		name         *string
		units        *int
		want         []string // field, was, became
	}{
		"one field":         {2, 2, &text, nil, []string{"name", "A", "B"}},
		"two fields":        {2, 2, &text, &number, []string{"name", "A", "B", "units", "1", "3"}},
		"what it is anyway": {2, 2, &same, nil, nil},
		"nothing":           {2, 2, nil, nil, nil},
		"an old revision":   {1, 2, &text, nil, []string{"name", "A", "B"}},
		"one to come":       {3, 2, &text, nil, []string{"name", "A", "B"}},
		"what an edit from an old revision made of it": {1, 2, &same, nil, nil},
	} {
		t.Run(name, func(t *testing.T) {
			e := &editing{Edit: store.Edit{Topic: store.TopicFeed, Subject: 7, Revision: tc.seen, Account: "harbour", At: at}}
			e.begin(tc.stands)
			field, units := "A", 1
			set(e, "name", &field, tc.name)
			set(e, "units", &units, tc.units)
			var got []string
			for _, row := range e.rows {
				got = append(got, row.Field, row.Was, row.Became)
				assert.Equal(t, store.Edit{Topic: store.TopicFeed, Subject: 7, Revision: tc.seen + 1, Account: "harbour", At: at, Field: row.Field, Was: row.Was, Became: row.Became}, row)
			}
			assert.Equal(t, tc.want, got)
			if tc.name != nil {
				assert.Equal(t, *tc.name, field)
			}
			if tc.seen != tc.stands && tc.want != nil {
				var stale *StaleError
				require.ErrorAs(t, e.save(nil, nil), &stale)
				assert.Equal(t, tc.stands, stale.Stand)
			}
			if tc.want == nil {
				require.NoError(t, e.save(nil, nil), "what changes nothing may be sent again")
			}
			e.begin(tc.stands) // a transaction that is run again
			assert.Empty(t, e.rows, "begins anew")
		})
	}
}

// TestConfirmed: what is confirmed is what was shown.
func TestConfirmed(t *testing.T) {
	require.NoError(t, confirmed("", nil), "nothing is lost")
	losses := []Loss{{Kind: CountsNoMore, Calendar: "Ketch", Bookings: 2}, {Kind: ConflictsUnseen, Calendar: "Ketch", Conflicts: 1}}
	var loses *WouldLoseError
	require.ErrorAs(t, confirmed("", losses), &loses)
	assert.Equal(t, losses, loses.Losses)
	assert.NotEmpty(t, loses.Confirm)
	require.NoError(t, confirmed(loses.Confirm, losses))
	var again *WouldLoseError
	require.ErrorAs(t, confirmed(loses.Confirm, append(losses, Loss{Kind: SoldAgain})), &again, "more would be lost by now")
	assert.NotEqual(t, loses.Confirm, again.Confirm)
	assert.Error(t, confirmed("yes", losses))
}
