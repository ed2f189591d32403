package server

import (
	"cmp"
	"context"
	"fmt"
	"slices"
	"time"

	gen "wharf/api/server"
	"wharf/core/exposure"
	"wharf/core/span"
	"wharf/service/store"
	"wharf/service/today"
)

// ListTrips tells how bookings pass between the platforms.
func (s *server) ListTrips(ctx context.Context, _ gen.ListTripsRequestObject) (gen.ListTripsResponseObject, error) {
	trips, err := today.Trips(ctx, s.Store, s.OverdueAfter, s.Now())
	if err != nil {
		return nil, err
	}
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	calendars := map[int64]store.Calendar{}
	for _, c := range rows {
		calendars[c.ID] = c
	}
	all := make(gen.ListTrips200JSONResponse, len(trips))
	for i, t := range trips {
		from, to := platforms[t.From], platforms[t.To]
		all[i] = gen.Trip{From: gen.Named{Id: from.Id, Name: from.Name}, To: gen.Named{Id: to.Id, Name: to.Name}, Passage: gen.TripPassage(t.Passage), Sentence: passageWords(t.Passage, from.Name, to.Name),
			Made: some(t.Made), Read: some(t.Read), Published: some(t.Published), PickedUp: some(t.PickedUp), Seen: some(t.Seen), Took: optional(int64(t.Took() / time.Second))}
		if t.Booking != nil {
			c := calendars[t.Booking.CalendarID]
			start, end := t.Booking.Span().Format(span.Grain(c.Grain))
			all[i].Booking, all[i].Calendar, all[i].Start, all[i].End = &t.Booking.ID, &gen.Named{Id: c.ID, Name: c.Name}, &start, &end
		}
	}
	slices.SortStableFunc(all, func(a, b gen.Trip) int {
		return cmp.Or(cmp.Compare(a.From.Name, b.From.Name), cmp.Compare(a.To.Name, b.To.Name))
	})
	return all, nil
}

func some(at time.Time) *time.Time {
	if at.IsZero() {
		return nil
	}
	return &at
}

// passageWords says how a direction stands, and which half of it stands still.
func passageWords(p exposure.Passage, from, to string) string {
	switch p {
	case exposure.Untried:
		return fmt.Sprintf("Nothing that %s sold has been with %s for long enough yet to say whether it arrives.", from, to)
	case exposure.NotRead:
		return fmt.Sprintf("The first half stands still: what %s sells is not read as it should be.", from)
	case exposure.NotFetched:
		return fmt.Sprintf("The second half stands still: %s does not fetch what it is given.", to)
	case exposure.NotShown:
		return fmt.Sprintf("The second half stands still: %s fetched what %s sold and does not show it, though it showed such things before.", to, from)
	case exposure.Unseen:
		return fmt.Sprintf("%s fetches what %s sells, and shows nothing of what it gets: whether it blocks it can only be looked up there.", to, from)
	}
	return fmt.Sprintf("What %s sells reaches %s.", from, to)
}
