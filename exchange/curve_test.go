package exchange_test

import (
	"slices"
	"strings"
	"testing"

	"pandrel/exchange"
)

func TestReadCurve(t *testing.T) {
	for name, text := range map[string]string{
		"blanks": "0 3.2\n50 3.71\n100 4.19\n", "decimal commas": "0;3,2\n50;3,71\n100;4,19",
		"commas between":         "soc_pct,volts\n0,3.2\n50,3.71\n100,4.19\n",
		"tabs, a mark and names": "\ufeffSoC\tV\r\n0\t3.2\r\n50\t3.71\r\n100\t4.19\r\n",
		"three names":            "charge at rest\n0 3.2\n50 3.71\n\n100 4.19",
	} {
		t.Run(name, func(t *testing.T) {
			soc, volts, err := exchange.ReadCurve([]byte(text))
			if err != nil || !slices.Equal(soc, []float64{0, 50, 100}) ||
				!slices.Equal(volts, []float64{3.2, 3.71, 4.19}) {
				t.Errorf("%s: %v %v %v", name, soc, volts, err)
			}
		})
	}
	for name, c := range map[string]struct{ text, says string }{
		"empty": {"\n\n", "no points"}, "a word": {"0 3.2\n50 hello", "line 2"},
		"three numbers": {"0 3.2 1\n", "line 1"}, "one number": {"0 3.2\n50", "line 2"},
		"too many": {strings.Repeat("1 3\n", 600), "more than 500"},
	} {
		t.Run(name, func(t *testing.T) {
			if _, _, err := exchange.ReadCurve([]byte(c.text)); err == nil || !strings.Contains(err.Error(), c.says) {
				t.Errorf("%s: %v", name, err)
			}
		})
	}
}

func FuzzReadCurve(f *testing.F) {
	f.Add("soc,volts\n0,3.2\n")
	f.Add("0;3,2\n1;;")
	f.Fuzz(func(t *testing.T, s string) {
		soc, volts, err := exchange.ReadCurve([]byte(s))
		if err == nil && (len(soc) != len(volts) || len(soc) == 0) {
			t.Errorf("%d and %d", len(soc), len(volts))
		}
	})
}
