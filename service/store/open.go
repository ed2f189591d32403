// Package store is MariaDB through GORM: the models, the versioned migrations and every
// query of the service. It is the only room that knows GORM.
package store

import (
	"context"
	"database/sql/driver"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"log/slog"
	"net"
	"slices"
	"strings"
	"time"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/go-sql-driver/mysql"
	gormmysql "gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Errors that callers tell apart.
var (
	ErrNotFound = gorm.ErrRecordNotFound
	ErrTaken    = gorm.ErrDuplicatedKey
	// ErrLost: somebody else has claimed the row since; nothing was written.
	ErrLost = errors.New("the claim on this was lost to another process")
)

// NewerDatabaseError says that the database was migrated by a newer Wharf.
type NewerDatabaseError struct{ Migration string }

func (e *NewerDatabaseError) Error() string {
	return fmt.Sprintf("the database has the migration %s, which this program does not know: run the newer wharf that made it, or restore a copy from before", e.Migration)
}

//go:embed migrations/*.sql
var migrations embed.FS

// Store is an open database.
type Store struct{ db *gorm.DB }

// Open connects to the database that dsn names, in the form
// user:password@tcp(127.0.0.1:3306)/wharf, and brings its tables up to date. Character
// set, zone and the like are set here, whatever the dsn says.
func Open(ctx context.Context, dsn string, log *slog.Logger) (*Store, error) {
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read (%w): write it as user:password@tcp(127.0.0.1:3306)/wharf", err)
	}
	config.ParseTime, config.Loc, config.ClientFoundRows, config.Collation = true, time.UTC, true, "utf8mb4_unicode_ci"
	config.Timeout, config.ReadTimeout, config.WriteTimeout = 5*time.Second, 2*time.Minute, 30*time.Second
	config.Params = map[string]string{"time_zone": "'+00:00'"}
	precision := 6
	db, err := gorm.Open(gormmysql.New(gormmysql.Config{DSNConfig: config, DefaultDatetimePrecision: &precision}), &gorm.Config{
		TranslateError:         true,
		PrepareStmt:            true,
		PrepareStmtMaxSize:     200, // lists of ids differ in length, and each length is a statement
		SkipDefaultTransaction: true,
		NowFunc:                func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) },
		Logger:                 logger.NewSlogLogger(log, logger.Config{LogLevel: logger.Error, IgnoreRecordNotFoundError: true, ParameterizedQueries: true}),
	})
	if err != nil {
		return nil, fmt.Errorf("the database at %s/%s cannot be reached (%w): is MariaDB running there, and may %q use it?", config.Addr, config.DBName, err, config.User)
	}
	s := &Store{db}
	pool, err := db.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(32)
	pool.SetMaxIdleConns(16)
	pool.SetConnMaxLifetime(5 * time.Minute)
	if err := s.migrate(ctx); err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// Close ends all connections.
func (s *Store) Close() error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	pool, err := s.db.DB()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
}

// migrate runs what is missing, one process at a time.
func (s *Store) migrate(ctx context.Context) error {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return err
	}
	slices.Sort(names)
	var list []*gormigrate.Migration
	for _, name := range names {
		text, err := migrations.ReadFile(name)
		if err != nil {
			return err
		}
		list = append(list, &gormigrate.Migration{
			ID: strings.TrimSuffix(strings.TrimPrefix(name, "migrations/"), ".sql"),
			Migrate: func(tx *gorm.DB) error {
				for _, statement := range strings.Split(string(text), ";\n") {
					if strings.TrimSpace(statement) == "" {
						continue
					}
					if err := tx.Exec(statement).Error; err != nil {
						return err
					}
				}
				return nil
			},
		})
	}
	return s.db.WithContext(ctx).Connection(func(db *gorm.DB) error {
		db = db.Session(&gorm.Session{PrepareStmt: false})
		var got int
		if err := db.Raw("SELECT COALESCE(GET_LOCK('wharf-migrate', 60), 0)").Scan(&got).Error; err != nil {
			return err
		}
		if got != 1 {
			return errors.New("another process has been migrating the database for over a minute: wait for it, then start again")
		}
		defer db.Exec("DO RELEASE_LOCK('wharf-migrate')")
		if err := unknownMigration(db, list); err != nil {
			return err
		}
		if err := gormigrate.New(db, gormigrate.DefaultOptions, list).Migrate(); err != nil {
			return fmt.Errorf("the database cannot be migrated: %w", err)
		}
		return nil
	})
}

func unknownMigration(db *gorm.DB, list []*gormigrate.Migration) error {
	if !db.Migrator().HasTable("migrations") {
		return nil
	}
	var done []string
	if err := db.Raw("SELECT id FROM migrations ORDER BY id").Scan(&done).Error; err != nil {
		return err
	}
	for _, id := range done {
		if !slices.ContainsFunc(list, func(m *gormigrate.Migration) bool { return m.ID == id }) {
			return &NewerDatabaseError{id}
		}
	}
	return nil
}

// Tx is one transaction.
type Tx struct{ db *gorm.DB }

// maxTries is how often a transaction that lost a deadlock is run.
const maxTries = 10

// Tx runs f in a transaction at REPEATABLE READ. Deadlocks and lock time-outs, which a
// cluster also uses to say that another node was first, run it again; so f must have no
// effect but on the database.
func (s *Store) Tx(ctx context.Context, f func(*Tx) error) error {
	for try := 1; ; try++ {
		err := s.db.WithContext(ctx).Transaction(func(db *gorm.DB) error { return f(&Tx{db}) })
		if !lostLock(err) || try == maxTries || ctx.Err() != nil {
			return err
		}
	}
}

// lostLock reports whether an error says that another transaction was first.
func lostLock(err error) bool {
	var failure *mysql.MySQLError
	return errors.As(err, &failure) && (failure.Number == 1213 || failure.Number == 1205 || failure.Number == 1020)
}

// IsAway reports whether an error says that the database cannot be reached at this moment.
func IsAway(err error) bool {
	var network net.Error
	var failure *mysql.MySQLError
	switch {
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.As(err, &network):
		return true
	case errors.As(err, &failure):
		return failure.Number == 1040 || failure.Number == 1053 // too many connections, shutting down
	}
	return false
}

// one loads a single row or gives ErrNotFound.
func one[T any](db *gorm.DB) (T, error) {
	var row T
	err := db.Take(&row).Error
	return row, err
}

// many loads rows.
func many[T any](db *gorm.DB) ([]T, error) {
	rows := []T{}
	err := db.Find(&rows).Error
	return rows, err
}
