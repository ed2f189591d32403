package store

import (
	"context"
	"errors"
	"time"

	"gorm.io/gorm/clause"
)

// Setting returns a value of the installation, or nil when it is not set.
func (s *Store) Setting(ctx context.Context, name string) ([]byte, error) {
	row, err := one[Setting](s.db.WithContext(ctx).Where("name = ?", name))
	if errors.Is(err, ErrNotFound) {
		return nil, nil
	}
	return row.Value, err
}

// SetSettingOnce stores a value unless there is one, and returns the one that stands.
func (s *Store) SetSettingOnce(ctx context.Context, name string, value []byte) ([]byte, error) {
	err := s.db.WithContext(ctx).Clauses(clause.OnConflict{DoNothing: true}).Create(&Setting{name, value}).Error
	if err != nil {
		return nil, err
	}
	return s.Setting(ctx, name)
}

// SetSetting stores a value.
func (s *Store) SetSetting(ctx context.Context, name string, value []byte) error {
	return s.db.WithContext(ctx).Clauses(clause.OnConflict{UpdateAll: true}).Create(&Setting{name, value}).Error
}

// HasAccount reports whether there is any account.
func (s *Store) HasAccount(ctx context.Context) (bool, error) {
	var n int64
	err := s.db.WithContext(ctx).Model(&Account{}).Limit(1).Count(&n).Error
	return n > 0, err
}

// CreateFirstAccount adds an account if there is none yet; else ErrTaken.
func (s *Store) CreateFirstAccount(ctx context.Context, a *Account) error {
	return s.Tx(ctx, func(tx *Tx) error {
		// The lock on the setting makes this happen once, whoever else tries.
		if _, err := one[Setting](tx.db.Clauses(clause.Locking{Strength: "UPDATE"}).Where("name = ?", SettingKeyCheck)); err != nil {
			return err
		}
		var n int64
		if err := tx.db.Model(&Account{}).Count(&n).Error; err != nil {
			return err
		}
		if n > 0 {
			return ErrTaken
		}
		a.ID = 0
		return tx.db.Create(a).Error
	})
}

// Names of settings.
const (
	SettingKeyCheck  = "key-check"
	SettingSetupCode = "setup-code"
)

// AccountNamed returns the account of that name.
func (s *Store) AccountNamed(ctx context.Context, name string) (Account, error) {
	return one[Account](s.db.WithContext(ctx).Where("name = ?", name))
}

// CreateSession stores a login, and removes what has expired.
func (s *Store) CreateSession(ctx context.Context, row Session) error {
	if err := s.db.WithContext(ctx).Where("expires_at < ?", row.CreatedAt).Delete(&Session{}).Error; err != nil {
		return err
	}
	return s.Tx(ctx, func(tx *Tx) error {
		row.ID = 0
		if err := tx.db.Create(&row).Error; err != nil {
			return err
		}
		return tx.Changed(TopicLogin, row.ID)
	})
}

// SessionOf returns the login with that hash that is valid at now, and its account.
func (s *Store) SessionOf(ctx context.Context, hash []byte, kind string, now time.Time) (Session, Account, error) {
	session, err := one[Session](s.db.WithContext(ctx).Where("hash = ? AND kind = ? AND expires_at > ?", hash, kind, now))
	if err != nil {
		return Session{}, Account{}, err
	}
	account, err := one[Account](s.db.WithContext(ctx).Where("id = ?", session.AccountID))
	return session, account, err
}

// SessionByID returns a login that is valid at now.
func (s *Store) SessionByID(ctx context.Context, id int64, now time.Time) (Session, error) {
	return one[Session](s.db.WithContext(ctx).Where("id = ? AND expires_at > ?", id, now))
}

// DeleteSession ends a login; it is no error when there is none.
func (s *Store) DeleteSession(ctx context.Context, hash []byte) error {
	return s.Tx(ctx, func(tx *Tx) error {
		row, err := one[Session](tx.db.Where("hash = ?", hash))
		if errors.Is(err, ErrNotFound) {
			return nil
		}
		if err != nil {
			return err
		}
		return tx.endSession(row.ID)
	})
}

// EndLogin ends a login of an account; ErrNotFound when it has none with that number.
func (s *Store) EndLogin(ctx context.Context, account, id int64) error {
	return s.Tx(ctx, func(tx *Tx) error {
		if _, err := one[Session](tx.db.Where("id = ? AND account_id = ?", id, account)); err != nil {
			return err
		}
		return tx.endSession(id)
	})
}

// SetPassword gives an account another password, and ends all of its logins but the one.
func (s *Store) SetPassword(ctx context.Context, account int64, hash string, but int64) error {
	return s.Tx(ctx, func(tx *Tx) error {
		if err := tx.db.Model(&Account{}).Where("id = ?", account).Update("password_hash", hash).Error; err != nil {
			return err
		}
		others, err := many[Session](tx.db.Where("account_id = ? AND id <> ?", account, but))
		for _, o := range others {
			if err == nil {
				err = tx.endSession(o.ID)
			}
		}
		return err
	})
}

// endSession ends a login and has it noticed where it is in use.
func (tx *Tx) endSession(id int64) error {
	if err := tx.db.Where("id = ?", id).Delete(&Session{}).Error; err != nil {
		return err
	}
	return tx.Changed(TopicLogin, id)
}

// Logins lists the valid logins of an account, newest first.
func (s *Store) Logins(ctx context.Context, account int64, now time.Time) ([]Session, error) {
	return many[Session](s.db.WithContext(ctx).Where("account_id = ? AND expires_at > ?", account, now).Order("id DESC"))
}
