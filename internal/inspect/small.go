package inspect

import (
	"math"

	"revuelta/internal/decimal"
)

// smalls counts the cells that hold small numbers, as 39.35 or -7, each by itself: by its digits, for each number of
// decimals. That takes a fraction of the time of looking the cells up.
type smalls struct {
	counts [2 * smallDecimals][]uint16      // those below zero behind the others of the same decimals; 16 bits stay in the cache
	beyond [2 * smallDecimals]map[int]int64 // what these have not held
	places [512]decimal.Place
}

const (
	smallDecimals = 4
	smallMost     = 1 << 17 // digits, read as a whole number, are below it
)

// take counts the cells that hold small numbers as they are commonly written: 07, .5 or -0 are others. It appends
// those that do not to rest, but for blanks.
func (s *smalls) take(cells, rest []string) []string {
	for len(cells) > 0 {
		some := cells[:min(len(cells), len(s.places))]
		decimal.Places(some, s.places[:])
		for i, p := range s.places[:len(some)] { // no place in memory waits for another
			scale, k := int(p>>decimal.PlaceDigits), int(p&(1<<decimal.PlaceDigits-1))
			if scale < smallDecimals && k < len(s.counts[scale]) {
				counts := s.counts[scale]
				if counts[k]++; counts[k] == 0 {
					s.overflows(scale, k, math.MaxUint16+1)
				}
			} else if c := some[i]; c != "" && !s.addOther(c) {
				rest = append(rest, c)
			}
		}
		cells = cells[len(some):]
	}
	return rest
}

// addOther counts a small number below one, or one for which there is no room yet.
func (s *smalls) addOther(c string) bool {
	if c[0] > '9' {
		return false
	}
	coef, scale, ok := decimal.Short(c)
	if !ok || scale >= smallDecimals {
		return false
	}
	if c[0] == '-' {
		if c, coef, scale = c[1:], -coef, scale+smallDecimals; coef == 0 {
			return false
		}
	}
	if coef >= smallMost || c[0] == '.' || c[0] == '0' && len(c) > 1 && c[1] != '.' {
		return false
	}
	s.room(scale, int(coef))
	if s.counts[scale][coef]++; s.counts[scale][coef] == 0 {
		s.overflows(scale, int(coef), math.MaxUint16+1)
	}
	return true
}

// room makes room for a number.
func (s *smalls) room(scale, coef int) {
	have := s.counts[scale]
	if coef < len(have) {
		return
	}
	size := max(64, len(have))
	for size <= coef {
		size *= 2
	}
	s.counts[scale] = append(make([]uint16, 0, size), have...)[:size]
}

func (s *smalls) overflows(scale, coef int, n int64) {
	if s.beyond[scale] == nil {
		s.beyond[scale] = map[int]int64{}
	}
	s.beyond[scale][coef] += n
}

func (s *smalls) merge(o *smalls) {
	for i, counts := range o.counts {
		s.room(i, len(counts)-1)
		for k, n := range counts {
			sum := uint32(s.counts[i][k]) + uint32(n)
			if s.counts[i][k] = uint16(sum); sum > math.MaxUint16 {
				s.overflows(i, k, math.MaxUint16+1)
			}
		}
		for k, n := range o.beyond[i] {
			s.overflows(i, k, n)
		}
	}
}

// longest is the longest of the cells: of those with as many decimals, that is the one with the most digits.
func (s *smalls) longest() (out string) {
	for i, counts := range s.counts {
		for coef := len(counts) - 1; coef >= 0; coef-- {
			if counts[coef] > 0 || s.beyond[i][coef] > 0 {
				if c := string(s.number(i, coef).Append(nil)); len(c) > len(out) {
					out = c
				}
				break
			}
		}
	}
	return out
}

func (s *smalls) number(scale, coef int) decimal.D {
	d := decimal.Scaled(int64(coef), scale%smallDecimals)
	if scale >= smallDecimals {
		d = d.Neg()
	}
	return d
}

// each calls do with each number and how often it stands.
func (s *smalls) each(do func(d decimal.D, n int64)) {
	for i, counts := range s.counts {
		for coef, n := range counts {
			if n := int64(n) + s.beyond[i][coef]; n > 0 {
				do(s.number(i, coef), n)
			}
		}
	}
}
