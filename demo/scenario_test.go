package main

import (
	"maps"
	"path/filepath"
	"testing"
	"time"

	"github.com/stretchr/testify/require"

	"wharf/core/rules"
	"wharf/core/zone"
	"wharf/internal/firstday"
)

// TestScenarioOnAnyDay: on whatever day the demo is loaded, it has exactly one real double booking, one clash of three crews
// and one with what is only asked for.
func TestScenarioOnAnyDay(t *testing.T) {
	loc, err := zone.Load(zoneName)
	require.NoError(t, err)
	ids := map[string]int64{}
	for _, p := range scenario {
		if ids[p.name] == 0 {
			ids[p.name] = int64(len(ids) + 1)
		}
	}
	want := map[string]map[string]int{ketch: {"double_booking": 1}, "Net Loft hall": {"tentative_clash": 1}, "Rowing gigs": {"double_booking": 1}}
	dir := t.TempDir()
	require.NoError(t, firstday.Days(func(n int, noon time.Time) {
		// At night in the harbour it is another day there than in the middle of the ocean.
		now := noon.Add(time.Duration(n%24) * time.Hour)
		platforms, err := newPlatforms(filepath.Join(dir, now.Format(time.DateOnly)), func() time.Time { return now })
		require.NoError(t, err)
		found := map[string]map[string]int{}
		for _, c := range calendars {
			var feeds []firstday.Feed
			for i, p := range scenario {
				if p.calendar != c.name {
					continue
				}
				link := rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: max(1, p.units)}
				if p.role != "" {
					link.Role = rules.Role(p.role)
				}
				feeds = append(feeds, firstday.Feed{Platform: ids[p.name], Document: platforms[i].Feed(), Link: link})
			}
			k, err := rules.NewCalendar(loc.String(), string(c.grain), c.capacity)
			require.NoError(t, err)
			f, err := firstday.Facts(k, now, feeds)
			require.NoError(t, err)
			kinds, err := firstday.Conflicts(f)
			require.NoError(t, err)
			if len(kinds) > 0 {
				found[c.name] = maps.Clone(kinds)
			}
		}
		require.Equal(t, want, found, "loaded on %s", now)
	}))
}
