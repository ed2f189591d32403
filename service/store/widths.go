package store

// Widths of columns in characters. What is longer is cut with reading.Clip before it is stored; the
// tables themselves are in migrations.
const (
	AgentWidth        = 200
	ETagWidth         = 512
	LastModifiedWidth = 64
	FailureWidth      = 500
	HabitOfWidth      = 250
)
