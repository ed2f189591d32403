// Command withdb runs a command while a throwaway MariaDB server is up, whose address the
// command finds in WHARF_TEST_DATABASE.
package main

import (
	"context"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"syscall"

	"wharf/internal/localdb"
	"wharf/internal/localdb/dbtest"
)

func main() {
	runtime.LockOSThread() // a child is told of our death by the thread that started it
	code, err := run()
	if err != nil {
		fmt.Fprintln(os.Stderr, "withdb: "+err.Error())
		code = 1
	}
	os.Exit(code)
}

func run() (int, error) {
	if len(os.Args) < 3 {
		return 2, fmt.Errorf("usage: withdb DIRECTORY COMMAND [ARGUMENT...]")
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	dir := filepath.Join(os.Args[1], "mariadb")
	server, err := localdb.Start(ctx, dir, 0, "--innodb-flush-method=nosync", "--skip-innodb-doublewrite", "--innodb-stats-persistent=0")
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	defer func() { _ = server.Stop() }()
	cmd := exec.CommandContext(ctx, os.Args[2], os.Args[3:]...)
	cmd.Stdin, cmd.Stdout, cmd.Stderr = os.Stdin, os.Stdout, os.Stderr
	cmd.Env = append(os.Environ(), dbtest.Env+"="+server.DSN(""))
	err = cmd.Run()
	if cmd.ProcessState != nil {
		return cmd.ProcessState.ExitCode(), nil
	}
	return 1, err
}
