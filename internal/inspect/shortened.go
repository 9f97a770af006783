package inspect

import (
	"fmt"
	"strings"

	"revuelta/internal/diag"
)

// shortened finds long numbers, of one size, that an office program wrote with six digits, as it does with those of twelve digits and
// more: 6.12834E+11. The others are lost to the file.
func (s *sample) shortened() []Finding {
	var out []Finding
	for _, f := range s.fields {
		sizes, all := map[string]int{}, 0
		for _, c := range f.cells {
			digits, size, ok := strings.Cut(c, "E+")
			if !ok || len(size) != 2 || size < "11" || len(digits) > 7 || len(digits) < 4 || digits[1] != '.' || !isNumber(digits) {
				continue
			}
			sizes[size]++
			all++
		}
		most := 0
		for _, n := range sizes {
			most = max(most, n)
		}
		if all < 5 || !share(all, f.filled, 0.3) || !share(most, all, 0.9) {
			continue
		}
		out = append(out, Finding{Kind: "shortened", Part: Told, Fields: []string{f.name}, Says: diag.Quote(f.name) + " holds long numbers of which the file has six digits only",
			Evidence: fmt.Sprintf("%s, as %s", of(all, f.filled), f.example(func(c string) bool { return strings.Contains(c, "E+") })),
			Question: "can the file be had from its source once more, with these as texts? The digits are not in it"})
	}
	return out
}
