package zone

import (
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/ical"
)

// lastYear is how far the rules of a VTIMEZONE are laid out.
const lastYear = 2100

// onset is the instant from which an observance (STANDARD or DAYLIGHT) holds.
type onset struct {
	at     int64 // Unix time
	offset int   // seconds east of UTC
	dst    bool
	name   string
}

// fromVTimezone lays the observances out as transitions and hands them to package
// time in the form of a TZif file (RFC 8536), so that all zones are of one kind.
func fromVTimezone(id string, c *ical.Component) (*time.Location, error) {
	var all []onset
	first, firstAt := 0, int64(0)
	for _, sub := range c.Components {
		if sub.Name != "STANDARD" && sub.Name != "DAYLIGHT" {
			continue
		}
		from, onsets, err := observance(sub)
		if err != nil {
			return nil, err
		}
		if len(onsets) > 0 && (len(all) == 0 || onsets[0].at < firstAt) {
			first, firstAt = from, onsets[0].at
		}
		all = append(all, onsets...)
	}
	if len(all) == 0 {
		return nil, errors.New("it has neither STANDARD nor DAYLIGHT")
	}
	slices.SortStableFunc(all, func(a, b onset) int { return int(max(-1, min(1, a.at-b.at))) })
	return time.LoadLocationFromTZData(id, tzif(first, all))
}

// observance returns the offset before a STANDARD or DAYLIGHT and its onsets.
func observance(c *ical.Component) (from int, onsets []onset, err error) {
	start, ok := c.Get("DTSTART")
	if !ok {
		return 0, nil, fmt.Errorf("%s without DTSTART", c.Name)
	}
	m, err := start.Moment()
	if err != nil {
		return 0, nil, err
	}
	from, err = parseOffset(c.Value("TZOFFSETFROM"))
	if err != nil {
		return 0, nil, err
	}
	to, err := parseOffset(c.Value("TZOFFSETTO"))
	if err != nil {
		return 0, nil, err
	}
	walls := []time.Time{m.Wall}
	for _, p := range c.All("RDATE") {
		ms, err := p.Moments()
		if err != nil {
			return 0, nil, err
		}
		for _, m := range ms {
			walls = append(walls, m.Wall)
		}
	}
	if rule := c.Value("RRULE"); rule != "" {
		yearly, err := yearlyOnsets(rule, m.Wall, from)
		if err != nil {
			return 0, nil, err
		}
		walls = append(walls, yearly...)
	}
	for _, w := range walls {
		onsets = append(onsets, onset{w.Unix() - int64(from), to, c.Name == "DAYLIGHT", c.Text("TZNAME")})
	}
	return from, onsets, nil
}

// yearlyOnsets lays out the one form of rule that VTIMEZONEs use: once a year in
// a month, on the nth weekday of it or the first such weekday among some days.
func yearlyOnsets(rule string, start time.Time, from int) ([]time.Time, error) {
	parts := map[string]string{}
	for _, part := range strings.Split(rule, ";") {
		k, v, _ := strings.Cut(part, "=")
		parts[k] = v
	}
	month, err := strconv.Atoi(cmp.Or(parts["BYMONTH"], strconv.Itoa(int(start.Month()))))
	if err != nil || parts["FREQ"] != "YEARLY" || month < 1 || month > 12 {
		return nil, fmt.Errorf("its rule %s is of a form that is not covered", rule)
	}
	until := time.Date(lastYear, 12, 31, 0, 0, 0, 0, time.UTC)
	if u := parts["UNTIL"]; u != "" {
		m, err := ical.ParseMoment(u, "")
		if err != nil {
			return nil, err
		}
		until = m.Wall
		if m.Anchor == ical.UTC {
			until = until.Add(time.Duration(from) * time.Second)
		}
	}
	var walls []time.Time
	for year := start.Year(); year <= until.Year(); year++ {
		day, err := dayOfRule(year, time.Month(month), parts["BYDAY"], parts["BYMONTHDAY"], start.Day())
		if err != nil {
			return nil, fmt.Errorf("its rule %s is of a form that is not covered", rule)
		}
		w := time.Date(year, time.Month(month), day, start.Hour(), start.Minute(), start.Second(), 0, time.UTC)
		if w.After(start) && !w.After(until) {
			walls = append(walls, w)
		}
	}
	return walls, nil
}

// dayOfRule finds the day of the month that BYDAY (2SU, -1SU, SU) and BYMONTHDAY name.
func dayOfRule(year int, month time.Month, byDay, byMonthDay string, otherwise int) (int, error) {
	last := time.Date(year, month+1, 0, 0, 0, 0, 0, time.UTC).Day()
	var candidates []int
	for _, s := range strings.Split(byMonthDay, ",") {
		if s == "" {
			continue
		}
		n, err := strconv.Atoi(s)
		if err != nil {
			return 0, err
		}
		if n < 0 {
			n += last + 1
		}
		candidates = append(candidates, n)
	}
	if byDay == "" {
		return append(candidates, otherwise)[0], nil
	}
	if len(byDay) < 2 {
		return 0, errors.New("bad BYDAY")
	}
	weekday := slices.Index([]string{"SU", "MO", "TU", "WE", "TH", "FR", "SA"}, byDay[len(byDay)-2:])
	if weekday < 0 {
		return 0, errors.New("bad BYDAY")
	}
	nth := 1
	if n := byDay[:len(byDay)-2]; n != "" {
		var err error
		if nth, err = strconv.Atoi(n); err != nil || nth == 0 {
			return 0, errors.New("bad BYDAY")
		}
	}
	var days []int
	for d := 1; d <= last; d++ {
		fits := len(candidates) == 0 || slices.Contains(candidates, d)
		if fits && time.Date(year, month, d, 0, 0, 0, 0, time.UTC).Weekday() == time.Weekday(weekday) {
			days = append(days, d)
		}
	}
	if nth < 0 {
		nth += len(days) + 1
	}
	if nth < 1 || nth > len(days) {
		return 0, errors.New("no such day")
	}
	return days[nth-1], nil
}

// parseOffset reads a UTC-OFFSET (RFC 5545 section 3.3.14): +0100, -033000.
func parseOffset(s string) (int, error) {
	bad := fmt.Errorf("%q is not an offset such as -0400", s)
	if len(s) != 5 && len(s) != 7 || s[0] != '+' && s[0] != '-' {
		return 0, bad
	}
	n, err := strconv.Atoi((s[1:] + "00")[:6])
	if err != nil || n < 0 {
		return 0, bad
	}
	seconds := n/10000*3600 + n/100%100*60 + n%100
	if s[0] == '-' {
		return -seconds, nil
	}
	return seconds, nil
}

// tzif writes a version 2 TZif file (RFC 8536 section 3). Type 0 is what holds before
// the first transition; it is kept apart so that package time takes it for that.
func tzif(before int, all []onset) []byte {
	var b, names bytes.Buffer
	put := func(v any) { _ = binary.Write(&b, binary.BigEndian, v) } // a bytes.Buffer does not fail
	header := func(times, types, chars int) {
		b.WriteString("TZif2")
		b.Write(make([]byte, 15))
		put([]uint32{0, 0, 0, uint32(times), uint32(types), uint32(chars)})
	}
	types := []onset{{offset: before, name: "LMT"}}
	index := make([]uint8, len(all))
	for i, o := range all {
		kind := onset{offset: o.offset, dst: o.dst, name: cmp.Or(o.name, "LMT")}
		at := slices.Index(types[1:], kind)
		if at < 0 && len(types) < 255 {
			types = append(types, kind)
			at = len(types) - 2
		}
		index[i] = uint8(at + 1)
	}
	starts := make([]uint8, len(types))
	for i, k := range types {
		starts[i] = uint8(min(names.Len(), 255))
		names.WriteString(k.name[:min(len(k.name), 6)] + "\x00")
	}
	header(0, 0, 0)
	header(len(all), len(types), names.Len())
	for _, o := range all {
		put(o.at)
	}
	put(index)
	for i, k := range types {
		put(int32(k.offset))
		put(k.dst)
		put(starts[i])
	}
	b.Write(names.Bytes())
	b.WriteString("\n\n")
	return b.Bytes()
}
