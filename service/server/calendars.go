package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/internal/sentences"
	"wharf/service/desk"
	"wharf/service/store"
)

func (s *server) ListCalendars(ctx context.Context, r gen.ListCalendarsRequestObject) (gen.ListCalendarsResponseObject, error) {
	rows, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	if words := orEmpty(r.Params.Search); words != "" {
		groups, err := s.Store.Groups(ctx)
		if err != nil {
			return nil, err
		}
		named := map[int64]string{}
		for _, g := range groups {
			named[g.ID] = g.Name
		}
		rows = slices.DeleteFunc(rows, func(c store.Calendar) bool { return !desk.HasWords(c.Name+" "+named[c.GroupID], words) })
	}
	rows, more := pageOf(ctx, rows, r.Params.Limit, r.Params.After, func(c store.Calendar) int64 { return c.ID })
	all, err := s.calendarsJSON(ctx, rows)
	return gen.ListCalendars200JSONResponse{Body: all, Headers: gen.ListCalendars200ResponseHeaders{Link: optional(more)}}, err
}

func (s *server) GetCalendar(ctx context.Context, r gen.GetCalendarRequestObject) (gen.GetCalendarResponseObject, error) {
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.GetCalendar200JSONResponse(one), err
}

func (s *server) CreateCalendar(ctx context.Context, r gen.CreateCalendarRequestObject) (gen.CreateCalendarResponseObject, error) {
	id, err := s.Desk.AddCalendar(ctx, desk.Calendar{Name: r.Body.Name, Zone: r.Body.Zone, Grain: string(r.Body.Grain), Capacity: orEmpty(r.Body.Capacity), Group: orEmpty(r.Body.Group)})
	if err != nil {
		return nil, taken(err, "name", calendarNameTaken)
	}
	one, err := s.calendarJSON(ctx, id)
	return gen.CreateCalendar201JSONResponse(one), err
}

func (s *server) PutLink(ctx context.Context, r gen.PutLinkRequestObject) (gen.PutLinkResponseObject, error) {
	if err := s.Desk.AddLink(ctx, r.Feed, linkOf(r.Id, gen.LinkRequest(*r.Body))); err != nil {
		return nil, taken(err, "feed", "the feed counts on this calendar already: change how with PATCH, or `wharf link edit`")
	}
	one, err := s.calendarJSON(ctx, r.Id)
	return gen.PutLink200JSONResponse(one), err
}

// TryFilter shows what a filter would do.
func (s *server) TryFilter(ctx context.Context, r gen.TryFilterRequestObject) (gen.TryFilterResponseObject, error) {
	sorting, err := s.Desk.TryFilter(ctx, r.Id, r.Feed, r.Params.Filter, r.Params.Counting)
	if err != nil {
		return nil, err
	}
	calendars, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	names := map[int64]string{}
	for _, c := range calendars {
		names[c.ID] = c.Name
	}
	out := gen.TryFilter200JSONResponse{Taken: sorting.Taken, Left: sorting.Left, Lost: sorting.Lost, Entries: make([]gen.SortedEntry, len(sorting.Entries))}
	for i, e := range sorting.Entries {
		out.Entries[i] = gen.SortedEntry{Title: e.Title, Place: optional(e.Where), Takes: e.Takes, Units: optional(e.Units), Also: []string{}}
		for _, id := range e.Also {
			out.Entries[i].Also = append(out.Entries[i].Also, names[id])
		}
	}
	return out, nil
}

func (s *server) ListBookings(ctx context.Context, r gen.ListBookingsRequestObject) (gen.ListBookingsResponseObject, error) {
	row, err := s.Store.Calendar(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	all, err := s.bookingsJSON(ctx, []store.Calendar{row}, r.Params.From.Time, r.Params.To.Time)
	return gen.ListBookings200JSONResponse(all), err
}

// mostDays is how many days of all calendars may be asked for at once.
const mostDays = 400

func (s *server) ListAllBookings(ctx context.Context, r gen.ListAllBookingsRequestObject) (gen.ListAllBookingsResponseObject, error) {
	if r.Params.To.Sub(r.Params.From.Time) > mostDays*24*time.Hour {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "to", fmt.Sprintf("ask for at most %d days at once", mostDays))
	}
	rows, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, err
	}
	if wanted := orEmpty(r.Params.Calendar); len(wanted) > 0 {
		rows = slices.DeleteFunc(rows, func(c store.Calendar) bool { return !slices.Contains(wanted, c.ID) })
	}
	all, err := s.bookingsJSON(ctx, rows, r.Params.From.Time, r.Params.To.Time)
	return gen.ListAllBookings200JSONResponse(all), err
}

// bookingsJSON lists what is on the calendars from one day up to another.
func (s *server) bookingsJSON(ctx context.Context, rows []store.Calendar, first, end time.Time) ([]gen.Booking, error) {
	from, to := span.DateOf(first), span.DateOf(end)
	if to <= from {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "to", "the day after the last must come after the first")
	}
	names, err := s.names(ctx, rows...)
	if err != nil {
		return nil, err
	}
	within := make(map[int64]span.Span, len(rows))
	for _, row := range rows {
		if s, err := daysWithin(row, from, to); err == nil { // else it is set aside, and says so; the others have no part in that
			within[row.ID] = s
		}
	}
	found, err := s.Store.BookingsOn(ctx, within)
	if err != nil {
		return nil, err
	}
	var together []store.Booking
	grains := map[int64]span.Grain{}
	for _, row := range rows {
		together, grains[row.ID] = append(together, found[row.ID]...), span.Grain(row.Grain)
	}
	return s.bookingsAs(ctx, names, grains, together)
}

// byIDOf are calendars by their IDs.
func byIDOf(calendars []store.Calendar) map[int64]store.Calendar {
	byID := make(map[int64]store.Calendar, len(calendars))
	for _, c := range calendars {
		byID[c.ID] = c
	}
	return byID
}

// daysWithin is the stretch from a day up to another on a calendar's axis.
func daysWithin(calendar store.Calendar, from, to span.Date) (span.Span, error) {
	if span.Grain(calendar.Grain).Dated() {
		return span.Days(from, to), nil
	}
	loc, err := zone.Load(calendar.Zone)
	if err != nil {
		return span.Span{}, err
	}
	return span.Instants(from.Start(loc), to.Start(loc)), nil
}

const calendarNameTaken = "another calendar has this name: choose one that you will tell apart"

func (s *server) calendarJSON(ctx context.Context, id int64) (gen.Calendar, error) {
	row, err := s.Store.Calendar(ctx, id)
	if err != nil {
		return gen.Calendar{}, err
	}
	all, err := s.calendarsJSON(ctx, []store.Calendar{row})
	if err != nil {
		return gen.Calendar{}, err
	}
	return all[0], nil
}

func (s *server) calendarsJSON(ctx context.Context, rows []store.Calendar) ([]gen.Calendar, error) {
	names, err := s.names(ctx, rows...)
	if err != nil {
		return nil, err
	}
	open, err := s.Store.CountConflicts(ctx, judge.Open)
	if err != nil {
		return nil, err
	}
	all := make([]gen.Calendar, len(rows))
	for i, c := range rows {
		all[i] = gen.Calendar{Id: c.ID, Name: c.Name, Revision: c.Revision, Zone: c.Zone, Grain: gen.Grain(c.Grain), Capacity: c.Capacity, ChanceLimit: optional(c.ChanceLimit), Version: c.Version, Group: optional(c.GroupID), Links: []gen.Link{},
			OpenConflicts: open[c.ID], Trouble: troubleOf(c)}
		for _, l := range names.links[c.ID] {
			all[i].Links = append(all[i].Links, gen.Link{Feed: l.FeedID, Revision: l.Revision, Role: gen.Role(l.Role), Tentative: gen.TentativeRule(l.Tentative),
				Units: l.Units, Filter: l.Filter, Counting: l.Counting, Review: l.Review, Label: names.label(c.ID, l.FeedID), Color: gen.Color(names.feeds[l.FeedID].Color), Notices: linesOf(l.Notices)})
		}
	}
	return all, nil
}

// troubleOf says why a calendar is not up to date, if it is not.
func troubleOf(c store.Calendar) *gen.Trouble {
	if c.FailingSince == nil {
		return nil
	}
	t := &gen.Trouble{Since: *c.FailingSince, Why: c.Failure, Retry: *c.FailingSince}
	if c.RetryAt != nil { // else at once
		t.Retry = *c.RetryAt
	}
	return t
}

// names is what bookings are shown with.
type names struct {
	feeds     map[int64]store.Feed
	platforms map[int64]gen.Platform
	links     map[int64][]store.Link // by calendar
	labels    map[onCalendar]string  // of the links that have one
	unfresh   map[int64]*gen.Unfresh // of the feeds that are not
}

// onCalendar names a feed on a calendar.
type onCalendar struct{ calendar, feed int64 }

// mostNamed is up to how many calendars only what is on them is looked up.
const mostNamed = 50

// names are those that bookings are shown with on some calendars; on none: on all of them.
func (s *server) names(ctx context.Context, on ...store.Calendar) (names, error) {
	n := names{feeds: map[int64]store.Feed{}, links: map[int64][]store.Link{}, labels: map[onCalendar]string{}}
	var ids []int64
	if len(on) <= mostNamed { // else all is asked for at once
		for _, c := range on {
			ids = append(ids, c.ID)
		}
	}
	links, err := s.Store.Links(ctx, ids...) // before what they are of: a feed that is added meanwhile has none yet
	if err != nil {
		return n, err
	}
	for _, l := range links {
		n.links[l.CalendarID] = append(n.links[l.CalendarID], l)
		if l.Label != "" {
			n.labels[onCalendar{l.CalendarID, l.FeedID}] = l.Label
		}
	}
	feeds, err := s.Store.AllFeeds(ctx, ids...)
	for _, f := range feeds {
		n.feeds[f.ID] = f
	}
	if err != nil {
		return n, err
	}
	if n.unfresh, err = s.unfresh(ctx, feeds); err != nil {
		return n, err
	}
	n.platforms, err = s.platforms(ctx)
	return n, err
}

// label is how a feed's bookings are labelled on a calendar.
func (n names) label(calendar, feed int64) string {
	if label := n.labels[onCalendar{calendar, feed}]; label != "" {
		return label
	}
	return n.feeds[feed].Name
}

// sentence says what the verdict on a booking rests on; "" where that is nothing.
func (n names) sentence(b store.Booking, grain span.Grain) string {
	return sentences.Of(b.Evidence, sentences.Names{Grain: grain, Own: n.feeds[b.FeedID].PlatformID, Of: func(id int64) string { return n.platforms[id].Name }})
}

// ourLabel labels what came from no feed.
const ourLabel = "Wharf"

func (n names) booking(b store.Booking, grain span.Grain) gen.Booking {
	out := gen.Booking{Id: b.ID, Calendar: b.CalendarID, Label: ourLabel, Title: b.Title, Uid: b.UID, Tentative: b.Tentative, Blocks: b.Blocks, Units: b.Units,
		Verdict: gen.Verdict(b.Verdict), Evidence: optional(n.sentence(b, grain)), Created: b.Created, NotBefore: b.NotBefore, SeenBy: b.SeenBy, Held: heldJSON(b)}
	if feed, ok := n.feeds[b.FeedID]; ok {
		platform, color := n.platforms[feed.PlatformID], gen.Color(feed.Color)
		out.Feed, out.Platform, out.Color, out.Label = &feed.ID, &platform, &color, n.label(b.CalendarID, b.FeedID)
		out.Unfresh = n.unfresh[feed.ID]
	}
	out.Start, out.End = b.Span().Format(grain)
	if categories := linesOf(b.Categories); len(categories) > 0 {
		out.Categories = &categories
	}
	out.Class = optional(gen.BookingClass(b.Class))
	var notices []string
	if b.Notices != "" {
		notices = strings.Split(b.Notices, ",")
	}
	if b.Evidence.Against == echo.SpansDiffer {
		notices = append(notices, "dates-differ")
	}
	if len(notices) > 0 {
		out.Notices = &notices
	}
	out.Review = optional(gen.ReviewState(b.Review))
	if b.HoldID != 0 {
		out.Hold, out.Occurrence, out.Closure, out.Expires = &b.HoldID, optional(b.Occurrence), optional(b.Closure), b.ExpiresAt
	}
	return out
}
