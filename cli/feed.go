package cli

import (
	"context"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

var jsonFlag = &cli.BoolFlag{Name: "json", Usage: "one JSON object a line"}

func (env *Env) feedCommand() *cli.Command {
	return &cli.Command{
		Name: "feed", Usage: "feeds that are read",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "subscribe to a feed by its link", ArgsUsage: "LINK",
				Description: "Example: wharf feed add webcal://127.0.0.1:8471/ical/merrow-2f6c91d04b/ketch.ics --platform \"Merrow Charter Desk\" --name \"Ketch at the desk, again\" --color plum",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "platform", Required: true, Usage: "platform that it comes from"},
					&cli.StringFlag{Name: "name", Required: true, Usage: "name by which you will know it: the platform and the thing"},
					&cli.StringFlag{Name: "color", Usage: "one of the twelve feed colours", DefaultText: "the least used"},
					&cli.DurationFlag{Name: "every", Usage: "time between readings", DefaultText: "the server's default"},
					&cli.StringFlag{Name: "calendar", Usage: "calendar to link it to at once"},
					&cli.BoolFlag{Name: "shows", Usage: "with --calendar: its entries are only shown and block nothing"},
					jsonFlag,
				},
				Action: env.onOne(env.feedAdd),
			},
			{
				Name: "list", Usage: "list the feeds and how they stand", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf feed list",
				Action:      env.connected(env.feedList),
			},
			{
				Name: "show", Usage: "show a feed and its newest readings", ArgsUsage: "FEED", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf feed show \"Ketch, Merrow Charter Desk\"",
				Action:      env.onOne(env.feedShow),
			},
			{
				Name: "refresh", Usage: "read feeds now", ArgsUsage: "[FEED...]",
				Description: "Example: wharf feed refresh --all",
				Flags:       []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "read every feed"}, jsonFlag},
				Action:      env.feedRefresh,
			},
		},
	}
}

func (env *Env) feedAdd(ctx context.Context, c *cli.Command, api *client.Client, link string) error {
	r := client.FeedRequest{Url: link, Platform: c.String("platform"), Name: c.String("name")}
	if s := c.String("color"); s != "" {
		color := client.Color(s)
		r.Color = &color
	}
	if c.IsSet("every") {
		seconds := int(c.Duration("every") / time.Second)
		r.Every = &seconds
	}
	if s := c.String("calendar"); s != "" {
		calendar, err := calendarNamed(ctx, api, s)
		if err != nil {
			return err
		}
		role := client.Blocks
		if c.Bool("shows") {
			role = client.Shows
		}
		r.Calendar, r.Link = &calendar.Id, &client.LinkRequest{Role: &role}
	}
	feed, err := client.Decode[client.Feed](api.CreateFeed(ctx, r))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Feed{feed})
	}
	fmt.Fprintf(env.Out, "Subscribed to %s (feed %d): %s read. It is read again %s, every %s.\n", clean(feed.Name), feed.Id,
		count(feed.Entries, "entry", "entries"), env.when(&feed.NextDue), short(time.Duration(feed.Every)*time.Second))
	for _, remark := range feed.Remarks {
		fmt.Fprintf(env.Out, "Remark, %s\n", clean(remark))
	}
	return nil
}

func (env *Env) feedList(ctx context.Context, c *cli.Command, api *client.Client) error {
	feeds, err := client.Decode[[]client.Feed](api.ListFeeds(ctx))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, feeds)
	}
	if len(feeds) == 0 {
		fmt.Fprintln(env.Out, "No feeds yet: add one with `wharf feed add LINK --platform NAME --name NAME`.")
		return nil
	}
	rows := make([]table.Row, len(feeds))
	for i, f := range feeds {
		rows[i] = table.Row{f.Id, clean(f.Name), clean(f.Platform.Name), f.State, env.when(f.LastGood), env.when(&f.NextDue), f.Entries, lastWord(f.LastReading)}
	}
	printTable(env.Out, table.Row{"Id", "Feed", "Platform", "State", "Last good", "Next due", "Entries", "Last reading"}, rows)
	return nil
}

func lastWord(r *client.Reading) string {
	if r == nil {
		return ""
	}
	switch r.Outcome {
	case client.Failed:
		return "failed: " + clean(*r.Message)
	case client.Changed:
		return changeWords(*r)
	}
	return "unchanged, " + count(r.Times, "time", "times")
}

func changeWords(r client.Reading) string {
	return fmt.Sprintf("%d added, %d changed, %d removed", r.Added, r.Changed, r.Removed)
}

func (env *Env) feedShow(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Feed{f})
	}
	readings, err := client.Decode[[]client.Reading](api.ListReadings(ctx, f.Id))
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "%s, from %s (feed %d, %s)\n%s since %s; read every %s, next %s; %s in the last good reading, %s.\nLink: %s\n\n",
		clean(f.Name), clean(f.Platform.Name), f.Id, f.Color, f.State, env.when(&f.Since), short(time.Duration(f.Every)*time.Second), env.when(&f.NextDue),
		count(f.Entries, "entry", "entries"), env.when(f.LastGood), clean(f.Address))
	for _, remark := range f.Remarks {
		fmt.Fprintf(env.Out, "Remark, %s\n", clean(remark))
	}
	if len(f.Remarks) > 0 {
		fmt.Fprintln(env.Out)
	}
	rows := make([]table.Row, len(readings))
	for i, r := range readings {
		message := ""
		if r.Message != nil {
			message = clean(*r.Message)
		}
		rows[i] = table.Row{env.when(&r.Finished), r.Outcome, strconv.Itoa(r.Times) + "×", r.Entries, r.Added, r.Changed, r.Removed, message}
	}
	printTable(env.Out, table.Row{"Read", "Outcome", "", "Entries", "Added", "Changed", "Removed", ""}, rows)
	return nil
}

func (env *Env) feedRefresh(ctx context.Context, c *cli.Command) error {
	if c.Bool("all") == (c.Args().Len() > 0) {
		return usagef("name the feeds to read, or give --all: see `wharf feed refresh --help`")
	}
	api, err := env.connect(c)
	if err != nil {
		return err
	}
	var feeds []client.Feed
	if c.Bool("all") {
		if feeds, err = client.Decode[[]client.Feed](api.ListFeeds(ctx)); err != nil {
			return err
		}
	}
	for _, ref := range c.Args().Slice() {
		f, err := feedNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		feeds = append(feeds, f)
	}
	return env.refresh(ctx, api, feeds, c.Bool("json"))
}

// refreshed is a line of `refresh --json`.
type refreshed struct {
	Feed    int64           `json:"feed"`
	Name    string          `json:"name"`
	Reading *client.Reading `json:"reading,omitempty"`
	Error   string          `json:"error,omitempty"`
}

// refresh reads the feeds one after the other and says how each went, as it goes.
func (env *Env) refresh(ctx context.Context, api *client.Client, feeds []client.Feed, asJSON bool) error {
	failed := 0
	for _, f := range feeds {
		line := refreshed{Feed: f.Id, Name: f.Name}
		r, err := client.Decode[client.Reading](api.CreateReading(ctx, f.Id))
		switch {
		case err != nil:
			line.Error = err.Error()
		case r.Outcome == client.Failed:
			line.Reading, line.Error = &r, *r.Message
		default:
			line.Reading = &r
		}
		if line.Error != "" {
			failed++
		}
		if asJSON {
			if err := printJSON(env.Out, []refreshed{line}); err != nil {
				return err
			}
			continue
		}
		switch {
		case line.Error != "":
			fmt.Fprintf(env.Out, "%s: failed: %s\n", clean(f.Name), clean(line.Error))
		case r.Outcome == client.Changed:
			fmt.Fprintf(env.Out, "%s: %s, %s\n", clean(f.Name), count(r.Entries, "entry", "entries"), changeWords(r))
		default:
			fmt.Fprintf(env.Out, "%s: %s, unchanged\n", clean(f.Name), count(r.Entries, "entry", "entries"))
		}
	}
	if failed > 0 {
		return errors.New(count(failed, "feed", "feeds") + " could not be read; their bookings stay as they were")
	}
	return nil
}
