package server

import (
	"crypto/sha256"
	_ "embed"
	"encoding/base64"
	"errors"
	"html/template"
	"net/http"
	"strconv"
	"strings"
	"time"

	"wharf/core/publish"
	"wharf/core/rules"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/secret"
	"wharf/service/store"
)

var (
	//go:embed openpage.html
	openPageHTML string
	//go:embed openpage.css
	openPageCSS string

	openPage = template.Must(template.New("page").Parse(openPageHTML))
	// openPagePolicy allows the page's own style and nothing else, and that any site shows the page in a frame.
	openPagePolicy = func() string {
		sum := sha256.Sum256([]byte(openPageCSS))
		return "default-src 'none'; style-src 'sha256-" + base64.StdEncoding.EncodeToString(sum[:]) + "'; base-uri 'none'; form-action 'none'; frame-ancestors *"
	}()
)

// openMonth is a month on a page for everybody.
type openMonth struct {
	Style                 template.CSS
	Calendar, Name, Zone  string
	Nights                bool
	Weeks                 [][]*publish.Day
	Days                  []publish.Day // those of which only a part is taken
	Previous, Next, AsOf  string        // months as 2006-01; "" where there is none to show
	PreviousName, NextOne string
}

// openPath is where pages for everybody are.
const openPath = "/open/"

// serveOpen shows a month of what is free and taken, to everybody who has its address. A visit is no pickup.
func (p *publications) serveOpen(w http.ResponseWriter, r *http.Request, link string) {
	p.readers.deadline(w, p.RequestTimeout)
	page, ok := p.findPage(w, r, link)
	if !ok {
		return
	}
	grain := span.Grain(page.Calendar.Grain)
	loc, err := zone.Load(page.Calendar.Zone)
	if err != nil {
		p.refuse(w, http.StatusServiceUnavailable, "The calendar cannot be shown at this moment. Ask again in a minute.")
		return
	}
	now := p.Now().In(loc)
	month := time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, time.UTC)
	if text := r.URL.Query().Get("month"); text != "" {
		if month, err = time.Parse("2006-01", text); err != nil {
			p.refuse(w, http.StatusBadRequest, "The month is written as 2026-12.")
			return
		}
	}
	first, last := shownMonths(page.Publication, grain, loc, now)
	if month.Before(first) || month.After(last) {
		p.refuse(w, http.StatusNotFound, "What is free then is not known: "+first.Format("January 2006")+" to "+last.Format("January 2006")+" is shown.")
		return
	}
	m := openMonth{Style: template.CSS(openPageCSS), Calendar: page.Publication.Name, Name: month.Format("January 2006"), Zone: page.Calendar.Zone, Nights: grain == span.Night, AsOf: now.Format("2 January 2006, 15:04")}
	if before := month.AddDate(0, -1, 0); !before.Before(first) {
		m.Previous, m.PreviousName = before.Format("2006-01"), before.Format("January")
	}
	if after := month.AddDate(0, 1, 0); !after.After(last) {
		m.Next, m.NextOne = after.Format("2006-01"), after.Format("January")
	}
	m.lay(publish.Month(month.Year(), month.Month(), grain, loc, page.Rows))
	h := w.Header()
	h.Set("Content-Type", "text/html; charset=utf-8")
	h.Set("Content-Security-Policy", openPagePolicy)
	h.Set("X-Content-Type-Options", "nosniff")
	h.Set("Referrer-Policy", "no-referrer")
	h.Set("Cache-Control", "private, max-age=60")
	if r.Method == http.MethodHead {
		return
	}
	if err := openPage.Execute(w, m); err != nil {
		p.Log.Debug("a page was not read to its end", "error", err)
	}
}

// lay puts the days of a month into weeks, which begin on Mondays.
func (m *openMonth) lay(days []publish.Day) {
	week := make([]*publish.Day, (int(days[0].Date.Weekday())+6)%7)
	for i := range days {
		week = append(week, &days[i])
		if days[i].State == publish.Partly {
			m.Days = append(m.Days, days[i])
		}
		if len(week) == 7 || i == len(days)-1 {
			m.Weeks = append(m.Weeks, append(week, make([]*publish.Day, 7-len(week))...))
			week = nil
		}
	}
}

// shownMonths are the first and the last month that a publication shows, but none before this one.
func shownMonths(row store.Publication, grain span.Grain, loc *time.Location, now time.Time) (first, last time.Time) {
	step := row.WindowStep
	if step == 0 {
		step = publish.Step(now, loc)
	}
	end := publish.Window(rules.Publication{Back: row.Options.Back, Ahead: row.Options.Ahead}, step, span.Day, loc).End
	y, month, _ := span.Date(end - 1).Civil()
	return time.Date(now.Year(), now.Month(), 1, 0, 0, 0, 0, time.UTC), time.Date(y, month, 1, 0, 0, 0, 0, time.UTC)
}

// findPage finds a page for everybody, or answers why there is none.
func (p *publications) findPage(w http.ResponseWriter, r *http.Request, link string) (store.Page, bool) {
	if !p.knownHost(r) {
		p.refuse(w, http.StatusMisdirectedRequest, p.unknownHost())
		return store.Page{}, false
	}
	source, now := p.sourceOf(r), p.Now()
	page, err := p.Store.PageServed(r.Context(), secret.Hash(link))
	switch {
	case errors.Is(err, store.ErrNotFound) && !p.readers.mayGuess(source, now):
		p.tooMany(w)
	case errors.Is(err, store.ErrNotFound):
		p.readers.guessed(source, now)
		p.refuse(w, http.StatusNotFound, "There is no page at this address. Ask those who gave it to you for the right one.")
	case errors.Is(err, store.ErrRevoked):
		p.refuse(w, http.StatusGone, "This page was closed.")
	case err != nil:
		p.Log.Error("a page cannot be shown", "error", err)
		w.Header().Set("Retry-After", "60")
		p.refuse(w, http.StatusServiceUnavailable, "The page cannot be shown at this moment. Ask again in a minute.")
	default:
		return page, true
	}
	return page, false
}

// openAddress is the address of a page, "" for none.
func (s *server) openAddress(row store.Publication) (string, error) {
	link, err := s.Desk.PageOf(row)
	if err != nil || link == "" {
		return "", err
	}
	return s.PublicURL.JoinPath(strings.Trim(openPath, "/"), link).String(), nil
}

// Weekdays are the names of the columns.
func (m openMonth) Weekdays() []string {
	return []string{"Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday"}
}

// Word is what is said of a day.
func (m openMonth) Word(d publish.Day) string { return string(d.State) }

// Number is a day of the month.
func (m openMonth) Number(d publish.Day) string {
	_, _, day := d.Date.Civil()
	return strconv.Itoa(day)
}
