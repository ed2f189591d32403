package cli

import (
	"context"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) groupCommand() *cli.Command {
	return &cli.Command{
		Name: "group", Usage: "groups in which calendars are shown",
		Description: "A group is made by naming it for a calendar (`wharf calendar edit CALENDAR --group NAME`), and is gone with its last.",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list the groups, in their order", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf group list",
				Action:      env.connected(env.groupList),
			},
			{
				Name: "edit", Usage: "give a group another name, or another place", ArgsUsage: "GROUP",
				Description: "Example: wharf group edit Ashore --before Berths",
				Flags: []cli.Flag{&cli.StringFlag{Name: "name", Usage: "its new name"},
					&cli.StringFlag{Name: "before", Usage: "the group before which it is to come; \"last\" to put it at the end"}, revisionFlag, jsonFlag},
				Action: env.onOne(env.groupEdit),
			},
		},
	}
}

func (env *Env) groupList(ctx context.Context, c *cli.Command, api *client.Client) error {
	groups, err := client.Decode[[]client.Group](api.ListGroups(ctx))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, groups)
	}
	calendars, err := client.Decode[[]client.Calendar](api.ListCalendars(ctx, nil))
	if err != nil {
		return err
	}
	in := map[int64]int{}
	for _, k := range calendars {
		if k.Group != nil {
			in[*k.Group]++
		}
	}
	if len(groups) == 0 {
		fmt.Fprintln(env.Out, "No groups yet: name one for a calendar with `wharf calendar edit CALENDAR --group NAME`.")
		return nil
	}
	rows := make([]table.Row, len(groups))
	for i, g := range groups {
		rows[i] = table.Row{g.Id, clean(g.Name), in[g.Id]}
	}
	printTable(env.Out, table.Row{"Id", "Group", "Calendars"}, rows)
	return nil
}

func (env *Env) groupEdit(ctx context.Context, c *cli.Command, api *client.Client, ref string) error {
	if err := anyOf(c, "name", "before"); err != nil {
		return err
	}
	groups, err := client.Decode[[]client.Group](api.ListGroups(ctx))
	if err != nil {
		return err
	}
	named := func(ref string) (client.Group, error) { return groupAmong(groups, ref) }
	g, err := named(ref)
	if err != nil {
		return err
	}
	edit := client.GroupEdit{Revision: revisionOf(c, g.Revision), Name: textOf[string](c, "name")}
	switch before := c.String("before"); {
	case before == "last":
		last := int64(0)
		edit.Before = &last
	case before != "":
		next, err := named(before)
		if err != nil {
			return err
		}
		edit.Before = &next.Id
	}
	after, err := client.Decode[[]client.Group](api.EditGroup(ctx, g.Id, edit))
	if err != nil {
		return err
	}
	for _, now := range after {
		if now.Id == g.Id {
			g = now
		}
	}
	return printChanged(env, c, g.Name, g.Revision, g)
}

func groupAmong(groups []client.Group, ref string) (client.Group, error) {
	return find(groups, "group", ref, func(g client.Group) int64 { return g.Id }, func(g client.Group) string { return g.Name })
}

// groupNames are the names of the groups.
func groupNames(ctx context.Context, api *client.Client) (map[int64]string, error) {
	groups, err := client.Decode[[]client.Group](api.ListGroups(ctx))
	names := map[int64]string{}
	for _, g := range groups {
		names[g.Id] = g.Name
	}
	return names, err
}

// orZero is a number, or 0 where there is none.
func orZero(n *int64) int64 {
	if n == nil {
		return 0
	}
	return *n
}
