package decimal

// Sums are many exact sums side by side, nine bytes each as long as they fit
// into 64 bits. Each keeps the most decimals that went into it.
type Sums struct {
	coefs  []int64
	scales []int8 // -1: nothing was added; tooBig: it is in bigs
	bigs   map[int32]D
}

const tooBig = -2

// Grow makes room for n sums in all.
func (s *Sums) Grow(n int) {
	for len(s.coefs) < n {
		s.coefs = append(s.coefs, 0)
		s.scales = append(s.scales, -1)
	}
}

// Add adds a number to a sum.
func (s *Sums) Add(slot int32, d D) error {
	scale := s.scales[slot]
	if d.big == nil {
		switch {
		case scale == int8(d.scale):
			if sum := s.coefs[slot] + d.coef; (sum > s.coefs[slot]) == (d.coef > 0) {
				s.coefs[slot] = sum
				return nil
			}
		case scale == -1:
			s.coefs[slot], s.scales[slot] = d.coef, int8(d.scale)
			return nil
		}
	}
	have, ok := s.Get(slot)
	if !ok {
		have = D{}
	}
	sum, err := have.Add(d)
	if err != nil {
		return err
	}
	s.put(slot, sum)
	return nil
}

// AddAll adds each number to its sum, but for those whose cell is blank.
func (s *Sums) AddAll(slots []int32, numbers []D, cells []string) error {
	for i, slot := range slots {
		d := &numbers[i]
		if cells[i] == "" {
			continue
		}
		if d.big == nil && s.scales[slot] == int8(d.scale) {
			have := s.coefs[slot]
			if sum := have + d.coef; (sum > have) == (d.coef > 0) {
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

func (s *Sums) put(slot int32, d D) {
	if d.big != nil {
		if s.bigs == nil {
			s.bigs = map[int32]D{}
		}
		s.bigs[slot], s.scales[slot] = d, tooBig
		return
	}
	if s.scales[slot] == tooBig {
		delete(s.bigs, slot)
	}
	s.coefs[slot], s.scales[slot] = d.coef, int8(d.scale)
}

// Get is a sum, false where nothing was added.
func (s *Sums) Get(slot int32) (D, bool) {
	switch scale := s.scales[slot]; scale {
	case -1:
		return D{}, false
	case tooBig:
		return s.bigs[slot], true
	default:
		return D{coef: s.coefs[slot], scale: int32(scale)}, true
	}
}
