package server

import (
	"context"
	"fmt"
	"net/http"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/internal/sentences"
	"wharf/service/desk"
)

// loseProblem says what a removal would lose, a sentence each.
func loseProblem(e *desk.WouldLoseError) *problem {
	loses := make([]string, len(e.Losses))
	for i, l := range e.Losses {
		loses[i] = lossSentence(l)
	}
	return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeWouldLose, Title: "Something would be lost", Detail: strings.Join(loses, " "), Loses: loses, Confirm: e.Confirm}
}

func lossSentence(l desk.Loss) string {
	switch recipients := strings.Join(l.Recipients, ", "); l.Kind {
	case desk.CountsNoMore:
		return aheadWords(l) + " would count no more: what only they take would be open."
	case desk.Unwatched:
		return aheadWords(l) + " would be watched by nobody; the feeds that they came from stay."
	case desk.SoldAgain:
		return fmt.Sprintf("%s could sell again on %s: %s.", recipients, l.Calendar, openWords(l))
	case desk.LinksGone:
		return fmt.Sprintf("Its links would be gone for good, and with them what these platforms block by them: %s.", recipients)
	case desk.ConflictsUnseen:
		return plural(l.Conflicts, "conflict", "conflicts") + " on " + l.Calendar + " would no longer be shown."
	case desk.RecordLost:
		return "The record of " + plural(l.Conflicts, "conflict", "conflicts") + " would be lost."
	case desk.BlocksLost:
		return fmt.Sprintf("%s would lose what it blocks by this link, %s: it could sell what is taken elsewhere.", recipients, plural(l.Bookings, "booking", "bookings"))
	}
	return string(l.Kind)
}

// openWords names what would be open.
func openWords(l desk.Loss) string {
	all := make([]string, len(l.Spans))
	for i, s := range l.Spans {
		all[i] = sentences.Range(s, l.Grain)
	}
	if l.More > 0 {
		return strings.Join(all, ", ") + " and " + plural(int64(l.More), "stretch more", "stretches more")
	}
	return strings.Join(all, ", ")
}

// aheadWords counts what there is to come on a calendar.
func aheadWords(l desk.Loss) string {
	length := plural(l.Points, string(l.Grain), string(l.Grain)+"s")
	if !l.Grain.Dated() {
		length = plural(l.Points/int64(time.Hour/time.Second), "hour", "hours")
	}
	return fmt.Sprintf("%s to come on %s (%s)", plural(l.Bookings, "booking", "bookings"), l.Calendar, length)
}

func plural(n int64, one, many string) string {
	if n == 1 {
		return "1 " + one
	}
	return fmt.Sprintf("%d %s", n, many)
}

// confirmOf is what a person confirms with.
func confirmOf(confirm *string) string {
	if confirm == nil {
		return ""
	}
	return *confirm
}

// inUseProblem says what a platform is in use by.
func inUseProblem(e *desk.InUseError) *problem {
	var used []string
	for _, name := range e.Feeds {
		used = append(used, "the feed "+name)
	}
	for _, name := range e.Publications {
		used = append(used, "the publication "+name)
	}
	return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeInUse, Title: "In use",
		Detail: "the platform is in use by " + strings.Join(used, ", ") + ": remove these first, or give them another platform"}
}

func (s *server) RemoveLink(ctx context.Context, r gen.RemoveLinkRequestObject) (gen.RemoveLinkResponseObject, error) {
	return gen.RemoveLink204Response{}, s.Desk.RemoveLink(ctx, r.Id, r.Feed, confirmOf(r.Params.Confirm))
}

func (s *server) RemoveFeed(ctx context.Context, r gen.RemoveFeedRequestObject) (gen.RemoveFeedResponseObject, error) {
	if orEmpty(r.Params.Keep) {
		return gen.RemoveFeed204Response{}, s.Desk.KeepAsHolds(ctx, accountOf(ctx).Name, r.Id)
	}
	return gen.RemoveFeed204Response{}, s.Desk.RemoveFeed(ctx, r.Id, confirmOf(r.Params.Confirm))
}

func (s *server) RemoveCalendar(ctx context.Context, r gen.RemoveCalendarRequestObject) (gen.RemoveCalendarResponseObject, error) {
	return gen.RemoveCalendar204Response{}, s.Desk.RemoveCalendar(ctx, r.Id, confirmOf(r.Params.Confirm))
}

func (s *server) RemovePublication(ctx context.Context, r gen.RemovePublicationRequestObject) (gen.RemovePublicationResponseObject, error) {
	return gen.RemovePublication204Response{}, s.Desk.RemovePublication(ctx, r.Id, confirmOf(r.Params.Confirm))
}

func (s *server) RemovePlatform(ctx context.Context, r gen.RemovePlatformRequestObject) (gen.RemovePlatformResponseObject, error) {
	return gen.RemovePlatform204Response{}, s.Desk.RemovePlatform(ctx, r.Id)
}
