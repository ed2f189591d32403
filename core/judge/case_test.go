package judge_test

import (
	"context"
	"errors"
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

// TestCases: every case file comes out as it says.
func TestCases(t *testing.T) {
	files, err := filepath.Glob("testdata/cases/*.json")
	require.NoError(t, err)
	require.NotEmpty(t, files)
	for _, name := range files {
		t.Run(strings.TrimSuffix(filepath.Base(name), ".json"), func(t *testing.T) {
			file, err := os.Open(name)
			require.NoError(t, err)
			defer file.Close()
			c, err := judge.ReadCase(file)
			require.NoError(t, err)
			out, err := c.Run(context.Background())
			require.NoError(t, err)
			require.NotEmpty(t, c.Want)
			assert.Empty(t, out.Differs(c), c.About)
		})
	}
}

// TestCasesInAnyOrder: the same facts give the same verdicts, whatever comes first.
func TestCasesInAnyOrder(t *testing.T) {
	files, err := filepath.Glob("testdata/cases/*.json")
	require.NoError(t, err)
	rnd := rand.New(rand.NewSource(1))
	for _, file := range files {
		in, err := os.Open(file)
		require.NoError(t, err)
		c, err := judge.ReadCase(in)
		require.NoError(t, errors.Join(err, in.Close()), file)
		for range 3 {
			rnd.Shuffle(len(c.Publications), func(i, j int) { c.Publications[i], c.Publications[j] = c.Publications[j], c.Publications[i] })
			for _, f := range c.Feeds {
				rnd.Shuffle(len(f.Bookings), func(i, j int) { f.Bookings[i], f.Bookings[j] = f.Bookings[j], f.Bookings[i] })
			}
			for _, p := range c.Publications {
				rnd.Shuffle(len(p.Carried), func(i, j int) { p.Carried[i], p.Carried[j] = p.Carried[j], p.Carried[i] })
				rnd.Shuffle(len(p.Pickups), func(i, j int) { p.Pickups[i], p.Pickups[j] = p.Pickups[j], p.Pickups[i] })
			}
			out, err := c.Run(context.Background())
			require.NoError(t, err, file)
			assert.Empty(t, out.Differs(c), file)
		}
	}
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
