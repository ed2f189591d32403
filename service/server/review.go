package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"

	gen "wharf/api/server"
	"wharf/core/span"
	"wharf/internal/sentences"
	"wharf/service/desk"
	"wharf/service/store"
	"wharf/service/today"
)

// ListReviews lists what somebody is to look at, or has looked at.
func (s *server) ListReviews(ctx context.Context, r gen.ListReviewsRequestObject) (gen.ListReviewsResponseObject, error) {
	state := store.Waiting
	if r.Params.State != nil {
		state = store.ReviewState(*r.Params.State)
	}
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	byID := byIDOf(calendars)
	rows, err := s.Store.ToReview(ctx, state, today.PointsOf(calendars, s.Now()))
	if err != nil || len(rows) == 0 {
		return gen.ListReviews200JSONResponse{}, err
	}
	names, err := s.names(ctx)
	if err != nil {
		return nil, err
	}
	written, err := s.bookingsAs(ctx, names, grainsOf(calendars), rows)
	if err != nil {
		return nil, err
	}
	ids := make([]int64, len(rows))
	for i, b := range rows {
		ids[i] = b.ID
	}
	last, err := s.Store.LastReviews(ctx, ids)
	all := make(gen.ListReviews200JSONResponse, len(rows))
	for i, b := range written {
		calendar := byID[b.Calendar]
		all[i] = gen.ReviewItem{Booking: b, CalendarName: calendar.Name, Grain: gen.Grain(calendar.Grain), Zone: calendar.Zone}
		if said, known := last[b.Id]; known {
			all[i].By, all[i].At = &said.Account, &said.At
		}
	}
	return all, err
}

// Review approves or rejects entries.
func (s *server) Review(ctx context.Context, r gen.ReviewRequestObject) (gen.ReviewResponseObject, error) {
	what := desk.Decision{Approve: r.Body.Says == gen.SaysApproved, Bookings: map[int64]span.Span{}}
	ids := make([]int64, len(r.Body.Bookings))
	for i, b := range r.Body.Bookings {
		ids[i] = b.Booking
	}
	known, err := s.Store.Bookings(ctx, ids)
	if err != nil {
		return nil, err
	}
	grains, err := s.grains(ctx)
	if err != nil {
		return nil, err
	}
	for _, b := range r.Body.Bookings {
		what.Bookings[b.Booking] = span.Span{}
		is, there := known[b.Booking]
		if start, end := is.Span().Format(grains[is.CalendarID]); there && b.Start != nil && b.End != nil && (*b.Start != start || *b.End != end) {
			return nil, changedProblem(is, grains[is.CalendarID])
		} else if there && b.Start != nil {
			what.Bookings[b.Booking] = is.Span()
		}
	}
	err = s.Desk.Review(ctx, accountOf(ctx).Name, what)
	var changed *desk.ChangedError
	if errors.As(err, &changed) {
		return nil, changedProblem(changed.Booking, grains[changed.Booking.CalendarID])
	}
	return gen.Review204Response{}, err
}

func changedProblem(b store.Booking, grain span.Grain) *problem {
	return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeStaleRevision, Title: "It has changed meanwhile",
		Detail: fmt.Sprintf("%s is from %s by now. Look at it as it is, then decide again: nothing was changed.", sentences.Title(b.Title, "The untitled one"), sentences.Range(b.Span(), grain))}
}
