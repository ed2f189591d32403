package judge

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"slices"
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

// CaseVersion is the newest form of a case file that is understood.
const CaseVersion = 1

// Case is what a judgement on one calendar rests on, as a file: docs/guide/cases.md says what
// each field means. It is a bug report and a test in one.
type Case struct {
	Version      int               `json:"version"`
	About        string            `json:"about"`
	Now          time.Time         `json:"now"`
	Calendar     CaseCalendar      `json:"calendar"`
	Rules        CaseRules         `json:"rules,omitzero"`
	Feeds        []CaseFeed        `json:"feeds"`
	Publications []CasePublication `json:"publications,omitempty"`
	// Want is what is to come out, by the names of bookings and, for conflicts, in order.
	Want      map[string]CaseVerdict `json:"want,omitempty"`
	Conflicts []string               `json:"conflicts,omitempty"`
}

// CaseCalendar is what is laid down about the calendar.
type CaseCalendar struct {
	Zone     string `json:"zone"`
	Grain    string `json:"grain"`
	Capacity int    `json:"capacity"`
}

// CaseRules are echo.Rules; what is left out has its default.
type CaseRules struct {
	Limit        float64 `json:"limit,omitempty"`
	DelayMinutes *int    `json:"delayMinutes,omitempty"`
	SkewMinutes  int     `json:"skewMinutes,omitempty"`
}

// CaseFeed is a feed with its bookings; Platform "" is what came from no feed.
type CaseFeed struct {
	Platform string        `json:"platform,omitempty"`
	Read     time.Time     `json:"read,omitzero"`
	Mirrors  []string      `json:"mirrors,omitempty"` // platforms that its own is linked to directly
	Habits   []CaseHabit   `json:"habits,omitempty"`
	Bookings []CaseBooking `json:"bookings"`
}

// CaseHabit is a habit of the platform: learnt before, or laid down by a person (Said).
type CaseHabit struct {
	Habit echo.HabitName `json:"habit"`
	Of    string         `json:"of,omitempty"`
	Value string         `json:"value"`
	Said  bool           `json:"said,omitempty"`
}

// CaseBooking is a booking with its facts. Its UID in publications is its name.
type CaseBooking struct {
	Name      string    `json:"name"`
	UID       string    `json:"uid,omitempty"`
	Start     string    `json:"start"`
	End       string    `json:"end"`
	Tentative bool      `json:"tentative,omitempty"`
	Shown     bool      `json:"shownOnly,omitempty"`
	Units     int       `json:"units,omitempty"`
	Form      string    `json:"form,omitempty"`
	Title     string    `json:"title,omitempty"`
	Created   time.Time `json:"created,omitzero"`
	Stamp     time.Time `json:"stamp,omitzero"`
	Sequence  int       `json:"sequence,omitempty"`
	NotBefore time.Time `json:"notBefore,omitzero"`
	SeenBy    time.Time `json:"seenBy"`
	// Gone is when the first good reading without it was; it is no booking any more.
	Gone time.Time `json:"gone,omitzero"`
}

// CasePublication is a publication with what it carried, and who picked it up.
type CasePublication struct {
	Platform string        `json:"platform"`
	Carried  []CaseCarried `json:"carried"`
	Pickups  []CasePickup  `json:"pickups,omitempty"`
}

// CaseCarried is an item and the run of versions that it was in; To 0: it is in the newest.
type CaseCarried struct {
	Name  string    `json:"name"` // of the booking
	Start string    `json:"start"`
	End   string    `json:"end"`
	Units int       `json:"units,omitempty"`
	Stamp time.Time `json:"stamp,omitzero"`
	From  int64     `json:"from"`
	To    int64     `json:"to,omitempty"`
}

// CasePickup is carried.Pickup.
type CasePickup struct {
	Version int64     `json:"version"`
	Agent   string    `json:"agent,omitempty"`
	First   time.Time `json:"first"`
	Last    time.Time `json:"last,omitzero"`
	Times   int64     `json:"times,omitempty"`
}

// CaseVerdict is a verdict with the reason for it and what speaks against it.
type CaseVerdict struct {
	Kind    Kind        `json:"verdict"`
	Reason  echo.Reason `json:"reason,omitempty"`
	Against echo.Reason `json:"against,omitempty"`
	Way     echo.Way    `json:"way,omitempty"`
}

// Outcome is what came out of a case.
type Outcome struct {
	Verdicts  []NamedVerdict
	Conflicts []string // "kind: names, start to end"
	Platforms []string // their names, by ID less one
}

// Differs says where what came out is not what the case wants, a sentence each. For a booking
// it need not say why, and a verdict that it does not name is none of its business.
func (o Outcome) Differs(c Case) []string {
	var all []string
	for _, v := range o.Verdicts {
		want, asked := c.Want[v.Name]
		got := v.Brief()
		if want.Kind == Counts && want.Reason == "" {
			got.Reason, got.Against = "", ""
		}
		if asked && got != want {
			all = append(all, fmt.Sprintf("%s is %s, and was to be %s", v.Name, got, want))
		}
	}
	if c.Want != nil && !slices.Equal(o.Conflicts, c.Conflicts) {
		all = append(all, fmt.Sprintf("the conflicts are %q, and were to be %q", o.Conflicts, c.Conflicts))
	}
	return all
}

// String is the verdict in words of the file.
func (v CaseVerdict) String() string {
	text := string(v.Kind)
	for _, more := range []string{string(v.Reason), string(v.Way)} {
		if more != "" {
			text += " " + more
		}
	}
	if v.Against != "" {
		text += " but " + string(v.Against)
	}
	return text
}

// NamedVerdict is the finding on a booking of a case.
type NamedVerdict struct {
	Name, Platform string
	Start, End     string
	Verdict
}

// Brief is the verdict as a case file has it.
func (v NamedVerdict) Brief() CaseVerdict {
	return CaseVerdict{v.Kind, v.Evidence.Kind, v.Evidence.Against, v.Evidence.Way}
}

// ReadCase reads a case file. The error says what is wrong with it.
func ReadCase(in io.Reader) (Case, error) {
	text, err := io.ReadAll(in)
	if err != nil {
		return Case{}, err
	}
	var head struct {
		Version int `json:"version"`
	}
	if err := json.Unmarshal(text, &head); err != nil {
		return Case{}, fmt.Errorf("this is no case file (%w): docs/guide/cases.md says what one is", err)
	}
	if head.Version > CaseVersion || head.Version < 1 {
		return Case{}, fmt.Errorf("the case is of version %d, and this program knows version %d: run the wharf that wrote it", head.Version, CaseVersion)
	}
	var c Case
	d := json.NewDecoder(bytes.NewReader(text))
	d.DisallowUnknownFields()
	if err := d.Decode(&c); err != nil {
		return Case{}, fmt.Errorf("the case cannot be read: %w", err)
	}
	return c, nil
}

// caseReader turns a case into facts.
type caseReader struct {
	calendar  rules.Calendar
	platforms map[string]int64
	names     []string // of platforms, by ID less one
	ids       map[string]int64
	bookings  []CaseBooking
	from      []string
}

// Run judges a case.
func (c Case) Run(ctx context.Context) (Outcome, error) {
	r := &caseReader{platforms: map[string]int64{}, ids: map[string]int64{}}
	f, err := r.facts(c)
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
	for _, k := range result.Conflicts {
		names := make([]string, len(k.Bookings))
		for i, id := range k.Bookings {
			names[i] = named[id]
		}
		slices.Sort(names)
		start, end := k.Span.Format(r.calendar.Grain)
		out.Conflicts = append(out.Conflicts, fmt.Sprintf("%s: %s, %s to %s", k.Kind, strings.Join(names, " and "), start, end))
	}
	out.Platforms = r.names
	return out, nil
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
		fact := Feed{ID: id, Read: feed.Read, Mirrors: mirrors}
		if fact.Said, fact.Known, err = habitsOf(feed); err != nil {
			return f, err
		}
		if err := r.bookingsOf(feed, &fact, &f); err != nil {
			return f, err
		}
		f.Feeds = append(f.Feeds, fact)
	}
	window := publish.Window(publish.Step(c.Now, r.calendar.Zone), r.calendar.Grain, r.calendar.Zone)
	for i, p := range c.Publications {
		fact, err := r.publication(p)
		if err != nil {
			return f, err
		}
		fact.ID, fact.Window = int64(i+1), window
		f.Publications = append(f.Publications, fact)
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
	fact := Publication{Platform: r.platform(p.Platform), Version: 1}
	for n, item := range p.Carried {
		s, err := r.span(item.Start, item.End)
		if err != nil {
			return fact, fmt.Errorf("carried %q: %w", item.Name, err)
		}
		fact.History = append(fact.History, carried.Row{ID: int64(n + 1), Item: carried.Item{Name: carried.Name{UID: r.uid(item.Name)}, Span: s, Units: max(1, item.Units)}, Stamp: item.Stamp, From: item.From, To: item.To})
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

// uid is the UID of a booking in publications.
func (r *caseReader) uid(name string) string { return carried.Mint(nil, name) }

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
	uid := b.UID
	if of, ours := strings.CutPrefix(uid, "ours:"); ours {
		uid = r.uid(of)
	}
	between := reading.Interval{NotBefore: b.NotBefore, SeenBy: b.SeenBy}
	return Booking{ID: id, Feed: feed, Platform: platform, UID: uid, Minted: r.uid(b.Name), Form: b.Form, Title: b.Title, Created: b.Created,
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
