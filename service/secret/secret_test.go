package secret_test

import (
	"context"
	"os"
	"path/filepath"
	"sync"
	"testing"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"

	"wharf/service/secret"
)

func TestBox(t *testing.T) {
	file := filepath.Join(t.TempDir(), "deep", "key")
	box, err := secret.LoadBox(file)
	require.NoError(t, err)
	info, err := os.Stat(file)
	require.NoError(t, err)
	assert.Equal(t, os.FileMode(0o600), info.Mode().Perm(), "nobody else may read the key")
	again, err := secret.LoadBox(file)
	require.NoError(t, err)
	other, err := secret.LoadBox(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)

	sealed := box.Seal("feed-url", "https://cal.example/s3cret")
	assert.NotContains(t, string(sealed), "s3cret")
	assert.NotEqual(t, sealed, box.Seal("feed-url", "https://cal.example/s3cret"), "the same text never looks the same")
	text, err := again.Open("feed-url", sealed)
	require.NoError(t, err)
	assert.Equal(t, "https://cal.example/s3cret", text)
	broken := append([]byte(nil), sealed...)
	broken[len(broken)-1] ^= 1
	for name, open := range map[string]func() (string, error){
		"another key":   func() (string, error) { return other.Open("feed-url", sealed) },
		"another place": func() (string, error) { return box.Open("publication-secret", sealed) },
		"a bit flipped": func() (string, error) { return box.Open("feed-url", broken) },
		"cut short":     func() (string, error) { return box.Open("feed-url", sealed[:10]) },
	} {
		_, err := open()
		assert.Error(t, err, name)
	}
	assert.Equal(t, box.Derive("uid"), again.Derive("uid"))
	assert.NotEqual(t, box.Derive("uid"), box.Derive("other"))
	assert.NotEqual(t, box.Derive("uid"), other.Derive("uid"))

	require.NoError(t, os.WriteFile(file, []byte("short"), 0o600))
	_, err = secret.LoadBox(file)
	assert.ErrorContains(t, err, "restore it from your copy")
}

// shelf keeps a setting as the database does: the first value stands.
type shelf map[string][]byte

func (s shelf) SetSettingOnce(_ context.Context, name string, value []byte) ([]byte, error) {
	if _, ok := s[name]; !ok {
		s[name] = value
	}
	return s[name], nil
}

func TestCheck(t *testing.T) {
	first, err := secret.LoadBox(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	second, err := secret.LoadBox(filepath.Join(t.TempDir(), "key"))
	require.NoError(t, err)
	database := shelf{}
	require.NoError(t, first.Check(context.Background(), database, "key-check"))
	require.NoError(t, first.Check(context.Background(), database, "key-check"))
	assert.ErrorContains(t, second.Check(context.Background(), database, "key-check"), "first used with another key")
}

func TestNew(t *testing.T) {
	assert.NotEqual(t, secret.New(), secret.New())
	assert.Len(t, secret.New(), 32)
	assert.Len(t, secret.Hash("x"), 32)
}

// TestOneKey: of several processes that find no key, one makes it and all use that.
func TestOneKey(t *testing.T) {
	file := filepath.Join(t.TempDir(), "new", "key")
	var all sync.WaitGroup
	boxes := make([]*secret.Box, 8)
	for i := range boxes {
		all.Go(func() {
			var err error
			boxes[i], err = secret.LoadBox(file)
			assert.NoError(t, err)
		})
	}
	all.Wait()
	sealed := boxes[0].Seal("feed-url", "https://platform.example/a.ics")
	for _, b := range boxes {
		text, err := b.Open("feed-url", sealed)
		require.NoError(t, err)
		assert.Equal(t, "https://platform.example/a.ics", text)
	}
	left, err := filepath.Glob(filepath.Join(filepath.Dir(file), ".key-*"))
	require.NoError(t, err)
	assert.Empty(t, left)
}
