// Package shelf holds the publications as they are served: the bytes of the newest
// version of each, packed and plain, and the count of pickups, in memory.
//
// A request costs no query. What another process has rendered is noticed by the change
// table within a second; what this one has rendered, at once. While the database is
// away, what is on the shelf is served as it last was. The first pickup of a version by
// a reader is written before it is answered; repeats are counted here and written
// together every few seconds.
package shelf

import (
	"context"
	"crypto/sha256"
	"errors"
	"log/slog"
	"mime"
	"net/http"
	"slices"
	"strconv"
	"strings"
	"sync"
	"sync/atomic"
	"time"
	"unicode"

	"golang.org/x/sync/singleflight"

	"wharf/service/events"
	"wharf/service/store"
)

// Item is one version of a publication, ready to be sent. It never changes.
type Item struct {
	PublicationID int64
	Version       int64
	At            time.Time // when it was rendered, in whole seconds
	Tag           string    // its hash, the heart of its ETags
	LastModified  []string
	Disposition   []string // with the name of its file
	Plain, Zipped Coded
	Login         []byte    // the hash of the name and password that are asked for; nil: none
	Expires       time.Time // from then on it is served no more; zero: never
}

// Coded is an item's bytes in one content coding, with what its headers say of them. The
// values are made once, not for each request.
type Coded struct {
	ETag, Length, Coding []string
	Bytes                []byte
}

func coded(tag, coding string, bytes []byte) Coded {
	c := Coded{Length: []string{strconv.Itoa(len(bytes))}, Bytes: bytes}
	if coding != "" {
		tag += "-" + coding
		c.Coding = []string{coding}
	}
	c.ETag = []string{`"` + tag + `"`}
	return c
}

// slot is the place of a publication.
type slot struct {
	item   atomic.Pointer[Item]
	told   atomic.Int64 // how often it was said to be stale
	loaded atomic.Int64 // of which the item knows: it was read after that
	asked  atomic.Int64 // when last, in Unix seconds
}

func (p *slot) stale() bool { return p.loaded.Load() < p.told.Load() }

// knows says that the item was read after it had been told so often.
func (p *slot) knows(told int64) {
	for had := p.loaded.Load(); had < told && !p.loaded.CompareAndSwap(had, told); had = p.loaded.Load() {
	}
}

// hash is what a publication is found by.
type hash = [sha256.Size]byte

// Shelf is the room's door.
type Shelf struct {
	Store *store.Store
	Log   *slog.Logger
	Now   func() time.Time
	// MaxBytes bounds the memory for publications; the ones asked for longest ago go.
	MaxBytes int64

	mu    sync.RWMutex
	slots map[hash]*slot
	byID  map[int64][]hash // more than one while what an old link leads to was not asked for again
	size  int64
	told  atomic.Int64 // how often something was said to be stale
	loads singleflight.Group

	pickups ledger
	readers readers
}

// mostReaders is as how many different readers those of one publication are recorded.
const mostReaders = 50

// New returns an empty shelf.
func New(s *store.Store, log *slog.Logger, now func() time.Time, maxBytes int64) *Shelf {
	return &Shelf{Store: s, Log: log, Now: now, MaxBytes: maxBytes, slots: map[hash]*slot{}, byID: map[int64][]hash{}, pickups: newLedger(), readers: readers{most: mostReaders, known: map[int64]map[string]bool{}}}
}

// Key is the hash by which what is published under a secret is found.
type Key = hash

// KeyOf is the key of a secret.
func KeyOf(secret string) Key { return sha256.Sum256([]byte(secret)) }

// Get returns what is published under the key of a secret. The error is store.ErrNotFound,
// store.ErrRevoked, or that of a database that is away and has never been asked for it.
func (s *Shelf) Get(ctx context.Context, key Key) (*Item, error) {
	s.mu.RLock()
	place := s.slots[key]
	s.mu.RUnlock()
	if place != nil {
		place.asked.Store(s.Now().Unix())
		if !place.stale() {
			return place.item.Load(), nil
		}
	}
	item, err, _ := s.loads.Do(string(key[:]), func() (any, error) { return s.load(ctx, key) })
	switch {
	case err == nil:
		return item.(*Item), nil
	case place != nil && !errors.Is(err, store.ErrNotFound) && !errors.Is(err, store.ErrRevoked):
		return place.item.Load(), nil // the database is away: what was last published still holds
	}
	return nil, err
}

// Has reports whether what is published under the key of a secret is on the shelf.
func (s *Shelf) Has(key Key) bool {
	s.mu.RLock()
	defer s.mu.RUnlock()
	return s.slots[key] != nil
}

// load reads a publication from the database and puts it on the shelf. Until it is there,
// what is stale stays so.
func (s *Shelf) load(ctx context.Context, key hash) (*Item, error) {
	s.mu.RLock()
	place := s.slots[key]
	s.mu.RUnlock()
	told := s.told.Load() // where there is no place yet, this tells of a change meanwhile
	if place != nil {
		told = place.told.Load()
	}
	// A request that breaks off must not fail the others that wait for the same.
	ctx, cancel := context.WithTimeout(context.WithoutCancel(ctx), 5*time.Second)
	defer cancel()
	row, err := s.Store.PublicationServed(ctx, key[:])
	switch {
	case err == nil:
		item, fresh, err := s.put(row)
		if err != nil {
			return nil, err
		}
		if place != nil {
			fresh.knows(told)
		} else if s.told.Load() != told {
			fresh.told.Add(1)
		}
		return item, nil
	case errors.Is(err, store.ErrNotFound), errors.Is(err, store.ErrRevoked):
		s.drop(key)
	}
	return nil, err
}

// put places a version, unless a newer one is there. It returns what is there, and its place.
func (s *Shelf) put(row store.Served) (*Item, *slot, error) {
	packed, plain, err := row.Texts()
	if err != nil {
		return nil, nil, err
	}
	item := &Item{PublicationID: row.PublicationID, Version: row.Version, Tag: row.ETag, At: row.At.Truncate(time.Second),
		LastModified: []string{row.At.UTC().Format(http.TimeFormat)}, Plain: coded(row.ETag, "", plain), Zipped: coded(row.ETag, "gzip", packed),
		Disposition: []string{mime.FormatMediaType("inline", map[string]string{"filename": fileName(row.Name)})}, Login: row.LoginHash}
	if row.ExpiresAt != nil {
		item.Expires = *row.ExpiresAt
	}
	key := hash(row.SecretHash)
	s.mu.Lock()
	defer s.mu.Unlock()
	place := s.slots[key]
	if place == nil {
		place = &slot{}
		s.slots[key], s.byID[row.PublicationID] = place, append(s.byID[row.PublicationID], key)
	}
	if old := place.item.Load(); old != nil {
		if old.Version > item.Version {
			return old, place, nil
		}
		s.size -= old.bytes()
	}
	place.item.Store(item)
	place.asked.CompareAndSwap(0, s.Now().Unix())
	s.size += item.bytes()
	s.makeRoom(key)
	return item, place, nil
}

// fileName is what a publication is called as a file: letters and digits of its name, the rest of it as dashes.
func fileName(name string) string {
	words := strings.FieldsFunc(name, func(r rune) bool { return !unicode.IsLetter(r) && !unicode.IsDigit(r) })
	return strings.Join(words, "-") + ".ics"
}

func (i *Item) bytes() int64 { return int64(len(i.Plain.Bytes) + len(i.Zipped.Bytes)) }

// makeRoom drops what was asked for longest ago until the rest fits; the one just placed
// stays.
func (s *Shelf) makeRoom(except hash) {
	if s.size <= s.MaxBytes {
		return
	}
	keys := make([]hash, 0, len(s.slots))
	for k := range s.slots {
		if k != except {
			keys = append(keys, k)
		}
	}
	slices.SortFunc(keys, func(a, b hash) int { return int(s.slots[a].asked.Load() - s.slots[b].asked.Load()) })
	for _, k := range keys {
		if s.size <= s.MaxBytes*9/10 {
			return
		}
		s.remove(k)
	}
}

func (s *Shelf) drop(key hash) {
	s.mu.Lock()
	defer s.mu.Unlock()
	s.remove(key)
}

func (s *Shelf) remove(key hash) {
	if place := s.slots[key]; place != nil {
		item := place.item.Load()
		s.size -= item.bytes()
		left := slices.DeleteFunc(s.byID[item.PublicationID], func(k hash) bool { return k == key })
		if s.byID[item.PublicationID] = left; len(left) == 0 {
			delete(s.byID, item.PublicationID)
		}
		delete(s.slots, key)
	}
}

// Stale makes the next request for the publications look for a newer version.
func (s *Shelf) Stale(publications ...int64) {
	s.told.Add(1)
	s.mu.RLock()
	defer s.mu.RUnlock()
	for _, id := range publications {
		for _, key := range s.byID[id] {
			s.slots[key].told.Add(1)
		}
	}
}

// checkVersions makes stale whatever is not the newest version, or is under an old link, in case
// a change went unnoticed.
func (s *Shelf) checkVersions(ctx context.Context) error {
	versions, err := s.Store.PublicationVersions(ctx)
	if err != nil {
		return err
	}
	var old []int64
	s.mu.RLock()
	for key, place := range s.slots {
		item := place.item.Load()
		if now := versions[item.PublicationID]; now.Version != item.Version || hash(now.SecretHash) != key {
			old = append(old, item.PublicationID)
		}
	}
	s.mu.RUnlock()
	s.renew(ctx, old)
	return nil
}

// some is how many publications are loaded at once.
const some = 50

// fill places what fits, the newest versions first, so that it is there also if the
// database goes away before it is first asked for.
func (s *Shelf) fill(ctx context.Context) error {
	ids, err := s.Store.NewestPublications(ctx)
	if err != nil {
		return err
	}
	count, full := 0, false
	for few := range slices.Chunk(ids, some) {
		if full {
			break
		}
		n, err := s.fetch(ctx, few)
		if err != nil {
			return err
		}
		count += n
		s.mu.RLock()
		full = s.size > s.MaxBytes/2
		s.mu.RUnlock()
	}
	s.Log.Info("publications loaded", "count", count, "full", full)
	return nil
}

// fetch places the newest versions of the publications, and returns how many there are. One
// that is not there stays stale: whoever asks for it is told why.
func (s *Shelf) fetch(ctx context.Context, ids []int64) (int, error) {
	count := 0
	for few := range slices.Chunk(ids, some) {
		all, each := s.told.Load(), s.toldOf(few)
		rows, err := s.Store.PublicationsServed(ctx, few)
		if err != nil {
			return count, err
		}
		for _, r := range rows {
			_, place, err := s.put(r)
			if err != nil {
				return count, err
			}
			if told, had := each[hash(r.SecretHash)]; had {
				place.knows(told)
			} else if s.told.Load() != all {
				place.told.Add(1)
			}
		}
		count += len(rows)
	}
	return count, nil
}

// toldOf is how often what is here of the publications was said to be stale.
func (s *Shelf) toldOf(publications []int64) map[hash]int64 {
	s.mu.RLock()
	defer s.mu.RUnlock()
	told := map[hash]int64{}
	for _, id := range publications {
		for _, key := range s.byID[id] {
			told[key] = s.slots[key].told.Load()
		}
	}
	return told
}

// Run keeps the shelf in step with the database until ctx ends, and writes the counts of
// pickups at every tick. Flush is to be called after it, when no request is served any
// more.
func (s *Shelf) Run(ctx context.Context, hub *events.Hub, tick <-chan time.Time) {
	changes := hub.Subscribe(false)
	defer changes.Close()
	filled := false
	for rounds := 0; ; rounds++ {
		if !filled {
			filled = s.try(ctx, "publications cannot be loaded", s.fill)
		}
		if rounds%12 == 11 {
			s.try(ctx, "versions cannot be checked", s.checkVersions)
		}
		select {
		case <-ctx.Done():
			return
		case _, open := <-changes.Ready:
			if !open {
				return
			}
			var changed []int64
			for _, e := range changes.Take() {
				switch e.Topic {
				case store.TopicPublication:
					changed = append(changed, e.ID)
				case events.TopicAll:
					s.try(ctx, "versions cannot be checked", s.checkVersions)
				}
			}
			s.renew(ctx, changed)
		case <-tick:
			s.Flush(ctx)
		}
	}
}

// renew places the new versions that the shelf is told of, also those that nobody has asked
// for here: the database may be away when somebody does.
func (s *Shelf) renew(ctx context.Context, publications []int64) {
	if len(publications) == 0 {
		return
	}
	s.Stale(publications...)
	s.try(ctx, "new versions cannot be loaded", func(ctx context.Context) error {
		n, err := s.fetch(ctx, publications)
		if err == nil {
			s.Log.Debug("a new version is on the shelf", "publications", n)
		}
		return err
	})
}

func (s *Shelf) try(ctx context.Context, what string, f func(context.Context) error) bool {
	err := f(ctx)
	if err != nil && ctx.Err() == nil {
		s.Log.Warn(what+"; it is tried again", "error", err)
	}
	return err == nil
}

// HasTag reports whether If-None-Match names the version, packed or not.
func (i *Item) HasTag(header string) bool {
	for part := range strings.SplitSeq(header, ",") {
		tag := strings.Trim(strings.TrimPrefix(strings.TrimSpace(part), "W/"), `"`)
		if tag == "*" || strings.TrimSuffix(tag, "-gzip") == i.Tag {
			return true
		}
	}
	return false
}
