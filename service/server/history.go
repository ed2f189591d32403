package server

import (
	"cmp"
	"context"
	"net/http"
	"slices"
	"time"

	gen "wharf/api/server"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/refresh"
	"wharf/service/store"
)

// ListCalendarChanges lists what readings changed on a calendar.
func (s *server) ListCalendarChanges(ctx context.Context, r gen.ListCalendarChangesRequestObject) (gen.ListCalendarChangesResponseObject, error) {
	if _, err := s.Store.Calendar(ctx, r.Id); err != nil {
		return nil, err
	}
	all, err := s.changes(ctx, r.Id, 0, r.Params.Since, r.Params.Until)
	return gen.ListCalendarChanges200JSONResponse(all), err
}

// ListFeedChanges lists what readings of a feed changed.
func (s *server) ListFeedChanges(ctx context.Context, r gen.ListFeedChangesRequestObject) (gen.ListFeedChangesResponseObject, error) {
	if _, err := s.Store.Feed(ctx, r.Id); err != nil {
		return nil, err
	}
	all, err := s.changes(ctx, 0, r.Id, r.Params.Since, r.Params.Until)
	return gen.ListFeedChanges200JSONResponse(all), err
}

// changes lists what happened to bookings, the newest first.
func (s *server) changes(ctx context.Context, calendar, feed int64, since, until *time.Time) ([]gen.BookingChange, error) {
	to := s.Now()
	if until != nil {
		to = *until
	}
	from := to.AddDate(0, 0, -1)
	if since != nil {
		from = *since
	}
	if to.Before(from) {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "since", "it is after until: ask for what came between an earlier moment and a later one")
	}
	bookings, over, err := s.Store.BookingsTouched(ctx, calendar, feed, from)
	if err != nil {
		return nil, err
	}
	names, err := s.names(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	calendars := map[int64]rules.Calendar{}
	for _, c := range rows {
		if k, err := rules.NewCalendar(c.Zone, c.Grain, c.Capacity); err == nil { // else it is set aside, and that is said
			calendars[c.ID] = k
		}
	}
	all := []gen.BookingChange{}
	for _, b := range bookings {
		k, known := calendars[b.CalendarID]
		if !known {
			continue
		}
		for _, e := range refresh.HistoryOf(b, over[b.ID], goneAt(b, k), from, to) {
			all = append(all, changeJSON(names, b, e, k))
		}
	}
	slices.SortStableFunc(all, func(a, b gen.BookingChange) int {
		return cmp.Or(b.At.Compare(a.At), cmp.Compare(a.Booking.Start, b.Booking.Start))
	})
	return all, nil
}

// changesOf lists what readings did to a booking, the newest first.
func (s *server) changesOf(ctx context.Context, n names, b store.Booking) ([]gen.BookingChange, error) {
	all := []gen.BookingChange{}
	row, err := s.Store.Calendar(ctx, b.CalendarID)
	if err != nil || b.FeedID == 0 {
		return all, err
	}
	k, err := rules.NewCalendar(row.Zone, row.Grain, row.Capacity)
	if err != nil {
		return all, nil // it is set aside, and that is said
	}
	over, err := s.Store.SightingsOf(ctx, b.ID)
	for _, e := range refresh.HistoryOf(b, over, goneAt(b, k), time.Time{}, s.Now()) {
		all = append(all, changeJSON(n, b, e, k))
	}
	slices.Reverse(all)
	return all, err
}

func changeJSON(n names, b store.Booking, e reading.Event, k rules.Calendar) gen.BookingChange {
	return gen.BookingChange{At: e.At, Kind: gen.BookingChangeKind(e.Kind), Booking: n.booking(b, k.Grain), Was: shownJSON(e.Was, k.Grain), Became: shownJSON(e.Now, k.Grain)}
}

// lastSeen is the end of the last good reading that showed a booking, as far as that is known; nil where it came from
// no feed.
func lastSeen(n names, b store.Booking) *time.Time {
	f, known := n.feeds[b.FeedID]
	switch {
	case !known:
		return nil
	case b.RemovedAt != nil:
		return b.RemovedAt
	case b.HeldSince != nil:
		return b.HeldSince
	}
	return f.LastGoodEnd
}

// goneAt is the point on the calendar's axis at which a booking went; 0 for one that is there.
func goneAt(b store.Booking, k rules.Calendar) int64 {
	if b.RemovedAt == nil {
		return 0
	}
	return span.Point(*b.RemovedAt, k.Grain, k.Zone)
}

// shownJSON is what an entry showed; nil for nothing.
func shownJSON(s reading.Shown, grain span.Grain) *gen.BookingShown {
	if s == (reading.Shown{}) {
		return nil
	}
	out := gen.BookingShown{Title: s.Title, Status: optional(gen.BookingShownStatus(s.Status))}
	out.Start, out.End = s.Span.Format(grain)
	return &out
}
