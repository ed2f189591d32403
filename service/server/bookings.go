package server

import (
	"cmp"
	"context"
	"encoding/json"
	"maps"
	"net/http"
	"slices"

	gen "wharf/api/server"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/service/store"
	"wharf/service/today"
)

// caseFile is the answer that is a case as its file is.
type caseFile struct{ judge.Case }

// VisitGetCaseResponse writes the file.
func (c caseFile) VisitGetCaseResponse(w http.ResponseWriter) error {
	w.Header().Set("Content-Type", "application/json")
	out := json.NewEncoder(w)
	out.SetIndent("", "  ")
	return out.Encode(c.Case)
}

// tell adds what people said of bookings, and what these reflect.
func (s *server) tell(ctx context.Context, rows []store.Booking, bookings []gen.Booking) error {
	ids := make([]int64, len(rows))
	calendars, minted := map[int64]bool{}, []string{}
	for i, b := range rows {
		ids[i] = b.ID
		if b.Evidence.Item != "" {
			calendars[b.CalendarID] = true
			minted = append(minted, b.Evidence.Item)
		}
	}
	answers, err := s.Store.AnswersOf(ctx, ids)
	if err != nil {
		return err
	}
	slices.Sort(minted)
	originals, err := s.Store.MintedOn(ctx, slices.Sorted(maps.Keys(calendars)), slices.Compact(minted))
	for i, b := range rows {
		if a, said := answers[b.ID]; said {
			bookings[i].Answer = &gen.Answer{Id: a.ID, Says: gen.AnswerKind(a.Answer), By: a.SaidBy, At: a.At}
		}
		if o, known := originals[b.Evidence.Item]; known && b.Evidence.Item != "" && o.CalendarID == b.CalendarID {
			bookings[i].Reflects = &o.ID
		}
	}
	return err
}

// bookingsAs writes bookings, which may be of several calendars.
func (s *server) bookingsAs(ctx context.Context, n names, grains map[int64]span.Grain, rows []store.Booking) ([]gen.Booking, error) {
	all := make([]gen.Booking, len(rows))
	for i, b := range rows {
		all[i] = n.booking(b, grains[b.CalendarID])
	}
	return all, s.tell(ctx, rows, all)
}

// bookingsWritten writes bookings, by ID.
func (s *server) bookingsWritten(ctx context.Context, n names, found map[int64]store.Booking) (map[int64]gen.Booking, error) {
	grains, err := s.grains(ctx)
	if err != nil {
		return nil, err
	}
	rows := slices.SortedFunc(maps.Values(found), func(a, b store.Booking) int { return cmp.Compare(a.ID, b.ID) })
	all, err := s.bookingsAs(ctx, n, grains, rows)
	written := make(map[int64]gen.Booking, len(all))
	for _, b := range all {
		written[b.Id] = b
	}
	return written, err
}

func (s *server) grains(ctx context.Context) (map[int64]span.Grain, error) {
	calendars, err := s.Store.Calendars(ctx)
	return grainsOf(calendars), err
}

func grainsOf(calendars []store.Calendar) map[int64]span.Grain {
	grains := make(map[int64]span.Grain, len(calendars))
	for _, c := range calendars {
		grains[c.ID] = span.Grain(c.Grain)
	}
	return grains
}

func (s *server) GetBooking(ctx context.Context, r gen.GetBookingRequestObject) (gen.GetBookingResponseObject, error) {
	found, err := s.Store.Bookings(ctx, []int64{r.Id})
	if err != nil {
		return nil, err
	}
	b, known := found[r.Id]
	if !known {
		return nil, store.ErrNotFound
	}
	names, err := s.names(ctx)
	if err != nil {
		return nil, err
	}
	grains, err := s.grains(ctx)
	if err != nil {
		return nil, err
	}
	travels, err := s.Store.TravelsOf(ctx, b.Minted)
	if err != nil {
		return nil, err
	}
	again, err := s.Store.SeenAgain(ctx, b.CalendarID, b.Minted)
	if err != nil {
		return nil, err
	}
	rows := append([]store.Booking{b}, again...)
	if b.Evidence.Item != "" {
		originals, err := s.Store.MintedOn(ctx, []int64{b.CalendarID}, []string{b.Evidence.Item})
		if err != nil {
			return nil, err
		}
		if o, known := originals[b.Evidence.Item]; known {
			rows = append(rows, o)
		}
	}
	all, err := s.bookingsAs(ctx, names, grains, rows)
	if err != nil {
		return nil, err
	}
	source, err := s.Store.SourceOf(ctx, b)
	if err != nil {
		return nil, err
	}
	changes, err := s.changesOf(ctx, names, b)
	if err != nil {
		return nil, err
	}
	life := gen.BookingLife{Booking: all[0], Changes: changes, LastSeen: lastSeen(names, b), Source: optional(source)}
	if len(all) > len(again)+1 {
		life.Original = &all[len(all)-1]
	}
	life.Travels = travelsJSON(names, travels, all[1:len(again)+1])
	return gen.GetBooking200JSONResponse(life), nil
}

// travelsJSON says where a booking went, and where it was seen again.
func travelsJSON(names names, travels []store.Travel, again []gen.Booking) []gen.Travel {
	all := []gen.Travel{}
	for _, t := range travels {
		travel := gen.Travel{Publication: t.PublicationID, Platform: names.platforms[t.PlatformID], Version: t.FromVersion, Published: t.Published, PickedUp: t.PickedUp, Withdrawn: t.Withdrawn}
		var seen []gen.Booking
		for _, a := range again {
			if a.Platform != nil && a.Platform.Id == t.PlatformID {
				seen = append(seen, a)
			}
		}
		if len(seen) > 0 {
			travel.Again = &seen
		}
		all = append(all, travel)
	}
	return all
}

func (s *server) ListForgottenBlocks(ctx context.Context, _ gen.ListForgottenBlocksRequestObject) (gen.ListForgottenBlocksResponseObject, error) {
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	rows, err := today.Forgotten(ctx, s.Store, calendars, s.Now())
	if err != nil {
		return nil, err
	}
	if len(rows) == 0 {
		return gen.ListForgottenBlocks200JSONResponse{}, nil
	}
	grains := grainsOf(calendars)
	names, err := s.names(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.bookingsAs(ctx, names, grains, rows)
	slices.SortStableFunc(all, func(a, b gen.Booking) int { return cmp.Compare(platformName(a), platformName(b)) })
	return gen.ListForgottenBlocks200JSONResponse(all), err
}

func platformName(b gen.Booking) string {
	if b.Platform == nil {
		return ""
	}
	return b.Platform.Name
}
