package e2e

import (
	"fmt"
	"os"
	"testing"
	"time"

	"wharf/internal/clock"
)

// shift is by how much the clocks of service, client, demo, platforms and browser are shifted
// (see e2e/days), so that what depends on the date is tested on any.
var shift = func() time.Duration {
	by, err := time.ParseDuration(os.Getenv(clock.Shift))
	if err != nil {
		return 0
	}
	return by
}()

// now is the time as everybody in a test has it.
func now() time.Time { return time.Now().Add(shift) }

// anyDay skips a test that no date changes when others are run on another day.
func anyDay(t *testing.T) {
	t.Helper()
	if shift != 0 {
		t.Skip("it does not depend on the date")
	}
}

// shiftedClock makes a page's clock that of everybody else.
func shiftedClock() string {
	return fmt.Sprintf(`{
	const real = Date
	const now = () => real.now() + %d
	window.Date = new Proxy(real, {
		construct: (target, args, self) => Reflect.construct(target, args.length ? args : [now()], self),
		apply: () => new real(now()).toString(),
		get: (target, name) => name === 'now' ? now : Reflect.get(target, name),
	})
}`, shift.Milliseconds())
}
