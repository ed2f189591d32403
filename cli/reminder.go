package cli

import (
	"context"
	"fmt"
	"strconv"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) reminderCommand() *cli.Command {
	return &cli.Command{
		Name: "reminder", Usage: "have Wharf remind of bookings",
		Description: "What is due is shown by `wharf today`, on the console's first page, and by the browser where it may.",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "have Wharf remind of a booking", ArgsUsage: "[BOOKING] BEFORE", Flags: []cli.Flag{&cli.StringFlag{Name: "hold", Usage: "of this hold, and not of one booking"}, jsonFlag},
				Description: "BEFORE is 30m, 2h or 3d, or \"1d 18:00\" for that hour of the day before. Of a hold it reminds each time that it is on.\n" +
					"`wharf calendar show CALENDAR` shows the numbers of bookings.\nExample: wharf reminder add --hold 1 \"1d 18:00\"",
				Action: env.connected(env.reminderAdd),
			},
			{
				Name: "list", Usage: "list the reminders of what is not over", Flags: []cli.Flag{&cli.BoolFlag{Name: "due", Usage: "only those that are due by now"}, jsonFlag},
				Description: "Example: wharf reminder list", Action: env.connected(env.reminderList),
			},
			{
				Name: "done", Usage: "say that a reminder is dealt with", ArgsUsage: "ID [BOOKING]",
				Description: "Without a booking it is of all that it is due of. It is due again if the booking moves.\nExample: wharf reminder done 1", Action: env.connected(env.reminderDone),
			},
			{
				Name: "remove", Usage: "take a reminder away", ArgsUsage: "ID",
				Description: "Example: wharf reminder remove 1", Action: env.onOne(env.reminderRemove),
			},
		},
	}
}

func (env *Env) reminderAdd(ctx context.Context, c *cli.Command, api *client.Client) error {
	body := client.ReminderRequest{Before: c.Args().Get(c.Args().Len() - 1)}
	switch hold := c.String("hold"); {
	case hold != "" && c.Args().Len() == 1:
		id, err := numbered(hold, "hold", "wharf hold list")
		if err != nil {
			return err
		}
		body.Hold = &id
	case hold == "" && c.Args().Len() == 2:
		id, err := numbered(c.Args().First(), "booking", "wharf calendar show")
		if err != nil {
			return err
		}
		body.Booking = &id
	default:
		return usagef("say of which booking, or with --hold of which hold, and how long before: see `wharf reminder add --help`")
	}
	r, err := client.Decode[client.Reminder](api.Remind(ctx, body))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Reminder{r})
	}
	fmt.Fprintf(env.Out, "Reminder %d of %s on %s, %s: due %s.\n", r.Id, clean(orUntitled(r.Title)), clean(r.Calendar.Name), r.Says, env.when(&r.Due))
	return nil
}

func (env *Env) reminderList(ctx context.Context, c *cli.Command, api *client.Client) error {
	params := client.ListRemindersParams{}
	if now := env.Now(); c.Bool("due") {
		params.DueBy = &now
	}
	all, err := client.Decode[[]client.Reminder](api.ListReminders(ctx, &params))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "There is nothing to be reminded of.")
		return nil
	}
	env.printReminders(all)
	return nil
}

func (env *Env) printReminders(all []client.Reminder) {
	rows := make([]table.Row, len(all))
	for i, r := range all {
		rows[i] = table.Row{r.Id, r.Booking, clean(orUntitled(r.Title)), clean(r.Calendar.Name), spanOf(r.Start, r.End, client.Calendar{Grain: r.Grain, Zone: r.Zone}), r.Says, env.when(&r.Due)}
	}
	printTable(env.Out, table.Row{"Id", "Booking", "Title", "Calendar", "Booked", "Reminds", "Due"}, rows)
}

func (env *Env) reminderDone(ctx context.Context, c *cli.Command, api *client.Client) error {
	if n := c.Args().Len(); n < 1 || n > 2 {
		return usagef("say which reminder: `wharf reminder list` shows its number")
	}
	id, err := numbered(c.Args().First(), "reminder", "wharf reminder list")
	if err != nil {
		return err
	}
	var of []int64
	if c.Args().Len() == 2 {
		booking, err := numbered(c.Args().Get(1), "booking", "wharf reminder list")
		if err != nil {
			return err
		}
		of = append(of, booking)
	} else {
		now := env.Now()
		all, err := client.Decode[[]client.Reminder](api.ListReminders(ctx, &client.ListRemindersParams{DueBy: &now}))
		if err != nil {
			return err
		}
		for _, r := range all {
			if r.Id == id {
				of = append(of, r.Booking)
			}
		}
	}
	for _, booking := range of {
		if _, err := client.Decode[struct{}](api.ReminderDone(ctx, id, client.ReminderDone{Booking: booking})); err != nil {
			return err
		}
	}
	if len(of) == 0 {
		fmt.Fprintln(env.Out, "It is not due: nothing is changed.")
		return nil
	}
	fmt.Fprintln(env.Out, "Dealt with.")
	return nil
}

func (env *Env) reminderRemove(ctx context.Context, _ *cli.Command, api *client.Client, number string) error {
	id, err := numbered(number, "reminder", "wharf reminder list")
	if err != nil {
		return err
	}
	if _, err := client.Decode[struct{}](api.RemoveReminder(ctx, id)); err != nil {
		return err
	}
	fmt.Fprintln(env.Out, "Gone.")
	return nil
}

// numbered reads a number that a list shows.
func numbered(text, what, list string) (int64, error) {
	id, err := strconv.ParseInt(text, 10, 64)
	if err != nil || id < 1 {
		return 0, usagef("%q is no %s's number: `%s` shows them", text, what, list)
	}
	return id, nil
}
