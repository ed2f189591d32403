package desk_test

import (
	"fmt"
	"math/rand"
	"slices"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/hold"
	"wharf/core/judge"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/internal/feedtest"
	"wharf/service/desk"
	"wharf/service/store"
)

// harbour is a bench whose calendar is published for a recipient that has no feed.
type harbour struct {
	*feedtest.Bench
	publication int64
}

func newHarbour(t *testing.T, body string) *harbour {
	h := &harbour{Bench: feedtest.New(t, body)}
	h.publication = h.publish(h.Calendar, "Office")
	return h
}

func (h *harbour) publish(calendar int64, name string) int64 {
	h.T.Helper()
	id, err := h.Desk.AddPublication(ctx, desk.Publication{Calendar: calendar, Platform: "Office", Name: name})
	require.NoError(h.T, err)
	return id
}

// shown is what a calendar shows and publishes, and its conflicts.
func (h *harbour) shown(calendar, publication int64) (all []string) {
	h.T.Helper()
	rows, err := h.Store.BookingsWithin(ctx, calendar, span.Days(span.NewDate(2020, 1, 1), span.NewDate(2040, 1, 1)))
	require.NoError(h.T, err)
	for _, b := range rows {
		if b.Verdict == judge.Counts {
			all = append(all, fmt.Sprintf("booked %d-%d %s tentative %v closure %v units %d", b.StartPoint, b.EndPoint, b.Title, b.Tentative, b.Closure, b.Units))
		}
	}
	conflicts, err := h.Store.Conflicts(ctx, calendar, judge.Unsettled...)
	require.NoError(h.T, err)
	for _, k := range conflicts {
		all = append(all, fmt.Sprintf("%s %d-%d among %d", k.Kind, k.StartPoint, k.EndPoint, len(k.BookingIDs)))
	}
	served, err := h.Store.PublicationsServed(ctx, []int64{publication})
	require.NoError(h.T, err)
	require.Len(h.T, served, 1)
	_, plain, err := served[0].Texts()
	require.NoError(h.T, err)
	for line := range strings.SplitSeq(string(plain), "\r\n") {
		if strings.HasPrefix(line, "DTSTART") || strings.HasPrefix(line, "DTEND") || strings.HasPrefix(line, "STATUS") {
			all = append(all, line)
		}
	}
	slices.Sort(all)
	return all
}

func (h *harbour) add(holds ...hold.Hold) []int64 {
	h.T.Helper()
	ids, err := h.Desk.AddHolds(ctx, "harbour", h.Calendar, holds...)
	require.NoError(h.T, err)
	return ids
}

// TestHoldIsABooking: what is entered blocks and goes out at once; a clash is said before; the revision that was seen counts;
// it moves, is cancelled and comes back; and ends by itself.
func TestHoldIsABooking(t *testing.T) {
	h := newHarbour(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
	trial, err := h.Desk.TryHold(ctx, "harbour", h.Calendar, hold.Hold{Title: "Osei", Start: "2026-07-21", End: "2026-07-24"})
	require.NoError(t, err)
	require.NotEmpty(t, trial.Effects)
	assert.Equal(t, "opens", string(trial.Effects[0].Kind))
	require.Len(t, trial.Unaware, 1)
	assert.False(t, trial.Unaware[0].Given, "Desk sells it, and is given nothing back")
	assert.Len(t, h.shown(h.Calendar, h.publication), 4, "it was only tried")

	id := h.add(hold.Hold{Title: "Osei", Start: "2026-08-01", End: "2026-08-04", Expires: h.Now.Add(48 * time.Hour)})[0]
	in := "booked 20666-20669 Osei tentative false closure false units 1"
	assert.Contains(t, h.shown(h.Calendar, h.publication), in)
	assert.Contains(t, h.shown(h.Calendar, h.publication), "DTSTART;VALUE=DATE:20260801", "the next pickup has it")
	rows, err := h.Store.BookingsWithin(ctx, h.Calendar, span.Days(20666, 20667))
	require.NoError(t, err)
	was := rows[0]

	h.Now = h.Now.Add(time.Hour)
	require.NoError(t, h.Desk.EditHold(ctx, seen(1), id, desk.HoldEdit{Edit: hold.Edit{Start: ptr("2026-08-02"), End: ptr("2026-08-05")}}))
	rows, err = h.Store.BookingsWithin(ctx, h.Calendar, span.Days(20669, 20670))
	require.NoError(t, err)
	assert.Equal(t, []any{was.ID, was.Minted, h.Now}, []any{rows[0].ID, rows[0].Minted, rows[0].SeenBy.UTC()}, "it is the same, and stands there since now")
	var stale *desk.StaleError
	require.ErrorAs(t, h.Desk.EditHold(ctx, desk.By{Account: "office", Seen: 1}, id, desk.HoldEdit{Cancel: true}), &stale)
	require.Len(t, stale.Since, 1)
	assert.Equal(t, []string{"harbour", "changed"}, []string{stale.Since[0].Account, stale.Since[0].Field})

	require.NoError(t, h.Desk.EditHold(ctx, seen(2), id, desk.HoldEdit{Cancel: true}))
	assert.Len(t, h.shown(h.Calendar, h.publication), 4)
	var field *rules.FieldError
	require.ErrorAs(t, h.Desk.EditHold(ctx, seen(3), id, desk.HoldEdit{Edit: hold.Edit{Title: ptr("x")}}), &field, "it is cancelled")
	require.NoError(t, h.Desk.EditHold(ctx, seen(3), id, desk.HoldEdit{Undo: true}))
	require.NoError(t, h.Desk.EditHold(ctx, seen(4), id, desk.HoldEdit{Undo: true}))
	assert.Contains(t, h.shown(h.Calendar, h.publication), in, "both steps are taken back")

	h.Now = h.Now.Add(46 * time.Hour)
	again, err := h.Store.RecheckedCalendars(ctx, h.Now)
	require.NoError(t, err)
	assert.Empty(t, again)
	h.Now = h.Now.Add(time.Hour)
	again, err = h.Store.RecheckedCalendars(ctx, h.Now)
	require.NoError(t, err)
	require.Equal(t, []int64{h.Calendar}, again, "it is due at the instant")
	require.NoError(t, h.Store.Tx(ctx, func(tx *store.Tx) error { return tx.MarkDirty(h.Calendar) }))
	require.NoError(t, h.Refresher.Combiner.All(ctx))
	assert.Len(t, h.shown(h.Calendar, h.publication), 4, "it is over, and no feed was read")
}

// TestManyHolds: thousands at once are entered whole or not at all.
func TestManyHolds(t *testing.T) {
	h := newHarbour(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
	many := make([]hold.Hold, 3000)
	for i := range many {
		day := span.NewDate(2026, 9, 1) + span.Date(i)
		many[i] = hold.Hold{Title: fmt.Sprint("Guest ", i), Start: day.String(), End: (day + 1).String()}
	}
	many[2999].End = many[2999].Start
	_, err := h.Desk.AddHolds(ctx, "harbour", h.Calendar, many...)
	var field *rules.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, []string{"07-20/07-22 Ann"}, h.Bookings(), "none of them")
	many[2999].End = "2036-01-01"
	many[2999].Start = "2035-12-31"
	h.add(many...)
	assert.Len(t, h.Bookings(), 3001)
	_, err = h.Desk.AddHolds(ctx, "harbour", h.Calendar, make([]hold.Hold, desk.MostHolds+1)...)
	require.ErrorAs(t, err, &field)
	assert.Equal(t, "file", field.Field)
}

// anyEdits enters, changes, moves, cancels and takes back whatever comes, and counts what came of it.
func (h *harbour) anyEdits(rnd *rand.Rand, calendars []int64) map[string]int {
	h.T.Helper()
	done := map[string]int{}
	ends := func() (string, string) {
		d := span.NewDate(2026, 7, 15) + span.Date(rnd.Intn(40))
		return d.String(), (d + 1 + span.Date(rnd.Intn(4))).String()
	}
	var ids []int64
	for range 60 {
		h.Now = h.Now.Add(time.Minute)
		if len(ids) == 0 || rnd.Intn(4) == 0 {
			start, end := ends()
			new := hold.Hold{Title: fmt.Sprint("Guest ", rnd.Intn(9)), Start: start, End: end, Tentative: rnd.Intn(4) == 0, Units: rnd.Intn(2)}
			new.Closure = !new.Tentative && rnd.Intn(4) == 0
			if rnd.Intn(3) == 0 {
				new.Repeat = fmt.Sprintf("FREQ=WEEKLY;COUNT=%d", 2+rnd.Intn(4))
			}
			calendar := calendars[rnd.Intn(2)]
			more, err := h.Desk.AddHolds(ctx, "harbour", calendar, new)
			require.NoError(h.T, err)
			ids = append(ids, more...)
			continue
		}
		id := ids[rnd.Intn(len(ids))]
		row, err := h.Store.Hold(ctx, id)
		require.NoError(h.T, err)
		to := desk.HoldEdit{}
		start, end := ends()
		switch rnd.Intn(6) {
		case 0:
			to.Cancel = true
		case 1, 2:
			to.Undo = true
		case 3:
			to.Calendar = &calendars[rnd.Intn(2)]
		case 4:
			to.Title = ptr(fmt.Sprint("Guest ", rnd.Intn(9)))
		case 5:
			to.Start, to.End = &start, &end
		}
		if row.State.Repeat != "" && to.Calendar == nil && !to.Undo && rnd.Intn(2) == 0 {
			first, err := span.ParseDate(row.State.Start)
			require.NoError(h.T, err)
			to.Scope, to.Of = []hold.Scope{hold.One, hold.Rest}[rnd.Intn(2)], (first + span.Date(7*rnd.Intn(3))).String()
		}
		err = h.Desk.EditHold(ctx, seen(row.Revision), id, to)
		var field *rules.FieldError
		if err != nil {
			require.ErrorAs(h.T, err, &field)
			done["refused for "+field.Field]++
			continue
		}
		done["done"]++
		all, err := h.Store.Holds(ctx, 0)
		require.NoError(h.T, err)
		for _, row := range all { // those that go on where others were cut
			if !slices.Contains(ids, row.ID) {
				ids = append(ids, row.ID)
			}
		}
	}
	return done
}

// TestEditsAndRebuild: after any sequence of edits and undos, calendars show and publish what they would if the holds had
// been entered as they are now.
func TestEditsAndRebuild(t *testing.T) {
	for seed := range int64(6) {
		rnd := rand.New(rand.NewSource(seed))
		h := newHarbour(t, feedtest.Event("a", "Ann", "20260720", "20260722"))
		other, err := h.Desk.AddCalendar(ctx, desk.Calendar{Name: "Punt", Zone: "UTC", Grain: "day", Capacity: 2})
		require.NoError(t, err)
		publications := map[int64]int64{h.Calendar: h.publication, other: h.publish(other, "Office, punt")}
		done := h.anyEdits(rnd, []int64{h.Calendar, other})
		assert.Greater(t, done["done"], 15, "%v", done)

		for _, calendar := range []int64{h.Calendar, other} {
			is := h.shown(calendar, publications[calendar])
			row, err := h.Store.Calendar(ctx, calendar)
			require.NoError(t, err)
			anew, err := h.Desk.AddCalendar(ctx, desk.Calendar{Name: row.Name + " anew", Zone: "UTC", Grain: "day", Capacity: row.Capacity})
			require.NoError(t, err)
			publication := h.publish(anew, row.Name+" anew")
			if calendar == h.Calendar {
				require.NoError(t, h.Desk.AddLink(ctx, h.Feed, desk.Link{Calendar: anew}))
			}
			holds, err := h.Store.Holds(ctx, calendar)
			require.NoError(t, err)
			var states []hold.Hold
			for _, row := range holds {
				states = append(states, row.State)
			}
			_, err = h.Desk.AddHolds(ctx, "harbour", anew, states...)
			require.NoError(t, err)
			assert.Equal(t, h.shown(anew, publication), is, "seed %d, %s", seed, row.Name)
		}
	}
}

// TestAdopt: a copy is one booking with its original, stands when that goes, and is said to; adopting and giving up gives
// what was; a feed that is removed can leave its bookings behind.
func TestAdopt(t *testing.T) {
	ann, bob := feedtest.Event("a", "Ann", "20260720", "20260722", "CATEGORIES:Berth\r\n"), feedtest.Event("b", "Bob", "20260801", "20260803")
	weekly := feedtest.Event("c", "Club", "20260901", "20260902", "RRULE:FREQ=WEEKLY;COUNT=3\r\n")
	h := newHarbour(t, ann+bob+weekly)
	before := h.shown(h.Calendar, h.publication)
	adopt := func(which desk.Adoption) desk.HoldImport {
		t.Helper()
		which.Calendar = h.Calendar
		trial, err := h.Desk.Adopt(ctx, "harbour", h.Feed, which, true)
		require.NoError(t, err)
		done, err := h.Desk.Adopt(ctx, "harbour", h.Feed, which, false)
		require.NoError(t, err)
		assert.Equal(t, trial.Entered, done.Entered)
		return done
	}
	assert.Equal(t, 1, adopt(desk.Adoption{Category: "berth"}).Entered)
	assert.Equal(t, 2, adopt(desk.Adoption{}).Entered, "those that are not copied yet")
	_, err := h.Desk.Adopt(ctx, "harbour", h.Feed, desk.Adoption{Calendar: h.Calendar}, false)
	var field *rules.FieldError
	require.ErrorAs(t, err, &field)
	assert.Equal(t, before, h.shown(h.Calendar, h.publication), "each is one booking with its original")
	differing, err := h.Store.OriginalsOf(ctx, 0)
	require.NoError(t, err)
	assert.Empty(t, differing)

	h.Read(feedtest.Event("a", "Ann", "20260721", "20260723") + weekly) // Ann has moved by a day, and Bob is gone
	differing, err = h.Store.OriginalsOf(ctx, 0)
	require.NoError(t, err)
	require.Len(t, differing, 2)
	assert.Equal(t, []int64{1, 0}, []int64{differing[0].There, differing[1].There})
	is := strings.Join(h.shown(h.Calendar, h.publication), "\n")
	assert.Contains(t, is, "20666-20668 Bob", "the copy stands")
	assert.NotContains(t, is, "double_booking")

	h.Read(ann + bob + weekly)
	assert.Equal(t, 3, adopt(desk.Adoption{Undo: true}).Entered)
	assert.Equal(t, before, h.shown(h.Calendar, h.publication), "as it was")

	require.NoError(t, h.Desk.KeepAsHolds(ctx, "harbour", h.Feed))
	assert.Equal(t, before, h.shown(h.Calendar, h.publication), "the feed is gone, and its bookings stand")
	_, err = h.Store.Feed(ctx, h.Feed)
	assert.ErrorIs(t, err, store.ErrNotFound)
	differing, err = h.Store.OriginalsOf(ctx, 0)
	require.NoError(t, err)
	assert.Empty(t, differing, "there is nothing to compare them with")
}

// TestReview: an entry of a reviewed link blocks and waits; rejected, it counts for nothing until its feed says something
// else of it; who said what is kept.
func TestReview(t *testing.T) {
	ann, bob := feedtest.Event("a", "Ann", "20260720", "20260722"), feedtest.Event("b", "Bob", "20260721", "20260723")
	h := newHarbour(t, ann)
	waiting := func(state store.ReviewState) (titles []string) {
		t.Helper()
		rows, err := h.Store.ToReview(ctx, state, func(int64) (int64, bool) { return 0, true })
		require.NoError(t, err)
		for _, b := range rows {
			titles = append(titles, b.Title)
		}
		return titles
	}
	id := func(title string) int64 {
		t.Helper()
		rows, err := h.Store.BookingsWithin(ctx, h.Calendar, span.Days(0, 100000))
		require.NoError(t, err)
		return rows[slices.IndexFunc(rows, func(b store.Booking) bool { return b.Title == title })].ID
	}
	shows := func() string { return strings.Join(h.shown(h.Calendar, h.publication), "\n") }
	assert.Empty(t, waiting(store.Waiting))
	var field *rules.FieldError
	require.ErrorAs(t, h.Desk.Review(ctx, "harbour", desk.Decision{Bookings: map[int64]span.Span{id("Ann"): {}}}), &field, "nobody looks at these")

	require.NoError(t, h.Desk.EditLink(ctx, seen(1), h.Calendar, h.Feed, desk.LinkEdit{Review: ptr(true)}))
	h.Read(ann + bob)
	assert.Equal(t, []string{"Ann", "Bob"}, waiting(store.Waiting))
	assert.Contains(t, shows(), "double_booking", "they block")
	require.NoError(t, h.Desk.Review(ctx, "harbour", desk.Decision{Approve: true, Bookings: map[int64]span.Span{id("Ann"): {}}}))
	var changed *desk.ChangedError
	require.ErrorAs(t, h.Desk.Review(ctx, "harbour", desk.Decision{Bookings: map[int64]span.Span{id("Bob"): span.Days(1, 2)}}), &changed)
	require.NoError(t, h.Desk.Review(ctx, "harbour", desk.Decision{Bookings: map[int64]span.Span{id("Bob"): {}}}))
	assert.Empty(t, waiting(store.Waiting))
	assert.NotContains(t, shows(), "double_booking")
	assert.NotContains(t, shows(), "Bob")
	said, err := h.Store.LastReviews(ctx, []int64{id("Ann"), id("Bob")})
	require.NoError(t, err)
	assert.Equal(t, []store.ReviewState{store.Approved, store.Rejected}, []store.ReviewState{said[id("Ann")].Says, said[id("Bob")].Says})
	assert.Equal(t, "harbour", said[id("Bob")].Account)

	h.Read(ann + bob)
	assert.Equal(t, []string{"Bob"}, waiting(store.Rejected), "it says the same")
	h.Read(ann + feedtest.Event("b", "Bob", "20260721", "20260724"))
	assert.Equal(t, []string{"Bob"}, waiting(store.Waiting), "it says something else")
	assert.Contains(t, shows(), "double_booking")
	require.NoError(t, h.Desk.EditLink(ctx, seen(2), h.Calendar, h.Feed, desk.LinkEdit{Review: ptr(false)}))
	assert.Empty(t, waiting(store.Waiting))
}
