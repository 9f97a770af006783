// Package decimal holds exact decimal numbers: 64 bits and a scale where they
// do, and any precision where they do not. A number keeps the
// decimals it was read with, so that sums can keep the most that went in.
package decimal

import (
	"errors"
	"math"
	"math/bits"
	"strconv"
	"strings"
)

// D is a decimal number: coef / 10^scale, or big where that does not hold it.
// The zero value is 0.
type D struct {
	coef  int64
	scale int32 // 0 to maxScale
	big   *long
}

const (
	maxScale    = 18
	maxExponent = 400  // of a number as it is read
	maxDigits   = 1000 // of a result; more is an overflow
)

// The errors of arithmetic.
var (
	ErrOverflow = errors.New("the result is too large")
	ErrZero     = errors.New("division by zero")
)

var pow10 = [maxScale + 1]int64{1, 1e1, 1e2, 1e3, 1e4, 1e5, 1e6, 1e7, 1e8, 1e9, 1e10, 1e11, 1e12, 1e13, 1e14, 1e15, 1e16, 1e17, 1e18}

// FromInt is a whole number.
func FromInt(n int64) D { return D{coef: n} }

// Scaled is coef / 10^scale, with scale from 0 to 18.
func Scaled(coef int64, scale int) D { return D{coef: coef, scale: int32(scale)} }

// Parse reads a number: [+-]?(digits[.digits]|.digits)([eE][+-]?digits)?, the
// exponent within ±400.
func Parse(s string) (D, bool) {
	if coef, scale, ok := parseShort(s); ok {
		return D{coef: coef, scale: int32(scale)}, true
	}
	if s == "" || s[0] > '9' { // most texts; a number begins with a digit, a sign or a point
		return D{}, false
	}
	return parsePlain(s)
}

// parsePlain reads numbers of up to 18 digits without an exponent.
func parsePlain(s string) (D, bool) {
	i, neg := 0, false
	if len(s) > 0 && (s[0] == '-' || s[0] == '+') {
		neg = s[0] == '-'
		i = 1
	}
	if len(s)-i > maxScale+1 || len(s) == i {
		return parseLong(s)
	}
	coef, digits, point := int64(0), 0, -1
	for ; i < len(s); i++ {
		c := s[i] - '0'
		if c > 9 {
			if s[i] == '.' && point < 0 {
				point = digits
				continue
			}
			if s[i]|0x20 != 'e' { // of what may stand there only an exponent is left
				return D{}, false
			}
			return parseLong(s)
		}
		coef = coef*10 + int64(c)
		digits++
	}
	if digits == 0 || digits > maxScale || point == digits {
		return parseLong(s) // the page wants digits behind a point
	}
	if neg {
		coef = -coef
	}
	if point < 0 {
		return D{coef: coef}, true
	}
	return D{coef: coef, scale: int32(digits - point)}, true
}

// parseLong reads numbers with an exponent or many digits.
func parseLong(s string) (D, bool) {
	mantissa, exponent := s, 0
	if i := strings.IndexAny(s, "eE"); i >= 0 {
		mantissa = s[:i]
		e := s[i+1:]
		plain := strings.TrimLeft(strings.TrimPrefix(strings.TrimPrefix(e, "-"), "+"), "0")
		if !isDigits(strings.TrimPrefix(strings.TrimPrefix(e, "-"), "+")) || strings.HasPrefix(e, "-+") || len(plain) > 3 {
			return D{}, false
		}
		exponent, _ = strconv.Atoi(plain + map[bool]string{true: "0", false: ""}[plain == ""])
		if exponent > maxExponent {
			return D{}, false
		}
		if strings.HasPrefix(e, "-") {
			exponent = -exponent
		}
	}
	digits := mantissa
	if digits != "" && (digits[0] == '-' || digits[0] == '+') {
		digits = digits[1:]
	}
	whole, part, pointed := strings.Cut(digits, ".")
	if whole != "" && !isDigits(whole) || pointed && !isDigits(part) || whole == "" && !pointed {
		return D{}, false
	}
	if len(whole)+len(part) > maxDigits {
		return D{}, false
	}
	a := parseDigits(mantissa)
	a.exp += exponent
	return a.number(), true
}

func isDigits(s string) bool {
	for i := 0; i < len(s); i++ {
		if s[i] < '0' || s[i] > '9' {
			return false
		}
	}
	return s != ""
}

// Decimals is how many digits stand behind the point.
func (d D) Decimals() int {
	if d.big != nil {
		return max(0, -d.big.exp)
	}
	return int(d.scale)
}

// Sign is -1, 0 or 1.
func (d D) Sign() int {
	switch {
	case d.big != nil:
		return d.big.coef.Sign()
	case d.coef < 0:
		return -1
	case d.coef > 0:
		return 1
	}
	return 0
}

func mul(a, b int64) (int64, bool) {
	if a == math.MinInt64 || b == math.MinInt64 {
		return 0, false
	}
	neg := (a < 0) != (b < 0)
	hi, lo := bits.Mul64(uint64(abs(a)), uint64(abs(b)))
	if hi != 0 || lo > math.MaxInt64 {
		return 0, false
	}
	if neg {
		return -int64(lo), true
	}
	return int64(lo), true
}

func abs(a int64) int64 {
	if a < 0 {
		return -a
	}
	return a
}

// align brings two small numbers to one scale; false where that does not fit.
func align(a, b D) (x, y int64, scale int32, ok bool) {
	if a.big != nil || b.big != nil {
		return 0, 0, 0, false
	}
	switch {
	case a.scale == b.scale:
		return a.coef, b.coef, a.scale, true
	case a.scale < b.scale:
		x, ok = mul(a.coef, pow10[b.scale-a.scale])
		return x, b.coef, b.scale, ok
	}
	y, ok = mul(b.coef, pow10[a.scale-b.scale])
	return a.coef, y, a.scale, ok
}

// Add is a + b, exact, with the most decimals of the two.
func (d D) Add(o D) (D, error) {
	if x, y, scale, ok := align(d, o); ok {
		if s := x + y; (s > x) == (y > 0) {
			return D{coef: s, scale: scale}, nil
		}
	}
	return d.long().add(o.long())
}

// Sub is a - b, exact.
func (d D) Sub(o D) (D, error) { return d.Add(o.Neg()) }

// Neg is -d.
func (d D) Neg() D {
	if d.big != nil || d.coef == math.MinInt64 {
		a := d.long()
		r := &long{exp: a.exp}
		r.coef.Neg(&a.coef)
		return r.number()
	}
	return D{coef: -d.coef, scale: d.scale}
}

// Mul is a * b, exact.
func (d D) Mul(o D) (D, error) {
	if d.big == nil && o.big == nil && d.scale+o.scale <= maxScale {
		if c, ok := mul(d.coef, o.coef); ok {
			return D{coef: c, scale: d.scale + o.scale}, nil
		}
	}
	return d.long().mul(o.long())
}

// Mod is what is left of a over whole times b, with the sign of a.
func (d D) Mod(o D) (D, error) {
	if o.Sign() == 0 {
		return D{}, ErrZero
	}
	if x, y, scale, ok := align(d, o); ok {
		return D{coef: x % y, scale: scale}, nil
	}
	return d.long().mod(o.long())
}

// Div is a / b as a float64 with at most 15 significant digits.
func (d D) Div(o D) (D, error) {
	if o.Sign() == 0 {
		return D{}, ErrZero
	}
	return FromFloat(d.Float() / o.Float())
}

// FromFloat is a float64 with at most 15 significant digits; what is no number is an overflow.
func FromFloat(f float64) (D, error) {
	if math.IsInf(f, 0) || math.IsNaN(f) {
		return D{}, ErrOverflow
	}
	r, ok := Parse(strconv.FormatFloat(f, 'e', 14, 64))
	if !ok {
		return D{}, ErrOverflow
	}
	return r.Shortest(), nil
}

// Float is the float64 nearest to the number.
func (d D) Float() float64 {
	if d.big == nil && -1<<53 <= d.coef && d.coef <= 1<<53 && d.scale <= 15 {
		return float64(d.coef) / float64(pow10[d.scale]) // both exact, so rounded once
	}
	f, _ := strconv.ParseFloat(string(d.long().scientific(nil)), 64) // ±Inf where it is too large
	return f
}

// Cmp compares: -1, 0 or 1.
func (d D) Cmp(o D) int {
	if x, y, _, ok := align(d, o); ok {
		switch {
		case x < y:
			return -1
		case x > y:
			return 1
		}
		return 0
	}
	return d.long().cmp(o.long())
}

// Against is a number that many are compared with, at every scale it has in 64 bits.
type Against struct {
	d     D
	coefs [maxScale + 1]int64
	from  int32 // the least scale in coefs, and the one behind the last
	to    int32
}

// NewAgainst readies a number for comparisons.
func NewAgainst(d D) *Against {
	a := &Against{d: d, from: d.scale, to: d.scale}
	for c := d.coef; d.big == nil && a.to <= maxScale; a.to++ {
		a.coefs[a.to] = c
		var ok bool
		if c, ok = mul(c, 10); !ok {
			a.to++
			break
		}
	}
	return a
}

// Cmp compares a number with it: -1, 0 or 1.
func (a *Against) Cmp(d D) int {
	if d.big == nil && a.from <= d.scale && d.scale < a.to {
		switch c := a.coefs[d.scale]; {
		case d.coef < c:
			return -1
		case d.coef > c:
			return 1
		}
		return 0
	}
	return d.Cmp(a.d)
}

// Shortest is the number without zeros at the end of its decimals.
func (d D) Shortest() D {
	if d.big != nil {
		return d.big.reduced().number()
	}
	for d.scale > 0 && d.coef%10 == 0 {
		d.coef /= 10
		d.scale--
	}
	return d
}

// Round rounds to so many decimals, half to even; a number with fewer stays.
func (d D) Round(decimals int) D {
	if d.big == nil && decimals >= 0 {
		if int(d.scale) <= decimals {
			return d
		}
		p := pow10[int(d.scale)-decimals]
		q, r := d.coef/p, abs(d.coef%p)
		if r > p-r || r == p-r && q%2 != 0 {
			if d.coef < 0 {
				q--
			} else {
				q++
			}
		}
		return D{coef: q, scale: int32(decimals)}
	}
	a := d.long()
	if -a.exp <= decimals && decimals >= 0 {
		return d
	}
	if r, ok := a.to(-decimals, halfEven); ok {
		return r.number()
	}
	return d
}

// Floor is the greatest whole number not above d.
func (d D) Floor() D { return d.whole(downward) }

// Ceil is the least whole number not below d.
func (d D) Ceil() D { return d.whole(upward) }

func (d D) whole(how rounding) D {
	if d.Decimals() == 0 {
		return d
	}
	if r, ok := d.long().to(0, how); ok {
		return r.number()
	}
	return d
}

// Abs is the number without its sign.
func (d D) Abs() D {
	if d.Sign() < 0 {
		return d.Neg()
	}
	return d
}

// Int is the number as an int64, where it is a whole one that fits.
func (d D) Int() (int64, bool) {
	s := d.Shortest()
	return s.coef, s.big == nil && s.scale == 0
}

// String writes the number in shortest form.
func (d D) String() string { return string(d.Shortest().Append(nil)) }

// Append writes the number with the decimals it has; very large and very small
// ones with an exponent.
func (d D) Append(dst []byte) []byte {
	if d.big != nil {
		if a := d.big.adjusted(); d.big.coef.Sign() != 0 && (d.big.exp > 0 && a >= 21 || a < -30) {
			return d.big.reduced().scientific(dst)
		}
		return d.big.plain(dst)
	}
	u := uint64(d.coef)
	if d.coef < 0 {
		dst = append(dst, '-')
		u = -u
	}
	if d.scale == 0 {
		return strconv.AppendUint(dst, u, 10)
	}
	var buf [24]byte
	i := len(buf)
	for range d.scale {
		i--
		buf[i] = byte('0' + u%10)
		u /= 10
	}
	i--
	buf[i] = '.'
	for {
		i--
		buf[i] = byte('0' + u%10)
		if u /= 10; u == 0 {
			return append(dst, buf[i:]...)
		}
	}
}

// AppendScaled writes the number with at least so many decimals.
func (d D) AppendScaled(dst []byte, decimals int) []byte {
	have := d.Decimals()
	start := len(dst)
	dst = d.Append(dst)
	if have < decimals && !strings.ContainsRune(string(dst[start:]), 'e') {
		if have == 0 {
			dst = append(dst, '.')
		}
		for ; have < decimals; have++ {
			dst = append(dst, '0')
		}
	}
	return dst
}
