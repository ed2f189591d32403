// Package stumble makes a panic the error of the one thing that was being done, with the
// place in the code, so that it is not the end of everything else.
package stumble

import (
	"fmt"
	"runtime"
	"strings"
)

// Error is a panic that was caught.
type Error struct {
	Value any
	Place string // function, file and line in which it happened
}

func (e *Error) Error() string { return fmt.Sprintf("panic: %v, in %s", e.Value, e.Place) }

// Catch is to be deferred. It turns a panic into an error.
func Catch(err *error) {
	if v := recover(); v != nil {
		*err = &Error{v, place()}
	}
}

// place finds the frame below the panic.
func place() string {
	var counters [64]uintptr
	frames := runtime.CallersFrames(counters[:runtime.Callers(2, counters[:])])
	panicked := false
	for {
		f, more := frames.Next()
		if panicked && !strings.HasPrefix(f.Function, "runtime.") {
			return fmt.Sprintf("%s (%s:%d)", f.Function, f.File, f.Line)
		}
		panicked = panicked || f.Function == "runtime.gopanic"
		if !more {
			return "an unknown place"
		}
	}
}
