package combine

import (
	"context"
	"reflect"
	"slices"
	"time"

	"wharf/core/judge"
	"wharf/core/publish"
	"wharf/core/reminder"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/service/document"
	"wharf/service/store"
)

// publishedOf adds a calendar's publications, with what they carried and who picked that up.
// The window of one that is new is set.
func publishedOf(tx *store.Tx, calendar int64, f *judge.Facts) error {
	publications, err := tx.PublicationsOf(calendar)
	if err != nil {
		return err
	}
	persons, err := tx.Persons()
	if err != nil {
		return err
	}
	published, err := tx.PublishedOf(calendar)
	if err != nil {
		return err
	}
	grain, loc := f.Calendar.Grain, f.Calendar.Zone
	for _, p := range publications {
		r, err := rules.NewPublication(p.Rules(), f.Calendar.Capacity)
		if err != nil {
			return err
		}
		if p.WindowStep == 0 && p.RemovedAt == nil {
			p.WindowStep = publish.Step(f.Now, loc)
			if err := tx.MoveWindows(calendar, p.WindowStep); err != nil {
				return err
			}
		}
		f.Publications = append(f.Publications, judge.Publication{ID: p.ID, Platform: p.PlatformID, Person: persons[p.PlatformID], Name: p.Name, Rules: r, Reader: p.Reader, Window: publish.Window(r, p.WindowStep, grain, loc), Laid: publish.Laid(p.WindowStep, loc),
			Version: p.Version, History: published.Carried[p.ID], Versions: published.Versions[p.ID], Pickups: published.Pickups[p.ID],
			Renamed: p.Name != p.RenderedName, Revoked: p.RemovedAt != nil})
	}
	return nil
}

// partsOn adds what the publications of the calendar show of others, and those of others that show it.
func partsOn(tx *store.Tx, calendar store.Calendar, f *judge.Facts) ([]store.PartOn, error) {
	for i := range f.Publications {
		f.Publications[i].CalendarID = calendar.ID
	}
	others, err := tx.PartsFor(calendar.ID)
	if err != nil {
		return nil, err
	}
	for _, o := range others {
		i := slices.IndexFunc(f.Publications, func(p judge.Publication) bool { return p.ID == o.PublicationID })
		if i >= 0 {
			f.Publications[i].Of, f.Publications[i].Others = calendar.Name, append(f.Publications[i].Others, o.Items...)
		}
	}
	parts, err := tx.PartsOn(calendar.ID)
	if err != nil {
		return nil, err
	}
	for _, p := range parts {
		r, err := rules.NewPublication(p.Rules(), calendar.Capacity)
		if err != nil {
			return nil, err
		}
		step := p.WindowStep
		if step == 0 {
			step = publish.Step(f.Now, f.Calendar.Zone)
		}
		f.Parts = append(f.Parts, judge.Publication{ID: p.ID, Platform: p.PlatformID, Person: true, Rules: r, Window: publish.Window(r, step, f.Calendar.Grain, f.Calendar.Zone), Laid: publish.Laid(step, f.Calendar.Zone), Of: calendar.Name, CalendarID: calendar.ID})
	}
	return parts, nil
}

// saveParts keeps what publications of other calendars show of this one, and returns those of which that is new.
func saveParts(tx *store.Tx, calendar int64, was []store.PartOn, are [][]publish.Item) (others []int64, err error) {
	for i, p := range was {
		if slices.EqualFunc(p.Items, are[i], func(a, b publish.Item) bool { return reflect.DeepEqual(a, b) }) {
			continue
		}
		if err := tx.SavePart(p.Publication, calendar, are[i]); err != nil {
			return nil, err
		}
		others = append(others, p.CalendarID)
	}
	return others, nil
}

// sourcesOn adds the entries that bookings are of, where a publication shows everything. What stands though its feed shows it no
// more, or otherwise, has none.
func sourcesOn(ctx context.Context, tx *store.Tx, rows []store.Booking, f *judge.Facts) error {
	all := func(p judge.Publication) bool { return p.Rules.Detail == rules.Everything && !p.Revoked }
	if !slices.ContainsFunc(f.Publications, all) && !slices.ContainsFunc(f.Parts, all) {
		return nil
	}
	sources := map[int64]*publish.Source{}
	for _, feed := range f.Feeds {
		doc, entries, err := document.Sources(ctx, tx, feed.ID)
		if err != nil {
			return err
		}
		for id, e := range entries {
			sources[id] = &publish.Source{Doc: doc, Entry: e}
		}
	}
	for i, b := range rows {
		if b.HeldWhy == "" {
			f.Bookings[i].Source = sources[b.EntryID]
		}
	}
	return nil
}

// alarmsOn adds when somebody is to be reminded of the bookings, where a publication tells that.
func alarmsOn(tx *store.Tx, calendar int64, f *judge.Facts) error {
	if !slices.ContainsFunc(f.Publications, func(p judge.Publication) bool { return p.Rules.Alarm == rules.KeptAlarms && !p.Revoked }) {
		return nil
	}
	leads, err := tx.LeadsOn(calendar)
	if err != nil || len(leads) == 0 {
		return err
	}
	grain, loc := f.Calendar.Grain, f.Calendar.Zone
	for i, b := range f.Bookings {
		start := time.Unix(b.Span.Start, 0)
		if grain.Dated() {
			start = span.Date(b.Span.Start).Start(loc)
		}
		for _, text := range leads[b.ID] {
			if lead, err := reminder.Parse(text); err == nil { // it was looked at when it was laid down
				f.Bookings[i].Alarms = append(f.Bookings[i].Alarms, int(start.Sub(lead.Due(b.Span.Start, grain, loc)).Minutes()))
			}
		}
	}
	return nil
}
