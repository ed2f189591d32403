//go:build testclock

package clock

import (
	"os"
	"time"
)

var shift, _ = time.ParseDuration(os.Getenv(Shift)) // without it, none

// Now is the time, shifted.
func Now() time.Time { return time.Now().Add(shift) }
