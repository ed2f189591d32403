package refresh

import (
	"strings"
	"unicode/utf8"

	"wharf/internal/private"
	"wharf/service/store"
)

// noteGood keeps the record of a good reading: a run of unchanged ones in the feed's
// own row, a changed one in a row of its own.
func (r *Refresher) noteGood(tx *store.Tx, feed *store.Feed, record *store.Reading, got Got) error {
	if feed.FailingSince != nil || feed.FreshSince == nil || late(*feed, got.finished) {
		feed.FreshSince = &got.finished
	}
	feed.FailingSince = nil
	if feed.LastGoodStart != nil {
		feed.Gaps.Add(got.started.Sub(*feed.LastGoodStart), 1)
	}
	feed.LastGoodStart, feed.LastGoodEnd = &got.started, &got.finished
	if got.doc != nil {
		feed.WholeAt, feed.BodyDigest = &got.finished, got.digest
	}
	if got.doc != nil || got.same {
		feed.ETag, feed.LastModified = validator(got.result.ETag, store.ETagWidth), validator(got.result.LastModified, store.LastModifiedWidth)
	}
	if got.link != "" { // it has moved for good; what it holds is what it held
		feed.URLCipher, feed.Address = r.Box.Seal(urlPlace, got.link), private.Link(got.link)
	}
	if record.Outcome == store.OutcomeUnchanged {
		if len(got.remarks) > 0 {
			feed.Remarks = strings.TrimSpace(feed.Remarks + "\n" + strings.Join(got.remarks, "\n"))
		}
		if feed.RunTimes == 0 {
			feed.RunStart = &got.started
		}
		feed.RunTimes++
		feed.RunEnd, feed.RunStatus, feed.RunBytes, feed.RunTookMS = &got.finished, record.Status, record.Bytes, record.TookMS
		return nil
	}
	record.Remarks = feed.Remarks
	return r.saveReading(tx, feed, record)
}

// noteFailure keeps the record of a failed reading; the same failure again is counted.
func (r *Refresher) noteFailure(tx *store.Tx, feed *store.Feed, record *store.Reading) error {
	if feed.FailingSince == nil {
		feed.FailingSince = &record.FinishedAt
	}
	last, err := tx.LastReading(*feed)
	if err != nil {
		return err
	}
	if feed.RunTimes == 0 && last != nil && last.Outcome == record.Outcome && last.Message == record.Message {
		last.Times++
		last.FinishedAt, last.Status, last.TookMS = record.FinishedAt, record.Status, record.TookMS
		*record = *last
		return tx.SaveReading(last)
	}
	return r.saveReading(tx, feed, record)
}

// saveReading writes the run of unchanged readings that ends here, then the record.
func (r *Refresher) saveReading(tx *store.Tx, feed *store.Feed, record *store.Reading) error {
	if run := feed.Run(); run != nil {
		if err := tx.SaveReading(run); err != nil {
			return err
		}
		feed.RunTimes, feed.RunStart, feed.RunEnd = 0, nil, nil
	}
	if err := tx.SaveReading(record); err != nil {
		return err
	}
	feed.LastReadingID = &record.ID
	return nil
}

// validator is what is kept of an ETag or a date: nothing of one that cannot be kept whole,
// since what was cut or mended would not validate.
func validator(s string, most int) string {
	if len(s) > most || !utf8.ValidString(s) {
		return ""
	}
	return s
}
