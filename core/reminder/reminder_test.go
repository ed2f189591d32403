package reminder_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/reminder"
	"wharf/core/span"
	"wharf/core/zone"
)

func TestDue(t *testing.T) {
	halifax, err := zone.Load("America/Halifax")
	require.NoError(t, err)
	night := func(y int, m time.Month, d int) int64 { return int64(span.NewDate(y, m, d)) }
	for _, c := range []struct {
		lead, words string
		start       int64
		grain       span.Grain
		due         string
	}{
		{"30m", "30 minutes before", time.Date(2026, 12, 1, 14, 0, 0, 0, time.UTC).Unix(), span.Time, "2026-12-01T09:30:00-04:00"},
		{"2h", "2 hours before", time.Date(2026, 11, 1, 6, 30, 0, 0, time.UTC).Unix(), span.Time, "2026-11-01T01:30:00-03:00"}, // an hour before that is not 2:30 less two
		{"1d", "1 day before", time.Date(2026, 11, 1, 14, 0, 0, 0, time.UTC).Unix(), span.Time, "2026-10-31T10:00:00-03:00"},   // 25 hours
		{"1d 18:00", "at 18:00 the day before", night(2026, 12, 20), span.Night, "2026-12-19T18:00:00-04:00"},
		{"0d 08:00", "at 08:00 on the day", night(2026, 12, 20), span.Day, "2026-12-20T08:00:00-04:00"},
		{"3d", "3 days before", night(2026, 12, 20), span.Night, "2026-12-17T00:00:00-04:00"},
		{"7d 02:30", "at 02:30 7 days before", night(2027, 3, 21), span.Night, "2027-03-14T03:30:00-03:00"}, // there is no 2:30 on that day
		{"7d 01:30", "at 01:30 7 days before", night(2026, 11, 8), span.Night, "2026-11-01T01:30:00-03:00"}, // the first of two
		{"90m", "90 minutes before", night(2026, 12, 20), span.Day, "2026-12-19T22:30:00-04:00"},
	} {
		l, err := reminder.Parse(c.lead)
		require.NoError(t, err)
		assert.Equal(t, c.lead, l.String())
		assert.Equal(t, c.words, l.Words())
		assert.Equal(t, c.due, l.Due(c.start, c.grain, halifax).In(halifax).Format(time.RFC3339), c.lead)
	}
}

func TestParse(t *testing.T) {
	for _, text := range []string{"", "0d", "0m", "-2h", "2", "h", "2h 18:00", "1d 24:00", "1d 18:60", "1d 6:00", "tomorrow", "367d", "600000m", " 1d"} {
		_, err := reminder.Parse(text)
		assert.Error(t, err, text)
	}
}
