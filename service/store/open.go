// Package store is MariaDB through GORM: the models, the versioned migrations and every
// query of the service. It is the only room that knows GORM.
//
// Every statement is bounded in time, by the server and by the connection, so that a
// database that hangs is a database that is away, within seconds. Every list in a
// statement is cut into pieces, since MariaDB bounds placeholders and packets.
package store

import (
	"context"
	"database/sql"
	"errors"
	"fmt"
	"strconv"
	"time"

	"github.com/go-sql-driver/mysql"
	gormmysql "gorm.io/driver/mysql"
	"gorm.io/gorm"
	"gorm.io/gorm/logger"
)

// Store is an open database.
type Store struct {
	db    *gorm.DB // for single statements, which are prepared once
	plain *gorm.DB // for transactions, in which each statement would be prepared anew
	// packet is the most bytes of one statement or row (max_allowed_packet).
	packet int64
	query  time.Duration
}

// DefaultQueryTimeout bounds a statement where no other bound is set.
const DefaultQueryTimeout = 10 * time.Second

// Open connects to the database that dsn names, in the form
// user:password@tcp(127.0.0.1:3306)/wharf, and brings its tables up to date. Character
// set, zone and the like are set here, whatever the dsn says. query bounds each statement;
// 0 is DefaultQueryTimeout.
func Open(ctx context.Context, dsn string, query time.Duration) (*Store, error) {
	if query <= 0 {
		query = DefaultQueryTimeout
	}
	config, err := mysql.ParseDSN(dsn)
	if err != nil {
		return nil, fmt.Errorf("the database address cannot be read (%w): write it as user:password@tcp(127.0.0.1:3306)/wharf", err)
	}
	config.ParseTime, config.Loc, config.ClientFoundRows, config.Collation = true, time.UTC, true, "utf8mb4_unicode_ci"
	config.InterpolateParams, config.MaxAllowedPacket = true, 0 // 0: the server is asked
	config.Timeout = 5 * time.Second
	config.Logger = silent{}
	config.Params = map[string]string{"time_zone": "'+00:00'",
		"innodb_lock_wait_timeout": strconv.Itoa(max(1, int(query.Seconds()/2)))} // then its transaction is run again
	migrating := config.Clone() // to rebuild a table may take long
	if err := migrate(ctx, migrating); err != nil {
		return nil, err
	}
	config.ReadTimeout, config.WriteTimeout = query, query
	config.Params["max_statement_time"] = strconv.FormatFloat(query.Seconds()*0.9, 'f', 2, 64) // the server gives up first
	plain, err := connect(config)
	if err != nil {
		return nil, err
	}
	s := &Store{plain: plain, query: query, db: plain.Session(&gorm.Session{PrepareStmt: true, NewDB: true})}
	pool, err := plain.DB()
	if err != nil {
		return nil, err
	}
	pool.SetMaxOpenConns(32)
	pool.SetMaxIdleConns(16)
	pool.SetConnMaxLifetime(5 * time.Minute)
	if err := plain.WithContext(ctx).Raw("SELECT @@max_allowed_packet").Scan(&s.packet).Error; err != nil {
		return nil, errors.Join(err, s.Close())
	}
	return s, nil
}

// connect opens a pool of connections.
func connect(config *mysql.Config) (*gorm.DB, error) {
	connector, err := mysql.NewConnector(config)
	if err != nil {
		return nil, err
	}
	precision := 6
	db, err := gorm.Open(gormmysql.New(gormmysql.Config{Conn: sql.OpenDB(connector), DefaultDatetimePrecision: &precision}), &gorm.Config{
		TranslateError:         true,
		PrepareStmtMaxSize:     200, // lists of ids differ in length, and each length is a statement
		SkipDefaultTransaction: true,
		NowFunc:                func() time.Time { return time.Now().UTC().Truncate(time.Microsecond) },
		Logger:                 logger.Discard, // errors carry their statement, and whoever meets them says so once
	})
	if err != nil {
		return nil, fmt.Errorf("the database at %s/%s cannot be reached (%w): is MariaDB running there, and may %q use it?", config.Addr, config.DBName, err, config.User)
	}
	return db, watch(db)
}

// silent keeps the driver from printing what is returned as an error.
type silent struct{}

func (silent) Print(...any) {}

// pool is the connections below GORM.
func (s *Store) pool() (*sql.DB, error) { return s.plain.DB() }

// Close ends all connections.
func (s *Store) Close() error {
	pool, err := s.pool()
	if err != nil {
		return err
	}
	return pool.Close()
}

// Ping reports whether the database answers.
func (s *Store) Ping(ctx context.Context) error {
	pool, err := s.pool()
	if err != nil {
		return err
	}
	return pool.PingContext(ctx)
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

// manyOf loads the rows that belong to a list of any length; of gives the query for a
// piece of it.
func manyOf[T, K any](keys []K, of func(some []K) *gorm.DB) ([]T, error) {
	rows := []T{}
	for some := range chunks(keys) {
		more, err := many[T](of(some))
		if err != nil {
			return nil, err
		}
		rows = append(rows, more...)
	}
	return rows, nil
}
