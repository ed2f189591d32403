package cli

import (
	"context"
	"fmt"
	"time"

	openapi_types "github.com/oapi-codegen/runtime/types"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) adoptCommand() *cli.Command {
	return &cli.Command{
		Name: "adopt", Usage: "copy bookings of a feed as holds, or cancel the copies", ArgsUsage: "FEED",
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "calendar", Usage: "on which they are", DefaultText: "the only one that it counts on"}, &cli.StringFlag{Name: "search", Usage: "only those with these words in their title"},
			&cli.StringFlag{Name: "category", Usage: "only those of this category"}, &cli.StringFlag{Name: "from", Usage: "only those on or after this day"}, &cli.StringFlag{Name: "to", Usage: "only those before this day"},
			&cli.BoolFlag{Name: "undo", Usage: "cancel what was copied, instead"}, tryFlag, sureFlag,
		},
		Description: "Original and copy are one booking as long as both are there; where the original changes or goes, `wharf today` says so.\nExample: wharf feed adopt \"Pontoon, Long Ness Moorings\" --try",
		Action:      env.onOne(env.feedAdopt),
	}
}

func (env *Env) feedAdopt(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	f, err := feedNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	trying := true
	r := client.Adoption{Search: textOf[string](c, "search"), Category: textOf[string](c, "category"), Undo: flagOf(c, "undo"), Try: &trying}
	switch name := c.String("calendar"); {
	case name != "":
		k, err := calendarNamed(ctx, api, name)
		if err != nil {
			return err
		}
		r.Calendar = k.Id
	case len(f.Calendars) == 1:
		r.Calendar = f.Calendars[0]
	default:
		return usagef("%s counts on %s: say with --calendar which is meant", clean(f.Name), count(len(f.Calendars), "calendar", "calendars"))
	}
	for flag, field := range map[string]**openapi_types.Date{"from": &r.From, "to": &r.To} {
		if text := c.String(flag); text != "" {
			day, err := time.Parse(time.DateOnly, text)
			if err != nil {
				return usagef("--%s: %q is no day: write it as 2026-07-03", flag, text)
			}
			*field = &openapi_types.Date{Time: day}
		}
	}
	done, err := client.Decode[client.HoldImport](api.AdoptBookings(ctx, f.Id, r))
	if err != nil {
		return err
	}
	for _, left := range done.Left {
		fmt.Fprintln(env.Err, clean(left))
	}
	words := [2]string{"It would copy %s of %s.\n", "Copied %s of %s: they stand also without it.\n"}
	if c.Bool("undo") {
		words = [2]string{"It would cancel %s that were copied of %s.\n", "Cancelled %s that were copied of %s.\n"}
	}
	tell := func(n int) { fmt.Fprintf(env.Out, words[n], count(done.Entered, "booking", "bookings"), clean(f.Name)) }
	if done.Entered >= manyCopied && !c.Bool("try") && !c.Bool("yes") && !env.agrees(fmt.Sprintf("These are %d. Is that meant?", done.Entered)) {
		return fmt.Errorf("nothing was changed: answer y, or give --yes, if it is meant")
	}
	if goOn, err := env.holdMeant(c, client.HoldTrial{Effects: done.Effects}); err != nil || !goOn {
		if err == nil {
			tell(0)
		}
		return err
	}
	r.Try = nil
	if done, err = client.Decode[client.HoldImport](api.AdoptBookings(ctx, f.Id, r)); err != nil {
		return err
	}
	tell(1)
	return nil
}

// manyCopied is from how many bookings on a person is asked whether so many are meant to be copied.
const manyCopied = 25
