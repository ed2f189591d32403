package account_test

import (
	"context"
	"log/slog"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/internal/localdb/dbtest"
	"wharf/service/account"
	"wharf/service/secret"
	"wharf/service/store"
)

func TestMain(m *testing.M) { dbtest.Main(m) }

var ctx = context.Background()

func open(t *testing.T) *store.Store {
	t.Helper()
	s, err := store.Open(ctx, dbtest.New(t), slog.New(slog.DiscardHandler))
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
