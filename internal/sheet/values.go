package sheet

import (
	"bytes"
	"math"
	"strconv"
	"strings"
	"time"

	"revuelta/internal/decimal"
)

// appendNumber appends a stored number in shortest form; what is none is appended as it is.
func appendNumber(dst, s []byte) []byte {
	if shortest(s) {
		return append(dst, s...)
	}
	f, err := strconv.ParseFloat(string(bytes.TrimSpace(s)), 64)
	if err != nil || math.IsInf(f, 0) || math.IsNaN(f) {
		return append(dst, s...)
	}
	return decimal.AppendFloat(dst, f)
}

// shortest tells whether a text is a number in shortest form already: up to 15 digits, none of them idle.
func shortest(s []byte) bool {
	i, digits, point := 0, 0, -1
	if len(s) > 0 && s[0] == '-' {
		i = 1
	}
	first := i
	for ; i < len(s); i++ {
		switch c := s[i]; {
		case '0' <= c && c <= '9':
			digits++
		case c == '.' && point < 0:
			point = i
		default:
			return false
		}
	}
	switch {
	case digits == 0 || digits > 15 || point == first:
		return false
	case point > 0 && s[len(s)-1] == '0' || point == len(s)-1:
		return false
	case s[first] == '0' && point != first+1 && digits > 1:
		return false
	case s[first] == '0' && point < 0 && first > 0: // -0
		return false
	case s[first] == '0' && digits > 7: // it may be small enough for an exponent
		return false
	}
	return true
}

// kind is how a number is shown, told by its format.
type kind uint8

const (
	plainNumber kind = iota
	date
	timed    // a date with a time of day
	clock    // a time of day
	duration // hours that go on beyond a day
)

// kindOf tells the kind of a number format.
func kindOf(format string) kind {
	format, _, _ = strings.Cut(format, ";") // for positive numbers
	var days, hours, elapsed bool
	minutes := false
	for i := 0; i < len(format); i++ {
		switch c := format[i] | 0x20; {
		case format[i] == '"':
			end := strings.IndexByte(format[i+1:], '"')
			if end < 0 {
				return plainNumber
			}
			i += end + 1
		case format[i] == '\\' || format[i] == '_' || format[i] == '*':
			i++
		case format[i] == '[':
			end := strings.IndexByte(format[i:], ']')
			if end < 0 {
				return plainNumber
			}
			if in := strings.ToLower(format[i+1 : i+end]); in != "" && strings.Trim(in, in[:1]) == "" && strings.Contains("hms", in[:1]) {
				elapsed = true
			}
			i += end
		case c == 'y' || c == 'd':
			days = true
		case c == 'h' || c == 's':
			hours = true
		case c == 'm':
			minutes = true
		case c == 'g' && strings.HasPrefix(strings.ToLower(format[i:]), "general"):
			i += len("general") - 1
		case c == 'e' && !days && (i == 0 || strings.ContainsRune("0#.?", rune(format[i-1]))):
			return plainNumber // scientific
		}
	}
	switch {
	case elapsed:
		return duration
	case days && hours:
		return timed
	case days || minutes && !hours:
		return date
	case hours:
		return clock
	}
	return plainNumber
}

// builtIn is the kind of a format that has a number only.
func builtIn(id int) kind {
	switch {
	case id >= 14 && id <= 17, id >= 27 && id <= 31, id == 36, id >= 50 && id <= 54, id == 57, id == 58:
		return date
	case id >= 18 && id <= 21, id >= 32 && id <= 35, id == 45, id == 47, id == 55, id == 56:
		return clock
	case id == 22:
		return timed
	case id == 46:
		return duration
	}
	return plainNumber
}

const dayMillis = 24 * 60 * 60 * 1000

// appendDate appends the date or time that a number of days stands for; not ok: no calendar has it.
func appendDate(dst []byte, days float64, k kind, since1904 bool) (out []byte, ok bool) {
	if math.IsNaN(days) || math.Abs(days) > 3e6 {
		return dst, false
	}
	millis := int64(math.Round(days * dayMillis))
	day, rest := millis/dayMillis, millis%dayMillis
	switch {
	case k == duration || k == clock, !since1904 && day == 0 && rest > 0:
		return appendClock(dst, millis), true
	case millis < 0:
		return dst, false
	}
	base := time.Date(1899, 12, 30, 0, 0, 0, 0, time.UTC)
	switch {
	case since1904:
		base = time.Date(1904, 1, 1, 0, 0, 0, 0, time.UTC)
	case day == 60 || day == 0: // the 29th of February 1900, which was none, and the day before the first
		return dst, false
	case day < 60:
		base = base.AddDate(0, 0, 1)
	}
	when := base.AddDate(0, 0, int(day))
	if when.Year() > 9999 {
		return dst, false
	}
	dst = when.AppendFormat(dst, "2006-01-02")
	if k == timed || rest != 0 {
		dst = appendClock(append(dst, 'T'), rest)
	}
	return dst, true
}

// appendClock appends hours, minutes and seconds.
func appendClock(dst []byte, millis int64) []byte {
	if millis < 0 {
		dst, millis = append(dst, '-'), -millis
	}
	two := func(n int64) { dst = append(dst, byte('0'+n/10), byte('0'+n%10)) }
	seconds := millis / 1000
	if h := seconds / 3600; h < 100 {
		two(h)
	} else {
		dst = strconv.AppendInt(dst, h, 10)
	}
	dst = append(dst, ':')
	two(seconds / 60 % 60)
	dst = append(dst, ':')
	two(seconds % 60)
	if ms := millis % 1000; ms != 0 {
		dst = append(dst, '.')
		text := strconv.FormatInt(1000+ms, 10)[1:]
		dst = append(dst, strings.TrimRight(text, "0")...)
	}
	return dst
}
