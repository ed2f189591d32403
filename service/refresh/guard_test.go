package refresh_test

import (
	"fmt"
	"net/http"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/ical"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/internal/feedtest"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/refresh"
	"wharf/service/store"
)

// weeks are so many stays of a feed, from the first on.
func weeks(first, n int) (text string) {
	for i := first; i < first+n; i++ {
		day := time.Date(2026, 8, 1, 0, 0, 0, 0, time.UTC).AddDate(0, 0, 7*i)
		text += feedtest.Event(fmt.Sprint("u", i), fmt.Sprint("Guest ", i), day.Format("20060102"), day.AddDate(0, 0, 2).Format("20060102"))
	}
	return text
}

// TestGuard: a feed that is suddenly empty or much shorter frees nothing, says so, and goes on with what
// is new; a person lets it go or keeps it, or readings agree, those by 304 too.
func TestGuard(t *testing.T) {
	b := feedtest.New(t, weeks(0, 12))
	b.Refresher.Guard = reading.Guard{Share: 1.0 / 3, Agree: 3, Few: 3, Over: 6 * time.Hour}
	feed := func() store.Feed {
		t.Helper()
		f, err := b.Store.Feed(ctx, b.Feed)
		require.NoError(t, err)
		return f
	}
	held := func() (ids []int64) {
		t.Helper()
		rows, err := b.Store.Held(ctx, b.Feed)
		require.NoError(t, err)
		for _, r := range rows {
			ids = append(ids, r.ID)
		}
		return ids
	}
	state := func() refresh.FeedState { s, _ := refresh.State(feed(), b.Now); return s }

	assert.Equal(t, store.OutcomeChanged, b.Read("").Outcome)
	assert.Len(t, b.Bookings(), 12, "it is suddenly empty: all of it stands")
	assert.Equal(t, refresh.Guarded, state())
	since := feed().GuardedSince
	require.NotNil(t, since)
	b.Read(weeks(0, 12) + weeks(20, 1))
	assert.Equal(t, refresh.Fresh, state(), "it is whole again")
	assert.Len(t, b.Bookings(), 13)
	assert.Empty(t, held())

	b.Read(weeks(6, 6) + weeks(20, 1) + weeks(30, 1))
	assert.Len(t, b.Bookings(), 14, "six are missing and stand; what is new counts")
	assert.Len(t, held(), 6)
	for range 5 { // an hour apart, each time the same
		assert.Equal(t, store.OutcomeUnchanged, b.Read(b.Body).Outcome)
		assert.Len(t, b.Bookings(), 14)
	}
	b.Read(b.Body)
	assert.Len(t, b.Bookings(), 8, "six hours and more than three readings agree")
	assert.Equal(t, refresh.Fresh, state())

	b.SQL("UPDATE bookings SET verdict = ? WHERE uid = 'u6'", judge.Echo)
	b.Read("")
	all := held()
	require.Len(t, all, 7, "a reflection takes nothing, so nothing is free without it")
	say := desk.Held{Feed: b.Feed, LetGo: true, Bookings: all[:3]}
	by := desk.By{Account: "harbour"}
	effects, err := b.Desk.TryHeld(ctx, by, say)
	require.NoError(t, err)
	assert.NotContains(t, effects, combine.Effect{Kind: combine.Opens})
	assert.Len(t, held(), 7, "it was only tried")
	require.NoError(t, b.Desk.DecideHeld(ctx, by, say))
	assert.Len(t, b.Bookings(), 4)
	var wrong *rules.FieldError
	assert.ErrorAs(t, b.Desk.DecideHeld(ctx, by, say), &wrong, "they are not held any more")
	require.NoError(t, b.Desk.DecideHeld(ctx, by, desk.Held{Feed: b.Feed, Bookings: all[3:]}))
	assert.Equal(t, refresh.Fresh, state(), "nobody is asked any more")
	for range 9 {
		b.Read("")
	}
	assert.Len(t, b.Bookings(), 4, "what is kept stands")
	b.Read(weeks(10, 2))
	assert.Len(t, held(), 2, "what it shows again is not held")
	require.NoError(t, b.Desk.DecideHeld(ctx, by, desk.Held{Feed: b.Feed, LetGo: true, Bookings: held()}), "what is kept can be let go")
	b.Read(weeks(10, 1))
	assert.Len(t, b.Bookings(), 2, "one of two is missing")
	for range 3 {
		_, err := b.Refresher.ReadNow(ctx, b.Feed)
		require.NoError(t, err)
	}
	assert.Len(t, b.Bookings(), 1, "of a few, three readings that agree free them, whoever asked for those")

	b.Read("")
	assert.Len(t, b.Bookings(), 1)
	b.Refresher.Guard.Share = 0
	b.Read(weeks(40, 1))
	assert.Len(t, b.Bookings(), 1, "where nothing is guarded, nothing is held: what is shown is what there is")
	assert.Equal(t, refresh.Fresh, state())
}

// TestOverruns: a feed in which there is more than there may be, of whatever kind, changes nothing, says of
// what it has too much, and is set aside for longer each time; then it is as it was.
func TestOverruns(t *testing.T) {
	odd := func(n int, line string) (text string) {
		for i := range n {
			text += "BEGIN:VEVENT\r\nUID:s" + fmt.Sprint(i) + "\r\nDTSTART:20260801T000000Z\r\n" + line + "\r\nRRULE:FREQ=SECONDLY\r\nEND:VEVENT\r\n"
		}
		return text
	}
	for _, tc := range []struct{ name, body, says string }{
		{"events of no length, by the second", odd(20, "DTEND:20260801T000000Z"), "come round far more often"},
		{"cancelled ones, by the second", odd(20, "STATUS:CANCELLED"), "come round far more often"},
		{"lines", strings.Repeat("X:1\r\n", 5000), "more than 2000 lines"},
		{"components", strings.Repeat("BEGIN:VTODO\r\nEND:VTODO\r\n", 600), "more than 500 components"},
		{"calendars", "END:VCALENDAR\r\n" + strings.Repeat("BEGIN:VCALENDAR\r\nEND:VCALENDAR\r\n", 60) + "BEGIN:VCALENDAR\r\n", "more than 50 calendars"},
	} {
		t.Run(tc.name, func(t *testing.T) {
			b := feedtest.New(t, weeks(0, 4))
			b.Refresher.Limits = ical.DefaultLimits()
			b.Refresher.Limits.Lines, b.Refresher.Limits.Components, b.Refresher.Limits.Calendars = 2000, 500, 50
			b.Refresher.Memory = 1 << 20
			for range 4 {
				r := b.Read(tc.body)
				assert.Equal(t, store.OutcomeFailed, r.Outcome)
				assert.Contains(t, r.Message, tc.says)
			}
			f, err := b.Store.Feed(ctx, b.Feed)
			require.NoError(t, err)
			assert.Equal(t, 3*time.Hour, f.DueAt.Sub(b.Now), "it failed for three hours, and is left alone for as long")
			assert.Len(t, b.Bookings(), 4)
			assert.Equal(t, store.OutcomeUnchanged, b.Read(weeks(0, 4)).Outcome)
		})
	}
}

// TestAlwaysUnchanged: a feed that says for ever that nothing is new is read whole once a day.
func TestAlwaysUnchanged(t *testing.T) {
	b := feedtest.New(t, weeks(0, 4))
	b.Header = http.Header{"Etag": {`"same"`}}
	b.Read(weeks(0, 4))
	b.Status, b.OnlyKnown = http.StatusNotModified, true
	for range 22 {
		assert.Equal(t, store.OutcomeUnchanged, b.Read(weeks(0, 5)).Outcome)
	}
	assert.Len(t, b.Bookings(), 4, "it is believed for a day")
	for range 3 {
		b.Read(weeks(0, 5))
	}
	assert.Len(t, b.Bookings(), 5)
}
