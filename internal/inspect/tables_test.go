package inspect

import (
	"testing"

	"github.com/stretchr/testify/assert"

	"revuelta/internal/format"
)

// TestUngarbled: texts that were read in the wrong encoding before, and those that only look so.
func TestUngarbled(t *testing.T) {
	for garbled, want := range map[string]string{
		"JosÃ©": "José", "Zoâ€™e": "Zo’e", "GrÃ¼n": "Grün", "PlÃ¡cido": "Plácido", "â‚¬ 5": "€ 5",
		"São": "", "MÃE": "", "Ânia": "", "Ã": "", "plain": "", "Åland": "", "Â": "", "Ð”Ð°": "Да", "Ã©\x00": "",
	} {
		got, ok := ungarbled(garbled)
		assert.Equal(t, want != "", ok, garbled)
		if ok {
			assert.Equal(t, want, got, garbled)
		}
	}
}

// TestIsUnit: what stands in a row of units.
func TestIsUnit(t *testing.T) {
	for _, u := range []string{"kg", "(kg)", "[m/s]", "°C", "%", "kg m-2 s-1", "km/h", "€", "ppm", "W/m^2", "mg/l", " kg ", "-", "kWh"} {
		assert.True(t, isUnit(u), u)
	}
	for _, u := range []string{"", "few", "kilos of honey", "Vesk", "lot 1", "12", "()", "kgs and more of them, all weighed"} {
		assert.False(t, isUnit(u), u)
	}
}

// TestLoose: spellings that are one, and those that are not.
func TestLoose(t *testing.T) {
	for _, p := range [][2]string{{"Old Quay", "old  quay"}, {"St. Ulm", "st ulm"}, {"O'Bree", "OBree"}, {"Mill-Bridge", "millbridge"}, {"a_b", "ab"}} {
		assert.Equal(t, loose(p[0]), loose(p[1]), p)
	}
	for _, p := range [][2]string{{"kg/m2", "kg m2"}, {"-115", "115"}, {"W m-2", "W m2"}, {"kgm-2", "kgm2"}, {"(5)", "5"}, {"a+b", "ab"}, {"5%", "5"}} {
		assert.NotEqual(t, loose(p[0]), loose(p[1]), p)
	}
}

// TestGlobOf: globs that take some sheets and no other.
func TestGlobOf(t *testing.T) {
	parts := func(names ...string) (out []format.Part) {
		for _, n := range names {
			out = append(out, format.Part{Name: n, Empty: n == "empty"})
		}
		return out
	}
	for _, c := range []struct {
		these []string
		all   []format.Part
		want  string
	}{
		{[]string{"a", "b"}, parts("a", "b"), "*"},
		{[]string{"a", "b"}, parts("a", "b", "empty"), "*"},
		{[]string{"2024-01", "2024-02"}, parts("Notes", "2024-01", "2024-02"), "2024-0*"},
		{[]string{"Vesk hives", "Ulmo hives"}, parts("Vesk hives", "Ulmo hives", "Plan"), "* hives"},
		{[]string{"a", "b"}, parts("a", "b", "c"), ""},
	} {
		assert.Equal(t, c.want, globOf(c.these, c.all), c.these)
	}
}

// TestFigure: calculated numbers have the digits that are of use.
func TestFigure(t *testing.T) {
	for f, want := range map[float64]string{501358806.8872: "501358806.8872", 9.592592: "9.59259", 0.1: "0.1", 1234567: "1234567", -0.000012345678: "-0.0000123457", 0: "0", 167119605.62906718: "167119605.6291"} {
		assert.Equal(t, want, Figure(f))
	}
}
