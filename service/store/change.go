package store

import (
	"context"
	"time"
)

// Topics of changes.
const (
	TopicPlatform    = "platform"
	TopicFeed        = "feed"
	TopicCalendar    = "calendar" // its settings, links, bookings or conflicts
	TopicLink        = "link"     // of edits; of changes it is its calendar's
	TopicConflict    = "conflict"
	TopicPublication = "publication"
	TopicPickup      = "pickup" // of the publication with that number
	TopicLogin       = "login"
)

// Change says that something is not what it was, for other processes and open pages.
type Change struct {
	ID      int64
	Topic   string
	Subject int64
	Settled bool `gorm:"->"` // what has a smaller ID was committed too, or never will be
}

// Changed records changes. It is to be called at the end of a transaction, since who
// looks for changes waits only settleTime for a number to be committed.
func (tx *Tx) Changed(topic string, subjects ...int64) error {
	if len(subjects) == 0 {
		return nil
	}
	rows := make([]Change, len(subjects))
	for i, id := range subjects {
		rows[i] = Change{Topic: topic, Subject: id}
	}
	return tx.db.CreateInBatches(rows, batch).Error
}

// settleTime is how long after its INSERT a change may be committed and still be found:
// numbers are given in the order of INSERTs, not of commits.
const settleTime = 10 * time.Second

// ChangesAfter lists the changes with larger numbers, in their order. Their age is
// measured by the database's clock alone.
func (s *Store) ChangesAfter(ctx context.Context, id int64) ([]Change, error) {
	var rows []Change
	err := s.db.WithContext(ctx).Raw("SELECT id, topic, subject, at < NOW(6) - INTERVAL ? SECOND AS settled FROM changes WHERE id > ? ORDER BY id",
		int(settleTime/time.Second), id).Scan(&rows).Error
	return rows, err
}

// LastChange is the number of the newest change.
func (s *Store) LastChange(ctx context.Context) (int64, error) {
	var id int64
	err := s.db.WithContext(ctx).Raw("SELECT COALESCE(MAX(id), 0) FROM changes").Scan(&id).Error
	return id, err
}

// Touched is a feed whose row was written: claimed, read or edited.
type Touched struct {
	ID        int64
	TouchedAt time.Time
}

// FeedsTouched lists the feeds that were written lately, at most n of them. A reading of a feed that says
// nothing new writes the feed's row and no change, so this is how it is noticed.
func (s *Store) FeedsTouched(ctx context.Context, n int) ([]Touched, error) {
	var rows []Touched
	err := s.db.WithContext(ctx).Raw("SELECT id, touched_at FROM feeds WHERE touched_at > NOW(6) - INTERVAL ? SECOND ORDER BY touched_at DESC LIMIT ?",
		int(settleTime/time.Second), n).Scan(&rows).Error
	return rows, err
}

// ForgetChanges removes changes that everybody has seen long ago, some at a time.
func (s *Store) ForgetChanges(ctx context.Context) error {
	return s.db.WithContext(ctx).Exec("DELETE FROM changes WHERE at < NOW(6) - INTERVAL 1 HOUR LIMIT 10000").Error
}

// Edit is one field that a person changed.
type Edit struct {
	ID       int64
	Topic    string
	Subject  int64
	Part     int64 // of a link: its feed
	Revision int64 // that the change led to
	Account  string
	At       time.Time
	Field    string
	Was      string
	Became   string
}

// SaveEdits keeps what was changed.
func (tx *Tx) SaveEdits(edits []Edit) error {
	if len(edits) == 0 {
		return nil
	}
	return tx.db.Create(&edits).Error
}

// EditsAfter lists what was changed after a revision, in order.
func (s *Store) EditsAfter(ctx context.Context, of Edit) ([]Edit, error) {
	return many[Edit](s.db.WithContext(ctx).Where("topic = ? AND subject = ? AND part = ? AND revision > ?", of.Topic, of.Subject, of.Part, of.Revision).Order("id"))
}
