package join_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"testing"

	"pandrel/core/bank/join"
	"pandrel/core/base/chem"
)

// circuit is a case with what a circuit simulator says of it; scripts/circuits makes the file.
type circuit struct {
	Chemistry chem.ID
	Series    int
	Ah, SoC   []float64
	MOhm      []float64
	LinkMOhm  float64
	AtSeconds []float64
	Amps      [][]float64
	EndS      float64
	AhOut     []float64
}

// The same network in a circuit simulator: currents of the bank that gives or takes most within 0.5 %, charge within
// 1 %.
func TestAgainstACircuitSimulator(t *testing.T) {
	data, err := os.ReadFile("testdata/circuits.json")
	if err != nil {
		t.Fatal(err)
	}
	var cases []circuit
	if err := json.Unmarshal(data, &cases); err != nil || len(cases) < 60 {
		t.Fatalf("%d cases, %v", len(cases), err)
	}
	worstI, worstQ := 0.0, 0.0
	for n, c := range cases {
		in := join.Input{LinkMOhm: c.LinkMOhm}
		for i := range c.Ah {
			in.Banks = append(in.Banks, join.Bank{ID: fmt.Sprint(i), Chemistry: c.Chemistry, Series: c.Series,
				Ah: c.Ah[i], SoC: &c.SoC[i], MOhm10s: c.MOhm[i]})
		}
		r, err := join.Solve(in)
		if err != nil {
			t.Fatal(err)
		}
		lead := 0
		for i, p := range r.Parts {
			if math.Abs(p.FirstAmps) > math.Abs(r.Parts[lead].FirstAmps) {
				lead = i
			}
		}
		for k, s := range c.AtSeconds {
			if s > r.EndSeconds || math.Abs(c.Amps[k][lead]) < 2 { // below that the kept number has too few digits
				continue
			}
			off := math.Abs(math.Abs(r.At(s))/math.Abs(c.Amps[k][lead]) - 1)
			worstI = max(worstI, off)
			if off > 0.005 {
				t.Errorf("case %d after %v s: %.4f A, the simulator says %.4f A", n, s, r.At(s), c.Amps[k][lead])
			}
		}
		if c.EndS > r.EndSeconds*1.01 {
			continue // it ended by itself before the simulator's least time
		}
		for i, p := range r.Parts {
			if math.Abs(c.AhOut[i]) < 0.5 {
				continue
			}
			off := math.Abs(p.AhOut/c.AhOut[i] - 1)
			worstQ = max(worstQ, off)
			if off > 0.01 {
				t.Errorf("case %d, bank %d: %.4f Ah, the simulator says %.4f Ah", n, i, p.AhOut, c.AhOut[i])
			}
		}
	}
	t.Logf("worst: currents %.3f %%, charge %.3f %%", worstI*100, worstQ*100)
}
