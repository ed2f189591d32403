// Command play plays the simulation with seeds of its own and prints, for each mixture of
// platforms and each kind of platform, what the judgement made of it beside the truth.
package main

import (
	"context"
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"os/signal"
	"runtime"
	"runtime/debug"
	"slices"
	"strings"
	"sync"
	"sync/atomic"
	"text/tabwriter"
	"time"

	"wharf/sim"
)

func main() {
	years := flag.Int("years", 1, "years to play of each mixture, each with a seed of its own")
	seed := flag.Int64("seed", time.Now().UnixNano(), "first seed")
	examples := flag.Int("examples", 2, "what went wrong, of each mixture")
	only := flag.String("only", "", "mixtures whose name has this")
	flag.Parse()
	debug.SetGCPercent(400)
	patterns := slices.DeleteFunc(sim.Patterns(), func(p sim.Pattern) bool { return !strings.Contains(p.Name, *only) })
	played := play(patterns, *years, *seed)
	tallies := make([]sim.Tally, len(patterns))
	for n, t := range played {
		tallies[n%len(patterns)].Add(t)
	}
	report(patterns, tallies, *seed, *examples)
}

// play plays each mixture so many times: what came of the first time of each, then of the second,
// and so on. Interrupted, it ends with the one that was begun last.
func play(patterns []sim.Pattern, years int, seed int64) []sim.Tally {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt)
	defer stop()
	played := make([]sim.Tally, years*len(patterns))
	var next, sales atomic.Int64
	var together sync.WaitGroup
	for range runtime.NumCPU() {
		together.Go(func() {
			for ctx.Err() == nil {
				n := int(next.Add(1)) - 1
				if n >= len(played) {
					return
				}
				played[n] = sim.Run(patterns[n%len(patterns)].Setting, seed+int64(n/len(patterns)))
				if all := sales.Add(int64(played[n].Sales)); n%len(patterns) == 0 {
					fmt.Fprintf(os.Stderr, "%d of %d years, %d sales\n", n/len(patterns), years, all)
				}
			}
		})
	}
	together.Wait()
	return played
}

func report(patterns []sim.Pattern, tallies []sim.Tally, seed int64, examples int) {
	fmt.Printf("Seeds from %d on.\n\n", seed)
	var all sim.Tally
	rows := map[string]*sim.Counts{}
	for i, t := range tallies {
		all.Add(t)
		rows[fmt.Sprintf("%2d %s", i+1, patterns[i].Name)] = &t.Counts
	}
	rows["all"] = &all.Counts
	print(os.Stdout, "mixture", rows)
	print(os.Stdout, "kind of platform", all.Kinds)
	fmt.Printf("%d cancelled; %d versions published; %d judgements.\nReal double bookings by how they came about: %v\n", all.Cancelled, all.Versions, all.Judgements, all.Hows)
	slices.Sort(all.Detection)
	if n := len(all.Detection); n > 0 {
		fmt.Printf("From the second sale to the report: %v in the middle, %v for 95 of 100, %v at most.\n\n", all.Detection[n/2], all.Detection[n*95/100], all.Detection[n-1])
	}
	for i, t := range tallies {
		for _, e := range t.Examples[:min(examples, len(t.Examples))] {
			fmt.Printf("%s: %s\n", patterns[i].Name, e)
		}
		if len(t.Twins) > 0 {
			fmt.Printf("%s: a twin, %s\n", patterns[i].Name, t.Twins[0])
		}
	}
}

// print prints counts in the order of their names.
func print(out io.Writer, of string, rows map[string]*sim.Counts) {
	w := tabwriter.NewWriter(out, 0, 0, 2, ' ', 0)
	fmt.Fprintln(w, of+"\tsales\tdouble bookings\tfound\tas unclear\tmissed\tin no feed\tfalse alarms\tunclear\tcannot be told\tsent back\tghosts\t")
	for _, name := range slices.Sorted(maps.Keys(rows)) {
		c := rows[name]
		fmt.Fprintf(w, "%s\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t\n", name, c.Sales, c.Clashes, c.Found, c.Asked, c.Missed, c.Hidden, c.False, c.Unclear, c.CannotTell, c.SentBack, c.Ghosts)
	}
	w.Flush()
	fmt.Fprintln(out)
}
