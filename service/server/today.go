package server

import (
	"context"
	"time"

	gen "wharf/api/server"
	"wharf/core/span"
	"wharf/service/store"
	"wharf/service/today"
)

// GetToday tells what needs a person now.
func (s *server) GetToday(ctx context.Context, _ gen.GetTodayRequestObject) (gen.GetTodayResponseObject, error) {
	page, err := today.Read(ctx, s.Store, s.OverdueAfter, s.Now())
	if err != nil {
		return nil, err
	}
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	unfresh, err := s.unfresh(ctx, page.Unfresh)
	if err != nil {
		return nil, err
	}
	calendars := namedOf(page.Calendars)
	platform := func(id int64) gen.Named { return gen.Named{Id: id, Name: platforms[id].Name} }
	out := gen.GetToday200JSONResponse{Zone: page.Zone, Date: page.Date.String(), Calendars: len(page.Calendars), Waiting: page.Waiting, Reminders: remindersJSON(page.Reminders, calendars), Feeds: len(page.Feeds), OldestReading: page.Oldest, Forgotten: lostTo(page.Forgotten, grainsOf(page.Calendars)),
		Unfresh: []gen.UnfreshFeed{}, Stuck: []gen.StuckCalendar{}, Bare: []gen.Named{}, Missing: []gen.MissingDirection{}, Pairings: []gen.Pairing{}, Unpicked: []gen.UnpickedPublication{}, Overdue: []gen.OverduePublication{}, Copies: []gen.DifferingCopy{}, Days: []gen.MovementDay{}}
	for _, f := range page.Unfresh {
		out.Unfresh = append(out.Unfresh, gen.UnfreshFeed{Id: f.ID, Name: f.Name, Unfresh: *unfresh[f.ID]})
	}
	for _, c := range page.Calendars {
		if trouble := troubleOf(c); trouble != nil {
			out.Stuck = append(out.Stuck, gen.StuckCalendar{Id: c.ID, Name: c.Name, Trouble: *trouble})
		}
	}
	for _, c := range page.Bare {
		out.Bare = append(out.Bare, calendars[c.ID])
	}
	for _, m := range page.Missing {
		out.Missing = append(out.Missing, gen.MissingDirection{Calendar: calendars[m.Calendar], Platform: platform(m.Platform), Way: gen.MissingDirectionWay(m.Way)})
	}
	feeds := map[int64]store.Feed{}
	for _, f := range page.Feeds {
		feeds[f.ID] = f
	}
	for _, p := range page.Pairings {
		f := feeds[p.Feed]
		out.Pairings = append(out.Pairings, gen.Pairing{Feed: gen.Named{Id: f.ID, Name: f.Name}, FeedRevision: f.Revision, Calendar: calendars[p.Calendar], Platform: platform(p.Platform),
			Publication: gen.Named{Id: p.Publication.ID, Name: p.Publication.Name}, Recipient: platform(p.Publication.PlatformID), Shared: p.Shared})
	}
	for _, p := range page.Unpicked {
		out.Unpicked = append(out.Unpicked, gen.UnpickedPublication{Id: p.ID, Name: p.Name, Platform: platform(p.PlatformID)})
	}
	for _, p := range page.Overdue {
		out.Overdue = append(out.Overdue, gen.OverduePublication{Id: p.ID, Name: p.Name, Platform: platform(p.PlatformID), LastPickup: *p.LastAt, Usual: int64(p.Gaps.Usual() / time.Second)})
	}
	for _, c := range page.Copies {
		out.Copies = append(out.Copies, gen.DifferingCopy{Hold: c.ID, Title: c.State.Title, Calendar: calendars[c.CalendarID], Original: *originalJSON(c.Original, feeds[c.FeedID].Name)})
	}
	for _, d := range page.Days {
		out.Days = append(out.Days, gen.MovementDay{Date: d.Date.String(), Come: movementsJSON(d.Come, calendars), Go: movementsJSON(d.Go, calendars)})
	}
	return out, nil
}

func movementsJSON(rows []today.Movement, calendars map[int64]gen.Named) []gen.Movement {
	all := make([]gen.Movement, len(rows))
	for i, m := range rows {
		all[i] = gen.Movement{Booking: m.ID, Calendar: calendars[m.CalendarID], Grain: gen.Grain(m.Grain), Zone: m.Zone, Title: m.Title, Tentative: m.Tentative}
		all[i].Start, all[i].End = m.Span().Format(m.Grain)
	}
	return all
}

// lostTo is what blocks take from sale.
func lostTo(blocks []store.Booking, grains map[int64]span.Grain) gen.LostTime {
	lost := gen.LostTime{Blocks: len(blocks)}
	for _, b := range blocks {
		switch n := b.Span().Len(); grains[b.CalendarID] {
		case span.Night:
			lost.Nights += n
		case span.Day:
			lost.Days += n
		case span.Time:
			lost.Hours += float32(n) / 3600
		}
	}
	return lost
}
