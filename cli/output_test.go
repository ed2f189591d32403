package cli

import (
	"bytes"
	"testing"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/stretchr/testify/assert"

	"wharf/api/client"
)

func TestWords(t *testing.T) {
	now := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	env := &Env{Now: func() time.Time { return now }}
	for before, want := range map[time.Duration]string{
		0: "now", 30 * time.Second: "30 s ago", 90 * time.Second: "1 min ago", 3 * time.Hour: "3 h ago", 3*time.Hour + 5*time.Minute: "3 h 5 min ago",
		-20 * time.Second: "in 20 s", -15 * time.Minute: "in 15 min", 47 * time.Hour: "47 h ago",
	} {
		at := now.Add(-before)
		assert.Equal(t, want, env.when(&at))
	}
	assert.Equal(t, "never", env.when(nil))
	far := now.AddDate(0, 0, -10)
	assert.Contains(t, env.when(&far), "2026", "what is far is said by its date")
	assert.Equal(t, "1 entry", count(1, "entry", "entries"))
	assert.Equal(t, "0 entries", count(0, "entry", "entries"))
	assert.Equal(t, " [31mred  ", clean("\x1b[31mred\n\u202e"), "text from feeds cannot steer the terminal")
}

func TestEnds(t *testing.T) {
	for _, tc := range []struct {
		grain                          client.Grain
		start, end, first, last, lasts string
	}{
		{client.Day, "2026-07-03", "2026-07-05", "2026-07-03", "2026-07-04", "2 days"},
		{client.Day, "2026-07-03", "2026-07-04", "2026-07-03", "2026-07-03", "1 day"},
		{client.Night, "2026-07-03", "2026-07-05", "2026-07-03", "2026-07-05", "2 nights"},
		{client.Time, "2026-07-03T21:00:00Z", "2026-07-03T22:30:00Z", "2026-07-03 18:00", "2026-07-03 19:30", "1 h 30 min"},
	} {
		k := client.Calendar{Grain: tc.grain, Zone: "America/Halifax"}
		first, last := ends(tc.start, tc.end, k)
		assert.Equal(t, []string{tc.first, tc.last, tc.lasts}, []string{first, last, length(tc.start, tc.end, tc.grain)})
	}
}

func TestTable(t *testing.T) {
	var out bytes.Buffer
	printTable(&out, table.Row{"Name", "Entries"}, []table.Row{{"a", 1}, {"long name", 13}})
	assert.Equal(t, "Name       Entries\na                1\nlong name       13\n", out.String())
}
