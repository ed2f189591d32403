// Command testrun runs `go test` once or several times, one after the other, and tells what came of it: what tests that
// failed had to say, the ten slowest, and how many passed and failed.
//
//	testrun [ARGUMENT...] [-- ARGUMENT...]...
//
// Each group of arguments is those of one `go test`.
package main

import (
	"bufio"
	"cmp"
	"encoding/json"
	"fmt"
	"io"
	"os"
	"os/exec"
	"slices"
	"strings"
	"time"
)

func main() {
	began := time.Now()
	r := run{out: os.Stdout, said: map[string][]string{}}
	for group := range slices.Values(groups(os.Args[1:])) {
		if err := r.goTest(group); err != nil {
			fmt.Fprintln(os.Stderr, "testrun: "+err.Error())
			r.broken = true
		}
	}
	r.tell(time.Since(began))
	if r.broken || r.failed > 0 || r.passed == 0 {
		os.Exit(1)
	}
}

// groups cuts arguments at each "--".
func groups(args []string) (all [][]string) {
	for len(args) > 0 {
		end := slices.Index(args, "--")
		if end < 0 {
			end = len(args)
		}
		all = append(all, args[:end])
		args = args[min(end+1, len(args)):]
	}
	return all
}

// event is what `go test -json` says (see `go doc test2json`).
type event struct {
	Action, Package, Test, Output string
	Elapsed                       float64 // seconds
}

func (e event) name() string { return e.Package + " " + e.Test }

// run is what is known of the tests so far.
type run struct {
	out                     io.Writer
	said                    map[string][]string // by tests and packages that have not ended
	passed, failed, skipped int
	slow                    []event
	broken                  bool // something that is no test failed
}

// goTest runs a `go test` and takes down what it says.
func (r *run) goTest(args []string) error {
	cmd := exec.Command("go", append([]string{"test", "-json"}, args...)...)
	cmd.Stderr = os.Stderr
	out, err := cmd.StdoutPipe()
	if err != nil {
		return err
	}
	if err := cmd.Start(); err != nil {
		return err
	}
	lines := bufio.NewScanner(out)
	lines.Buffer(nil, 16<<20)
	for lines.Scan() {
		var e event
		if json.Unmarshal(lines.Bytes(), &e) != nil || e.Action == "" {
			fmt.Fprintln(r.out, lines.Text()) // the tool's own words
			continue
		}
		r.hear(e)
	}
	if err := cmd.Wait(); err != nil && r.failed == 0 {
		return fmt.Errorf("go test %s: %w", strings.Join(args, " "), err)
	}
	return lines.Err()
}

// hear takes down one event.
func (r *run) hear(e event) {
	switch e.Action {
	case "output", "build-output":
		r.said[e.name()] = append(r.said[e.name()], e.Output)
		return
	case "build-fail":
		r.broken = true
		fmt.Fprint(r.out, strings.Join(r.said[e.name()], ""))
	case "pass", "skip", "fail":
	default:
		return
	}
	said := r.said[e.name()]
	delete(r.said, e.name())
	if e.Test == "" {
		if e.Action == "fail" {
			r.broken = true
		}
		if e.Action != "skip" {
			fmt.Fprintf(r.out, "%s %s %.1f s\n", map[string]string{"pass": "ok  ", "fail": "FAIL"}[e.Action], e.Package, e.Elapsed)
		}
		for _, line := range said { // of what is done at the end of a package
			if e.Action == "fail" && !strings.HasPrefix(line, "ok") && !strings.HasPrefix(line, "FAIL") {
				fmt.Fprint(r.out, line)
			}
		}
		return
	}
	switch e.Action {
	case "pass":
		r.passed++
	case "skip":
		r.skipped++
	case "fail":
		r.failed++
		fmt.Fprint(r.out, strings.Join(said, ""))
	}
	if !strings.Contains(e.Test, "/") {
		r.slow = append(r.slow, e)
	}
}

// slowest is how many of the slowest tests are named.
const slowest = 10

func (r *run) tell(took time.Duration) {
	slices.SortFunc(r.slow, func(a, b event) int { return cmp.Compare(b.Elapsed, a.Elapsed) })
	fmt.Fprintf(r.out, "\nThe slowest of them (%s in all, many at once):\n", took.Round(time.Second))
	for _, e := range r.slow[:min(slowest, len(r.slow))] {
		fmt.Fprintf(r.out, "%7.1f s  %s\n", e.Elapsed, e.name())
	}
	fmt.Fprintf(r.out, "\n%d passed, %d failed, %d skipped\n", r.passed, r.failed, r.skipped)
}
