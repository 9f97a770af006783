package decimal

import (
	"math"
	"math/big"
	"strconv"
)

// Rat is the number as a fraction.
func (d D) Rat() *big.Rat {
	if d.big == nil {
		return new(big.Rat).SetFrac(big.NewInt(d.coef), big.NewInt(pow10[d.scale]))
	}
	r := new(big.Rat).SetInt(&d.big.coef)
	if d.big.exp >= 0 {
		return r.Mul(r, new(big.Rat).SetInt(tenTo(d.big.exp)))
	}
	return r.Quo(r, new(big.Rat).SetInt(tenTo(-d.big.exp)))
}

// Per is the float64 nearest to d / n.
func (d D) Per(n int64) float64 {
	if d.big == nil && -1<<53 < d.coef && d.coef < 1<<53 {
		if div, ok := mul(n, pow10[d.scale]); ok && div < 1<<53 {
			return float64(d.coef) / float64(div) // both exact, so rounded once
		}
	}
	f, _ := new(big.Rat).Quo(d.Rat(), new(big.Rat).SetInt64(n)).Float64()
	return f
}

// AppendFloat appends a float64 in shortest form; the very large and small ones with an exponent.
func AppendFloat(dst []byte, f float64) []byte {
	if a := math.Abs(f); a != 0 && (a < 1e-7 || a >= 1e21) {
		start := len(dst)
		dst = strconv.AppendFloat(dst, f, 'e', -1, 64)
		for i := start; i < len(dst)-1; i++ { // e+21 is written e21
			if dst[i] == 'e' && dst[i+1] == '+' {
				return append(dst[:i+1], dst[i+2:]...)
			}
		}
		return dst
	}
	if f == 0 {
		f = 0 // no minus
	}
	return strconv.AppendFloat(dst, f, 'f', -1, 64)
}
