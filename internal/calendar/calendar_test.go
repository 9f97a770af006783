package calendar

import (
	"fmt"
	"strings"
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
	"pgregory.net/rapid"
)

func TestParse(t *testing.T) {
	for s, want := range map[string]bool{
		"2024-05-02": true, "2024-02-29": true, "2023-02-29": false, "1900-02-29": false, "2000-02-29": true, "2024-04-31": false,
		"2024-05-02T14:30": true, "2024-05-02 14:30:00": true, "2024-05-02T24:00": false, "2024-05-02T14:60": false,
		"2024-5-2": false, "2024-05-02 ": false, "2024-05-02T14": false, "2024/05/02": false, "": false, "20240502": false,
		"2024-13-01": false, "2024-00-01": false, "2024-05-00": false, "2024-05-02T14:30:0": false, "-024-05-02": false,
	} {
		_, ok := Parse(s)
		assert.Equal(t, want, ok, s)
	}
}

func TestPeriods(t *testing.T) {
	m, ok := Parse("2024-12-30T09:05")
	require.True(t, ok)
	for name, want := range map[string]string{"year": "2024", "quarter": "2024-Q4", "month": "2024-12", "week": "2025-W01", "day": "2024-12-30", "hour": "2024-12-30T09"} {
		got, ok := m.Period(name)
		assert.True(t, ok)
		assert.Equal(t, want, got)
	}
	assert.Equal(t, 1, m.Weekday())
	assert.Equal(t, "2024-12-31", m.MonthEnd())
	day, _ := Parse("2024-12-30")
	_, ok = day.Period("hour")
	assert.False(t, ok)
	assert.Equal(t, -1, day.Compare(m))
}

// TestDaysAgainstTime goes day by day through four centuries.
func TestDaysAgainstTime(t *testing.T) {
	start := time.Date(1799, 12, 31, 0, 0, 0, 0, time.UTC)
	first, ok := Parse("1799-12-31")
	require.True(t, ok)
	for i := range 150000 {
		d := start.AddDate(0, 0, i)
		m, ok := Parse(d.Format("2006-01-02"))
		require.True(t, ok, d)
		require.EqualValues(t, i, m.Days()-first.Days())
		require.Equal(t, (int(d.Weekday())+6)%7+1, m.Weekday())
	}
}

// TestPeriodsAgainstTime: the periods of any moment are those of the standard library's calendar; they sort as the moments do, and a month's end
// is the day before the next month.
func TestPeriodsAgainstTime(t *testing.T) {
	rapid.Check(t, func(rt *rapid.T) {
		at := time.Date(rapid.IntRange(1, 9999).Draw(rt, "year"), time.Month(rapid.IntRange(1, 12).Draw(rt, "month")), 1, rapid.IntRange(0, 23).Draw(rt, "hour"), rapid.IntRange(0, 59).Draw(rt, "minute"), rapid.IntRange(0, 59).Draw(rt, "second"), 0, time.UTC).
			AddDate(0, 0, rapid.IntRange(0, 27).Draw(rt, "day"))
		layout := rapid.SampledFrom([]string{"2006-01-02", "2006-01-02T15:04", "2006-01-02 15:04:05", "2006-01-02T15:04:05"}).Draw(rt, "layout")
		text := at.Format(layout)
		m, ok := Parse(text)
		require.True(rt, ok, text)
		year, week := at.ISOWeek()
		for name, want := range map[string]string{
			"year": at.Format("2006"), "month": at.Format("2006-01"), "day": at.Format("2006-01-02"), "quarter": fmt.Sprintf("%s-Q%d", at.Format("2006"), (int(at.Month())+2)/3),
			"week": fmt.Sprintf("%04d-W%02d", year, week),
		} {
			got, ok := m.Period(name)
			require.True(rt, ok, name)
			require.Equal(rt, want, got, "%s of %s", name, text)
		}
		hour, ok := m.Period("hour")
		require.Equal(rt, len(layout) > 10, ok)
		if ok {
			require.Equal(rt, at.Format("2006-01-02T15"), hour)
			require.Equal(rt, at.Format(layout[11:]), m.Clock()[:len(layout)-11])
		}
		require.Panics(rt, func() { m.Period("fortnight") }, "the names are checked before")
		require.Equal(rt, at.Format("2006-01-02"), m.Date())
		last := time.Date(at.Year(), at.Month()+1, 0, 0, 0, 0, 0, time.UTC)
		require.Equal(rt, last.Format("2006-01-02"), m.MonthEnd())
		require.Equal(rt, last.Day(), DaysIn(at.Year(), int(at.Month())))
		later := at.AddDate(0, 0, rapid.IntRange(0, 400).Draw(rt, "later"))
		o, ok := Parse(later.Format(layout))
		if !ok { // beyond the year 9999
			return
		}
		require.EqualValues(rt, later.Truncate(24*time.Hour).Sub(at.Truncate(24*time.Hour))/(24*time.Hour), o.Days()-m.Days())
		require.Equal(rt, strings.Compare(text, later.Format(layout)), m.Compare(o), "%s and %s", text, later)
	})
}
