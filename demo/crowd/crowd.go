// Package crowd is a made-up harbour association with very many calendars, feeds and platforms, so that Wharf
// can be looked at, and held to its budgets, as it is with many.
//
// In: how many of each, and which day it is. Out: the feeds, over HTTP, and a loader that
// subscribes to them and publishes all calendars through the API. The same size is the same
// crowd on any day, which shows what is to come then.
package crowd

import (
	"context"
	"fmt"
	"io"
	"math/rand/v2"
	"net/http"
	"strings"

	"golang.org/x/sync/errgroup"

	"wharf/api/client"
	"wharf/core/ical"
	"wharf/core/span"
)

// Size is how many there are of each.
type Size struct {
	Calendars, Platforms int
	On                   int // platforms that each calendar is on
}

// Large is as many as a person looks after who does nothing else.
var Large = Size{Calendars: 500, Platforms: 40, On: 3}

// Feeds is how many there are.
func (s Size) Feeds() int { return s.Calendars * s.On }

// Crowd is one of a size.
type Crowd struct {
	Size
	Today span.Date
}

var quays = []string{"North Quay", "South Quay", "Long Ness", "Fish Steps", "Mill Basin", "Chapel Slip", "Outer Mole", "Gull Rock", "Ropewalk", "Old Ferry"}

// group is the name of a calendar's group.
func (c Crowd) group(calendar int) string { return quays[calendar%len(quays)] }

// Calendar is the name of a calendar.
func (c Crowd) Calendar(calendar int) string {
	return fmt.Sprintf("%s %02d", c.group(calendar), calendar/len(quays)+1)
}

// Platform is the name of a platform.
func (c Crowd) Platform(platform int) string {
	first := []string{"Harbour", "Tide", "Beacon", "Skerry", "Mooring", "Cove", "Pier", "Anchor"}
	second := []string{"Desk", "Rooms", "Lets", "Stays", "Board"}
	return first[platform%len(first)] + " " + second[platform/len(first)%len(second)]
}

// platformOf is the n-th platform that a calendar is on.
func (c Crowd) platformOf(calendar, n int) int { return (calendar*7 + n*11) % c.Platforms }

func (c Crowd) feedName(calendar, n int) string {
	return c.Calendar(calendar) + ", " + c.Platform(c.platformOf(calendar, n))
}

// grain is how a calendar is let.
func (c Crowd) grain(calendar int) client.Grain {
	if calendar%5 == 4 {
		return client.Day
	}
	return client.Night
}

// epoch is the day from which on all sales are counted, so that a later day shows the same ones.
var epoch = span.NewDate(2026, 1, 1)

// sale is a stay that a platform has sold.
type sale struct {
	number      int
	first, last span.Date
	guest       string
}

var guests = strings.Fields("Abbot Birk Corran Dufresne Eklund Fane Garrow Hallam Innis Jessop Kerr Lowe Marden Nairn Ogilvie Petrie Quill Rusk Selby Thorne Udal Voss Wray Yorke")

// sales are those that the n-th platform of a calendar has sold and shows: the platforms take turns, and now
// and then two of them sell the same nights.
func (c Crowd) sales(calendar, n int) (all []sale) {
	r := rand.New(rand.NewPCG(uint64(calendar), 14))
	at := epoch + span.Date(r.IntN(6))
	for turn := 0; at < c.Today+200; turn++ {
		s := sale{turn, at, at + 2 + span.Date(r.IntN(6)), guests[r.IntN(len(guests))]}
		twice := r.IntN(400) == 0
		if turn%c.On == n || twice && (turn+1)%c.On == n {
			if turn%c.On != n {
				s.guest = guests[(len(s.guest)+n)%len(guests)]
			}
			if s.last > c.Today-20 {
				all = append(all, s)
			}
		}
		at = s.last + span.Date(r.IntN(5))
	}
	return all
}

// Feed is the document of a calendar's n-th platform.
func (c Crowd) Feed(calendar, n int) []byte {
	cal := &ical.Component{Name: "VCALENDAR"}
	cal.AddText("VERSION", "2.0")
	cal.AddText("PRODID", "-//"+c.Platform(c.platformOf(calendar, n))+"//EN")
	cal.AddText("X-WR-CALNAME", c.Calendar(calendar))
	for _, s := range c.sales(calendar, n) {
		e := &ical.Component{Name: "VEVENT"}
		e.AddText("UID", fmt.Sprintf("%d-%d-%d@%s.example", calendar, n, s.number, strings.ReplaceAll(strings.ToLower(c.Platform(c.platformOf(calendar, n))), " ", "-")))
		e.AddText("DTSTAMP", "20260101T000000Z")
		e.Add("DTSTART", date(s.first), ical.Param{Name: "VALUE", Values: []string{"DATE"}})
		e.Add("DTEND", date(s.last), ical.Param{Name: "VALUE", Values: []string{"DATE"}})
		e.AddText("SUMMARY", s.guest)
		cal.AddComponent(e)
	}
	return []byte(cal.String())
}

func date(d span.Date) string { return strings.ReplaceAll(d.String(), "-", "") }

// Handler serves the feeds: /CALENDAR/N.ics.
func (c Crowd) Handler() http.Handler {
	mux := http.NewServeMux()
	mux.HandleFunc("GET /{calendar}/{n}", func(w http.ResponseWriter, r *http.Request) {
		var calendar, n int
		if _, err := fmt.Sscanf(r.URL.Path, "/%d/%d.ics", &calendar, &n); err != nil || calendar < 0 || calendar >= c.Calendars || n < 0 || n >= c.On {
			http.NotFound(w, r)
			return
		}
		w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
		_, _ = w.Write(c.Feed(calendar, n)) // who does not read it asks again
	})
	return mux
}

// atOnce is how many calendars are loaded at the same time.
const atOnce = 8

// Load adds what is not there yet: calendars in their groups, feeds, and publications that each recipient has
// picked up once. address is the base of a platform's links; loaded is told of each calendar.
func (c Crowd) Load(ctx context.Context, api *client.Client, address func(platform int) string, loaded func()) error {
	feeds, err := client.Decode[[]client.Feed](api.ListFeeds(ctx, nil))
	if err != nil {
		return err
	}
	calendars, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	if err != nil {
		return err
	}
	publications, err := client.Decode[[]client.Publication](api.ListPublications(ctx, nil))
	if err != nil {
		return err
	}
	have := map[string]int64{}
	for _, f := range feeds {
		have[f.Name] = f.Id
	}
	for _, k := range calendars {
		have[k.Name] = k.Id
	}
	for _, p := range publications {
		have[p.Name] = p.Id
	}
	group, ctx := errgroup.WithContext(ctx)
	group.SetLimit(atOnce)
	for calendar := range c.Calendars {
		group.Go(func() error {
			if err := c.loadOne(ctx, api, calendar, have, address); err != nil {
				return fmt.Errorf("%s: %w", c.Calendar(calendar), err)
			}
			loaded()
			return nil
		})
	}
	return group.Wait()
}

func (c Crowd) loadOne(ctx context.Context, api *client.Client, calendar int, have map[string]int64, address func(platform int) string) error {
	name, group := c.Calendar(calendar), c.group(calendar)
	id := have[name]
	if id == 0 {
		k, err := client.Decode[client.Calendar](api.CreateCalendar(ctx, client.CalendarRequest{Name: name, Zone: "America/Halifax", Grain: c.grain(calendar), Group: &group}))
		if err != nil {
			return err
		}
		id = k.Id
	}
	for n := range c.On {
		platform := c.platformOf(calendar, n)
		if f := c.feedName(calendar, n); have[f] == 0 {
			every, link := 900, fmt.Sprintf("%s/%d/%d.ics", address(platform), calendar, n)
			if _, err := client.Decode[client.Feed](api.CreateFeed(ctx, client.FeedRequest{Url: &link, Platform: c.Platform(platform), Name: f, Every: &every, Calendar: &id})); err != nil {
				return err
			}
		}
		if p := "For " + c.feedName(calendar, n); have[p] == 0 && calendar%25 != 24 { // of some, nothing goes back
			made, err := client.Decode[client.Publication](api.CreatePublication(ctx, client.PublicationRequest{Name: p, Calendar: id, Platform: c.Platform(platform)}))
			if err != nil {
				return err
			}
			if err := pickUp(ctx, made.Url); err != nil {
				return err
			}
		}
	}
	return nil
}

// pickUp fetches a publication as its recipient does.
func pickUp(ctx context.Context, link string) error {
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, link, nil)
	if err != nil {
		return err
	}
	r.Header.Set("User-Agent", "harbour-import/1")
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	_, err = io.Copy(io.Discard, resp.Body)
	return err
}
