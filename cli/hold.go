package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

const endsHelp = "Ends are days (2026-12-20), or days with an hour of the calendar's clock (2026-12-20T14:00). On a calendar by the night they are\n" +
	"the day of arriving and the day of leaving, by the day the first day and the last."

func (env *Env) holdCommand() *cli.Command {
	what := []cli.Flag{
		&cli.StringFlag{Name: "title", Usage: "the guest, or what it is"}, &cli.StringFlag{Name: "note", Usage: "what else is to be known; it stays in Wharf"},
		&cli.StringFlag{Name: "repeat", Usage: "a rule, as \"FREQ=WEEKLY;COUNT=6\"; empty: once"}, &cli.BoolFlag{Name: "tentative", Usage: "it is not firm yet"},
		&cli.BoolFlag{Name: "closure", Usage: "it is no sale: the calendar is closed"}, &cli.IntFlag{Name: "units", Usage: "that it takes", DefaultText: "one, of a closure all"},
		&cli.StringSliceFlag{Name: "category", Usage: "a category; for several, give it again"}, &cli.StringFlag{Name: "class", Usage: "who may see it: public, private or confidential"},
		&cli.StringFlag{Name: "expires", Usage: "when it ends to count, as 2026-12-18T18:00 by the calendar's clock; empty: never"},
	}
	scope := []cli.Flag{&cli.StringFlag{Name: "one", Usage: "of a series only the one that begins then"}, &cli.StringFlag{Name: "rest", Usage: "of a series the one that begins then, and all after it"}}
	asked := []cli.Flag{tryFlag, sureFlag, jsonFlag}
	with := func(lists ...[]cli.Flag) (all []cli.Flag) {
		for _, l := range lists {
			all = append(all, l...)
		}
		return all
	}
	return &cli.Command{
		Name: "hold", Usage: "bookings and closures that are entered by hand",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "enter a booking", ArgsUsage: "CALENDAR START [END]", Flags: with(what, asked),
				Description: endsHelp + "\nIt blocks when the command is done, and goes out with the next pickup.\nExample: wharf hold add \"Guest pontoon\" 2027-01-20 2027-01-23 --title \"Osei, by telephone\" --yes",
				Action:      env.connected(env.holdAdd),
			},
			{
				Name: "import", Usage: "enter the bookings of a calendar file, all or none", ArgsUsage: "CALENDAR FILE", Flags: []cli.Flag{tryFlag, sureFlag},
				Description: "Example: wharf hold import \"Guest pontoon\" demo/files/visitors.ics --try",
				Action:      env.connected(env.holdImport),
			},
			{
				Name: "list", Usage: "list what was entered by hand", Flags: []cli.Flag{&cli.StringFlag{Name: "calendar", Usage: "only of this calendar"}, &cli.StringFlag{Name: "search", Usage: "only those with these words"}, jsonFlag},
				Description: "Example: wharf hold list",
				Action:      env.connected(env.holdList),
			},
			{
				Name: "show", Usage: "show a hold, and who did what to it", ArgsUsage: "ID", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf hold show 1", Action: env.onOne(env.holdShow),
			},
			{
				Name: "edit", Usage: "change or move a hold", ArgsUsage: "ID",
				Flags:       with([]cli.Flag{&cli.StringFlag{Name: "from", Usage: "its new start"}, &cli.StringFlag{Name: "until", Usage: "its new end"}, &cli.StringFlag{Name: "calendar", Usage: "the calendar to which it moves"}}, what, scope, []cli.Flag{revisionFlag}, asked),
				Description: endsHelp + "\nExample: wharf hold edit 1 --title \"Yacht Sabine, two guests\" --yes",
				Action:      env.onOne(env.holdEdit),
			},
			{
				Name: "copy", Usage: "enter the same once more, at another time", ArgsUsage: "ID START", Flags: with([]cli.Flag{&cli.StringFlag{Name: "calendar", Usage: "on another calendar"}}, asked),
				Description: "Example: wharf hold copy 1 2027-02-20 --yes", Action: env.connected(env.holdCopy),
			},
			{
				Name: "cancel", Usage: "cancel a hold", ArgsUsage: "ID", Flags: with(scope, []cli.Flag{revisionFlag}, asked),
				Description: "Example: wharf hold cancel 1 --yes", Action: env.onOne(env.holdCancel),
			},
			{
				Name: "undo", Usage: "take the last change of a hold back", ArgsUsage: "ID", Flags: with([]cli.Flag{revisionFlag}, asked),
				Description: "What was taken back already is passed over: each time it is the change before.\nExample: wharf hold undo 1 --yes", Action: env.onOne(env.holdUndo),
			},
		},
	}
}

// holdEnds are both ends as the API takes them; no end is one night or day.
func holdEnds(k client.Calendar, start, end string) (from, until string, err error) {
	timed := strings.Contains(start, "T")
	if end == "" && (timed || k.Grain == client.Time) {
		return "", "", usagef("say when it ends, too")
	}
	if end == "" {
		end = start
		if k.Grain == client.Night {
			end, err = dayAfter(start)
		}
	}
	if err == nil && k.Grain == client.Day && !strings.Contains(end, "T") {
		end, err = dayAfter(end)
	}
	return start, end, err
}

func dayAfter(day string) (string, error) {
	t, err := time.Parse(time.DateOnly, day)
	if err != nil {
		return day, nil // the service says what is wrong with it
	}
	return t.AddDate(0, 0, 1).Format(time.DateOnly), nil
}

func (env *Env) holdAdd(ctx context.Context, c *cli.Command, api *client.Client) error {
	if n := c.Args().Len(); n < 2 || n > 3 {
		return usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
	}
	k, err := calendarNamed(ctx, api, c.Args().Get(0))
	if err != nil {
		return err
	}
	r := client.HoldRequest{Calendar: k.Id, Title: textOf[string](c, "title"), Note: textOf[string](c, "note"), Repeat: textOf[string](c, "repeat"), Tentative: flagOf(c, "tentative"), Closure: flagOf(c, "closure"),
		Units: numberOf(c, "units"), Class: textOf[client.EntryClass](c, "class"), Expires: textOf[string](c, "expires"), Categories: listOf(c, "category")}
	if r.Start, r.End, err = holdEnds(k, c.Args().Get(1), c.Args().Get(2)); err != nil {
		return err
	}
	return env.enter(ctx, c, api, r)
}

// enter enters a hold, once the person has seen what that leads to.
func (env *Env) enter(ctx context.Context, c *cli.Command, api *client.Client, r client.HoldRequest) error {
	trial, err := client.Decode[client.HoldTrial](api.TryHold(ctx, r))
	if err != nil {
		return err
	}
	if goOn, err := env.holdMeant(c, trial); err != nil || !goOn {
		return err
	}
	h, err := client.Decode[client.Hold](api.CreateHold(ctx, r))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Hold{h})
	}
	fmt.Fprintf(env.Out, "Entered %d on %s: it blocks now, and goes out with the next pickup.\n", h.Id, clean(h.CalendarName))
	return nil
}

// holdMeant says what a change of holds leads to, and asks if any of it is not to be expected.
func (env *Env) holdMeant(c *cli.Command, t client.HoldTrial) (goOn bool, err error) {
	doubtful := len(t.Questions) > 0
	for _, q := range t.Questions {
		fmt.Fprintln(env.Err, clean(q.Says))
	}
	for _, e := range t.Effects {
		if e.Kind == client.Opens || e.Kind == client.Becomes || e.Kind == client.Grows {
			doubtful = true
		}
		if e.Kind == client.Publishes || e.Kind == client.Withdraws {
			continue // that is what it is for
		}
		fmt.Fprintln(env.Err, clean(e.Sentence))
	}
	for _, u := range t.Unaware {
		fmt.Fprintln(env.Err, clean(u.Says))
	}
	if c.Bool("try") {
		return false, nil
	}
	if doubtful && !c.Bool("yes") && !env.agrees("Is that meant?") {
		return false, fmt.Errorf("nothing was changed: answer y, or give --yes, if it is meant")
	}
	return true, nil
}

func (env *Env) holdImport(ctx context.Context, c *cli.Command, api *client.Client) error {
	if c.Args().Len() != 2 {
		return usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
	}
	k, err := calendarNamed(ctx, api, c.Args().Get(0))
	if err != nil {
		return err
	}
	file, err := env.fileOf(c.Args().Get(1))
	if err == nil && file == nil {
		err = usagef("%q is a link: name a file, or subscribe to it with `wharf feed add`", c.Args().Get(1))
	}
	if err != nil {
		return err
	}
	trying := true
	done, err := client.Decode[client.HoldImport](api.ImportHolds(ctx, client.HoldFile{Calendar: k.Id, File: *file, Try: &trying}))
	if err != nil {
		return err
	}
	for _, left := range done.Left {
		fmt.Fprintln(env.Err, clean(left))
	}
	if goOn, err := env.holdMeant(c, client.HoldTrial{Effects: done.Effects}); err != nil || !goOn {
		if err == nil {
			fmt.Fprintf(env.Out, "It would enter %s on %s.\n", count(done.Entered, "booking", "bookings"), clean(k.Name))
		}
		return err
	}
	if done, err = client.Decode[client.HoldImport](api.ImportHolds(ctx, client.HoldFile{Calendar: k.Id, File: *file})); err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Entered %s on %s.\n", count(done.Entered, "booking", "bookings"), clean(k.Name))
	return nil
}

func (env *Env) holdList(ctx context.Context, c *cli.Command, api *client.Client) error {
	params := &client.ListHoldsParams{Search: textOf[string](c, "search")}
	if ref := c.String("calendar"); ref != "" {
		k, err := calendarNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		params.Calendar = &k.Id
	}
	all, err := client.Decode[[]client.Hold](api.ListHolds(ctx, params))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "Nothing was entered by hand: `wharf hold add CALENDAR START END` does it.")
		return nil
	}
	rows := make([]table.Row, len(all))
	for i, h := range all {
		first, last := holdFirstLast(h)
		rows[i] = table.Row{h.Id, clean(h.CalendarName), first, last, clean(h.Title), holdWords(h)}
	}
	printTable(env.Out, table.Row{"Id", "Calendar", "Start", "End", "Title", ""}, rows)
	return nil
}

// holdFirstLast are both ends as a person wrote them.
func holdFirstLast(h client.Hold) (first, last string) {
	first, last = strings.Replace(h.Start, "T", " ", 1), strings.Replace(h.End, "T", " ", 1)
	if end, err := time.Parse(time.DateOnly, h.End); err == nil && h.Grain == client.Day {
		last = end.AddDate(0, 0, -1).Format(time.DateOnly)
	}
	return first, last
}

// holdWords are what else is to be known of a hold.
func holdWords(h client.Hold) string {
	var words []string
	for _, w := range []struct {
		is   bool
		word string
	}{{h.Cancelled != nil, "cancelled"}, {h.Closure, "closure"}, {h.Tentative, "tentative"}, {h.Units > 1, count(h.Units, "unit", "units")}} {
		if w.is {
			words = append(words, w.word)
		}
	}
	if h.Repeat != nil {
		words = append(words, "repeats "+*h.Repeat)
	}
	if h.Expires != nil {
		words = append(words, "until "+h.Expires.UTC().Format("2 Jan 2006 15:04 UTC"))
	}
	return clean(strings.Join(words, ", "))
}

// holdNumbered is the hold of that number.
func holdNumbered(ctx context.Context, api *client.Client, number string) (client.Hold, error) {
	id, err := numbered(number, "hold", "wharf hold list")
	if err != nil {
		return client.Hold{}, err
	}
	return client.Decode[client.Hold](api.GetHold(ctx, id))
}

func (env *Env) holdShow(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	h, err := holdNumbered(ctx, api, number)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Hold{h})
	}
	first, last := holdFirstLast(h)
	fmt.Fprintf(env.Out, "%s on %s, %s to %s", clean(orUntitled(h.Title)), clean(h.CalendarName), first, last)
	if words := holdWords(h); words != "" {
		fmt.Fprintf(env.Out, " (%s)", words)
	}
	fmt.Fprintln(env.Out, ".")
	if h.Note != nil {
		fmt.Fprintln(env.Out, clean(*h.Note))
	}
	if h.Original != nil {
		fmt.Fprintln(env.Out, clean(h.Original.Says))
	}
	for _, step := range h.Steps {
		fmt.Fprintf(env.Out, "  %s %s by %s\n", env.when(&step.At), step.Did, clean(step.By))
	}
	return nil
}

func (env *Env) holdEdit(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	if err := anyOf(c, "from", "until", "calendar", "title", "note", "repeat", "tentative", "closure", "units", "category", "class", "expires"); err != nil {
		return err
	}
	h, err := holdNumbered(ctx, api, number)
	if err != nil {
		return err
	}
	r := client.HoldEdit{Title: textOf[string](c, "title"), Note: textOf[string](c, "note"), Repeat: textOf[string](c, "repeat"), Tentative: flagOf(c, "tentative"), Closure: flagOf(c, "closure"),
		Units: numberOf(c, "units"), Class: textOf[client.EntryClass](c, "class"), Expires: textOf[string](c, "expires"), Categories: listOf(c, "category"), Start: textOf[string](c, "from"), End: textOf[string](c, "until")}
	k, err := client.Decode[client.Calendar](api.GetCalendar(ctx, h.Calendar))
	if err != nil {
		return err
	}
	if ref := c.String("calendar"); ref != "" {
		if k, err = calendarNamed(ctx, api, ref); err != nil {
			return err
		}
		r.Calendar = &k.Id
	}
	if r.End != nil {
		if _, end, err := holdEnds(k, h.Start, *r.End); err == nil {
			r.End = &end
		}
	}
	return env.changeHold(ctx, c, api, h, r)
}

func (env *Env) holdCancel(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	h, err := holdNumbered(ctx, api, number)
	if err != nil {
		return err
	}
	yes := true
	return env.changeHold(ctx, c, api, h, client.HoldEdit{Cancel: &yes})
}

func (env *Env) holdUndo(ctx context.Context, c *cli.Command, api *client.Client, number string) error {
	h, err := holdNumbered(ctx, api, number)
	if err != nil {
		return err
	}
	yes := true
	return env.changeHold(ctx, c, api, h, client.HoldEdit{Undo: &yes})
}

// changeHold edits a hold, once the person has seen what that leads to.
func (env *Env) changeHold(ctx context.Context, c *cli.Command, api *client.Client, h client.Hold, r client.HoldEdit) error {
	r.Revision = revisionOf(c, h.Revision)
	for flag, scope := range map[string]client.HoldEditScope{"one": client.ScopeOne, "rest": client.ScopeRest} {
		if of := textOf[string](c, flag); of != nil {
			if r.Scope != nil {
				return usagef("give --one or --rest, not both")
			}
			r.Scope, r.Occurrence = &scope, of
		}
	}
	trial, err := client.Decode[client.HoldTrial](api.TryHoldEdit(ctx, h.Id, r))
	if err != nil {
		return err
	}
	if goOn, err := env.holdMeant(c, trial); err != nil || !goOn {
		return err
	}
	now, err := client.Decode[client.Hold](api.EditHold(ctx, h.Id, r))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Hold{now})
	}
	word := "Changed"
	if now.Cancelled != nil {
		word = "Cancelled"
	}
	fmt.Fprintf(env.Out, "%s %d, %s on %s; it is at revision %d.\n", word, now.Id, clean(orUntitled(now.Title)), clean(now.CalendarName), now.Revision)
	return nil
}

func (env *Env) holdCopy(ctx context.Context, c *cli.Command, api *client.Client) error {
	if c.Args().Len() != 2 {
		return usagef("%s takes %s: see `%s --help`", c.FullName(), c.ArgsUsage, c.FullName())
	}
	h, err := holdNumbered(ctx, api, c.Args().Get(0))
	if err != nil {
		return err
	}
	r := client.HoldRequest{Calendar: h.Calendar, Title: &h.Title, Note: h.Note, Repeat: h.Repeat, Zone: h.Zone, Tentative: &h.Tentative, Closure: &h.Closure, Units: &h.Units, Class: h.Class, Categories: h.Categories}
	if ref := c.String("calendar"); ref != "" {
		k, err := calendarNamed(ctx, api, ref)
		if err != nil {
			return err
		}
		r.Calendar = k.Id
	}
	r.Start = c.Args().Get(1)
	if r.End, err = asLong(h, r.Start); err != nil {
		return err
	}
	return env.enter(ctx, c, api, r)
}

// asLong is where a hold ends that begins at start and is as long as another by the clock.
func asLong(h client.Hold, start string) (string, error) {
	layout := "2006-01-02T15:04"
	if !strings.Contains(h.Start, "T") {
		layout = time.DateOnly
	}
	a, errA := time.Parse(layout, h.Start)
	b, errB := time.Parse(layout, h.End)
	at, err := time.Parse(layout, start)
	if errA != nil || errB != nil || err != nil {
		return "", usagef("%q is no start of a hold like this: write it as %s", start, h.Start)
	}
	return at.Add(b.Sub(a)).Format(layout), nil
}

// flagOf is whether a flag was given, or nil when it was not.
func flagOf(c *cli.Command, flag string) *bool {
	if !c.IsSet(flag) {
		return nil
	}
	v := c.Bool(flag)
	return &v
}

// listOf is what a flag was given as, or nil when it was not.
func listOf(c *cli.Command, flag string) *[]string {
	if !c.IsSet(flag) {
		return nil
	}
	v := c.StringSlice(flag)
	return &v
}
