package server

import (
	"cmp"
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"

	gen "wharf/api/server"
	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
)

// ExportBookings writes what is booked as a file.
func (s *server) ExportBookings(ctx context.Context, r gen.ExportBookingsRequestObject) (gen.ExportBookingsResponseObject, error) {
	b := r.Body
	calendars, name, err := s.exportedCalendars(ctx, b)
	if err != nil {
		return nil, err
	}
	from, to := span.DateOf(b.From.Time), span.DateOf(b.To.Time)
	if to <= from {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "to", "the day after the last must come after the first")
	}
	all, err := s.exported(ctx, calendars, from, to, b.Detail == gen.ExportTitles)
	if err != nil {
		return nil, err
	}
	if len(all) == 0 {
		return nil, fieldProblem(http.StatusUnprocessableEntity, "from", fmt.Sprintf("nothing is booked on %s from %s to %s: choose another range", name, from, to-1))
	}
	out := gen.ExportBookings200JSONResponse{Bookings: len(all), Name: fileName(name, from, to-1) + "." + string(b.Format)}
	if b.Format == gen.ExportICS {
		out.MediaType, out.Text = "text/calendar", publish.ICS(name, all, s.Now())
		return out, nil
	}
	out.MediaType = "text/csv"
	out.Text, err = publish.CSV(all)
	return out, err
}

// exportedCalendars are those that are meant, and what they are called together.
func (s *server) exportedCalendars(ctx context.Context, b *gen.ExportRequest) ([]store.Calendar, string, error) {
	rows, err := s.Store.Calendars(ctx)
	if err != nil {
		return nil, "", err
	}
	wanted, name := orEmpty(b.Calendars), "all calendars"
	switch {
	case len(wanted) > 0 && b.Group != nil:
		return nil, "", fieldProblem(http.StatusUnprocessableEntity, "group", "name calendars, or a group: not both")
	case b.Group != nil:
		groups, err := s.Store.Groups(ctx)
		n := slices.IndexFunc(groups, func(g store.CalendarGroup) bool { return g.ID == *b.Group })
		if err != nil || n < 0 {
			return nil, "", cmp.Or(err, error(fieldProblem(http.StatusUnprocessableEntity, "group", fmt.Sprintf("there is no group %d", *b.Group))))
		}
		name = groups[n].Name
		rows = slices.DeleteFunc(rows, func(c store.Calendar) bool { return c.GroupID != groups[n].ID })
	case len(wanted) > 0:
		byID := byIDOf(rows)
		names := make([]string, len(wanted))
		for i, id := range wanted {
			if _, known := byID[id]; !known {
				return nil, "", fieldProblem(http.StatusUnprocessableEntity, "calendars", fmt.Sprintf("there is no calendar %d", id))
			}
			names[i] = byID[id].Name
		}
		if name = strings.Join(names, ", "); len(names) > 3 {
			name = fmt.Sprintf("%d calendars", len(names))
		}
		rows = slices.DeleteFunc(rows, func(c store.Calendar) bool { return !slices.Contains(wanted, c.ID) })
	}
	return rows, name, nil
}

// exported are the bookings that count, by calendar and start, with their titles where those may be shown.
func (s *server) exported(ctx context.Context, calendars []store.Calendar, from, to span.Date, titles bool) ([]publish.Exported, error) {
	within := map[int64]span.Span{}
	for _, c := range calendars {
		if on, err := daysWithin(c, from, to); err == nil { // else it is set aside, and says so
			within[c.ID] = on
		}
	}
	found, err := s.Store.BookingsOn(ctx, within)
	if err != nil {
		return nil, err
	}
	slices.SortFunc(calendars, func(a, b store.Calendar) int { return cmp.Compare(a.Name, b.Name) })
	var all []publish.Exported
	for _, c := range calendars {
		if _, shown := within[c.ID]; !shown {
			continue
		}
		loc, err := zone.Load(c.Zone)
		if err != nil {
			return nil, err
		}
		for _, b := range found[c.ID] {
			if !slices.Contains([]judge.Kind{judge.Counts, judge.Unclear, judge.Stale}, b.Verdict) {
				continue
			}
			one := publish.Exported{Calendar: c.Name, Grain: span.Grain(c.Grain), Zone: loc, UID: b.Minted, Span: b.Span(), Title: publish.Placeholder, Tentative: b.Tentative}
			if titles && b.Review != store.Waiting && (b.Class == "" || b.Class == rules.Public) {
				one.Title = b.Title
			}
			all = append(all, one)
		}
	}
	return all, nil
}

// fileName is a name that every system takes.
func fileName(name string, from, to span.Date) string {
	var safe strings.Builder
	for _, r := range strings.ToLower(name) {
		switch {
		case r >= 'a' && r <= 'z', r >= '0' && r <= '9':
			safe.WriteRune(r)
		case safe.Len() > 0 && !strings.HasSuffix(safe.String(), "-"):
			safe.WriteByte('-')
		}
	}
	return strings.Join([]string{strings.Trim(cmp.Or(safe.String(), "calendar"), "-"), from.String(), to.String()}, "-")
}
