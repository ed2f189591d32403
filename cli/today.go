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

func (env *Env) todayCommand() *cli.Command {
	return &cli.Command{
		Name: "today", Usage: "what needs you now, and who comes and goes today and tomorrow", Flags: []cli.Flag{jsonFlag},
		Description: "Example: wharf today",
		Action:      env.connected(env.today),
	}
}

func (env *Env) today(ctx context.Context, c *cli.Command, api *client.Client) error {
	page, err := client.Decode[client.Today](api.GetToday(ctx))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Today{page})
	}
	state := client.Open
	open, err := client.Decode[[]client.Conflict](api.ListConflicts(ctx, &client.ListConflictsParams{State: &state}))
	if err != nil {
		return err
	}
	env.printToday(page, open)
	return nil
}

// printToday says things in the order in which they matter.
func (env *Env) printToday(page client.Today, open []client.Conflict) {
	if len(open) > 0 {
		env.printConflicts(open)
	} else if len(page.Stuck) > 0 {
		fmt.Fprintln(env.Out, "Nothing is known to be double booked.")
	} else {
		fmt.Fprintln(env.Out, "Nothing is double booked.")
	}
	fmt.Fprintln(env.Out)
	if len(page.Reminders) > 0 {
		fmt.Fprintf(env.Out, "Reminders that are due: %d (`wharf reminder done ID` puts one away).\n", len(page.Reminders))
		env.printReminders(page.Reminders)
		fmt.Fprintln(env.Out)
	}
	if lost := page.Forgotten; lost.Blocks > 0 {
		fmt.Fprintf(env.Out, "Blocks that platforms have forgotten to take away: %d; %s lost for sale.\n\n", lost.Blocks, takenWords(lost))
	}
	for _, k := range page.Stuck {
		fmt.Fprintf(env.Out, "%s is not up to date since %s: %s\n\n", clean(k.Name), env.when(&k.Trouble.Since), clean(k.Trouble.Why))
	}
	if page.Waiting > 0 {
		fmt.Fprintf(env.Out, "Entries that wait to be looked at: %d (`wharf review list`).\n\n", page.Waiting)
	}
	for _, c := range page.Copies {
		fmt.Fprintf(env.Out, "%s on %s, which was copied: %s\n\n", clean(orUntitled(c.Title)), clean(c.Calendar.Name), clean(c.Original.Says))
	}
	env.printFeeds(page)
	env.printMissing(page)
	for i, day := range page.Days {
		env.printMovements([]string{"Today", "Tomorrow"}[i], day)
	}
}

func (env *Env) printFeeds(page client.Today) {
	switch n := len(page.Unfresh); {
	case n > 0:
		fmt.Fprintf(env.Out, "Not fresh: %d of %s.\n", n, count(page.Feeds, "feed", "feeds"))
		for _, f := range page.Unfresh {
			fmt.Fprintf(env.Out, "  %s: %s since %s: %s\n", clean(f.Name), f.Unfresh.State, env.when(&f.Unfresh.Since), clean(f.Unfresh.Why))
		}
	case page.Feeds == 0:
		fmt.Fprintln(env.Out, "No feed is read yet: subscribe to one with `wharf feed add`.")
	case page.OldestReading != nil:
		fmt.Fprintf(env.Out, "Every feed is fresh (%d); the oldest good reading was %s.\n", page.Feeds, env.when(page.OldestReading))
	}
	fmt.Fprintln(env.Out)
}

func (env *Env) printMissing(page client.Today) {
	for _, p := range page.Overdue {
		fmt.Fprintf(env.Out, "%s is overdue: it came for %s every %s, and last %s.\n\n", clean(p.Platform.Name), clean(p.Name), time.Duration(p.Usual)*time.Second, env.when(&p.LastPickup))
	}
	missing := len(page.Bare) + len(page.Missing) + len(page.Unpicked)
	if missing == 0 {
		fmt.Fprint(env.Out, "Every platform is read, and gets back what the others sell.\n\n")
		return
	}
	fmt.Fprintf(env.Out, "Directions that are missing: %d.\n", missing)
	for _, k := range page.Bare {
		fmt.Fprintf(env.Out, "  No feed counts on %s yet.\n", clean(k.Name))
	}
	for _, m := range page.Missing {
		if m.Way == client.WayOut {
			fmt.Fprintf(env.Out, "  %s does not get %s back: it can sell what is taken elsewhere.\n", clean(m.Platform.Name), clean(m.Calendar.Name))
		} else {
			fmt.Fprintf(env.Out, "  Nothing is read from %s for %s: what it sells is not known here.\n", clean(m.Platform.Name), clean(m.Calendar.Name))
		}
	}
	for _, p := range page.Pairings {
		fmt.Fprintf(env.Out, "  %s of %s shows what only %s carried: if %s and %s are one platform, say so (`wharf feed edit %q --platform %q`).\n", clean(p.Feed.Name), clean(p.Platform.Name), clean(p.Publication.Name), clean(p.Platform.Name), clean(p.Recipient.Name), clean(p.Feed.Name), clean(p.Recipient.Name))
	}
	for _, p := range page.Unpicked {
		fmt.Fprintf(env.Out, "  %s never came for %s: give it the link (`wharf publication show %q --link`).\n", clean(p.Platform.Name), clean(p.Name), clean(p.Name))
	}
	fmt.Fprintln(env.Out)
}

func (env *Env) printMovements(word string, day client.MovementDay) {
	date, err := time.Parse(time.DateOnly, day.Date)
	if err == nil {
		word += ", " + date.Format("Monday 2 January")
	}
	if len(day.Come)+len(day.Go) == 0 {
		fmt.Fprintf(env.Out, "%s: nobody comes or goes.\n\n", word)
		return
	}
	fmt.Fprintf(env.Out, "%s:\n", word)
	var rows []table.Row
	row := func(m client.Movement, verb string) {
		title := clean(m.Title)
		if m.Tentative {
			title += " (tentative)"
		}
		rows = append(rows, table.Row{"  " + verb, title, clean(m.Calendar.Name), spanOf(m.Start, m.End, client.Calendar{Grain: m.Grain, Zone: m.Zone})})
	}
	for _, m := range day.Go {
		row(m, map[client.Grain]string{client.Night: "leaves", client.Day: "last day"}[m.Grain])
	}
	for _, m := range day.Come {
		row(m, map[client.Grain]string{client.Night: "arrives", client.Day: "begins", client.Time: "comes"}[m.Grain])
	}
	printTable(env.Out, table.Row{"", "Title", "Calendar", "Booked"}, rows)
	fmt.Fprintln(env.Out)
}

// takenWords says how much is taken from calendars of each grain.
func takenWords(lost client.LostTime) string {
	var words []string
	for _, part := range []struct {
		n         int
		one, many string
	}{{int(lost.Nights), "night", "nights"}, {int(lost.Days), "day", "days"}, {int(lost.Hours + 0.5), "hour", "hours"}} {
		if part.n > 0 {
			words = append(words, count(part.n, part.one, part.many))
		}
	}
	return strings.Join(words, " and ")
}
