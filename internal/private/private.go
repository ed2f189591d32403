// Package private keeps files with secrets in them to their owner.
package private

import (
	"fmt"
	"log/slog"
	"os"
)

// File makes a file one that only its owner can read, with a word in the log if it was not; the error
// says what to do where that cannot be.
func File(file string) error {
	info, err := os.Stat(file)
	if err != nil || info.Mode().Perm()&0o077 == 0 {
		return err
	}
	if err := os.Chmod(file, info.Mode().Perm()&^0o077); err != nil {
		return fmt.Errorf("others can read %s, and that cannot be changed (%w): chmod 600 it as its owner", file, err)
	}
	slog.Warn("others could read a file with a secret in it, and cannot any more: whoever read it knows the secret", "file", file)
	return nil
}
