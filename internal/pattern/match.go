package pattern

import (
	"slices"
	"strings"
	"unicode/utf8"
)

// Matcher reads texts by a pattern. It keeps its working memory and serves one goroutine.
type Matcher struct {
	p      *Pattern
	text   string
	starts []int // of each place of p.names
	ends   []int
	steps  int

	patience int // how many steps are tried before failures are remembered

	// Kept only for hard texts:
	failed map[state]bool // states known to lead nowhere
	dead   []ends         // of each element, where it is known that it must not end
	work   int            // done on the text so far
	tired  bool           // the work was given up
}

type state struct{ element, at int }

// ends are the places from one through another; none where lo > hi.
type ends struct{ lo, hi int }

// Matcher makes a matcher.
func (p *Pattern) Matcher() *Matcher {
	n := len(p.names)
	return &Matcher{p: p, starts: make([]int, n), ends: make([]int, n), patience: patience}
}

// Match reads text whole and reports whether it fits; parts receives what each
// place of [Pattern.Names] stands for, views of text. len(parts) is len(Names).
func (m *Matcher) Match(text string, parts []string) bool {
	if m.first(text, parts) {
		return true
	}
	m.text, m.steps, m.failed, m.dead, m.work, m.tired = text, 0, nil, m.dead[:0], 0, false
	if !m.match(0, 0) {
		return false
	}
	for i := range parts {
		parts[i] = text[m.starts[i]:m.ends[i]]
	}
	return true
}

// Tired reports whether the last text was given up: there were too many ways to read it, and none was found to fit so far.
func (m *Matcher) Tired() bool { return m.tired }

// laidOut reads a text by a pattern of literals and widths, each part of which has its place.
func (p *Pattern) laidOut(text string, parts []string) bool {
	if len(text) != p.fixed {
		return false
	}
	some := byte(0)
	for i := range len(text) {
		some |= text[i]
	}
	if some >= utf8.RuneSelf {
		return false // its characters are to be counted
	}
	at := 0
	for i := range p.elements {
		e := &p.elements[i]
		if e.kind == width {
			parts[e.place] = text[at : at+e.most]
			at += e.most
			continue
		}
		for k := range len(e.text) {
			if text[at+k] != e.text[k] {
				return false
			}
		}
		at += len(e.text)
	}
	return true
}

// first tries the preferred length of each place and nothing else. Where that
// fits, it is what match would find; most texts of a column fit so.
func (m *Matcher) first(text string, parts []string) bool {
	if m.p.fixed > 0 {
		return m.p.laidOut(text, parts)
	}
	at := 0
	last := len(m.p.elements) - 1
	for k := range m.p.elements {
		e := &m.p.elements[k]
		rest := text[at:]
		n := 0 // bytes the element takes
		switch {
		case e.kind == literal:
			if len(e.text) > len(rest) || rest[:len(e.text)] != e.text {
				return false
			}
			at += len(e.text)
			continue
		case e.again:
			was := parts[e.place]
			if !strings.HasPrefix(rest, was) || !e.allows(was) {
				return false
			}
			at += len(was)
			continue
		case rest == "":
			return false // an expression may match nothing: that is left to match
		case e.kind == width:
			n = min(e.most, len(rest))
			for i := range n {
				if rest[i] >= utf8.RuneSelf {
					return false
				}
			}
			if n < e.least {
				return false
			}
		case e.kind == lazy && k == last:
			n = len(rest)
		case e.kind == lazy:
			if n = 1; rest[0] >= utf8.RuneSelf {
				_, n = utf8.DecodeRuneInString(rest)
			}
			if next := &m.p.elements[k+1]; next.kind == literal {
				i := strings.Index(rest[n:], next.text)
				if i < 0 {
					return false
				}
				n += i
			}
		case e.kind == digits:
			for n < len(rest) && '0' <= rest[n] && rest[n] <= '9' {
				n++
			}
		case e.kind == words:
			e.beginning(rest, func(w string) bool { n = len(w); return true })
		}
		if n == 0 {
			return false
		}
		parts[e.place] = rest[:n]
		at += n
	}
	return at == len(text)
}

// patience is how many steps are tried at least; most texts need fewer than the pattern has elements.
const patience = 200

// mostWork is how much is done on one text, in steps and bytes read by expressions, before it is given up. Free places,
// widths, digits and words need a few steps for each byte; expressions and names that stand twice may need the square.
const mostWork = 1 << 24

// match fits the elements from k on to the text from at on, trying the
// preferred length of each place first.
func (m *Matcher) match(k, at int) bool {
	if k == len(m.p.elements) {
		return at == len(m.text)
	}
	if m.steps++; m.steps <= m.patience {
		return m.place(k, at)
	}
	if m.work++; m.work > mostWork {
		m.tired = true
	}
	if m.tired {
		return false
	}
	if m.p.repeats {
		return m.place(k, at)
	}
	// Without repeated names what is left to match does not depend on
	// what the places before stand for.
	s := state{k, at}
	if m.failed[s] {
		return false
	}
	if m.failed == nil {
		m.failed = map[state]bool{}
		for range m.p.elements {
			m.dead = append(m.dead, ends{0, -1})
		}
	}
	if m.place(k, at) {
		return true
	}
	m.failed[s] = true
	return false
}

// known gives the ends of an element that are known to lead nowhere, of a text that is hard.
func (m *Matcher) known(k int) ends {
	if len(m.dead) == 0 {
		return ends{0, -1}
	}
	return m.dead[k]
}

// fails notes that all ends of an element from one through another lead nowhere. What it may be next lies beside or
// around what it was, so one stretch is remembered.
func (m *Matcher) fails(k, lo, hi int) {
	if len(m.dead) == 0 || lo > hi {
		return
	}
	if d := m.dead[k]; lo <= d.hi && d.lo <= hi {
		lo, hi = min(lo, d.lo), max(hi, d.hi)
	}
	m.dead[k] = ends{lo, hi}
}

func (m *Matcher) place(k, at int) bool {
	e, text := &m.p.elements[k], m.text
	if e.kind == literal {
		return strings.HasPrefix(text[at:], e.text) && m.match(k+1, at+len(e.text))
	}
	if e.again {
		was := text[m.starts[e.place]:m.ends[e.place]]
		return strings.HasPrefix(text[at:], was) && e.allows(was) && m.match(k+1, at+len(was))
	}
	switch e.kind {
	case lazy:
		return m.lazily(k, at)
	case width:
		return m.widely(k, at)
	case digits:
		end := at
		for end < len(text) && '0' <= text[end] && text[end] <= '9' {
			end++
		}
		return m.backwards(k, at, at+1, end)
	case words:
		return e.beginning(text[at:], func(w string) bool { return m.try(k, at, at+len(w)) })
	case expr:
		loc := e.longest.FindStringIndex(text[at:])
		if loc == nil {
			return false
		}
		for end := at + loc[1]; end >= at && !m.tired; end-- {
			if !runeStart(text, end) {
				continue
			}
			if m.work += end - at; m.work > mostWork {
				m.tired = true
			}
			if (end == at+loc[1] || e.whole.MatchString(text[at:end])) && m.try(k, at, end) {
				return true
			}
		}
	}
	return false
}

// try fits what follows an element that stands for a stretch of the text.
func (m *Matcher) try(k, at, end int) bool {
	place := m.p.elements[k].place
	m.starts[place], m.ends[place] = at, end
	return m.match(k+1, end)
}

// lazily tries ever longer stretches.
func (m *Matcher) lazily(k, at int) bool {
	text := m.text
	if k == len(m.p.elements)-1 {
		return at < len(text) && m.try(k, at, len(text))
	}
	next := &m.p.elements[k+1]
	for end := at; end < len(text); {
		_, n := utf8.DecodeRuneInString(text[end:])
		end += n
		if d := m.known(k); d.lo <= end && end <= d.hi { // beyond it no other is left
			break
		}
		if next.kind == literal { // leap to where the literal stands
			skip := strings.Index(text[end:], next.text)
			if skip < 0 {
				break
			}
			end += skip
		}
		if m.try(k, at, end) {
			return true
		}
		if m.tired {
			return false
		}
	}
	m.fails(k, at+1, len(text))
	return false
}

// widely tries ever shorter stretches of a number of characters.
func (m *Matcher) widely(k, at int) bool {
	e, text := &m.p.elements[k], m.text
	least, end := -1, at
	for n := 0; ; n++ {
		if n == e.least {
			least = end
		}
		if n == e.most || end == len(text) {
			break
		}
		_, size := utf8.DecodeRuneInString(text[end:])
		end += size
	}
	if m.work += (end - at) / 16; least < 0 {
		return false
	}
	return m.backwards(k, at, least, end)
}

// backwards tries the stretches that end from one place down to another.
func (m *Matcher) backwards(k, at, least, most int) bool {
	for end := most; end >= least; end-- {
		if d := m.known(k); d.lo <= end && end <= d.hi {
			end = d.lo
			continue
		}
		if !runeStart(m.text, end) {
			continue
		}
		if m.try(k, at, end) {
			return true
		}
		if m.tired {
			return false
		}
	}
	m.fails(k, least, most)
	return false
}

// beginning hands over those of the words with which a text begins, in the order given, until one will do.
func (e *element) beginning(text string, do func(word string) bool) bool {
	if e.number == nil {
		for _, w := range e.words {
			if strings.HasPrefix(text, w) && do(w) {
				return true
			}
		}
		return false
	}
	var some []int
	for _, n := range e.lengths {
		if n <= len(text) {
			if i, ok := e.number[text[:n]]; ok {
				some = append(some, i)
			}
		}
	}
	slices.Sort(some)
	for _, i := range some {
		if do(e.words[i]) {
			return true
		}
	}
	return false
}

// count readies the look-up of many words.
func (e *element) count() {
	const few = 20
	if len(e.words) <= few {
		return
	}
	e.number = make(map[string]int, len(e.words))
	for i, w := range e.words {
		if _, twice := e.number[w]; !twice {
			e.number[w] = i
		}
		if !slices.Contains(e.lengths, len(w)) {
			e.lengths = append(e.lengths, len(w))
		}
	}
}

// allows reports whether a place that stands twice may stand for text here too.
func (e *element) allows(text string) bool {
	switch e.kind {
	case width:
		n := utf8.RuneCountInString(text)
		return e.least <= n && n <= e.most
	case digits:
		return text != "" && strings.Trim(text, "0123456789") == ""
	case words:
		return slices.Contains(e.words, text)
	case expr:
		return e.whole.MatchString(text)
	}
	return true
}

func runeStart(s string, i int) bool { return i >= len(s) || utf8.RuneStart(s[i]) }
