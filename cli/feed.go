package cli

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

var scheduleFlag = &cli.StringFlag{Name: "schedule", Usage: "when it is read: \"every 6h from 02:30 America/Halifax\", \"at 06:00,18:00 Europe/Lisbon\" or \"once\""}

var jsonFlag = &cli.BoolFlag{Name: "json", Usage: "one JSON object a line"}

var (
	categoriesFlag = &cli.StringSliceFlag{Name: "category", Usage: "a category that all it brings in has; once for each, none for none"}
	classFlag      = &cli.StringFlag{Name: "class", Usage: "public, private or confidential, for what says nothing of it"}
)

// categoriesOf are those that are given; nil where nothing is said.
func categoriesOf(c *cli.Command) *client.Categories {
	if !c.IsSet("category") {
		return nil
	}
	all := slices.DeleteFunc(c.StringSlice("category"), func(s string) bool { return s == "none" })
	return &all
}

func (env *Env) feedCommand() *cli.Command {
	return &cli.Command{
		Name: "feed", Usage: "feeds that are read",
		Commands: []*cli.Command{
			env.feedAddCommand(),
			{
				Name: "list", Usage: "list the feeds and how they stand",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "state", Usage: "only those that are fresh, late, failing, paused or guarded"},
					&cli.StringFlag{Name: "platform", Usage: "only those of this platform"},
					&cli.StringFlag{Name: "search", Usage: "only those in whose name, platform or address these words are"}, jsonFlag},
				Description: "Example: wharf feed list --search ketch",
				Action:      env.connected(env.feedList),
			},
			{
				Name: "show", Usage: "show a feed and its newest readings", ArgsUsage: "FEED", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf feed show \"Ketch, Merrow Charter Desk\"",
				Action:      env.onOne(env.feedShow),
			},
			env.tryCommand(),
			env.heldCommand(),
			env.changesCommand("feed", "Ketch, Merrow Charter Desk", feedChanges),
			{
				Name: "refresh", Usage: "read feeds now", ArgsUsage: "[FEED...]",
				Description: "Example: wharf feed refresh --all",
				Flags:       []cli.Flag{&cli.BoolFlag{Name: "all", Usage: "read every feed"}, jsonFlag},
				Action:      env.feedRefresh,
			},
			{
				Name: "edit", Usage: "change a feed", ArgsUsage: "FEED",
				Description: "A new link, or file, is read before anything is changed. What it would open is said first, and asked about.\nExample: wharf feed edit \"Ketch at the desk, again\" --every 1h --color moss",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "name", Usage: "its new name"},
					&cli.StringFlag{Name: "platform", Usage: "platform that it comes from"},
					&cli.StringFlag{Name: "color", Usage: "one of the twelve feed colours"},
					&cli.DurationFlag{Name: "every", Usage: "time between readings"},
					scheduleFlag,
					&cli.StringFlag{Name: "from", Aliases: []string{"url"}, Usage: "its new link, or the file that replaces it"},
					categoriesFlag, classFlag,
					&cli.StringSliceFlag{Name: "mirrors", Usage: "feed whose platform its own is linked to directly, so that it reflects what is sold there; once for each, none for none"},
					tryFlag, sureFlag, revisionFlag, jsonFlag,
				},
				Action: env.onOne(env.feedEdit),
			},
			env.pauseCommand(true),
			env.pauseCommand(false),
			{
				Name: "remove", Usage: "remove a feed; its bookings leave every calendar", ArgsUsage: "FEED",
				Flags: []cli.Flag{yesFlag, &cli.BoolFlag{Name: "snapshot", Usage: "only stop reading it and forget its link: what it showed last stays"},
					&cli.BoolFlag{Name: "keep", Usage: "what it has to come stays, as if it had been entered by hand (holds)"}},
				Description: "Example: wharf feed remove \"Ketch at the desk, again\" --yes",
				Action:      env.onOne(env.feedRemove),
			},
			env.adoptCommand(),
		},
	}
}

func (env *Env) feedAddCommand() *cli.Command {
	return &cli.Command{
		Name: "add", Usage: "subscribe to a feed by its link, or upload a file", ArgsUsage: "LINK|FILE",
		Description: "Of an archive, # and a name say which calendar in it is meant. A file is not read again by itself; `wharf feed edit FEED --from FILE` replaces it.\nExample: wharf feed add webcal://127.0.0.1:8471/ical/merrow-2f6c91d04b/ketch.ics --platform \"Merrow Charter Desk\" --name \"Ketch at the desk, again\" --color plum",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "platform", Required: true, Usage: "platform that it comes from"},
			&cli.StringFlag{Name: "name", Required: true, Usage: "name by which you will know it: the platform and the thing"},
			&cli.StringFlag{Name: "color", Usage: "one of the twelve feed colours", DefaultText: "the least used"},
			&cli.DurationFlag{Name: "every", Usage: "time between readings", DefaultText: "the server's default"},
			scheduleFlag,
			categoriesFlag, classFlag,
			&cli.StringFlag{Name: "calendar", Usage: "calendar to link it to at once"},
			&cli.BoolFlag{Name: "shows", Usage: "with --calendar: its entries are only shown and block nothing"},
			userFlag, passwordFlag,
			jsonFlag,
		},
		Action: env.onOne(env.feedAdd),
	}
}

func (env *Env) feedAdd(ctx context.Context, c *cli.Command, api *client.Client, link string) error {
	r := client.FeedRequest{Platform: c.String("platform"), Name: c.String("name"), Categories: categoriesOf(c), Class: textOf[client.EntryClass](c, "class")}
	file, err := env.fileOf(link)
	if err != nil {
		return err
	}
	if r.File = file; file == nil {
		r.Url = &link
	}
	user, password, err := env.passwordOf(c)
	if err != nil {
		return err
	}
	if user != "" {
		r.User, r.Password = &user, &password
	}
	if s := c.String("color"); s != "" {
		color := client.Color(s)
		r.Color = &color
	}
	if c.IsSet("every") {
		seconds := int(c.Duration("every") / time.Second)
		r.Every = &seconds
	}
	r.Schedule = textOf[string](c, "schedule")
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
	if feed.Uploaded != nil {
		fmt.Fprintf(env.Out, "Uploaded %s (feed %d): %s read. It stays as it is until a newer file replaces it.\n", clean(feed.Name), feed.Id, count(feed.Entries, "entry", "entries"))
	} else {
		fmt.Fprintf(env.Out, "Subscribed to %s (feed %d): %s read. It is read %s (%s).\n", clean(feed.Name), feed.Id,
			count(feed.Entries, "entry", "entries"), nextWords(env, feed), scheduleWords(feed))
	}
	for _, remark := range feed.Remarks {
		fmt.Fprintf(env.Out, "Remark, %s\n", clean(remark))
	}
	return nil
}

func (env *Env) feedList(ctx context.Context, c *cli.Command, api *client.Client) error {
	wanted := client.ListFeedsParams{State: textOf[client.FeedState](c, "state"), Search: textOf[string](c, "search")}
	if ref := c.String("platform"); ref != "" {
		p, err := platformNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		wanted.Platform = &p.Id
	}
	feeds, err := client.Decode[[]client.Feed](api.ListFeeds(ctx, &wanted))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, feeds)
	}
	if len(feeds) == 0 && (wanted != client.ListFeedsParams{}) {
		fmt.Fprintln(env.Out, "There is no such feed.")
		return nil
	}
	if len(feeds) == 0 {
		fmt.Fprintln(env.Out, "No feeds yet: add one with `wharf feed add LINK --platform NAME --name NAME`.")
		return nil
	}
	rows := make([]table.Row, len(feeds))
	for i, f := range feeds {
		rows[i] = table.Row{f.Id, clean(f.Name), clean(f.Platform.Name), f.State, env.when(f.LastGood), nextWords(env, f), f.Entries, lastWord(f.LastReading)}
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
	readings, err := client.Decode[[]client.Reading](api.ListReadings(ctx, f.Id, nil))
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "%s, from %s (feed %d, %s)\n%s since %s; read %s, next %s; %s in the last good reading, %s.\nLink: %s\n\n",
		clean(f.Name), clean(f.Platform.Name), f.Id, f.Color, f.State, env.when(&f.Since), scheduleWords(f), nextWords(env, f),
		count(f.Entries, "entry", "entries"), env.when(f.LastGood), clean(f.Address))
	if len(f.Categories) > 0 || f.Class != "" {
		fmt.Fprintf(env.Out, "All it brings in: %s\n\n", clean(strings.TrimSpace(strings.Join(f.Categories, ", ")+" "+string(f.Class))))
	}
	if err := env.tellMirrors(ctx, api, f); err != nil {
		return err
	}
	if f.Held != nil {
		fmt.Fprintf(env.Out, "%s not shown any more and still stand: `wharf feed held %q` lists them.\n\n", count(*f.Held, "booking is", "bookings are"), clean(f.Name))
	}
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
		if r.Remarks != nil {
			message = count(len(*r.Remarks), "remark", "remarks")
		}
		rows[i] = table.Row{env.when(&r.Finished), r.Outcome, strconv.Itoa(r.Times) + "×", orDash(r.Status), orDash(r.TookMs), orDash(r.Bytes), r.Entries, r.Added, r.Changed, r.Removed, message}
	}
	printTable(env.Out, table.Row{"Read", "Outcome", "", "HTTP", "ms", "Bytes", "Entries", "Added", "Changed", "Removed", ""}, rows)
	return nil
}

// orDash is a number, or a dash where there is none.
func orDash[T int | int64](n *T) string {
	if n == nil {
		return "-"
	}
	return fmt.Sprint(*n)
}

func (env *Env) heldCommand() *cli.Command {
	return &cli.Command{
		Name: "held", Usage: "what a feed does not show any more and stands all the same", ArgsUsage: "FEED",
		Description: "A feed that shows much less than it did may be broken: what is missing stands until somebody lets it go,\nor further scheduled readings agree. What a decision would change is said first, and asked about.\n" +
			"Example: wharf feed held \"Ketch, Merrow Charter Desk\"",
		Flags: []cli.Flag{
			&cli.BoolFlag{Name: "let-go", Usage: "it is free: let all of it go"},
			&cli.BoolFlag{Name: "keep", Usage: "it stands until the feed shows it again"},
			tryFlag, &cli.BoolFlag{Name: "yes", Aliases: []string{"y"}, Usage: "do it whatever it changes, without being asked"}, jsonFlag,
		},
		Action: env.onOne(env.feedHeld),
	}
}

func (env *Env) feedHeld(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	if c.Bool("let-go") && c.Bool("keep") {
		return usagef("let it go, or keep it: --let-go and --keep exclude each other")
	}
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	held, err := client.Decode[[]client.Booking](api.ListHeld(ctx, f.Id))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, held)
	}
	if len(held) == 0 {
		fmt.Fprintf(env.Out, "Nothing is held of %s: what stands is what it shows.\n", clean(f.Name))
		return nil
	}
	if c.Bool("let-go") || c.Bool("keep") {
		request := client.HeldRequest{Says: client.Keep}
		if c.Bool("let-go") {
			request.Says = client.LetGo
		}
		for _, b := range held {
			request.Bookings = append(request.Bookings, b.Id)
		}
		return env.change(c, func(try bool) (*http.Response, error) {
			return api.DecideHeld(ctx, f.Id, &client.DecideHeldParams{Try: &try}, request)
		})
	}
	byID, err := calendarsByID(ctx, api)
	if err != nil {
		return err
	}
	rows := make([]table.Row, len(held))
	for i, b := range held {
		k := byID[b.Calendar]
		first, last := ends(b.Start, b.End, k)
		rows[i] = table.Row{clean(k.Name), first, last, length(b.Start, b.End, k.Grain), clean(b.Title), b.Held.Why, env.when(&b.Held.Since), b.Held.Agreed}
	}
	fmt.Fprintf(env.Out, "%s does not show these any more. They stand: --let-go frees them, --keep keeps them.\n\n", clean(f.Name))
	printTable(env.Out, table.Row{"Calendar", "From", "Until", "", "Title", "Why", "Missing since", "Readings that agree"}, rows)
	return nil
}

// pauseCommand pauses a feed, or resumes it.
func (env *Env) pauseCommand(paused bool) *cli.Command {
	name, usage := "resume", "read a paused feed again, at once"
	if paused {
		name, usage = "pause", "do not read a feed until it is resumed; what was read last stays as it is"
	}
	return &cli.Command{
		Name: name, Usage: usage, ArgsUsage: "FEED", Flags: []cli.Flag{jsonFlag},
		Description: "Example: wharf feed " + name + " \"Ketch at the desk, again\"",
		Action:      env.onOne(env.feedPaused(paused)),
	}
}

// feedPaused pauses a feed, or resumes it.
func (env *Env) feedPaused(paused bool) func(context.Context, *cli.Command, *client.Client, string) error {
	return func(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
		f, err := feedNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		f, err = client.Decode[client.Feed](api.EditFeed(ctx, f.Id, client.FeedEdit{Revision: f.Revision, Paused: &paused}))
		if err != nil {
			return err
		}
		if c.Bool("json") {
			return printJSON(env.Out, []client.Feed{f})
		}
		if paused {
			fmt.Fprintf(env.Out, "%s is not read until it is resumed. What was read last stays as it is, here and on every platform.\n", clean(f.Name))
		} else {
			fmt.Fprintf(env.Out, "%s is read again: %s.\n", clean(f.Name), nextWords(env, f))
		}
		return nil
	}
}

// nextWords say when a feed is read next.
func nextWords(env *Env, f client.Feed) string {
	if f.NextDue == nil {
		return "not again"
	}
	return env.when(f.NextDue)
}

// scheduleWords say when a feed is read.
func scheduleWords(f client.Feed) string {
	if strings.HasPrefix(f.Schedule, "every ") && !strings.Contains(f.Schedule, " from ") {
		return "every " + short(time.Duration(f.Every)*time.Second)
	}
	return f.Schedule
}

func (env *Env) feedEdit(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	if err := anyOf(c, "name", "platform", "color", "every", "schedule", "from", "category", "class", "mirrors"); err != nil {
		return err
	}
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	edit := client.FeedEdit{Revision: revisionOf(c, f.Revision), Name: textOf[string](c, "name"), Platform: textOf[string](c, "platform"),
		Color: textOf[client.Color](c, "color"), Schedule: textOf[string](c, "schedule"), Categories: categoriesOf(c), Class: textOf[client.EntryClass](c, "class")}
	if from := c.String("from"); from != "" {
		if edit.File, err = env.fileOf(from); err != nil {
			return err
		}
		if edit.File == nil {
			edit.Url = &from
		}
	}
	if c.IsSet("every") {
		seconds := int(c.Duration("every") / time.Second)
		edit.Every = &seconds
	}
	if c.IsSet("mirrors") {
		mirrors := []int64{}
		for _, name := range c.StringSlice("mirrors") {
			if name == "none" {
				continue
			}
			of, err := feedNamed(ctx, api, name)
			if err != nil {
				return err
			}
			mirrors = append(mirrors, of.Id)
		}
		edit.Mirrors = &mirrors
	}
	if goOn, err := env.mayOpen(c, func() (*http.Response, error) { return api.TryFeedEdit(ctx, f.Id, edit) }); !goOn {
		return err
	}
	if f, err = client.Decode[client.Feed](api.EditFeed(ctx, f.Id, edit)); err != nil {
		return err
	}
	return printChanged(env, c, f.Name, f.Revision, f)
}

// tellMirrors says what a feed mirrors, and what it may mirror.
func (env *Env) tellMirrors(ctx context.Context, api *client.Client, f client.Feed) error {
	f, err := client.Decode[client.Feed](api.GetFeed(ctx, f.Id))
	if err != nil {
		return err
	}
	for _, id := range f.Mirrors {
		of, err := client.Decode[client.Feed](api.GetFeed(ctx, id))
		if err != nil {
			return err
		}
		fmt.Fprintf(env.Out, "It mirrors %s: what %s sold comes back from it.\n\n", clean(of.Name), clean(of.Platform.Name))
	}
	if f.MayMirror == nil {
		return nil
	}
	for _, p := range *f.MayMirror {
		of, err := client.Decode[client.Feed](api.GetFeed(ctx, p.Feed))
		if err != nil {
			return err
		}
		fmt.Fprintf(env.Out, "It shows %s that %s shows too, and Wharf did not send: is it linked to %s directly? Then `wharf feed edit %q --mirrors %q`.\n\n",
			count(p.Pairs, "booking", "bookings"), clean(of.Name), clean(of.Platform.Name), clean(f.Name), clean(of.Name))
	}
	return nil
}

func (env *Env) feedRemove(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	if c.Bool("snapshot") {
		snapshot := true
		if f, err = client.Decode[client.Feed](api.EditFeed(ctx, f.Id, client.FeedEdit{Revision: f.Revision, Snapshot: &snapshot})); err != nil {
			return err
		}
		fmt.Fprintf(env.Out, "%s is not read any more, and its link is forgotten. What it showed last stays: %s.\n", clean(f.Name), count(f.Entries, "entry", "entries"))
		return nil
	}
	return env.remove(c, f.Name, func(confirm *string) (*http.Response, error) {
		return api.RemoveFeed(ctx, f.Id, &client.RemoveFeedParams{Confirm: confirm, Keep: flagOf(c, "keep")})
	})
}
