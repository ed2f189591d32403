package recur_test

import (
	"fmt"
	"strconv"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/core/zone"
)

// days reads a list as RFC 5545 writes them: "1997 Sep 2-4 9; Oct 1; 1998 Jan 6", each day
// at the times of day that are given.
func days(t *testing.T, list string, clocks ...string) []string {
	t.Helper()
	if len(clocks) == 0 {
		clocks = []string{"09:00"}
	}
	var all []string
	year, month := "", ""
	for word := range strings.FieldsSeq(strings.ReplaceAll(list, ";", " ")) {
		if _, err := time.Parse("Jan", word); err == nil {
			month = word
			continue
		}
		first, last, ranged := strings.Cut(word, "-")
		if !ranged {
			last = first
		}
		from, err := strconv.Atoi(first)
		require.NoError(t, err, list)
		to, err := strconv.Atoi(last)
		require.NoError(t, err, list)
		if from > 31 {
			year = word
			continue
		}
		for d := from; d <= to; d++ {
			for _, clock := range clocks {
				at, err := time.Parse("2006 Jan 2 15:04", fmt.Sprintf("%s %s %d %s", year, month, d, clock))
				require.NoError(t, err, list)
				all = append(all, at.Format("2006-01-02 15:04"))
			}
		}
	}
	return all
}

// every gives the times of day from first to last in steps of minutes.
func every(first, last string, minutes int) []string {
	a, _ := time.Parse("15:04", first)
	b, _ := time.Parse("15:04", last)
	var all []string
	for ; !a.After(b); a = a.Add(time.Duration(minutes) * time.Minute) {
		all = append(all, a.Format("15:04"))
	}
	return all
}

// TestExamplesOfTheRFC runs the examples of RFC 5545 section 3.8.5.3, all in New York. The
// one by the hour is that of erratum 3883, whose UNTIL is the end of the day's work there.
func TestExamplesOfTheRFC(t *testing.T) {
	ny, err := zone.Load("America/New_York")
	require.NoError(t, err)
	const autumn = "1997 Sep 2-30; Oct 1-31; Nov 1-30; Dec 1-23"
	const januaries = "1998 Jan 1-31; 1999 Jan 1-31; 2000 Jan 1-31"
	const fridays = "1997 Sep 5; Oct 3; Nov 7; Dec 5; 1998 Jan 2; Feb 6; Mar 6; Apr 3; May 1; Jun 5"
	const fortnights = "1997 Sep 1 3 5 15 17 19 29; Oct 1 3 13 15 17 27 29 31; Nov 10 12 14 24 26 28; Dec 8 10 12 22"
	const tuesdays = "1997 Sep 2 4 9 11 16 18 23 25 30; Oct 2"
	work := every("09:00", "16:40", 20)
	for _, tc := range []struct {
		start, rule string
		until       string // of the window, for what has no end; else years later
		want        string
		clocks      []string
	}{
		{"19970902", "FREQ=DAILY;COUNT=10", "", "1997 Sep 2-11", nil},
		{"19970902", "FREQ=DAILY;UNTIL=19971224T000000Z", "", autumn, nil},
		{"19970902", "FREQ=DAILY;INTERVAL=2", "1997-12-04", "1997 Sep 2 4 6 8 10 12 14 16 18 20 22 24 26 28 30; Oct 2 4 6 8 10 12 14 16 18 20 22 24 26 28 30; Nov 1 3 5 7 9 11 13 15 17 19 21 23 25 27 29; Dec 1 3", nil},
		{"19970902", "FREQ=DAILY;INTERVAL=10;COUNT=5", "", "1997 Sep 2 12 22; Oct 2 12", nil},
		{"19980101", "FREQ=YEARLY;UNTIL=20000131T140000Z;BYMONTH=1;BYDAY=SU,MO,TU,WE,TH,FR,SA", "", januaries, nil},
		{"19980101", "FREQ=DAILY;UNTIL=20000131T140000Z;BYMONTH=1", "", januaries, nil},
		{"19970902", "FREQ=WEEKLY;COUNT=10", "", "1997 Sep 2 9 16 23 30; Oct 7 14 21 28; Nov 4", nil},
		{"19970902", "FREQ=WEEKLY;UNTIL=19971224T000000Z", "", "1997 Sep 2 9 16 23 30; Oct 7 14 21 28; Nov 4 11 18 25; Dec 2 9 16 23", nil},
		{"19970902", "FREQ=WEEKLY;INTERVAL=2;WKST=SU", "1998-02-18", "1997 Sep 2 16 30; Oct 14 28; Nov 11 25; Dec 9 23; 1998 Jan 6 20; Feb 3 17", nil},
		{"19970902", "FREQ=WEEKLY;UNTIL=19971007T000000Z;WKST=SU;BYDAY=TU,TH", "", tuesdays, nil},
		{"19970902", "FREQ=WEEKLY;COUNT=10;WKST=SU;BYDAY=TU,TH", "", tuesdays, nil},
		{"19970901", "FREQ=WEEKLY;INTERVAL=2;UNTIL=19971224T000000Z;WKST=SU;BYDAY=MO,WE,FR", "", fortnights, nil},
		{"19970902", "FREQ=WEEKLY;INTERVAL=2;COUNT=8;WKST=SU;BYDAY=TU,TH", "", "1997 Sep 2 4 16 18 30; Oct 2 14 16", nil},
		{"19970905", "FREQ=MONTHLY;COUNT=10;BYDAY=1FR", "", fridays, nil},
		{"19970905", "FREQ=MONTHLY;UNTIL=19971224T000000Z;BYDAY=1FR", "", "1997 Sep 5; Oct 3; Nov 7; Dec 5", nil},
		{"19970907", "FREQ=MONTHLY;INTERVAL=2;COUNT=10;BYDAY=1SU,-1SU", "", "1997 Sep 7 28; Nov 2 30; 1998 Jan 4 25; Mar 1 29; May 3 31", nil},
		{"19970922", "FREQ=MONTHLY;COUNT=6;BYDAY=-2MO", "", "1997 Sep 22; Oct 20; Nov 17; Dec 22; 1998 Jan 19; Feb 16", nil},
		{"19970928", "FREQ=MONTHLY;BYMONTHDAY=-3", "1998-03-01", "1997 Sep 28; Oct 29; Nov 28; Dec 29; 1998 Jan 29; Feb 26", nil},
		{"19970902", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=2,15", "", "1997 Sep 2 15; Oct 2 15; Nov 2 15; Dec 2 15; 1998 Jan 2 15", nil},
		{"19970930", "FREQ=MONTHLY;COUNT=10;BYMONTHDAY=1,-1", "", "1997 Sep 30; Oct 1 31; Nov 1 30; Dec 1 31; 1998 Jan 1 31; Feb 1", nil},
		{"19970910", "FREQ=MONTHLY;INTERVAL=18;COUNT=10;BYMONTHDAY=10,11,12,13,14,15", "", "1997 Sep 10-15; 1999 Mar 10-13", nil},
		{"19970902", "FREQ=MONTHLY;INTERVAL=2;BYDAY=TU", "1998-04-01", "1997 Sep 2 9 16 23 30; Nov 4 11 18 25; 1998 Jan 6 13 20 27; Mar 3 10 17 24 31", nil},
		{"19970610", "FREQ=YEARLY;COUNT=10;BYMONTH=6,7", "", "1997 Jun 10; Jul 10; 1998 Jun 10; Jul 10; 1999 Jun 10; Jul 10; 2000 Jun 10; Jul 10; 2001 Jun 10; Jul 10", nil},
		{"19970310", "FREQ=YEARLY;INTERVAL=2;COUNT=10;BYMONTH=1,2,3", "", "1997 Mar 10; 1999 Jan 10; Feb 10; Mar 10; 2001 Jan 10; Feb 10; Mar 10; 2003 Jan 10; Feb 10; Mar 10", nil},
		{"19970101", "FREQ=YEARLY;INTERVAL=3;COUNT=10;BYYEARDAY=1,100,200", "", "1997 Jan 1; Apr 10; Jul 19; 2000 Jan 1; Apr 9; Jul 18; 2003 Jan 1; Apr 10; Jul 19; 2006 Jan 1", nil},
		{"19970519", "FREQ=YEARLY;BYDAY=20MO", "2000-01-01", "1997 May 19; 1998 May 18; 1999 May 17", nil},
		{"19970512", "FREQ=YEARLY;BYWEEKNO=20;BYDAY=MO", "2000-01-01", "1997 May 12; 1998 May 11; 1999 May 17", nil},
		{"19970313", "FREQ=YEARLY;BYMONTH=3;BYDAY=TH", "2000-01-01", "1997 Mar 13 20 27; 1998 Mar 5 12 19 26; 1999 Mar 4 11 18 25", nil},
		{"19970605", "FREQ=YEARLY;BYDAY=TH;BYMONTH=6,7,8", "1999-01-01", "1997 Jun 5 12 19 26; Jul 3 10 17 24 31; Aug 7 14 21 28; 1998 Jun 4 11 18 25; Jul 2 9 16 23 30; Aug 6 13 20 27", nil},
		{"19970902", "FREQ=MONTHLY;BYDAY=FR;BYMONTHDAY=13", "2000-12-31", "1998 Feb 13; Mar 13; Nov 13; 1999 Aug 13; 2000 Oct 13", nil},
		{"19970913", "FREQ=MONTHLY;BYDAY=SA;BYMONTHDAY=7,8,9,10,11,12,13", "1998-07-01", "1997 Sep 13; Oct 11; Nov 8; Dec 13; 1998 Jan 10; Feb 7; Mar 7; Apr 11; May 9; Jun 13", nil},
		{"19961105", "FREQ=YEARLY;INTERVAL=4;BYMONTH=11;BYDAY=TU;BYMONTHDAY=2,3,4,5,6,7,8", "2005-01-01", "1996 Nov 5; 2000 Nov 7; 2004 Nov 2", nil},
		{"19970904", "FREQ=MONTHLY;COUNT=3;BYDAY=TU,WE,TH;BYSETPOS=3", "", "1997 Sep 4; Oct 7; Nov 6", nil},
		{"19970929", "FREQ=MONTHLY;BYDAY=MO,TU,WE,TH,FR;BYSETPOS=-2", "1998-04-01", "1997 Sep 29; Oct 30; Nov 27; Dec 30; 1998 Jan 29; Feb 26; Mar 30", nil},
		{"19970902", "FREQ=HOURLY;INTERVAL=3;UNTIL=19970902T210000Z", "", "1997 Sep 2", []string{"09:00", "12:00", "15:00"}},
		{"19970902", "FREQ=MINUTELY;INTERVAL=15;COUNT=6", "", "1997 Sep 2", every("09:00", "10:15", 15)},
		{"19970902", "FREQ=MINUTELY;INTERVAL=90;COUNT=4", "", "1997 Sep 2", every("09:00", "13:30", 90)},
		{"19970902", "FREQ=DAILY;BYHOUR=9,10,11,12,13,14,15,16;BYMINUTE=0,20,40", "1997-09-05", "1997 Sep 2-4", work},
		{"19970902", "FREQ=MINUTELY;INTERVAL=20;BYHOUR=9,10,11,12,13,14,15,16", "1997-09-05", "1997 Sep 2-4", work},
		{"19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=MO", "", "1997 Aug 5 10 19 24", nil},
		{"19970805", "FREQ=WEEKLY;INTERVAL=2;COUNT=4;BYDAY=TU,SU;WKST=SU", "", "1997 Aug 5 17 19 31", nil},
		{"20070115", "FREQ=MONTHLY;BYMONTHDAY=15,30;COUNT=5", "", "2007 Jan 15 30; Feb 15; Mar 15 30", nil},
	} {
		t.Run(tc.start+" "+tc.rule, func(t *testing.T) {
			until := tc.until
			if until == "" {
				until = "2030-01-01"
			}
			event := fmt.Sprintf("BEGIN:VEVENT\nUID:a\nDTSTART;TZID=America/New_York:%sT090000\nDURATION:PT10M\nRRULE:%s\n", tc.start, tc.rule)
			if strings.Contains(tc.rule, "BYMONTHDAY=13") {
				event += "EXDATE;TZID=America/New_York:19970902T090000\n" // as the example has it
			}
			doc := read(t, event+"END:VEVENT")
			want := days(t, tc.want, tc.clocks...)
			expand := func(from, to string) (got []string) {
				found, diagnostics := doc.Expand(doc.Entries[0], window(t, from, to, "America/New_York"))
				require.Empty(t, diagnostics)
				for _, o := range found {
					got = append(got, time.Unix(o.Start, 0).In(ny).Format("2006-01-02 15:04"))
					assert.EqualValues(t, 600, o.End-o.Start)
				}
				return got
			}
			assert.Equal(t, want, expand("1996-01-01", until))

			// A window in two halves gives the same, wherever it is cut: the second half must
			// know what came before it.
			for _, n := range []int{len(want) / 3, len(want) / 2, len(want) - 1} {
				cut := want[n][:10]
				assert.Equal(t, want, append(expand("1996-01-01", cut), expand(cut, until)...), "cut at %s", cut)
			}
		})
	}
}
