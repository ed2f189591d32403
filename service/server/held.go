package server

import (
	"context"

	gen "wharf/api/server"
	"wharf/internal/sentences"
	"wharf/service/desk"
	"wharf/service/store"
)

func (s *server) ListHeld(ctx context.Context, r gen.ListHeldRequestObject) (gen.ListHeldResponseObject, error) {
	if _, err := s.Store.Feed(ctx, r.Id); err != nil {
		return nil, err
	}
	rows, err := s.Store.Held(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	grains, err := s.grains(ctx)
	if err != nil {
		return nil, err
	}
	names, err := s.names(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.bookingsAs(ctx, names, grains, rows)
	return gen.ListHeld200JSONResponse(all), err
}

// heldJSON says that a booking stands though its feed does not show it; nil for one that it shows.
func heldJSON(b store.Booking) *gen.Held {
	if b.HeldWhy == "" || b.HeldSince == nil {
		return nil
	}
	return &gen.Held{Why: gen.HeldWhy(b.HeldWhy), Sentence: sentences.Held(b.HeldWhy), Since: *b.HeldSince, Agreed: b.HeldAgreed}
}

func (s *server) DecideHeld(ctx context.Context, r gen.DecideHeldRequestObject) (gen.DecideHeldResponseObject, error) {
	h := desk.Held{Feed: r.Id, LetGo: r.Body.Says == gen.LetGo, Bookings: r.Body.Bookings}
	if !orEmpty(r.Params.Try) {
		return gen.DecideHeld204Response{}, s.Desk.DecideHeld(ctx, by(ctx, 0), h)
	}
	effects, err := s.Desk.TryHeld(ctx, by(ctx, 0), h)
	if err != nil {
		return nil, err
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.DecideHeld200JSONResponse(all), err
}
