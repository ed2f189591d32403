// Package account is people and how they log in: the one-time setup, passwords
// (argon2id), browser sessions and tokens.
package account

import (
	"context"
	"crypto/rand"
	"crypto/subtle"
	"encoding/base64"
	"errors"
	"fmt"
	"strings"
	"time"

	"golang.org/x/crypto/argon2"

	"wharf/service/secret"
	"wharf/service/store"
)

// Lifetimes of logins.
const (
	BrowserLife = 14 * 24 * time.Hour
	TokenLife   = 365 * 24 * time.Hour
)

// DemoPassword is the demo's known password. It is refused wherever the service can be
// reached from another machine.
const DemoPassword = "skerrywick-harbour"

// Errors that a person can do something about.
var (
	ErrCredentials = errors.New("name and password do not go together: check both")
	ErrDemo        = errors.New("the demo's password is known to everybody and works on this machine only: choose another one")
	ErrSetupDone   = errors.New("the first account was made already: log in")
	ErrSetupCode   = errors.New("this setup link is not valid: use the newest one that the service printed when it started")
	ErrUnknown     = errors.New("not logged in, or the login has expired: log in")
)

// Accounts is the room's door.
type Accounts struct {
	Store *store.Store
	Now   func() time.Time
	// Loopback: the service listens on loopback addresses only.
	Loopback bool

	cost chan struct{} // bounds the memory that password checks take together
}

// New returns the accounts of a store.
func New(s *store.Store, now func() time.Time, loopback bool) *Accounts {
	return &Accounts{Store: s, Now: now, Loopback: loopback, cost: make(chan struct{}, 2)}
}

// SetupCode returns a new code for the one-time setup link, or "" when there is an
// account already. Only the newest code is valid.
func (a *Accounts) SetupCode(ctx context.Context) (string, error) {
	done, err := a.Store.HasAccount(ctx)
	if err != nil || done {
		return "", err
	}
	code := secret.New()
	return code, a.Store.SetSetting(ctx, store.SettingSetupCode, secret.Hash(code))
}

// Setup makes the first account.
func (a *Accounts) Setup(ctx context.Context, code, name, password string, local bool) (store.Account, error) {
	hash, err := a.Store.Setting(ctx, store.SettingSetupCode)
	if err != nil {
		return store.Account{}, err
	}
	if done, err := a.Store.HasAccount(ctx); err != nil || done {
		return store.Account{}, errors.Join(err, ErrSetupDone)
	}
	if subtle.ConstantTimeCompare(hash, secret.Hash(code)) != 1 {
		return store.Account{}, ErrSetupCode
	}
	if password == DemoPassword && !(a.Loopback && local) {
		return store.Account{}, ErrDemo
	}
	row := store.Account{Name: strings.TrimSpace(name), PasswordHash: a.hash(password), CreatedAt: a.Now()}
	err = a.Store.CreateFirstAccount(ctx, &row)
	if errors.Is(err, store.ErrTaken) {
		err = ErrSetupDone
	}
	return row, err
}

// Check returns the account that name and password belong to. local says whether the
// request came from this machine.
func (a *Accounts) Check(ctx context.Context, name, password string, local bool) (store.Account, error) {
	row, err := a.Store.AccountNamed(ctx, strings.TrimSpace(name))
	if errors.Is(err, store.ErrNotFound) {
		a.verify(password, "") // takes as long as a real check
		return store.Account{}, ErrCredentials
	}
	if err != nil {
		return store.Account{}, err
	}
	if !a.verify(password, row.PasswordHash) {
		return store.Account{}, ErrCredentials
	}
	if password == DemoPassword && !(a.Loopback && local) {
		return store.Account{}, ErrDemo
	}
	return row, nil
}

// Login starts a session of the kind and returns its secret.
func (a *Accounts) Login(ctx context.Context, account store.Account, kind, label string) (string, time.Time, error) {
	life := BrowserLife
	if kind == store.TokenSession {
		life = TokenLife
	}
	s := secret.New()
	row := store.Session{Hash: secret.Hash(s), AccountID: account.ID, Kind: kind, Label: label, CreatedAt: a.Now(), ExpiresAt: a.Now().Add(life)}
	return s, row.ExpiresAt, a.Store.CreateSession(ctx, row)
}

// Login is who is there, and by which session.
type Login struct {
	Account store.Account
	Session store.Session
}

// Who returns the login that a session's secret belongs to; ErrUnknown when it is none, or
// has expired or been ended.
func (a *Accounts) Who(ctx context.Context, s, kind string) (Login, error) {
	session, account, err := a.Store.SessionOf(ctx, secret.Hash(s), kind, a.Now())
	if errors.Is(err, store.ErrNotFound) {
		return Login{}, ErrUnknown
	}
	return Login{account, session}, err
}

// ChangePassword gives an account another password, and ends all of its logins but this one. Whoever
// calls it has checked the old password.
func (a *Accounts) ChangePassword(ctx context.Context, l Login, password string, local bool) error {
	if password == DemoPassword && !(a.Loopback && local) {
		return ErrDemo
	}
	return a.Store.SetPassword(ctx, l.Account.ID, a.hash(password), l.Session.ID)
}

// Logout ends a session.
func (a *Accounts) Logout(ctx context.Context, s string) error {
	return a.Store.DeleteSession(ctx, secret.Hash(s))
}

// The argon2id parameters of RFC 9106, second recommended option.
const (
	argonTime    = 3
	argonMemory  = 64 << 10 // KiB
	argonThreads = 4
	argonKey     = 32
)

func (a *Accounts) hash(password string) string {
	salt := make([]byte, 16)
	_, _ = rand.Read(salt) // never fails
	return encode(salt, a.derive(password, salt))
}

func (a *Accounts) derive(password string, salt []byte) []byte {
	a.cost <- struct{}{}
	defer func() { <-a.cost }()
	return argon2.IDKey([]byte(password), salt, argonTime, argonMemory, argonThreads, argonKey)
}

func encode(salt, key []byte) string {
	enc := base64.RawStdEncoding.EncodeToString
	return fmt.Sprintf("$argon2id$v=19$m=%d,t=%d,p=%d$%s$%s", argonMemory, argonTime, argonThreads, enc(salt), enc(key))
}

func (a *Accounts) verify(password, encoded string) bool {
	parts := strings.Split(encoded, "$")
	if len(parts) != 6 {
		a.derive(password, make([]byte, 16))
		return false
	}
	salt, err := base64.RawStdEncoding.DecodeString(parts[4])
	if err != nil {
		return false
	}
	return subtle.ConstantTimeCompare([]byte(encode(salt, a.derive(password, salt))), []byte(encoded)) == 1
}
