package chem_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/golden"
)

// The whole table, and each curve inside, at its ends and beyond them.
func TestWhatAChemistryIs(t *testing.T) {
	out := map[string]any{}
	for _, c := range chem.All() {
		soc, volts := c.Curve.Points()
		type at struct{ V, Slope, Beyond, BeyondSlope, Back float64 }
		var along []at
		for _, s := range []float64{-0.1, 0, 0.01, 0.05, 0.1, 0.25, 0.5, 0.77, 0.9, 0.95, 1, 1.1} {
			along = append(along, at{c.Curve.Volts(s), c.Curve.Slope(s), c.Curve.Beyond(s), c.Curve.BeyondSlope(s),
				c.Curve.BeyondSoC(c.Curve.Beyond(s))})
		}
		type of struct {
			SoC           float64
			Interval      chem.Interval
			Outside, Flat bool
			Width, Mid    float64
		}
		var back []of
		for _, v := range []float64{volts[0] - 0.2, volts[0], volts[1], (volts[2] + volts[3]) / 2, volts[4] + 0.003,
			volts[len(volts)-2], volts[len(volts)-1], volts[len(volts)-1] + 0.3} {
			i := c.Curve.SoCInterval(v, 0.005)
			back = append(back, of{c.Curve.SoC(v), i, c.Curve.Outside(v), c.Curve.Flat(v), i.Width(), i.Mid()})
		}
		var unsure []float64
		for _, rest := range []float64{0, 5, 10, 30, 59, 60, 120} {
			unsure = append(unsure, c.RestUncertaintyVolts(0.004, rest), c.RestUncertaintyVolts(0, rest))
		}
		plain := c
		plain.Curve = chem.Curve{}
		out[string(c.ID)] = []any{plain, soc, volts, along, back, unsure, c.TypicalMOhm(50), c.TypicalMOhm(5)}
	}
	golden.Same(t, "table", golden.Text(out))
	texts := map[string]any{}
	for _, s := range []string{"NMC", "nmc", "LFP", "LiFePO4", "lto", "LMO", "", "x", "lead", "NCA", "Li-ion"} {
		id, err := chem.Parse(s)
		texts[s] = []any{id, err}
	}
	type points struct{ SoC, Volts []float64 }
	golden.Same(t, "names", golden.Text(texts))
	golden.Judged(t, "own", []golden.Case[points]{{Name: "good", In: points{[]float64{0, 20, 50, 80, 100},
		[]float64{3.0, 3.5, 3.7, 3.95, 4.2}}}, {Name: "falls", In: points{[]float64{0, 50, 100}, []float64{3.0, 3.9,
		3.7}}}, {Name: "two points", In: points{[]float64{0, 100}, []float64{3, 4.2}}}}, func(p points) (any, error) {
		c, err := chem.OwnCurve(chem.NMC, p.SoC, p.Volts)
		if err != nil {
			return nil, err
		}
		d, err := chem.Points{SoCPct: p.SoC, Volts: p.Volts, Source: "s"}.Curve(chem.NMC)
		return []any{c.Volts(0.33), d.Volts(0.66), c.SoC(3.6)}, err
	})
}
