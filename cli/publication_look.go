package cli

import (
	"context"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) previewCommand() *cli.Command {
	return &cli.Command{
		Name: "preview", Usage: "see a publication as its recipient does", ArgsUsage: "PUBLICATION", Flags: []cli.Flag{jsonFlag},
		Description: "It is no pickup.\nExample: wharf publication preview \"Ketch, for Merrow Charter Desk\"",
		Action:      env.onOne(env.publicationPreview),
	}
}

func (env *Env) compareCommand() *cli.Command {
	return &cli.Command{
		Name: "compare", Usage: "hold what a recipient shows against what it was sent", ArgsUsage: "PUBLICATION [LINK or FILE]",
		Flags:       []cli.Flag{&cli.StringFlag{Name: "feed", Usage: "a feed of theirs that is read already, instead of a link or file"}, jsonFlag},
		Description: "From today on; nothing is kept of what is read. Exit 1 where it does not show all that it was sent.\nExample: wharf publication compare \"Ketch, for Merrow Charter Desk\" --feed \"Ketch, Merrow Charter Desk\"",
		Action:      env.connected(env.publicationCompare),
	}
}

func (env *Env) publicationPreview(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	p, k, err := publicationOn(ctx, api, ref)
	if err != nil {
		return err
	}
	l, err := client.Decode[client.PublicationPreview](api.PreviewPublication(ctx, p.Id))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, l.Events)
	}
	fmt.Fprintf(env.Out, "%s sees %s in %.1f kB.\n", clean(p.Platform.Name), count(len(l.Events), "event", "events"), float64(l.Bytes)/1000)
	if len(l.Events) == 0 {
		return nil
	}
	rows := make([]table.Row, len(l.Events))
	for i, e := range l.Events {
		from, until := ends(e.Start, e.End, k)
		status := map[client.ShownEventStatus]string{client.SeenConfirmed: "taken", client.SeenTentative: "taken, tentative", client.SeenCancelled: "called off"}[e.Status]
		if e.Free {
			status = "free"
		}
		rows[i] = table.Row{from, until, status, clean(e.Title)}
	}
	first, last := endWords(k.Grain)
	printTable(env.Out, table.Row{first, last, "Shown as", "Title"}, rows)
	return nil
}

// publicationOn is a publication with its calendar.
func publicationOn(ctx context.Context, api *client.Client, ref string) (p client.Publication, k client.Calendar, err error) {
	if p, err = publicationNamed(ctx, api, ref); err != nil {
		return p, k, err
	}
	k, err = client.Decode[client.Calendar](api.GetCalendar(ctx, p.Calendar))
	return p, k, err
}

func (env *Env) publicationCompare(ctx context.Context, c *cli.Command, api *client.Client) error {
	if n := c.Args().Len(); n == 0 || n > 2 || (n == 2) == (c.String("feed") != "") {
		return usagef("name the publication, and what it is to be held against: a link, a file, or --feed FEED")
	}
	p, k, err := publicationOn(ctx, api, c.Args().First())
	if err != nil {
		return err
	}
	var request client.ComparisonRequest
	if name := c.String("feed"); name != "" {
		f, err := feedNamed(ctx, api, name)
		if err != nil {
			return err
		}
		request.Feed = &f.Id
	} else {
		link := c.Args().Get(1)
		if request.File, err = env.fileOf(link); err != nil {
			return err
		}
		if request.File == nil {
			request.Url = &link
		}
	}
	is, err := client.Decode[client.Comparison](api.ComparePublication(ctx, p.Id, request))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		if err := printJSON(env.Out, []client.Comparison{is}); err != nil {
			return err
		}
	} else {
		env.printComparison(p, k, is)
	}
	if len(is.Unshown) > 0 {
		return errUnmet
	}
	return nil
}

func (env *Env) printComparison(p client.Publication, k client.Calendar, is client.Comparison) {
	fmt.Fprintf(env.Out, "%s was sent %s from today on, and shows %s.\n", clean(p.Platform.Name), count(is.Sent, "event", "events"), count(is.Shown, "event", "events"))
	list := func(all []client.Stretch, none, some string) {
		if len(all) == 0 {
			fmt.Fprintln(env.Out, none)
			return
		}
		fmt.Fprintln(env.Out, some)
		for _, s := range all {
			fmt.Fprintf(env.Out, "  %s  %s\n", spanOf(s.Start, s.End, k), clean(s.Title))
		}
	}
	list(is.Unshown, "All that it was sent is taken there.", "It was sent this and does not show it, so it can sell it:")
	list(is.Unsent, "It shows nothing else.", "It shows this and was not sent it: its own sales, or what it has from elsewhere.")
}
