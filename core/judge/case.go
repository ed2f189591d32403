package judge

import (
	"context"
	"errors"
	"fmt"
	"slices"
	"strconv"
	"strings"
	"time"

	"wharf/core/booking"
	"wharf/core/carried"
	"wharf/core/echo"
	"wharf/core/publish"
	"wharf/core/reading"
	"wharf/core/recur"
	"wharf/core/rules"
	"wharf/core/span"
)

// caseReader turns a case into facts.
type caseReader struct {
	calendar  rules.Calendar
	platforms map[string]int64
	names     []string // of platforms, by ID less one
	ids       map[string]int64
	bookings  []CaseBooking
	from      []string
}

// Facts are those of the case.
func (c Case) Facts() (Facts, error) {
	_, f, err := c.facts()
	return f, err
}

func (c Case) facts() (*caseReader, Facts, error) {
	r := &caseReader{platforms: map[string]int64{}, ids: map[string]int64{}}
	f, err := r.facts(c)
	return r, f, err
}

// Run judges a case.
func (c Case) Run(ctx context.Context) (Outcome, error) {
	r, f, err := c.facts()
	if err != nil {
		return Outcome{}, err
	}
	result, err := Judge(ctx, f)
	if err != nil {
		return Outcome{}, err
	}
	var out Outcome
	for i, v := range result.Verdicts {
		out.Verdicts = append(out.Verdicts, NamedVerdict{r.bookings[i].Name, r.from[i], r.bookings[i].Start, r.bookings[i].End, v})
	}
	named := map[int64]string{}
	for name, id := range r.ids {
		named[id] = name
	}
	out.Conflicts = conflictWords(result.Conflicts, r.calendar.Grain, func(id int64) string { return named[id] })
	for _, h := range result.Habits {
		habit := NamedHabit{Platform: c.Feeds[h.Feed-1].Platform, Habit: string(h.Name), Of: h.Of, Value: h.Value}
		for _, id := range h.From {
			habit.From = append(habit.From, named[id])
		}
		out.Learnt = append(out.Learnt, habit)
	}
	out.Platforms = r.names
	return out, nil
}

// conflictWords are conflicts as a case has them: those that are not over.
func conflictWords(conflicts []Conflict, grain span.Grain, name func(int64) string) (all []string) {
	for _, k := range conflicts {
		if !slices.Contains(Unsettled, k.State) {
			continue
		}
		names := make([]string, len(k.Bookings))
		for i, id := range k.Bookings {
			names[i] = name(id)
		}
		slices.Sort(names)
		start, end := k.Span.Format(grain)
		all = append(all, fmt.Sprintf("%s: %s, %s to %s", k.Kind, strings.Join(names, " and "), start, end))
	}
	return all
}

func (r *caseReader) platform(name string) int64 {
	if name == "" {
		return 0
	}
	if r.platforms[name] == 0 {
		r.names = append(r.names, name)
		r.platforms[name] = int64(len(r.names))
	}
	return r.platforms[name]
}

func (r *caseReader) facts(c Case) (f Facts, err error) {
	if r.calendar, err = rules.NewCalendar(c.Calendar.Zone, c.Calendar.Grain, c.Calendar.Capacity); err != nil {
		return f, err
	}
	if c.Now.IsZero() {
		return f, errors.New("now is missing: say when the case is judged")
	}
	if f.Echoes, err = c.Rules.echoes(); err != nil {
		return f, err
	}
	f.Calendar, f.Now = r.calendar, c.Now
	for i, feed := range c.Feeds {
		id := int64(i + 1)
		if feed.Platform == "" {
			id = 0
		}
		mirrors, err := mirrorsOf(c.Feeds, i)
		if err != nil {
			return f, err
		}
		fact := Feed{ID: id, Platform: r.platform(feed.Platform), Read: feed.Read, Mirrors: mirrors}
		if fact.Said, fact.Known, err = habitsOf(feed); err != nil {
			return f, err
		}
		if err := r.bookingsOf(feed, &fact, &f); err != nil {
			return f, err
		}
		f.Feeds = append(f.Feeds, fact)
	}
	window := publish.Window(rules.Publication{}, publish.Step(c.Now, r.calendar.Zone), r.calendar.Grain, r.calendar.Zone)
	for i, p := range c.Publications {
		fact, err := r.publication(p)
		if err != nil {
			return f, err
		}
		fact.ID, fact.Window = int64(i+1), window
		f.Publications = append(f.Publications, fact)
	}
	for _, o := range c.Originals {
		s, err := r.span(o.Start, o.End)
		if err != nil {
			return f, fmt.Errorf("original %q: %w", o.Name, err)
		}
		if f.Originals == nil {
			f.Originals = map[string]span.Span{}
		}
		f.Originals[r.uid(o.Name)] = s
	}
	return f, r.wanted(c)
}

// bookingsOf adds the bookings of a feed, and to the feed what is gone from it.
func (r *caseReader) bookingsOf(feed CaseFeed, fact *Feed, f *Facts) error {
	for _, b := range feed.Bookings {
		read, err := r.booking(b, fact.ID, r.platform(feed.Platform))
		if err != nil {
			return fmt.Errorf("booking %q: %w", b.Name, err)
		}
		if !b.Gone.IsZero() {
			fact.Gone = append(fact.Gone, echo.Gone{UID: read.UID, Minted: read.Minted, Span: read.Span, Stand: read.Stand, At: b.Gone})
			continue
		}
		f.Bookings = append(f.Bookings, read)
		r.bookings, r.from = append(r.bookings, b), append(r.from, feed.Platform)
	}
	return nil
}

// publication is a publication with what it carried and who picked it up.
func (r *caseReader) publication(p CasePublication) (Publication, error) {
	fact := Publication{Platform: r.platform(p.Platform), Reader: p.Reader, Version: 1}
	for n, item := range p.Carried {
		s, err := r.span(item.Start, item.End)
		if err != nil {
			return fact, fmt.Errorf("carried %q: %w", item.Name, err)
		}
		fact.History = append(fact.History, carried.Row{ID: int64(n + 1), Item: carried.Item{Name: carried.Name{UID: r.uid(item.Name)}, Span: s, Units: max(1, item.Units), Sent: item.Sent}, Stamp: item.Stamp, From: item.From, To: item.To})
		fact.Version = max(fact.Version, item.From, item.To)
	}
	for _, k := range p.Pickups {
		last := k.Last
		if last.IsZero() {
			last = k.First
		}
		fact.Pickups = append(fact.Pickups, carried.Pickup{Version: k.Version, Agent: k.Agent, First: k.First, Last: last, Times: max(1, k.Times)})
		fact.Version = max(fact.Version, k.Version)
	}
	return fact, nil
}

// habitsOf are what a person laid down, and what was learnt before.
func habitsOf(feed CaseFeed) (said, known echo.Said, err error) {
	said, known = echo.Said{}, echo.Said{}
	for _, h := range feed.Habits {
		of := echo.HabitOf{Name: h.Habit, Of: h.Of}
		if err := echo.CheckHabit(of, h.Value); err != nil {
			return nil, nil, fmt.Errorf("%s: %w", feed.Platform, err)
		}
		if h.Said {
			said[of] = h.Value
		} else {
			known[of] = h.Value
		}
	}
	return said, known, nil
}

// mirrorsOf are the feeds of the platforms that the nth feed mirrors.
func mirrorsOf(feeds []CaseFeed, n int) ([]int64, error) {
	var ids []int64
	for _, name := range feeds[n].Mirrors {
		found := false
		for i, f := range feeds {
			if f.Platform != name {
				continue
			}
			if name == feeds[n].Platform {
				return nil, fmt.Errorf("%s cannot mirror itself", name)
			}
			if slices.Contains(f.Mirrors, feeds[n].Platform) {
				return nil, fmt.Errorf("%s and %s mirror each other: say of one of them where it comes from", name, feeds[n].Platform)
			}
			ids, found = append(ids, int64(i+1)), true
		}
		if !found {
			return nil, fmt.Errorf("%s mirrors %q, and there is no feed of that platform", feeds[n].Platform, name)
		}
	}
	return ids, nil
}

// echoes checks the rules of a case.
func (c CaseRules) echoes() (echo.Rules, error) {
	r := echo.Rules{Limit: c.Limit, Skew: time.Duration(c.SkewMinutes) * time.Minute}
	if err := r.Check(); err != nil {
		return r, err
	}
	if c.DelayMinutes != nil {
		if *c.DelayMinutes < 0 {
			return r, fmt.Errorf("delayMinutes %d is below zero: use 0 for none", *c.DelayMinutes)
		}
		if r.Delay = time.Duration(*c.DelayMinutes) * time.Minute; r.Delay == 0 {
			r.Delay = -1
		}
	}
	return r, nil
}

// wanted checks that what is to come out is about bookings of the case.
func (r *caseReader) wanted(c Case) error {
	for name := range c.Want {
		if r.ids[name] == 0 {
			return fmt.Errorf("want names %q, and no booking has that name", name)
		}
	}
	return nil
}

// uid is the UID of a booking in publications; NAME/1 is that of its second piece.
func (r *caseReader) uid(name string) string {
	if of, piece, cut := strings.Cut(name, "/"); cut {
		if n, err := strconv.Atoi(piece); err == nil {
			return carried.Piece(carried.Mint(nil, of), n)
		}
	}
	return carried.Mint(nil, name)
}

func (r *caseReader) booking(b CaseBooking, feed, platform int64) (Booking, error) {
	if b.Name == "" {
		return Booking{}, errors.New("it has no name")
	}
	if r.ids[b.Name] != 0 {
		return Booking{}, errors.New("another one has this name")
	}
	id := int64(len(r.ids) + 1)
	r.ids[b.Name] = id
	s, err := r.span(b.Start, b.End)
	if err != nil {
		return Booking{}, err
	}
	if b.SeenBy.IsZero() {
		return Booking{}, errors.New("seenBy is missing: say when it was first read")
	}
	if b.Answer != "" && b.Answer != echo.Own && b.Answer != echo.Reflected {
		return Booking{}, fmt.Errorf("answer %q: use %s, %s, or leave it out", b.Answer, echo.Own, echo.Reflected)
	}
	uid := b.UID
	if before, of, ours := strings.Cut(uid, "ours:"); ours {
		uid = before + r.uid(of)
	}
	elsewhere := ""
	if b.Elsewhere != "" {
		elsewhere = r.uid(b.Elsewhere)
	}
	between := reading.Interval{NotBefore: b.NotBefore, SeenBy: b.SeenBy}
	return Booking{ID: id, Feed: feed, Platform: platform, UID: uid, Minted: r.uid(b.Name), Form: b.Form, Title: b.Title, Created: b.Created, Answer: b.Answer, EchoElsewhere: elsewhere, Closure: b.Closure, Expires: b.Expires, Rejected: b.Rejected,
		Booking:  booking.Booking{Span: s, Tentative: b.Tentative, Blocks: !b.Shown, Units: max(1, b.Units)},
		Revision: recur.Revision{Sequence: b.Sequence, Stamp: b.Stamp}, Stand: between, Sighting: between}, nil
}

func (r *caseReader) span(start, end string) (s span.Span, err error) {
	if s.Start, err = r.point(start); err != nil {
		return s, err
	}
	if s.End, err = r.point(end); err != nil {
		return s, err
	}
	if s.Empty() {
		return s, fmt.Errorf("%s to %s is nothing: the end is not part of a span", start, end)
	}
	return s, nil
}

func (r *caseReader) point(text string) (int64, error) {
	if r.calendar.Grain.Dated() {
		d, err := span.ParseDate(text)
		return int64(d), err
	}
	t, err := time.Parse(time.RFC3339, text)
	if err != nil {
		return 0, fmt.Errorf("%q is no time: write it as 2026-07-03T09:00:00Z", text)
	}
	return t.Unix(), nil
}
