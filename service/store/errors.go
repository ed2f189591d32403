package store

import (
	"context"
	"database/sql/driver"
	"errors"
	"fmt"
	"net"
	"strings"

	"github.com/go-sql-driver/mysql"
	"gorm.io/gorm"
)

// Errors that callers tell apart.
var (
	ErrNotFound = gorm.ErrRecordNotFound
	ErrTaken    = gorm.ErrDuplicatedKey
	// ErrLost: somebody else has claimed the row since; nothing was written.
	ErrLost = errors.New("the claim on this was lost to another process")
	// ErrLocked: somebody else held what is needed for as long as there was time.
	ErrLocked = errors.New("what this needs is in use by others: try again in a moment")
)

// StatementError is an error of the database with the statement that it is of, cut short.
type StatementError struct {
	Statement string
	Err       error
}

func (e *StatementError) Error() string { return fmt.Sprintf("%v (in %s)", e.Err, e.Statement) }

func (e *StatementError) Unwrap() error { return e.Err }

// mostStatement is how much of a statement is told.
const mostStatement = 160

// withStatement adds the statement to an error of the database that nobody expects.
func withStatement(err error, statement string) error {
	var had *StatementError
	if statement == "" || errors.As(err, &had) || lostLock(err) || IsAway(err) || errors.Is(err, ErrTaken) || errors.Is(err, gorm.ErrForeignKeyViolated) {
		return err
	}
	if len(statement) > mostStatement {
		statement = strings.ToValidUTF8(statement[:mostStatement], "") + " …"
	}
	return &StatementError{statement, err}
}

// Numbers of MariaDB's errors.
const (
	errDiskFull      = 1021
	errEngine        = 1030 // with the system's number in its text
	errTooMany       = 1040 // connections
	errShutdown      = 1053
	errWrite         = 1026
	errTableFull     = 1114
	errLockWait      = 1205
	errDeadlock      = 1213
	errRecordChanged = 1020
	errTimeout       = 1969 // max_statement_time

	errDatabaseRights = 1044
	errPassword       = 1045
	errTableRights    = 1142
	errColumnRights   = 1143
	errGlobalRights   = 1227
	errReadOnly       = 1290
	errTooManyOfUser  = 1226
)

func numberOf(err error) uint16 {
	var failure *mysql.MySQLError
	if errors.As(err, &failure) {
		return failure.Number
	}
	return 0
}

// lostLock reports whether an error says that another transaction was first.
func lostLock(err error) bool {
	n := numberOf(err)
	return n == errDeadlock || n == errLockWait || n == errRecordChanged
}

// IsAway reports whether an error says that the database cannot be reached at this moment,
// or does not answer in time.
func IsAway(err error) bool {
	var network net.Error
	switch n := numberOf(err); {
	case errors.Is(err, driver.ErrBadConn), errors.Is(err, mysql.ErrInvalidConn), errors.As(err, &network):
		return true
	case n == errTooMany, n == errShutdown, n == errTimeout:
		return true
	}
	return false
}

// IsFull reports whether an error says that the database has no room left on its disk.
func IsFull(err error) bool {
	switch numberOf(err) {
	case errDiskFull, errTableFull:
		return true
	case errEngine, errWrite:
		return strings.Contains(err.Error(), "No space left") || strings.Contains(err.Error(), " 28 ")
	}
	return false
}

// IsRefused reports whether an error says that the database does not let this program do what it has to:
// until somebody looks at its user's rights, or at why it may only be read.
func IsRefused(err error) bool {
	switch numberOf(err) {
	case errDatabaseRights, errPassword, errTableRights, errColumnRights, errGlobalRights, errReadOnly, errTooManyOfUser:
		return true
	}
	return false
}

// IsPassing reports whether an error is of the moment: the same may work if it is tried
// again, and says nothing about what was to be written.
func IsPassing(err error) bool {
	return IsAway(err) || IsFull(err) || lostLock(err) || errors.Is(err, ErrLocked) || errors.Is(err, ErrLost) ||
		errors.Is(err, context.Canceled) || errors.Is(err, context.DeadlineExceeded)
}

// TooLargeError says that something does not fit into one piece that the database takes.
type TooLargeError struct{ Bytes, Most int64 }

func (e *TooLargeError) Error() string {
	return fmt.Sprintf("%d MB are more than the %d MB that the database takes in one piece: raise max_allowed_packet in its settings, or let less be published", e.Bytes>>20, e.Most>>20)
}
