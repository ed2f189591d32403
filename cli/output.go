package cli

import (
	"fmt"
	"io"
	"strings"
	"time"
	"unicode"

	"github.com/jedib0t/go-pretty/v6/table"
	"github.com/jedib0t/go-pretty/v6/text"
)

// printTable writes aligned columns without borders.
func printTable(out io.Writer, header table.Row, rows []table.Row) {
	t := table.NewWriter()
	style := table.StyleLight
	style.Options = table.OptionsNoBordersAndSeparators
	style.Format.Header = text.FormatDefault
	style.Box.PaddingLeft, style.Box.PaddingRight = "", "  "
	t.SetStyle(style)
	t.SuppressTrailingSpaces()
	t.AppendHeader(header)
	t.AppendRows(rows)
	fmt.Fprintln(out, t.Render())
}

// clean makes text from a feed safe for a terminal: control characters become spaces.
func clean(s string) string {
	return strings.Map(func(r rune) rune {
		if unicode.IsControl(r) || unicode.In(r, unicode.Bidi_Control) {
			return ' '
		}
		return r
	}, s)
}

// count writes a number with its noun.
func count(n int, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// kindWords writes a kind such as double_booking for people.
func kindWords(kind string) string { return strings.ReplaceAll(kind, "_", " ") }

// when writes a time as people say it: near ones by their distance, far ones by date.
func (env *Env) when(t *time.Time) string {
	if t == nil {
		return "never"
	}
	d := env.Now().Sub(*t)
	switch {
	case d > 48*time.Hour || d < -48*time.Hour:
		return t.Local().Format("2 Jan 2006 15:04 MST")
	case d >= time.Second:
		return short(d) + " ago"
	case d > -time.Second:
		return "now"
	}
	return "in " + short(-d)
}

// short writes a duration in its two largest units.
func short(d time.Duration) string {
	switch {
	case d >= 48*time.Hour:
		return fmt.Sprintf("%d days", d/(24*time.Hour))
	case d >= time.Hour:
		if m := d % time.Hour / time.Minute; m > 0 {
			return fmt.Sprintf("%d h %d min", d/time.Hour, m)
		}
		return fmt.Sprintf("%d h", d/time.Hour)
	case d >= time.Minute:
		return fmt.Sprintf("%d min", d/time.Minute)
	}
	return fmt.Sprintf("%d s", d/time.Second)
}
