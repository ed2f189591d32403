package cli

import (
	"fmt"
	"io"
	"strings"
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
