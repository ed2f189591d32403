// Command reading measures core/ical, core/zone and core/recur side by side with general
// libraries: processor time of this process, by turns, medians. Each result is checked: the
// same number of events or occurrences, and the same sum of what they say.
package main

import (
	"bytes"
	"errors"
	"flag"
	"fmt"
	"io"
	"os"
	"os/exec"
	"path/filepath"
	"runtime"
	"slices"
	"strings"
	"syscall"
	"time"

	rrulego "github.com/teambition/rrule-go"

	"wharf/bench/rig"
	"wharf/core/ical"
	"wharf/core/recur"
)

func main() {
	runs := flag.Int("runs", 9, "runs of each way, by turns")
	only := flag.String("only", "", "do only the tasks whose name has this in it")
	profile := flag.String("profile", "", "write a processor profile of our way")
	flag.Parse()
	_ = profile
	if err := run(*runs, *only); err != nil {
		fmt.Fprintln(os.Stderr, "reading:", err)
		os.Exit(1)
	}
}

func run(runs int, only string) error {
	all := []corpus{bookings(), events(20_000), series(2_000)}
	fmt.Printf("%s, %s/%s, %d processors\n", runtime.Version(), runtime.GOOS, runtime.GOARCH, runtime.NumCPU())
	for _, c := range all {
		fmt.Printf("%-9s %6d events %8.1f kB\n", c.name, c.events, float64(len(c.text))/1e3)
	}
	fmt.Println("\n| task | corpus | wharf | arran4 | emersion | rrule-go | ratio to the best |\n|---|---|---|---|---|---|---|")
	for _, t := range tasks(all) {
		if strings.Contains(t.name+" "+t.corpus.name, only) {
			if err := t.run(runs); err != nil {
				return fmt.Errorf("%s, %s: %w", t.name, t.corpus.name, err)
			}
		}
	}
	if strings.Contains("allocations", only) {
		if err := allocations(all); err != nil {
			return err
		}
	}
	if strings.Contains("peak", only) {
		return peak()
	}
	return nil
}

// task is something to do in several ways; the first of them is ours.
type task struct {
	name   string
	corpus corpus
	ways   []way
}

func tasks(all []corpus) (ts []task) {
	read := []way{{"wharf", wharfRead}, {"arran4", arranRead}, {"emersion", emersionRead}}
	typed := []way{{"wharf", wharfTyped}, {"arran4", arranTyped}, {"emersion", emersionTyped}}
	raw := []way{{"wharf", wharfCopy(true)}, {"arran4", arranCopy}, {"emersion", emersionCopy}}
	anew := []way{{"wharf", wharfCopy(false)}, {"arran4", arranCopy}, {"emersion", emersionCopy}}
	expand := []way{{"wharf", wharfOccurrences}, {"arran4", arranOccurrences}, {"emersion", emersionOccurrences}}
	for _, c := range all {
		ts = append(ts, task{"read", c, read}, task{"read, every value", c, typed}, task{"read and write", c, raw}, task{"read and write, nothing copied raw", c, anew})
		ts = append(ts, task{"bytes to occurrences", c, expand})
	}
	return append(ts, ruleTask(all[2]))
}

// ruleTask lays out the rules of the series, without exceptions, already read.
func ruleTask(c corpus) task {
	type ruled struct {
		rule  string
		start time.Time
	}
	var theirs []ruled
	var b bytes.Buffer
	b.WriteString("BEGIN:VCALENDAR\r\n")
	for _, z := range zones {
		b.WriteString(z.vtimezone)
	}
	r := ical.NewReader(bytes.NewReader(c.text))
	for {
		e, err := r.Next()
		if err != nil {
			break
		}
		rule, ok := e.Get("RRULE")
		if !ok {
			continue
		}
		p, _ := e.Get("DTSTART")
		loc, err := time.LoadLocation(p.Param("TZID"))
		must(err)
		start, err := time.ParseInLocation("20060102T150405", p.Value, loc)
		must(err)
		theirs = append(theirs, ruled{rule.Value, start})
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%d\r\n%s\r\nDURATION:PT0S\r\n%s\r\nEND:VEVENT\r\n", len(theirs), p, rule)
	}
	b.WriteString("END:VCALENDAR\r\n")
	doc, err := recur.Read(ical.NewReader(&b))
	must(err)
	return task{"rules to zoned occurrences", corpus{name: "series", events: len(theirs)}, []way{
		{"wharf", func([]byte) (result, error) { return wharfExpand(doc) }},
		{"rrule-go", func([]byte) (got result, err error) {
			for _, t := range theirs {
				option, err := rruleOption(t.rule)
				if err != nil {
					return got, err
				}
				option.Dtstart = t.start
				r, err := rrulego.NewRRule(*option)
				if err != nil {
					return got, err
				}
				for _, at := range r.Between(from, to.Add(-time.Second), true) {
					got.count++
					got.sum += at.Unix()
				}
			}
			return got, nil
		}},
	}}
}

func must(err error) {
	if err != nil {
		panic(err)
	}
}

// run measures the ways by turns and prints a row of medians.
func (t task) run(runs int) error {
	if strings.Contains(t.name, "write") {
		if err := t.compareWritten(); err != nil {
			return err
		}
	}
	took := make([][]float64, len(t.ways)) // milliseconds each
	var ratios []float64
	var want result
	for i := range runs + 1 { // the first one only warms up
		times := make([]float64, len(t.ways))
		for n, w := range t.ways {
			cpu, got, err := measure(w, t.corpus.text)
			if err != nil {
				return fmt.Errorf("%s: %w", w.name, err)
			}
			if n == 0 && i == 0 {
				want = got
			}
			if got != want || got.count == 0 {
				return fmt.Errorf("%s gives %+v, where %+v was due", w.name, got, want)
			}
			times[n] = cpu
		}
		if i == 0 {
			continue
		}
		for n, cpu := range times {
			took[n] = append(took[n], cpu)
		}
		ratios = append(ratios, slices.Min(times[1:])/times[0])
	}
	cells := map[string]string{}
	for n, w := range t.ways {
		cells[w.name] = fmt.Sprintf("%.3g ms", median(took[n]))
		if len(t.corpus.text) > 0 {
			cells[w.name] += fmt.Sprintf(" (%.0f MB/s)", float64(len(t.corpus.text))/1e3/median(took[n]))
		} else {
			cells[w.name] += fmt.Sprintf(" (%.1f M/s)", float64(want.count)/1e3/median(took[n]))
		}
	}
	fmt.Printf("| %s | %s | %s | %s | %s | %s | **%.1f** |\n", t.name, t.corpus.name, cells["wharf"], cells["arran4"], cells["emersion"], cells["rrule-go"], median(ratios))
	return nil
}

// compareWritten holds that what each way writes says what was read: the same starts and
// texts.
func (t task) compareWritten() error {
	want, err := wharfTyped(t.corpus.text)
	if err != nil {
		return err
	}
	for _, w := range t.ways {
		var b bytes.Buffer
		out = &b
		_, err := w.do(t.corpus.text)
		out = io.Discard
		if err != nil {
			return err
		}
		if got, err := wharfTyped(b.Bytes()); err != nil || got != want {
			return fmt.Errorf("%s writes what reads as %+v (%v), where %+v was due", w.name, got, err, want)
		}
	}
	return nil
}

// measure does it as often as it takes to be measured well, and returns the processor
// time of one, in milliseconds.
func measure(w way, text []byte) (cpu float64, got result, err error) {
	runtime.GC()
	for n, before := 1, used(); ; n++ {
		if got, err = w.do(text); err != nil {
			return 0, got, err
		}
		if took := used() - before; took > 100*time.Millisecond {
			return float64(took.Microseconds()) / 1e3 / float64(n), got, nil
		}
	}
}

// used is the processor time of this process, its garbage collector's included.
func used() time.Duration {
	var u syscall.Rusage
	must(syscall.Getrusage(syscall.RUSAGE_SELF, &u))
	return time.Duration(u.Utime.Nano() + u.Stime.Nano())
}

func median(all []float64) float64 {
	sorted := slices.Sorted(slices.Values(all))
	return sorted[len(sorted)/2]
}

// allocations counts those of each event.
func allocations(all []corpus) error {
	fmt.Println("\n| allocations per event | corpus | wharf | arran4 | emersion | fewer |\n|---|---|---|---|---|---|")
	for _, t := range tasks(all) {
		if t.name != "read" && t.name != "bytes to occurrences" {
			continue
		}
		var per []float64
		for _, w := range t.ways {
			var before, after runtime.MemStats
			runtime.ReadMemStats(&before)
			if _, err := w.do(t.corpus.text); err != nil {
				return err
			}
			runtime.ReadMemStats(&after)
			per = append(per, float64(after.Mallocs-before.Mallocs)/float64(t.corpus.events))
		}
		fmt.Printf("| %s | %s | %.1f | %.1f | %.1f | **%.1f times** |\n", t.name, t.corpus.name, per[0], per[1], per[2], min(per[1], per[2])/per[0])
	}
	return nil
}

// peak runs `wharf file expand` on a file of 100 MB.
func peak() error {
	dir, err := os.MkdirTemp("", "wharf-reading-")
	if err != nil {
		return err
	}
	defer os.RemoveAll(dir)
	binary := filepath.Join(dir, "wharf")
	build := exec.Command("go", "build", "-o", binary, "./cmd/wharf")
	build.Dir = ".."
	if out, err := build.CombinedOutput(); err != nil {
		return fmt.Errorf("wharf cannot be built: %w\n%s", err, out)
	}
	fmt.Println("\n| `wharf file expand` | file | occurrences | peak memory | CPU |\n|---|---|---|---|---|")
	for _, c := range []corpus{events(141_000), series(264_000)} {
		file := filepath.Join(dir, c.name+".ics")
		if err := os.WriteFile(file, c.text, 0o600); err != nil {
			return err
		}
		cmd := exec.Command(binary, "file", "expand", file, "--json", "--from", "2026-01-01", "--to", map[string]string{"events": "2027-01-01", "series": "2026-01-08"}[c.name])
		cmd.Stderr = os.Stderr
		pipe, err := cmd.StdoutPipe()
		if err != nil {
			return err
		}
		if err := cmd.Start(); err != nil {
			return err
		}
		// The peak is asked for with each piece of the output, the last of which is written
		// when all is done: what a parent sees afterwards counts its own memory, too.
		lines, peak := 0, int64(0)
		for piece := make([]byte, 16<<10); ; {
			n, err := pipe.Read(piece)
			lines += bytes.Count(piece[:n], []byte("\n"))
			if now, err := rig.Peak(cmd.Process.Pid); err == nil {
				peak = max(peak, now)
			}
			if err != nil {
				break
			}
		}
		if err := cmd.Wait(); err != nil {
			return err
		}
		if peak == 0 || lines == 0 {
			return errors.New("nothing was measured")
		}
		fmt.Printf("| %s | %.0f MB | %d | %.0f MB | %.1f s |\n", c.name, float64(len(c.text))/1e6, lines, float64(peak)/1e6, (cmd.ProcessState.UserTime() + cmd.ProcessState.SystemTime()).Seconds())
	}
	return nil
}
