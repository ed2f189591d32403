package span_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/span"
)

func TestSpan(t *testing.T) {
	s := func(a, b int64) span.Span { return span.Span{Start: a, End: b} }
	for _, tc := range []struct {
		name                string
		a, b                span.Span
		overlaps, contained bool
	}{
		{"leaving as the other arrives", s(1, 3), s(3, 5), false, false},
		{"one in common", s(1, 4), s(3, 5), true, false},
		{"inside", s(1, 9), s(3, 5), true, true},
		{"equal", s(1, 3), s(1, 3), true, true},
		{"nothing is nowhere", s(1, 3), s(2, 2), false, true},
		{"backwards is nothing", s(1, 9), s(5, 3), false, false},
	} {
		assert.Equal(t, tc.overlaps, tc.a.Overlaps(tc.b), tc.name)
		assert.Equal(t, tc.overlaps, tc.b.Overlaps(tc.a), tc.name)
		if !tc.b.Empty() || tc.contained {
			assert.Equal(t, tc.contained, tc.a.Contains(tc.b), tc.name)
		}
	}
	assert.EqualValues(t, 2, s(1, 3).Len())
	assert.Zero(t, s(3, 1).Len())
	assert.Negative(t, s(1, 2).Compare(s(1, 3)))
	assert.Positive(t, s(2, 2).Compare(s(1, 9)))
}

func TestDate(t *testing.T) {
	d, err := span.ParseDate("2024-02-29")
	require.NoError(t, err)
	assert.Equal(t, "2024-02-29", d.String())
	assert.Equal(t, time.Thursday, d.Weekday())
	assert.Equal(t, "2024-03-01", (d + 1).String())
	assert.Equal(t, "1969-12-31", span.Date(-1).String())
	for _, text := range []string{"2023-02-29", "2024-2-9", "29.02.2024", ""} {
		_, err := span.ParseDate(text)
		assert.ErrorContains(t, err, "write it as 2026-07-03", text)
	}
	for _, c := range []struct{ y, m, d int }{{2024, 2, 29}, {2024, 14, 1}, {2025, -3, 1}, {0, 3, 1}, {0, 1, 1}, {-1, 2, 1}, {-400, 2, 29}, {1900, 2, 29}, {9999, 12, 31}, {2000, 2, 400}, {1, 1, 1}, {-5000, 12, 31}} {
		at := time.Date(c.y, time.Month(c.m), c.d, 0, 0, 0, 0, time.UTC)
		d := span.NewDate(c.y, time.Month(c.m), c.d)
		assert.Equal(t, at.Unix(), d.Wall().Time().Unix(), c)
		y, m, day := d.Civil()
		assert.Equal(t, at, time.Date(y, m, day, 0, 0, 0, 0, time.UTC), c)
		assert.Equal(t, at.Weekday(), d.Weekday(), c)
	}
	west := time.FixedZone("", -11*3600)
	assert.Equal(t, "2024-02-28", span.DateOf(time.Date(2024, 2, 29, 10, 59, 0, 0, time.UTC).In(west)).String(), "the day that its own clock shows")

	first, last := span.Days(d, d+2).Format(span.Night)
	assert.Equal(t, []string{"2024-02-29", "2024-03-02"}, []string{first, last})
	at := time.Date(2024, 2, 29, 10, 0, 0, 0, west)
	first, last = span.Instants(at, at.Add(time.Hour)).Format(span.Time)
	assert.Equal(t, []string{"2024-02-29T21:00:00Z", "2024-02-29T22:00:00Z"}, []string{first, last})
	assert.EqualValues(t, d, span.Point(at, span.Day, west))
	assert.Equal(t, at.Unix(), span.Point(at, span.Time, west))
	_, err = span.ParseGrain("week")
	assert.ErrorContains(t, err, "use night, day or time")
}
