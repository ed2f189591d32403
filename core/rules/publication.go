package rules

import (
	"errors"
	"fmt"
	"regexp"
	"slices"
	"strconv"
	"strings"
	"time"
)

// Detail says how much a publication shows of a booking.
type Detail string

const (
	Times  Detail = "times"  // when and whether it is sure, under one title for all
	Titles Detail = "titles" // and its title, if anybody may see it
	// Everything is what its source gives, under the source's UID; what repeats as the series that it is.
	Everything Detail = "everything"
)

// Occupancy says what a publication of a calendar with several units shows as taken.
type Occupancy string

const (
	EachBooking Occupancy = "each"
	WhereFull   Occupancy = "full" // only where no unit is left
)

// Publication says what a publication shows. The zero value of each field is its default.
type Publication struct {
	Detail    Detail        `json:"-"`
	Title     string        `json:"-"` // of what is shown without its own
	Tentative TentativeRule `json:"-"` // how what is not firm goes out; "" is AsTentative
	// Which bookings it may carry.
	Feeds      []int64  `json:"feeds,omitempty"`      // only those of these feeds; none: of all
	NoHolds    bool     `json:"noHolds,omitempty"`    // none that was entered by hand
	Categories []string `json:"categories,omitempty"` // only those of one of these; none: of all
	Shown      bool     `json:"shown,omitempty"`      // also what is only shown, and takes nothing
	Back       int      `json:"back,omitempty"`       // days before this week; 0: DefaultBack
	Ahead      int      `json:"ahead,omitempty"`      // months from this week on; 0: MostAhead
	// How they are written.
	Occupancy Occupancy `json:"occupancy,omitempty"` // "": EachBooking at a capacity of 1, else WhereFull
	Joined    bool      `json:"joined,omitempty"`    // what adjoins or overlaps goes out as one
	Alarm     string    `json:"alarm,omitempty"`     // of every event, so long before it; see ParseAlarm and KeptAlarms
	Cancelled int       `json:"cancelled,omitempty"` // hours for which what is gone is shown as called off
	Refresh   int       `json:"refresh,omitempty"`   // minutes after which it is worth to come back; 0: DefaultRefresh
	Color     string    `json:"color,omitempty"`     // a name of CSS that readers may show it in; "": none
	// Of Everything, what goes out only if it is asked for: files and pictures; guests and organizers; addresses of pages.
	Attachments bool `json:"attachments,omitempty"`
	Attendees   bool `json:"attendees,omitempty"`
	Links       bool `json:"links,omitempty"`
}

// KeptAlarms is the Alarm of a publication whose events have those of their bookings, as people laid them down.
const KeptAlarms = "kept"

// Bounds of what can be laid down of a publication.
const (
	mostTitle     = 200 // bytes
	DefaultBack   = 30
	MostBack      = 90
	MostAhead     = 24
	MostCancelled = 31 * 24

	DefaultRefresh = 15
	LeastRefresh   = 5
	MostRefresh    = 24 * 60
)

// NewPublication checks what a publication of a calendar is to show, and puts the defaults in. The error is a
// *FieldError.
func NewPublication(p Publication, capacity int) (Publication, error) {
	p = p.withDefaults(capacity)
	wrong := func(field, text string, args ...any) (Publication, error) {
		return Publication{}, &FieldError{field, fmt.Errorf(text, args...)}
	}
	if p.Detail != Times && p.Detail != Titles && p.Detail != Everything {
		return wrong("detail", "detail %q is not known: use times, titles or everything", p.Detail)
	}
	if p.Title == "" {
		return Publication{}, &FieldError{"title", errors.New("the title is missing: say what the times are to be called")}
	}
	if len(p.Title) > mostTitle {
		return wrong("title", "the title is too long: use at most %d bytes", mostTitle)
	}
	switch p.Tentative {
	case AsTentative, AsFirm, Ignored:
	default:
		return wrong("tentative", "tentative %q is not known: use %s, %s or %s", p.Tentative, AsTentative, AsFirm, Ignored)
	}
	if p.Occupancy != EachBooking && p.Occupancy != WhereFull {
		return wrong("occupancy", "occupancy %q is not known: use each or full", p.Occupancy)
	}
	if p.Detail == Everything && p.Occupancy == WhereFull {
		return wrong("occupancy", "everything is told of each booking, not of where nothing is left: choose each booking, or times or titles")
	}
	if p.Detail == Everything && p.Joined {
		return wrong("joined", "what is joined has nothing to tell but its times: leave joining out, or choose times or titles")
	}
	if p.Back < 1 || p.Back > MostBack {
		return wrong("back", "%d days back is not possible: use a number from 1 to %d", p.Back, MostBack)
	}
	if p.Ahead < 1 || p.Ahead > MostAhead {
		return wrong("ahead", "%d months ahead is not possible: use a number from 1 to %d", p.Ahead, MostAhead)
	}
	if p.Cancelled < 0 || p.Cancelled > MostCancelled {
		return wrong("cancelled", "%d hours is not possible: use a number from 0 to %d", p.Cancelled, MostCancelled)
	}
	if p.Refresh < LeastRefresh || p.Refresh > MostRefresh {
		return wrong("refresh", "%d minutes is not possible: use a number from %d to %d", p.Refresh, LeastRefresh, MostRefresh)
	}
	if strings.Trim(p.Color, "abcdefghijklmnopqrstuvwxyz") != "" || len(p.Color) > 30 {
		return wrong("color", "%q is no colour: use a name of CSS, such as teal", p.Color)
	}
	if p.Alarm != "" && p.Alarm != KeptAlarms {
		if _, err := ParseAlarm(p.Alarm); err != nil {
			return Publication{}, &FieldError{"alarm", err}
		}
	}
	given, err := NewGiven(p.Categories, "")
	p.Categories = given.Categories
	return p, err
}

func (p Publication) withDefaults(capacity int) Publication {
	if p.Tentative == "" {
		p.Tentative = AsTentative
	}
	if p.Occupancy == "" {
		p.Occupancy = EachBooking
		if capacity > 1 && p.Detail != Everything {
			p.Occupancy = WhereFull
		}
	}
	if p.Back == 0 {
		p.Back = DefaultBack
	}
	if p.Ahead == 0 {
		p.Ahead = MostAhead
	}
	if p.Refresh == 0 {
		p.Refresh = DefaultRefresh
	}
	return p
}

// TakesFrom reports whether what a feed shows may go out; feed 0 is what was entered by hand.
func (p Publication) TakesFrom(feed int64) bool {
	if feed == 0 {
		return !p.NoHolds
	}
	return len(p.Feeds) == 0 || slices.Contains(p.Feeds, feed)
}

// TakesAny reports whether what has these categories may go out. Upper and lower case are the same.
func (p Publication) TakesAny(categories []string) bool {
	return len(p.Categories) == 0 || slices.ContainsFunc(categories, func(c string) bool {
		return slices.ContainsFunc(p.Categories, func(o string) bool { return strings.EqualFold(c, o) })
	})
}

var alarmWritten = regexp.MustCompile(`^(\d{1,5})([mhd])$`)

// ParseAlarm reads how long before an event its alarm is: "30m", "2h" or "1d", at most 31 days.
func ParseAlarm(text string) (time.Duration, error) {
	parts := alarmWritten.FindStringSubmatch(text)
	if parts == nil {
		return 0, fmt.Errorf("%q is no time before an event: write 30m, 2h or 1d, or kept for those that people laid down", text)
	}
	n, _ := strconv.Atoi(parts[1])
	lead := time.Duration(n) * map[string]time.Duration{"m": time.Minute, "h": time.Hour, "d": 24 * time.Hour}[parts[2]]
	if lead > 31*24*time.Hour {
		return 0, fmt.Errorf("%q is too long before an event: use at most 31d", text)
	}
	return lead, nil
}
