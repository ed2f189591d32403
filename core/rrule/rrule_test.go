package rrule_test

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/rrule"
	"wharf/core/span"
)

// dates lays a rule of dates out.
func dates(t *testing.T, start, rule, from, to string) (all []string) {
	t.Helper()
	r, err := rrule.Parse(rule)
	require.NoError(t, err, rule)
	day := func(s string) span.Wall {
		d, err := span.ParseDate(s)
		require.NoError(t, err)
		return d.Wall()
	}
	r.Each(day(start), day(from), day(to), true, func(w span.Wall) bool {
		if w < day(to) {
			all = append(all, w.Date().String())
		}
		return w < day(to)
	})
	return all
}

// TestSkip: days that a month or year does not have (RFC 7529 section 4.1, whose examples
// are the first and the last).
func TestSkip(t *testing.T) {
	for _, tc := range []struct {
		start, rule string
		want        []string
	}{
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;COUNT=4", []string{"2014-01-31", "2014-03-31", "2014-05-31", "2014-07-31"}},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=BACKWARD;COUNT=4", []string{"2014-01-31", "2014-02-28", "2014-03-31", "2014-04-30"}},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=MONTHLY;SKIP=FORWARD;COUNT=4", []string{"2014-01-31", "2014-03-01", "2014-03-31", "2014-05-01"}},
		{"2014-01-01", "RSCALE=GREGORIAN;FREQ=MONTHLY;BYMONTHDAY=1,30,31;SKIP=FORWARD;COUNT=6", []string{"2014-01-01", "2014-01-30", "2014-01-31", "2014-02-01", "2014-03-01", "2014-03-30"}},
		{"2014-01-31", "RSCALE=GREGORIAN;FREQ=YEARLY;BYMONTH=1,2,3;SKIP=BACKWARD;BYMONTHDAY=30,31;BYSETPOS=-1,3;COUNT=4", []string{"2014-01-31", "2014-02-28", "2014-03-31", "2015-02-28"}},
		{"2012-12-31", "RSCALE=GREGORIAN;FREQ=YEARLY;BYYEARDAY=366;SKIP=FORWARD;COUNT=3", []string{"2012-12-31", "2014-01-01", "2015-01-01"}},
		{"2012-12-31", "RSCALE=GREGORIAN;FREQ=YEARLY;BYYEARDAY=366;SKIP=BACKWARD;COUNT=3", []string{"2012-12-31", "2013-12-31", "2014-12-31"}},
		{"2014-03-01", "RSCALE=GREGORIAN;FREQ=MONTHLY;BYMONTHDAY=31;BYDAY=TH,SA;SKIP=FORWARD;COUNT=3", []string{"2014-03-01", "2014-05-01", "2014-05-31"}},
		{"2014-01-31", "FREQ=MONTHLY;SKIP=FORWARD;COUNT=2", []string{"2014-01-31", "2014-03-31"}},
		{"2012-02-29", "RSCALE=GREGORIAN;FREQ=YEARLY;SKIP=FORWARD;COUNT=3", []string{"2012-02-29", "2013-03-01", "2014-03-01"}},
	} {
		assert.Equal(t, tc.want, dates(t, tc.start, tc.rule, tc.start, "2030-01-01"), tc.rule)
	}
}

// TestCountIsJumped: a COUNT is counted without walking where each period gives as much as
// the next: the same as when all of it is walked.
func TestCountIsJumped(t *testing.T) {
	for _, rule := range []string{
		"FREQ=DAILY;COUNT=900", "FREQ=DAILY;INTERVAL=3;COUNT=300", "FREQ=WEEKLY;COUNT=100;BYDAY=MO,WE,SU;WKST=SU", "FREQ=WEEKLY;INTERVAL=2;COUNT=77;BYDAY=TU,TH",
		"FREQ=WEEKLY;COUNT=90;BYDAY=MO,WE,FR;BYSETPOS=-1", "FREQ=MONTHLY;COUNT=20", "FREQ=DAILY;BYMONTH=1,2,7;COUNT=200", "FREQ=HOURLY;INTERVAL=12;COUNT=900",
	} {
		whole := dates(t, "2024-01-03", rule, "2024-01-03", "2030-01-01")
		for _, from := range []string{"2024-01-04", "2024-03-01", "2025-07-01", "2026-06-19", "2029-01-01"} {
			var want, got []string
			for _, d := range whole {
				if d >= from {
					want = append(want, d)
				}
			}
			for _, d := range dates(t, "2024-01-03", rule, from, "2030-01-01") {
				if d >= from {
					got = append(got, d)
				}
			}
			assert.Equal(t, want, got, "%s from %s", rule, from)
		}
	}
}

func TestNever(t *testing.T) {
	start := span.NewWall(span.NewDate(2026, time.January, 1), 10, 0, 0)
	for rule, want := range map[string]bool{
		"FREQ=YEARLY;BYMONTHDAY=30;BYMONTH=2":               true,
		"FREQ=SECONDLY;BYMONTHDAY=30;BYMONTH=2":             true,
		"FREQ=SECONDLY;INTERVAL=2;BYSECOND=1":               true,
		"FREQ=HOURLY;INTERVAL=24;BYHOUR=9":                  true,
		"FREQ=SECONDLY;BYSETPOS=2,-3":                       true,
		"FREQ=HOURLY;BYMINUTE=0,30;BYSETPOS=-2":             false,
		"FREQ=YEARLY;INTERVAL=100;BYMONTHDAY=29;BYMONTH=2":  true, // 2126, 2226, 2326
		"FREQ=YEARLY;INTERVAL=999999":                       true,
		"FREQ=YEARLY;BYMONTHDAY=29;BYMONTH=2;BYDAY=SU":      false,
		"FREQ=YEARLY;INTERVAL=2;BYMONTHDAY=29;BYMONTH=2":    false,
		"FREQ=SECONDLY;INTERVAL=7;BYSECOND=1":               false,
		"FREQ=DAILY;COUNT=1":                                false,
		"FREQ=DAILY;UNTIL=20200101":                         false,
		"FREQ=YEARLY;BYWEEKNO=53;BYDAY=MO;BYMONTHDAY=30":    true,
		"FREQ=MINUTELY;INTERVAL=999983;BYMINUTE=7;BYHOUR=3": true,
	} {
		r, err := rrule.Parse(rule)
		require.NoError(t, err, rule)
		assert.Equal(t, want, r.Never(start, false), rule)
	}
}

// FuzzRule holds that a window in two halves gives what the whole does, in order and each
// reading once, whatever the rule.
func FuzzRule(f *testing.F) {
	for _, rule := range []string{"FREQ=WEEKLY;BYDAY=MO,WE;COUNT=50", "FREQ=MONTHLY;BYMONTHDAY=31;RSCALE=GREGORIAN;SKIP=FORWARD", "FREQ=YEARLY;BYWEEKNO=1,53;BYDAY=MO;WKST=SU",
		"FREQ=MINUTELY;INTERVAL=7;BYHOUR=3;BYMONTH=2", "FREQ=DAILY;BYHOUR=9,10;BYSETPOS=-1", "FREQ=YEARLY;BYYEARDAY=-1,366", "FREQ=HOURLY;INTERVAL=1000;COUNT=40", "FREQ=YEARLY;BYDAY=-53MO,20TU"} {
		f.Add(rule, int64(1782896400), uint16(400), uint16(100))
	}
	f.Fuzz(func(t *testing.T, rule string, begin int64, days, cut uint16) {
		r, err := rrule.Parse(rule)
		if err != nil || begin < -1e11 || begin > 2e11 {
			return
		}
		const most = 2000
		start := span.Wall(begin)
		list := func(from, to span.Wall) (all []span.Wall) {
			r.Each(start, from, to, days%2 == 0, func(w span.Wall) bool {
				if w >= from && w < to {
					all = append(all, w)
				}
				return w < to && len(all) < most
			})
			return all
		}
		middle, end := start.AddDays(int(cut)), start.AddDays(int(cut)+int(days))
		whole := list(start, end)
		for i := 1; i < len(whole); i++ {
			require.Less(t, whole[i-1], whole[i])
		}
		if len(whole) < most {
			halves := append(list(start, middle), list(middle, end)...)
			require.Equal(t, whole, halves)
		}
	})
}
