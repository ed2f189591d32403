package span

import "time"

// Wall is a reading of a wall clock, without a zone: the seconds from 1970-01-01 00:00:00
// on that same clock. It becomes an instant only through a zone.
type Wall int64

const daySeconds = 86400

// NewWall is the reading at a time of day.
func NewWall(d Date, hour, minute, second int) Wall {
	return d.Wall() + Wall(hour*3600+minute*60+second)
}

// WallOf is what t's own clock shows.
func WallOf(t time.Time) Wall {
	_, offset := t.Zone()
	return Wall(t.Unix() + int64(offset))
}

// Date is the day of the reading.
func (w Wall) Date() Date { return Date(floorDiv(int64(w), daySeconds)) }

// Clock is the time of day, in seconds from midnight.
func (w Wall) Clock() int { return int(floorMod(int64(w), daySeconds)) }

// Time holds the reading in UTC, for formatting and for arithmetic with durations.
func (w Wall) Time() time.Time { return time.Unix(int64(w), 0).UTC() }

// Add moves the reading on by whole seconds of d.
func (w Wall) Add(d time.Duration) Wall { return w + Wall(d/time.Second) }

// AddDays moves the reading on by days.
func (w Wall) AddDays(n int) Wall { return w + Wall(n)*daySeconds }
