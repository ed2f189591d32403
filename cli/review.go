package cli

import (
	"context"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) reviewCommand() *cli.Command {
	which := []cli.Flag{&cli.StringFlag{Name: "calendar", Usage: "only of this calendar"}, &cli.StringFlag{Name: "feed", Usage: "only of this feed"}}
	all := append([]cli.Flag{&cli.BoolFlag{Name: "all", Usage: "all that wait, or all of that calendar and feed"}}, which...)
	return &cli.Command{
		Name: "review", Usage: "entries that somebody is to look at before their details go out",
		Description: "`wharf link edit CALENDAR FEED --review` has every entry of a feed looked at. It blocks from the first moment.",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list what waits", Flags: append([]cli.Flag{&cli.StringFlag{Name: "state", Usage: "waiting, approved or rejected", DefaultText: "waiting"}, jsonFlag}, which...),
				Description: "Example: wharf review list", Action: env.connected(env.reviewList),
			},
			{
				Name: "approve", Usage: "say that entries are right", ArgsUsage: "[ID...]", Flags: all,
				Description: "Example: wharf review approve --all --calendar \"Ketch Merrow\"", Action: env.connected(env.decide(client.SaysApproved)),
			},
			{
				Name: "reject", Usage: "have entries count for nothing until they change", ArgsUsage: "[ID...]", Flags: all,
				Description: "Example: wharf review reject --all --calendar \"Ketch Merrow\"", Action: env.connected(env.decide(client.SaysRejected)),
			},
		},
	}
}

// reviewed are the entries in a state that a person means.
func (env *Env) reviewed(ctx context.Context, c *cli.Command, api *client.Client, state *client.ReviewState) ([]client.ReviewItem, error) {
	all, err := client.Decode[[]client.ReviewItem](api.ListReviews(ctx, &client.ListReviewsParams{State: state}))
	if err != nil {
		return nil, err
	}
	var calendar, feed int64
	if ref := c.String("calendar"); ref != "" {
		k, err := calendarNamed(ctx, api, ref)
		if err != nil {
			return nil, err
		}
		calendar = k.Id
	}
	if ref := c.String("feed"); ref != "" {
		f, err := feedNamed(ctx, api, ref)
		if err != nil {
			return nil, err
		}
		feed = f.Id
	}
	kept := []client.ReviewItem{}
	for _, i := range all {
		if (calendar == 0 || i.Booking.Calendar == calendar) && (feed == 0 || i.Booking.Feed != nil && *i.Booking.Feed == feed) {
			kept = append(kept, i)
		}
	}
	return kept, nil
}

func (env *Env) reviewList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := env.reviewed(ctx, c, api, textOf[client.ReviewState](c, "state"))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "Nothing waits to be looked at.")
		return nil
	}
	rows := make([]table.Row, len(all))
	for i, r := range all {
		by := ""
		if r.By != nil {
			by = *r.By + ", " + env.when(r.At)
		}
		rows[i] = table.Row{r.Booking.Id, clean(r.CalendarName), spanOf(r.Booking.Start, r.Booking.End, client.Calendar{Grain: r.Grain, Zone: r.Zone}), clean(orUntitled(r.Booking.Title)), clean(r.Booking.Label), clean(by)}
	}
	printTable(env.Out, table.Row{"Id", "Calendar", "Booked", "Title", "Feed", "Looked at by"}, rows)
	return nil
}

// decide approves or rejects entries that are named, or all that wait.
func (env *Env) decide(says client.ReviewRequestSays) func(context.Context, *cli.Command, *client.Client) error {
	return func(ctx context.Context, c *cli.Command, api *client.Client) error {
		r := client.ReviewRequest{Says: says}
		switch {
		case c.Bool("all") == (c.Args().Len() > 0):
			return usagef("name the entries by their numbers, or give --all: `wharf review list` shows them")
		case c.Bool("all"):
			all, err := env.reviewed(ctx, c, api, nil)
			if err != nil {
				return err
			}
			for _, i := range all {
				r.Bookings = append(r.Bookings, client.ReviewedBooking{Booking: i.Booking.Id, Start: &i.Booking.Start, End: &i.Booking.End})
			}
		}
		for _, text := range c.Args().Slice() {
			id, err := numbered(text, "entry", "wharf review list")
			if err != nil {
				return err
			}
			r.Bookings = append(r.Bookings, client.ReviewedBooking{Booking: id})
		}
		if len(r.Bookings) == 0 {
			fmt.Fprintln(env.Out, "Nothing waits to be looked at.")
			return nil
		}
		if _, err := client.Decode[struct{}](api.Review(ctx, r)); err != nil {
			return err
		}
		fmt.Fprintf(env.Out, "%s %s.\n", count(len(r.Bookings), "entry is", "entries are"), says)
		return nil
	}
}
