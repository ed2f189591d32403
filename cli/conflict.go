package cli

import (
	"context"
	"fmt"
	"strconv"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
	"wharf/core/zone"
)

func (env *Env) conflictCommand() *cli.Command {
	return &cli.Command{
		Name: "conflict", Usage: "bookings that cannot all be honoured",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list conflicts that need somebody", Flags: []cli.Flag{
					&cli.StringFlag{Name: "calendar", Usage: "only those of this calendar"},
					&cli.StringFlag{Name: "state", Usage: "open, acknowledged, cleared or past", DefaultText: "open and acknowledged"},
					jsonFlag,
				},
				Description: "Example: wharf conflict list",
				Action:      env.conflictList,
			},
			{
				Name: "show", Usage: "show a conflict with all that is known of its bookings", ArgsUsage: "ID", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf conflict show 1",
				Action:      env.conflictShow,
			},
			{
				Name: "acknowledge", Usage: "say that somebody is dealing with it", ArgsUsage: "ID",
				Description: "Example: wharf conflict acknowledge 1 --note \"Called both guests\"",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "note", Usage: "what is being done"}},
				Action:      env.conflictAcknowledge,
			},
		},
	}
}

func (env *Env) conflictList(ctx context.Context, c *cli.Command) error {
	api, err := env.connect(c)
	if err != nil {
		return err
	}
	params := &client.ListConflictsParams{}
	if s := c.String("calendar"); s != "" {
		k, err := calendarNamed(ctx, api, s)
		if err != nil {
			return err
		}
		params.Calendar = &k.Id
	}
	if s := c.String("state"); s != "" {
		state := client.ConflictState(s)
		params.State = &state
	}
	all, err := client.Decode[[]client.Conflict](api.ListConflicts(ctx, params))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "No conflicts.")
		return nil
	}
	env.printConflictTable(all)
	return nil
}

// printConflictTable lists conflicts with their bookings below each other.
func (env *Env) printConflictTable(all []client.Conflict) {
	var rows []table.Row
	for _, k := range all {
		for i, b := range k.Bookings {
			row := table.Row{"", "", "", "", clean(b.Title), clean(b.Label), b.Start, b.End}
			if i == 0 {
				row[0], row[1], row[2], row[3] = k.Id, kindWords(string(k.Kind))+", "+string(k.State), k.Start, k.End
			}
			rows = append(rows, row)
		}
	}
	printTable(env.Out, table.Row{"Id", "Conflict", "From", "Until", "Among", "Feed", "Booked from", "Booked until"}, rows)
}

func conflictID(c *cli.Command) (int64, error) {
	text, err := one(c)
	if err != nil {
		return 0, err
	}
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, usagef("%q is no conflict's number: `wharf conflict list` shows them", text)
	}
	return id, nil
}

func (env *Env) conflictShow(ctx context.Context, c *cli.Command) error {
	id, err := conflictID(c)
	if err != nil {
		return err
	}
	api, err := env.connect(c)
	if err != nil {
		return err
	}
	k, err := client.Decode[client.Conflict](api.GetConflict(ctx, id))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Conflict{k})
	}
	fmt.Fprintf(env.Out, "%s on %s, %s to %s: %s since %s.\n", kindWords(string(k.Kind)), clean(k.CalendarName), k.Start, k.End, k.State, env.when(&k.Opened))
	if k.AcknowledgedBy != nil {
		note := ""
		if k.Note != nil {
			note = ": " + clean(*k.Note)
		}
		fmt.Fprintf(env.Out, "%s deals with it%s\n", clean(*k.AcknowledgedBy), note)
	}
	fmt.Fprintln(env.Out)
	rows := make([]table.Row, len(k.Bookings))
	for i, b := range k.Bookings {
		rows[i] = table.Row{b.Start, b.End, clean(b.Title), clean(b.Label), statusOf(b), env.when(b.Created), env.when(b.NotBefore), env.when(&b.SeenBy)}
	}
	printTable(env.Out, table.Row{"From", "Until", "Title", "Feed", "Status", "Made (it says)", "Not yet there", "First seen"}, rows)
	return nil
}

func (env *Env) conflictAcknowledge(ctx context.Context, c *cli.Command) error {
	id, err := conflictID(c)
	if err != nil {
		return err
	}
	api, err := env.connect(c)
	if err != nil {
		return err
	}
	note := c.String("note")
	k, err := client.Decode[client.Conflict](api.AcknowledgeConflict(ctx, id, client.Acknowledgement{Note: &note}))
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Conflict %d is acknowledged by %s. It stays until the feeds no longer show it.\n", k.Id, clean(*k.AcknowledgedBy))
	return nil
}

func zoneOf(k client.Calendar) (*time.Location, error) { return zone.Load(k.Zone) }
