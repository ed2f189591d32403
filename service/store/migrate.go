package store

import (
	"context"
	"embed"
	"errors"
	"fmt"
	"io/fs"
	"slices"
	"strings"

	"github.com/go-gormigrate/gormigrate/v2"
	"github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// NewerDatabaseError says that the database was migrated by a newer Wharf.
type NewerDatabaseError struct{ Migration string }

func (e *NewerDatabaseError) Error() string {
	return fmt.Sprintf("the database has the migration %s, which this program does not know: run the newer wharf that made it, or restore a copy from before", e.Migration)
}

// migrations are run in the order of their names. MariaDB commits each change of a table by
// itself, so a process that is killed leaves some statements of a migration done. The next
// run does all of them again: each must do nothing, or the same, where it was done already
// (IF NOT EXISTS and the like).
//
//go:embed migrations/*.sql
var migrations embed.FS

// migrate runs what is missing, one process at a time.
func migrate(ctx context.Context, config *mysql.Config) error {
	db, err := connect(config)
	if err != nil {
		return err
	}
	pool, err := db.DB()
	if err != nil {
		return err
	}
	defer pool.Close()
	list, err := listed()
	if err != nil {
		return err
	}
	return db.WithContext(ctx).Connection(func(db *gorm.DB) error {
		db = db.Session(&gorm.Session{}) // each statement begins anew, on the one connection
		if err := lockMigrations(db); err != nil {
			return err
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

// listed reads the migrations.
func listed() ([]*gormigrate.Migration, error) {
	names, err := fs.Glob(migrations, "migrations/*.sql")
	if err != nil {
		return nil, err
	}
	slices.Sort(names)
	var list []*gormigrate.Migration
	for _, name := range names {
		text, err := migrations.ReadFile(name)
		if err != nil {
			return nil, err
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
	return list, nil
}

// lockMigrations waits, for a minute at most, until no other process migrates. A process
// that was killed loses its lock with its connection.
func lockMigrations(db *gorm.DB) error {
	for range 30 {
		var got int
		if err := db.Raw("SELECT COALESCE(GET_LOCK('wharf-migrate', 2), 0)").Scan(&got).Error; err != nil {
			return err
		}
		if got == 1 {
			return nil
		}
	}
	return errors.New("another process has been migrating the database for over a minute: wait for it, then start again")
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
