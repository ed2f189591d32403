package rules_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
)

func TestCalendar(t *testing.T) {
	c, err := rules.NewCalendar("America/Halifax", "night", 6)
	require.NoError(t, err)
	assert.Equal(t, []any{"America/Halifax", span.Night, 6}, []any{c.Zone.String(), c.Grain, c.Capacity})
	for field, bad := range map[string]func() error{
		"zone":     func() error { _, err := rules.NewCalendar("Local", "night", 1); return err },
		"grain":    func() error { _, err := rules.NewCalendar("UTC", "week", 1); return err },
		"capacity": func() error { _, err := rules.NewCalendar("UTC", "day", 0); return err },
	} {
		var wrong *rules.FieldError
		if assert.ErrorAs(t, bad(), &wrong) {
			assert.Equal(t, field, wrong.Field)
			assert.Contains(t, wrong.Error(), "use ", "it says what to do")
		}
	}
}

func TestLink(t *testing.T) {
	l, err := rules.NewLink(rules.LinkText{})
	require.NoError(t, err)
	assert.Equal(t, rules.Link{Role: rules.Blocks, Tentative: rules.AsTentative, Units: 1}, l, "the defaults")
	l, err = rules.NewLink(rules.LinkText{Role: "shows", Tentative: "firm", Units: 3})
	require.NoError(t, err)
	assert.Equal(t, rules.Link{Role: rules.Shows, Tentative: rules.AsFirm, Units: 3}, l)
	for field, bad := range map[string][2]string{"role": {"hides", ""}, "tentative": {"", "maybe"}} {
		_, err := rules.NewLink(rules.LinkText{Role: bad[0], Tentative: bad[1], Units: 1})
		var wrong *rules.FieldError
		if assert.ErrorAs(t, err, &wrong) {
			assert.Equal(t, field, wrong.Field)
		}
	}
	_, err = rules.NewLink(rules.LinkText{Units: -1})
	assert.ErrorContains(t, err, "units")
}

// TestWindowMovesOnceADay: the window is the same all day long, in the calendar's zone.
func TestWindowMovesOnceADay(t *testing.T) {
	loc, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	for _, tc := range []struct{ now, from, to string }{
		{"2026-07-01T03:00:00Z", "2026-04-02T03:00:00Z", "2028-07-01T03:00:00Z"},
		{"2026-07-02T02:59:59Z", "2026-04-02T03:00:00Z", "2028-07-01T03:00:00Z"},
		{"2026-07-02T03:00:00Z", "2026-04-03T03:00:00Z", "2028-07-02T03:00:00Z"},
		{"2026-01-31T12:00:00Z", "2025-11-02T03:00:00Z", "2028-01-31T04:00:00Z"},
	} {
		now, err := time.Parse(time.RFC3339, tc.now)
		require.NoError(t, err)
		from, to := rules.MaterialisedWindow(now, loc)
		assert.Equal(t, tc.from, from.UTC().Format(time.RFC3339), tc.now)
		assert.Equal(t, tc.to, to.UTC().Format(time.RFC3339), tc.now)
	}
}
