package desk

import (
	"context"
	"errors"

	"wharf/core/echo"
	"wharf/core/rules"
	"wharf/service/combine"
	"wharf/service/store"
)

// LayDownHabit lays down a habit of a platform: it stands instead of what is learnt, until it is
// forgotten. The error is a *rules.FieldError when there is no such habit or value.
func (d *Desk) LayDownHabit(ctx context.Context, by By, platform int64, of echo.HabitOf, value string) error {
	if err := checkHabit(of, value); err != nil {
		return err
	}
	return d.stepHabit(ctx, platform, of, d.layDown(by, platform, of, value))
}

// TryHabit says what it would change to lay down a habit, and changes nothing. The errors are those
// of LayDownHabit.
func (d *Desk) TryHabit(ctx context.Context, by By, platform int64, of echo.HabitOf, value string) ([]combine.Effect, error) {
	if err := checkHabit(of, value); err != nil {
		return nil, err
	}
	return d.tryHabit(ctx, platform, of, d.layDown(by, platform, of, value))
}

// ForgetHabit takes back what was laid down: what is learnt counts again. store.ErrNotFound when
// nothing was.
func (d *Desk) ForgetHabit(ctx context.Context, platform int64, of echo.HabitOf) error {
	return d.stepHabit(ctx, platform, of, d.forget)
}

// TryForgettingHabit says what it would change to take back a habit, and changes nothing.
func (d *Desk) TryForgettingHabit(ctx context.Context, platform int64, of echo.HabitOf) ([]combine.Effect, error) {
	return d.tryHabit(ctx, platform, of, d.forget)
}

func checkHabit(of echo.HabitOf, value string) error {
	if err := echo.CheckHabit(of, value); err != nil {
		return &rules.FieldError{Field: "value", Err: err}
	}
	if len([]rune(of.Of)) > store.HabitOfWidth {
		return &rules.FieldError{Field: "of", Err: errors.New("it is too long: give the form as the list of habits has it")}
	}
	return nil
}

// habitStep changes what is laid down of a platform; was is what stands, nil for nothing.
type habitStep func(tx *store.Tx, was *store.Habit) error

func (d *Desk) layDown(by By, platform int64, of echo.HabitOf, value string) habitStep {
	return func(tx *store.Tx, was *store.Habit) error {
		if was != nil && was.Value == value {
			return nil
		}
		return tx.StepHabits(d.Now(), idOf(was), []store.Habit{{PlatformID: platform, Name: of.Name, OfWhat: of.Of, Value: value, Bookings: []int64{}, SetBy: by.Account, Since: d.Now()}})
	}
}

func (d *Desk) forget(tx *store.Tx, was *store.Habit) error {
	if was == nil {
		return store.ErrNotFound
	}
	return tx.StepHabits(d.Now(), idOf(was), nil)
}

// stepHabit changes what is laid down of a platform, and judges anew what rests on it.
func (d *Desk) stepHabit(ctx context.Context, platform int64, of echo.HabitOf, step habitStep) error {
	var calendars []int64
	err := d.Store.Tx(ctx, func(tx *store.Tx) (err error) {
		if err = stepHabitIn(tx, platform, of, step); err != nil {
			return err
		}
		if calendars, err = tx.MarkDirtyOf(platform); err != nil {
			return err
		}
		return tx.Changed(store.TopicPlatform, platform)
	})
	if err == nil {
		d.Combiner.Calendars(ctx, calendars...)
	}
	return err
}

func (d *Desk) tryHabit(ctx context.Context, platform int64, of echo.HabitOf, step habitStep) ([]combine.Effect, error) {
	calendars, err := d.Store.CalendarsOfPlatform(ctx, platform)
	if err != nil {
		return nil, err
	}
	return d.Combiner.Try(ctx, calendars, func(tx *store.Tx) error { return stepHabitIn(tx, platform, of, step) })
}

func stepHabitIn(tx *store.Tx, platform int64, of echo.HabitOf, step habitStep) error {
	if _, err := tx.LockPlatform(platform); err != nil {
		return err
	}
	row, err := tx.HabitLaidDown(platform, of)
	if errors.Is(err, store.ErrNotFound) {
		return step(tx, nil)
	}
	if err != nil {
		return err
	}
	return step(tx, &row)
}

func idOf(h *store.Habit) []int64 {
	if h == nil {
		return nil
	}
	return []int64{h.ID}
}
