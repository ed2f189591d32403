package store

import (
	"time"

	"wharf/core/exposure"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/core/span"
)

// Publication is a feed that we publish for one recipient.
type Publication struct {
	ID           int64
	CalendarID   int64
	PlatformID   int64
	Name         string
	SecretHash   []byte
	SecretCipher []byte
	Version      int64
	Body         []byte
	CreatedAt    time.Time
	Revision     int64  `gorm:"default:1"`
	Reader       string // the kind of reader that is the recipient's; "": most of the last ones
	RenderedName string // the name in the newest version
	Title        string // of the times that it shows as taken
	Tentative    string `gorm:"default:tentative"` // how what is not firm goes out
	Detail       string `gorm:"default:times"`
	// Options is what else is laid down of it; see Rules.
	Options    rules.Publication `gorm:"serializer:json"`
	WindowStep span.Date         // the Monday at which its window stands; 0: it was never set
	PageHash   []byte            // of the secret of its page for everybody; nil: it has none
	PageCipher []byte
	LoginUser  string     // whom its link asks for; "": nobody
	LoginHash  []byte     // of that name and the password
	ExpiresAt  *time.Time // from when on its link answers 410; nil: never
	RemovedAt  *time.Time // its link answers 410; what it carried stays on record, to know echoes by
}

// Rules is what a publication shows, as a person laid it down.
func (p Publication) Rules() rules.Publication {
	r := p.Options
	r.Detail, r.Title, r.Tentative = rules.Detail(p.Detail), p.Title, rules.TentativeRule(p.Tentative)
	return r
}

// SetRules lays down what a publication shows.
func (p *Publication) SetRules(r rules.Publication) {
	p.Detail, p.Title, p.Tentative, p.Options = string(r.Detail), r.Title, string(r.Tentative), r
}

// PublicationPart is another calendar that a publication shows, and what it shows of it.
type PublicationPart struct {
	PublicationID int64          `gorm:"primaryKey;autoIncrement:false"`
	CalendarID    int64          `gorm:"primaryKey;autoIncrement:false"`
	Items         []publish.Item `gorm:"serializer:json"`
}

// PickupDay is how often a publication was picked up on a day of UTC.
type PickupDay struct {
	PublicationID int64     `gorm:"primaryKey;autoIncrement:false"`
	Day           time.Time `gorm:"primaryKey;type:date"`
	Times         int64
}

// RevokedLink is the link of a publication that is no more.
type RevokedLink struct {
	SecretHash []byte `gorm:"primaryKey"`
	RevokedAt  time.Time
}

// Version is one state of a publication.
type Version struct {
	PublicationID int64 `gorm:"primaryKey;autoIncrement:false"`
	Version       int64 `gorm:"primaryKey;autoIncrement:false"`
	At            time.Time
	ETag          string `gorm:"column:e_tag"`
	Bytes         int64
}

// Carried is an item that a publication carried over an unbroken run of versions.
type Carried struct {
	ID            int64
	PublicationID int64
	UID           string `gorm:"column:uid"`
	Recurrence    string
	StartPoint    int64
	EndPoint      int64
	Units         int
	Tentative     bool
	Sequence      int
	Stamp         time.Time
	FromVersion   int64
	ToVersion     int64 // 0: still carried
	Content       string
	Grain         span.Grain // by which its points go; "": as the publication's calendar
	Sent          string     // the UID that its recipient sees; "": UID
}

// TableName is carried, not carrieds.
func (Carried) TableName() string { return "carried" }

// PickupGaps are the sums of the gaps between the pickups of a publication.
type PickupGaps struct {
	PublicationID int64 `gorm:"primaryKey;autoIncrement:false"`
	LastAt        time.Time
	Gaps          exposure.Gaps `gorm:"serializer:json"`
}

// TableName is pickup_gaps.
func (PickupGaps) TableName() string { return "pickup_gaps" }

// Pickup is the download of one version of a publication by one reader, with how often
// it came for it.
type Pickup struct {
	ID            int64
	PublicationID int64
	Version       int64
	Agent         string
	FirstAt       time.Time
	LastAt        time.Time
	Times         int64
}
