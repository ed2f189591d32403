package schedule_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/schedule"
)

const least = 5 * time.Minute

func TestParse(t *testing.T) {
	for text, want := range map[string]string{
		"every 15m": "every 15m", "every 90m": "every 90m", "every  60m": "every 1h", "every 24h": "every 1d", "every 31d": "every 31d", "every 36h": "every 36h", "once": "once",
		"every 6h from 02:30 America/Halifax": "every 6h from 02:30 America/Halifax", "at 18:00,06:00,18:00 Europe/Lisbon": "at 06:00,18:00 Europe/Lisbon",
	} {
		s, err := schedule.Parse(text, least)
		require.NoError(t, err, text)
		assert.Equal(t, want, s.String())
		again, err := schedule.Parse(s.String(), least)
		require.NoError(t, err, text)
		assert.Equal(t, want, again.String())
	}
	for text, why := range map[string]string{
		"": "write it as", "sometimes": "write it as", "every": "write it as", "every x": "write it as 15m", "every -5m": "write it as 15m", "every 1m": "at most every 5m", "every 32d": "31 days", "every 999999999d": "write it as",
		"every 6h from noon UTC": "time of the day", "every 6h since 02:30 UTC": "when it begins", "every 6h from 02:30": "when it begins", "every 6h from 02:30 Europe/Atlantis": "Europe/Atlantis",
		"at 25:00 UTC": "time of the day", "at 6:00 UTC": "time of the day", "at 06:00,06:03 UTC": "leave one out", "at 06:00": "write it as", "at 06:00 Moon/Base": "Moon/Base", "once more": "write it as",
	} {
		_, err := schedule.Parse(text, least)
		assert.ErrorContains(t, err, why, text)
	}
}

// TestNext: the times of a day by the zone's clock, also where that changes.
func TestNext(t *testing.T) {
	for _, tc := range []struct{ schedule, after, next, late string }{
		{"every 15m", "2026-07-01T12:07:00Z", "2026-07-01T12:22:00Z", "2026-07-01T12:37:00Z"},
		{"at 06:00,18:00 Europe/Lisbon", "2026-07-01T12:00:00Z", "2026-07-01T17:00:00Z", "2026-07-01T18:00:00Z"},
		{"at 06:00,18:00 Europe/Lisbon", "2026-07-01T17:00:00Z", "2026-07-02T05:00:00Z", "2026-07-02T06:00:00Z"},
		{"at 06:00,18:00 Europe/Lisbon", "2026-12-31T18:00:00Z", "2027-01-01T06:00:00Z", "2027-01-01T07:00:00Z"},
		{"at 02:30 America/Halifax", "2026-03-08T00:00:00Z", "2026-03-08T06:00:00Z", "2026-03-08T07:00:00Z"}, // left out: at 03:00, the end
		{"at 02:30 America/Halifax", "2026-03-08T06:00:00Z", "2026-03-09T05:30:00Z", "2026-03-09T06:30:00Z"},
		{"at 01:30 America/Halifax", "2026-11-01T00:00:00Z", "2026-11-01T04:30:00Z", "2026-11-01T05:30:00Z"}, // it comes twice
		{"at 01:30 America/Halifax", "2026-11-01T04:30:00Z", "2026-11-02T05:30:00Z", "2026-11-02T06:30:00Z"}, // and is one time
		{"every 6h from 02:30 America/Halifax", "2026-07-01T12:00:00Z", "2026-07-01T17:30:00Z", "2026-07-02T00:00:00Z"},
		{"every 6h from 20:00 America/Halifax", "2026-07-01T12:00:00Z", "2026-07-01T17:00:00Z", "2026-07-02T00:00:00Z"}, // of the day before
		{"every 1d from 02:30 America/Halifax", "2026-07-01T05:30:00Z", "2026-07-02T05:30:00Z", "2026-07-03T05:30:00Z"},
		{"every 7d from 02:30 America/Halifax", "2026-07-01T12:00:00Z", "2026-07-02T05:30:00Z", "2026-07-15T12:00:00Z"}, // Thursdays
		{"every 7d from 02:30 America/Halifax", "2026-07-02T05:30:00Z", "2026-07-09T05:30:00Z", "2026-07-16T05:30:00Z"},
	} {
		s, err := schedule.Parse(tc.schedule, least)
		require.NoError(t, err)
		after, err := time.Parse(time.RFC3339, tc.after)
		require.NoError(t, err)
		next, err := s.Next(after)
		require.NoError(t, err)
		assert.Equal(t, tc.next, next.UTC().Format(time.RFC3339), "%s after %s", tc.schedule, tc.after)
		late, never := s.Late(after)
		assert.False(t, never)
		assert.Equal(t, tc.late, late.UTC().Format(time.RFC3339), "%s, good at %s", tc.schedule, tc.after)
	}
	once, err := schedule.Parse("once", least)
	require.NoError(t, err)
	_, err = once.Next(time.Now())
	assert.ErrorIs(t, err, schedule.ErrNever)
	_, never := once.Late(time.Now())
	assert.True(t, never)
}
