package desk

import (
	"context"
	"crypto/hmac"
	"crypto/sha256"
	"errors"
	"fmt"
	"reflect"
	"slices"
	"strings"
	"time"

	"wharf/core/carried"
	"wharf/core/hold"
	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/core/zone"
	"wharf/service/combine"
	"wharf/service/secret"
	"wharf/service/store"
)

// secretPlace is the place for which publication secrets are sealed.
const secretPlace = "publication-secret"

// Publication is what is laid down about a new publication.
type Publication struct {
	Calendar       int64
	Platform, Name string
	Person         bool // Platform is the name of a person, who sells nothing
	Content        PublicationContent
	Access
}

// PublicationContent is what is to change of what a publication shows; nil is left as it is. See rules.Publication.
type PublicationContent struct {
	Detail, Title, Tentative, Occupancy, Alarm, Color *string
	Holds, Shown, Joined                              *bool
	Attachments, Attendees, Links                     *bool
	Feeds                                             *[]int64
	Calendars                                         *[]int64 // others that it shows, too
	Categories                                        *[]string
	Back, Ahead, Cancelled, Refresh                   *int
}

// RecipientError says that a platform has a publication of the calendar already.
type RecipientError struct{ Publication string }

func (e *RecipientError) Error() string {
	return fmt.Sprintf("this platform has a link for the calendar already: %s", e.Publication)
}

// recipientNamed is the platform or person of a name, made if there is none. It is a *rules.FieldError where the name is
// that of the other kind.
func recipientNamed(tx *store.Tx, name string, person bool) (store.Platform, error) {
	p, err := tx.RecipientNamed(strings.TrimSpace(name), person)
	if err != nil || p.Person == person {
		return p, err
	}
	what := "a platform, and no person"
	if p.Person {
		what = "a person who gets calendars, and no platform"
	}
	return p, &rules.FieldError{Field: "platform", Err: fmt.Errorf("%s is %s: choose another name", p.Name, what)}
}

// AddPublication makes a publication with a secret of its own. The error is a *RecipientError, a *rules.FieldError,
// and store.ErrTaken when its name is in use.
func (d *Desk) AddPublication(ctx context.Context, p Publication) (int64, error) {
	if err := d.checkCalendar(ctx, p.Calendar); err != nil {
		return 0, err
	}
	link := secret.New()
	var calendars []int64
	row := store.Publication{CalendarID: p.Calendar, Name: strings.TrimSpace(p.Name), SecretHash: secret.Hash(link),
		SecretCipher: d.Box.Seal(secretPlace, link), CreatedAt: d.Now()}
	err := d.Store.Tx(ctx, func(tx *store.Tx) error {
		row.ID = 0
		row.SetRules(rules.Publication{Detail: rules.Times, Title: publish.Placeholder})
		if err := errors.Join(p.Content.apply(tx, &editing{}, &row), d.applyAccess(tx, &editing{}, &row, p.Access)); err != nil {
			return err
		}
		platform, err := recipientNamed(tx, p.Platform, p.Person)
		if err != nil {
			return err
		}
		row.PlatformID = platform.ID
		if err := tx.CreatePublication(&row); err != nil {
			return err
		}
		if calendars, err = p.Content.shareOut(tx, &editing{}, row, platform); err != nil {
			return err
		}
		return errors.Join(tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPlatform, platform.ID))
	})
	if err != nil {
		return 0, d.takenBy(ctx, err, row)
	}
	d.Combiner.Calendars(ctx, calendars...)
	return row.ID, nil
}

// shareOut lays down which other calendars a publication shows, and returns all of them, its own the last. The error may be
// a *rules.FieldError.
func (c PublicationContent) shareOut(tx *store.Tx, e *editing, row store.Publication, recipient store.Platform) ([]int64, error) {
	parts, err := tx.PartsFor(row.CalendarID)
	if err != nil {
		return nil, err
	}
	was := []int64{}
	for _, p := range parts {
		if p.PublicationID == row.ID {
			was = append(was, p.CalendarID)
		}
	}
	now := was
	if c.Calendars != nil {
		if now, err = othersOf(tx, row, recipient, *c.Calendars); err != nil {
			return nil, err
		}
		setList(e, "calendars", &was, now)
		if err := tx.SetParts(row, now); err != nil {
			return nil, err
		}
	} else if err := tx.MarkDirty(was...); err != nil {
		return nil, err
	}
	return append(slices.Clone(now), row.CalendarID), nil
}

// othersOf checks that a publication can show other calendars, and puts them in order, each once.
func othersOf(tx *store.Tx, row store.Publication, recipient store.Platform, ids []int64) ([]int64, error) {
	wrong := func(text string, args ...any) error {
		return &rules.FieldError{Field: "calendars", Err: fmt.Errorf(text, args...)}
	}
	if len(ids) > 0 && !recipient.Person {
		return nil, wrong("a platform blocks what it is sent, and cannot tell calendars apart: give it a link for each, or several calendars to a person")
	}
	if _, err := tx.LockCalendar(row.CalendarID); err != nil {
		return nil, err
	}
	all := []int64{}
	for _, id := range slices.Compact(slices.Sorted(slices.Values(ids))) {
		if id == row.CalendarID {
			continue
		}
		if _, err := tx.Calendar(id); errors.Is(err, store.ErrNotFound) {
			return nil, wrong("there is no calendar %d", id)
		} else if err != nil {
			return nil, err
		}
		all = append(all, id)
	}
	return all, nil
}

// takenBy says which of the two things that must differ does not.
func (d *Desk) takenBy(ctx context.Context, err error, row store.Publication) error {
	if !errors.Is(err, store.ErrTaken) {
		return err
	}
	all, failed := d.Store.Publications(ctx)
	if failed != nil {
		return failed
	}
	for _, p := range all {
		if p.CalendarID == row.CalendarID && p.PlatformID == row.PlatformID {
			return &RecipientError{p.Name}
		}
	}
	return err
}

// PublicationEdit is what is to change of a publication; nil is left as it is.
type PublicationEdit struct {
	Name *string
	// Reader is the first name in the User-Agent of the reader that is the recipient's own; "": most
	// of the last ones.
	Reader  *string
	Content PublicationContent
	Access
}

// Access says who may read a publication beside its link being known; nil is left as it is.
type Access struct {
	// User and Password are asked for; User "" asks nobody. A new user needs a password.
	User, Password *string
	// Expires is from when on the link ends, by the clock of the calendar or as an instant; "": never.
	Expires *string
}

// EditPublication changes a publication; store.ErrTaken when its new name is in use. The error may be a *rules.FieldError.
func (d *Desk) EditPublication(ctx context.Context, by By, id int64, to PublicationEdit) error {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return err
	}
	calendars := []int64{row.CalendarID}
	err = d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		calendars, err = d.changePublication(tx, by, id, to)
		return err
	})
	if err != nil {
		return d.explained(ctx, err)
	}
	d.Combiner.Calendars(ctx, calendars...)
	return nil
}

// TryEditPublication says what a change of a publication would lead to, and changes nothing. The errors are those of
// EditPublication.
func (d *Desk) TryEditPublication(ctx context.Context, by By, id int64, to PublicationEdit) ([]combine.Effect, error) {
	row, err := d.Store.Publication(ctx, id)
	if err != nil {
		return nil, err
	}
	effects, err := d.Combiner.Try(ctx, []int64{row.CalendarID}, func(tx *store.Tx) error {
		_, err := d.changePublication(tx, by, id, to)
		return err
	})
	return effects, d.explained(ctx, err)
}

// changePublication changes a publication, and returns the calendars that it shows.
func (d *Desk) changePublication(tx *store.Tx, by By, id int64, to PublicationEdit) ([]int64, error) {
	e := d.editing(by, store.TopicPublication, id, 0)
	row, err := tx.LockPublication(id)
	if err != nil {
		return nil, err
	}
	recipient, err := tx.LockPlatform(row.PlatformID)
	if err != nil {
		return nil, err
	}
	e.begin(row.Revision)
	set(e, "name", &row.Name, trimmed(to.Name))
	if reader := trimmed(to.Reader); reader != nil {
		kind := carried.Product(*reader)
		set(e, "reader", &row.Reader, &kind)
	}
	if err := errors.Join(to.Content.apply(tx, e, &row), d.applyAccess(tx, e, &row, to.Access)); err != nil {
		return nil, err
	}
	calendars, err := to.Content.shareOut(tx, e, row, recipient)
	if err != nil {
		return nil, err
	}
	return calendars, errors.Join(e.save(tx, &row.Revision), tx.SavePublication(row), tx.MarkDirty(row.CalendarID), tx.Changed(store.TopicPublication, id))
}

// apply changes what a publication shows. The error may be a *rules.FieldError.
func (c PublicationContent) apply(tx *store.Tx, e *editing, row *store.Publication) error {
	calendar, err := tx.LockCalendar(row.CalendarID)
	if err != nil {
		return err
	}
	was, err := rules.NewPublication(row.Rules(), calendar.Capacity)
	if err != nil {
		return err
	}
	r := was
	set(e, "detail", &r.Detail, (*rules.Detail)(c.Detail))
	set(e, "title", &r.Title, trimmed(c.Title))
	set(e, "tentative", &r.Tentative, (*rules.TentativeRule)(c.Tentative))
	set(e, "occupancy", &r.Occupancy, (*rules.Occupancy)(c.Occupancy))
	if c.Occupancy == nil && r.Detail == rules.Everything {
		r.Occupancy = rules.EachBooking // all that it can be
	}
	set(e, "joined", &r.Joined, c.Joined)
	set(e, "attachments", &r.Attachments, c.Attachments)
	set(e, "attendees", &r.Attendees, c.Attendees)
	set(e, "links", &r.Links, c.Links)
	set(e, "shown", &r.Shown, c.Shown)
	if c.Holds != nil {
		left := !*c.Holds
		set(e, "holds", &r.NoHolds, &left)
	}
	if c.Feeds != nil {
		feeds, err := feedsOf(tx, calendar, *c.Feeds)
		if err != nil {
			return err
		}
		setList(e, "feeds", &r.Feeds, feeds)
	}
	if c.Categories != nil {
		setList(e, "categories", &r.Categories, *c.Categories)
	}
	set(e, "back", &r.Back, c.Back)
	set(e, "ahead", &r.Ahead, c.Ahead)
	set(e, "alarm", &r.Alarm, trimmed(c.Alarm))
	set(e, "cancelled", &r.Cancelled, c.Cancelled)
	set(e, "refresh", &r.Refresh, c.Refresh)
	set(e, "color", &r.Color, trimmed(c.Color))
	if r, err = rules.NewPublication(r, calendar.Capacity); err != nil {
		return err
	}
	if !reflect.DeepEqual(r, was) {
		row.RenderedName = "" // every item is written anew
	}
	if c.Occupancy == nil {
		r.Occupancy = row.Options.Occupancy // where nobody said it, it goes by what the calendar's capacity is then
	}
	row.SetRules(r)
	return nil
}

// mostLogin is how long the user name of a publication may be, and leastPassword how short its password.
const (
	mostLogin     = 100
	leastPassword = 8
)

// applyAccess changes who may read a publication. The error may be a *rules.FieldError.
func (d *Desk) applyAccess(tx *store.Tx, e *editing, row *store.Publication, to Access) error {
	wrong := func(field, text string, args ...any) error {
		return &rules.FieldError{Field: field, Err: fmt.Errorf(text, args...)}
	}
	given := ""
	if to.Password != nil {
		given = *to.Password
	}
	if user := trimmed(to.User); user != nil && *user != row.LoginUser {
		switch {
		case strings.ContainsAny(*user, ":\r\n") || len(*user) > mostLogin:
			return wrong("user", "a user name has no colon, and at most %d bytes", mostLogin)
		case *user != "" && given == "":
			return wrong("password", "give the password that goes with the user name")
		}
		set(e, "user", &row.LoginUser, user)
		row.LoginHash = nil
	}
	if given != "" {
		if row.LoginUser == "" {
			return wrong("user", "give the user name that goes with the password")
		}
		if len(given) < leastPassword {
			return wrong("password", "use at least %d characters", leastPassword)
		}
		row.LoginHash = d.LoginHash(row.LoginUser, given)
		was, now := "…", "… (new)" // it is a secret
		set(e, "password", &was, &now)
	}
	if to.Expires == nil {
		return nil
	}
	calendar, err := tx.LockCalendar(row.CalendarID)
	if err != nil {
		return err
	}
	until, err := d.linkEnd(strings.TrimSpace(*to.Expires), calendar)
	if err != nil {
		return err
	}
	was, now := instant(row.ExpiresAt), instant(until)
	set(e, "expires", &was, &now)
	row.ExpiresAt = until
	return nil
}

// linkEnd is when a link ends; nil: never.
func (d *Desk) linkEnd(text string, calendar store.Calendar) (*time.Time, error) {
	if text == "" {
		return nil, nil
	}
	loc, err := zone.Load(calendar.Zone)
	if err != nil {
		return nil, err
	}
	at, err := hold.Expiry(text, loc)
	if err == nil && !at.After(d.Now()) {
		err = errors.New("this is over already: give a later time, or revoke the link")
	}
	if err != nil {
		return nil, &rules.FieldError{Field: "expires", Err: err}
	}
	return &at, nil
}

func instant(at *time.Time) string {
	if at == nil {
		return ""
	}
	return at.UTC().Format(time.RFC3339)
}

// LoginHash is what the user name and password of a publication are known by: it says nothing without the key file, and is
// worked out for each download.
func (d *Desk) LoginHash(user, password string) []byte {
	mac := hmac.New(sha256.New, d.Box.Derive("publication-login"))
	fmt.Fprintf(mac, "%d %s %s", len(user), user, password)
	return mac.Sum(nil)
}

// feedsOf checks that feeds count on a calendar, and puts them in order, each once.
func feedsOf(tx *store.Tx, calendar store.Calendar, ids []int64) ([]int64, error) {
	on, err := tx.FeedsOn(calendar.ID)
	if err != nil {
		return nil, err
	}
	for _, id := range ids {
		if !slices.ContainsFunc(on, func(f store.Feed) bool { return f.ID == id }) {
			return nil, &rules.FieldError{Field: "feeds", Err: fmt.Errorf("feed %d does not count on %s: choose among those that do", id, calendar.Name)}
		}
	}
	ids = slices.Sorted(slices.Values(ids))
	return slices.Compact(ids), nil
}

// LinkOf is the secret part of a publication's link.
func (d *Desk) LinkOf(p store.Publication) (string, error) {
	return d.Box.Open(secretPlace, p.SecretCipher)
}
