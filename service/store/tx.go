package store

import (
	"context"
	"errors"
	"iter"
	"math/rand/v2"
	"slices"
	"time"

	"gorm.io/gorm"
)

// Tx is one transaction. Once a statement of it has failed, it does nothing more: after a
// deadlock MariaDB has rolled it back already, and whatever came next would be committed
// alone.
type Tx struct {
	db     *gorm.DB
	packet int64
}

// How long a transaction that lost a lock waits before it is run again; each time twice as
// long, and by chance up to that.
const (
	firstWait = 5 * time.Millisecond
	mostWait  = 500 * time.Millisecond
)

// patience is how long a transaction is begun again whose caller has no deadline, in
// statements that take as long as they may.
const patience = 3

// Tx runs f in a transaction at REPEATABLE READ. Deadlocks and lock time-outs, which a
// cluster also uses to say that another node was first, run it again until the caller's
// deadline; so f must have no effect but on the database. ErrLocked says that it never
// came through.
func (s *Store) Tx(ctx context.Context, f func(*Tx) error) error {
	giveUp, ok := ctx.Deadline()
	if !ok {
		giveUp = time.Now().Add(patience * s.query)
	}
	for wait := firstWait; ; wait = min(2*wait, mostWait) {
		err := s.try(ctx, f)
		if !lostLock(err) {
			return err
		}
		if time.Now().After(giveUp) {
			return errors.Join(ErrLocked, err)
		}
		pause := time.NewTimer(rand.N(wait))
		select {
		case <-ctx.Done():
			pause.Stop()
			return errors.Join(ErrLocked, err)
		case <-pause.C:
		}
	}
}

// try runs f in one transaction.
func (s *Store) try(ctx context.Context, f func(*Tx) error) error {
	state := &state{}
	return s.plain.WithContext(context.WithValue(ctx, stateKey{}, state)).Transaction(func(db *gorm.DB) error {
		if err := f(&Tx{db, s.packet}); err != nil {
			return err
		}
		return state.failed
	})
}

// state is what a transaction knows of itself.
type state struct{ failed error }

type stateKey struct{}

// watch makes a failed transaction refuse further statements, and every unexpected error
// say which statement it is of.
func watch(db *gorm.DB) error {
	before := func(db *gorm.DB) {
		if s, ok := db.Statement.Context.Value(stateKey{}).(*state); ok && s.failed != nil {
			_ = db.AddError(s.failed) // which keeps the statement from being run
		}
	}
	after := func(db *gorm.DB) {
		if db.Error == nil || errors.Is(db.Error, gorm.ErrRecordNotFound) {
			return
		}
		db.Error = withStatement(db.Error, db.Statement.SQL.String())
		if s, ok := db.Statement.Context.Value(stateKey{}).(*state); ok && s.failed == nil {
			s.failed = db.Error
		}
	}
	on := db.Callback()
	return errors.Join(
		on.Create().Before("*").Register("wharf:before", before), on.Create().After("*").Register("wharf:after", after),
		on.Query().Before("*").Register("wharf:before", before), on.Query().After("*").Register("wharf:after", after),
		on.Update().Before("*").Register("wharf:before", before), on.Update().After("*").Register("wharf:after", after),
		on.Delete().Before("*").Register("wharf:before", before), on.Delete().After("*").Register("wharf:after", after),
		on.Row().Before("*").Register("wharf:before", before), on.Row().After("*").Register("wharf:after", after),
		on.Raw().Before("*").Register("wharf:before", before), on.Raw().After("*").Register("wharf:after", after),
	)
}

// batch is how many rows one INSERT carries, and how many keys one list: MariaDB takes at
// most 65,535 placeholders in a statement.
const batch = 500

// chunks cuts a list into pieces that fit into a statement.
func chunks[K any](keys []K) iter.Seq[[]K] { return slices.Chunk(keys, batch) }

// inChunks runs a statement for each piece of a list.
func inChunks[K any](keys []K, f func(some []K) error) error {
	for some := range chunks(keys) {
		if err := f(some); err != nil {
			return err
		}
	}
	return nil
}
