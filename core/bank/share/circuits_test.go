package share_test

import (
	"encoding/json"
	"fmt"
	"math"
	"os"
	"testing"

	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
)

// circuit is a case with what a circuit simulator says of it; scripts/circuits makes the file.
type circuit struct {
	Bus           share.Bus
	StepMOhm      float64
	Series        int
	Ah, SoC, MOhm []float64
	LoadWatts     float64
	CutoffVolts   float64
	Amps          []float64
	Volts         float64
	WithoutFirst  []float64
	Hours         float64
	EndSoC        []float64
}

// The same network in a circuit simulator: currents within 0.5 %, charge moved within 1 %.
func TestAgainstACircuitSimulator(t *testing.T) {
	data, err := os.ReadFile("testdata/circuits.json")
	if err != nil {
		t.Fatal(err)
	}
	var cases []circuit
	if err := json.Unmarshal(data, &cases); err != nil || len(cases) < 60 {
		t.Fatalf("%d cases, %v", len(cases), err)
	}
	compared := 0
	for n, c := range cases {
		in := share.Input{Bus: c.Bus, StepMOhm: c.StepMOhm, LoadWatts: c.LoadWatts, CutoffVolts: c.CutoffVolts}
		for i := range c.Ah {
			in.Strings = append(in.Strings, share.Line{ID: fmt.Sprint(i), Series: c.Series, Chemistry: chem.LFP,
				Ah: c.Ah[i], SoC: &c.SoC[i], MOhm: c.MOhm[i], TripAmps: 1e5})
		}
		r := solve(t, in)
		total := c.LoadWatts / c.Volts
		for i := range c.Ah {
			id := fmt.Sprint(i)
			if off := math.Abs(r.Amps[id] - c.Amps[i]); off > 0.005*max(math.Abs(c.Amps[i]), total/10) {
				t.Errorf("case %d, %s, string %d: %.4f A, the simulator says %.4f A", n, c.Bus, i, r.Amps[id],
					c.Amps[i])
			}
			if i == 0 {
				continue
			}
			if off :=
				math.Abs(r.AfterTrip[0].Amps[id] - c.WithoutFirst[i]); off > 0.005*max(math.Abs(c.WithoutFirst[i]),
				total/10) {
				t.Errorf("case %d, %s, string %d without the first: %.4f A, the simulator says %.4f A", n, c.Bus, i,
					r.AfterTrip[0].Amps[id], c.WithoutFirst[i])
			}
		}
		if math.Abs(r.Volts/c.Volts-1) > 0.001 {
			t.Errorf("case %d: %.4f V, the simulator says %.4f V", n, r.Volts, c.Volts)
		}
		// The charge that each gave by then, between the two moments around it.
		for k, m := range r.Discharge {
			at := c.Hours * 3600 * 0.9999
			if k == 0 || m.Seconds < at {
				continue
			}
			before := r.Discharge[k-1]
			w := (at - before.Seconds) / (m.Seconds - before.Seconds)
			given, moved := 0.0, 0.0
			for i := range c.Ah {
				id := fmt.Sprint(i)
				soc := before.SoC[id] + w*(m.SoC[id]-before.SoC[id])
				given = max(given, math.Abs(soc-c.EndSoC[i])*c.Ah[i])
				moved += math.Abs(c.SoC[i]-c.EndSoC[i]) * c.Ah[i]
			}
			compared++
			if given > 0.01*moved {
				t.Errorf("case %d: charge is off by %.4f Ah of %.4f Ah", n, given, moved)
			}
			break
		}
	}
	if compared < 50 {
		t.Errorf("only %d discharges lasted long enough to compare", compared)
	}
}
