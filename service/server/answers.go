package server

import (
	"context"
	"fmt"
	"net/http"
	"slices"
	"strings"
	"time"

	gen "wharf/api/server"
	"wharf/core/echo"
	"wharf/core/span"
	"wharf/internal/sentences"
	"wharf/service/combine"
	"wharf/service/desk"
	"wharf/service/store"
)

func (s *server) Answer(ctx context.Context, r gen.AnswerRequestObject) (gen.AnswerResponseObject, error) {
	a := desk.Answer{Conflict: orEmpty(r.Body.Conflict), Says: echo.Answer(orEmpty(r.Body.Says)), Bookings: map[int64]int64{}}
	for _, b := range r.Body.Bookings {
		a.Bookings[b.Booking] = orEmpty(b.Seen)
	}
	if !orEmpty(r.Params.Try) {
		return gen.Answer204Response{}, s.Desk.Answer(ctx, by(ctx, 0), a)
	}
	effects, err := s.Desk.TryAnswer(ctx, by(ctx, 0), a)
	if err != nil {
		return nil, err
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.Answer200JSONResponse(all), err
}

// effectsJSON says what a change would lead to, a sentence each.
func (s *server) effectsJSON(ctx context.Context, effects []combine.Effect) ([]gen.Effect, error) {
	platforms, err := s.platforms(ctx)
	if err != nil {
		return nil, err
	}
	var ids []int64
	for _, e := range effects {
		ids = append(ids, e.Bookings...)
	}
	slices.Sort(ids)
	known, err := s.Store.Bookings(ctx, slices.Compact(ids))
	all := make([]gen.Effect, len(effects))
	for i, e := range effects {
		all[i] = gen.Effect{Kind: gen.EffectKind(e.Kind), Sentence: effectSentence(e, platforms[e.Platform].Name, titlesOf(e.Bookings, known)), Calendar: e.Calendar.ID, CalendarName: e.Calendar.Name,
			Conflict: optional(e.Conflict), Publication: optional(e.Publication)}
	}
	return all, err
}

// titlesOf are the titles of those of some bookings that are there, the first so many.
func titlesOf(ids []int64, known map[int64]store.Booking) string {
	const most = 4
	var all []string
	for _, id := range ids {
		if b, there := known[id]; there {
			all = append(all, sentences.Title(b.Title, "an untitled one"))
		}
	}
	if more := len(all) - most; more > 0 {
		all = append(all[:most], fmt.Sprintf("%d more", more))
	}
	return strings.Join(all, ", ")
}

func effectSentence(e combine.Effect, platform, titles string) string {
	when := sentences.Range(e.Span, span.Grain(e.Calendar.Grain))
	switch kind := sentences.Conflict(e.Is); e.Kind {
	case combine.Opens:
		if titles != "" {
			return fmt.Sprintf("%s opens on %s: %s, with %s.", kind, e.Calendar.Name, when, titles)
		}
		return fmt.Sprintf("%s opens on %s: %s.", kind, e.Calendar.Name, when)
	case combine.Grows:
		return fmt.Sprintf("%s on %s grows by it: %s, with %s.", kind, e.Calendar.Name, when, titles)
	case combine.Clears:
		return fmt.Sprintf("The conflict of %s on %s clears.", when, e.Calendar.Name)
	case combine.Becomes:
		return fmt.Sprintf("The conflict of %s on %s becomes: %s.", when, e.Calendar.Name, kind)
	case combine.Publishes:
		return fmt.Sprintf("%s is told that %s is taken on %s.", platform, when, e.Calendar.Name)
	}
	return fmt.Sprintf("%s is no longer told that %s is taken on %s.", platform, when, e.Calendar.Name)
}

// answeredProblem says what somebody else has answered meanwhile.
func answeredProblem(e *desk.AnsweredError) *problem {
	p := &problem{Status: http.StatusConflict, Code: gen.ProblemCodeAnswered, Title: "It was answered meanwhile",
		Detail: fmt.Sprintf("What was said of %q was taken back meanwhile. Look at it as it is now, then answer.", e.Title)}
	if e.Is != nil {
		p.Detail = fmt.Sprintf("%s said on %s that %q is %s. Look at it as it is now, then answer.", e.Is.SaidBy, e.Is.At.UTC().Format(time.RFC3339), e.Title, sentences.Answer(e.Is.Answer))
	}
	return p
}

// overProblem says that nothing needs to be answered any more.
func overProblem(e *desk.OverError) *problem {
	since := ""
	if e.Since != nil {
		since = " since " + e.Since.UTC().Format(time.RFC3339)
	}
	return &problem{Status: http.StatusConflict, Code: gen.ProblemCodeOver, Title: "It is over", Detail: fmt.Sprintf("The conflict is %s%s: nothing needs to be answered any more, and nothing was changed.", e.State, since)}
}

func (s *server) GetCase(ctx context.Context, r gen.GetCaseRequestObject) (gen.GetCaseResponseObject, error) {
	k, err := s.Store.Conflict(ctx, r.Id)
	if err != nil {
		return nil, err
	}
	found, err := s.Desk.Combiner.Case(ctx, k.CalendarID, fmt.Sprintf("What conflict %d rests on.", k.ID), orEmpty(r.Params.Titles))
	return caseFile{found}, err
}
