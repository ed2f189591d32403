package judge

import (
	"bytes"
	"encoding/json"
	"fmt"
	"io"
	"slices"
	"time"

	"wharf/core/echo"
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
	// Originals are bookings that are or were on the calendar without being among those of the feeds.
	Originals []CaseOriginal `json:"originals,omitempty"`
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
	// Answer is what a person said of it: own or reflected.
	Answer echo.Answer `json:"answer,omitempty"`
	// Elsewhere is the name of what it was found to reflect on another calendar.
	Elsewhere string `json:"elsewhere,omitempty"`
	// Closure: it is no sale. Expires is when it ends to count.
	Closure bool      `json:"closure,omitempty"`
	Expires time.Time `json:"expires,omitzero"`
	// Rejected: somebody looked at it, and said that it counts for nothing.
	Rejected bool `json:"rejected,omitempty"`
}

// CaseOriginal is a booking that is or was on the calendar, by the name under which it is published.
type CaseOriginal struct {
	Name  string `json:"name"`
	Start string `json:"start"`
	End   string `json:"end"`
}

// CasePublication is a publication with what it carried, and who picked it up.
type CasePublication struct {
	Platform string        `json:"platform"`
	Reader   string        `json:"reader,omitempty"` // the kind of reader that is the recipient's
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
	Sent  string    `json:"sent,omitempty"` // the UID that its recipient sees, where that is its source's
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
	Learnt    []NamedHabit
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
	want, got := slices.Sorted(slices.Values(c.Conflicts)), slices.Sorted(slices.Values(o.Conflicts))
	if c.Want != nil && !slices.Equal(got, want) {
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

// NamedHabit is what is known of a platform of a case, and the bookings that it was learnt from.
type NamedHabit struct {
	Platform, Habit, Of, Value string
	From                       []string
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
