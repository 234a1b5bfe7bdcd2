package numeral_test

import (
	"fmt"
	"strings"
	"testing"

	"pandrel/core/base/numeral"
)

func TestTextNeverHasAnExponent(t *testing.T) {
	for v, want := range map[float64]string{10000: "10000", 12345.6: "12346", 37820: "37820", 3.78249: "3.782",
		0.25: "0.25", 0.00012: "0.00012", -1500: "-1500", 0: "0", 999.96: "1000", 58.4: "58.4", 1e9: "1000000000"} {
		t.Run(fmt.Sprint(v), func(t *testing.T) {
			if got := numeral.Text(v); got != want || strings.ContainsAny(got, "eE") {
				t.Errorf("%v: %q, expected %q", v, got, want)
			}
		})
	}
}
