package inspect

import (
	"fmt"
	"slices"
	"strings"
	"time"

	"revuelta/internal/diag"
)

// forms of dates that are not ISO 8601.
var forms = []struct {
	strftime, layout string
}{
	{"%d.%m.%Y", "2.1.2006"}, {"%d/%m/%Y", "2/1/2006"}, {"%m/%d/%Y", "1/2/2006"}, {"%d-%m-%Y", "2-1-2006"}, {"%Y/%m/%d", "2006/1/2"}, {"%Y.%m.%d", "2006.1.2"},
	{"%d %b %Y", "2 Jan 2006"}, {"%d %B %Y", "2 January 2006"}, {"%b %d, %Y", "Jan 2, 2006"}, {"%B %d, %Y", "January 2, 2006"}, {"%d.%m.%y", "2.1.06"}, {"%d/%m/%y", "2/1/06"}, {"%Y-%m-%d", "2006-1-2"},
}

// writtenDate tells a date in any of the forms.
func writtenDate(c string) bool {
	if len(c) > 20 || !strings.ContainsAny(c, "0123456789") {
		return false
	}
	for _, f := range forms {
		if _, err := time.Parse(f.layout, c); err == nil {
			return true
		}
	}
	return false
}

// compactDates tells whether all cells are days written as 20240502.
func (f *field) compactDates() bool {
	if f.filled < 3 || f.numbers < f.filled {
		return false
	}
	first := ""
	for _, c := range f.cells {
		if c == "" {
			continue
		}
		if len(c) != 8 || c[0] != '1' && c[0] != '2' {
			return false
		}
		if day, err := time.Parse("20060102", c); err != nil || day.Year() < 1900 || day.Year() > 2100 {
			return false
		}
		if first == "" {
			first = c
		} else if c != first {
			first = "several"
		}
	}
	return first == "several"
}

// timesOfDay gives what cuts the time of day off the cells, where all have one written the same way, and its form.
func (f *field) timesOfDay() (day func(string) string, clock string) {
	cut := func(c string) (string, string) {
		i := strings.LastIndexByte(c, ' ')
		return c[:max(i, 0)], c[i+1:]
	}
	for i, c := range f.order {
		form := " %H:%M:%S"
		switch _, t := cut(c); {
		case shaped(t, "00:00") || shaped(t, "0:00"):
			form = " %H:%M"
		case !shaped(t, "00:00:00"):
			form = ""
		}
		if form == "" || i > 0 && form != clock {
			return func(c string) string { return c }, ""
		}
		clock = form
	}
	return func(c string) string { d, _ := cut(c); return d }, clock
}

// datesWritten finds dates that are written in other forms.
func (s *sample) datesWritten() []Finding {
	var out []Finding
	for _, f := range s.fields {
		if f.compactDates() {
			out = append(out, Finding{Kind: "dates", Says: fmt.Sprintf("%s holds dates as %%Y%%m%%d", diag.Quote(f.name)), Evidence: fmt.Sprintf("%s, as %s", of(f.filled, f.filled), f.example(func(string) bool { return true })),
				Step: "cast " + Shell(selected(f.name)) + " date --from %Y%m%d"})
			continue
		}
		if f.filled < 2 || f.dates == f.filled || share(f.numbers, f.filled, 0.3) {
			continue
		}
		day, clock := f.timesOfDay()
		if !slices.ContainsFunc(f.order[:min(50, len(f.order))], func(c string) bool { return writtenDate(day(c)) }) {
			continue
		}
		left := map[string]bool{}
		for _, c := range f.order {
			left[c] = true
		}
		count := func(layout string) (n int) {
			for c := range left {
				if _, err := time.Parse(layout, day(c)); err == nil {
					n += f.counts[c]
				}
			}
			return n
		}
		var used []string
		var options []string
		ambiguous := ""
		fits := 0
		for range 3 {
			best, most := -1, 0
			for i, form := range forms {
				if n := count(form.layout); n > most {
					best, most = i, n
				}
			}
			if best < 0 {
				break
			}
			form := forms[best]
			if form.strftime == "%d/%m/%Y" && count("1/2/2006") == most {
				ambiguous = "; day and month could be the other way round: --from " + Shell("%m/%d/%Y"+clock)
			}
			used, options = append(used, form.strftime+clock), append(options, "--from "+Shell(form.strftime+clock))
			fits += most
			for c := range left {
				if _, err := time.Parse(form.layout, day(c)); err == nil {
					delete(left, c)
				}
			}
		}
		if !share(fits, f.filled, 0.9) || len(used) == 0 || len(used) == 1 && used[0] == "%Y-%m-%d" && f.dates == fits {
			continue
		}
		out = append(out, Finding{Kind: "dates", Says: fmt.Sprintf("%s holds dates as %s%s", diag.Quote(f.name), strings.Join(used, ", "), ambiguous), Evidence: fmt.Sprintf("%s, as %s", of(fits, f.filled), f.example(func(c string) bool { return !isDate(c) })),
			Step: "cast " + Shell(selected(f.name)) + map[bool]string{true: " date ", false: " datetime "}[clock == ""] + strings.Join(options, " ") + map[bool]string{true: Aside}[fits < f.filled]})
	}
	return out
}
