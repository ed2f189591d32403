// Package clock tells the time, to the service and to the demo. In a build for tests (the
// tag testclock) it can be shifted, to see what they do on another day.
package clock

// Shift names the variable that says by how much the clock of a build for tests is
// shifted, as 26h or -30m.
const Shift = "WHARF_CLOCK_SHIFT"
