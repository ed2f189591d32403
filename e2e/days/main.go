// Command days runs the tests that depend on the date on ten days: with the clocks of service, client, demo and browser
// shifted to tomorrow, either side of a local midnight, both changes of the clock in the sample's zone, the end of February
// and of the year, and the first of December. It prints a line for each.
package main

import (
	"bytes"
	"context"
	"fmt"
	"os"
	"os/exec"
	"os/signal"
	"path/filepath"
	"syscall"
	"time"

	"wharf/core/zone"
	"wharf/internal/clock"
)

const zoneName = "America/Halifax"

func main() {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	if err := run(ctx); err != nil {
		fmt.Fprintln(os.Stderr, "days: "+err.Error())
		os.Exit(1)
	}
}

// moment is when a run of the tests is to begin.
type moment struct {
	at  time.Time
	why string
}

// momentsFrom lists the moments to come.
func momentsFrom(today time.Time) []moment {
	noon := func(y int, m time.Month, d int) time.Time { return time.Date(y, m, d, 12, 0, 0, 0, today.Location()) }
	var all []moment
	y, m, d := today.Date()
	tomorrow := noon(y, m, d+1)
	all = append(all, moment{tomorrow, "tomorrow"}, moment{tomorrow.Add(11*time.Hour + 50*time.Minute), "just before midnight"},
		moment{tomorrow.Add(12*time.Hour + 2*time.Minute), "just after midnight"})
	for n := 1; n <= 366; n++ {
		before, at := noon(y, m, d+n-1), noon(y, m, d+n)
		_, was := before.Zone()
		_, is := at.Zone()
		switch {
		case was != is:
			all = append(all, moment{before, "the day before the clocks change"}, moment{at, "the clocks have changed"})
		case at.Month() == time.February && at.Day() == 28:
			all = append(all, moment{at, "the end of February"})
		case at.Month() == time.December && at.Day() == 1:
			all = append(all, moment{at, "the first of December"})
		case at.Month() == time.December && at.Day() == 31:
			all = append(all, moment{at, "the end of the year"})
		}
	}
	return all
}

func run(ctx context.Context) error {
	loc, err := zone.Load(zoneName)
	if err != nil {
		return err
	}
	dir, err := os.MkdirTemp("", "wharf-days-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	tests := filepath.Join(dir, "e2e.test")
	if out, err := exec.CommandContext(ctx, "go", "test", "-c", "-o", tests, "./e2e").CombinedOutput(); err != nil {
		return fmt.Errorf("the tests cannot be built: %w\n%s", err, out)
	}
	failed := 0
	for _, m := range momentsFrom(time.Now().In(loc)) {
		began := time.Now()
		cmd := exec.CommandContext(ctx, tests, "-test.timeout", "10m")
		cmd.Dir = "e2e"
		cmd.Env = append(os.Environ(), clock.Shift+"="+time.Until(m.at).Round(time.Second).String(), "WHARF_E2E_BINARIES="+dir)
		var out bytes.Buffer
		cmd.Stdout, cmd.Stderr = &out, &out
		err := cmd.Run()
		result := "holds"
		if err != nil {
			failed++
			result = "FAILS"
		}
		fmt.Printf("%s  %s  %3.0f s  %s\n", m.at.Format("Mon 2006-01-02 15:04 MST"), result, time.Since(began).Seconds(), m.why)
		if err != nil {
			fmt.Printf("%s\n", out.Bytes())
		}
		if ctx.Err() != nil {
			return ctx.Err()
		}
	}
	if failed > 0 {
		return fmt.Errorf("%d moments fail", failed)
	}
	return nil
}
