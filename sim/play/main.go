// Command play plays the simulation with seeds of its own and prints, for each mixture of
// platforms, what the judgement made of it beside the truth.
package main

import (
	"flag"
	"fmt"
	"os"
	"runtime"
	"sync"
	"text/tabwriter"
	"time"

	"wharf/sim"
)

func main() {
	bookings := flag.Int("bookings", 2000, "sales to play, of all mixtures together")
	seed := flag.Int64("seed", time.Now().UnixNano(), "first seed")
	examples := flag.Int("examples", 2, "what went wrong, of each mixture")
	flag.Parse()
	patterns := sim.Patterns()
	tallies := make([]sim.Tally, len(patterns))
	var together sync.WaitGroup
	places := make(chan bool, runtime.NumCPU())
	for i, p := range patterns {
		together.Go(func() {
			for n := int64(0); tallies[i].Sales < *bookings/len(patterns); n++ {
				places <- true
				t := sim.Run(p.Setting, *seed+n)
				<-places
				tallies[i].Add(t)
			}
		})
	}
	together.Wait()
	fmt.Printf("Seeds from %d on.\n\n", *seed)
	w := tabwriter.NewWriter(os.Stdout, 0, 0, 2, ' ', tabwriter.AlignRight)
	fmt.Fprintln(w, "mixture\tsales\tcancelled\tdouble bookings\tfound\tas unclear\tmissed\tfalse alarms\tunclear bookings\tsent back\tghosts\tversions\tjudgements\t")
	for i, t := range tallies {
		fmt.Fprintf(w, "%s\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t%d\t\n", patterns[i].Name, t.Sales, t.Cancelled, t.Clashes, t.Found, t.Asked, t.Missed, t.False, t.Unclear, t.SentBack, t.Ghosts, t.Versions, t.Judgements)
	}
	if err := w.Flush(); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
	for i, t := range tallies {
		for _, e := range t.Examples[:min(*examples, len(t.Examples))] {
			fmt.Printf("%s: %s\n", patterns[i].Name, e)
		}
	}
}
