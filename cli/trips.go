package cli

import (
	"context"
	"fmt"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) tripsCommand() *cli.Command {
	return &cli.Command{
		Name: "trips", Usage: "tell how bookings pass from each platform to each other one", Flags: []cli.Flag{jsonFlag},
		Description: "With the last booking whose whole way was seen. Exit 1 where a direction stands still.\nExample: wharf publication trips",
		Action:      env.connected(env.publicationTrips),
	}
}

func (env *Env) publicationTrips(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Trip](api.ListTrips(ctx))
	if err != nil {
		return err
	}
	still := false
	for _, t := range all {
		still = still || t.Passage == client.TripNotRead || t.Passage == client.TripNotFetched || t.Passage == client.TripNotShown
	}
	switch {
	case c.Bool("json"):
		err = printJSON(env.Out, all)
	case len(all) == 0:
		fmt.Fprintln(env.Out, "No platform is given yet what another one sells: `wharf publication add NAME --calendar CALENDAR --platform PLATFORM`.")
	default:
		for _, t := range all {
			env.printTrip(t)
		}
	}
	if err == nil && still {
		err = errUnmet
	}
	return err
}

func (env *Env) printTrip(t client.Trip) {
	fmt.Fprintf(env.Out, "%s to %s: %s\n", clean(t.From.Name), clean(t.To.Name), clean(t.Sentence))
	if t.Booking == nil || t.Calendar == nil {
		return
	}
	var steps []string
	for _, s := range []struct {
		at   *time.Time
		what string
	}{{t.Made, "sold"}, {t.Read, "read"}, {t.Published, "published"}, {t.PickedUp, "picked up"}, {t.Seen, "seen there"}} {
		if s.at != nil {
			steps = append(steps, s.what+" "+env.when(s.at))
		}
	}
	fmt.Fprintf(env.Out, "  %s, %s: %s", clean(t.Calendar.Name), *t.Start, strings.Join(steps, ", "))
	if t.Took != nil {
		fmt.Fprintf(env.Out, "; %s from reading it to seeing it there", short(time.Duration(*t.Took)*time.Second))
	}
	fmt.Fprintln(env.Out)
}
