package echo_test

import (
	"fmt"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"

	"wharf/core/echo"
	"wharf/core/reading"
	"wharf/core/span"
)

// TestCheckHabit: what can be laid down, and what is said of what cannot.
func TestCheckHabit(t *testing.T) {
	for _, tc := range []struct {
		of    echo.HabitOf
		value string
		says  string // "": it can be
	}{
		{echo.HabitOf{Name: echo.Delays}, "0", ""},
		{echo.HabitOf{Name: echo.Delays}, "off", ""},
		{echo.HabitOf{Name: echo.Delays}, "-1", "whole minutes from 0"},
		{echo.HabitOf{Name: echo.Delays}, "1000000", "whole minutes from 0"},
		{echo.HabitOf{Name: echo.Delays}, "soon", "whole minutes from 0"},
		{echo.HabitOf{Name: echo.Reflects}, "off", ""},
		{echo.HabitOf{Name: echo.Rate}, "10001", "up to 10000"},
		{echo.HabitOf{Name: echo.Rate}, "often", "above 0"},
		{echo.HabitOf{Name: echo.Rate}, "0.5", ""},
		{echo.HabitOf{Name: echo.Rate}, "0", "above 0"},
		{echo.HabitOf{Name: echo.Rate}, "NaN", "above 0"},
		{echo.HabitOf{Name: echo.Reflects}, "yes", ""},
		{echo.HabitOf{Name: echo.Reflects}, "sale", "use one of [yes no]"},
		{echo.HabitOf{Name: echo.Reflects, Of: "x"}, "yes", "of the platform as a whole"},
		{echo.HabitOf{Name: echo.FormOf, Of: "x"}, "both", ""},
		{echo.HabitOf{Name: echo.FormOf}, "both", "missing what it is of"},
		{echo.HabitOf{Name: echo.WayOf, Of: "joined"}, "no", ""},
		{echo.HabitOf{Name: echo.WayOf, Of: "sideways"}, "no", `there is no way "sideways"`},
		{echo.HabitOf{Name: "mood"}, "good", `there is no habit "mood"`},
	} {
		err := echo.CheckHabit(tc.of, tc.value)
		if tc.says == "" {
			assert.NoError(t, err, "%v %s", tc.of, tc.value)
		} else {
			assert.ErrorContains(t, err, tc.says, "%v %s", tc.of, tc.value)
		}
	}
}

// TestFormsAreBounded: of a feed with thousands of forms those that most entries have are told, and
// those that were known before.
func TestFormsAreBounded(t *testing.T) {
	at := time.Date(2026, 7, 1, 12, 0, 0, 0, time.UTC)
	old := echo.HabitOf{Name: echo.FormOf, Of: "old"}
	f := echo.Feed{ID: 1, Platform: 1, Read: at.Add(time.Hour), Known: echo.Said{old: echo.Sale}}
	for i := range int64(5000) {
		form := fmt.Sprint("form ", i)
		if i%10 == 0 {
			form = "usual"
		}
		f.Entries = append(f.Entries, echo.Entry{UID: fmt.Sprint(i), Span: span.Span{Start: 3 * i, End: 3*i + 1}, Form: form, Stand: reading.Interval{SeenBy: at}})
	}
	forms := map[string]string{}
	for _, h := range echo.Judge(echo.Rules{Capacity: 1}, nil, []echo.Feed{f}, nil)[0].Habits {
		if h.Name == echo.FormOf {
			forms[h.Of] = h.Value
			assert.LessOrEqual(t, len(h.From), 20, "who taught it is bounded, too")
		}
	}
	assert.Len(t, forms, 200)
	assert.Equal(t, echo.Sale, forms["old"])
	assert.Equal(t, echo.Sale, forms["usual"])
}
