package server

import (
	"context"

	gen "wharf/api/server"
	"wharf/core/echo"
	"wharf/internal/sentences"
)

func (s *server) ListHabits(ctx context.Context, r gen.ListHabitsRequestObject) (gen.ListHabitsResponseObject, error) {
	if _, err := s.Store.Platform(ctx, r.Id); err != nil {
		return nil, err
	}
	rows, err := s.Store.Habits(ctx, r.Id, orEmpty(r.Params.Past))
	if err != nil {
		return nil, err
	}
	var first []int64 // an example of each
	for _, h := range rows {
		first = append(first, h.Bookings[:min(1, len(h.Bookings))]...)
	}
	bookings, err := s.Store.Bookings(ctx, first)
	all := make(gen.ListHabits200JSONResponse, len(rows))
	for i, h := range rows {
		example := ""
		if len(h.Bookings) > 0 {
			example = bookings[h.Bookings[0]].Title
		}
		all[i] = gen.Habit{Habit: gen.HabitName(h.Name), Of: optional(h.OfWhat), Value: h.Value, Since: h.Since, Until: h.Until, SetBy: optional(h.SetBy),
			Feed: optional(h.FeedID), Calendar: optional(h.CalendarID), Sentence: sentences.Habit(h.Of(), h.Value, example)}
		if len(h.Bookings) > 0 {
			all[i].Bookings = &rows[i].Bookings
		}
	}
	return all, err
}

func (s *server) LayDownHabit(ctx context.Context, r gen.LayDownHabitRequestObject) (gen.LayDownHabitResponseObject, error) {
	of := echo.HabitOf{Name: echo.HabitName(r.Habit), Of: orEmpty(r.Params.Of)}
	if !orEmpty(r.Params.Try) {
		return gen.LayDownHabit204Response{}, s.Desk.LayDownHabit(ctx, by(ctx, 0), r.Id, of, r.Body.Value)
	}
	effects, err := s.Desk.TryHabit(ctx, by(ctx, 0), r.Id, of, r.Body.Value)
	if err != nil {
		return nil, err
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.LayDownHabit200JSONResponse(all), err
}

func (s *server) ForgetHabit(ctx context.Context, r gen.ForgetHabitRequestObject) (gen.ForgetHabitResponseObject, error) {
	of := echo.HabitOf{Name: echo.HabitName(r.Habit), Of: orEmpty(r.Params.Of)}
	if !orEmpty(r.Params.Try) {
		return gen.ForgetHabit204Response{}, s.Desk.ForgetHabit(ctx, r.Id, of)
	}
	effects, err := s.Desk.TryForgettingHabit(ctx, r.Id, of)
	if err != nil {
		return nil, err
	}
	all, err := s.effectsJSON(ctx, effects)
	return gen.ForgetHabit200JSONResponse(all), err
}
