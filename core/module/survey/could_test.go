package survey_test

import (
	"fmt"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/module/survey"
)

func ExampleMayBe() {
	fmt.Println(survey.MayBe("", nil, []float64{3.92, 3.92}, 0.01, 1440, 0).Which())
	// Output: By these volts it could be NMC, LMO blend or NCA, 53 to 76 % full, and not LFP or LTO.
}

// What stands above its curve may be full, whatever the others would be: it is never counted among those that are not.
func TestAboveTheCurveOfOne(t *testing.T) {
	c := survey.MayBe("", nil, []float64{3.58}, 0.01, 1440, 0)
	for _, text := range []string{c.Which(), c.Full("it is")} {
		if !strings.Contains(text, "LFP, full or just off a charger") {
			t.Errorf("3.58 V a group: %s", text)
		}
	}
}

func TestWhatVoltsLeaveOpen(t *testing.T) {
	all := []chem.ID{chem.LFP, chem.NMC, chem.LMO, chem.NCA, chem.LTO}
	for _, c := range []struct {
		name     string
		declared chem.ID
		volts    []float64
		could    []chem.ID
		low      float64
		high     float64 // 0 for nothing in per cent
	}{
		{"nearly full", "", []float64{4.10}, all[1:4], 86, 97},
		{"above what most hold at rest", chem.LFP, []float64{3.475}, all[:1], 0, 0},
		{"one beyond, one not", chem.LFP, []float64{3.475, 3.30}, all[:1], 0, 0},
		{"and turned round", chem.LFP, []float64{3.30, 3.475}, all[:1], 0, 0},
		{"where one is half full and others empty", "", []float64{2.34}, all, 0, 72},
		{"an empty one", chem.NMC, []float64{2.60}, all[1:2], 0, 1},
	} {
		t.Run(c.name, func(t *testing.T) {
			got := survey.MayBe(c.declared, nil, c.volts, 0.01, 1440, 0)
			if !slices.Equal(got.Chemistries, c.could) || (got.Pct != nil) != (c.high > 0) {
				t.Fatalf("%v, %v", got.Chemistries, got.Pct)
			}
			if got.Pct != nil && (got.Pct[0] < c.low || got.Pct[1] > c.high) {
				t.Errorf("%v, expected within %v to %v", *got.Pct, c.low, c.high)
			}
		})
	}
}
