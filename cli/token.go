package cli

import (
	"context"
	"errors"
	"fmt"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

func (env *Env) tokenCommand() *cli.Command {
	return &cli.Command{
		Name: "token", Usage: "who is logged in to your account: programs by tokens, and browsers",
		Commands: []*cli.Command{
			{
				Name: "list", Usage: "list the tokens and the browsers that are logged in", Flags: []cli.Flag{jsonFlag},
				Description: "Example: wharf token list",
				Action:      env.connected(env.tokenList),
			},
			{
				Name: "revoke", Usage: "end a login; its program or page is locked out at once", ArgsUsage: "ID",
				Description: "Example: wharf token revoke 1",
				Action:      env.onOne(env.tokenRevoke),
			},
		},
	}
}

func (env *Env) tokenList(ctx context.Context, c *cli.Command, api *client.Client) error {
	all, err := client.Decode[[]client.Login](api.ListLogins(ctx))
	if err != nil {
		return err
	}
	if c.Bool("json") {
		return printJSON(env.Out, all)
	}
	rows := make([]table.Row, len(all))
	for i, l := range all {
		here := ""
		if l.Current {
			here = "this one"
		}
		rows[i] = table.Row{l.Id, l.Kind, clean(l.Label), env.when(&l.Created), l.Expires.Local().Format("2 Jan 2006"), here}
	}
	printTable(env.Out, table.Row{"Id", "Kind", "For", "Logged in", "Expires", ""}, rows)
	return nil
}

func (env *Env) tokenRevoke(ctx context.Context, _ *cli.Command, api *client.Client, number string) error {
	id, err := numbered(number, "login", "wharf token list")
	if err != nil {
		return err
	}
	if _, err := client.Decode[struct{}](api.DeleteLogin(ctx, id)); err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Login %d has ended.\n", id)
	return nil
}

func (env *Env) logoutCommand() *cli.Command {
	return &cli.Command{
		Name: "logout", Usage: "revoke the saved login and forget it",
		Description: "Example: wharf logout",
		Action:      env.logout,
	}
}

func (env *Env) logout(ctx context.Context, c *cli.Command) error {
	saved, err := savedLogin()
	if err != nil {
		return err
	}
	if saved.Token == "" {
		return errors.New("there is no saved login: nothing to log out of")
	}
	api, err := newClient(saved.Server, saved.Token)
	if err != nil {
		return err
	}
	all, err := client.Decode[[]client.Login](api.ListLogins(ctx))
	for _, l := range all {
		if l.Current {
			_, err = client.Decode[struct{}](api.DeleteLogin(ctx, l.Id))
		}
	}
	if err != nil && !errors.Is(err, errLoginEnded) {
		return err
	}
	if err := saveLogin(login{Server: saved.Server}); err != nil {
		return err
	}
	fmt.Fprintf(env.Out, "Logged out of %s.\n", saved.Server)
	return nil
}
