package ical

// Limits bound what a Reader believes, so that no document can cost more memory or time
// than it is worth. Reaching one is always told.
type Limits struct {
	// Bytes is the most that a document may have; a longer one is refused as a whole.
	Bytes int64
	// Components is the most that a document may have; one with more is refused as a whole.
	Components int
	// Lines is the most lines that a document may have, and Calendars how many calendars may follow each
	// other in it; one with more is refused as a whole.
	Lines, Calendars int
	// Line is the most bytes that an unfolded content line may have; a longer one is left
	// out.
	Line int
	// Entry is the most bytes that a component may have with all that is nested in it; the
	// properties after that are left out.
	Entry int
	// Depth is how deep components may be nested; what is deeper is left out.
	Depth int
	// Diagnostics is how many are kept.
	Diagnostics int
}

// DefaultLimits are generous for what people publish: a year of a busy hall is under a
// megabyte.
func DefaultLimits() Limits {
	return Limits{Bytes: 256 << 20, Components: 1_000_000, Lines: 20_000_000, Calendars: 1000, Line: 8 << 20, Entry: 16 << 20, Depth: 16, Diagnostics: 1000}
}
