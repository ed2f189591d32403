package judge_test

import (
	"bytes"
	"context"
	"encoding/json"
	"flag"
	"fmt"
	"math/rand"
	"os"
	"path/filepath"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/judge"
)

// eachCase runs a test for every case file: those in words, and histories of the simulation.
func eachCase(t *testing.T, test func(t *testing.T, c judge.Case)) {
	files, err := filepath.Glob("testdata/[ch]*/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".json"), func(t *testing.T) {
			file, err := os.Open(name)
			require.NoError(t, err)
			defer file.Close()
			c, err := judge.ReadCase(file)
			require.NoError(t, err)
			require.NotEmpty(t, c.Want)
			test(t, c)
		})
	}
}

// comesOut: a case comes out as it says.
func comesOut(t *testing.T, c judge.Case) {
	t.Helper()
	out, err := c.Run(context.Background())
	require.NoError(t, err)
	assert.Empty(t, out.Differs(c), c.About)
}

// TestCases: every case file comes out as it says.
func TestCases(t *testing.T) { eachCase(t, comesOut) }

// TestOpenCases: what is known to be judged wrongly is so still. One that comes out as it says is mended, and belongs in
// testdata/cases.
func TestOpenCases(t *testing.T) {
	files, err := filepath.Glob("testdata/open/*.json")
	require.NoError(t, err)
	for _, name := range files {
		file, err := os.Open(name)
		require.NoError(t, err)
		defer file.Close()
		c, err := judge.ReadCase(file)
		require.NoError(t, err)
		require.NotEmpty(t, c.Want)
		out, err := c.Run(context.Background())
		require.NoError(t, err)
		assert.NotEmpty(t, out.Differs(c), "%s is mended: move it to testdata/cases", name)
	}
}

var update = flag.Bool("update", false, "write what comes out of the cases anew")

// TestCasesInFull: all that comes out of a case, to the last datum of the evidence, with what is
// known of the platforms and the bookings that taught it, is what it was. What changes is to be read
// before it is written anew.
func TestCasesInFull(t *testing.T) {
	var all strings.Builder
	eachCase(t, func(t *testing.T, c judge.Case) { fmt.Fprintf(&all, "== %s\n%s", t.Name(), inFull(t, c)) })
	const golden = "testdata/in-full.txt"
	if *update {
		require.NoError(t, os.WriteFile(golden, []byte(all.String()), 0o644))
	}
	want, err := os.ReadFile(golden)
	require.NoError(t, err)
	assert.Equal(t, string(want), all.String())
}

// inFull is all that comes out of a case, in lines.
func inFull(t *testing.T, c judge.Case) string {
	t.Helper()
	out, err := c.Run(context.Background())
	require.NoError(t, err)
	var all strings.Builder
	for _, v := range out.Verdicts {
		evidence, err := json.Marshal(v.Evidence)
		require.NoError(t, err)
		if v.Kind != judge.Counts || string(evidence) != "{}" {
			fmt.Fprintln(&all, v.Name, v.Kind, string(evidence), v.Rest)
		}
	}
	for _, h := range out.Learnt {
		fmt.Fprintln(&all, h.Platform, h.Habit, h.Of, h.Value, h.From)
	}
	return all.String() + strings.Join(out.Conflicts, "\n") + "\n"
}

// TestCasesInAnyOrder: the same facts give the same verdicts, whatever comes first.
func TestCasesInAnyOrder(t *testing.T) {
	rnd := rand.New(rand.NewSource(1))
	eachCase(t, func(t *testing.T, c judge.Case) {
		for range 3 {
			rnd.Shuffle(len(c.Publications), func(i, j int) { c.Publications[i], c.Publications[j] = c.Publications[j], c.Publications[i] })
			for _, f := range c.Feeds {
				rnd.Shuffle(len(f.Bookings), func(i, j int) { f.Bookings[i], f.Bookings[j] = f.Bookings[j], f.Bookings[i] })
			}
			for _, p := range c.Publications {
				rnd.Shuffle(len(p.Carried), func(i, j int) { p.Carried[i], p.Carried[j] = p.Carried[j], p.Carried[i] })
				rnd.Shuffle(len(p.Pickups), func(i, j int) { p.Pickups[i], p.Pickups[j] = p.Pickups[j], p.Pickups[i] })
			}
			comesOut(t, c)
		}
	})
}

// TestCasesExported: the facts of a case, written as a case again and without their titles, lead
// to the same verdicts.
func TestCasesExported(t *testing.T) {
	eachCase(t, func(t *testing.T, c judge.Case) {
		facts, err := c.Facts()
		require.NoError(t, err)
		result, err := judge.Judge(context.Background(), facts)
		require.NoError(t, err)
		platforms := map[int64]string{}
		for _, b := range facts.Bookings {
			platforms[b.Platform] = fmt.Sprint("Platform ", b.Platform)
		}
		for _, p := range facts.Publications {
			platforms[p.Platform] = fmt.Sprint("Platform ", p.Platform)
		}
		delete(platforms, 0)
		again := judge.CaseOf(facts, result, c.About, platforms, false)
		text, err := json.Marshal(again)
		require.NoError(t, err)
		for _, f := range c.Feeds {
			for _, b := range f.Bookings {
				assert.False(t, b.Title != "" && strings.Contains(string(text), b.Title), "%q is left out", b.Title)
			}
		}
		read, err := judge.ReadCase(bytes.NewReader(text))
		require.NoError(t, err)
		comesOut(t, read)
		assert.Len(t, read.Want, len(facts.Bookings))
	})
}

// TestManyReflections: five thousand entries that all equal one item: one is explained, the others
// are one conflict with it, and nothing is lost.
func TestManyReflections(t *testing.T) {
	c := judge.Case{Version: 1, Now: now.Add(24 * time.Hour), Calendar: judge.CaseCalendar{Zone: "UTC", Grain: "day", Capacity: 1},
		Feeds:        []judge.CaseFeed{{Platform: "Desk", Read: now, Bookings: []judge.CaseBooking{{Name: "x", Start: "2026-07-20", End: "2026-07-22", SeenBy: now}}}, {Platform: "Strand", Read: now.Add(20 * time.Hour)}},
		Publications: []judge.CasePublication{{Platform: "Strand", Carried: []judge.CaseCarried{{Name: "x", Start: "2026-07-20", End: "2026-07-22", From: 1}}, Pickups: []judge.CasePickup{{Version: 1, First: now.Add(time.Hour)}}}}}
	for i := range 5000 {
		c.Feeds[1].Bookings = append(c.Feeds[1].Bookings, judge.CaseBooking{Name: fmt.Sprint("r", i), Start: "2026-07-20", End: "2026-07-22", Form: "block", NotBefore: now.Add(10 * time.Hour), SeenBy: now.Add(11 * time.Hour)})
	}
	out, err := c.Run(context.Background())
	require.NoError(t, err)
	kinds := map[judge.Kind]int{}
	for _, v := range out.Verdicts {
		kinds[v.Kind]++
	}
	assert.Equal(t, map[judge.Kind]int{judge.Counts: 5000, judge.Echo: 1}, kinds)
	assert.Len(t, out.Conflicts, 1)
}
