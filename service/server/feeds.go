package server

import (
	"context"
	"net/http"
	"slices"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/service/desk"
	"wharf/service/refresh"
	"wharf/service/store"
)

func (s *server) ListPlatforms(ctx context.Context, _ gen.ListPlatformsRequestObject) (gen.ListPlatformsResponseObject, error) {
	rows, err := s.Store.Platforms(ctx)
	all := make(gen.ListPlatforms200JSONResponse, len(rows))
	for i, p := range rows {
		all[i] = platformJSON(p)
	}
	return all, err
}

func (s *server) GetPlatform(ctx context.Context, r gen.GetPlatformRequestObject) (gen.GetPlatformResponseObject, error) {
	row, err := s.Store.Platform(ctx, r.Id)
	return gen.GetPlatform200JSONResponse(platformJSON(row)), err
}

func (s *server) CreatePlatform(ctx context.Context, r gen.CreatePlatformRequestObject) (gen.CreatePlatformResponseObject, error) {
	row, err := s.Desk.AddPlatform(ctx, r.Body.Name)
	if err != nil {
		return nil, taken(err, "name", "there is a platform of this name already")
	}
	return gen.CreatePlatform201JSONResponse(platformJSON(row)), nil
}

func (s *server) ListFeeds(ctx context.Context, r gen.ListFeedsRequestObject) (gen.ListFeedsResponseObject, error) {
	feeds, err := s.Store.Feeds(ctx)
	if err != nil {
		return nil, err
	}
	links, err := s.Store.Links(ctx)
	if err != nil {
		return nil, err
	}
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	feeds = slices.DeleteFunc(feeds, func(f store.Feed) bool {
		state, _ := refresh.State(f, s.Now())
		return r.Params.State != nil && string(*r.Params.State) != string(state) || r.Params.Platform != nil && *r.Params.Platform != f.PlatformID ||
			!desk.HasWords(f.Name+" "+platforms[f.PlatformID].Name+" "+f.Address, orEmpty(r.Params.Search))
	})
	feeds, more := pageOf(ctx, feeds, r.Params.Limit, r.Params.After, func(f store.Feed) int64 { return f.ID })
	all, err := s.feedsJSON(ctx, feeds, links)
	return gen.ListFeeds200JSONResponse{Body: all, Headers: gen.ListFeeds200ResponseHeaders{Link: optional(more)}}, err
}

func (s *server) GetFeed(ctx context.Context, r gen.GetFeedRequestObject) (gen.GetFeedResponseObject, error) {
	one, err := s.feedJSON(ctx, r.Id)
	return gen.GetFeed200JSONResponse(one), err
}

func (s *server) CreateFeed(ctx context.Context, r gen.CreateFeedRequestObject) (gen.CreateFeedResponseObject, error) {
	from, err := sourceOf(r.Body.Url, r.Body.File)
	if err != nil {
		return nil, err
	}
	from.User, from.Password = orEmpty(r.Body.User), orEmpty(r.Body.Password)
	feed := desk.Feed{Source: from, Name: r.Body.Name, Platform: r.Body.Platform, Categories: orEmpty(r.Body.Categories), Class: string(orEmpty(r.Body.Class)), Color: string(orEmpty(r.Body.Color)), Palette: s.colors, Every: time.Duration(orEmpty(r.Body.Every)) * time.Second, Schedule: orEmpty(r.Body.Schedule)}
	if r.Body.Calendar != nil {
		link := linkOf(*r.Body.Calendar, orEmpty(r.Body.Link))
		feed.Link = &link
	}
	id, err := s.Desk.AddFeed(ctx, feed)
	if err != nil {
		return nil, taken(err, "name", feedNameTaken)
	}
	one, err := s.feedJSON(ctx, id)
	return gen.CreateFeed201JSONResponse(one), err
}

// sourceOf is where a feed comes from: one of a link and a file.
func sourceOf(link *string, file *gen.FeedFile) (desk.Source, error) {
	switch {
	case link == nil && file == nil:
		return desk.Source{}, fieldProblem(http.StatusUnprocessableEntity, "url", "paste the feed's link, beginning with https:// or webcal://, or give a file")
	case link != nil && file != nil:
		return desk.Source{}, fieldProblem(http.StatusUnprocessableEntity, "file", "give a link or a file, not both")
	case file != nil:
		return desk.Source{File: &refresh.File{Name: file.Name, Body: file.Content, Inside: orEmpty(file.Inside)}}, nil
	}
	return desk.Source{URL: *link}, nil
}

func linkOf(calendar int64, r gen.LinkRequest) desk.Link {
	return desk.Link{Calendar: calendar, Role: string(orEmpty(r.Role)), Tentative: string(orEmpty(r.Tentative)), Units: orEmpty(r.Units), Label: orEmpty(r.Label), Filter: orEmpty(r.Filter), Counting: orEmpty(r.Counting)}
}

// orEmpty is what a request says, or nothing.
func orEmpty[T any](v *T) (empty T) {
	if v == nil {
		return empty
	}
	return *v
}

func (s *server) ListReadings(ctx context.Context, r gen.ListReadingsRequestObject) (gen.ListReadingsResponseObject, error) {
	feed, err := s.Store.Feed(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	most := 100
	if r.Params.Limit != nil {
		most = *r.Params.Limit
	}
	rows, err := s.Store.Readings(ctx, r.Id, most)
	if err != nil {
		return nil, err
	}
	if run := feed.Run(); run != nil {
		rows = append([]store.Reading{*run}, rows...)
	}
	all := make(gen.ListReadings200JSONResponse, len(rows))
	for i, row := range rows {
		all[i] = readingJSON(row)
	}
	return all, nil
}

func (s *server) CreateReading(ctx context.Context, r gen.CreateReadingRequestObject) (gen.CreateReadingResponseObject, error) {
	reading, err := s.Refresher.ReadNow(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	return gen.CreateReading201JSONResponse(readingJSON(reading)), nil
}

const feedNameTaken = "another feed has this name: choose one that you will tell apart"

func (s *server) feedJSON(ctx context.Context, id int64) (gen.Feed, error) {
	feed, err := s.Store.Feed(ctx, id)
	if err != nil {
		return gen.Feed{}, err
	}
	links, err := s.Store.LinksOf(ctx, id)
	if err != nil {
		return gen.Feed{}, err
	}
	all, err := s.feedsJSON(ctx, []store.Feed{feed}, links)
	if err != nil {
		return gen.Feed{}, err
	}
	all[0].MayMirror, err = s.mayMirror(ctx, id)
	return all[0], err
}

func (s *server) feedsJSON(ctx context.Context, feeds []store.Feed, links []store.Link) ([]gen.Feed, error) {
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	last, err := s.Store.LastReadings(ctx, feeds)
	if err != nil {
		return nil, err
	}
	calendars := map[int64][]int64{}
	for _, l := range links {
		calendars[l.FeedID] = append(calendars[l.FeedID], l.CalendarID)
	}
	declared, err := s.Store.Mirrors(ctx)
	if err != nil {
		return nil, err
	}
	unfresh, err := s.unfresh(ctx, feeds)
	if err != nil {
		return nil, err
	}
	var guarded []int64
	for _, f := range feeds {
		if f.GuardedSince != nil {
			guarded = append(guarded, f.ID)
		}
	}
	held, err := s.Store.CountHeld(ctx, guarded...)
	if err != nil {
		return nil, err
	}
	mirrors := map[int64][]int64{}
	for _, m := range declared {
		mirrors[m.FeedID] = append(mirrors[m.FeedID], m.OfID)
	}
	all := make([]gen.Feed, len(feeds))
	for i, f := range feeds {
		state, since := refresh.State(f, s.Now())
		all[i] = gen.Feed{Id: f.ID, Name: f.Name, Revision: f.Revision, Platform: platforms[f.PlatformID], Color: gen.Color(f.Color), Address: f.Address, Uploaded: optional(f.Uploaded()), Categories: linesOf(f.Categories), Class: gen.EntryClass(strings.ToLower(f.Class)),
			State: gen.FeedState(state), Since: since, Every: f.EverySeconds, Schedule: refresh.ScheduleOf(f).String(), NextDue: dueJSON(f), Unfresh: unfresh[f.ID], LastGood: f.LastGoodEnd,
			Entries: f.Entries, Readings: f.Readings, Calendars: calendars[f.ID], Remarks: linesOf(f.Remarks), Held: optional(held[f.ID])}
		if all[i].Calendars == nil {
			all[i].Calendars = []int64{}
		}
		if all[i].Mirrors = mirrors[f.ID]; all[i].Mirrors == nil {
			all[i].Mirrors = []int64{}
		}
		newest, ok := last[f.ID]
		if run := f.Run(); run != nil {
			newest, ok = *run, true
		}
		if ok {
			reading := readingJSON(newest)
			all[i].LastReading = &reading
		}
	}
	return all, nil
}

// dueJSON is when a feed is read next; nil where it is not.
func dueJSON(f store.Feed) *time.Time {
	if f.PausedAt != nil || f.DueAt.Equal(store.Never) {
		return nil
	}
	return &f.DueAt
}

func (s *server) platforms(ctx context.Context) (map[int64]gen.Platform, error) {
	rows, err := s.Store.AllPlatforms(ctx)
	byID := make(map[int64]gen.Platform, len(rows))
	for _, p := range rows {
		byID[p.ID] = platformJSON(p)
	}
	return byID, err
}

func platformJSON(p store.Platform) gen.Platform {
	return gen.Platform{Id: p.ID, Name: p.Name, Revision: p.Revision, Person: optional(p.Person)}
}

func readingJSON(r store.Reading) gen.Reading {
	out := gen.Reading{Id: r.ID, Started: r.StartedAt, Finished: r.FinishedAt, Outcome: gen.Outcome(r.Outcome), Entries: r.Entries,
		Added: r.Added, Changed: r.Changed, Removed: r.Removed, Times: r.Times, Message: optional(r.Message)}
	out.Status, out.Bytes, out.TookMs = optional(r.Status), optional(r.Bytes), &r.TookMS
	if remarks := linesOf(r.Remarks); len(remarks) > 0 {
		out.Remarks = &remarks
	}
	return out
}

// mayMirror are the feeds that a feed may mirror, and of which nobody has said whether it does.
func (s *server) mayMirror(ctx context.Context, feed int64) (*[]gen.Proposal, error) {
	paired, err := s.Store.PairedFeeds(ctx, feed)
	if err != nil || len(paired) == 0 {
		return nil, err
	}
	declared, err := s.Store.Mirrors(ctx)
	all := []gen.Proposal{}
	for _, p := range paired {
		if !slices.Contains(declared, store.Mirror{FeedID: feed, OfID: p.OfID}) && !slices.Contains(declared, store.Mirror{FeedID: p.OfID, OfID: feed}) {
			all = append(all, gen.Proposal{Feed: p.OfID, Pairs: p.Pairs})
		}
	}
	return &all, err
}

// linesOf splits stored lines; "" has none.
func linesOf(s string) []string {
	if s == "" {
		return []string{}
	}
	return strings.Split(s, "\n")
}

// optional is nil for what is not there.
// listed is a list that is written as one also where it is empty.
func listed[T any](all []T) []T {
	if all == nil {
		return []T{}
	}
	return all
}

func optional[T comparable](v T) *T {
	var none T
	if v == none {
		return nil
	}
	return &v
}
