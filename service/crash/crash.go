// Package crash marks the points at which a test may kill the process, to show that
// nothing is lost or half done whatever the moment. In ordinary builds At does nothing.
package crash

// The points.
const (
	Fetched   = "fetched"   // a feed was fetched, nothing of it is stored
	Committed = "committed" // a reading is stored, nothing follows from it yet
)
