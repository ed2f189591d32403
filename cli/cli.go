// Package cli is the command line. Its client commands talk to the service through the
// API alone; the file commands use core alone and need neither service nor database.
package cli

import (
	"context"
	"errors"
	"fmt"
	"io"
	"net/http"
	"os"
	"slices"
	"strings"
	"time"

	"github.com/urfave/cli/v3"

	"wharf/api/client"
)

// Exit codes of every command.
const (
	ExitDone   = 0
	ExitFailed = 1 // the thing asked for failed or does not hold
	ExitUsage  = 2 // wrong usage
)

// Env is the world a command runs in; the clock and the streams are passed in.
type Env struct {
	In       io.Reader
	Out, Err io.Writer
	Now      func() time.Time
	// Extra are further commands, such as `serve`, which this package must not know.
	Extra []*cli.Command
}

// usageError marks wrong usage, as opposed to a thing that failed.
type usageError struct{ err error }

func (e usageError) Error() string { return e.err.Error() }

func usagef(format string, args ...any) error { return usageError{fmt.Errorf(format, args...)} }

// errUnmet says that the answer is no (conflicts were found, a file is no calendar) and
// that everything about it was already said.
var errUnmet = errors.New("")

// Run runs the command line and returns the exit code.
func Run(ctx context.Context, args []string, env Env) int {
	err := root(&env).Run(ctx, args)
	if err == nil {
		return ExitDone
	}
	if text := err.Error(); text != "" {
		fmt.Fprintln(env.Err, "wharf: "+clean(text)) // it may quote a feed
	}
	var usage usageError
	if errors.As(err, &usage) || writtenWrong(err) {
		return ExitUsage
	}
	return ExitFailed
}

// written are the settings that a person writes by rules of their own: one that breaks these is wrong usage, whoever
// finds it.
var written = []string{"schedule", "every", "zone", "filter", "counting", "start", "end", "repeat", "expires", "before", "scope", "occurrence", "color", "class", "categories", "grain", "capacity", "units", "role", "tentative", "chanceLimit", "from", "to", "detail", "format", "feeds", "calendars", "occupancy", "back", "ahead", "alarm", "cancelled", "refresh"}

// writtenWrong reports whether the service has refused how settings are written, and nothing else.
func writtenWrong(err error) bool {
	var p *client.ProblemError
	if !errors.As(err, &p) || p.Status != http.StatusBadRequest && p.Status != http.StatusUnprocessableEntity || p.Errors == nil || len(*p.Errors) == 0 {
		return false
	}
	for _, e := range *p.Errors {
		field := strings.TrimPrefix(strings.TrimPrefix(e.Field, "link."), "content.") // of what comes with a feed, or is in a publication
		field, _, _ = strings.Cut(field, ".")
		if !slices.Contains(written, field) {
			return false
		}
	}
	return true
}

func root(env *Env) *cli.Command {
	cmd := &cli.Command{
		Name:  "wharf",
		Usage: "merge published calendars, find double bookings, publish the result",
		Description: "Bookings come in from feeds, are combined into calendars, and go out again in publications.\n" +
			"Example: wharf calendar show \"Ketch Merrow\"",
		Writer: env.Out, ErrWriter: env.Err, Reader: env.In,
		HideVersion: true,
		Suggest:     true,

		EnableShellCompletion: true,
		ConfigureShellCompletionCommand: func(c *cli.Command) {
			c.Hidden, c.Action = false, nil
			c.Usage = "print a script that completes commands and flags in your shell"
			c.Description = "Load it where your shell starts; in bash: source <(wharf completion bash)"
			for _, shell := range c.Commands {
				shell.Usage, shell.Description = "for "+shell.Name, "Example: wharf completion "+shell.Name
			}
			prepare(c)
		},
		Flags: []cli.Flag{
			&cli.StringFlag{Name: "server", Usage: "address of the service", Sources: cli.EnvVars("WHARF_SERVER")},
			&cli.StringFlag{Name: "token", Usage: "token to use instead of the saved login", Sources: cli.EnvVars("WHARF_TOKEN")},
		},
		Commands: append([]*cli.Command{env.loginCommand(), env.passwordCommand(), env.todayCommand(), env.platformCommand(), env.feedCommand(), env.calendarCommand(), env.groupCommand(), env.linkCommand(), env.holdCommand(), env.reviewCommand(), env.reminderCommand(), env.conflictCommand(),
			env.publicationCommand(), fileCommand(env), caseCommand(env), env.tokenCommand(), env.logoutCommand()}, env.Extra...),
		ExitErrHandler: func(context.Context, *cli.Command, error) {}, // Run decides
	}
	prepare(cmd)
	return cmd
}

// prepare gives every command the same manners: wrong flags and unknown commands are
// usage errors, said in one line.
func prepare(cmd *cli.Command) {
	cmd.OnUsageError = func(_ context.Context, c *cli.Command, err error, _ bool) error {
		return usagef("%v: see `%s --help`", err, c.FullName())
	}
	if cmd.Action == nil && len(cmd.Commands) > 0 {
		cmd.Action = func(_ context.Context, c *cli.Command) error {
			if c.Args().Len() > 0 {
				return usagef("%q is no command of %s: see `%s --help`", c.Args().First(), c.FullName(), c.FullName())
			}
			return cli.ShowSubcommandHelp(c)
		}
	}
	for _, sub := range cmd.Commands {
		prepare(sub)
	}
}

// open opens a file for reading; "-" is standard input.
func (env *Env) open(name string) (io.ReadCloser, error) {
	if name == "-" {
		return io.NopCloser(env.In), nil
	}
	f, err := os.Open(name)
	if err != nil {
		var path *os.PathError
		if errors.As(err, &path) {
			return nil, fmt.Errorf("%s cannot be read (%v): check the name and its permissions", name, path.Err)
		}
		return nil, err
	}
	return f, nil
}
