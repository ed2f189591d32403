package cli

import (
	"context"
	"fmt"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

// changesCommand lists what readings changed on a calendar, or of a feed.
func (env *Env) changesCommand(of, example string, list func(ctx context.Context, api *client.Client, ref string, since time.Time) ([]client.BookingChange, error)) *cli.Command {
	return &cli.Command{
		Name: "changes", Usage: "what readings changed lately, booking by booking", ArgsUsage: strings.ToUpper(of),
		Flags:       []cli.Flag{&cli.DurationFlag{Name: "since", Value: 24 * time.Hour, Usage: "how far back"}, &cli.BoolFlag{Name: "echoes", Usage: "also of reflections of what was published"}, jsonFlag},
		Description: "The newest first.\nExample: wharf " + of + " changes \"" + example + "\" --since 168h",
		Action: env.onOne(func(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
			changes, err := list(ctx, api, ref, env.Now().Add(-c.Duration("since")))
			if err != nil {
				return err
			}
			if c.Bool("json") {
				return printJSON(env.Out, changes)
			}
			echoes := 0
			if !c.Bool("echoes") {
				all := len(changes)
				changes = slices.DeleteFunc(changes, func(c client.BookingChange) bool {
					return c.Booking.Verdict == client.VerdictEcho || c.Booking.Verdict == client.VerdictOneWith
				})
				echoes = all - len(changes)
			}
			if err := env.printChanges(ctx, api, changes); err != nil || echoes == 0 {
				return err
			}
			fmt.Fprintf(env.Out, "%s of what we published set aside (--echoes lists them).\n", count(echoes, "change of a reflection", "changes of reflections"))
			return nil
		}),
	}
}

func calendarChanges(ctx context.Context, api *client.Client, ref string, since time.Time) ([]client.BookingChange, error) {
	k, err := calendarNamed(ctx, api, ref)
	if err != nil {
		return nil, err
	}
	return client.Decode[[]client.BookingChange](api.ListCalendarChanges(ctx, k.Id, &client.ListCalendarChangesParams{Since: &since}))
}

func feedChanges(ctx context.Context, api *client.Client, ref string, since time.Time) ([]client.BookingChange, error) {
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return nil, err
	}
	return client.Decode[[]client.BookingChange](api.ListFeedChanges(ctx, f.Id, &client.ListFeedChangesParams{Since: &since}))
}

func (env *Env) printChanges(ctx context.Context, api *client.Client, changes []client.BookingChange) error {
	if len(changes) == 0 {
		fmt.Fprintln(env.Out, "No reading changed anything in that time.")
		return nil
	}
	byID, err := calendarsByID(ctx, api)
	if err != nil {
		return err
	}
	rows := make([]table.Row, len(changes))
	for i, c := range changes {
		k := byID[c.Booking.Calendar]
		what := map[client.BookingChangeKind]string{client.BookingAdded: "new", client.BookingChanged: "changed", client.BookingRemoved: "gone", client.BookingPassed: "over", client.BookingWithTheFeed: "came with the feed"}[c.Kind]
		rows[i] = table.Row{env.when(&c.At), what, bookingChangeWords(c, k), clean(c.Booking.Label), clean(k.Name)}
	}
	printTable(env.Out, table.Row{"Seen", "", "Booking", "Feed", "Calendar"}, rows)
	return nil
}

// calendarsByID are all calendars.
func calendarsByID(ctx context.Context, api *client.Client) (map[int64]client.Calendar, error) {
	all, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	byID := map[int64]client.Calendar{}
	for _, k := range all {
		byID[k.Id] = k
	}
	return byID, err
}

// bookingChangeWords say what a booking was and became.
func bookingChangeWords(c client.BookingChange, k client.Calendar) string {
	say := func(s *client.BookingShown) string {
		first, last := ends(s.Start, s.End, k)
		words := clean(orUntitled(s.Title)) + ", " + first + " to " + last
		if s.Status != nil && *s.Status != client.ShownFirm {
			words += ", " + string(*s.Status)
		}
		return words
	}
	switch {
	case c.Was == nil:
		return say(c.Became)
	case c.Became == nil:
		return say(c.Was)
	}
	return say(c.Was) + " -> " + say(c.Became)
}
