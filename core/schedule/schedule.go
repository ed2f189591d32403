// Package schedule says when a feed is to be read.
//
// In: what a person laid down, as text, and a moment. Out: the next moment. The texts are
//
//	every 15m                            a quarter of an hour after the last reading ended
//	every 6h from 02:30 America/Halifax  at 02:30, 08:30, 14:30 and 20:30 by that zone's clock
//	at 06:00,18:00 Europe/Lisbon         at these times by that zone's clock
//	once                                 never again
//
// A time that a change of the clock leaves out is the end of what is left out; one that comes twice is
// one time.
package schedule

import (
	"errors"
	"fmt"
	"slices"
	"strings"
	"time"

	"wharf/core/zone"
)

// Schedule is when a feed is read.
type Schedule struct {
	Every time.Duration  // 0: at fixed times, or once
	At    []Clock        // of the day; with Every, the first one
	Zone  *time.Location // of At
	Once  bool
}

// Clock is a time of the day, in minutes from midnight.
type Clock int

func (c Clock) String() string { return fmt.Sprintf("%02d:%02d", c/60, c%60) }

// Most is the longest time between readings.
const Most = 31 * 24 * time.Hour

// mostTimes is how many fixed times a day may have.
const mostTimes = 48

// Parse reads a schedule. least is the shortest time between readings. The error says what is wrong and how
// it is written.
func Parse(text string, least time.Duration) (s Schedule, err error) {
	words := strings.Fields(text)
	switch {
	case len(words) == 1 && words[0] == "once":
		return Schedule{Once: true}, nil
	case len(words) >= 2 && words[0] == "every":
		return parseEvery(words[1:], least)
	case len(words) == 3 && words[0] == "at":
		return parseAt(words[1], words[2], least)
	}
	return s, fmt.Errorf("%q is no schedule: write it as every 15m, every 6h from 02:30 America/Halifax, at 06:00,18:00 Europe/Lisbon, or once", text)
}

func parseEvery(words []string, least time.Duration) (s Schedule, err error) {
	s.Every, err = parseDuration(words[0])
	switch {
	case err != nil:
		return s, err
	case s.Every < least:
		return s, fmt.Errorf("a feed is read at most every %s: choose a longer interval", least)
	case s.Every > Most:
		return s, fmt.Errorf("a feed is read at least every 31 days: choose a shorter interval, or once")
	case len(words) == 1:
		return s, nil
	case len(words) != 4 || words[1] != "from":
		return s, fmt.Errorf("%q is not when it begins: write it as every 6h from 02:30 America/Halifax", strings.Join(words[1:], " "))
	}
	first, err := parseClock(words[2])
	if err != nil {
		return s, err
	}
	s.At = []Clock{first}
	s.Zone, err = zone.Load(words[3])
	return s, err
}

// parseDuration reads minutes, hours and days: 90m, 6h, 7d.
func parseDuration(text string) (time.Duration, error) {
	if days, ok := strings.CutSuffix(text, "d"); ok {
		text = days + "h"
		d, err := time.ParseDuration(text)
		if err == nil && d <= Most {
			return 24 * d, nil
		}
		return 0, fmt.Errorf("%q is no time between readings: write it as 15m, 6h or 7d", days+"d")
	}
	d, err := time.ParseDuration(text)
	if err != nil || d <= 0 {
		return 0, fmt.Errorf("%q is no time between readings: write it as 15m, 6h or 7d", text)
	}
	return d, nil
}

func parseClock(text string) (Clock, error) {
	t, err := time.Parse("15:04", text)
	if err != nil || len(text) != len("15:04") {
		return 0, fmt.Errorf("%q is no time of the day: write it as 06:00 or 18:30", text)
	}
	return Clock(t.Hour()*60 + t.Minute()), nil
}

func parseAt(times, zoneName string, least time.Duration) (s Schedule, err error) {
	for text := range strings.SplitSeq(times, ",") {
		c, err := parseClock(text)
		if err != nil {
			return s, err
		}
		s.At = append(s.At, c)
	}
	slices.Sort(s.At)
	s.At = slices.Compact(s.At)
	if len(s.At) > mostTimes {
		return s, fmt.Errorf("%d times a day are too many: name at most %d, or an interval", len(s.At), mostTimes)
	}
	for i, c := range s.At {
		if i > 0 && time.Duration(c-s.At[i-1])*time.Minute < least {
			return s, fmt.Errorf("a feed is read at most every %s, and %s and %s are nearer: leave one out", least, s.At[i-1], c)
		}
	}
	s.Zone, err = zone.Load(zoneName)
	return s, err
}

// String is the schedule as it is written.
func (s Schedule) String() string {
	switch {
	case s.Once:
		return "once"
	case s.Every > 0 && len(s.At) > 0:
		return fmt.Sprintf("every %s from %s %s", duration(s.Every), s.At[0], s.Zone)
	case s.Every > 0:
		return "every " + duration(s.Every)
	}
	var times []string
	for _, c := range s.At {
		times = append(times, c.String())
	}
	return fmt.Sprintf("at %s %s", strings.Join(times, ","), s.Zone)
}

func duration(d time.Duration) string {
	for unit, name := range map[time.Duration]string{24 * time.Hour: "d", time.Hour: "h", time.Minute: "m"} {
		if d%unit == 0 && (unit == 24*time.Hour || d < 24*time.Hour || d%(24*time.Hour) != 0) && (unit != time.Minute || d%time.Hour != 0) {
			return fmt.Sprintf("%d%s", d/unit, name)
		}
	}
	return d.String()
}

// ErrNever is that there is no next time.
var ErrNever = errors.New("it is not read again")

// Next is the first time after a moment, at which a reading ended; ErrNever after the only one.
func (s Schedule) Next(after time.Time) (time.Time, error) {
	switch {
	case s.Once:
		return time.Time{}, ErrNever
	case len(s.At) == 0:
		return after.Add(s.Every), nil
	}
	y, m, d := after.In(s.Zone).Date()
	if s.Every > 24*time.Hour {
		return s.nextDay(after, y, m, d), nil
	}
	for day := -1; ; day++ { // the times of yesterday reach into today
		for _, c := range s.ofDay() {
			if at := s.on(y, m, d+day, c); at.After(after) {
				return at, nil
			}
		}
	}
}

// ofDay are the times of a day.
func (s Schedule) ofDay() []Clock {
	if s.Every == 0 {
		return s.At
	}
	var all []Clock
	for t := time.Duration(0); t < 24*time.Hour; t += s.Every {
		all = append(all, s.At[0]+Clock(t/time.Minute))
	}
	return all
}

// nextDay is the next time of a schedule of some days, which are counted from the first day of 1970.
func (s Schedule) nextDay(after time.Time, y int, m time.Month, d int) time.Time {
	days := int((s.Every + 24*time.Hour - 1) / (24 * time.Hour))
	today := int(time.Date(y, m, d, 0, 0, 0, 0, time.UTC).Unix() / 86400)
	for day := today - today%days; ; day += days {
		if at := s.on(1970, 1, 1+day, s.At[0]); at.After(after) {
			return at
		}
	}
}

// on is a time of a day by the zone's clock; of a time that is left out there, the end of what is left out.
func (s Schedule) on(y int, m time.Month, d int, c Clock) time.Time {
	t := time.Date(y, m, d, 0, int(c), 0, 0, s.Zone)
	if Clock(t.Hour()*60+t.Minute()) == c%(24*60) {
		return t
	}
	begins, ends := t.ZoneBounds()
	if !ends.IsZero() && ends.Sub(t) < t.Sub(begins) {
		return ends
	}
	return begins
}

// Interval is about how long it is between readings; 0 for once.
func (s Schedule) Interval() time.Duration {
	if s.Every > 0 || s.Once {
		return s.Every
	}
	return 24 * time.Hour / time.Duration(len(s.At))
}

// Late is when a feed is late that was last read well at a moment: after twice its interval, or an hour past a
// fixed time; never is true where it is not read again.
func (s Schedule) Late(good time.Time) (at time.Time, never bool) {
	if s.Every > 0 {
		return good.Add(2 * s.Every), false
	}
	next, err := s.Next(good)
	return next.Add(time.Hour), err != nil
}
