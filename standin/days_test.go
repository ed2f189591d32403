package standin

import (
	"fmt"
	"maps"
	"math/rand/v2"
	"os"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wharf/core/rules"
	"wharf/internal/firstday"
)

// seeds are three that are drawn, or the one in WHARF_SEED, by which what a test found is found again.
func seeds(t *testing.T) []uint64 {
	t.Helper()
	if text := os.Getenv("WHARF_SEED"); text != "" {
		var seed uint64
		_, err := fmt.Sscan(text, &seed)
		require.NoError(t, err)
		return []uint64{seed}
	}
	return []uint64{rand.Uint64(), rand.Uint64(), rand.Uint64()}
}

// TestLinkedBeforeOnAnyDay: on any day, whatever names are drawn, what the second of two platforms has read of the first
// since before Wharf came is asked, and what both sold is a double booking. (Where three of the six reflections bear one
// name by chance that is taken for a word of the platform's: core/judge/testdata/open/three-of-one-name.json.)
func TestLinkedBeforeOnAnyDay(t *testing.T) {
	calendar := rules.Calendar{Zone: time.UTC, Grain: "day", Capacity: 1}
	link := rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}
	told := map[bool]int{}
	for _, seed := range seeds(t) {
		require.NoError(t, firstday.Days(func(n int, noon time.Time) {
			seed := seed + uint64(n) // other names on each day
			day := func(n int) string { return noon.AddDate(0, 0, n).Format(time.DateOnly) }
			clock := func() time.Time { return noon }
			dir := t.TempDir()
			a := &Platform{Name: "Merrow Charter Desk", Secret: "a", Seed: seed, Style: Style{Sale: "%s", Block: "%s"}, File: filepath.Join(dir, "a"), Now: clock}
			b := &Platform{Name: "Strand & Tern Charters", Secret: "b", Seed: seed, Style: Style{Sale: "%s", Block: "%s", UIDs: Own}, File: filepath.Join(dir, "b"), Now: clock}
			sell := func(p *Platform, guest string, first, last int) {
				_, err := p.Book(guest, day(first), day(last))
				require.NoError(t, err)
			}
			for i := range 5 {
				sell(a, names[i], 10+4*i, 13+4*i)
				sell(b, names[7-i], 40+4*i, 43+4*i)
			}
			sell(b, "Lowther", 31, 34)
			sell(a, "Kettle", 32, 36) // and this is sold twice
			for _, s := range a.Bookings() {
				b.state.Blocks = append(b.state.Blocks, Block{UID: s.ID, From: s.From, Until: s.Until})
			}
			f, err := firstday.Facts(calendar, noon, []firstday.Feed{{Platform: 1, Document: a.Feed(), Link: link}, {Platform: 2, Document: b.Feed(), Link: link}})
			require.NoError(t, err)
			kinds, err := firstday.Conflicts(f)
			require.NoError(t, err)
			most := 0
			times := map[string]int{}
			for _, name := range b.state.Names {
				times[name]++
				most = max(most, times[name])
			}
			right := maps.Equal(kinds, map[string]int{"unclear": 6, "double_booking": 1})
			told[right]++
			require.True(t, right || most >= 3, "%v on %s, WHARF_SEED=%d", kinds, noon.Format(time.DateOnly), seed-uint64(n))
		}))
	}
	t.Logf("%d days as they should be, on %d a name of three was taken for a word", told[true], told[false])
	require.Greater(t, told[true], 4*told[false])
}
