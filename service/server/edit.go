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
	to, err := feedEdit(r.Body)
	if err != nil {
		return nil, err
	}
	if err := s.Desk.EditFeed(ctx, by(ctx, r.Body.Revision), r.Id, to); err != nil {
		return nil, taken(err, "name", feedNameTaken)
	}
	one, err := s.feedJSON(ctx, r.Id)
	return gen.EditFeed200JSONResponse(one), err
}

func feedEdit(r *gen.FeedEdit) (desk.FeedEdit, error) {
	to := desk.FeedEdit{Name: r.Name, Platform: r.Platform, Color: (*string)(r.Color), Every: r.Every, Schedule: r.Schedule, Paused: r.Paused, Snapshot: orEmpty(r.Snapshot),
		Categories: r.Categories, Class: (*string)(r.Class), Mirrors: r.Mirrors}
	if r.Url == nil && r.File == nil {
		return to, nil
	}
	from, err := sourceOf(r.Url, r.File)
	to.Source = &from
	return to, err
}

// TryFeedEdit says what a change would lead to.
func (s *server) TryFeedEdit(ctx context.Context, r gen.TryFeedEditRequestObject) (gen.TryFeedEditResponseObject, error) {
	to, err := feedEdit(r.Body)
	if err != nil {
		return nil, err
	}
	effects, err := s.Desk.TryEditFeed(ctx, by(ctx, r.Body.Revision), r.Id, to)
	if err != nil {
		return nil, taken(err, "name", feedNameTaken)
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.TryFeedEdit200JSONResponse(all), err
}

// TryLinkEdit says what a change would lead to.
func (s *server) TryLinkEdit(ctx context.Context, r gen.TryLinkEditRequestObject) (gen.TryLinkEditResponseObject, error) {
	effects, err := s.Desk.TryEditLink(ctx, by(ctx, r.Body.Revision), r.Id, r.Feed, linkEdit(r.Body))
	if err != nil {
		return nil, err
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.TryLinkEdit200JSONResponse(all), err
}

func (s *server) ListGroups(ctx context.Context, _ gen.ListGroupsRequestObject) (gen.ListGroupsResponseObject, error) {
	all, err := s.groupsJSON(ctx)
	return gen.ListGroups200JSONResponse(all), err
}

func (s *server) EditGroup(ctx context.Context, r gen.EditGroupRequestObject) (gen.EditGroupResponseObject, error) {
	if err := s.Desk.EditGroup(ctx, by(ctx, r.Body.Revision), r.Id, desk.GroupEdit{Name: r.Body.Name, Before: r.Body.Before}); err != nil {
		return nil, err
	}
	all, err := s.groupsJSON(ctx)
	return gen.EditGroup200JSONResponse(all), err
}

func (s *server) groupsJSON(ctx context.Context) ([]gen.Group, error) {
	rows, err := s.Store.Groups(ctx)
	all := make([]gen.Group, len(rows))
	for i, g := range rows {
		all[i] = gen.Group{Id: g.ID, Name: g.Name, Revision: g.Revision}
	}
	return all, err
}

func (s *server) EditCalendar(ctx context.Context, r gen.EditCalendarRequestObject) (gen.EditCalendarResponseObject, error) {
	to := desk.CalendarEdit{Name: r.Body.Name, Zone: r.Body.Zone, Capacity: r.Body.Capacity, Group: r.Body.Group, ChanceLimit: r.Body.ChanceLimit}
	if err := s.Desk.EditCalendar(ctx, by(ctx, r.Body.Revision), r.Id, to); err != nil {
		return nil, taken(err, "name", calendarNameTaken)
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditCalendar200JSONResponse(one), err
}

func (s *server) EditLink(ctx context.Context, r gen.EditLinkRequestObject) (gen.EditLinkResponseObject, error) {
	if err := s.Desk.EditLink(ctx, by(ctx, r.Body.Revision), r.Id, r.Feed, linkEdit(r.Body)); err != nil {
		return nil, err
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.EditLink200JSONResponse(one), err
}

func linkEdit(r *gen.LinkEdit) desk.LinkEdit {
	return desk.LinkEdit{Role: (*string)(r.Role), Tentative: (*string)(r.Tentative), Units: r.Units, Label: r.Label, Filter: r.Filter, Counting: r.Counting, Review: r.Review}
}

func (s *server) EditPublication(ctx context.Context, r gen.EditPublicationRequestObject) (gen.EditPublicationResponseObject, error) {
	if err := s.Desk.EditPublication(ctx, by(ctx, r.Body.Revision), r.Id, publicationEdit(r.Body)); err != nil {
		return nil, taken(err, "name", publicationNameTaken)
	}
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.EditPublication200JSONResponse(one), err
}

// TryPublicationEdit says what a change would lead to.
func (s *server) TryPublicationEdit(ctx context.Context, r gen.TryPublicationEditRequestObject) (gen.TryPublicationEditResponseObject, error) {
	effects, err := s.Desk.TryEditPublication(ctx, by(ctx, r.Body.Revision), r.Id, publicationEdit(r.Body))
	if err != nil {
		return nil, taken(err, "name", publicationNameTaken)
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.TryPublicationEdit200JSONResponse(all), err
}

func publicationEdit(b *gen.PublicationEdit) desk.PublicationEdit {
	return desk.PublicationEdit{Name: b.Name, Reader: b.Reader, Content: contentEdit(b.Content), Access: desk.Access{User: b.User, Password: b.Password, Expires: b.Expires}}
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
