// Command play plays the simulation with seeds of its own and prints, for each mixture of
// platforms and each kind of platform, what the judgement made of it beside the truth.
package main

import (
	"flag"
	"fmt"
	"io"
	"maps"
	"os"
	"runtime"
	"slices"
	"strings"
	"sync"
	"text/tabwriter"
	"time"

	"wharf/sim"
)

func main() {
	bookings := flag.Int("bookings", 2000, "sales to play, of all mixtures together")
	seed := flag.Int64("seed", time.Now().UnixNano(), "first seed")
	examples := flag.Int("examples", 2, "what went wrong, of each mixture")
	only := flag.String("only", "", "mixtures whose name has this")
	flag.Parse()
	patterns := slices.DeleteFunc(sim.Patterns(), func(p sim.Pattern) bool { return !strings.Contains(p.Name, *only) })
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
		for _, e := range t.Examples[:min(*examples, len(t.Examples))] {
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
