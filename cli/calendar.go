package cli

import (
	"context"
	"errors"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
	"wharf/core/span"
	"wharf/core/zone"
)

var groupFlag = &cli.StringFlag{Name: "group", Usage: "group in which it is shown, which is made where there is none of this name; \"\" for none"}

func (env *Env) calendarCommand() *cli.Command {
	return &cli.Command{
		Name: "calendar", Usage: "combined availability of one bookable thing each",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "add a calendar", ArgsUsage: "NAME",
				Description: "Example: wharf calendar add \"Small boats\" --zone America/Halifax --grain time --capacity 3",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "zone", Required: true, Usage: "IANA time zone in which its days begin"},
					&cli.StringFlag{Name: "grain", Value: "day", Usage: "night, day or time"},
					&cli.IntFlag{Name: "capacity", Value: 1, Usage: "how many bookings fit at once"},
					groupFlag, jsonFlag,
				},
				Action: env.onOne(env.calendarAdd),
			},
			{
				Name: "list", Usage: "list the calendars", Flags: []cli.Flag{&cli.StringFlag{Name: "search", Usage: "only those in whose name or group these words are"}, jsonFlag},
				Description: "Example: wharf calendar list --search merrow",
				Action:      env.connected(env.calendarList),
			},
			{
				Name: "show", Usage: "show what is on a calendar", ArgsUsage: "CALENDAR",
				Description: "Example: wharf calendar show \"Ketch Merrow\"",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "from", Usage: "first day, as 2026-07-03", DefaultText: "today"},
					&cli.StringFlag{Name: "to", Usage: "day after the last", DefaultText: "60 days after --from"},
					&cli.BoolFlag{Name: "echoes", Usage: "list reflections of our own publications too"},
					jsonFlag,
				},
				Action: env.onOne(env.calendarShow),
			},
			env.changesCommand("calendar", "Ketch Merrow", calendarChanges),
			env.exportCommand(),
			{
				Name: "refresh", Usage: "read all feeds of a calendar now", ArgsUsage: "CALENDAR", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf calendar refresh \"Ketch Merrow\"",
				Action:      env.onOne(env.calendarRefresh),
			},
			{
				Name: "edit", Usage: "change a calendar; its grain is chosen once", ArgsUsage: "CALENDAR",
				Description: "Example: wharf calendar edit \"Small boats\" --capacity 4",
				Flags: []cli.Flag{
					&cli.StringFlag{Name: "name", Usage: "its new name"},
					&cli.StringFlag{Name: "zone", Usage: "IANA time zone in which its days begin"},
					&cli.IntFlag{Name: "capacity", Usage: "how many bookings fit at once"},
					groupFlag,
					&cli.FloatFlag{Name: "chance-limit", Usage: "chance of an own sale below which an entry may be taken for a reflection; 0 for that of the service"},
					revisionFlag, jsonFlag,
				},
				Action: env.onOne(env.calendarEdit),
			},
			{
				Name: "remove", Usage: "remove a calendar and its publications; its feeds stay", ArgsUsage: "CALENDAR", Flags: []cli.Flag{yesFlag},
				Description: "Example: wharf calendar remove \"Small boats\" --yes",
				Action:      env.onOne(env.calendarRemove),
			},
		},
	}
}

func (env *Env) calendarAdd(ctx context.Context, c *cli.Command, api *client.Client, name string) error {
	capacity := c.Int("capacity")
	made, err := client.Decode[client.Calendar](api.CreateCalendar(ctx, client.CalendarRequest{Name: name, Zone: c.String("zone"), Grain: client.Grain(c.String("grain")), Capacity: &capacity, Group: textOf[string](c, "group")}))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Calendar{made})
	}
	fmt.Fprintf(env.Out, "Added %s (calendar %d). Link feeds to it with `wharf link add %q FEED`.\n", clean(made.Name), made.Id, made.Name)
	return nil
}

func (env *Env) calendarList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, &client.ListCalendarsParams{Search: textOf[string](c, "search")}))
	if err != nil {
		return err
	}
	groups, err := groupNames(ctx, api)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 && c.IsSet("search") {
		fmt.Fprintln(env.Out, "There is no such calendar.")
		return nil
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "No calendars yet: add one with `wharf calendar add NAME --zone ZONE`.")
		return nil
	}
	rows := make([]table.Row, len(all))
	for i, k := range all {
		rows[i] = table.Row{k.Id, clean(k.Name), clean(groups[orZero(k.Group)]), k.Grain, k.Capacity, k.Zone, len(k.Links), k.OpenConflicts}
	}
	printTable(env.Out, table.Row{"Id", "Calendar", "Group", "Grain", "Capacity", "Zone", "Feeds", "Open conflicts"}, rows)
	for _, k := range all {
		env.tellTrouble(k)
	}
	return nil
}

// tellTrouble says that a calendar is not up to date, if it is not.
func (env *Env) tellTrouble(k client.Calendar) {
	if k.Trouble != nil {
		fmt.Fprintf(env.Out, "%s is not up to date. %s It began %s and is tried again %s.\n",
			clean(k.Name), clean(k.Trouble.Why), env.when(&k.Trouble.Since), env.when(&k.Trouble.Retry))
	}
}

// tellUnfresh says which feeds of bookings cannot be relied on at present.
func (env *Env) tellUnfresh(bookings []client.Booking) {
	said := map[string]bool{}
	for _, b := range bookings {
		if b.Unfresh != nil && !said[b.Label] {
			said[b.Label] = true
			fmt.Fprintf(env.Out, "%s is %s since %s: %s. What is shown of it may be out of date.\n", clean(b.Label), b.Unfresh.State, env.when(&b.Unfresh.Since), clean(b.Unfresh.Why))
		}
	}
}

func (env *Env) calendarShow(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	k, err := calendarNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	from, to, err := env.daysOf(c, k)
	if err != nil {
		return err
	}
	all, err := client.Decode[[]client.Booking](api.ListBookings(ctx, k.Id, &client.ListBookingsParams{From: from, To: to}))
	if err != nil {
		return err
	}
	kept := all[:0]
	echoes := 0
	for _, b := range all {
		if b.Verdict == client.VerdictEcho {
			echoes++
			if !c.Bool("echoes") {
				continue
			}
		}
		kept = append(kept, b)
	}
	if c.Bool("json") {
		return printJSON(env.Out, kept)
	}
	rows := make([]table.Row, len(kept))
	for i, b := range kept {
		first, last := ends(b.Start, b.End, k)
		rows[i] = table.Row{b.Id, first, last, length(b.Start, b.End, k.Grain), clean(b.Title), clean(b.Label), statusOf(b)}
	}
	fmt.Fprintf(env.Out, "%s, by %s, %s to %s\n\n", clean(k.Name), k.Grain, from.Format(time.DateOnly), to.AddDate(0, 0, -1).Format(time.DateOnly))
	first, last := endWords(k.Grain)
	printTable(env.Out, table.Row{"Id", first, last, "", "Title", "Feed", "Status"}, rows)
	if echoes > 0 && !c.Bool("echoes") {
		fmt.Fprintf(env.Out, "%s of what we published set aside (--echoes lists them).\n", count(echoes, "echo", "echoes"))
	}
	env.tellTrouble(k)
	env.tellUnfresh(kept)
	for _, b := range kept {
		if b.Notices != nil && slices.Contains(*b.Notices, "dates-differ") {
			fmt.Fprintf(env.Out, "%s on %s: %s Ask the platforms which of them is right.\n", clean(b.Title), clean(b.Label), clean(*b.Evidence))
		}
	}
	for _, l := range k.Links {
		for _, notice := range l.Notices {
			fmt.Fprintf(env.Out, "%s: %s\n", clean(l.Label), clean(notice))
		}
	}
	return env.sayConflicts(ctx, api, k)
}

// sayConflicts ends a calendar with what needs a person.
func (env *Env) sayConflicts(ctx context.Context, api *client.Client, k client.Calendar) error {
	conflicts, err := client.Decode[[]client.Conflict](api.ListConflicts(ctx, &client.ListConflictsParams{Calendar: &k.Id}))
	if err != nil {
		return err
	}
	fmt.Fprintln(env.Out)
	if len(conflicts) == 0 {
		fmt.Fprintln(env.Out, "No conflicts.")
		return nil
	}
	env.printConflictTable(conflicts)
	return nil
}

// ends writes the two ends of a span for people: the first and the last day, or the days
// of arriving and leaving, or the times in the calendar's zone.
func ends(start, end string, k client.Calendar) (string, string) {
	switch k.Grain {
	case client.Day:
		if last, err := span.ParseDate(end); err == nil {
			return start, (last - 1).String()
		}
	case client.Time:
		loc, err := zone.Load(k.Zone)
		a, errA := time.Parse(time.RFC3339, start)
		b, errB := time.Parse(time.RFC3339, end)
		if errors.Join(err, errA, errB) == nil {
			return a.In(loc).Format("2006-01-02 15:04"), b.In(loc).Format("2006-01-02 15:04")
		}
	}
	return start, end
}

// spanOf writes a span in one: what both ends share is said once.
func spanOf(start, end string, k client.Calendar) string {
	from, until := ends(start, end, k)
	day, clock, timed := strings.Cut(until, " ")
	switch {
	case from == until:
		return from
	case timed && strings.HasPrefix(from, day):
		return from + " to " + clock
	}
	return from + " to " + until
}

// endWords are the headings over ends.
func endWords(grain client.Grain) (string, string) {
	switch grain {
	case client.Day:
		return "First day", "Last day"
	case client.Night:
		return "Arrives", "Leaves"
	}
	return "From", "Until"
}

func (env *Env) daysOf(c *cli.Command, k client.Calendar) (from, to openapi_types.Date, err error) {
	loc, err := zone.Load(k.Zone)
	if err != nil {
		return from, to, err
	}
	first := span.DateOf(env.Now().In(loc))
	if s := c.String("from"); s != "" {
		if first, err = span.ParseDate(s); err != nil {
			return from, to, usagef("--from: %w", err)
		}
	}
	last := first + 60
	if s := c.String("to"); s != "" {
		if last, err = span.ParseDate(s); err != nil {
			return from, to, usagef("--to: %w", err)
		}
	}
	return openapi_types.Date{Time: first.Start(time.UTC)}, openapi_types.Date{Time: last.Start(time.UTC)}, nil
}

// length is how many nights or days a span has.
func length(start, end string, grain client.Grain) string {
	if grain == client.Time {
		a, errA := time.Parse(time.RFC3339, start)
		b, errB := time.Parse(time.RFC3339, end)
		if errA != nil || errB != nil {
			return ""
		}
		return short(b.Sub(a))
	}
	a, errA := span.ParseDate(start)
	b, errB := span.ParseDate(end)
	if errA != nil || errB != nil {
		return ""
	}
	return count(int(b-a), string(grain), string(grain)+"s")
}

func statusOf(b client.Booking) string {
	words := []string{"firm"}
	if b.Tentative {
		words[0] = "tentative"
	}
	switch {
	case b.Verdict == client.VerdictEcho:
		words[0] = "echo"
	case b.Verdict == client.VerdictOneWith:
		words[0] = "same as another"
	case b.Verdict == client.VerdictUnclear:
		words[0] += ", perhaps an echo"
	case b.Verdict == client.VerdictStale:
		words[0] += ", a forgotten block"
	case !b.Blocks:
		words[0] = "shown only"
	}
	if b.Held != nil {
		words = append(words, "not in its feed any more")
	}
	if b.Notices != nil {
		words = append(words, *b.Notices...)
	}
	return strings.Join(words, ", ")
}

func (env *Env) calendarRefresh(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	k, err := calendarNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	var feeds []client.Feed
	for _, l := range k.Links {
		f, err := client.Decode[client.Feed](api.GetFeed(ctx, l.Feed))
		if err != nil {
			return err
		}
		if f.Uploaded == nil { // nothing is read of a file
			feeds = append(feeds, f)
		}
	}
	return env.refresh(ctx, api, feeds, c.Bool("json"))
}

func (env *Env) calendarEdit(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	if err := anyOf(c, "name", "zone", "capacity", "group", "chance-limit"); err != nil {
		return err
	}
	k, err := calendarNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	edit := client.CalendarEdit{Revision: revisionOf(c, k.Revision), Name: textOf[string](c, "name"), Zone: textOf[string](c, "zone"), Capacity: numberOf(c, "capacity"), Group: textOf[string](c, "group")}
	if c.IsSet("chance-limit") {
		limit := c.Float("chance-limit")
		edit.ChanceLimit = &limit
	}
	k, err = client.Decode[client.Calendar](api.EditCalendar(ctx, k.Id, edit))
	if err != nil {
		return err
	}
	return printChanged(env, c, k.Name, k.Revision, k)
}

func (env *Env) calendarRemove(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	k, err := calendarNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	return env.remove(c, k.Name, func(confirm *string) (*http.Response, error) {
		return api.RemoveCalendar(ctx, k.Id, &client.RemoveCalendarParams{Confirm: confirm})
	})
}
