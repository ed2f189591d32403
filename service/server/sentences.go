package server

import (
	"fmt"

	"wharf/core/echo"
	"wharf/core/span"
	"wharf/service/store"
)

// sentence says what the verdict on a booking rests on; "" where that is nothing.
func (n names) sentence(b store.Booking, grain span.Grain) string {
	e := b.Evidence
	first, last := e.Span.Format(grain)
	switch e.Kind {
	case echo.Sent:
		whom := "this platform"
		if e.Platform != n.feeds[b.FeedID].PlatformID {
			whom = n.platforms[e.Platform].Name
		}
		return fmt.Sprintf("It carries the UID under which Wharf sent %s to %s to %s, from version %d on.", first, last, whom, e.Version)
	case echo.OwnHere:
		return fmt.Sprintf("It carries the UID under which Wharf publishes the booking from %s to %s, which is on this calendar itself.", first, last)
	case echo.NeverSent:
		return fmt.Sprintf("It carries a UID that Wharf gave out, but from %s to %s was never sent with it.", first, last)
	case echo.TwoOrigins:
		return "It has the same UID as a later revision, or an exact copy, in another feed: one booking with two origins."
	}
	return ""
}
