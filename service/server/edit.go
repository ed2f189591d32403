package server

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/service/desk"
	"wharf/service/store"
)

// by is who asks, with the revision that they have seen.
func by(ctx context.Context, seen int64) desk.By {
	return desk.By{Account: accountOf(ctx).Name, Seen: seen}
}

// staleProblem says what was changed since the revision that was seen, by whom and when.
func staleProblem(stale *desk.StaleError) *problem {
	p := &problem{Status: http.StatusConflict, Code: gen.ProblemCodeStaleRevision, Title: "It has changed meanwhile"}
	var sentences []string
	for _, e := range stale.Since {
		message := fmt.Sprintf("%s changed it from %q to %q on %s", e.Account, e.Was, e.Became, e.At.UTC().Format(time.RFC3339))
		if e.Field == "url" {
			message = fmt.Sprintf("%s gave it another link on %s", e.Account, e.At.UTC().Format(time.RFC3339))
		}
		p.Errors = append(p.Errors, fieldError{e.Field, message})
		sentences = append(sentences, e.Field+": "+message)
	}
	if len(sentences) == 0 {
		sentences = []string{stale.Error()}
	}
	p.Detail = strings.Join(sentences, "; ") + ". Look at it as it is now, then make your change again."
	return p
}

func (s *server) EditPlatform(ctx context.Context, r gen.EditPlatformRequestObject) (gen.EditPlatformResponseObject, error) {
	row, err := s.Desk.EditPlatform(ctx, by(ctx, r.Body.Revision), r.Id, r.Body.Name)
	if err != nil {
		return nil, taken(err, "name", "another platform has this name: choose one that you will tell apart")
	}
	return gen.EditPlatform200JSONResponse(platformJSON(row)), nil
}

func (s *server) EditFeed(ctx context.Context, r gen.EditFeedRequestObject) (gen.EditFeedResponseObject, error) {
	to := desk.FeedEdit{Name: r.Body.Name, Platform: r.Body.Platform, Color: (*string)(r.Body.Color), Every: r.Body.Every, Schedule: r.Body.Schedule, Paused: r.Body.Paused, URL: r.Body.Url, Mirrors: r.Body.Mirrors}
	if err := s.Desk.EditFeed(ctx, by(ctx, r.Body.Revision), r.Id, to); err != nil {
		return nil, taken(err, "name", feedNameTaken)
	}
	one, err := s.feedJSON(ctx, r.Id)
	return gen.EditFeed200JSONResponse(one), err
}

func (s *server) EditCalendar(ctx context.Context, r gen.EditCalendarRequestObject) (gen.EditCalendarResponseObject, error) {
	to := desk.CalendarEdit{Name: r.Body.Name, Zone: r.Body.Zone, Capacity: r.Body.Capacity, ChanceLimit: r.Body.ChanceLimit}
	if err := s.Desk.EditCalendar(ctx, by(ctx, r.Body.Revision), r.Id, to); err != nil {
		return nil, taken(err, "name", calendarNameTaken)
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditCalendar200JSONResponse(one), err
}

func (s *server) EditLink(ctx context.Context, r gen.EditLinkRequestObject) (gen.EditLinkResponseObject, error) {
	to := desk.LinkEdit{Role: (*string)(r.Body.Role), Tentative: (*string)(r.Body.Tentative), Units: r.Body.Units, Label: r.Body.Label, Filter: r.Body.Filter}
	if err := s.Desk.EditLink(ctx, by(ctx, r.Body.Revision), r.Id, r.Feed, to); err != nil {
		return nil, err
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditLink200JSONResponse(one), err
}

func (s *server) EditPublication(ctx context.Context, r gen.EditPublicationRequestObject) (gen.EditPublicationResponseObject, error) {
	if err := s.Desk.EditPublication(ctx, by(ctx, r.Body.Revision), r.Id, desk.PublicationEdit{Name: r.Body.Name, Reader: r.Body.Reader}); err != nil {
		return nil, taken(err, "name", publicationNameTaken)
	}
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.EditPublication200JSONResponse(one), err
}

func (s *server) AcknowledgeConflict(ctx context.Context, r gen.AcknowledgeConflictRequestObject) (gen.AcknowledgeConflictResponseObject, error) {
	note := ""
	if r.Body.Note != nil {
		note = *r.Body.Note
	}
	one, err := s.conflictJSON(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	err = s.Desk.Acknowledge(ctx, accountOf(ctx).Name, r.Id, note)
	if errors.Is(err, store.ErrNotFound) {
		return nil, &problem{Status: http.StatusConflict, Code: gen.ProblemCodeNothingToAcknowledge, Title: "Nothing to acknowledge", Detail: "this conflict is " + string(one.State) + " by now"}
	}
	if err != nil {
		return nil, err
	}
	one, err = s.conflictJSON(ctx, r.Id)
	return gen.AcknowledgeConflict200JSONResponse(one), err
}
