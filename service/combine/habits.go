package combine

import (
	"time"

	"wharf/core/echo"
	"wharf/core/judge"
	"wharf/service/store"
)

// goneFor is for how long what left a feed may still be shown by those that mirror it.
const goneFor = 7 * 24 * time.Hour

// habitsOn adds what is known of the platforms of a calendar's feeds, and returns it as it is stored.
func habitsOn(tx *store.Tx, calendar int64, platforms map[int64]int64, f *judge.Facts) ([]store.Habit, error) {
	rows, err := tx.HabitsOn(calendar)
	if err != nil {
		return nil, err
	}
	for i := range f.Feeds {
		feed := &f.Feeds[i]
		feed.Said, feed.Known = echo.Said{}, echo.Said{}
		for _, h := range rows {
			switch {
			case h.FeedID == feed.ID && h.PlatformID == platforms[feed.ID]:
				feed.Known[h.Of()] = h.Value
			case h.FeedID == 0 && h.PlatformID == platforms[feed.ID]:
				feed.Said[h.Of()] = h.Value
			}
		}
	}
	return rows, nil
}

// goneFrom adds what left a calendar's feeds lately.
func goneFrom(tx *store.Tx, calendar int64, f *judge.Facts) error {
	rows, err := tx.GoneSince(calendar, f.Now.Add(-goneFor))
	if err != nil {
		return err
	}
	at := map[int64]int{}
	for i, feed := range f.Feeds {
		at[feed.ID] = i
	}
	for _, b := range rows {
		if i, here := at[b.FeedID]; here {
			f.Feeds[i].Gone = append(f.Feeds[i].Gone, echo.Gone{UID: b.UID, Minted: b.Minted, Span: b.Span(), Stand: standOf(b), At: *b.RemovedAt})
		}
	}
	return nil
}

// saveHabits writes the steps that a judgement led to: what is learnt anew, and what has another
// value now. What is not told any more stays as it was learnt.
func (c *Combiner) saveHabits(tx *store.Tx, calendar store.Calendar, known []store.Habit, feeds []judge.Feed, platforms map[int64]int64, learnt []judge.Habit) error {
	type of struct {
		feed int64
		echo.HabitOf
	}
	current := map[of]store.Habit{}
	var ended []int64
	for _, h := range known {
		if platform, here := platforms[h.FeedID]; h.FeedID != 0 && here && platform != h.PlatformID {
			ended = append(ended, h.ID) // it is a feed of another platform now
			continue
		}
		current[of{h.FeedID, h.Of()}] = h
	}
	said := map[of]bool{}
	for _, f := range feeds {
		for h := range f.Said {
			said[of{f.ID, h}] = true
		}
	}
	var begun []store.Habit
	for _, h := range learnt {
		key := of{h.Feed, h.HabitOf}
		was, is := current[key]
		if said[key] || is && was.Value == h.Value {
			continue
		}
		if is {
			ended = append(ended, was.ID)
		}
		begun = append(begun, store.Habit{PlatformID: platforms[h.Feed], FeedID: h.Feed, CalendarID: calendar.ID, Name: h.Name, OfWhat: h.Of, Value: h.Value, Bookings: append([]int64{}, h.From...), Since: c.Now()})
	}
	return tx.StepHabits(c.Now(), ended, begun)
}
