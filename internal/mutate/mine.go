package main

import (
	"bufio"
	"context"
	"encoding/json"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"slices"
	"strings"

	"wharf/core/carried"
	"wharf/core/judge"
	"wharf/core/span"
	"wharf/sim"
)

// corpusTest is run with the marked program: it prints what the cases of a file come to, one a line.
const corpusTest = `package judge_test

import (
	"bufio"
	"bytes"
	"crypto/sha256"
	"fmt"
	"os"
	"testing"

	"wharf/core/judge"
)

func TestCorpus(t *testing.T) {
	file, err := os.Open(os.Getenv("WHARF_CORPUS"))
	if err != nil {
		t.Skip("there is none")
	}
	defer file.Close()
	in := bufio.NewScanner(file)
	in.Buffer(nil, 1<<24)
	for n := 0; in.Scan(); n++ {
		c, err := judge.ReadCase(bytes.NewReader(in.Bytes()))
		if err != nil {
			t.Fatal(err)
		}
		fmt.Printf("CASE %d %x\n", n, sha256.Sum256([]byte(inFull(t, c))))
	}
}
`

const (
	// about is how many days a case is about, and eachOf how many judgements one is taken of.
	about  = 24
	eachOf = 10
)

// mineCases writes cases that hold clauses which no case misses.
func mineCases(tests programs, dir, to string, years int, clauses []clause, survivors []int) error {
	file := filepath.Join(dir, "corpus.jsonl")
	found, err := corpus(file, years)
	if err != nil {
		return err
	}
	fmt.Printf("looking through %d histories\n", len(found))
	if err := os.Setenv("WHARF_CORPUS", file); err != nil {
		return err
	}
	comesTo := func(clause int) []string {
		out, _ := tests.told(cases, clause, longPatience, "-test.run=^TestCorpus$") // one that breaks off has said enough
		return slices.DeleteFunc(strings.Split(string(out), "\n"), func(line string) bool { return !strings.HasPrefix(line, "CASE ") })
	}
	want := comesTo(-1)
	holds := make([]map[int]bool, len(survivors)) // by survivor: the cases that would miss it
	each(len(survivors), func(i int) {
		holds[i] = map[int]bool{}
		got := comesTo(survivors[i])
		for n, line := range got {
			if line != want[n] {
				holds[i][n] = true
			}
		}
		if len(got) < len(want) { // there it broke off
			holds[i][len(got)] = true
		}
	})
	left := 0
	for i, h := range holds {
		if len(h) == 0 {
			left++
			fmt.Println("found nothing for", clauses[survivors[i]])
		}
	}
	chosen, err := writeChosen(to, found, holds, clauses, survivors)
	fmt.Printf("wrote %d cases; nothing was found for %d clauses\n", chosen, left)
	return err
}

// writeChosen writes as few cases as hold all clauses that any holds, and returns how many.
func writeChosen(to string, found []judge.Case, holds []map[int]bool, clauses []clause, survivors []int) (chosen int, err error) {
	there, err := filepath.Glob(filepath.Join(to, "history-*.json"))
	if err != nil {
		return 0, err
	}
	for ; ; chosen++ {
		best, held := -1, []int(nil)
		for n := range found {
			var these []int
			for i := range holds {
				if holds[i][n] {
					these = append(these, i)
				}
			}
			if len(these) > len(held) || len(these) == len(held) && len(these) > 0 && size(found[n]) < size(found[best]) {
				best, held = n, these
			}
		}
		if best < 0 {
			break
		}
		var what []string
		for _, i := range held {
			c := clauses[survivors[i]]
			what = append(what, fmt.Sprintf("%s (%s)", c.what, c.function))
			holds[i] = nil
		}
		c := found[best]
		c.About = "From the simulation. It would come out otherwise with: " + strings.Join(what, "; ") + "."
		if err := write(filepath.Join(to, fmt.Sprintf("history-%03d.json", len(there)+chosen+1)), c); err != nil {
			return chosen, err
		}
	}
	return chosen, nil
}

func size(c judge.Case) (n int) {
	for _, f := range c.Feeds {
		n += len(f.Bookings)
	}
	return n
}

func write(name string, c judge.Case) error {
	text, err := json.MarshalIndent(c, "", " ")
	if err != nil {
		return err
	}
	return os.WriteFile(name, append(text, '\n'), 0o644)
}

// corpus plays the simulation, and keeps some of what was judged in it as small cases.
func corpus(file string, years int) (cases []judge.Case, err error) {
	out, err := os.Create(file)
	if err != nil {
		return nil, err
	}
	defer out.Close()
	in := bufio.NewWriter(out)
	patterns := sim.Patterns()
	found := make([][]judge.Case, years*len(patterns))
	each(len(found), func(i int) {
		setting := patterns[i%len(patterns)].Setting
		rnd := rand.New(rand.NewSource(int64(i)))
		setting.Seen = func(f judge.Facts) {
			if rnd.Intn(eachOf) == 0 {
				found[i] = append(found[i], small(f, rnd, rnd.Intn(2) == 0))
			}
		}
		sim.Run(setting, int64(5000+i/len(patterns)))
	})
	told, err := oddCases()
	if err != nil {
		return nil, err
	}
	for _, c := range append(slices.Concat(found...), told...) {
		if size(c) < 2 {
			continue
		}
		text, err := json.Marshal(c)
		if err != nil {
			return nil, err
		}
		if _, err := in.Write(append(text, '\n')); err != nil {
			return nil, err
		}
		cases = append(cases, c)
	}
	return cases, in.Flush()
}

// small is what facts say about a few weeks, as a case; odd with facts that the simulation has not.
func small(f judge.Facts, rnd *rand.Rand, odd bool) judge.Case {
	from := int64(span.DateOf(f.Now)) - 10 + rnd.Int63n(60)
	within := span.Span{Start: from, End: from + about}
	f.Bookings = slices.DeleteFunc(slices.Clone(f.Bookings), func(b judge.Booking) bool { return !b.Span.Overlaps(within) })
	f.Feeds, f.Publications, f.Conflicts = slices.Clone(f.Feeds), slices.Clone(f.Publications), nil
	for i := range f.Feeds {
		f.Feeds[i].Gone = slices.Clone(f.Feeds[i].Gone)
		n := 0
		for _, g := range f.Feeds[i].Gone {
			if g.Span.Overlaps(within) {
				f.Feeds[i].Gone[n] = g
				n++
			}
		}
		f.Feeds[i].Gone = f.Feeds[i].Gone[:n]
	}
	for i := range f.Publications {
		p := &f.Publications[i]
		p.History = slices.DeleteFunc(slices.Clone(p.History), func(r carried.Row) bool { return !r.Span.Overlaps(within) })
		used := map[int64]bool{}
		for _, r := range p.History {
			for _, v := range []int64{r.From, r.To, r.To + 1, r.To + 2} {
				used[v] = true
			}
		}
		last := len(p.Pickups) - 1
		var pickups []carried.Pickup
		for n, k := range p.Pickups {
			if used[k.Version] || n == last || n > 0 && used[p.Pickups[n-1].Version] {
				pickups = append(pickups, k)
			}
		}
		p.Pickups = pickups
	}
	if odd {
		disturb(&f, rnd)
	}
	return caseOf(f)
}

// caseOf is what facts say as a case, with what comes of it.
func caseOf(f judge.Facts) judge.Case {
	platforms := map[int64]string{}
	for i, name := range []string{"Desk", "Strand", "Quay", "Berths", "Hall", "Barn", "Loft", "Yard"} {
		platforms[int64(i+1)] = name
	}
	result, err := judge.Judge(context.Background(), f)
	if err != nil {
		panic(err)
	}
	return judge.CaseOf(f, result, "", platforms, true)
}
