package desk

import (
	"cmp"
	"context"
	"errors"
	"net/netip"
	"net/url"
	"path"
	"slices"
	"strings"
	"time"
	"unicode"

	"wharf/core/ical"
	"wharf/core/preview"
	"wharf/core/reading"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/internal/private"
	"wharf/service/fetch"
	"wharf/service/refresh"
	"wharf/service/store"
)

// Trial is what a link gives, before anything is kept.
type Trial struct {
	Link string // as it may be shown
	// Problem says why it gives no calendar, and what to do; Offers are feeds that were found instead.
	Problem string
	Offers  []fetch.Offer
	// The rest is there without a problem.
	Preview preview.Preview
	Remarks []string // on how it was read
	// Fewer is what of its query asks the platform to leave something out.
	Fewer []string
	// Same are feeds with this very link, and Alike those that show the same under another one.
	Same, Alike []store.Feed
	Proposal    Proposal
}

// Proposal is what a person may take for a new feed.
type Proposal struct {
	Name, Platform string // "": nothing is likely
	Calendar       int64  // 0: none is likely
	Every          time.Duration
	Grain          span.Grain
}

const (
	// manyAlike of a hundred entries that a feed has too make two feeds alike.
	manyAlike = 80
	// mostCompared is how many of the entries are looked for elsewhere.
	mostCompared = 50
)

// Try reads a link, and keeps nothing of it. Times are shown in loc. What is wrong with the link is the
// trial's problem; the error is one of ours.
func (d *Desk) Try(ctx context.Context, from Source, loc *time.Location) (t Trial, err error) {
	if t.Link = private.Link(strings.TrimSpace(from.URL)); from.File != nil {
		t.Link = from.File.Name
	}
	got, err := d.read(ctx, from)
	var field *rules.FieldError
	if errors.As(err, &field) {
		t.Problem = field.Err.Error()
		return t, nil
	}
	if got.Document() == nil {
		var failed *fetch.Error
		var not *ical.NotCalendarError
		if !errors.As(err, &failed) && !errors.As(err, &not) {
			return t, err
		}
		t.Problem, t.Offers = err.Error(), got.Offers()
		return t, nil
	}
	if t.Preview, err = preview.Of(ctx, got.Document(), d.Now().In(loc)); errors.Is(err, reading.ErrTooOften) {
		t.Problem = d.Refresher.Explained(err).Error()
		return t, nil
	} else if err != nil {
		return t, err
	}
	t.Remarks = got.Remarks()
	if from.File == nil {
		t.Link = private.Link(got.Link())
	}
	if u, err := url.Parse(got.Link()); err == nil {
		t.Fewer = preview.Fewer(u.Query())
	}
	feeds, err := d.Store.Feeds(ctx)
	if err != nil {
		return t, err
	}
	if err := d.known(ctx, &t, feeds, got.Link(), got.UIDs(mostCompared)); err != nil {
		return t, err
	}
	t.Proposal, err = d.propose(ctx, t, feeds, got)
	return t, err
}

// known finds the feeds that are subscribed to already with a link, or with the same entries.
func (d *Desk) known(ctx context.Context, t *Trial, feeds []store.Feed, link string, uids []string) error {
	shown, err := d.Store.FeedsShowing(ctx, uids)
	if err != nil {
		return err
	}
	for _, f := range feeds {
		had, err := d.Refresher.LinkOf(f)
		switch {
		case err == nil && had == link:
			t.Same = append(t.Same, f)
		case len(uids) > 0 && shown[f.ID]*100 >= manyAlike*len(uids):
			t.Alike = append(t.Alike, f)
		}
	}
	return nil
}

// propose says what is likely: the platform of other feeds from the same host, the calendar whose words
// are in the feed's name, and a name of both.
func (d *Desk) propose(ctx context.Context, t Trial, feeds []store.Feed, got refresh.Got) (p Proposal, err error) {
	p.Grain, p.Every = t.Preview.Grain, d.every(cmp.Or(t.Preview.Refresh, got.FreshFor()))
	u, err := url.Parse(got.Link())
	if err != nil {
		return p, nil
	}
	platforms, err := d.Store.Platforms(ctx)
	if err != nil {
		return p, err
	}
	p.Platform = hostWord(u.Hostname())
	for _, f := range feeds {
		if had, err := url.Parse(f.Address); err == nil && had.Host == u.Host {
			if i := slices.IndexFunc(platforms, func(x store.Platform) bool { return x.ID == f.PlatformID }); i >= 0 {
				p.Platform = platforms[i].Name
				break
			}
		}
	}
	calendars, err := d.Store.Calendars(ctx)
	if err != nil {
		return p, err
	}
	named := u.Path
	if got.File() != "" {
		named = strings.TrimSuffix(path.Base(strings.ReplaceAll(got.File(), "#", "/")), ".ics")
	}
	c := likely(calendars, t.Preview.Name+" "+strings.NewReplacer("-", " ", "_", " ", ".", " ", "/", " ").Replace(named))
	thing := ""
	if c != nil {
		p.Calendar, thing = c.ID, c.Name
	} else {
		thing = reading.Clip(strings.TrimSpace(strings.Replace(t.Preview.Name, p.Platform, "", 1)), 40)
		if thing == "" && got.File() != "" {
			thing = reading.Clip(named, 40)
		}
	}
	p.Name = strings.Join(slices.DeleteFunc([]string{strings.Trim(thing, " :,-–|"), p.Platform}, func(s string) bool { return s == "" }), ", ")
	return p, nil
}

// every is how often a feed is read whose publisher says how often it is to be.
func (d *Desk) every(said time.Duration) time.Duration {
	const most = 24 * time.Hour // who says less than once a day is not taken at his word
	if said == 0 {
		return d.DefaultEvery
	}
	return max(d.LeastEvery, min(said, most))
}

// likely is the calendar most of whose words are in a text, if no other has as many; the only one there
// is, if there is one.
func likely(calendars []store.Calendar, text string) *store.Calendar {
	has := wordsOf(text)
	best, second := 0.0, 0.0
	var found *store.Calendar
	for i, c := range calendars {
		words, in := wordsOf(c.Name), 0
		for w := range words {
			if has[w] {
				in++
			}
		}
		score := float64(in) / float64(max(1, len(words)))
		if score > best {
			best, second, found = score, best, &calendars[i]
		} else {
			second = max(second, score)
		}
	}
	switch {
	case best > second:
		return found
	case len(calendars) == 1:
		return &calendars[0]
	}
	return nil
}

// wordsOf are the words of a text, in lower case, of more than two letters.
func wordsOf(text string) map[string]bool {
	words := map[string]bool{}
	for _, w := range strings.FieldsFunc(strings.ToLower(text), func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) }) {
		if len(w) > 2 {
			words[w] = true
		}
	}
	return words
}

// hostWord is the word of a host's name that is likely its owner's, "" for an address.
func hostWord(host string) string {
	if _, err := netip.ParseAddr(host); err == nil || !strings.Contains(host, ".") {
		return ""
	}
	parts := strings.Split(host, ".")
	word := parts[len(parts)-2]
	if len(parts) > 2 && len(word) <= 3 { // as in example.co.uk
		word = parts[len(parts)-3]
	}
	r := []rune(word)
	return string(append([]rune{unicode.ToUpper(r[0])}, r[1:]...))
}
