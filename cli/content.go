package cli

import (
	"context"
	"fmt"
	"strings"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
	"wharf/core/rules"
)

// contentFlags say what a publication shows; those that are not given leave it as it is.
var contentFlags = []cli.Flag{
	&cli.StringSliceFlag{Name: "also", Usage: "another calendar that a person gets, too, again for more; \"\" for none"},
	&cli.StringFlag{Name: "detail", Usage: "times: each under one title; titles: under its own, if anybody may see that; everything: all that its source gives"},
	&cli.StringFlag{Name: "title", Usage: "of every event that is shown without one of its own"},
	&cli.StringFlag{Name: "tentative", Usage: "how what is not firm goes out: tentative, firm or ignore"},
	&cli.StringSliceFlag{Name: "feed", Usage: "only what came from this feed, again for more; \"\" for all"},
	&cli.BoolFlag{Name: "holds", Usage: "also what was entered by hand, as at first; --holds=false: none of it"},
	&cli.StringSliceFlag{Name: "category", Usage: "only what has this category, again for more; \"\" for all"},
	&cli.BoolFlag{Name: "shown", Usage: "also what is only shown: it goes out as free"},
	&cli.IntFlag{Name: "back", HideDefault: true, Usage: "days before this week from which on it shows bookings, 1 to 90"},
	&cli.IntFlag{Name: "ahead", HideDefault: true, Usage: "months from this week on up to which it shows bookings, 1 to 24"},
	&cli.StringFlag{Name: "occupancy", Usage: "each: every booking; full: only where no unit is left"},
	&cli.BoolFlag{Name: "joined", Usage: "what adjoins or overlaps goes out as one event"},
	&cli.StringFlag{Name: "alarm", Usage: "of every event, so long before it: 30m, 2h or 1d; kept: the reminders of its booking; \"\" for none"},
	&cli.IntFlag{Name: "cancelled", HideDefault: true, Usage: "hours for which what is gone is shown as called off; 0: it is left out at once"},
	&cli.IntFlag{Name: "refresh", HideDefault: true, Usage: "minutes after which it is worth to come back, as readers are told"},
	&cli.BoolFlag{Name: "attachments", Usage: "of everything, files and pictures, too"},
	&cli.BoolFlag{Name: "attendees", Usage: "of everything, guests and organizers, too"},
	&cli.BoolFlag{Name: "links", Usage: "of everything, addresses of pages, too"},
	&cli.StringFlag{Name: "user", Usage: "user name that the link asks for, with --password-file; \"\" for none"},
	&cli.StringFlag{Name: "password-file", Usage: "file with the password that it asks for; - is standard input"},
	&cli.StringFlag{Name: "until", Usage: "when the link ends: a day, or a time by the clock of the calendar (2026-12-18T18:00); \"\" for never"},
	&cli.StringFlag{Name: "color", Usage: "name of a CSS colour that readers may show it in; \"\" for none"},
}

var contentFlagNames = []string{"also", "detail", "title", "tentative", "feed", "holds", "category", "shown", "back", "ahead", "occupancy", "joined", "alarm", "cancelled", "refresh", "color", "attachments", "attendees", "links", "user", "password-file", "until"}

// contentOf is what the flags say of what a publication shows.
func contentOf(ctx context.Context, c *cli.Command, api *client.Client) (*client.PublicationContentEdit, error) {
	edit := &client.PublicationContentEdit{Detail: textOf[client.Detail](c, "detail"), Title: textOf[string](c, "title"), Tentative: textOf[client.TentativeRule](c, "tentative"),
		Holds: boolOf(c, "holds"), Shown: boolOf(c, "shown"), Back: numberOf(c, "back"), Ahead: numberOf(c, "ahead"), Occupancy: textOf[client.Occupancy](c, "occupancy"),
		Joined: boolOf(c, "joined"), Alarm: textOf[string](c, "alarm"), Cancelled: numberOf(c, "cancelled"), Refresh: numberOf(c, "refresh"), Color: textOf[string](c, "color"),
		Attachments: boolOf(c, "attachments"), Attendees: boolOf(c, "attendees"), Links: boolOf(c, "links")}
	if c.IsSet("feed") {
		feeds := []int64{}
		for _, ref := range filled(c.StringSlice("feed")) {
			f, err := feedNamed(ctx, api, ref)
			if err != nil {
				return nil, err
			}
			feeds = append(feeds, f.Id)
		}
		edit.Feeds = &feeds
	}
	if c.IsSet("also") {
		calendars := []int64{}
		for _, ref := range filled(c.StringSlice("also")) {
			k, err := calendarNamed(ctx, api, ref)
			if err != nil {
				return nil, err
			}
			calendars = append(calendars, k.Id)
		}
		edit.Calendars = &calendars
	}
	if c.IsSet("category") {
		categories := filled(c.StringSlice("category"))
		edit.Categories = &categories
	}
	return edit, nil
}

// filled are the texts that say something.
func filled(texts []string) []string {
	all := []string{}
	for _, t := range texts {
		if strings.TrimSpace(t) != "" {
			all = append(all, t)
		}
	}
	return all
}

// contentWords says what a publication shows.
func contentWords(c client.PublicationContent) string {
	words := []string{map[client.Detail]string{client.DetailTimes: "Times only, called " + fmt.Sprintf("%q", clean(c.Title)), client.DetailTitles: "Times and titles", client.DetailEverything: "Everything"}[c.Detail]}
	if c.Detail == client.DetailEverything {
		words = append(words, everythingWords(c)...)
	}
	if c.Occupancy == client.WhereFull {
		words = append(words, "where no unit is left")
	}
	if c.Joined {
		words = append(words, "joined")
	}
	if n := len(c.Calendars); n > 0 {
		words = append(words, "with "+count(n, "other calendar", "other calendars"))
	}
	if n := len(c.Feeds); n > 0 {
		words = append(words, "from "+count(n, "feed", "feeds")+" only")
	}
	if !c.Holds {
		words = append(words, "without what was entered by hand")
	}
	if len(c.Categories) > 0 {
		words = append(words, "of the categories "+clean(strings.Join(c.Categories, ", ")))
	}
	if c.Shown {
		words = append(words, "with what is only shown")
	}
	switch c.Tentative {
	case client.Firm:
		words = append(words, "what is tentative as firm")
	case client.Ignore:
		words = append(words, "without what is tentative")
	}
	words = append(words, fmt.Sprintf("%s back, %s ahead", count(c.Back, "day", "days"), count(c.Ahead, "month", "months")))
	if c.Alarm == rules.KeptAlarms {
		words = append(words, "the reminders of its bookings as alarms")
	} else if c.Alarm != "" {
		words = append(words, "an alarm "+c.Alarm+" before each")
	}
	if c.Cancelled > 0 {
		words = append(words, "what is gone as called off for "+count(c.Cancelled, "hour", "hours"))
	}
	return strings.Join(words, ", ") + "."
}

// everythingWords says what of everything goes out since it was asked for.
func everythingWords(c client.PublicationContent) (words []string) {
	for _, of := range []struct {
		asked bool
		words string
	}{{c.Attachments, "files"}, {c.Attendees, "guests"}, {c.Links, "links"}} {
		if of.asked {
			words = append(words, of.words)
		} else {
			words = append(words, "no "+of.words)
		}
	}
	return words
}
