package decimal

import (
	"math"

	"revuelta/internal/view"
)

// Sums are many exact sums side by side. Each keeps the most decimals that
// went into it; as long as all numbers have the same, a sum takes eight bytes.
type Sums struct {
	coefs  []int64
	scale  int32  // of all, where scales is nil; -1 before the first number
	scales []int8 // nothing: nothing was added; tooBig: it is in bigs
	bigs   map[int32]D
}

const (
	none    = math.MinInt64 // a coef to which nothing was added, where scales is nil
	nothing = -1
	tooBig  = -2
)

// Grow makes room for n sums in all.
func (s *Sums) Grow(n int) {
	if s.coefs == nil {
		s.scale = -1
	}
	s.coefs = view.More(s.coefs, n-len(s.coefs))
	for len(s.coefs) < n {
		s.coefs = append(s.coefs, none)
		if s.scales != nil {
			s.scales = append(s.scales, nothing)
		}
	}
}

// part gives each sum a scale of its own.
func (s *Sums) part() {
	s.scales = make([]int8, len(s.coefs), cap(s.coefs))
	for i, c := range s.coefs {
		s.scales[i] = int8(s.scale)
		if c == none {
			s.scales[i] = nothing
		}
	}
}

// Add adds a number to a sum.
func (s *Sums) Add(slot int32, d D) error {
	if s.scales == nil && d.big == nil && (d.scale == s.scale || s.scale < 0) && d.coef != none {
		s.scale = d.scale
		have := s.coefs[slot]
		if have == none {
			s.coefs[slot] = d.coef
			return nil
		}
		if sum := have + d.coef; (sum > have) == (d.coef > 0) && sum != none {
			s.coefs[slot] = sum
			return nil
		}
	}
	if s.scales == nil {
		s.part()
	}
	if d.big == nil {
		switch s.scales[slot] {
		case int8(d.scale):
			if sum := s.coefs[slot] + d.coef; (sum > s.coefs[slot]) == (d.coef > 0) {
				s.coefs[slot] = sum
				return nil
			}
		case nothing:
			s.coefs[slot], s.scales[slot] = d.coef, int8(d.scale)
			return nil
		}
	}
	have, _ := s.Get(slot)
	sum, err := have.Add(d)
	if err != nil {
		return err
	}
	if sum.big != nil {
		if s.bigs == nil {
			s.bigs = map[int32]D{}
		}
		s.bigs[slot], s.scales[slot] = sum, tooBig
		return nil
	}
	delete(s.bigs, slot)
	s.coefs[slot], s.scales[slot] = sum.coef, int8(sum.scale)
	return nil
}

// Ahead asks for sums that are wanted next.
func (s *Sums) Ahead(slots []int32) { view.Ahead(s.coefs, slots) }

// AddAll adds each number to its sum, but for those whose cell is blank.
func (s *Sums) AddAll(slots []int32, numbers []D, cells []string) error {
	for i, slot := range slots {
		d := &numbers[i]
		if cells[i] == "" {
			continue
		}
		if s.scales == nil && d.big == nil && d.scale == s.scale {
			have := s.coefs[slot]
			if sum := have + d.coef; (sum > have) == (d.coef > 0) && have != none && sum != none {
				s.coefs[slot] = sum
				continue
			}
		}
		if err := s.Add(slot, *d); err != nil {
			return err
		}
	}
	return nil
}

// Get is a sum, false where nothing was added.
func (s *Sums) Get(slot int32) (D, bool) {
	if s.scales == nil {
		return D{coef: s.coefs[slot], scale: max(0, s.scale)}.unless(s.coefs[slot] == none)
	}
	switch scale := s.scales[slot]; scale {
	case nothing:
		return D{}, false
	case tooBig:
		return s.bigs[slot], true
	default:
		return D{coef: s.coefs[slot], scale: int32(scale)}, true
	}
}

func (d D) unless(not bool) (D, bool) {
	if not {
		return D{}, false
	}
	return d, true
}
