package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"encoding/binary"
	"errors"
	"fmt"
	"io"
	"runtime/debug"
	"slices"
	"strings"
	"time"

	"github.com/jedib0t/go-pretty/v6/text"
	"github.com/urfave/cli/v3"

	"wharf/core/ical"
	"wharf/core/recur"
)

// occurrenceLine is the contract of `file expand --json`.
type occurrenceLine struct {
	UID          string       `json:"uid"`
	RecurrenceID string       `json:"recurrence_id,omitempty"`
	Start        string       `json:"start"`
	End          string       `json:"end"`
	AllDay       bool         `json:"all_day"`
	Status       recur.Status `json:"status"`
	Transparent  bool         `json:"transparent"`
	Summary      string       `json:"summary"`
}

func lineOf(o recur.Occurrence) occurrenceLine {
	l := occurrenceLine{o.UID, o.RecurrenceID(), instant(o.Start), instant(o.End), o.AllDay, o.Status, o.Transparent, o.Summary}
	if o.AllDay {
		l.Start, l.End = o.First.String(), o.Last.String()
	}
	return l
}

// localTime writes a Unix time for people.
func localTime(unix int64, loc *time.Location) string {
	return time.Unix(unix, 0).In(loc).Format("2006-01-02 15:04")
}

func instant(unix int64) string { return time.Unix(unix, 0).UTC().Format(time.RFC3339) }

func (env *Env) fileExpand(c *cli.Command) error {
	names, err := files(c, 1)
	if err != nil {
		return err
	}
	w, err := env.windowOf(c)
	if err != nil {
		return err
	}
	// What is read is forgotten as soon as it is expanded: garbage is to go early, too.
	defer debug.SetGCPercent(debug.SetGCPercent(expandGC))
	found := newOccurrences(c.Bool("json"), w)
	defer found.lines.close()
	err = env.stream(c, names[0], w, found.add)
	if err != nil && !ical.IsCutOff(err) {
		return err
	}
	if err := found.sort(); err != nil {
		return err
	}
	return errors.Join(found.write(env.Out), err)
}

// expandGC is the garbage collector's target while a file is expanded: memory is worth
// more there than the time.
const expandGC = 20

// stream gives the occurrences of a file, entry by entry.
func (env *Env) stream(c *cli.Command, name string, w recur.Window, found func([]recur.Occurrence) error) error {
	f, err := env.open(name)
	if err != nil {
		return err
	}
	defer f.Close()
	limits := limitsOf(c)
	in, ok := f.(io.ReadSeeker)
	if ok {
		_, err := in.Seek(0, io.SeekCurrent)
		ok = err == nil
	}
	if !ok { // a pipe can be read only once
		whole, err := io.ReadAll(io.LimitReader(f, limits.Bytes+1))
		if err != nil {
			return named(name, err)
		}
		in = bytes.NewReader(whole)
	}
	say := env.sayer(name)
	s := recur.Stream{Limits: limits, Window: w, Found: found, Told: func(d ical.Diagnostic) { say(d) }}
	return named(name, s.Expand(in))
}

// occurrences are what was found, each written down at once and little else kept.
type occurrences struct {
	asJSON bool
	window recur.Window
	all    []placed
	lines  spool // each after its UID; for people, of cells
	widths []int // of the columns, for people
}

// columns are those of the list for people; cellEnd stands after each but the last.
var columns = []string{"Start", "End", "Title", "Status", "UID"}

const cellEnd = "\x00"

func newOccurrences(asJSON bool, w recur.Window) *occurrences {
	f := &occurrences{asJSON: asJSON, window: w}
	for _, c := range columns {
		f.widths = append(f.widths, len(c))
	}
	return f
}

// placed says where an occurrence is written, and its place in the order.
type placed struct {
	start     int64
	prefix    uint64 // the first bytes of the UID
	at        place
	uid, line int32 // the lengths of the UID and of the line
}

func (f *occurrences) add(found []recur.Occurrence) (err error) {
	for _, o := range found {
		p := placed{start: o.Start, uid: int32(len(o.UID))}
		var first [8]byte
		copy(first[:], o.UID)
		p.prefix = binary.BigEndian.Uint64(first[:])
		line := bytes.NewBufferString(o.UID)
		if f.asJSON {
			err = printJSON(line, []occurrenceLine{lineOf(o)})
		} else {
			f.row(line, o)
		}
		if err != nil {
			return err
		}
		p.line = int32(line.Len()) - p.uid
		if p.at, err = f.lines.add(line.Bytes()); err != nil {
			return err
		}
		f.all = append(f.all, p)
	}
	return nil
}

// row writes the cells of an occurrence for people.
func (f *occurrences) row(line *bytes.Buffer, o recur.Occurrence) {
	l := lineOf(o)
	if !o.AllDay {
		l.Start, l.End = localTime(o.Start, f.window.Zone), localTime(o.End, f.window.Zone)
	}
	for i, cell := range []string{l.Start, l.End, clean(l.Summary), statusWord(o), clean(l.UID)} {
		if i > 0 {
			line.WriteString(cellEnd)
		}
		line.WriteString(cell)
		f.widths[i] = max(f.widths[i], text.StringWidthWithoutEscSequences(cell))
	}
}

func statusWord(o recur.Occurrence) string {
	if o.Transparent {
		return string(o.Status) + ", shown only"
	}
	return string(o.Status)
}

// sort puts them in order of start, then UID.
func (f *occurrences) sort() (err error) {
	slices.SortStableFunc(f.all, func(a, b placed) int {
		order := cmp.Or(cmp.Compare(a.start, b.start), cmp.Compare(a.prefix, b.prefix))
		if order != 0 || err != nil {
			return order
		}
		var first, second []byte
		if first, err = f.lines.get(a.at, int(a.uid)); err != nil {
			return 0
		}
		if second, err = f.lines.get(b.at, int(b.uid)); err != nil {
			return 0
		}
		return bytes.Compare(first, second)
	})
	return err
}

func (f *occurrences) write(out io.Writer) error {
	w := bufio.NewWriter(out)
	if !f.asJSON {
		f.writeRow(w, columns)
	}
	for _, p := range f.all {
		piece, err := f.lines.get(p.at, int(p.uid+p.line))
		switch {
		case err != nil:
			return err
		case f.asJSON:
			_, _ = w.Write(piece[p.uid:]) // Flush has its error
		default:
			f.writeRow(w, strings.Split(string(piece[p.uid:]), cellEnd))
		}
	}
	if !f.asJSON {
		fmt.Fprintf(w, "%s from %s to %s, times in %s.\n", count(len(f.all), "occurrence", "occurrences"),
			f.window.From.In(f.window.Zone).Format(time.DateOnly), f.window.To.In(f.window.Zone).Format(time.DateOnly), f.window.Zone)
	}
	return w.Flush()
}

func (f *occurrences) writeRow(w *bufio.Writer, cells []string) {
	var b strings.Builder
	for i, cell := range cells {
		b.WriteString(text.Pad(cell, f.widths[i]+2, ' '))
	}
	fmt.Fprintln(w, strings.TrimRight(b.String(), " "))
}
