// Package standin is pretend platforms over HTTP: each sells one thing by the day or by
// the hour, publishes a feed of it at a secret link, and can import a feed of ours, whose events it
// then shows as blocks in its own feed under the UIDs they came with.
//
// A platform keeps what it knows in a file, so that it finds it again after a restart.
package standin

import (
	"bytes"
	"context"
	"crypto/sha256"
	"encoding/hex"
	"encoding/json"
	"errors"
	"fmt"
	"io"
	"io/fs"
	"net/http"
	"os"
	"path/filepath"
	"slices"
	"strings"
	"sync"
	"time"

	"wharf/core/ical"
)

// Booking is a sale made on the platform, from one date or local time up to another.
type Booking struct {
	ID        string    `json:"id"`
	Guest     string    `json:"guest"`
	From      string    `json:"first"` // 2026-07-03, or 2026-07-03T18:00 where Hours is set
	Until     string    `json:"last"`
	Made      time.Time `json:"made"`
	Tentative bool      `json:"tentative,omitempty"` // asked for, not accepted yet
	Weeks     int       `json:"weeks,omitempty"`     // how often it comes again, weekly
	Cancelled bool      `json:"cancelled,omitempty"` // and shown so
}

// Block is a stretch that the platform imported: dates, or times in UTC.
type Block struct {
	UID   string `json:"uid"`
	From  string `json:"first"`
	Until string `json:"last"`
}

// state is what a platform keeps.
type state struct {
	Bookings []Booking `json:"bookings"`
	Import   string    `json:"import"`
	ETag     string    `json:"etag"`
	Blocks   []Block   `json:"blocks"`
	// Names are those that blocks were given, by their UIDs.
	Names  map[string]string `json:"names,omitempty"`
	Late   []download        `json:"late,omitempty"` // what was downloaded and is not shown yet
	Serial int               `json:"serial"`
}

// download is a download, and when it is shown.
type download struct {
	At     time.Time `json:"at"`
	Blocks []Block   `json:"blocks"`
}

// Platform is one pretend platform. Its methods may be called at once from anywhere.
type Platform struct {
	Name   string
	Thing  string // what it sells; the ketch when left out
	Secret string // of its feed's link
	Style  Style
	Seed   uint64 // of the names and ids that it makes up; they do not depend on the day
	File   string // where it keeps its state
	Now    func() time.Time
	Client *http.Client // for imports

	mu    sync.Mutex
	state state
	seen  time.Time // of the last import that worked

	downloads int    // of blocks with new UIDs
	trouble   string // of serveTrouble; it is forgotten at a restart
}

// Load reads the platform's state, if there is any.
func (p *Platform) Load() error {
	p.mu.Lock()
	defer p.mu.Unlock()
	text, err := os.ReadFile(p.File)
	if errors.Is(err, fs.ErrNotExist) {
		return nil
	}
	if err != nil {
		return err
	}
	return json.Unmarshal(text, &p.state)
}

// save writes the state whole or not at all.
func (p *Platform) save() error {
	text, err := json.MarshalIndent(p.state, "", "  ")
	if err != nil {
		return err
	}
	if err := os.MkdirAll(filepath.Dir(p.File), 0o700); err != nil {
		return err
	}
	part := p.File + ".part"
	if err := os.WriteFile(part, text, 0o600); err != nil {
		return err
	}
	return os.Rename(part, p.File)
}

// localTime is how times of day are written.
const localTime = "2006-01-02T15:04"

// Book sells what lies from first up to, not including, last.
func (p *Platform) Book(guest, first, last string) (Booking, error) {
	return p.Add(Booking{Guest: guest, From: first, Until: last})
}

// Add is Book for bookings that are more than that.
func (p *Platform) Add(b Booking) (Booking, error) {
	layout := time.DateOnly
	if p.Style.Hours {
		layout = localTime
	}
	from, err := time.Parse(layout, b.From)
	if err != nil {
		return Booking{}, err
	}
	until, err := time.Parse(layout, b.Until)
	if err != nil {
		return Booking{}, err
	}
	if !until.After(from) || strings.TrimSpace(b.Guest) == "" {
		return Booking{}, errors.New("a booking needs a guest, and an end after its start")
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.state.Serial++
	sum := sha256.Sum256([]byte(fmt.Sprint(p.Seed, p.Name, p.Secret, p.state.Serial)))
	b.ID = hex.EncodeToString(sum[:6])
	if b.Made.IsZero() {
		b.Made = p.Now().UTC()
	}
	p.state.Bookings = append(p.state.Bookings, b)
	return b, p.save()
}

// Cancel takes a booking back: it vanishes from the feed, or is shown as cancelled.
func (p *Platform) Cancel(id string) (bool, error) {
	p.mu.Lock()
	defer p.mu.Unlock()
	n := slices.IndexFunc(p.state.Bookings, func(b Booking) bool { return b.ID == id && !b.Cancelled })
	if n < 0 {
		return false, nil
	}
	if p.Style.KeepsCancelled {
		p.state.Bookings[n].Cancelled = true
	} else {
		p.state.Bookings = slices.Delete(p.state.Bookings, n, n+1)
	}
	return true, p.save()
}

// Bookings lists the sales.
func (p *Platform) Bookings() []Booking {
	p.mu.Lock()
	defer p.mu.Unlock()
	return slices.Clone(p.state.Bookings)
}

// Blocks lists what was imported.
func (p *Platform) Blocks() []Block {
	p.mu.Lock()
	defer p.mu.Unlock()
	p.apply()
	return slices.Clone(p.state.Blocks)
}

// SetImport says which feed the platform is to import.
func (p *Platform) SetImport(link string) error {
	p.mu.Lock()
	defer p.mu.Unlock()
	if p.state.Import == link {
		return nil
	}
	p.state.Import, p.state.ETag = link, ""
	return p.save()
}

// maxImport is the most bytes of an import.
const maxImport = 4 << 20

// ImportNow reads the feed that is to be imported, if any, and replaces the blocks by its
// events.
func (p *Platform) ImportNow(ctx context.Context) error {
	p.mu.Lock()
	link, etag := p.state.Import, p.state.ETag
	p.mu.Unlock()
	if link == "" {
		return nil
	}
	req, err := http.NewRequestWithContext(ctx, http.MethodGet, link, nil)
	if err != nil {
		return err
	}
	req.Header.Set("User-Agent", p.Name+" importer")
	if etag != "" {
		req.Header.Set("If-None-Match", etag)
	}
	resp, err := p.Client.Do(req)
	if err != nil {
		return err
	}
	defer resp.Body.Close()
	if resp.StatusCode == http.StatusNotModified {
		p.mu.Lock()
		p.seen = p.Now()
		p.mu.Unlock()
		return nil
	}
	if resp.StatusCode != http.StatusOK {
		return fmt.Errorf("the import answered %s", resp.Status)
	}
	calendars, err := ical.NewReader(io.LimitReader(resp.Body, maxImport)).ReadAll()
	if err != nil {
		return err
	}
	blocks, err := blocksOf(calendars[0])
	if err != nil {
		return err
	}
	p.mu.Lock()
	defer p.mu.Unlock()
	p.state.ETag, p.seen = resp.Header.Get("ETag"), p.Now()
	p.state.Late = append(p.state.Late, download{p.Now().Add(p.Style.Late), blocks})
	p.apply()
	return p.save()
}

// apply shows what was downloaded long enough ago.
func (p *Platform) apply() {
	for len(p.state.Late) > 0 && !p.state.Late[0].At.After(p.Now()) {
		p.state.Blocks, p.state.Late = p.state.Late[0].Blocks, p.state.Late[1:]
	}
}

func blocksOf(cal *ical.Component) ([]Block, error) {
	var blocks []Block
	for _, e := range cal.Children("VEVENT") {
		start, _ := e.Get("DTSTART")
		end, _ := e.Get("DTEND")
		if e.Text("STATUS") == "CANCELLED" {
			continue
		}
		from, err := start.Moment()
		if err != nil {
			return nil, err
		}
		until, err := end.Moment()
		if err != nil {
			return nil, err
		}
		blocks = append(blocks, Block{e.Text("UID"), written(from), written(until)})
	}
	return blocks, nil
}

// written is a moment of an import as a Block has it.
func written(m ical.Moment) string {
	if m.Anchor == ical.DateOnly {
		return m.Wall.Date().String()
	}
	return m.Wall.Time().Format("20060102T150405Z")
}

// Run imports at every tick until ctx ends. An import that fails is left for the next.
func (p *Platform) Run(ctx context.Context, tick <-chan time.Time) {
	for {
		_ = p.ImportNow(ctx) // as at real platforms, nobody is told
		select {
		case <-ctx.Done():
			return
		case <-tick:
		}
	}
}

func (p *Platform) serveFeed(w http.ResponseWriter, r *http.Request) {
	w.Header().Set("Content-Type", "text/calendar; charset=utf-8")
	http.ServeContent(w, r, p.file(), time.Time{}, bytes.NewReader(p.Feed()))
}
