package calendar

import (
	"testing"
	"time"

	"github.com/stretchr/testify/assert"
	"github.com/stretchr/testify/require"
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
