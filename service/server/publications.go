package server

import (
	"context"
	"slices"
	"time"

	gen "wharf/api/server"
	"wharf/core/exposure"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/service/desk"
	"wharf/service/store"
)

func (s *server) ListPublications(ctx context.Context, r gen.ListPublicationsRequestObject) (gen.ListPublicationsResponseObject, error) {
	rows, err := s.Store.Publications(ctx)
	if err != nil {
		return nil, err
	}
	rows = slices.DeleteFunc(rows, func(p store.Publication) bool {
		return r.Params.Calendar != nil && *r.Params.Calendar != p.CalendarID || r.Params.Platform != nil && *r.Params.Platform != p.PlatformID
	})
	rows, more := pageOf(ctx, rows, r.Params.Limit, r.Params.After, func(p store.Publication) int64 { return p.ID })
	all, err := s.publicationsJSON(ctx, rows)
	return gen.ListPublications200JSONResponse{Body: all, Headers: gen.ListPublications200ResponseHeaders{Link: optional(more)}}, err
}

func (s *server) GetPublication(ctx context.Context, r gen.GetPublicationRequestObject) (gen.GetPublicationResponseObject, error) {
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.GetPublication200JSONResponse(one), err
}

func (s *server) CreatePublication(ctx context.Context, r gen.CreatePublicationRequestObject) (gen.CreatePublicationResponseObject, error) {
	id, err := s.Desk.AddPublication(ctx, desk.Publication{Calendar: r.Body.Calendar, Platform: r.Body.Platform, Person: orEmpty(r.Body.Person), Name: r.Body.Name, Content: contentEdit(r.Body.Content),
		Access: desk.Access{User: r.Body.User, Password: r.Body.Password, Expires: r.Body.Expires}})
	if err != nil {
		return nil, taken(err, "name", publicationNameTaken)
	}
	one, err := s.publicationJSON(ctx, id)
	return gen.CreatePublication201JSONResponse(one), err
}

// RenewLink makes a new link for a publication.
func (s *server) RenewLink(ctx context.Context, r gen.RenewLinkRequestObject) (gen.RenewLinkResponseObject, error) {
	if err := s.Desk.RenewLink(ctx, accountOf(ctx).Name, r.Id, orEmpty(r.Params.Confirm)); err != nil {
		return nil, err
	}
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.RenewLink200JSONResponse(one), err
}

// OpenPage makes a page for everybody, or gives it another address.
func (s *server) OpenPage(ctx context.Context, r gen.OpenPageRequestObject) (gen.OpenPageResponseObject, error) {
	if err := s.Desk.OpenPage(ctx, accountOf(ctx).Name, r.Id); err != nil {
		return nil, err
	}
	one, err := s.publicationJSON(ctx, r.Id)
	return gen.OpenPage200JSONResponse(one), err
}

// ClosePage takes the page for everybody away.
func (s *server) ClosePage(ctx context.Context, r gen.ClosePageRequestObject) (gen.ClosePageResponseObject, error) {
	return gen.ClosePage204Response{}, s.Desk.ClosePage(ctx, accountOf(ctx).Name, r.Id)
}

func (s *server) ListPickups(ctx context.Context, r gen.ListPickupsRequestObject) (gen.ListPickupsResponseObject, error) {
	if _, err := s.Store.Publication(ctx, r.Id); err != nil {
		return nil, err
	}
	rows, err := s.Store.Pickups(ctx, r.Id, 100)
	all := make(gen.ListPickups200JSONResponse, len(rows))
	for i, p := range rows {
		all[i] = gen.Pickup{Version: p.Version, First: p.FirstAt, Last: p.LastAt, Times: p.Times, Agent: p.Agent}
	}
	return all, err
}

// contentEdit is what is to change of what a publication shows.
func contentEdit(b *gen.PublicationContentEdit) desk.PublicationContent {
	if b == nil {
		return desk.PublicationContent{}
	}
	return desk.PublicationContent{Detail: (*string)(b.Detail), Title: b.Title, Tentative: (*string)(b.Tentative), Feeds: b.Feeds, Calendars: b.Calendars, Holds: b.Holds, Categories: b.Categories,
		Shown: b.Shown, Back: b.Back, Ahead: b.Ahead, Occupancy: (*string)(b.Occupancy), Joined: b.Joined, Alarm: b.Alarm, Cancelled: b.Cancelled, Refresh: b.Refresh, Color: b.Color,
		Attachments: b.Attachments, Attendees: b.Attendees, Links: b.Links}
}

func contentJSON(r rules.Publication, calendars []int64) gen.PublicationContent {
	return gen.PublicationContent{Calendars: listed(calendars), Detail: gen.Detail(r.Detail), Title: r.Title, Tentative: gen.TentativeRule(r.Tentative), Feeds: listed(r.Feeds), Holds: !r.NoHolds, Categories: listed(r.Categories),
		Shown: r.Shown, Back: r.Back, Ahead: r.Ahead, Occupancy: gen.Occupancy(r.Occupancy), Joined: r.Joined, Alarm: r.Alarm, Cancelled: r.Cancelled, Refresh: r.Refresh, Color: r.Color,
		Attachments: r.Attachments, Attendees: r.Attendees, Links: r.Links}
}

// PreviewPublication shows a publication as its recipient sees it.
func (s *server) PreviewPublication(ctx context.Context, r gen.PreviewPublicationRequestObject) (gen.PreviewPublicationResponseObject, error) {
	l, err := s.Desk.Preview(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	out := gen.PreviewPublication200JSONResponse{Grain: gen.Grain(l.Grain), Bytes: l.Bytes, Events: make([]gen.ShownEvent, len(l.Events))}
	for i, e := range l.Events {
		start, end := e.Span.Format(l.Grain)
		out.Events[i] = gen.ShownEvent{Start: start, End: end, Title: e.Title, Status: gen.ShownEventStatus(e.Status), Free: e.Free}
	}
	return out, nil
}

// ComparePublication holds what a recipient shows against what it was sent.
func (s *server) ComparePublication(ctx context.Context, r gen.ComparePublicationRequestObject) (gen.ComparePublicationResponseObject, error) {
	var from desk.Source
	if r.Body.Feed == nil {
		var err error
		if from, err = sourceOf(r.Body.Url, r.Body.File); err != nil {
			return nil, err
		}
	}
	c, err := s.Desk.CompareWith(ctx, r.Id, orEmpty(r.Body.Feed), from)
	if err != nil {
		return nil, err
	}
	stretches := func(all []publish.Stretch) []gen.Stretch {
		out := make([]gen.Stretch, len(all))
		for i, a := range all {
			start, end := a.Span.Format(c.Grain)
			out[i] = gen.Stretch{Start: start, End: end, Title: a.Title}
		}
		return out
	}
	return gen.ComparePublication200JSONResponse{Grain: gen.Grain(c.Grain), Sent: c.Sent, Shown: c.Shown, Unsent: stretches(c.Unsent), Unshown: stretches(c.Unshown)}, nil
}

// daysBack is for how many days back the pickups of each are counted.
const daysBack = 60

func (s *server) ListPickupDays(ctx context.Context, r gen.ListPickupDaysRequestObject) (gen.ListPickupDaysResponseObject, error) {
	if _, err := s.Store.Publication(ctx, r.Id); err != nil {
		return nil, err
	}
	rows, err := s.Store.PickupDays(ctx, r.Id, s.Now().AddDate(0, 0, -daysBack))
	all := make(gen.ListPickupDays200JSONResponse, len(rows))
	for i, d := range rows {
		all[i] = gen.PickupDay{Day: d.Day.Format(time.DateOnly), Times: d.Times}
	}
	return all, err
}

const publicationNameTaken = "another publication has this name: choose one that you will tell apart"

func (s *server) publicationJSON(ctx context.Context, id int64) (gen.Publication, error) {
	row, err := s.Store.Publication(ctx, id)
	if err != nil {
		return gen.Publication{}, err
	}
	all, err := s.publicationsJSON(ctx, []store.Publication{row})
	if err != nil {
		return gen.Publication{}, err
	}
	return all[0], nil
}

func (s *server) publicationsJSON(ctx context.Context, rows []store.Publication) ([]gen.Publication, error) {
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	all, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	capacities := make(map[int64]int, len(all))
	for _, c := range all {
		capacities[c.ID] = c.Capacity
	}
	ids := make([]int64, len(rows))
	for i, p := range rows {
		ids[i] = p.ID
	}
	counts, err := s.Store.CountPublications(ctx, ids...)
	if err != nil {
		return nil, err
	}
	parts, err := s.Store.Parts(ctx)
	if err != nil {
		return nil, err
	}
	out := make([]gen.Publication, len(rows))
	for i, p := range rows {
		link, err := s.Desk.LinkOf(p)
		if err != nil {
			return nil, err
		}
		page, err := s.openAddress(p)
		if err != nil {
			return nil, err
		}
		content, err := rules.NewPublication(p.Rules(), capacities[p.CalendarID])
		if err != nil { // its calendar says so; it is shown as it is
			content = p.Rules()
		}
		n := counts[p.ID]
		var last time.Time
		if n.LastPickup != nil {
			last = *n.LastPickup
		}
		out[i] = gen.Publication{PickupState: gen.PickupState(exposure.StateOf(last, n.Gaps, s.OverdueAfter, s.Now())),
			UsualGap: optional(int64(n.Gaps.Usual() / time.Second)), LongGap: optional(int64(n.Gaps.Long() / time.Second)),
			Id: p.ID, Name: p.Name, Revision: p.Revision, Calendar: p.CalendarID, Platform: platforms[p.PlatformID],
			Content: contentJSON(content, parts[p.ID]), Url: s.PublicURL.JoinPath("p", link+".ics").String(), Page: optional(page), User: optional(p.LoginUser), Expires: p.ExpiresAt, Version: p.Version, VersionAt: n.VersionAt, Items: n.Items,
			Pickups: n.Pickups, LastPickup: n.LastPickup, LastPickupVersion: n.LastVersion, Reader: optional(p.Reader)}
	}
	return out, nil
}
