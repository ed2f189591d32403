// Package bench compares core with general libraries, side by side in one run: what is
// worth reading are the ratios of lines with the same first part, not the times.
package bench

import (
	"bytes"
	"fmt"
	"io"
	"strings"
	"testing"
	"time"

	arran "github.com/arran4/golang-ical"
	emersion "github.com/emersion/go-ical"
	"github.com/teambition/rrule-go"

	"wharf/core/conflict"
	"wharf/core/ical"
	"wharf/core/recur"
	"wharf/core/span"
)

// document is a feed of n bookings as platforms write them.
func document(n int) []byte {
	var b bytes.Buffer
	b.WriteString("BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//Bench//EN\r\n")
	day := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC)
	for i := range n {
		first := day.AddDate(0, 0, 2*i)
		fmt.Fprintf(&b, "BEGIN:VEVENT\r\nUID:%d@bench.example\r\nDTSTAMP:20260101T000000Z\r\nDTSTART;VALUE=DATE:%s\r\nDTEND;VALUE=DATE:%s\r\nSUMMARY:Guest %d\\, two nights\r\nDESCRIPTION:%s\r\n %s\r\nEND:VEVENT\r\n",
			i, first.Format("20060102"), first.AddDate(0, 0, 2).Format("20060102"), i, strings.Repeat("x", 60), strings.Repeat("y", 60))
	}
	b.WriteString("END:VCALENDAR\r\n")
	return b.Bytes()
}

func BenchmarkParse(b *testing.B) {
	text := document(1000)
	for name, parse := range map[string]func(io.Reader) (int, error){
		"wharf": func(r io.Reader) (int, error) {
			c, err := ical.NewReader(r).ReadAll()
			return len(c.Components), err
		},
		"emersion": func(r io.Reader) (int, error) {
			c, err := emersion.NewDecoder(r).Decode()
			return len(c.Children), err
		},
		"arran4": func(r io.Reader) (int, error) {
			c, err := arran.ParseCalendar(r)
			return len(c.Components), err
		},
	} {
		b.Run(name, func(b *testing.B) {
			b.SetBytes(int64(len(text)))
			b.ReportAllocs()
			for b.Loop() {
				if n, err := parse(bytes.NewReader(text)); err != nil || n != 1000 {
					b.Fatal(n, err)
				}
			}
		})
	}
}

func BenchmarkExpand(b *testing.B) {
	start := time.Date(2016, 1, 4, 18, 0, 0, 0, time.UTC)
	from, to := time.Date(2026, 1, 1, 0, 0, 0, 0, time.UTC), time.Date(2028, 1, 1, 0, 0, 0, 0, time.UTC)
	const rule = "FREQ=WEEKLY;BYDAY=MO,WE,FR"
	const want = 313
	b.Run("wharf", func(b *testing.B) {
		doc, err := recur.Read(ical.NewReader(strings.NewReader("BEGIN:VCALENDAR\r\nBEGIN:VEVENT\r\nUID:1\r\nDTSTART:20160104T180000Z\r\nDURATION:PT1H\r\nRRULE:" + rule + "\r\nEND:VEVENT\r\nEND:VCALENDAR\r\n")))
		if err != nil {
			b.Fatal(err)
		}
		for b.Loop() {
			if found, _ := doc.Expand(doc.Entries[0], recur.Window{From: from, To: to, Zone: time.UTC}); len(found) != want {
				b.Fatal(len(found))
			}
		}
	})
	b.Run("rrule-go", func(b *testing.B) {
		option, err := rrule.StrToROption(rule)
		if err != nil {
			b.Fatal(err)
		}
		option.Dtstart = start
		for b.Loop() {
			r, err := rrule.NewRRule(*option)
			if err != nil {
				b.Fatal(err)
			}
			if found := r.Between(from, to, true); len(found) != want {
				b.Fatal(len(found))
			}
		}
	})
}

// BenchmarkConflicts has no rival: the two sizes show how the cost grows.
func BenchmarkConflicts(b *testing.B) {
	for _, n := range []int{1000, 10000} {
		var bookings []conflict.Booking
		for i := range int64(n) {
			bookings = append(bookings, conflict.Booking{ID: i, Span: span.Span{Start: 2 * i, End: 2*i + 2 + i%50/49}, Units: 1})
		}
		b.Run(fmt.Sprint(n), func(b *testing.B) {
			for b.Loop() {
				if len(conflict.Find(bookings, 1)) == 0 {
					b.Fatal("none found")
				}
			}
		})
	}
}
