package formula

import (
	"encoding/json"
	"fmt"
	"math"
	"strconv"
	"strings"
	"sync"
	"unicode"
	"unicode/utf8"

	"revuelta/internal/calendar"
	"revuelta/internal/decimal"
	"revuelta/internal/pattern"
)

// Function describes a function of formulas; the example runs in a test.
type Function struct {
	Name    string
	Args    string // as they are written
	Does    string
	Example string // a formula without fields
	Gives   string
	least   int
	most    int
	make    func(at int, args []node) (node, error)
}

// Functions lists the functions in the order in which help shows them.
func Functions() []Function { return functions }

var functions = []Function{
	{"if", "condition, a, b", "a where the condition holds, else b", `if(2 > 1, "big", "small")`, "big", 3, 3, makeIf},
	{"blank", "x", "whether x is blank", `blank("")`, "true", 1, 1, makeBlank},
	{"number", "x", "x read as a number", `number("007") + 1`, "8", 1, 1, makeNumber},
	{"text", "a, b, …", "the arguments as one text", `text("H-", 26)`, "H-26", 1, 99, makeText},
	{"upper", "x", "x in upper case", `upper("ñuvo")`, "ÑUVO", 1, 1, ofText(strings.ToUpper)},
	{"lower", "x", "x in lower case", `lower("ÑUVO")`, "ñuvo", 1, 1, ofText(strings.ToLower)},
	{"title", "x", "each word with a capital", `title("north meadow")`, "North Meadow", 1, 1, ofText(title)},
	{"trim", "x", "x without spaces at its ends", `trim("  wet ")`, "wet", 1, 1, ofText(strings.TrimSpace)},
	{"replace", "x, old, new", "every old in x made new", `replace("6 kg", " kg", "")`, "6", 3, 3, makeReplace},
	{"left", "x, n", "the first n characters", `left("QC07", 2)`, "QC", 2, 2, cut(func(r []rune, n int) []rune { return r[:n] })},
	{"right", "x, n", "the last n characters", `right("QC07", 2)`, "07", 2, 2, cut(func(r []rune, n int) []rune { return r[len(r)-n:] })},
	{"part", "x, sep, n", "the piece n of x, cut at sep; -1 is the last", `part("lime;ivy;heather", ";", 2)`, "ivy", 3, 3, makePart},
	{"digits", "x", "the digits in x", `digits("H-026")`, "026", 1, 1, ofText(digits)},
	{"length", "x", "how many characters x has", `length("Ñuvo")`, "4", 1, 1, makeLength},
	{"round", "x, n", "x with n decimals (none: 0), half to even", `round(2.345, 2)`, "2.34", 1, 2, makeRound},
	{"fixed", "x, n", "x with just n decimals, half to even", `fixed(106.7, 2)`, "106.70", 2, 2, makeFixed},
	{"floor", "x", "the whole number below", `floor(-1.5)`, "-2", 1, 1, ofNumber(decimal.D.Floor)},
	{"ceil", "x", "the whole number above", `ceil(-1.5)`, "-1", 1, 1, ofNumber(decimal.D.Ceil)},
	{"abs", "x", "x without its sign", `abs(-3.20)`, "3.2", 1, 1, ofNumber(decimal.D.Abs)},
	{"least", "a, b, …", "the least of the arguments", `least(4, 3.5, 10)`, "3.5", 1, 99, extreme(-1)},
	{"greatest", "a, b, …", "the greatest of the arguments", `greatest(4, 3.5, 10)`, "10", 1, 99, extreme(1)},
	{"date", "x", "the day of a date with time", `date("2024-05-02T14:30")`, "2024-05-02", 1, 1, ofDate(func(m calendar.Moment) (string, bool) { return m.Date(), true })},
	{"time", "x", "the time of day of a date with time", `time("2024-05-02T14:30")`, "14:30", 1, 1, ofDate(func(m calendar.Moment) (string, bool) { return m.Clock(), m.Timed })},
	{"year", "x", "the year a date falls in", `year("2024-05-02")`, "2024", 1, 1, period("year")},
	{"quarter", "x", "the quarter", `quarter("2024-05-02")`, "2024-Q2", 1, 1, period("quarter")},
	{"month", "x", "the month", `month("2024-05-02")`, "2024-05", 1, 1, period("month")},
	{"week", "x", "the week, as ISO 8601 counts", `week("2024-05-02")`, "2024-W18", 1, 1, period("week")},
	{"day", "x", "the day", `day("2024-05-02T14:30")`, "2024-05-02", 1, 1, period("day")},
	{"hour", "x", "the hour", `hour("2024-05-02T14:30")`, "2024-05-02T14", 1, 1, period("hour")},
	{"month_of_year", "x", "1 to 12", `month_of_year("2024-05-02")`, "5", 1, 1, ofDate(func(m calendar.Moment) (string, bool) { return strconv.Itoa(m.Month), true })},
	{"weekday", "x", "1 for Monday to 7 for Sunday", `weekday("2024-05-02")`, "4", 1, 1, ofDate(func(m calendar.Moment) (string, bool) { return strconv.Itoa(m.Weekday()), true })},
	{"month_end", "x", "the last day of the month", `month_end("2024-02-10")`, "2024-02-29", 1, 1, ofDate(func(m calendar.Moment) (string, bool) { return m.MonthEnd(), true })},
	{"hours_between", "a, b", "the hours from a to b", `hours_between("2024-05-02T14:30", "2024-05-02T16:00")`, "1.5", 2, 2, between(secondsIn(3600))},
	{"minutes_between", "a, b", "the minutes from a to b", `minutes_between("2024-05-02T23:30", "2024-05-03T00:15")`, "45", 2, 2, between(secondsIn(60))},
	{"days_between", "a, b", "the days from a to b", `days_between("2024-02-28", "2024-03-01")`, "2", 2, 2, between(daysBetween)},
	{"reads", `x, "number"`, `whether x can be read as a "number", a "date" or "json"`, `reads("12,5", "number")`, "false", 2, 2, makeReads},
	{"fits", "x, pattern", "whether x fits a pattern", `fits("T-01", "{row}-{n:#}")`, "true", 2, 2, makeFits},
	{"pick", "x, path", "a member of the JSON in x, by RFC 9535 path", `pick('{"who": {"name": "Fèrl"}}', "$.who.name")`, "Fèrl", 2, 2, makePick},
}

// call makes a call of a function.
func (c *compiler) call(t token, args []node) (node, error) {
	for _, f := range functions {
		if f.Name != t.text {
			continue
		}
		if len(args) < f.least || len(args) > f.most {
			return node{}, &Error{t.at, fmt.Sprintf("%s(%s) does not take %d arguments", f.Name, f.Args, len(args)), f.Example}
		}
		return f.make(t.at, args)
	}
	names := make([]string, len(functions))
	for i, f := range functions {
		names[i] = f.Name
	}
	e := &Error{t.at, fmt.Sprintf("there is no function %s", t.text), "revuelta functions lists them"}
	if here := c.foreign(t, len(args)); here != "" {
		e.Try = here
	} else if near := nearest(t.text, names); near != "" {
		e.Try = "did you mean " + near + "?"
	}
	return node{}, e
}

func makeBlank(at int, args []node) (node, error) {
	text, err := args[0].string()
	return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool { return text(e) == "" }}, err
}

func makeNumber(at int, args []node) (node, error) {
	if args[0].kind == Truth {
		return args[0], &Error{args[0].at, "a comparison is no number", ""}
	}
	return numeric(at, args[0].num), nil
}

func makeText(at int, args []node) (node, error) {
	var texts []func(*env) string
	for _, a := range args {
		t, err := a.string()
		if err != nil {
			return a, err
		}
		texts = append(texts, t)
	}
	if len(texts) == 1 {
		return textual(at, texts[0]), nil
	}
	return textual(at, func(e *env) string {
		var b strings.Builder
		for _, t := range texts {
			b.WriteString(t(e))
		}
		return b.String()
	}), nil
}

// ofText makes a function of one text.
func ofText(f func(string) string) func(int, []node) (node, error) {
	return func(at int, args []node) (node, error) {
		text, err := args[0].string()
		return textual(at, func(e *env) string { return f(text(e)) }), err
	}
}

// ofNumber makes a function of one number.
func ofNumber(f func(decimal.D) decimal.D) func(int, []node) (node, error) {
	return func(at int, args []node) (node, error) {
		num, err := args[0].number()
		return numeric(at, func(e *env) (decimal.D, bool) {
			d, ok := num(e)
			return f(d), ok
		}), err
	}
}

// ofDate makes a function of one date; false is a part that the date has not.
func ofDate(f func(calendar.Moment) (string, bool)) func(int, []node) (node, error) {
	return func(at int, args []node) (node, error) {
		date, err := dateOf(args[0])
		return cellular(at, func(e *env) string {
			m, ok := date(e)
			if !ok {
				return ""
			}
			s, has := f(m)
			if !has {
				e.wrong(args[0].slot, "has no time of day")
			}
			return s
		}), err
	}
}

func period(name string) func(int, []node) (node, error) {
	return ofDate(func(m calendar.Moment) (string, bool) { return m.Period(name) })
}

// dateOf reads a node as a date; false is a blank or a failure.
func dateOf(n node) (func(*env) (calendar.Moment, bool), error) {
	text, err := n.string()
	if n.kind == Number {
		return nil, &Error{n.at, "a number is no date", ""}
	}
	return func(e *env) (calendar.Moment, bool) {
		s := text(e)
		if s == "" {
			return calendar.Moment{}, false
		}
		m, ok := calendar.Parse(s)
		if !ok {
			if n.slot >= 0 {
				e.wrong(n.slot, errNoDate.Error())
			} else {
				e.wrong(-1, quote(s)+" "+errNoDate.Error())
			}
		}
		return m, ok
	}, err
}

// between makes the function that tells how far one moment is from another.
func between(far func(from, to calendar.Moment) decimal.D) func(at int, args []node) (node, error) {
	return func(at int, args []node) (node, error) {
		from, err := dateOf(args[0])
		if err != nil {
			return args[0], err
		}
		to, err := dateOf(args[1])
		return numeric(at, func(e *env) (decimal.D, bool) {
			a, ok := from(e)
			b, too := to(e)
			return far(a, b), ok && too
		}), err
	}
}

var (
	daysBetween = func(a, b calendar.Moment) decimal.D { return decimal.FromInt(b.Days() - a.Days()) }
	secondsIn   = func(unit int64) func(a, b calendar.Moment) decimal.D {
		return func(a, b calendar.Moment) decimal.D { return inUnits(b.Seconds()-a.Seconds(), unit) }
	}
)

// inUnits is seconds in hours or minutes: exactly where the decimals end, else to 15 digits.
func inUnits(seconds, unit int64) decimal.D {
	const decimals, power = 4, 10_000 // what ends does so there
	if seconds*power%unit == 0 {
		return decimal.Scaled(seconds*power/unit, decimals).Shortest()
	}
	d, err := decimal.FromFloat(float64(seconds) / float64(unit))
	if err != nil {
		panic("formula: " + err.Error()) // it is far from the greatest
	}
	return d
}

func makeIf(at int, args []node) (node, error) {
	if args[0].kind != Truth {
		return args[0], &Error{args[0].at, "if wants a comparison first", "if(kilos > 5, \"big\", \"small\")"}
	}
	return choice(at, args[0].yes, args[1], args[2])
}

func title(s string) string {
	var b strings.Builder
	start := true
	for _, r := range s {
		if start {
			r = unicode.ToTitle(r)
		} else {
			r = unicode.ToLower(r)
		}
		start = !unicode.IsLetter(r) && !unicode.IsMark(r) && r != '\'' && r != '’' && !unicode.IsDigit(r)
		b.WriteRune(r)
	}
	return b.String()
}

// Title gives each word a capital.
func Title(s string) string { return title(s) }

func digits(s string) string {
	return strings.Map(func(r rune) rune {
		if '0' <= r && r <= '9' {
			return r
		}
		return -1
	}, s)
}

func makeReplace(at int, args []node) (node, error) {
	var t [3]func(*env) string
	for i, a := range args {
		var err error
		if t[i], err = a.string(); err != nil {
			return a, err
		}
	}
	return textual(at, func(e *env) string {
		old := t[1](e)
		if old == "" {
			return t[0](e)
		}
		return strings.ReplaceAll(t[0](e), old, t[2](e))
	}), nil
}

// whole reads a node as a whole number within bounds.
func whole(n node, least, most int64) (func(*env) (int, bool), error) {
	num, err := n.number()
	return func(e *env) (int, bool) {
		d, ok := num(e)
		if !ok || e.fail != nil {
			return 0, false
		}
		i, isInt := d.Int()
		if !isInt || i < least || i > most {
			e.wrong(n.slot, "is no whole number that would do here")
			return 0, false
		}
		return int(i), true
	}, err
}

func cut(f func(r []rune, n int) []rune) func(int, []node) (node, error) {
	return func(at int, args []node) (node, error) {
		text, err := args[0].string()
		if err != nil {
			return args[0], err
		}
		count, err := whole(args[1], 0, math.MaxInt32)
		return textual(at, func(e *env) string {
			n, ok := count(e)
			if !ok {
				return ""
			}
			r := []rune(text(e))
			return string(f(r, min(n, len(r))))
		}), err
	}
}

func makePart(at int, args []node) (node, error) {
	text, err := args[0].string()
	if err != nil {
		return args[0], err
	}
	sep, err := args[1].string()
	if err != nil {
		return args[1], err
	}
	count, err := whole(args[2], math.MinInt32, math.MaxInt32)
	return textual(at, func(e *env) string {
		n, ok := count(e)
		s, by := text(e), sep(e)
		if !ok || s == "" || n == 0 {
			return ""
		}
		if by == "" {
			e.wrong(-1, "the separator of part is blank")
			return ""
		}
		pieces := strings.Split(s, by)
		if n < 0 {
			n += len(pieces) + 1
		}
		if n < 1 || n > len(pieces) {
			return ""
		}
		return pieces[n-1]
	}), err
}

func makeLength(at int, args []node) (node, error) {
	text, err := args[0].string()
	return numeric(at, func(e *env) (decimal.D, bool) {
		s := text(e)
		return decimal.FromInt(int64(utf8.RuneCountInString(s))), s != ""
	}), err
}

func makeRound(at int, args []node) (node, error) {
	num, err := args[0].number()
	if err != nil {
		return args[0], err
	}
	places := func(*env) (int, bool) { return 0, true }
	if len(args) == 2 {
		if places, err = whole(args[1], 0, 300); err != nil {
			return args[1], err
		}
	}
	return numeric(at, func(e *env) (decimal.D, bool) {
		d, ok := num(e)
		n, too := places(e)
		if !ok || !too {
			return d, false
		}
		return d.Round(n), true
	}), nil
}

// makeFixed keeps the zeros that a number in shortest form would not have.
func makeFixed(at int, args []node) (node, error) {
	num, err := args[0].number()
	if err != nil {
		return args[0], err
	}
	places, err := whole(args[1], 0, 300)
	if err != nil {
		return args[1], err
	}
	return cellular(at, func(e *env) string {
		d, ok := num(e)
		n, too := places(e)
		if !ok || !too {
			return ""
		}
		return string(d.Round(n).AppendScaled(nil, n))
	}), nil
}

// extreme gives the least or the greatest: as numbers where all are, as texts
// (which dates order as, too) where none is.
func extreme(sign int) func(int, []node) (node, error) {
	return func(at int, args []node) (node, error) {
		numbers := false
		for _, a := range args {
			if a.kind == Truth {
				return a, &Error{a.at, "a comparison has no order", ""}
			}
			numbers = numbers || a.kind == Number
		}
		if numbers {
			var nums []func(*env) (decimal.D, bool)
			for _, a := range args {
				num, err := a.number()
				if err != nil {
					return a, err
				}
				nums = append(nums, num)
			}
			return numeric(at, func(e *env) (decimal.D, bool) {
				best, ok := nums[0](e)
				for _, num := range nums[1:] {
					d, too := num(e)
					ok = ok && too
					if ok && d.Cmp(best) == sign {
						best = d
					}
				}
				return best, ok
			}), nil
		}
		return cellular(at, func(e *env) string {
			best, number := "", false
			var value decimal.D
			for i, a := range args {
				s := a.text(e)
				if s == "" {
					return ""
				}
				d, ok := decimal.Parse(s)
				if i > 0 && ok != number {
					e.wrong(a.slot, "is compared with "+quote(best)+": one is a number and one is not")
					return ""
				}
				if i == 0 || number && d.Cmp(value) == sign || !number && strings.Compare(s, best) == sign {
					best, value = s, d
				}
				number = ok
			}
			return best
		}), nil
	}
}

// written is the text written in the formula that an argument must be.
func written(n node, what string) (string, error) {
	if !n.word {
		return "", &Error{n.at, "here stands a " + what + " in quotes", ""}
	}
	return n.text(nil), nil
}

func makeReads(at int, args []node) (node, error) {
	text, err := args[0].string()
	if err != nil {
		return args[0], err
	}
	as, err := written(args[1], `"number", "date" or "json"`)
	if err != nil {
		return args[1], err
	}
	can := map[string]func(string) bool{
		"number": func(s string) bool { _, ok := decimal.Parse(s); return ok },
		"date":   func(s string) bool { _, ok := calendar.Parse(s); return ok },
		"json":   func(s string) bool { return json.Valid([]byte(s)) },
	}[as]
	if can == nil {
		return args[1], &Error{args[1].at, fmt.Sprintf("reads knows no %s", quote(as)), `"number", "date" or "json"`}
	}
	return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool { return can(text(e)) }}, nil
}

func makeFits(at int, args []node) (node, error) {
	text, err := args[0].string()
	if err != nil {
		return args[0], err
	}
	source, err := written(args[1], "pattern")
	if err != nil {
		return args[1], err
	}
	p, err := pattern.Parse(source)
	if err != nil {
		return args[1], &Error{args[1].at, "the pattern can't be read: " + err.Error(), ""}
	}
	// A matcher serves one goroutine.
	type matching struct {
		*pattern.Matcher
		parts []string
	}
	spare := sync.Pool{New: func() any { return &matching{p.Matcher(), make([]string, len(p.Names()))} }}
	return node{kind: Truth, at: at, slot: -1, yes: func(e *env) bool {
		m := spare.Get().(*matching)
		defer spare.Put(m)
		fits := m.Match(text(e), m.parts)
		if m.Tired() {
			e.wrong(args[0].slot, "has too many ways in which it might fit "+source)
		}
		return fits
	}}, nil
}

func makePick(at int, args []node) (node, error) {
	text, err := args[0].string()
	if err != nil {
		return args[0], err
	}
	source, err := written(args[1], "path")
	if err != nil {
		return args[1], err
	}
	path, err := ParsePath(source)
	if err != nil {
		return args[1], &Error{args[1].at, err.Error(), `"$.name"`}
	}
	return cellular(at, func(e *env) string {
		s := text(e)
		if s == "" {
			return ""
		}
		out, err := path.Pick(s)
		if err != nil {
			if args[0].slot >= 0 {
				e.wrong(args[0].slot, err.Error())
			} else {
				e.wrong(-1, quote(s)+" "+err.Error())
			}
		}
		return out
	}), nil
}
