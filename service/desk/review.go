package desk

import (
	"context"
	"errors"
	"fmt"
	"slices"

	"wharf/core/span"
	"wharf/service/store"
)

// Decision is what somebody says of bookings that wait to be looked at.
type Decision struct {
	Approve  bool                // else they are rejected
	Bookings map[int64]span.Span // with the spans that were seen; zero: whichever
}

// ChangedError says that a booking is not as it was when somebody looked at it.
type ChangedError struct{ Booking store.Booking }

func (e *ChangedError) Error() string {
	return fmt.Sprintf("booking %d has changed meanwhile", e.Booking.ID)
}

// Review approves or rejects bookings of reviewed links, all of them or none. What is rejected counts for nothing until its
// feed says something else of it. The error is a *ChangedError where one has changed since it was seen.
func (d *Desk) Review(ctx context.Context, account string, what Decision) error {
	var ids, calendars []int64
	for id := range what.Bookings {
		ids = append(ids, id)
	}
	slices.Sort(ids)
	known, err := d.Store.Bookings(ctx, ids)
	if err != nil {
		return err
	}
	for _, b := range known {
		calendars = append(calendars, b.CalendarID)
	}
	slices.Sort(calendars)
	calendars = slices.Compact(calendars)
	says := store.Rejected
	if what.Approve {
		says = store.Approved
	}
	err = d.Store.Tx(ctx, func(tx *store.Tx) error {
		for _, c := range calendars {
			if _, err := tx.LockCalendar(c); err != nil {
				return err
			}
		}
		rows, err := tx.LockBookings(ids)
		if err != nil {
			return err
		}
		if len(rows) != len(ids) {
			return refused("bookings", "one of them is not there any more: look at the list as it is now")
		}
		for _, b := range rows {
			if b.Review == store.NotReviewed {
				return refused("bookings", "%q is of a link on which nobody looks at entries: switch that on first", b.Title)
			}
			if seen := what.Bookings[b.ID]; seen != (span.Span{}) && seen != b.Span() {
				return &ChangedError{b}
			}
		}
		return errors.Join(tx.Decide(ids, says, account, d.Now()), tx.MarkDirty(calendars...))
	})
	if err != nil {
		return err
	}
	d.Combiner.Calendars(ctx, calendars...)
	return nil
}
