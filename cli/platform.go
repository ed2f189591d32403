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

func (env *Env) platformCommand() *cli.Command {
	return &cli.Command{
		Name: "platform", Usage: "systems on which things are sold or listed",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "add a platform", ArgsUsage: "NAME", Flags: []cli.Flag{jsonFlag},
				Description: "A platform is also added by the first feed or publication that names it.\nExample: wharf platform add \"Visitor centre\"",
				Action:      env.onOne(env.platformAdd),
			},
			{
				Name: "list", Usage: "list the platforms, with what comes in from each and goes out to it", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf platform list",
				Action:      env.connected(env.platformList),
			},
			{
				Name: "show", Usage: "show a platform with its feeds and publications", ArgsUsage: "PLATFORM", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf platform show \"Kittiwake Berths\"",
				Action:      env.onOne(env.platformShow),
			},
			{
				Name: "edit", Usage: "rename a platform", ArgsUsage: "PLATFORM",
				Description: "Example: wharf platform edit \"Visitor centre\" --name \"Visitor centre, Skerrywick\"",
				Flags:       []cli.Flag{&cli.StringFlag{Name: "name", Required: true, Usage: "its new name"}, revisionFlag, jsonFlag},
				Action:      env.onOne(env.platformEdit),
			},
			{
				Name: "habit", Usage: "lay down how a platform writes, shows or sells", ArgsUsage: "PLATFORM HABIT [VALUE]",
				Description: "HABIT is reflects or keeps_uids (yes, no), delay (minutes from a pickup until it shows what it got; 0: none), rate (sales a day at most),\n" +
					"form (sale, block, both; --of as platform show has it) or way (yes, no; --of joined, with_own, split, shifted, widened or trimmed).\n" +
					"VALUE off has nothing concluded from it; no VALUE takes back what was laid down, and what is learnt counts again. What it would change is said first.\n" +
					"Example: wharf platform habit \"Kittiwake Berths\" delay 0",
				Flags: []cli.Flag{&cli.StringFlag{Name: "of", Usage: "form or way that it is about"}, tryFlag,
					&cli.BoolFlag{Name: "yes", Aliases: []string{"y"}, Usage: "do it whatever it changes, without being asked"}},
				Action: env.connected(env.platformHabit),
			},
			{
				Name: "remove", Usage: "remove a platform that nothing is of", ArgsUsage: "PLATFORM", Flags: []cli.Flag{yesFlag},
				Description: "Example: wharf platform remove \"Visitor centre, Skerrywick\"",
				Action:      env.onOne(env.platformRemove),
			},
		},
	}
}

func platformNamed(ctx context.Context, api *client.Client, ref string) (client.Platform, error) {
	all, err := client.Decode[[]client.Platform](api.ListPlatforms(ctx))
	if err != nil {
		return client.Platform{}, err
	}
	return find(all, "platform", ref, func(p client.Platform) int64 { return p.Id }, func(p client.Platform) string { return p.Name })
}

func (env *Env) platformAdd(ctx context.Context, c *cli.Command, api *client.Client, name string) error {
	p, err := client.Decode[client.Platform](api.CreatePlatform(ctx, client.PlatformRequest{Name: name}))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Platform{p})
	}
	fmt.Fprintf(env.Out, "Added %s (platform %d).\n", clean(p.Name), p.Id)
	return nil
}

// traffic is what comes in from a platform and goes out to it.
type traffic struct {
	feeds        []client.Feed
	publications []client.Publication
}

func trafficOf(ctx context.Context, api *client.Client) (map[int64]traffic, error) {
	feeds, err := client.Decode[[]client.Feed](api.ListFeeds(ctx, nil))
	if err != nil {
		return nil, err
	}
	publications, err := client.Decode[[]client.Publication](api.ListPublications(ctx, nil))
	by := map[int64]traffic{}
	for _, f := range feeds {
		t := by[f.Platform.Id]
		t.feeds = append(t.feeds, f)
		by[f.Platform.Id] = t
	}
	for _, p := range publications {
		t := by[p.Platform.Id]
		t.publications = append(t.publications, p)
		by[p.Platform.Id] = t
	}
	return by, err
}

func (env *Env) platformList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Platform](api.ListPlatforms(ctx))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "No platforms yet: they come with the first feed of each, `wharf feed add LINK --platform NAME --name NAME`.")
		return nil
	}
	by, err := trafficOf(ctx, api)
	if err != nil {
		return err
	}
	rows := make([]table.Row, len(all))
	for i, p := range all {
		t := by[p.Id]
		states := make([]string, len(t.feeds))
		for n, f := range t.feeds {
			states[n] = string(f.State)
		}
		in, out := "nothing comes in", "nothing goes out"
		if len(states) > 0 {
			in = count(len(states), "feed", "feeds") + ", " + strings.Join(unique(states), ", ")
		}
		if len(t.publications) > 0 {
			out = count(len(t.publications), "publication", "publications")
		}
		rows[i] = table.Row{p.Id, clean(p.Name), in, out}
	}
	printTable(env.Out, table.Row{"Id", "Platform", "In", "Out"}, rows)
	return nil
}

func unique(all []string) []string {
	var out []string
	seen := map[string]bool{}
	for _, s := range all {
		if !seen[s] {
			out = append(out, s)
		}
		seen[s] = true
	}
	return out
}

func (env *Env) platformShow(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := platformNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Platform{p})
	}
	by, err := trafficOf(ctx, api)
	if err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "%s (platform %d, revision %d)\n\n", clean(p.Name), p.Id, p.Revision)
	var rows []table.Row
	for _, f := range by[p.Id].feeds {
		rows = append(rows, table.Row{"in", clean(f.Name), f.State, "last good reading " + env.when(f.LastGood)})
	}
	for _, q := range by[p.Id].publications {
		rows = append(rows, table.Row{"out", clean(q.Name), fmt.Sprintf("version %d", q.Version), "last pickup " + env.pickedUp(q)})
	}
	if len(rows) == 0 {
		fmt.Fprintln(env.Out, "Nothing comes in from it and nothing goes out to it.")
		return nil
	}
	printTable(env.Out, table.Row{"", "Feed or publication", "State", ""}, rows)
	return env.tellHabits(ctx, api, p, by[p.Id].feeds)
}

// tellHabits says what is known of a platform, and where from.
func (env *Env) tellHabits(ctx context.Context, api *client.Client, p client.Platform, feeds []client.Feed) error {
	habits, err := client.Decode[[]client.Habit](api.ListHabits(ctx, p.Id, nil))
	if err != nil || len(habits) == 0 {
		return err
	}
	names := map[int64]string{}
	for _, f := range feeds {
		names[f.Id] = f.Name
	}
	rows := make([]table.Row, len(habits))
	for i, h := range habits {
		from := ""
		switch {
		case h.SetBy != nil:
			from = "laid down by " + clean(*h.SetBy)
		case h.Bookings != nil && h.Feed != nil:
			from = fmt.Sprintf("%s of %s", count(len(*h.Bookings), "booking", "bookings"), clean(names[*h.Feed]))
		case h.Feed != nil:
			from = clean(names[*h.Feed])
		}
		of := ""
		if h.Of != nil {
			of = clean(*h.Of)
		}
		rows[i] = table.Row{h.Habit, clean(h.Sentence), from, env.when(&h.Since), of}
	}
	fmt.Fprintln(env.Out)
	printTable(env.Out, table.Row{"Habit", "What is known", "From", "Since", "Of"}, rows)
	return nil
}

// platformHabit lays down a habit, or takes that back.
func (env *Env) platformHabit(ctx context.Context, c *cli.Command, api *client.Client) error {
	if n := c.Args().Len(); n < 2 || n > 3 {
		return usagef("name the platform, the habit and its value, such as: wharf platform habit \"Kittiwake Berths\" delay 0")
	}
	p, err := platformNamed(ctx, api, c.Args().Get(0))
	if err != nil {
		return err
	}
	habit, value := client.HabitName(c.Args().Get(1)), c.Args().Get(2)
	return env.change(c, func(try bool) (*http.Response, error) {
		if value == "" {
			return api.ForgetHabit(ctx, p.Id, habit, &client.ForgetHabitParams{Of: textOf[string](c, "of"), Try: &try})
		}
		return api.LayDownHabit(ctx, p.Id, habit, &client.LayDownHabitParams{Of: textOf[string](c, "of"), Try: &try}, client.HabitRequest{Value: value})
	})
}

func (env *Env) platformEdit(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := platformNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	p, err = client.Decode[client.Platform](api.EditPlatform(ctx, p.Id, client.PlatformEdit{Revision: revisionOf(c, p.Revision), Name: c.String("name")}))
	if err != nil {
		return err
	}
	return printChanged(env, c, p.Name, p.Revision, p)
}

func (env *Env) platformRemove(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := platformNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	return env.remove(c, p.Name, func(*string) (*http.Response, error) { return api.RemovePlatform(ctx, p.Id) })
}
