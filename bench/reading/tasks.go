package main

import (
	"bytes"
	"errors"
	"io"
	"strings"
	"time"

	arran "github.com/arran4/golang-ical"
	emersion "github.com/emersion/go-ical"
	rrulego "github.com/teambition/rrule-go"

	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/rrule"
)

// result is what a task gives, so that rivals can be held to the same.
type result struct {
	count int   // events or occurrences
	sum   int64 // of their starts, and what else was decoded
}

// way is one way to do a task.
type way struct {
	name string
	do   func(text []byte) (result, error)
}

// The window of two years in which is expanded.
var from, to = time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC)

func wharfRead(text []byte) (result, error) {
	r := ical.NewReader(bytes.NewReader(text))
	n := 0
	for {
		c, err := r.Next()
		if errors.Is(err, io.EOF) {
			return result{count: n}, nil
		}
		if err != nil {
			return result{}, err
		}
		if c.Name == "VEVENT" {
			n++
		}
	}
}

func emersionRead(text []byte) (result, error) {
	c, err := emersion.NewDecoder(bytes.NewReader(text)).Decode()
	if err != nil {
		return result{}, err
	}
	return result{count: len(c.Events())}, nil
}

func arranRead(text []byte) (result, error) {
	c, err := arran.ParseCalendar(bytes.NewReader(text))
	if err != nil {
		return result{}, err
	}
	return result{count: len(c.Events())}, nil
}

// The typed ways decode every value: times into seconds, texts unescaped, numbers. The sum
// is of the starts by the wall clock and of the lengths of the texts.
func wharfTyped(text []byte) (result, error) {
	r := ical.NewReader(bytes.NewReader(text))
	got, other := result{}, int64(0)
	for {
		c, err := r.Next()
		if errors.Is(err, io.EOF) {
			kept = other
			return got, nil
		}
		if err != nil {
			return result{}, err
		}
		if c.Name != "VEVENT" {
			continue
		}
		got.count++
		for i := range c.Len() {
			p := c.At(i)
			for v, err := range p.Values() {
				if err != nil {
					return result{}, err
				}
				switch p.Name {
				case "DTSTART":
					got.sum += int64(v.Moment.Wall)
				case "SUMMARY", "DESCRIPTION":
					got.sum += int64(len(v.Text))
				case "RRULE":
					if _, err := rrule.Parse(v.Text); err != nil {
						return result{}, err
					}
				default:
					other += int64(v.Moment.Wall) + int64(v.Number) + int64(len(v.Text))
				}
			}
		}
	}
}

// kept keeps a compiler from leaving out what is only decoded.
var kept int64

func emersionTyped(text []byte) (result, error) {
	c, err := emersion.NewDecoder(bytes.NewReader(text)).Decode()
	if err != nil {
		return result{}, err
	}
	got, other := result{}, int64(0)
	for _, e := range c.Events() {
		got.count++
		for name, props := range e.Props {
			for _, p := range props {
				switch name {
				case "DTSTART", "DTEND", "DTSTAMP", "CREATED", "RECURRENCE-ID", "EXDATE":
					t, err := p.DateTime(time.UTC)
					if err != nil {
						return result{}, err
					}
					if name == "DTSTART" {
						got.sum += wall(t)
					}
					other += t.Unix()
				case "SEQUENCE":
					n, err := p.Int()
					if err != nil {
						return result{}, err
					}
					other += int64(n)
				case "RRULE":
					if _, err := rruleOption(p.Value); err != nil {
						return result{}, err
					}
				default:
					s, err := p.Text()
					if err != nil {
						return result{}, err
					}
					if name == "SUMMARY" || name == "DESCRIPTION" {
						got.sum += int64(len(s))
					}
					other += int64(len(s))
				}
			}
		}
	}
	kept = other
	return got, nil
}

// wall is what t's own clock shows.
func wall(t time.Time) int64 {
	_, offset := t.Zone()
	return t.Unix() + int64(offset)
}

func rruleOption(s string) (*rrulego.ROption, error) { return rrulego.StrToROption(s) }

func arranTyped(text []byte) (result, error) {
	c, err := arran.ParseCalendar(bytes.NewReader(text))
	if err != nil {
		return result{}, err
	}
	got, other := result{}, int64(0)
	for _, e := range c.Events() {
		got.count++
		for i := range e.Properties {
			p := &e.Properties[i]
			switch p.IANAToken {
			case "DTSTART", "DTEND", "DTSTAMP", "CREATED", "RECURRENCE-ID", "EXDATE":
				t, err := arranTime(p)
				if err != nil {
					return result{}, err
				}
				if p.IANAToken == "DTSTART" {
					got.sum += wall(t)
				}
				other += t.Unix()
			case "RRULE":
				if _, err := rruleOption(p.Value); err != nil {
					return result{}, err
				}
			default:
				s := arran.FromText(p.Value)
				if p.IANAToken == "SUMMARY" || p.IANAToken == "DESCRIPTION" {
					got.sum += int64(len(s))
				}
				other += int64(len(s))
			}
		}
	}
	kept = other
	return got, nil
}

// locations saves the rival's user the reading of a zone for each value.
var locations = map[string]*time.Location{}

// arranTime decodes a time, which the library does for a few properties only.
func arranTime(p *arran.IANAProperty) (time.Time, error) {
	layout, loc := "20060102T150405", time.UTC
	switch {
	case len(p.Value) == 8:
		layout = "20060102"
	case strings.HasSuffix(p.Value, "Z"):
		layout = "20060102T150405Z"
	}
	if ids := p.ICalParameters["TZID"]; len(ids) == 1 {
		if loc = locations[ids[0]]; loc == nil {
			var err error
			if loc, err = time.LoadLocation(ids[0]); err != nil {
				return time.Time{}, err
			}
			locations[ids[0]] = loc
		}
	}
	return time.ParseInLocation(layout, p.Value, loc)
}

// The copying ways read and write again, to out. What they write is read and compared
// before any of it is timed.
var out io.Writer = io.Discard

func eventsIn(c *ical.Component) (n int) {
	for _, sub := range c.Components() {
		if sub.Name == "VEVENT" {
			n++
		}
	}
	return n
}

func wharfCopy(raw bool) func(text []byte) (result, error) {
	return func(text []byte) (result, error) {
		r := ical.NewReader(bytes.NewReader(text))
		r.Raw = raw
		calendars, err := r.ReadAll()
		if err != nil {
			return result{}, err
		}
		return result{count: eventsIn(calendars[0])}, ical.Write(out, calendars[0])
	}
}

func emersionCopy(text []byte) (result, error) {
	c, err := emersion.NewDecoder(bytes.NewReader(text)).Decode()
	if err != nil {
		return result{}, err
	}
	return result{count: len(c.Events())}, emersion.NewEncoder(out).Encode(c)
}

func arranCopy(text []byte) (result, error) {
	c, err := arran.ParseCalendar(bytes.NewReader(text))
	if err != nil {
		return result{}, err
	}
	return result{count: len(c.Events())}, c.SerializeTo(out)
}

// wharfOccurrences goes from bytes to the occurrences in the window.
func wharfOccurrences(text []byte) (got result, err error) {
	doc, err := recur.Read(ical.NewReader(bytes.NewReader(text)))
	if err != nil {
		return got, err
	}
	return wharfExpand(doc)
}

func wharfExpand(doc *recur.Document) (got result, err error) {
	x := doc.In(recur.Window{From: from, To: to, Zone: time.UTC})
	for _, e := range doc.Entries {
		found, diags := x.Expand(e)
		if len(diags) > 0 {
			return got, errors.New(diags[0].Message)
		}
		got.count += len(found)
		for i := range found {
			got.sum += found[i].Start
		}
	}
	return got, nil
}

// event is what the other pairs need of an event.
type event struct {
	uid, rule           string
	start, end, instead time.Time // instead: RECURRENCE-ID
	except              []time.Time
}

// gather lays out events with the recurrence library that the others share.
func gather(all []event) (got result, err error) {
	overridden := map[string][]time.Time{}
	for _, e := range all {
		if !e.instead.IsZero() {
			overridden[e.uid] = append(overridden[e.uid], e.instead)
		}
	}
	for _, e := range all {
		length := e.end.Sub(e.start)
		starts := []time.Time{e.start}
		if e.rule != "" {
			option, err := rruleOption(e.rule)
			if err != nil {
				return got, err
			}
			option.Dtstart = e.start
			r, err := rrulego.NewRRule(*option)
			if err != nil {
				return got, err
			}
			set := rrulego.Set{}
			set.RRule(r)
			for _, t := range e.except {
				set.ExDate(t)
			}
			for _, t := range overridden[e.uid] {
				set.ExDate(t)
			}
			starts = set.Between(from.Add(-length), to, true)
		}
		for _, t := range starts {
			if t.Before(to) && t.Add(length).After(from) {
				got.count++
				got.sum += t.Unix()
			}
		}
	}
	return got, nil
}

func emersionOccurrences(text []byte) (result, error) {
	c, err := emersion.NewDecoder(bytes.NewReader(text)).Decode()
	if err != nil {
		return result{}, err
	}
	events := c.Events()
	all := make([]event, len(events))
	for i, e := range events {
		x := &all[i]
		if x.start, err = e.DateTimeStart(time.UTC); err != nil {
			return result{}, err
		}
		if x.end, err = e.DateTimeEnd(time.UTC); err != nil {
			return result{}, err
		}
		if p := e.Props.Get("RECURRENCE-ID"); p != nil {
			if x.instead, err = p.DateTime(time.UTC); err != nil {
				return result{}, err
			}
		}
		if p := e.Props.Get("RRULE"); p != nil {
			x.rule = p.Value
		}
		for _, p := range e.Props.Values("EXDATE") {
			t, err := p.DateTime(time.UTC)
			if err != nil {
				return result{}, err
			}
			x.except = append(x.except, t)
		}
		x.uid = strings.Clone(e.Props.Get("UID").Value)
	}
	return gather(all)
}

func arranOccurrences(text []byte) (result, error) {
	c, err := arran.ParseCalendar(bytes.NewReader(text))
	if err != nil {
		return result{}, err
	}
	events := c.Events()
	all := make([]event, len(events))
	for i, e := range events {
		x := &all[i]
		x.uid = e.Id()
		for i := range e.Properties {
			p := &e.Properties[i]
			switch p.IANAToken {
			case "RRULE":
				x.rule = p.Value
			case "DTSTART":
				x.start, err = arranTime(p)
			case "DTEND":
				x.end, err = arranTime(p)
			case "RECURRENCE-ID":
				x.instead, err = arranTime(p)
			case "EXDATE":
				var t time.Time
				t, err = arranTime(p)
				x.except = append(x.except, t)
			}
			if err != nil {
				return result{}, err
			}
		}
	}
	return gather(all)
}
