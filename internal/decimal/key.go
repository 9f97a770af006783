package decimal

import "strconv"

// AppendKey appends bytes that stand in the order of the numbers: those of
// equal numbers are the same, and none begins another.
func (d D) AppendKey(dst []byte) []byte {
	sign := d.Sign()
	if sign == 0 {
		return append(dst, 0x80)
	}
	var buf [24]byte
	digits := buf[:0]
	exponent := 0 // of the last digit
	if d.big != nil {
		if digits = d.big.coef.Append(digits, 10); digits[0] == '-' {
			digits = digits[1:]
		}
		exponent = d.big.exp
	} else {
		u := uint64(d.coef)
		if d.coef < 0 {
			u = -u
		}
		digits = strconv.AppendUint(digits, u, 10)
		exponent = -int(d.scale)
	}
	// The number is 0.d1d2d3… times ten to the power of first.
	first := exponent + len(digits) + 1<<15
	for digits[len(digits)-1] == '0' {
		digits = digits[:len(digits)-1]
	}
	flip, mark := byte(0), byte(0xC0)
	if sign < 0 {
		flip, mark = 0xFF, 0x40
	}
	dst = append(dst, mark, byte(first>>8)^flip, byte(first)^flip)
	for _, c := range digits {
		dst = append(dst, (c-'0'+1)^flip)
	}
	return append(dst, flip)
}
