//go:build crashpoints

package crash

import (
	"os"
	"syscall"
)

// At kills the process when WHARF_CRASH_AT names the point and the file WHARF_CRASH_ARM
// exists.
func At(point string) {
	if os.Getenv("WHARF_CRASH_AT") != point {
		return
	}
	if _, err := os.Stat(os.Getenv("WHARF_CRASH_ARM")); err == nil {
		_ = syscall.Kill(os.Getpid(), syscall.SIGKILL) // does not return
	}
}
