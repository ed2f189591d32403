package server

import (
	"cmp"
	"context"
	"maps"
	"slices"
	"time"

	gen "wharf/api/server"
	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/internal/sentences"
	"wharf/service/store"
)

func (s *server) ListConflicts(ctx context.Context, r gen.ListConflictsRequestObject) (gen.ListConflictsResponseObject, error) {
	states := judge.Unsettled
	if r.Params.State != nil {
		states = []judge.State{judge.State(*r.Params.State)}
	}
	calendar := int64(0)
	if r.Params.Calendar != nil {
		calendar = *r.Params.Calendar
	}
	rows, err := s.Store.Conflicts(ctx, calendar, states...)
	if err != nil {
		return nil, err
	}
	rows, more := pageOf(ctx, rows, r.Params.Limit, r.Params.After, func(c store.ConflictWith) int64 { return c.ID })
	all, err := s.conflictsJSON(ctx, rows)
	return gen.ListConflicts200JSONResponse{Body: all, Headers: gen.ListConflicts200ResponseHeaders{Link: optional(more)}}, err
}

func (s *server) GetConflict(ctx context.Context, r gen.GetConflictRequestObject) (gen.GetConflictResponseObject, error) {
	one, err := s.conflictJSON(ctx, r.Id)
	return gen.GetConflict200JSONResponse(one), err
}

// skew is how far the clocks of two platforms may lie apart.
const skew = 2 * time.Minute

// firstOf says which of the bookings was there first, if anything tells.
func firstOf(bookings []store.Booking) *gen.First {
	facts := make([]conflict.Fact, len(bookings))
	for i, b := range bookings {
		facts[i] = conflict.Fact{ID: b.ID, Created: orZero(b.Created), NotBefore: orZero(b.NotBefore), SeenBy: b.SeenBy}
	}
	id, why, ok := conflict.First(facts, skew)
	if !ok {
		return nil
	}
	first := &gen.First{Booking: id}
	ours := false
	for _, b := range bookings {
		if b.ID == id {
			first.Why = sentences.Title(b.Title, "The untitled one") + " was there first: "
		}
		ours = ours || b.FeedID == 0
	}
	if why == conflict.WeSaw && ours {
		first.Why += "it was in Wharf when there was nothing of the rest yet."
	} else if why == conflict.WeSaw {
		first.Why += "Wharf had read it when a later reading still showed nothing of the rest."
	} else {
		first.Why += "so say the dates on which the platforms made the bookings, and no reading speaks against it."
	}
	return first
}

func orZero(t *time.Time) time.Time {
	if t == nil {
		return time.Time{}
	}
	return *t
}

func (s *server) conflictJSON(ctx context.Context, id int64) (gen.Conflict, error) {
	row, err := s.Store.Conflict(ctx, id)
	if err != nil {
		return gen.Conflict{}, err
	}
	all, err := s.conflictsJSON(ctx, []store.ConflictWith{row})
	if err != nil {
		return gen.Conflict{}, err
	}
	all[0].Log, all[0].Found, err = s.lifeOf(ctx, row, all[0].Bookings)
	return all[0], err
}

func (s *server) conflictsJSON(ctx context.Context, rows []store.ConflictWith) ([]gen.Conflict, error) {
	if len(rows) == 0 {
		return []gen.Conflict{}, nil
	}
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	byID, on := byIDOf(calendars), map[int64]store.Calendar{}
	for _, k := range rows {
		on[k.CalendarID] = byID[k.CalendarID]
	}
	names, err := s.names(ctx, slices.Collect(maps.Values(on))...)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, k := range rows {
		ids = append(ids, k.BookingIDs...)
	}
	slices.Sort(ids)
	found, err := s.Store.Bookings(ctx, slices.Compact(ids))
	if err != nil {
		return nil, err
	}
	written, err := s.bookingsWritten(ctx, names, found)
	if err != nil {
		return nil, err
	}
	all := make([]gen.Conflict, len(rows))
	for i, k := range rows {
		calendar := byID[k.CalendarID]
		grain := span.Grain(calendar.Grain)
		c := gen.Conflict{Id: k.ID, Calendar: k.CalendarID, CalendarName: calendar.Name, Grain: gen.Grain(calendar.Grain), Zone: calendar.Zone, Kind: gen.ConflictKind(k.Kind), State: gen.ConflictState(k.State),
			Opened: k.OpenedAt, Cleared: k.ClearedAt, AcknowledgedBy: optional(k.AcknowledgedBy), Note: optional(k.Note), Bookings: []gen.Booking{}}
		c.Start, c.End = span.Span{Start: k.StartPoint, End: k.EndPoint}.Format(grain)
		var bookings []store.Booking
		for _, id := range k.BookingIDs {
			if b, ok := found[id]; ok {
				bookings = append(bookings, b)
			}
		}
		slices.SortFunc(bookings, func(a, b store.Booking) int { return cmp.Or(a.Span().Compare(b.Span()), cmp.Compare(a.ID, b.ID)) })
		for _, b := range bookings {
			c.Bookings = append(c.Bookings, written[b.ID])
		}
		c.First = firstOf(bookings)
		c.Linked = linkedBy(k.Kind, bookings)
		all[i] = c
	}
	return all, nil
}

// linkedBy are the two feeds of a conflict in which all that is unclear is whether their platforms
// are linked directly; nil for any other.
func linkedBy(kind conflict.Kind, bookings []store.Booking) *[]int64 {
	feeds := map[int64]bool{}
	for _, b := range bookings {
		feeds[b.FeedID] = true
		if b.Verdict == judge.Unclear && b.Evidence.Kind != echo.Paired {
			return nil
		}
	}
	if kind != conflict.Unclear || len(feeds) != 2 {
		return nil
	}
	two := slices.Sorted(maps.Keys(feeds))
	return &two
}
