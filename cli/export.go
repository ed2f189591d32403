package cli

import (
	"context"
	"fmt"
	"os"
	"path/filepath"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) exportCommand() *cli.Command {
	return &cli.Command{
		Name: "export", Usage: "write what is booked as a file, once", ArgsUsage: "[CALENDAR...]",
		Description: "Of the calendars that are named, of a group, or of all. Nothing is published by it.\nExample: wharf calendar export \"Ketch Merrow\" --format csv",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "group", Usage: "those in this group"},
			&cli.StringFlag{Name: "from", Usage: "first day, as 2026-07-03", DefaultText: "today"},
			&cli.StringFlag{Name: "to", Usage: "day after the last", DefaultText: "60 days after --from"},
			&cli.StringFlag{Name: "detail", Value: "titles", Usage: "what is seen: times or titles"},
			&cli.StringFlag{Name: "format", Value: "ics", Usage: "ics, or csv for a spreadsheet"},
			&cli.StringFlag{Name: "output", Aliases: []string{"o"}, Usage: "file to write", DefaultText: "standard output"},
		},
		Action: env.connected(env.calendarExport),
	}
}

// calendarExport writes what is booked as a file, or to where output goes.
func (env *Env) calendarExport(ctx context.Context, c *cli.Command, api *client.Client) error {
	r := client.ExportRequest{Detail: client.ExportRequestDetail(c.String("detail")), Format: client.ExportRequestFormat(c.String("format"))}
	all, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	if err != nil {
		return err
	}
	if len(all) == 0 {
		return usagef("there is no calendar yet: `wharf calendar add NAME --zone ZONE`")
	}
	first := all[0]
	if c.Args().Len() > 0 {
		var ids []int64
		for _, ref := range c.Args().Slice() {
			k, err := find(all, "calendar", ref, func(k client.Calendar) int64 { return k.Id }, func(k client.Calendar) string { return k.Name })
			if err != nil {
				return err
			}
			ids = append(ids, k.Id)
			first = k
		}
		r.Calendars = &ids
	}
	if ref := c.String("group"); ref != "" {
		groups, err := client.Decode[[]client.Group](api.ListGroups(ctx))
		if err != nil {
			return err
		}
		g, err := groupAmong(groups, ref)
		if err != nil {
			return err
		}
		r.Group = &g.Id
	}
	if r.From, r.To, err = env.daysOf(c, first); err != nil {
		return err
	}
	file, err := client.Decode[client.ExportFile](api.ExportBookings(ctx, r))
	if err != nil {
		return err
	}
	name := c.String("output")
	if name == "" {
		_, err := fmt.Fprint(env.Out, file.Text)
		return err
	}
	if info, err := os.Stat(name); err == nil && info.IsDir() {
		name = filepath.Join(name, file.Name)
	}
	if err := os.WriteFile(name, []byte(file.Text), 0o600); err != nil {
		return fmt.Errorf("%s cannot be written (%w): choose another with --output", name, err)
	}
	fmt.Fprintf(env.Out, "%s written to %s.\n", count(file.Bookings, "booking is", "bookings are"), clean(name))
	return nil
}
