// Command faults tries everything that is known to go wrong with feeds, readers, logins, the console, the
// database and the process, with a server of hostile feeds on loopback. It prints a line for each.
package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"os/signal"
	"strings"
	"syscall"
	"time"
)

// most bounds the whole of it.
const most = 15 * time.Minute

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx, os.Stdout); err != nil {
		fmt.Fprintln(os.Stderr, "faults: "+err.Error())
		os.Exit(1)
	}
}

// event is what `go test -json` says (see `go doc test2json`).
type event struct {
	Action, Test, Output string
	Elapsed              float64 // seconds
}

func run(ctx context.Context, to io.Writer) error {
	ctx, cancel := context.WithTimeout(ctx, most)
	defer cancel()
	cmd := exec.CommandContext(ctx, "go", "test", "-json", "-count=1", "-timeout", most.String(), "-run", "^TestFaults", "./e2e")
	cmd.Env = append(os.Environ(), "WHARF_FAULTS=all")
	cmd.Cancel = func() error { return cmd.Process.Signal(os.Interrupt) }
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	held, broke := tell(out, to)
	if err := cmd.Wait(); err != nil || broke > 0 || held == 0 {
		return fmt.Errorf("%d of %d did harm, or the tests around them failed (%v)", broke, held+broke, err)
	}
	fmt.Fprintf(to, "%d faults, and none did harm.\n", held)
	return nil
}

// tell prints a line for each fault, and what is said of those that did harm.
func tell(out io.Reader, to io.Writer) (held, broke int) {
	said := map[string]*strings.Builder{}
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 1<<20)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil {
			continue // the tool's own words
		}
		_, fault, isFault := strings.Cut(e.Test, "/")
		switch e.Action {
		case "output":
			if said[e.Test] == nil {
				said[e.Test] = &strings.Builder{}
			}
			said[e.Test].WriteString(e.Output)
		case "pass":
			if isFault {
				held++
				fmt.Fprintf(to, "held %6.1f s  %s\n", e.Elapsed, strings.ReplaceAll(fault, "_", " "))
			}
		case "fail":
			if isFault {
				broke++
			}
			fmt.Fprintf(to, "HARM  %s\n%s", strings.ReplaceAll(e.Test, "_", " "), said[e.Test])
		}
	}
	return held, broke
}
