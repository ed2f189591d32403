package server

import (
	"context"
	"crypto/sha256"
	"encoding/hex"
	"errors"
	"fmt"
	"net/http"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/core/span"
	"wharf/core/zone"
	"wharf/service/store"
)

// confirmed refuses a removal until the person has seen what it would lose: confirm is
// given with these very sentences, so that one who saw others is told again.
func confirmed(confirm *string, loses []string) error {
	if len(loses) == 0 {
		return nil
	}
	sum := sha256.Sum256([]byte(strings.Join(loses, "\n")))
	key := hex.EncodeToString(sum[:8])
	if confirm != nil && *confirm == key {
		return nil
	}
	return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeWouldLose, Title: "Something would be lost", Detail: strings.Join(loses, " "), Loses: loses, Confirm: key}
}

func plural(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// ahead counts what a feed (0: all of them) has to come on a calendar, in words; "" when
// there is nothing.
func (s *server) ahead(ctx context.Context, calendar store.Calendar, feed int64) (string, error) {
	loc, err := zone.Load(calendar.Zone)
	if err != nil {
		return "", err
	}
	grain := span.Grain(calendar.Grain)
	a, err := s.Store.AheadOf(ctx, calendar.ID, feed, span.Point(s.Now(), grain, loc))
	if err != nil || a.Bookings == 0 {
		return "", err
	}
	length := plural(a.Points, calendar.Grain, calendar.Grain+"s")
	if !grain.Dated() {
		length = plural(a.Points/int64(time.Hour/time.Second), "hour", "hours")
	}
	return fmt.Sprintf("%s to come on %s (%s)", plural(int64(a.Bookings), "booking", "bookings"), calendar.Name, length), nil
}

// recipientsOf names the platforms that import a calendar.
func (s *server) recipientsOf(ctx context.Context, calendar int64) ([]string, error) {
	all, err := s.Store.Publications(ctx)
	if err != nil {
		return nil, err
	}
	platforms, err := s.platforms(ctx)
	var names []string
	for _, p := range all {
		if p.CalendarID == calendar {
			names = append(names, platforms[p.PlatformID].Name)
		}
	}
	return names, err
}

// lossOfLink says what a calendar would lose without a feed.
func (s *server) lossOfLink(ctx context.Context, calendar, feed int64) ([]string, error) {
	row, err := s.Store.Calendar(ctx, calendar)
	if err != nil {
		return nil, err
	}
	ahead, err := s.ahead(ctx, row, feed)
	if err != nil || ahead == "" {
		return nil, err
	}
	recipients, err := s.recipientsOf(ctx, calendar)
	if err != nil {
		return nil, err
	}
	loses := []string{ahead + " would count no more: what only they take would be open."}
	if len(recipients) > 0 {
		loses = append(loses, fmt.Sprintf("Those who import %s would sell it again: %s.", row.Name, strings.Join(recipients, ", ")))
	}
	conflicts, err := s.Store.ConflictsWithFeed(ctx, calendar, feed)
	if conflicts > 0 {
		loses = append(loses, plural(conflicts, "conflict", "conflicts")+" on "+row.Name+" would no longer be shown.")
	}
	return loses, err
}

func (s *server) RemoveLink(ctx context.Context, r gen.RemoveLinkRequestObject) (gen.RemoveLinkResponseObject, error) {
	loses, err := s.lossOfLink(ctx, r.Id, r.Feed)
	if err == nil {
		err = confirmed(r.Params.Confirm, loses)
	}
	if err == nil {
		err = s.Refresher.Unlink(ctx, r.Id, r.Feed)
	}
	return gen.RemoveLink204Response{}, err
}

func (s *server) RemoveFeed(ctx context.Context, r gen.RemoveFeedRequestObject) (gen.RemoveFeedResponseObject, error) {
	if _, err := s.Store.Feed(ctx, r.Id); err != nil {
		return nil, err
	}
	links, err := s.Store.LinksOf(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var loses []string
	for _, l := range links {
		more, err := s.lossOfLink(ctx, l.CalendarID, r.Id)
		if err != nil {
			return nil, err
		}
		loses = append(loses, more...)
	}
	if err := confirmed(r.Params.Confirm, loses); err != nil {
		return nil, err
	}
	return gen.RemoveFeed204Response{}, s.Refresher.Unsubscribe(ctx, r.Id)
}

func (s *server) RemoveCalendar(ctx context.Context, r gen.RemoveCalendarRequestObject) (gen.RemoveCalendarResponseObject, error) {
	row, err := s.Store.Calendar(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	ahead, err := s.ahead(ctx, row, 0)
	if err != nil {
		return nil, err
	}
	var loses []string
	if ahead != "" {
		loses = append(loses, ahead+" would be watched by nobody; the feeds that they came from stay.")
	}
	recipients, err := s.recipientsOf(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	if len(recipients) > 0 {
		loses = append(loses, fmt.Sprintf("Its links would be gone for good, and with them what these platforms block by them: %s.", strings.Join(recipients, ", ")))
	}
	conflicts, err := s.Store.CountConflicts(ctx)
	if err != nil {
		return nil, err
	}
	if n := conflicts[r.Id]; n > 0 {
		loses = append(loses, "The record of "+plural(int64(n), "conflict", "conflicts")+" would be lost.")
	}
	if err := confirmed(r.Params.Confirm, loses); err != nil {
		return nil, err
	}
	var publications []int64
	err = s.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if _, err := tx.LockCalendar(r.Id); err != nil {
			return err
		}
		publications, err = tx.RemoveCalendar(r.Id, s.Now())
		return err
	})
	s.Shelf.Stale(publications...)
	return gen.RemoveCalendar204Response{}, err
}

func (s *server) RemovePublication(ctx context.Context, r gen.RemovePublicationRequestObject) (gen.RemovePublicationResponseObject, error) {
	one, err := s.publicationJSON(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	var loses []string
	if one.Pickups > 0 {
		loses = []string{fmt.Sprintf("%s would lose what it blocks by this link, %s: it could sell what is taken elsewhere.",
			one.Platform.Name, plural(int64(one.Items), "booking", "bookings"))}
	}
	if err := confirmed(r.Params.Confirm, loses); err != nil {
		return nil, err
	}
	err = s.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockPublication(r.Id)
		if err != nil {
			return err
		}
		return tx.RemovePublication(row, s.Now())
	})
	s.Shelf.Stale(r.Id)
	return gen.RemovePublication204Response{}, err
}

func (s *server) RemovePlatform(ctx context.Context, r gen.RemovePlatformRequestObject) (gen.RemovePlatformResponseObject, error) {
	feeds, err := s.Store.Feeds(ctx)
	if err != nil {
		return nil, err
	}
	publications, err := s.Store.Publications(ctx)
	if err != nil {
		return nil, err
	}
	var used []string
	for _, f := range feeds {
		if f.PlatformID == r.Id {
			used = append(used, "the feed "+f.Name)
		}
	}
	for _, p := range publications {
		if p.PlatformID == r.Id {
			used = append(used, "the publication "+p.Name)
		}
	}
	if len(used) > 0 {
		return nil, &problem{Status: http.StatusConflict, Code: gen.ProblemCodeInUse, Title: "In use", Detail: "the platform is in use by " + strings.Join(used, ", ") + ": remove these first, or give them another platform"}
	}
	return gen.RemovePlatform204Response{}, s.Store.Tx(ctx, func(tx *store.Tx) error {
		row, err := tx.LockPlatform(r.Id)
		if err != nil {
			return err
		}
		now := s.Now()
		row.RemovedAt = &now
		return errors.Join(tx.SavePlatform(row), tx.Changed(store.TopicPlatform, r.Id))
	})
}
