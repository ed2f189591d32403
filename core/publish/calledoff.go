package publish

import (
	"cmp"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
)

// CalledOff are the items that were carried and are no more, for so long after that: readers that keep what they once
// read need to be told. Those that it does not show any more, since its window has passed them, are not among them. next is when the first of
// them is to be shown no more; zero when there is none. It takes n log n steps.
func CalledOff(history []carried.Row, versions []carried.Version, shows func(carried.Row) bool, keep time.Duration, now time.Time) (rows []carried.Row, next time.Time) {
	if keep <= 0 {
		return nil, time.Time{}
	}
	at := make(map[int64]time.Time, len(versions))
	for _, v := range versions {
		at[v.Number] = v.At
	}
	newest := map[carried.Name]carried.Row{}
	stands := map[string]bool{} // under the UID that its recipient sees: something is carried still
	for _, r := range history {
		stands[r.SentUID()] = stands[r.SentUID()] || r.To == 0
		if was, had := newest[r.Name]; !had || r.From > was.From {
			newest[r.Name] = r
		}
	}
	for _, r := range newest {
		gone := at[r.To+1] // the version that was the first without it
		until := gone.Add(keep)
		if stands[r.SentUID()] || !until.After(now) || !shows(r) {
			continue
		}
		if next.IsZero() || until.Before(next) {
			next = until
		}
		r.Sequence, r.Stamp = r.Sequence+1, gone.UTC().Truncate(time.Second)
		rows = append(rows, r)
	}
	slices.SortFunc(rows, func(a, b carried.Row) int {
		return cmp.Or(a.Span.Compare(b.Span), strings.Compare(a.UID, b.UID), strings.Compare(a.Recurrence, b.Recurrence))
	})
	told := map[string]bool{}
	return slices.DeleteFunc(rows, func(r carried.Row) bool { // a series is called off at once
		again := told[r.Sent]
		told[r.Sent] = r.Sent != ""
		return again
	}), next
}
