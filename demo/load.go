package main

import (
	"bytes"
	"context"
	"encoding/json"
	"errors"
	"fmt"
	"net/http"
	"os"
	"path/filepath"
	"time"

	"wharf/api/client"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/account"
	"wharf/standin"
)

// account of the demo; its password works on loopback addresses only.
const accountName = "harbour"

// loader puts the scenario into the service through its public API. Every step looks
// first whether it was done, so that a load that was cut short is finished by the next.
type loader struct {
	base      string // of the service
	setupCode string // "" when there is an account already
	tokenFile string
	platforms []*standin.Platform
	addresses []string // of the platforms
	api       *client.Client
	now       func() time.Time
}

func (l *loader) load(ctx context.Context) error {
	if l.setupCode != "" {
		if err := l.setUp(ctx); err != nil {
			return fmt.Errorf("the account cannot be made: %w", err)
		}
	}
	if err := l.logIn(ctx); err != nil {
		return fmt.Errorf("the demo cannot log in: %w", err)
	}
	ids, err := l.calendars(ctx)
	if err != nil {
		return fmt.Errorf("the calendars cannot be added: %w", err)
	}
	if err := l.feeds(ctx, ids); err != nil {
		return fmt.Errorf("the feeds cannot be added: %w", err)
	}
	if err := l.publications(ctx, ids); err != nil {
		return fmt.Errorf("the publications cannot be added: %w", err)
	}
	if err := l.holds(ctx, ids); err != nil {
		return fmt.Errorf("the holds cannot be entered: %w", err)
	}
	return nil
}

func (l *loader) setUp(ctx context.Context) error {
	api, err := client.NewClient(l.base + "/api/v1")
	if err != nil {
		return err
	}
	_, err = client.Decode[client.Account](api.CreateSetup(ctx, client.SetupRequest{Code: l.setupCode, Name: accountName, Password: account.DemoPassword}))
	return err
}

// logIn uses the token of an earlier run while it is valid.
func (l *loader) logIn(ctx context.Context) error {
	if kept, err := os.ReadFile(l.tokenFile); err == nil {
		if err := l.use(string(kept)); err != nil {
			return err
		}
		if _, err := client.Decode[client.Account](l.api.GetSession(ctx)); err == nil {
			return nil
		}
	}
	api, err := client.NewClient(l.base + "/api/v1")
	if err != nil {
		return err
	}
	token, err := client.Decode[client.Token](api.CreateToken(ctx, client.TokenRequest{Name: accountName, Password: account.DemoPassword, Label: "demo"}))
	if err != nil {
		return err
	}
	if err := os.WriteFile(l.tokenFile, []byte(token.Token), 0o600); err != nil {
		return err
	}
	return l.use(token.Token)
}

func (l *loader) use(token string) (err error) {
	l.api, err = client.NewClient(l.base+"/api/v1", client.WithRequestEditorFn(func(_ context.Context, r *http.Request) error {
		r.Header.Set("Authorization", "Bearer "+token)
		return nil
	}))
	return err
}

// calendars returns the IDs of the scenario's calendars by their names.
func (l *loader) calendars(ctx context.Context) (map[string]int64, error) {
	all, err := client.Decode[[]client.Calendar](l.api.ListCalendars(ctx, nil))
	if err != nil {
		return nil, err
	}
	ids := map[string]int64{}
	for _, c := range all {
		ids[c.Name] = c.Id
	}
	for _, k := range calendars {
		if ids[k.name] != 0 {
			continue
		}
		c, err := client.Decode[client.Calendar](l.api.CreateCalendar(ctx, client.CalendarRequest{Name: k.name, Zone: zoneName, Grain: k.grain, Capacity: &k.capacity, Group: &k.group}))
		if err != nil {
			return nil, err
		}
		ids[k.name] = c.Id
	}
	return ids, nil
}

func (l *loader) feeds(ctx context.Context, calendars map[string]int64) error {
	have, err := client.Decode[[]client.Feed](l.api.ListFeeds(ctx, nil))
	if err != nil {
		return err
	}
	names := map[string]bool{}
	for _, f := range have {
		names[f.Name] = true
	}
	for i, p := range scenario {
		if names[p.feed] {
			continue
		}
		color, every, calendar := client.Color(p.color), refreshSeconds, calendars[p.calendar]
		address, link := l.addresses[i]+l.platforms[i].FeedPath(), &client.LinkRequest{}
		if p.role != "" {
			link.Role = &p.role
		}
		if p.units > 0 {
			link.Units = &p.units
		}
		_, err := client.Decode[client.Feed](l.api.CreateFeed(ctx, client.FeedRequest{Url: &address, Platform: p.name,
			Name: p.feed, Color: &color, Every: &every, Calendar: &calendar, Link: link}))
		if err != nil {
			return err
		}
	}
	return nil
}

// publications publishes the calendars for their platforms and gives these the links.
// holds enters what the office has taken by hand.
func (l *loader) holds(ctx context.Context, calendars map[string]int64) error {
	loc, err := zone.Load(zoneName)
	if err != nil {
		return err
	}
	today := span.DateOf(l.now().In(loc))
	there, err := client.Decode[[]client.Hold](l.api.ListHolds(ctx, nil))
	if err != nil {
		return err
	}
	for _, h := range holds[min(len(there), len(holds)):] { // the demo was killed on the way
		if calendars[h.calendar] == 0 {
			return fmt.Errorf("there is no calendar %q", h.calendar)
		}
		r := client.HoldRequest{Calendar: calendars[h.calendar], Title: &h.title, Note: &h.note, Tentative: &h.tentative, Closure: &h.closure,
			Start: (today + span.Date(h.first)).String(), End: (today + span.Date(h.last)).String()}
		if h.hours != "" {
			r.Start, r.End = r.Start+"T"+h.hours[:5], r.Start+"T"+h.hours[6:]
		}
		if h.expires > 0 {
			at := (today + span.Date(h.expires)).String() + "T18:00"
			r.Expires = &at
		}
		if _, err := client.Decode[client.Hold](l.api.CreateHold(ctx, r)); err != nil {
			return err
		}
	}
	return nil
}

func (l *loader) publications(ctx context.Context, calendars map[string]int64) error {
	have, err := client.Decode[[]client.Publication](l.api.ListPublications(ctx, nil))
	if err != nil {
		return err
	}
	links := map[string]string{}
	for _, p := range have {
		links[p.Name] = p.Url
	}
	for i, p := range scenario {
		if p.publication == "" {
			continue
		}
		link, published := links[p.publication]
		if !published {
			made, err := client.Decode[client.Publication](l.api.CreatePublication(ctx, client.PublicationRequest{Name: p.publication, Calendar: calendars[p.calendar], Platform: p.name}))
			if err != nil {
				return err
			}
			link = made.Url
		}
		if err := l.platforms[i].SetImport(link); err != nil {
			return err
		}
		if err := l.platforms[i].ImportNow(ctx); err != nil {
			return fmt.Errorf("%s cannot import %w", p.name, err)
		}
	}
	if links[forGuests] != "" {
		return nil
	}
	return l.guests(ctx, calendars[ketch])
}

// forGuests is what is given to people, who look at it on a page.
const forGuests = "Ketch, for guests"

// guests gives the ketch to people, with a page, and has the first of them subscribe.
func (l *loader) guests(ctx context.Context, calendar int64) error {
	person := true
	made, err := client.Decode[client.Publication](l.api.CreatePublication(ctx, client.PublicationRequest{Name: forGuests, Calendar: calendar, Platform: "Guests", Person: &person}))
	if err != nil {
		return err
	}
	if _, err := client.Decode[client.Publication](l.api.OpenPage(ctx, made.Id)); err != nil {
		return err
	}
	r, err := http.NewRequestWithContext(ctx, http.MethodGet, made.Url, nil)
	if err != nil {
		return err
	}
	r.Header.Set("User-Agent", "Pocket calendar/1")
	resp, err := http.DefaultClient.Do(r)
	if err != nil {
		return err
	}
	return resp.Body.Close()
}

// saveCommandLineLogin lets the client's commands be tried without a login of one's own.
func (l *loader) saveCommandLineLogin(dir string) error {
	token, err := os.ReadFile(l.tokenFile)
	if err != nil {
		return err
	}
	var b bytes.Buffer
	err = json.NewEncoder(&b).Encode(map[string]string{"server": l.base, "token": string(token)})
	return errors.Join(err, os.MkdirAll(filepath.Join(dir, "wharf"), 0o700), os.WriteFile(filepath.Join(dir, "wharf", "login.json"), b.Bytes(), 0o600))
}
