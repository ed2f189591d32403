package store

// Widths of columns in characters. What is longer is cut with Clip before it is stored; the
// tables themselves are in migrations.
const (
	TitleWidth        = 500
	UIDWidth          = 2000
	AgentWidth        = 200
	ETagWidth         = 512
	LastModifiedWidth = 64
	FailureWidth      = 500
)

// Clip keeps at most n characters of a text.
func Clip(s string, n int) string {
	if len(s) <= n {
		return s
	}
	if r := []rune(s); len(r) > n {
		return string(r[:n-1]) + "…"
	}
	return s
}
