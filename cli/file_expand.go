package cli

import (
	"bufio"
	"bytes"
	"cmp"
	"fmt"
	"io"
	"runtime/debug"
	"slices"
	"time"

	"github.com/jedib0t/go-pretty/v6/table"
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
	found := occurrences{asJSON: c.Bool("json"), window: w}
	defer found.lines.close()
	if err := env.stream(c, names[0], w, found.add); err != nil {
		return err
	}
	if err := found.sort(); err != nil {
		return err
	}
	if found.asJSON {
		return found.writeLines(env.Out)
	}
	rows := make([]table.Row, 0, len(found.all))
	for _, p := range found.all {
		rows = append(rows, found.rows[p.at])
	}
	printTable(env.Out, table.Row{"Start", "End", "Title", "Status", "UID"}, rows)
	fmt.Fprintf(env.Out, "%s from %s to %s, times in %s.\n", count(len(rows), "occurrence", "occurrences"), w.From.In(w.Zone).Format(time.DateOnly), w.To.In(w.Zone).Format(time.DateOnly), w.Zone)
	return nil
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
		text, err := io.ReadAll(io.LimitReader(f, limits.Bytes+1))
		if err != nil {
			return fmt.Errorf("%s: %w", name, err)
		}
		in = bytes.NewReader(text)
	}
	say := env.sayer(name)
	s := recur.Stream{Limits: limits, Window: w, Found: found, Told: func(d ical.Diagnostic) { say(d) }}
	if err := s.Expand(in); err != nil {
		return fmt.Errorf("%s: %w", name, err)
	}
	return nil
}

// occurrences are what was found, each written down at once and little else kept.
type occurrences struct {
	asJSON bool
	window recur.Window
	all    []placed
	lines  spool       // each after its UID
	rows   []table.Row // for people
}

// placed says where an occurrence is written, and its place in the order.
type placed struct {
	start     int64
	place           // in lines; at is that in rows
	uid, line int32 // the lengths of the UID and of the line
}

func (f *occurrences) add(found []recur.Occurrence) error {
	for _, o := range found {
		p := placed{start: o.Start, uid: int32(len(o.UID))}
		if !f.asJSON {
			p.at = int64(len(f.rows))
			f.rows = append(f.rows, rowOf(o, f.window.Zone))
			f.all = append(f.all, p)
			continue
		}
		line := bytes.NewBufferString(o.UID)
		if err := printJSON(line, []occurrenceLine{lineOf(o)}); err != nil {
			return err
		}
		p.line = int32(line.Len()) - p.uid
		var err error
		if p.place, err = f.lines.add(line.Bytes()); err != nil {
			return err
		}
		f.all = append(f.all, p)
	}
	return nil
}

func rowOf(o recur.Occurrence, loc *time.Location) table.Row {
	l := lineOf(o)
	if !o.AllDay {
		l.Start, l.End = localTime(o.Start, loc), localTime(o.End, loc)
	}
	return table.Row{l.Start, l.End, clean(l.Summary), statusWord(o), clean(l.UID)}
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
		if a.start != b.start || err != nil {
			return cmp.Compare(a.start, b.start)
		}
		var first, second []byte
		if first, err = f.uid(a); err != nil {
			return 0
		}
		if second, err = f.uid(b); err != nil {
			return 0
		}
		return bytes.Compare(first, second)
	})
	return err
}

func (f *occurrences) uid(p placed) ([]byte, error) {
	if !f.asJSON {
		uid, _ := f.rows[p.at][4].(string)
		return []byte(uid), nil
	}
	return f.lines.get(p.place, 0, p.uid)
}

func (f *occurrences) writeLines(out io.Writer) error {
	w := bufio.NewWriter(out)
	for _, p := range f.all {
		line, err := f.lines.get(p.place, p.uid, p.line)
		if err != nil {
			return err
		}
		if _, err := w.Write(line); err != nil {
			return err
		}
	}
	return w.Flush()
}
