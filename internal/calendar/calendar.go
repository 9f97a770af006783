// Package calendar reads dates of ISO 8601 and names the periods they fall in.
package calendar

import (
	"fmt"
	"time"
)

// Moment is a date, perhaps with a time of day.
type Moment struct {
	Year, Month, Day     int
	Hour, Minute, Second int
	Timed                bool
	clock                string // the time of day as it was written
}

// Parse reads 2024-05-02, 2024-05-02T14:30 and 2024-05-02 14:30:00; the day must exist.
func Parse(s string) (Moment, bool) {
	var m Moment
	if len(s) < 10 || s[4] != '-' || s[7] != '-' {
		return m, false
	}
	ok := true
	digits := func(s string) (n int) {
		for i := 0; i < len(s); i++ {
			if s[i] < '0' || s[i] > '9' {
				ok = false
			}
			n = n*10 + int(s[i]-'0')
		}
		return n
	}
	m.Year, m.Month, m.Day = digits(s[:4]), digits(s[5:7]), digits(s[8:10])
	if !ok || m.Month < 1 || m.Month > 12 || m.Day < 1 || m.Day > DaysIn(m.Year, m.Month) {
		return m, false
	}
	if len(s) == 10 {
		return m, true
	}
	clock := s[11:]
	if s[10] != 'T' && s[10] != ' ' || len(clock) != 5 && len(clock) != 8 || clock[2] != ':' {
		return m, false
	}
	m.Hour, m.Minute = digits(clock[:2]), digits(clock[3:5])
	if len(clock) == 8 {
		ok = ok && clock[5] == ':'
		m.Second = digits(clock[6:])
	}
	m.Timed, m.clock = true, clock
	return m, ok && m.Hour < 24 && m.Minute < 60 && m.Second < 60
}

// DaysIn is the number of days of a month.
func DaysIn(year, month int) int {
	switch month {
	case 2:
		if year%4 == 0 && (year%100 != 0 || year%400 == 0) {
			return 29
		}
		return 28
	case 4, 6, 9, 11:
		return 30
	}
	return 31
}

// Periods names the periods a moment may be asked for.
var Periods = []string{"year", "quarter", "month", "week", "day", "hour"}

// Period names the period a moment falls in; false where an hour is asked of a date without a time.
func (m Moment) Period(name string) (string, bool) {
	switch name {
	case "year":
		return fmt.Sprintf("%04d", m.Year), true
	case "quarter":
		return fmt.Sprintf("%04d-Q%d", m.Year, (m.Month+2)/3), true
	case "month":
		return fmt.Sprintf("%04d-%02d", m.Year, m.Month), true
	case "week":
		year, week := m.date().ISOWeek()
		return fmt.Sprintf("%04d-W%02d", year, week), true
	case "day":
		return m.Date(), true
	case "hour":
		return fmt.Sprintf("%sT%02d", m.Date(), m.Hour), m.Timed
	}
	panic("calendar: no period " + name)
}

// Date is the day, as ISO 8601 writes it.
func (m Moment) Date() string { return fmt.Sprintf("%04d-%02d-%02d", m.Year, m.Month, m.Day) }

// Clock is the time of day as it was written, "" where there is none.
func (m Moment) Clock() string { return m.clock }

// MonthEnd is the last day of the month.
func (m Moment) MonthEnd() string {
	return fmt.Sprintf("%04d-%02d-%02d", m.Year, m.Month, DaysIn(m.Year, m.Month))
}

// Weekday is 1 for Monday to 7 for Sunday.
func (m Moment) Weekday() int { return (int(m.date().Weekday())+6)%7 + 1 }

// Days counts the days since the first of January of the year 1.
func (m Moment) Days() int64 { return m.date().Unix()/86400 + 719162 }

// Seconds counts the seconds from the beginning of the year 1; a day without a time of day begins at midnight.
func (m Moment) Seconds() int64 {
	return m.Days()*86400 + int64(m.Hour)*3600 + int64(m.Minute)*60 + int64(m.Second)
}

func (m Moment) date() time.Time {
	return time.Date(m.Year, time.Month(m.Month), m.Day, 0, 0, 0, 0, time.UTC)
}

// Compare orders moments in time: -1, 0 or 1.
func (m Moment) Compare(o Moment) int {
	for _, p := range [][2]int{{m.Year, o.Year}, {m.Month, o.Month}, {m.Day, o.Day}, {m.Hour, o.Hour}, {m.Minute, o.Minute}, {m.Second, o.Second}} {
		if p[0] != p[1] {
			if p[0] < p[1] {
				return -1
			}
			return 1
		}
	}
	return 0
}
