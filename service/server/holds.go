package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"

	gen "wharf/api/server"
	"wharf/core/exposure"
	"wharf/core/hold"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/desk"
	"wharf/service/refresh"
	"wharf/service/store"
)

func (s *server) ListHolds(ctx context.Context, r gen.ListHoldsRequestObject) (gen.ListHoldsResponseObject, error) {
	rows, err := s.Store.Holds(ctx, orEmpty(r.Params.Calendar))
	if err != nil {
		return nil, err
	}
	if words := orEmpty(r.Params.Search); words != "" {
		rows = slices.DeleteFunc(rows, func(h store.Hold) bool {
			return !desk.HasWords(strings.Join(append(h.State.Categories, h.State.Title, h.State.Note), " "), words)
		})
	}
	rows, more := pageOf(ctx, rows, r.Params.Limit, r.Params.After, func(h store.Hold) int64 { return h.ID })
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	byID := byIDOf(calendars)
	all := make([]gen.Hold, len(rows))
	for i, h := range rows {
		all[i] = holdJSON(h, byID[h.CalendarID])
	}
	return gen.ListHolds200JSONResponse{Body: all, Headers: gen.ListHolds200ResponseHeaders{Link: optional(more)}}, nil
}

func (s *server) GetHold(ctx context.Context, r gen.GetHoldRequestObject) (gen.GetHoldResponseObject, error) {
	one, err := s.hold(ctx, r.Id)
	return gen.GetHold200JSONResponse(one), err
}

// hold is a hold with all that it ever was.
func (s *server) hold(ctx context.Context, id int64) (gen.Hold, error) {
	row, err := s.Store.Hold(ctx, id)
	if err != nil {
		return gen.Hold{}, err
	}
	calendar, err := s.Store.Calendar(ctx, row.CalendarID)
	if err != nil {
		return gen.Hold{}, err
	}
	steps, err := s.Store.HoldSteps(ctx, id)
	if err != nil {
		return gen.Hold{}, err
	}
	out := holdJSON(row, calendar)
	if row.Adopted != 0 {
		if out.Original, err = s.originalOf(ctx, row); err != nil {
			return out, err
		}
	}
	for _, step := range steps {
		out.Steps = append(out.Steps, gen.HoldStep{Revision: step.Revision, Did: gen.HoldStepDid(step.Did), By: step.Account, At: step.At})
	}
	return out, nil
}

// originalOf is how a copy stands to its original.
func (s *server) originalOf(ctx context.Context, row store.Hold) (*gen.HoldOriginal, error) {
	feed, err := s.Store.Feed(ctx, row.Adopted)
	if err != nil {
		return nil, err
	}
	differing, err := s.Store.OriginalsOf(ctx, row.ID)
	if err != nil {
		return nil, err
	}
	out := &gen.HoldOriginal{Feed: feed.ID, FeedName: feed.Name, State: gen.OriginalSame, Says: fmt.Sprintf("It was copied from %s, which shows the same.", feed.Name)}
	for _, o := range differing {
		out = originalJSON(o, feed.Name)
	}
	return out, nil
}

// originalJSON is a copy's original that is not as the copy is.
func originalJSON(o store.Original, feed string) *gen.HoldOriginal {
	if o.There == 0 {
		return &gen.HoldOriginal{Feed: o.FeedID, FeedName: feed, State: gen.OriginalGone, Says: fmt.Sprintf("%s shows it no more: it stands here alone.", feed)}
	}
	return &gen.HoldOriginal{Feed: o.FeedID, FeedName: feed, State: gen.OriginalDiffers, Says: fmt.Sprintf("%s shows it with other dates by now: both block.", feed)}
}

// AdoptBookings copies bookings of a feed as holds.
func (s *server) AdoptBookings(ctx context.Context, r gen.AdoptBookingsRequestObject) (gen.AdoptBookingsResponseObject, error) {
	b := r.Body
	which := desk.Adoption{Calendar: b.Calendar, Bookings: orEmpty(b.Bookings), Words: orEmpty(b.Search), Category: orEmpty(b.Category), Undo: orEmpty(b.Undo)}
	calendar, err := s.Store.Calendar(ctx, b.Calendar)
	if err != nil {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "calendar", fmt.Sprintf("there is no calendar %d", b.Calendar))
	}
	if b.From != nil || b.To != nil {
		if which.Within, err = daysOn(calendar, b.From, b.To); err != nil {
			return nil, err
		}
	}
	done, err := s.Desk.Adopt(ctx, accountOf(ctx).Name, r.Id, which, orEmpty(b.Try))
	if err != nil {
		return nil, err
	}
	effects, err := s.effectsJSON(ctx, done.Effects)
	return gen.AdoptBookings200JSONResponse{Entered: done.Entered, Left: append([]string{}, done.Left...), Effects: effects}, err
}

// daysOn is the stretch from a day up to another on a calendar's axis; without an end: for long.
func daysOn(calendar store.Calendar, from, to *openapi_types.Date) (s span.Span, err error) {
	first, end := span.NewDate(1990, 1, 1), span.NewDate(2190, 1, 1)
	if from != nil {
		first = span.DateOf(from.Time)
	}
	if to != nil {
		end = span.DateOf(to.Time)
	}
	if end <= first {
		return s, fieldProblem(http.StatusUnprocessableEntity, "to", "the day after the last must come after the first")
	}
	return daysWithin(calendar, first, end)
}

func holdJSON(row store.Hold, calendar store.Calendar) gen.Hold {
	h := row.State
	out := gen.Hold{Id: row.ID, Revision: row.Revision, Calendar: row.CalendarID, CalendarName: calendar.Name, Grain: gen.Grain(calendar.Grain), Start: h.Start, End: h.End, Title: h.Title, Tentative: h.Tentative, Closure: h.Closure, Units: h.Units, Steps: []gen.HoldStep{},
		Zone: optional(h.Zone), Note: optional(h.Note), Repeat: optional(h.Repeat), Class: optional(gen.EntryClass(strings.ToLower(string(h.Class)))), Expires: optional(h.Expires), Cancelled: row.CancelledAt}
	if len(h.Except) > 0 {
		out.Except = &h.Except
	}
	if len(h.Categories) > 0 {
		out.Categories = &h.Categories
	}
	if len(h.Instances) > 0 {
		all := make([]gen.HoldInstance, len(h.Instances))
		for i, in := range h.Instances {
			all[i] = gen.HoldInstance{Of: in.Of, Start: in.Start, End: in.End, Title: in.Title, Tentative: in.Tentative}
		}
		out.Instances = &all
	}
	return out
}

func (s *server) CreateHold(ctx context.Context, r gen.CreateHoldRequestObject) (gen.CreateHoldResponseObject, error) {
	h, err := s.holdOf(ctx, *r.Body)
	if err != nil {
		return nil, err
	}
	ids, err := s.Desk.AddHolds(ctx, accountOf(ctx).Name, r.Body.Calendar, h)
	if err != nil {
		return nil, err
	}
	one, err := s.hold(ctx, ids[0])
	return gen.CreateHold201JSONResponse(one), err
}

func (s *server) TryHold(ctx context.Context, r gen.TryHoldRequestObject) (gen.TryHoldResponseObject, error) {
	h, err := s.holdOf(ctx, gen.HoldRequest(*r.Body))
	if err != nil {
		return nil, err
	}
	trial, err := s.Desk.TryHold(ctx, accountOf(ctx).Name, r.Body.Calendar, h)
	if err != nil {
		return nil, err
	}
	out, err := s.holdTrialJSON(ctx, r.Body.Calendar, trial, h.Start)
	return gen.TryHold200JSONResponse(out), err
}

func (s *server) EditHold(ctx context.Context, r gen.EditHoldRequestObject) (gen.EditHoldResponseObject, error) {
	to, err := s.holdEdit(ctx, r.Id, r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.Desk.EditHold(ctx, by(ctx, r.Body.Revision), r.Id, to); err != nil {
		return nil, err
	}
	one, err := s.hold(ctx, r.Id)
	return gen.EditHold200JSONResponse(one), err
}

func (s *server) TryHoldEdit(ctx context.Context, r gen.TryHoldEditRequestObject) (gen.TryHoldEditResponseObject, error) {
	to, err := s.holdEdit(ctx, r.Id, (*gen.HoldEdit)(r.Body))
	if err != nil {
		return nil, err
	}
	row, err := s.Store.Hold(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	trial, err := s.Desk.TryHoldEdit(ctx, by(ctx, r.Body.Revision), r.Id, to)
	if err != nil {
		return nil, err
	}
	out, err := s.holdTrialJSON(ctx, cmp.Or(orEmpty(r.Body.Calendar), row.CalendarID), trial, cmp.Or(orEmpty(r.Body.Start), row.State.Start))
	return gen.TryHoldEdit200JSONResponse(out), err
}

func (s *server) ImportHolds(ctx context.Context, r gen.ImportHoldsRequestObject) (gen.ImportHoldsResponseObject, error) {
	file := refresh.File{Name: r.Body.File.Name, Body: r.Body.File.Content, Inside: orEmpty(r.Body.File.Inside)}
	done, err := s.Desk.ImportHolds(ctx, accountOf(ctx).Name, r.Body.Calendar, file, orEmpty(r.Body.Try))
	if err != nil {
		return nil, err
	}
	effects, err := s.effectsJSON(ctx, done.Effects)
	return gen.ImportHolds200JSONResponse{Entered: done.Entered, Left: append([]string{}, done.Left...), Effects: effects}, err
}

// holdOf is what a person wants to enter.
func (s *server) holdOf(ctx context.Context, r gen.HoldRequest) (hold.Hold, error) {
	expires, err := s.expiryOf(ctx, r.Calendar, orEmpty(r.Expires))
	if err != nil {
		return hold.Hold{}, err
	}
	return hold.Hold{Title: orEmpty(r.Title), Note: orEmpty(r.Note), Start: r.Start, End: r.End, Zone: orEmpty(r.Zone), Repeat: orEmpty(r.Repeat), Tentative: orEmpty(r.Tentative), Closure: orEmpty(r.Closure),
		Units: orEmpty(r.Units), Categories: orEmpty(r.Categories), Class: rules.Class(orEmpty(r.Class)), Expires: expires}, nil
}

func (s *server) holdEdit(ctx context.Context, id int64, r *gen.HoldEdit) (desk.HoldEdit, error) {
	to := desk.HoldEdit{Calendar: r.Calendar, Scope: hold.Scope(orEmpty(r.Scope)), Of: orEmpty(r.Occurrence), Cancel: orEmpty(r.Cancel), Undo: orEmpty(r.Undo),
		Edit: hold.Edit{Title: r.Title, Note: r.Note, Start: r.Start, End: r.End, Repeat: r.Repeat, Tentative: r.Tentative, Closure: r.Closure, Units: r.Units, Categories: r.Categories, Class: (*rules.Class)(r.Class)}}
	if r.Expires != nil {
		row, err := s.Store.Hold(ctx, id)
		if err != nil {
			return to, err
		}
		at, err := s.expiryOf(ctx, cmp.Or(orEmpty(r.Calendar), row.CalendarID), *r.Expires)
		if err != nil {
			return to, err
		}
		to.Expires = &at
	}
	return to, nil
}

// expiryOf is when a hold ends to count: an instant, or a reading of the calendar's clock.
func (s *server) expiryOf(ctx context.Context, calendar int64, text string) (at time.Time, err error) {
	if text = strings.TrimSpace(text); text == "" {
		return at, nil
	}
	if at, err = time.Parse(time.RFC3339, text); err == nil {
		return at, nil
	}
	row, err := s.Store.Calendar(ctx, calendar)
	if err != nil {
		return at, err
	}
	loc, err := zone.Load(row.Zone)
	if err != nil {
		return at, err
	}
	at, err = hold.Expiry(text, loc)
	if err != nil {
		return at, fieldProblem(http.StatusUnprocessableEntity, "expires", err.Error())
	}
	return at, nil
}

func (s *server) holdTrialJSON(ctx context.Context, calendar int64, t desk.HoldTrial, start string) (gen.HoldTrial, error) {
	out := gen.HoldTrial{Questions: make([]gen.HoldQuestion, len(t.Questions)), Unaware: make([]gen.Unaware, len(t.Unaware))}
	for i, q := range t.Questions {
		out.Questions[i] = gen.HoldQuestion{Field: q.Field, Says: q.Says}
	}
	row, err := s.Store.Calendar(ctx, calendar)
	if err != nil {
		return out, err
	}
	begins := s.Now()
	if loc, err := zone.Load(row.Zone); err == nil {
		if at, err := hold.Expiry(start, loc); err == nil {
			begins = at
		}
	}
	platforms, err := s.platforms(ctx)
	if err != nil {
		return out, err
	}
	for i, u := range t.Unaware {
		name := platforms[u.Platform].Name
		out.Unaware[i] = gen.Unaware{Platform: gen.Named{Id: u.Platform, Name: name}, Usual: optional(int64(u.Gaps.Usual() / time.Second))}
		out.Unaware[i].Says, out.Unaware[i].Late = awareSentence(name, u, s.OverdueAfter, s.Now(), begins)
	}
	out.Effects, err = s.effectsJSON(ctx, t.Effects)
	return out, err
}

// awareSentence says when a platform will know, and whether that is too late.
func awareSentence(name string, u desk.Unaware, overdueAfter time.Duration, now, begins time.Time) (says string, late bool) {
	usual := u.Gaps.Usual()
	switch {
	case !u.Given:
		return fmt.Sprintf("%s is not given this calendar: it can sell the same until you block it there by hand.", name), true
	case u.Last == nil:
		return fmt.Sprintf("%s never came for this calendar: block it there by hand, and give it the link.", name), true
	case usual == 0:
		return fmt.Sprintf("%s came for this calendar once so far: until it comes again it can sell the same.", name), now.Add(time.Hour).After(begins)
	case exposure.StateOf(*u.Last, u.Gaps, overdueAfter, now) == exposure.Overdue:
		return fmt.Sprintf("%s usually comes every %s and has not come for %s: block it there by hand.", name, roughly(usual), roughly(now.Sub(*u.Last))), true
	}
	next := now.Add(usual) // at the latest, if it comes as usual
	return fmt.Sprintf("%s usually comes every %s: until then it can sell the same.", name, roughly(usual)), next.After(begins)
}

// roughly is a length of time in one unit.
func roughly(d time.Duration) string {
	switch {
	case d < 2*time.Minute:
		return plural(int64(max(d, time.Second)/time.Second), "second", "seconds")
	case d < 2*time.Hour:
		return plural(int64(d/time.Minute), "minute", "minutes")
	case d < 48*time.Hour:
		return plural(int64((d+30*time.Minute)/time.Hour), "hour", "hours")
	}
	return plural(int64((d+12*time.Hour)/(24*time.Hour)), "day", "days")
}
