package account_test

import (
	"context"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/feedtest"
	"wharf/internal/localdb/dbtest"
	"wharf/service/account"
	"wharf/service/secret"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(ctx, feedtest.Database(t), 0)
	require.NoError(t, err)
	t.Cleanup(func() { require.NoError(t, s.Close()) })
	box, err := secret.LoadBox(t.TempDir() + "/key")
	require.NoError(t, err)
	require.NoError(t, box.Check(ctx, s, store.SettingKeyCheck))
	return s
}

// TestDemoPassword: everybody knows it, so it opens nothing that others can reach.
func TestDemoPassword(t *testing.T) {
	s := open(t)
	now := func() time.Time { return time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC) }
	inside, outside := account.New(s, now, true), account.New(s, now, false)
	code, err := outside.SetupCode(ctx)
	require.NoError(t, err)
	_, err = outside.Setup(ctx, code, "harbour", account.DemoPassword, true)
	require.ErrorIs(t, err, account.ErrDemo)
	_, err = inside.Setup(ctx, "another code", "harbour", account.DemoPassword, true)
	require.ErrorIs(t, err, account.ErrSetupCode)
	_, err = inside.Setup(ctx, code, "harbour", account.DemoPassword, true)
	require.NoError(t, err)

	_, err = inside.Check(ctx, "harbour", account.DemoPassword, true)
	assert.NoError(t, err)
	_, err = inside.Check(ctx, "harbour", account.DemoPassword, false)
	assert.ErrorIs(t, err, account.ErrDemo, "asked from elsewhere, through a proxy perhaps")
	_, err = outside.Check(ctx, "harbour", account.DemoPassword, true)
	assert.ErrorIs(t, err, account.ErrDemo, "listening where others can come")

	code, err = inside.SetupCode(ctx)
	require.NoError(t, err)
	assert.Empty(t, code, "there is one first account")
}

func TestLoginsEnd(t *testing.T) {
	s := open(t)
	now := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	a := account.New(s, func() time.Time { return now }, true)
	code, err := a.SetupCode(ctx)
	require.NoError(t, err)
	who, err := a.Setup(ctx, code, "harbour", "a long enough password", true)
	require.NoError(t, err)
	token, ends, err := a.Login(ctx, who, store.BrowserSession, "browser")
	require.NoError(t, err)
	for _, tc := range []struct {
		name string
		at   time.Time
		kind string
		want error
	}{
		{"while it lasts", ends.Add(-time.Minute), store.BrowserSession, nil},
		{"as another kind", now, store.TokenSession, account.ErrUnknown},
		{"when it is over", ends, store.BrowserSession, account.ErrUnknown},
	} {
		now = tc.at
		_, err := a.Who(ctx, token, tc.kind)
		assert.ErrorIs(t, err, tc.want, tc.name)
	}
}

// TestLoginsOfAnAccount: a login is listed while it is valid, ended only by its own account,
// and unknown from then on.
func TestLoginsOfAnAccount(t *testing.T) {
	s := open(t)
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	a := account.New(s, func() time.Time { return at }, true)
	code, err := a.SetupCode(ctx)
	require.NoError(t, err)
	who, err := a.Setup(ctx, code, "harbour", "a long enough password", true)
	require.NoError(t, err)
	browser, _, err := a.Login(ctx, who, store.BrowserSession, "browser")
	require.NoError(t, err)
	token, expires, err := a.Login(ctx, who, store.TokenSession, "the office")
	require.NoError(t, err)
	assert.Equal(t, at.Add(account.TokenLife), expires)

	list := func() (labels []string) {
		t.Helper()
		rows, err := s.Logins(ctx, who.ID, at)
		require.NoError(t, err)
		for _, r := range rows {
			labels = append(labels, r.Label)
		}
		return labels
	}
	assert.Equal(t, []string{"the office", "browser"}, list(), "newest first")
	login, err := a.Who(ctx, token, store.TokenSession)
	require.NoError(t, err)
	assert.Equal(t, "harbour", login.Account.Name)
	assert.ErrorIs(t, s.EndLogin(ctx, who.ID+1, login.Session.ID), store.ErrNotFound, "another account's is not there")
	require.NoError(t, s.EndLogin(ctx, who.ID, login.Session.ID))
	_, err = a.Who(ctx, token, store.TokenSession)
	assert.ErrorIs(t, err, account.ErrUnknown)
	assert.Equal(t, []string{"browser"}, list())

	at = at.Add(account.BrowserLife)
	_, err = a.Who(ctx, browser, store.BrowserSession)
	assert.ErrorIs(t, err, account.ErrUnknown, "it has expired")
	assert.Empty(t, list())
}
