package main

import (
	"fmt"
	"net/http"
	"path/filepath"
	"time"

	"wharf/api/client"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/standin"
)

// The sample scenario: what the Skerrywick Harbour Trust lets out, and the pretend
// platforms on which it does. Days are counted from the day on which the demo is loaded.
const zoneName = "America/Halifax"

// calendar is a bookable thing of the scenario.
type calendar struct {
	name     string
	grain    client.Grain
	capacity int
	group    string // in which it is shown
}

var calendars = []calendar{
	{ketch, client.Day, 1, "Boats"},
	{"Guest pontoon", client.Night, 6, "Berths"},
	{"Net Loft hall", client.Time, 1, "Ashore"},
	{"Slipway crane", client.Time, 1, "Ashore"},
	{"Rowing gigs", client.Time, 3, "Boats"},
	{"Harbour events", client.Day, 1, "Ashore"},
}

const ketch = "Ketch Merrow"

// hold is what the harbour office has entered by hand, from the day first up to, not including, last.
type hold struct {
	calendar, title, note string
	first, last           int
	hours                 string // "08:00-10:00", of the day first
	tentative, closure    bool
	expires               int // in how many days it ends by itself; 0: never
}

var holds = []hold{
	{calendar: "Guest pontoon", title: "Yacht Sabine, by telephone", note: "Draws 1.9 m; wants the outer end.", first: 24, last: 27},
	{calendar: "Guest pontoon", title: "Rally, asked for by letter", first: 60, last: 63, tentative: true, expires: 12},
	{calendar: "Slipway crane", title: "Inspection of the crane", first: 45, hours: "08:00-12:00", closure: true},
}

// sale is a booking of the scenario: from the day first up to, not including, last; or on
// the day first from one time of day until another.
type sale struct {
	guest       string
	first, last int
	hours       string // "18:00-20:00"
	tentative   bool
	weeks       int
}

func (s sale) booking(today span.Date) standin.Booking {
	b := standin.Booking{Guest: s.guest, From: (today + span.Date(s.first)).String(), Until: (today + span.Date(s.last)).String(), Tentative: s.tentative, Weeks: s.weeks}
	if s.hours != "" {
		b.Until = b.From + "T" + s.hours[6:]
		b.From += "T" + s.hours[:5]
	}
	// Sold some weeks ahead: not all on one day, and before Wharf came.
	b.Made = time.Date(2000, 1, 1, 9+len(s.guest)%9, 7*len(s.guest)%60, 0, 0, time.UTC).AddDate(0, 0, int(today-span.NewDate(2000, 1, 1))-18-3*(len(s.guest)+s.first+12))
	return b
}

// platform is a thing that a pretend platform sells, for one calendar. Without the name
// of a publication it gets nothing back.
type platform struct {
	name, thing, calendar, feed, publication, color, secret string
	style                                                   standin.Style
	role                                                    client.Role // blocks when left out
	units                                                   int         // 1 when left out
	sales                                                   []sale
}

// scenario has exactly one real double booking, of the ketch: the Lindqvist party and the
// Harbour School both have the eleventh day. The Osei family leaves on the day on which
// the Fenn party arrives, which is none. On the fifth day three crews want four of the
// three rowing gigs, and a talk that is only asked for falls into a class in the hall.
// Nothing goes back to the Yard Board, which is a direction that is missing. The platforms write
// what they import as real ones do: some keep the UIDs, some have their own; as dates or from noon
// to noon; one cuts off the past, one shows what was cancelled, one shows nothing of it.
var scenario = []platform{
	{
		name: "Merrow Charter Desk", calendar: ketch, feed: "Ketch, Merrow Charter Desk", publication: "Ketch, for Merrow Charter Desk", color: "teal",
		secret: "merrow-2f6c91d04b", style: standin.Style{Sale: "%s", Block: "Blocked"},
		sales: []sale{{guest: "Isa Thorne", first: -9, last: -7}, {guest: "Osei family", first: 2, last: 5}, {guest: "Lindqvist party", first: 10, last: 12},
			{guest: "R. Calloway", first: 24, last: 25}, {guest: "Dunmore wedding", first: 40, last: 43}},
	},
	{
		name: "Strand & Tern Charters", calendar: ketch, feed: "Ketch, Strand & Tern", publication: "Ketch, for Strand & Tern", color: "rust",
		secret: "strand-8a17e3c55f", style: standin.Style{Timed: true, Zone: zoneName, Sale: "Charter: %s", Block: "Not bookable", UIDs: standin.Own},
		sales: []sale{{guest: "Fenn party", first: 5, last: 7}, {guest: "Harbour School", first: 11, last: 14}, {guest: "P. Okafor", first: 19, last: 20}, {guest: "Quay Singers", first: 33, last: 35}},
	},
	{
		name: "Kittiwake Berths", calendar: ketch, feed: "Ketch, Kittiwake Berths", publication: "Ketch, for Kittiwake Berths", color: "indigo",
		secret: "kittiwake-c40b7e912d", style: standin.Style{Sale: "Berthed: %s", Block: "No berth", UIDs: standin.Own},
		sales: []sale{{guest: "A. Moreau", first: -3, last: -1}, {guest: "J. Brightwater", first: 0, last: 2}, {guest: "Sandhu crew", first: 16, last: 18}, {guest: "E. Vance", first: 28, last: 31}},
	},
	{
		name: "Kittiwake Berths", thing: "Guest pontoon", calendar: "Guest pontoon", feed: "Pontoon, Kittiwake Berths", publication: "Pontoon, for Kittiwake Berths", color: "azure",
		secret: "kittiwake-51d08e7a36", style: standin.Style{Zone: zoneName, Sale: "Berthed: %s", Block: "No berth", BlockTimes: true, KeepsCancelled: true},
		sales: []sale{{guest: "SY Curlew", first: -2, last: 1}, {guest: "SY Petrel", first: 0, last: 3}, {guest: "MV Annika", first: 1, last: 2}, {guest: "SY Heron", first: 2, last: 9},
			{guest: "SY Sea Holly", first: 6, last: 8}, {guest: "MV Brendan", first: 7, last: 14}, {guest: "SY Curlew", first: 13, last: 16}, {guest: "SY Dunlin", first: 15, last: 22}},
	},
	{
		name: "Long Ness Moorings", thing: "Guest pontoon", calendar: "Guest pontoon", feed: "Pontoon, Long Ness Moorings", publication: "Pontoon, for Long Ness Moorings", color: "ochre",
		secret: "longness-9b3f20c6e1", style: standin.Style{Sale: "%s", Block: "Taken", Trims: true},
		sales: []sale{{guest: "Tern of Hoy", first: -1, last: 1}, {guest: "Wild Thyme", first: 1, last: 6}, {guest: "Orla", first: 3, last: 5, tentative: true}, {guest: "Saltwind", first: 8, last: 11}, {guest: "Isbjørn", first: 18, last: 25}},
	},
	{
		name: "Parish Hall Diary", thing: "Net Loft hall", calendar: "Net Loft hall", feed: "Hall, Parish Hall Diary", publication: "Hall, for the Parish Hall Diary", color: "plum",
		secret: "parish-77ae01d9f4", style: standin.Style{Hours: true, Zone: zoneName, Sale: "%s", Block: "Busy"},
		sales: []sale{{guest: "Rope work class", first: -10, hours: "18:00-20:00", weeks: 12}, {guest: "Choir", first: -12, hours: "19:00-21:30", weeks: 10},
			{guest: "Talk: the herring years", first: 4, hours: "19:30-21:00", tentative: true}, {guest: "Marchbank wedding", first: 12, hours: "11:00-21:30"}},
	},
	{
		name: "Yard Board", thing: "Slipway crane", calendar: "Slipway crane", feed: "Crane, Yard Board", color: "slate",
		secret: "yard-3c9958b2d0", style: standin.Style{Hours: true, Zone: zoneName, Sale: "Lift %s", Block: "Crane out"},
		sales: []sale{{guest: "SY Curlew", first: 0, hours: "09:00-09:30"}, {guest: "MV Annika", first: 0, hours: "13:00-14:00"}, {guest: "SY Petrel", first: 3, hours: "10:00-10:30"}, {guest: "Saltwind", first: 8, hours: "08:30-09:30"}},
	},
	{
		name: "Parish Hall Diary", thing: "Rowing gigs", calendar: "Rowing gigs", feed: "Gigs, rowing club", publication: "Gigs, for the Parish Hall Diary", color: "moss",
		secret: "parish-e60d41b87c", style: standin.Style{Hours: true, Zone: zoneName, Sale: "Club: %s", Block: "Busy"},
		sales: []sale{{guest: "juniors", first: -9, hours: "09:00-11:00", weeks: 10}, {guest: "women's crew", first: 5, hours: "09:30-11:00"}},
	},
	{
		name: "Strand & Tern Charters", thing: "Rowing gigs", calendar: "Rowing gigs", feed: "Gigs, Strand & Tern", publication: "Gigs, for Strand & Tern", color: "coral",
		secret: "strand-0f82c7a91e", style: standin.Style{Hours: true, Zone: zoneName, Sale: "Visitors: %s", Block: "Not bookable", Hidden: true}, units: 2,
		sales: []sale{{guest: "Brae school, two boats", first: 5, hours: "10:00-12:00"}, {guest: "Quay Singers", first: 9, hours: "14:00-16:00"}},
	},
	{
		name: "Parish Hall Diary", thing: "Harbour events", calendar: "Harbour events", feed: "Events, Parish Hall Diary", color: "umber",
		secret: "parish-b19c3d5502", style: standin.Style{Sale: "%s", Block: "Busy"}, role: client.Shows,
		sales: []sale{{guest: "Quay market", first: 6, last: 7}, {guest: "Lantern regatta", first: 12, last: 14}, {guest: "Quay market", first: 20, last: 21}},
	},
}

// newPlatforms makes the pretend platforms, with the scenario's sales on those that have
// kept nothing yet.
func newPlatforms(dir string, now func() time.Time) ([]*standin.Platform, error) {
	loc, err := zone.Load(zoneName)
	if err != nil {
		return nil, err
	}
	today := span.DateOf(now().In(loc))
	var all []*standin.Platform
	for _, p := range scenario {
		s := &standin.Platform{Name: p.name, Thing: p.thing, Secret: p.secret, Style: p.style, File: filepath.Join(dir, p.secret+".json"), Now: now,
			Client: &http.Client{Timeout: 20 * time.Second}}
		if err := s.Load(); err != nil {
			return nil, fmt.Errorf("what %s has kept cannot be read (%w): run `make clean` and begin anew", p.name, err)
		}
		if len(s.Bookings()) == 0 {
			for _, sale := range p.sales {
				if _, err := s.Add(sale.booking(today)); err != nil {
					return nil, err
				}
			}
		}
		all = append(all, s)
	}
	return all, nil
}
