// Command withdb runs a command while a throwaway MariaDB server is up, whose address the
// command finds in WHARF_TEST_DATABASE.
package main

import (
	"context"
	"crypto/sha256"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"runtime"
	"syscall"

	"golang.org/x/sys/unix"

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

// leastMemory is how many bytes must be free in memory for a database to be kept there.
const leastMemory = 4 << 30

// room is where the database of a directory is kept: in memory, where there is some, since thousands of small tables come
// and go; the same place for the same directory, so that what a killed run has left is found.
func room(dir string) (string, error) {
	dir, err := filepath.Abs(dir)
	if err != nil {
		return "", err
	}
	var memory unix.Statfs_t
	if unix.Statfs("/dev/shm", &memory) != nil || memory.Bavail*uint64(memory.Bsize) < leastMemory {
		return filepath.Join(dir, "mariadb"), nil
	}
	sum := sha256.Sum256([]byte(dir))
	return filepath.Join("/dev/shm", fmt.Sprintf("wharf-%x", sum[:6])), nil
}

func run() (int, error) {
	if len(os.Args) < 3 {
		return 2, fmt.Errorf("usage: withdb DIRECTORY COMMAND [ARGUMENT...]")
	}
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	dir, err := room(os.Args[1])
	if err != nil {
		return 1, err
	}
	defer os.RemoveAll(dir)
	pristine, err := filepath.Abs(filepath.Join(os.Args[1], "pristine"))
	if err != nil {
		return 1, err
	}
	if err := localdb.Initialise(ctx, pristine); err != nil {
		return 1, err
	}
	if err := os.Setenv(localdb.Pristine, pristine); err != nil { // for this server, and those that tests start
		return 1, err
	}
	server, err := localdb.Start(ctx, dir, 0, "--innodb-flush-method=nosync", "--skip-innodb-doublewrite", "--innodb-stats-persistent=0")
	if err != nil {
		return 1, err
	}
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
