package cli

import (
	"context"
	"fmt"
	"net/http"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
	"wharf/internal/private"
)

func (env *Env) publicationCommand() *cli.Command {
	return &cli.Command{
		Name: "publication", Usage: "calendars given back, a link for each recipient",
		Commands: []*cli.Command{
			{
				Name: "add", Usage: "publish a calendar for a platform", ArgsUsage: "NAME",
				Description: "Example: wharf publication add \"Ketch, for the harbour office\" --calendar \"Ketch Merrow\" --platform \"Harbour office\"",
				Flags: append([]cli.Flag{
					&cli.StringFlag{Name: "calendar", Required: true, Usage: "calendar to publish"},
					&cli.StringFlag{Name: "platform", Usage: "platform that is to import it"},
					&cli.StringFlag{Name: "person", Usage: "or the person whom it is for: they sell nothing, so nothing is kept from them as their own"},
					jsonFlag,
				}, contentFlags...),
				Action: env.onOne(env.publicationAdd),
			},
			{
				Name: "list", Usage: "list the publications and when each was picked up", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf publication list",
				Action:      env.connected(env.publicationList),
			},
			{
				Name: "show", Usage: "show a publication, its link and its pickups", ArgsUsage: "PUBLICATION",
				Flags:       []cli.Flag{jsonFlag, &cli.BoolFlag{Name: "link", Usage: "show all of the link, which is a secret"}},
				Description: "Example: wharf publication show \"Ketch, for Merrow Charter Desk\"",
				Action:      env.onOne(env.publicationShow),
			},
			{
				Name: "edit", Usage: "change a publication; its recipient sees its name and titles", ArgsUsage: "PUBLICATION",
				Description: "Example: wharf publication edit \"Ketch, for the harbour office\" --name \"Ketch, for the office\"",
				Flags: append([]cli.Flag{
					&cli.StringFlag{Name: "name", Usage: "its new name"},
					&cli.StringFlag{Name: "reader", Usage: "first name in the User-Agent of the recipient's own reader; empty for most of the last ones"},
					tryFlag, sureFlag, revisionFlag, jsonFlag,
				}, contentFlags...),
				Action: env.onOne(env.publicationEdit),
			},
			env.previewCommand(), env.compareCommand(), env.tripsCommand(),
			{
				Name: "page", Usage: "make a page of a publication for everybody, with what is free and what is taken", ArgsUsage: "PUBLICATION",
				Description: "Its address is a secret of its own; once more: it gets another one. Only of what is given to a person: nothing is left out of that.\nExample: wharf publication page \"Ketch, for guests\"",
				Flags:       []cli.Flag{&cli.BoolFlag{Name: "close", Usage: "close it: its address answers that it was closed"}, jsonFlag},
				Action:      env.onOne(env.publicationPage),
			},
			{
				Name: "renew", Usage: "make a new link for a publication; the old one is revoked", ArgsUsage: "PUBLICATION", Flags: []cli.Flag{yesFlag, jsonFlag},
				Description: "For a link that came into the wrong hands. What its recipient loses until it has the new one is said first.\nExample: wharf publication renew \"Ketch, for the office\" --yes",
				Action:      env.onOne(env.publicationRenew),
			},
			{
				Name: "remove", Usage: "revoke the link of a publication", ArgsUsage: "PUBLICATION", Flags: []cli.Flag{yesFlag},
				Description: "Example: wharf publication remove \"Ketch, for the office\" --yes",
				Action:      env.onOne(env.publicationRemove),
			},
		},
	}
}

func (env *Env) publicationAdd(ctx context.Context, c *cli.Command, api *client.Client, name string) error {
	k, err := calendarNamed(ctx, api, c.String("calendar"))
	if err != nil {
		return err
	}
	recipient, person := c.String("platform"), c.IsSet("person")
	if person == (recipient != "") {
		return usagef("say whom it is for: --platform PLATFORM, or --person NAME")
	}
	if person {
		recipient = c.String("person")
	}
	content, err := contentOf(ctx, c, api)
	if err != nil {
		return err
	}
	password, err := env.newPassword(c)
	if err != nil {
		return err
	}
	p, err := client.Decode[client.Publication](api.CreatePublication(ctx, client.PublicationRequest{Name: name, Calendar: k.Id, Platform: recipient, Person: &person, Content: content, User: textOf[string](c, "user"), Password: password, Expires: textOf[string](c, "until")}))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Publication{p})
	}
	ask := "Have %s import this link"
	if person {
		ask = "Give %s this link"
	}
	fmt.Fprintf(env.Out, "Published, with %s. "+ask+", and tell nobody else:\n%s\n", count(p.Items, "booking", "bookings"), clean(p.Platform.Name), p.Url)
	return nil
}

func (env *Env) publicationList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Publication](api.ListPublications(ctx, nil))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	if len(all) == 0 {
		fmt.Fprintln(env.Out, "Nothing is published yet: `wharf publication add NAME --calendar CALENDAR --platform PLATFORM`.")
		return nil
	}
	rows := make([]table.Row, len(all))
	for i, p := range all {
		rows[i] = table.Row{p.Id, clean(p.Name), clean(p.Platform.Name), p.Version, p.Items, env.pickedUp(p)}
	}
	printTable(env.Out, table.Row{"Id", "Publication", "Recipient", "Version", "Bookings", "Last pickup"}, rows)
	return nil
}

func (env *Env) pickedUp(p client.Publication) string {
	if p.LastPickup == nil || p.LastPickupVersion == nil {
		return "never came"
	}
	text := fmt.Sprintf("version %d, %s", *p.LastPickupVersion, env.when(p.LastPickup))
	if p.PickupState == client.Overdue {
		text += ": overdue"
	}
	return text
}

func (env *Env) publicationShow(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := publicationNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Publication{p})
	}
	pickups, err := client.Decode[[]client.Pickup](api.ListPickups(ctx, p.Id))
	if err != nil {
		return err
	}
	link := private.Link(p.Url) + " (a secret; --link shows all of it)"
	if c.Bool("link") {
		link = p.Url
	}
	fmt.Fprintf(env.Out, "%s, for %s: version %d with %s, since %s.\n%s\nLink: %s\n\n", clean(p.Name), clean(p.Platform.Name), p.Version, count(p.Items, "booking", "bookings"), env.when(p.VersionAt), contentWords(p.Content), link)
	if len(pickups) == 0 {
		fmt.Fprintf(env.Out, "%s never came for it: give it the link.\n", clean(p.Platform.Name))
		return nil
	}
	fmt.Fprintln(env.Out, pickupWords(p))
	rows := make([]table.Row, len(pickups))
	for i, k := range pickups {
		rows[i] = table.Row{k.Version, env.when(&k.First), env.when(&k.Last), k.Times, clean(k.Agent)}
	}
	printTable(env.Out, table.Row{"Version", "First picked up", "Last asked", "Times", "By"}, rows)
	return nil
}

// pickupWords says how a recipient comes for its publication.
func pickupWords(p client.Publication) string {
	has := "It has the newest version."
	if p.LastPickupVersion != nil && *p.LastPickupVersion != p.Version {
		has = "It has not the newest version yet."
	}
	if p.UsualGap == nil || p.LongGap == nil {
		return "It came once so far. " + has
	}
	gap := func(seconds int64) string { return (time.Duration(seconds) * time.Second).String() }
	text := fmt.Sprintf("It usually comes every %s, and 95 times in 100 within %s. ", gap(*p.UsualGap), gap(*p.LongGap))
	if p.PickupState == client.Overdue {
		text += "It is overdue. "
	}
	return text + has
}

func publicationNamed(ctx context.Context, api *client.Client, ref string) (client.Publication, error) {
	all, err := client.Decode[[]client.Publication](api.ListPublications(ctx, nil))
	if err != nil {
		return client.Publication{}, err
	}
	return find(all, "publication", ref, func(p client.Publication) int64 { return p.Id }, func(p client.Publication) string { return p.Name })
}

func (env *Env) publicationEdit(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	if err := anyOf(c, append([]string{"name", "reader"}, contentFlagNames...)...); err != nil {
		return err
	}
	p, err := publicationNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	content, err := contentOf(ctx, c, api)
	if err != nil {
		return err
	}
	password, err := env.newPassword(c)
	if err != nil {
		return err
	}
	edit := client.PublicationEdit{Revision: revisionOf(c, p.Revision), Name: textOf[string](c, "name"), Reader: textOf[string](c, "reader"), Content: content, User: textOf[string](c, "user"), Password: password, Expires: textOf[string](c, "until")}
	if meant, err := env.mayOpen(c, func() (*http.Response, error) { return api.TryPublicationEdit(ctx, p.Id, edit) }); err != nil || !meant {
		return err
	}
	p, err = client.Decode[client.Publication](api.EditPublication(ctx, p.Id, edit))
	if err != nil {
		return err
	}
	return printChanged(env, c, p.Name, p.Revision, p)
}

// newPassword is what a link is to ask for from now on; nil: it is left as it is.
func (env *Env) newPassword(c *cli.Command) (*string, error) {
	_, password, err := env.passwordOf(c)
	if err != nil || password == "" {
		return nil, err
	}
	return &password, nil
}

func (env *Env) publicationPage(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := publicationNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	if c.Bool("close") {
		if _, err := client.Decode[struct{}](api.ClosePage(ctx, p.Id)); err != nil {
			return err
		}
		fmt.Fprintf(env.Out, "The page of %s is closed.\n", clean(p.Name))
		return nil
	}
	p, err = client.Decode[client.Publication](api.OpenPage(ctx, p.Id))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Publication{p})
	}
	fmt.Fprintf(env.Out, "Whoever has this address sees what is free and what is taken, and no more:\n%s\nIn a page of your own: <iframe src=\"%s\" title=\"What is free\"></iframe>\n", *p.Page, *p.Page)
	return nil
}

func (env *Env) publicationRenew(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := publicationNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	p, err = confirmed[client.Publication](env, c, "Make a new link for "+clean(p.Name)+" all the same?", "nothing was changed: answer y, or give --yes, if there is to be a new link",
		func(confirm *string) (*http.Response, error) {
			return api.RenewLink(ctx, p.Id, &client.RenewLinkParams{Confirm: confirm})
		})
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, []client.Publication{p})
	}
	fmt.Fprintf(env.Out, "The old link is revoked. Have %s import this one, and tell nobody else:\n%s\n", clean(p.Platform.Name), p.Url)
	return nil
}

func (env *Env) publicationRemove(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, err := publicationNamed(ctx, api, ref)
	if err != nil {
		return err
	}
	return env.remove(c, p.Name, func(confirm *string) (*http.Response, error) {
		return api.RemovePublication(ctx, p.Id, &client.RemovePublicationParams{Confirm: confirm})
	})
}
