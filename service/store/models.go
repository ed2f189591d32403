package store

import (
	"time"

	"wharf/core/conflict"
	"wharf/core/echo"
	"wharf/core/exposure"
	"wharf/core/hold"
	"wharf/core/judge"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/core/span"
)

// Setting is a value of the installation, such as the check of its key.
type Setting struct {
	Name  string `gorm:"primaryKey"`
	Value []byte
}

// Account is a person who can log in.
type Account struct {
	ID           int64
	Name         string
	PasswordHash string
	CreatedAt    time.Time
}

// Kinds of sessions.
const (
	BrowserSession = "browser"
	TokenSession   = "token"
)

// Session is a login, found by the hash of its secret.
type Session struct {
	ID        int64
	Hash      []byte
	AccountID int64
	Kind      string
	Label     string
	CreatedAt time.Time
	ExpiresAt time.Time
}

// Platform is somebody's system on which things are sold or listed.
type Platform struct {
	ID        int64
	Name      string
	Revision  int64 `gorm:"default:1"`
	RemovedAt *time.Time
	Person    bool // a recipient that is one, and sells nothing
}

// Feed is an iCalendar document published elsewhere that we read.
type Feed struct {
	ID            int64
	PlatformID    int64
	Name          string
	Color         string
	URLCipher     []byte
	Address       string     // the link without its secrets; of an uploaded one, the name of its file
	Categories    string     // that all it brings in has, a line each
	Class         string     // of what has none itself
	EverySeconds  int        // about how long it is between readings; 0: it is read once
	Schedule      string     // as core/schedule writes it; "": every so many seconds
	PausedAt      *time.Time // since when it is not read
	ETag          string     `gorm:"column:e_tag"`
	LastModified  string
	BodyDigest    string // of what the last reading gave that was read
	CreatedAt     time.Time
	DueAt         time.Time
	LeaseUntil    *time.Time
	Fence         int64
	LastGoodStart *time.Time // request time of the last good reading
	LastGoodEnd   *time.Time
	FailingSince  *time.Time
	FreshSince    *time.Time // first good reading after none or after failures
	// The run of unchanged readings that is still going on is kept here, so that such a
	// reading writes nothing but this row.
	RunTimes      int
	RunStart      *time.Time
	RunEnd        *time.Time
	RunStatus     int
	RunBytes      int64
	RunTookMS     int64 `gorm:"column:run_took_ms"`
	LastReadingID *int64
	Entries       int
	Frame         string // the digest of what its document says for all that is in it
	Remarks       string // what was odd about the last good reading, a line each
	Readings      int64
	// New UIDs that are not recorded yet (reading.Unsettled).
	NewUIDs          string        `gorm:"column:new_uids"`
	NewUIDsNotBefore *time.Time    `gorm:"column:new_uids_not_before"`
	NewUIDsSeenBy    *time.Time    `gorm:"column:new_uids_seen_by"`
	Gaps             exposure.Gaps `gorm:"serializer:json"` // between its good readings
	WholeAt          *time.Time    // end of the last reading that gave its document
	GuardedSince     *time.Time    // since when what it no longer shows is held; nil: nothing is
	Revision         int64         `gorm:"default:1"` // raised by every edit
	RemovedAt        *time.Time    // its bookings stay on record, for what conflicts were among
}

// Uploaded reports whether it is a file that a person gave, which is never read by itself.
func (f Feed) Uploaded() bool { return len(f.URLCipher) == 0 }

// Run is the record of the unchanged readings that are still going on, or nil.
func (f Feed) Run() *Reading {
	if f.RunTimes == 0 {
		return nil
	}
	return &Reading{FeedID: f.ID, StartedAt: *f.RunStart, FinishedAt: *f.RunEnd, Outcome: OutcomeUnchanged,
		Status: f.RunStatus, Bytes: f.RunBytes, TookMS: f.RunTookMS, Entries: f.Entries, Remarks: f.Remarks, Times: f.RunTimes}
}

// Mirror says that a feed's platform is linked directly to that of another feed.
type Mirror struct {
	FeedID int64 `gorm:"primaryKey;autoIncrement:false"`
	OfID   int64 `gorm:"primaryKey;autoIncrement:false"`
}

// Outcome says how a reading ended.
type Outcome string

// Outcomes of a reading.
const (
	OutcomeChanged   Outcome = "changed"
	OutcomeUnchanged Outcome = "unchanged"
	OutcomeFailed    Outcome = "failed"
)

// Reading is one attempt at a feed, or a run of unchanged ones.
type Reading struct {
	ID         int64
	FeedID     int64
	StartedAt  time.Time
	FinishedAt time.Time
	Outcome    Outcome
	Message    string
	Status     int
	Bytes      int64 // of the last of them
	TookMS     int64 `gorm:"column:took_ms"` // the last of them, in milliseconds
	Entries    int
	Added      int
	Changed    int
	Removed    int
	Remarks    string // on what it gave, a line each
	Times      int
}

// BodyPart is a part of what the last good reading of a feed gave, compressed.
type BodyPart struct {
	FeedID int64 `gorm:"primaryKey;autoIncrement:false"`
	Part   int   `gorm:"primaryKey;autoIncrement:false"`
	Body   []byte
}

// TableName is bodies.
func (BodyPart) TableName() string { return "bodies" }

// Entry is an entry of a feed as last read.
type Entry struct {
	ID        int64
	FeedID    int64
	UID       string `gorm:"column:uid"`
	Place     string
	Digest    string
	Form      string
	NotBefore *time.Time
	SeenBy    time.Time
	ChangedBy *time.Time
	GoneAt    *time.Time // the feed no longer shows it; if it comes back, it is the same
	TextID    int64      // where its source text is, and which piece of that; 0: nowhere
	Piece     int
}

// TextPart is a part of the source texts of entries that one reading brought, compressed.
type TextPart struct {
	ID     int64 `gorm:"primaryKey"`
	Part   int   `gorm:"primaryKey;autoIncrement:false"`
	FeedID int64
	At     time.Time
	Body   []byte
}

// TableName is texts.
func (TextPart) TableName() string { return "texts" }

// Sighting is what an entry showed of a booking over an unbroken run of readings, once that is
// over; the one that goes on is the booking's own row.
type Sighting struct {
	ID            int64
	BookingID     int64
	UID           string `gorm:"column:uid"`
	Title         string
	Status        string
	Form          string
	StartPoint    int64
	EndPoint      int64
	NotBefore     *time.Time
	SeenBy        time.Time
	OverNotBefore *time.Time
	OverSeenBy    time.Time
	TextID        int64
	Piece         int
}

// Calendar is the combined availability of one bookable thing.
type Calendar struct {
	ID        int64
	Name      string
	Zone      string
	Grain     string
	Capacity  int
	Version   int64
	LaidOutOn string // the local day for which its window was last laid out
	CreatedAt time.Time
	Revision  int64 `gorm:"default:1"`
	// A calendar that cannot be combined or laid out is set aside: how often that failed,
	// since when and why, and when it is tried again.
	Failures     int
	FailingSince *time.Time
	Failure      string
	RetryAt      *time.Time
	RemovedAt    *time.Time // what was on it stays on record, to know its echoes elsewhere by
	RecheckAt    *time.Time // when it is judged again though nothing has changed; nil: never
	ChanceLimit  float64    // 0: that of the service
	GroupID      int64      `gorm:"default:null"` // 0: it is in none
}

// CalendarGroup is a group of calendars that are shown together.
type CalendarGroup struct {
	ID       int64
	Name     string
	Position int   // among the groups
	Revision int64 `gorm:"default:1"`
}

// Link says that a feed counts on a calendar, and how.
type Link struct {
	CalendarID int64 `gorm:"primaryKey;autoIncrement:false"`
	FeedID     int64 `gorm:"primaryKey;autoIncrement:false"`
	Role       string
	Tentative  string
	Units      int
	Label      string
	Filter     string          // as core/rules writes it; "": all of it
	Counting   string          // how many units each takes, as core/rules writes it; "": Units
	Notices    string          // entries to come that take nothing on the calendar though they may be meant to, a line each
	Freed      []reading.Freed `gorm:"serializer:json"` // by readings, lately
	Review     bool            // somebody is to look at each entry
	Revision   int64           `gorm:"default:1"`
}

// Booking is what an occurrence means on a calendar, with what was recorded and what
// was found about it.
type Booking struct {
	ID         int64
	CalendarID int64
	FeedID     int64 `gorm:"default:null"` // 0: it came from no feed
	EntryID    int64 `gorm:"default:null"` // 0 likewise
	Occurrence string
	UID        string `gorm:"column:uid"`
	Minted     string
	StartPoint int64
	EndPoint   int64
	Tentative  bool
	Blocks     bool
	Units      int
	Title      string
	Categories string // a line each
	Class      rules.Class
	Notices    string // comma-separated
	Sequence   int
	Stamp      *time.Time
	Created    *time.Time
	Status     string
	Form       string
	// Of its stand, and of the sighting that goes on.
	NotBefore         *time.Time
	SeenBy            time.Time
	SightingNotBefore *time.Time
	SightingSeenBy    *time.Time
	RemovedAt         *time.Time
	HeldWhy           reading.Why // "": its feed shows it
	HeldSince         *time.Time
	HeldAgreed        int
	Verdict           judge.Kind
	Evidence          echo.Evidence `gorm:"serializer:json"`
	WithID            int64
	// Of a hold.
	HoldID    int64      `gorm:"default:null"` // 0: it is of none
	Closure   bool       // it is no sale
	ExpiresAt *time.Time // when it ends to count; nil: never
	Review    ReviewState
}

// ReviewState says how a booking of a link stands whose entries are looked at.
type ReviewState string

// States of a review.
const (
	NotReviewed ReviewState = ""         // nobody is to look at it
	Waiting     ReviewState = "waiting"  // it blocks, and its details go nowhere
	Approved    ReviewState = "approved" // it is as any other
	Rejected    ReviewState = "rejected" // it counts for nothing until it changes
)

// Review is what somebody said of a booking.
type Review struct {
	ID        int64
	BookingID int64
	Says      ReviewState
	Account   string
	At        time.Time
}

// Reminder is when somebody is to be reminded of a hold, each time that it is on, or of a booking.
type Reminder struct {
	ID        int64
	HoldID    *int64
	BookingID *int64
	Lead      string // as core/reminder reads it
	Account   string
	CreatedAt time.Time
}

// ReminderDone says that somebody has dealt with a reminder of a booking, as it was due.
type ReminderDone struct {
	ReminderID int64 `gorm:"primaryKey;autoIncrement:false"`
	BookingID  int64 `gorm:"primaryKey;autoIncrement:false"`
	DueAt      time.Time
	Account    string
	At         time.Time
}

// TableName is that of the table.
func (ReminderDone) TableName() string { return "reminders_done" }

// Span is where the booking lies on its calendar's axis.
func (b Booking) Span() span.Span { return span.Span{Start: b.StartPoint, End: b.EndPoint} }

// Hold is a booking that a person has entered, as it stands.
type Hold struct {
	ID          int64
	CalendarID  int64
	Revision    int64     `gorm:"default:1"`
	State       hold.Hold `gorm:"serializer:json"`
	CreatedAt   time.Time
	CancelledAt *time.Time
	Adopted     int64  // the feed that its original is of; 0: it has none
	UID         string `gorm:"column:uid"` // of its original
}

// HoldStep is a hold as it was from a revision on.
type HoldStep struct {
	HoldID     int64 `gorm:"primaryKey;autoIncrement:false"`
	Revision   int64 `gorm:"primaryKey;autoIncrement:false"`
	Did        string
	Account    string
	At         time.Time
	CalendarID int64
	State      hold.Hold `gorm:"serializer:json"`
	Cancelled  bool
	UndoTo     int64 // the revision as which it stands when this is undone; 0: it was not there
	WithID     int64 // the hold that goes on where this one was cut; 0: none
}

// Paired is a feed with how many dates it shares with another, though nothing was sent.
type Paired struct {
	OfID  int64
	Pairs int
}

// Habit is a step of what is known of a platform: learnt of a feed on a calendar, or laid down
// by a person.
type Habit struct {
	ID         int64
	PlatformID int64
	FeedID     int64 `gorm:"default:null"` // 0: a person laid it down
	CalendarID int64 `gorm:"default:null"` // 0 likewise
	Name       echo.HabitName
	OfWhat     string
	Value      string
	Bookings   []int64 `gorm:"serializer:json"` // it was learnt from
	SetBy      string
	Since      time.Time
	Until      *time.Time
}

// Of is which habit it is, and of what.
func (h Habit) Of() echo.HabitOf { return echo.HabitOf{Name: h.Name, Of: h.OfWhat} }

// Dirty says that a calendar must be combined again.
type Dirty struct {
	ID         int64
	CalendarID int64
}

// TableName is dirty, not dirties.
func (Dirty) TableName() string { return "dirty" }

// Conflict is a conflict with its life.
type Conflict struct {
	ID             int64
	CalendarID     int64
	Kind           conflict.Kind
	StartPoint     int64
	EndPoint       int64
	State          judge.State
	OpenedAt       time.Time
	ClearedAt      *time.Time
	AcknowledgedBy string
	Note           string
}

// ConflictBooking says which bookings a conflict is among.
type ConflictBooking struct {
	ConflictID int64 `gorm:"primaryKey;autoIncrement:false"`
	BookingID  int64 `gorm:"primaryKey;autoIncrement:false"`
}
