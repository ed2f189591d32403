package server

import (
	"context"
	"fmt"

	gen "wharf/api/server"
	"wharf/service/refresh"
	"wharf/service/store"
)

// unfresh says of the feeds that cannot be relied on at present why, and since when.
func (s *server) unfresh(ctx context.Context, feeds []store.Feed) (map[int64]*gen.Unfresh, error) {
	all := map[int64]*gen.Unfresh{}
	var failing []store.Feed
	var guarded []int64
	for _, f := range feeds {
		state, since := refresh.State(f, s.Now())
		if state == refresh.Fresh || f.RemovedAt != nil {
			continue
		}
		all[f.ID] = &gen.Unfresh{State: gen.FeedState(state), Since: since, Why: "there has been no good reading for twice its interval, or an hour past its time"}
		switch state {
		case refresh.Paused:
			all[f.ID].Why = "somebody has paused it"
		case refresh.Failing:
			failing = append(failing, f)
		case refresh.Guarded:
			guarded = append(guarded, f.ID)
		}
	}
	last, err := s.Store.LastReadings(ctx, failing)
	if err != nil {
		return nil, err
	}
	for id, r := range last {
		all[id].Why = r.Message
	}
	held, err := s.Store.CountHeld(ctx, guarded...)
	for id, n := range held {
		all[id].Why = fmt.Sprintf("%s that it does not show any more stand until somebody looks", plural(int64(n), "booking", "bookings"))
	}
	return all, err
}
