package calendar

import (
	"maps"
	"slices"
	"strings"
	"sync"
	"time"
	"unicode"
	"unicode/utf8"

	"github.com/go-playground/locales"
	"github.com/go-playground/locales/bg"
	"github.com/go-playground/locales/ca"
	"github.com/go-playground/locales/cs"
	"github.com/go-playground/locales/da"
	"github.com/go-playground/locales/de"
	"github.com/go-playground/locales/el"
	"github.com/go-playground/locales/en"
	"github.com/go-playground/locales/es"
	"github.com/go-playground/locales/et"
	"github.com/go-playground/locales/fi"
	"github.com/go-playground/locales/fr"
	"github.com/go-playground/locales/hr"
	"github.com/go-playground/locales/hu"
	"github.com/go-playground/locales/it"
	"github.com/go-playground/locales/lt"
	"github.com/go-playground/locales/lv"
	"github.com/go-playground/locales/nb"
	"github.com/go-playground/locales/nl"
	"github.com/go-playground/locales/pl"
	"github.com/go-playground/locales/pt"
	"github.com/go-playground/locales/ro"
	"github.com/go-playground/locales/ru"
	"github.com/go-playground/locales/sk"
	"github.com/go-playground/locales/sl"
	"github.com/go-playground/locales/sv"
	"github.com/go-playground/locales/tr"
	"github.com/go-playground/locales/uk"

	"revuelta/internal/diag"
)

var languages = map[string]func() locales.Translator{
	"bg": bg.New, "ca": ca.New, "cs": cs.New, "da": da.New, "de": de.New, "el": el.New, "en": en.New, "es": es.New, "et": et.New, "fi": fi.New, "fr": fr.New, "hr": hr.New, "hu": hu.New, "it": it.New,
	"lt": lt.New, "lv": lv.New, "nb": nb.New, "nl": nl.New, "pl": pl.New, "pt": pt.New, "ro": ro.New, "ru": ru.New, "sk": sk.New, "sl": sl.New, "sv": sv.New, "tr": tr.New, "uk": uk.New,
}

// alone are names of months as they stand by themselves, where within a date they have another ending, which is what the library has.
// Source: CLDR, stand-alone wide.
var alone = map[string]string{
	"ca": "gener febrer març abril maig juny juliol agost setembre octubre novembre desembre",
	"cs": "leden únor březen duben květen červen červenec srpen září říjen listopad prosinec",
	"el": "Ιανουάριος Φεβρουάριος Μάρτιος Απρίλιος Μάιος Ιούνιος Ιούλιος Αύγουστος Σεπτέμβριος Οκτώβριος Νοέμβριος Δεκέμβριος",
	"fi": "tammikuu helmikuu maaliskuu huhtikuu toukokuu kesäkuu heinäkuu elokuu syyskuu lokakuu marraskuu joulukuu",
	"hr": "siječanj veljača ožujak travanj svibanj lipanj srpanj kolovoz rujan listopad studeni prosinac",
	"lt": "sausis vasaris kovas balandis gegužė birželis liepa rugpjūtis rugsėjis spalis lapkritis gruodis",
	"pl": "styczeń luty marzec kwiecień maj czerwiec lipiec sierpień wrzesień październik listopad grudzień",
	"ru": "январь февраль март апрель май июнь июль август сентябрь октябрь ноябрь декабрь",
	"sk": "január február marec apríl máj jún júl august september október november december",
	"uk": "січень лютий березень квітень травень червень липень серпень вересень жовтень листопад грудень",
}

// Names are the names of months and weekdays in a language, and their abbreviations; full stops and case do not matter.
type Names struct {
	months, weekdays map[string]int
	written          map[byte][]string // as %B, %b, %A and %a write them, and those that stand alone under 'S'
}

// Languages lists the languages whose names are known, by their codes.
func Languages() []string { return slices.Sorted(maps.Keys(languages)) }

// NamesIn gives the names of a language, by its code.
func NamesIn(language string) (*Names, error) {
	make, ok := languages[language]
	if !ok {
		return nil, diag.Usagef("--language %s: the names of months and weekdays are known in %s", diag.Quote(language), strings.Join(Languages(), ", "))
	}
	n, l := &Names{map[string]int{}, map[string]int{}, map[byte][]string{}}, make()
	full := make12(func(m int) string { return l.MonthWide(time.Month(m)) })
	enter(n.months, full, 1)
	abbreviated := make12(func(m int) string { return l.MonthAbbreviated(time.Month(m)) })
	enter(n.months, abbreviated, 1)
	n.written['B'], n.written['b'], n.written['S'] = full, abbreviated, full
	if names := strings.Fields(alone[language]); len(names) == 12 {
		enter(n.months, names, 1)
		begin(n.months, names)
		n.written['S'] = names
	}
	begin(n.months, full)
	var days []string
	for d := range 7 {
		days = append(days, l.WeekdayWide(time.Weekday((d+1)%7)))
	}
	enter(n.weekdays, days, 1)
	short := slices.Clone(days)
	for d := range short {
		short[d] = l.WeekdayAbbreviated(time.Weekday((d + 1) % 7))
	}
	enter(n.weekdays, short, 1)
	n.written['A'], n.written['a'] = days, short
	begin(n.weekdays, days)
	return n, nil
}

// English are the names that are known without a language.
var English = sync.OnceValue(func() *Names {
	n, err := NamesIn("en")
	if err != nil {
		panic("calendar: " + err.Error())
	}
	return n
})

func make12(name func(int) string) []string {
	out := make([]string, 12)
	for m := range out {
		out[m] = name(m + 1)
	}
	return out
}

// plain is a name without case and full stops.
func plain(name string) string {
	return strings.ToLower(strings.Trim(strings.TrimSpace(name), "."))
}

func enter(into map[string]int, names []string, first int) {
	for i, n := range names {
		if n = plain(n); n != "" {
			if _, taken := into[n]; !taken {
				into[n] = first + i
			}
		}
	}
}

// begin enters the beginnings of names, of three letters at least, that no other name of the list has.
func begin(into map[string]int, names []string) {
	for i, n := range names {
		n = plain(n)
		for at := range n {
			part := n[:at]
			if utf8.RuneCountInString(part) < 3 {
				continue
			}
			only := true
			for k, other := range names {
				only = only && (k == i || !strings.HasPrefix(plain(other), part))
			}
			if _, taken := into[part]; only && !taken {
				into[part] = i + 1
			}
		}
	}
}

// Month is the month that a text names, from 1.
func (n *Names) Month(text string) (int, bool) { m, ok := n.months[plain(text)]; return m, ok }

// Weekday is the weekday that a text names, 1 for Monday.
func (n *Names) Weekday(text string) (int, bool) { d, ok := n.weekdays[plain(text)]; return d, ok }

// nameCodes are the places of names in a form.
var nameCodes = map[byte]byte{'B': 'B', 'b': 'b', 'h': 'b', 'A': 'A', 'a': 'a'}

// places lists the places of names in a form, as they follow each other.
func places(form string) (out []byte) {
	for i := 0; i+1 < len(form); i++ {
		if form[i] != '%' {
			continue
		}
		i++
		if c, ok := nameCodes[form[i]]; ok {
			out = append(out, c)
		}
	}
	return out
}

// Translate puts English names in the place of those of the language, where a form has places for them, one after the other.
func (n *Names) Translate(cell, form string) string {
	next := places(form)
	if len(next) == 0 {
		return cell
	}
	english := English().written
	var b strings.Builder
	for i := 0; i < len(cell); {
		r, size := utf8.DecodeRuneInString(cell[i:])
		if !unicode.IsLetter(r) {
			b.WriteRune(r)
			i += size
			continue
		}
		to := i
		for to < len(cell) {
			r, size := utf8.DecodeRuneInString(cell[to:])
			if !unicode.IsLetter(r) && r != '’' && r != '\'' {
				break
			}
			to += size
		}
		word := cell[i:to]
		at, ok := 0, false
		if len(next) > 0 {
			if at, ok = n.Month(word); next[0] == 'A' || next[0] == 'a' {
				at, ok = n.Weekday(word)
			}
		}
		if ok {
			word = english[next[0]][at-1]
			next = next[1:]
			if to < len(cell) && cell[to] == '.' && !strings.Contains(form, ".") { // of an abbreviation
				to++
			}
		}
		b.WriteString(word)
		i = to
	}
	return b.String()
}

// Fill puts names of the language in their places in a form, for a month from 1 and a weekday, 1 for Monday.
func (n *Names) Fill(form string, month, weekday int) string {
	full := byte('B')
	if !strings.Contains(form, "%d") && !strings.Contains(form, "%-d") && !strings.Contains(form, "%e") {
		full = 'S'
	}
	var b strings.Builder
	for i := 0; i < len(form); i++ {
		if form[i] == '%' && i+1 < len(form) {
			i++
			switch nameCodes[form[i]] {
			case 'B':
				b.WriteString(strings.ReplaceAll(n.written[full][month-1], "%", "%%"))
				continue
			case 'b':
				b.WriteString(n.written['b'][month-1])
				continue
			case 'A', 'a':
				b.WriteString(n.written[form[i]][weekday-1])
				continue
			}
			b.WriteByte('%')
		}
		b.WriteByte(form[i])
	}
	return b.String()
}

// Part is the quarter or the half of a year that a text names, as Q2, q2 or H1.
func Part(text string) (int, bool) {
	t := plain(text)
	if len(t) != 2 || t[0] == 'q' && (t[1] < '1' || t[1] > '4') || t[0] == 'h' && (t[1] < '1' || t[1] > '2') || t[0] != 'q' && t[0] != 'h' {
		return 0, false
	}
	n := int(t[1] - '0')
	if t[0] == 'h' {
		n += 4 // halves stand behind quarters
	}
	return n, true
}

// Turn finds what most of some texts name, months, weekdays, or quarters and halves, and gives the place of each in its turn;
// all tells whether every text has one. Blank texts have none, and do not count.
func (n *Names) Turn(texts []string) (place func(text string) (int, bool), all bool) {
	most := -1
	for _, named := range []func(string) (int, bool){n.Month, n.Weekday, Part} {
		fit, filled := 0, 0
		for _, t := range texts {
			if t == "" {
				continue
			}
			filled++
			if _, ok := named(t); ok {
				fit++
			}
		}
		if fit > most {
			most, place, all = fit, named, fit == filled && fit > 0
		}
	}
	return place, all
}
