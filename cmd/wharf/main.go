// Command wharf is the service, the client and the file tools in one.
package main

import (
	"context"
	"os"
	"os/signal"
	"syscall"
	"time"

	"wharf/cli"
)

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	os.Exit(cli.Run(ctx, os.Args, cli.Env{In: os.Stdin, Out: os.Stdout, Err: os.Stderr, Now: time.Now}))
}
