//go:build !testclock

package clock

import "time"

// Now is the time.
func Now() time.Time { return time.Now() }
