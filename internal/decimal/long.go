package decimal

import (
	"cmp"
	"math"
	"math/big"
	"strconv"
	"strings"
)

// long is a number of any precision: coef * 10^exp. One that stands in a D is never changed.
type long struct {
	coef big.Int
	exp  int
}

// least is the smallest exponent of a result; what is nearer to 0 is an overflow.
const least = -5000

// rounding says which whole number is taken for one between two.
type rounding uint8

const (
	halfEven rounding = iota
	downward
	upward
)

var powers = func() (p [64]big.Int) {
	p[0].SetInt64(1)
	for i := range p[1:] {
		p[i+1].Mul(&p[i], big.NewInt(10))
	}
	return p
}()

// tenTo is 10^n, not to be changed.
func tenTo(n int) *big.Int {
	if n < len(powers) {
		return &powers[n]
	}
	return new(big.Int).Exp(big.NewInt(10), big.NewInt(int64(n)), nil)
}

// parseDigits reads digits with at most one point among them, and a sign before them.
func parseDigits(s string) *long {
	whole, part, _ := strings.Cut(s, ".")
	a := &long{exp: -len(part)}
	a.coef.SetString(whole+part, 10) // a sign is read too
	return a
}

// long is the number in this form.
func (d D) long() *long {
	if d.big != nil {
		return d.big
	}
	a := &long{exp: -int(d.scale)}
	a.coef.SetInt64(d.coef)
	return a
}

// number makes it small where it can be.
func (a *long) number() D {
	if -maxScale <= a.exp && a.exp <= maxScale && a.coef.IsInt64() {
		c := a.coef.Int64()
		if a.exp <= 0 && c != math.MinInt64 {
			return D{coef: c, scale: int32(-a.exp)}
		}
		if a.exp > 0 {
			if c, ok := mul(c, pow10[a.exp]); ok {
				return D{coef: c}
			}
		}
	}
	return D{big: a}
}

// result is the outcome of a calculation, which may be too large.
func (a *long) result() (D, error) {
	if n := a.digits(); n > maxDigits || a.coef.Sign() != 0 && (n-1+a.exp > maxExponent || n-1+a.exp < least) {
		return D{}, ErrOverflow
	}
	return a.number(), nil
}

// digits is how many digits the coefficient has, 1 for 0.
func (a *long) digits() int {
	n := max(1, (a.coef.BitLen()-1)*30102/100000+1) // one too few at most, up to a hundred thousand bits
	if a.coef.CmpAbs(tenTo(n)) >= 0 {
		n++
	}
	return n
}

// adjusted is the exponent of the first digit.
func (a *long) adjusted() int { return a.digits() - 1 + a.exp }

// alignLong gives the coefficients of two numbers at the lesser of their exponents.
func alignLong(a, b *long) (x, y *big.Int, exp int) {
	x, y = &a.coef, &b.coef
	switch {
	case a.exp > b.exp:
		x = new(big.Int).Mul(x, tenTo(a.exp-b.exp))
	case b.exp > a.exp:
		y = new(big.Int).Mul(y, tenTo(b.exp-a.exp))
	}
	return x, y, min(a.exp, b.exp)
}

func (a *long) add(b *long) (D, error) {
	x, y, exp := alignLong(a, b)
	r := &long{exp: exp}
	r.coef.Add(x, y)
	return r.result()
}

func (a *long) mul(b *long) (D, error) {
	r := &long{exp: a.exp + b.exp}
	r.coef.Mul(&a.coef, &b.coef)
	return r.result()
}

func (a *long) mod(b *long) (D, error) {
	x, y, exp := alignLong(a, b)
	r := &long{exp: exp}
	r.coef.Rem(x, y)
	return r.result()
}

func (a *long) cmp(b *long) int {
	if s, t := a.coef.Sign(), b.coef.Sign(); s != t || s == 0 {
		return cmp.Compare(s, t)
	}
	if n, m := a.adjusted(), b.adjusted(); n != m { // it saves writing out what is far apart
		if (n > m) == (a.coef.Sign() > 0) {
			return 1
		}
		return -1
	}
	x, y, _ := alignLong(a, b)
	return x.Cmp(y)
}

// reduced is the number without zeros at its end.
func (a *long) reduced() *long {
	r := &long{exp: a.exp}
	if a.coef.Sign() == 0 {
		return &long{}
	}
	text := a.coef.String()
	zeros := len(text) - len(strings.TrimRight(text, "0"))
	r.coef.Quo(&a.coef, tenTo(zeros))
	r.exp += zeros
	return r
}

// to is the number with another exponent, rounded where it is the greater; false where it would have too many digits.
func (a *long) to(exp int, how rounding) (*long, bool) {
	r := &long{exp: exp}
	if exp <= a.exp {
		r.coef.Mul(&a.coef, tenTo(a.exp-exp))
		return r, r.digits() <= maxDigits
	}
	unit, rest := tenTo(exp-a.exp), new(big.Int)
	r.coef.QuoRem(&a.coef, unit, rest)
	sign := int64(rest.Sign())
	away := false
	switch how {
	case downward:
		away = sign < 0
	case upward:
		away = sign > 0
	default:
		half := rest.Lsh(rest, 1).CmpAbs(unit)
		away = half > 0 || half == 0 && r.coef.Bit(0) == 1
	}
	if away {
		r.coef.Add(&r.coef, big.NewInt(sign))
	}
	return r, true
}

// plain writes the number without an exponent.
func (a *long) plain(dst []byte) []byte {
	start := len(dst)
	dst = a.coef.Append(dst, 10)
	if a.exp >= 0 {
		return append(dst, strings.Repeat("0", a.exp)...)
	}
	if a.coef.Sign() < 0 {
		start++
	}
	digits := string(dst[start:])
	if lacks := 1 - a.exp - len(digits); lacks > 0 {
		digits = strings.Repeat("0", lacks) + digits
	}
	at := len(digits) + a.exp
	return append(append(append(dst[:start], digits[:at]...), '.'), digits[at:]...)
}

// scientific writes the number with one digit before the point, and an exponent.
func (a *long) scientific(dst []byte) []byte {
	start := len(dst)
	dst = a.coef.Append(dst, 10)
	if a.coef.Sign() < 0 {
		start++
	}
	digits := string(dst[start:])
	dst = append(dst[:start], digits[0])
	if len(digits) > 1 {
		dst = append(append(dst, '.'), digits[1:]...)
	}
	return strconv.AppendInt(append(dst, 'e'), int64(a.adjusted()), 10)
}
