// Command wharf is the service, the client and the file tools in one.
package main

import (
	"context"
	"fmt"
	"os"
	"os/signal"
	"syscall"

	ucli "github.com/urfave/cli/v3"

	"wharf/cli"
	"wharf/internal/clock"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := loadSettingsFile(os.Args[1:]); err != nil {
		fmt.Fprintln(os.Stderr, "wharf: "+err.Error())
		os.Exit(cli.ExitUsage)
	}
	os.Exit(cli.Run(ctx, os.Args, cli.Env{In: os.Stdin, Out: os.Stdout, Err: os.Stderr, Now: clock.Now,
		Extra: []*ucli.Command{serveCommand()}}))
}
