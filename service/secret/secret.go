// Package secret makes, keeps and hides what must not be known: feed links, publication
// secrets, sessions.
//
// One key of 32 bytes seals what must be shown again (XChaCha20-Poly1305, with the place
// where it is stored as associated data) and gives the keys derived for other ends.
// What need not be shown again is kept as a SHA-256 hash only.
package secret

import (
	"context"
	"crypto/hkdf"
	"crypto/rand"
	"crypto/sha256"
	"encoding/base64"
	"errors"
	"fmt"
	"io/fs"
	"os"
	"path/filepath"

	"golang.org/x/crypto/chacha20poly1305"

	"wharf/internal/private"
)

// Box seals and opens with the installation's key.
type Box struct{ key []byte }

// LoadBox reads the key from a file, which is made with a new key when there is none. Of
// several processes that find none at once, one makes it and all use that.
func LoadBox(file string) (*Box, error) {
	key, err := os.ReadFile(file)
	if errors.Is(err, fs.ErrNotExist) {
		if err := makeKey(file); err != nil {
			return nil, fmt.Errorf("the key file %s cannot be made: %w", file, err)
		}
		key, err = os.ReadFile(file)
	}
	if err != nil {
		return nil, fmt.Errorf("the key file cannot be read: %w", err)
	}
	if err := private.File(file); err != nil {
		return nil, err
	}
	if len(key) != chacha20poly1305.KeySize {
		return nil, fmt.Errorf("the key file %s has %d bytes instead of %d: restore it from your copy", file, len(key), chacha20poly1305.KeySize)
	}
	return &Box{key}, nil
}

// makeKey writes a new key whole, unless somebody else was first.
func makeKey(file string) error {
	if err := os.MkdirAll(filepath.Dir(file), 0o700); err != nil {
		return err
	}
	part, err := os.CreateTemp(filepath.Dir(file), ".key-") // 0600
	if err != nil {
		return err
	}
	defer os.Remove(part.Name())
	key := make([]byte, chacha20poly1305.KeySize)
	_, _ = rand.Read(key) // never fails
	_, err = part.Write(key)
	if err := errors.Join(err, part.Sync(), part.Close()); err != nil {
		return err
	}
	if err := os.Link(part.Name(), file); !errors.Is(err, fs.ErrExist) {
		return err
	}
	return nil
}

// Seal encrypts text for one place, such as "feed-url".
func (b *Box) Seal(place, text string) []byte {
	aead, err := chacha20poly1305.NewX(b.key)
	if err != nil {
		panic(err) // only for a key of the wrong size, which LoadBox refuses
	}
	nonce := make([]byte, aead.NonceSize())
	_, _ = rand.Read(nonce) // never fails
	return aead.Seal(nonce, nonce, []byte(text), []byte(place))
}

// Open decrypts what Seal gave for the same place.
func (b *Box) Open(place string, sealed []byte) (string, error) {
	aead, err := chacha20poly1305.NewX(b.key)
	if err != nil {
		return "", err
	}
	if len(sealed) < aead.NonceSize() {
		return "", errors.New("sealed text is too short")
	}
	text, err := aead.Open(nil, sealed[:aead.NonceSize()], sealed[aead.NonceSize():], []byte(place))
	if err != nil {
		return "", fmt.Errorf("%s cannot be decrypted: it was sealed with another key", place)
	}
	return string(text), nil
}

// Derive returns a key of 32 bytes for another end.
func (b *Box) Derive(purpose string) []byte {
	key, err := hkdf.Key(sha256.New, b.key, nil, "wharf "+purpose, 32)
	if err != nil {
		panic(err) // only for an impossible length
	}
	return key
}

// settings is where the check value is kept.
type settings interface {
	SetSettingOnce(ctx context.Context, name string, value []byte) ([]byte, error)
}

// checkText is what the check value seals.
const checkText = "wharf"

// Check refuses a key that is not the one with which the database was first used.
func (b *Box) Check(ctx context.Context, s settings, name string) error {
	sealed, err := s.SetSettingOnce(ctx, name, b.Seal(name, checkText))
	if err != nil {
		return err
	}
	if text, err := b.Open(name, sealed); err != nil || text != checkText {
		return errors.New("this database was first used with another key: start with the key file that belongs to it (--key-file)")
	}
	return nil
}

// New returns a new secret of 192 bits for use in links and headers.
func New() string {
	raw := make([]byte, 24)
	_, _ = rand.Read(raw) // never fails
	return base64.RawURLEncoding.EncodeToString(raw)
}

// Hash is what a secret is found by.
func Hash(s string) []byte {
	sum := sha256.Sum256([]byte(s))
	return sum[:]
}
