package cli

import (
	"context"
	"fmt"
	"net/http"
	"strings"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

// linkFlags say how a feed counts; what is left out is the default, or stays as it is.
func linkFlags(more ...cli.Flag) []cli.Flag {
	return append([]cli.Flag{
		&cli.StringFlag{Name: "role", Usage: "blocks or shows", DefaultText: "blocks"},
		&cli.StringFlag{Name: "tentative", Usage: "count tentative entries as tentative, firm, or ignore them", DefaultText: "tentative"},
		&cli.IntFlag{Name: "units", Usage: "units that each booking takes", DefaultText: "1"},
		&cli.StringFlag{Name: "counting", Usage: "how many units each takes: \"title matches (\\d+) boats\", \"property X-BOATS\"", DefaultText: "as many as --units says"},
		&cli.StringFlag{Name: "filter", Usage: "which of its entries count: \"title has Ketch\", \"place has no Pontoon\", \"category matches ^(sail|oar)$\"", DefaultText: "all"},
		&cli.StringFlag{Name: "label", Usage: "label of its bookings", DefaultText: "the feed's name"},
	}, more...)
}

func (env *Env) linkCommand() *cli.Command {
	return &cli.Command{
		Name: "link", Usage: "which feeds count on which calendars, and how",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "make a feed count on a calendar", ArgsUsage: "CALENDAR FEED", Flags: linkFlags(),
				Description: "Example: wharf link add \"Harbour events\" \"Ketch, Kittiwake Berths\" --role shows",
				Action:      env.onTwo(env.linkAdd),
			},
			{
				Name: "list", Usage: "list the links", Flags: []cli.Flag{&cli.StringFlag{Name: "calendar", Usage: "only those of this calendar"}, jsonFlag},
				Description: "Example: wharf link list --calendar \"Ketch Merrow\"",
				Action:      env.connected(env.linkList),
			},
			{
				Name: "show", Usage: "show how a feed counts on a calendar", ArgsUsage: "CALENDAR FEED", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf link show \"Ketch Merrow\" \"Ketch, Merrow Charter Desk\"",
				Action:      env.onTwo(env.linkShow),
			},
			{
				Name: "edit", Usage: "change how a feed counts on a calendar", ArgsUsage: "CALENDAR FEED", Flags: linkFlags(&cli.BoolFlag{Name: "review", Usage: "somebody is to look at each entry (--review=false: nobody)"}, tryFlag, sureFlag, revisionFlag, jsonFlag),
				Description: "What it would open is said first, and asked about.\nExample: wharf link edit \"Harbour events\" \"Ketch, Kittiwake Berths\" --label \"Ketch\"",
				Action:      env.onTwo(env.linkEdit),
			},
			{
				Name: "sort", Usage: "show which entries a filter would take, and where the others count", ArgsUsage: "CALENDAR FEED",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "filter", Usage: "the filter, as in `link edit`", DefaultText: "the link's"}, &cli.StringFlag{Name: "counting", Usage: "how many units each takes, likewise", DefaultText: "the link's"}, jsonFlag},
				Description: "Nothing is changed.\nExample: wharf link sort \"Harbour events\" \"Events, Parish Hall Diary\" --filter \"title has regatta\"",
				Action:      env.onTwo(env.linkSort),
			},
			{
				Name: "remove", Usage: "take a feed off a calendar; the feed stays", ArgsUsage: "CALENDAR FEED", Flags: []cli.Flag{yesFlag},
				Description: "Example: wharf link remove \"Harbour events\" \"Ketch, Kittiwake Berths\" --yes",
				Action:      env.onTwo(env.linkRemove),
			},
		},
	}
}

// pair is a feed and a calendar that a link command is about.
type pair struct {
	calendar client.Calendar
	feed     client.Feed
}

// onTwo is the action of a command about a feed on a calendar.
func (env *Env) onTwo(do func(ctx context.Context, c *cli.Command, api *client.Client, on pair) error) cli.ActionFunc {
	return func(ctx context.Context, c *cli.Command) error {
		if c.Args().Len() != 2 {
			return usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
		}
		api, err := env.connect(c)
		if err != nil {
			return err
		}
		k, err := calendarNamed(ctx, api, c.Args().Get(0))
		if err != nil {
			return err
		}
		f, err := feedNamed(ctx, api, c.Args().Get(1))
		if err != nil {
			return err
		}
		return do(ctx, c, api, pair{k, f})
	}
}

// link is the link between the two.
func (p pair) link() (client.Link, error) {
	for _, l := range p.calendar.Links {
		if l.Feed == p.feed.Id {
			return l, nil
		}
	}
	return client.Link{}, fmt.Errorf("%s does not count on %s: `wharf link list` shows what does", clean(p.feed.Name), clean(p.calendar.Name))
}

func (env *Env) linkAdd(ctx context.Context, c *cli.Command, api *client.Client, on pair) error {
	r := client.LinkRequest{Role: textOf[client.Role](c, "role"), Tentative: textOf[client.TentativeRule](c, "tentative"), Units: numberOf(c, "units"), Label: textOf[string](c, "label"), Filter: textOf[string](c, "filter"), Counting: textOf[string](c, "counting")}
	k, err := client.Decode[client.Calendar](api.PutLink(ctx, on.calendar.Id, on.feed.Id, r))
	if err != nil {
		return err
	}
	l, err := pair{k, on.feed}.link()
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "%s now %s on %s.\n", clean(on.feed.Name), l.Role, clean(k.Name))
	return nil
}

// linkLine is a line of `link list --json`.
type linkLine struct {
	Calendar int64 `json:"calendar"`
	client.Link
}

func (env *Env) linkList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	if err != nil {
		return err
	}
	if ref := c.String("calendar"); ref != "" {
		k, err := calendarNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		all = []client.Calendar{k}
	}
	var lines []linkLine
	var rows []table.Row
	feeds, err := client.Decode[[]client.Feed](api.ListFeeds(ctx, nil))
	if err != nil {
		return err
	}
	names := map[int64]string{}
	for _, f := range feeds {
		names[f.Id] = f.Name
	}
	for _, k := range all {
		for _, l := range k.Links {
			lines = append(lines, linkLine{k.Id, l})
			rows = append(rows, table.Row{clean(k.Name), clean(names[l.Feed]), l.Role, l.Tentative, l.Units, clean(l.Label)})
		}
	}
	if c.Bool("json") {
		return printJSON(env.Out, lines)
	}
	if len(rows) == 0 {
		fmt.Fprintln(env.Out, "No feed counts on a calendar yet: `wharf link add CALENDAR FEED`.")
		return nil
	}
	printTable(env.Out, table.Row{"Calendar", "Feed", "Role", "Tentative ones", "Units", "Label"}, rows)
	return nil
}

func (env *Env) linkShow(_ context.Context, c *cli.Command, _ *client.Client, on pair) error {
	l, err := on.link()
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []linkLine{{on.calendar.Id, l}})
	}
	fmt.Fprintf(env.Out, "%s %s on %s, as %q, in %s (revision %d).\nTentative entries: %s. Each booking takes %s of %d.\n", clean(on.feed.Name), l.Role, clean(on.calendar.Name),
		clean(l.Label), l.Color, l.Revision, l.Tentative, count(l.Units, "unit", "units"), on.calendar.Capacity)
	if l.Counting != "" {
		fmt.Fprintf(env.Out, "Where it says so, as many units as: %s.\n", clean(l.Counting))
	}
	if l.Filter != "" {
		fmt.Fprintf(env.Out, "Only entries of which the %s.\n", clean(l.Filter))
	}
	for _, notice := range l.Notices {
		fmt.Fprintf(env.Out, "Notice: %s\n", clean(notice))
	}
	return nil
}

func (env *Env) linkSort(ctx context.Context, c *cli.Command, api *client.Client, on pair) error {
	s, err := client.Decode[client.Sorting](api.TryFilter(ctx, on.calendar.Id, on.feed.Id, &client.TryFilterParams{Filter: textOf[string](c, "filter"), Counting: textOf[string](c, "counting")}))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Sorting{s})
	}
	rows := make([]table.Row, len(s.Entries))
	for i, e := range s.Entries {
		where := "nowhere"
		switch all := e.Also; {
		case e.Takes:
			where = clean(strings.Join(append([]string{on.calendar.Name}, all...), ", "))
		case len(all) > 0:
			where = clean(strings.Join(all, ", "))
		}
		rows[i] = table.Row{clean(orUntitled(e.Title)), where, orDash(e.Units)}
	}
	printTable(env.Out, table.Row{"Entry", "Counts on", "Units"}, rows)
	fmt.Fprintf(env.Out, "\n%s would count on %s, %d would not", count(s.Taken, "entry", "entries"), clean(on.calendar.Name), s.Left)
	if s.Lost > 0 {
		fmt.Fprintf(env.Out, ", and %d of those nowhere", s.Lost)
	}
	fmt.Fprintln(env.Out, ". Nothing was changed.")
	return nil
}

func (env *Env) linkEdit(ctx context.Context, c *cli.Command, api *client.Client, on pair) error {
	if err := anyOf(c, "role", "tentative", "units", "label", "filter", "counting", "review"); err != nil {
		return err
	}
	l, err := on.link()
	if err != nil {
		return err
	}
	edit := client.LinkEdit{Revision: revisionOf(c, l.Revision),
		Role: textOf[client.Role](c, "role"), Tentative: textOf[client.TentativeRule](c, "tentative"), Units: numberOf(c, "units"), Label: textOf[string](c, "label"), Filter: textOf[string](c, "filter"), Counting: textOf[string](c, "counting"), Review: flagOf(c, "review")}
	if goOn, err := env.mayOpen(c, func() (*http.Response, error) { return api.TryLinkEdit(ctx, on.calendar.Id, on.feed.Id, edit) }); !goOn {
		return err
	}
	k, err := client.Decode[client.Calendar](api.EditLink(ctx, on.calendar.Id, on.feed.Id, edit))
	if err != nil {
		return err
	}
	if l, err = (pair{k, on.feed}).link(); err != nil {
		return err
	}
	return printChanged(env, c, on.feed.Name+" on "+k.Name, l.Revision, linkLine{k.Id, l})
}

func (env *Env) linkRemove(ctx context.Context, c *cli.Command, api *client.Client, on pair) error {
	if _, err := on.link(); err != nil {
		return err
	}
	return env.remove(c, on.feed.Name+" from "+on.calendar.Name, func(confirm *string) (*http.Response, error) {
		return api.RemoveLink(ctx, on.calendar.Id, on.feed.Id, &client.RemoveLinkParams{Confirm: confirm})
	})
}
