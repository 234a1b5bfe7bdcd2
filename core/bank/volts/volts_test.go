package volts_test

import (
	"fmt"
	"math"
	"testing"

	"pandrel/core/bank/volts"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// The points of the rules' table come back both ways, for every chemistry and count.
func TestTheTableBothWays(t *testing.T) {
	for _, k := range chem.All() {
		soc, v := k.Curve.Points()
		for _, s := range []int{1, 4, 7, 16} {
			b := volts.Bank{Chemistry: k.ID, Series: s, RestMin: 60, Accuracy: 1e-9}
			for i := range soc {
				st, err := volts.FromSoC(b, soc[i]/100)
				if err != nil || math.Abs(st.RestVolts-float64(s)*v[i]) > 1e-9 {
					t.Errorf("%s %v %%: %v V, %v", k.ID, soc[i], st.RestVolts, err)
				}
				back, err := volts.FromVolts(b, st.RestVolts)
				if err != nil || math.Abs(back.SoC-soc[i]/100) > 1e-6 || back.SoCLow > back.SoC ||
					back.SoCHigh < back.SoC {
					t.Errorf("%s %v V: %+v, %v", k.ID, st.RestVolts, back, err)
				}
			}
		}
	}
}

// What a current takes off the posts is put back: the rest voltage under a load, and the charge.
func TestUnderLoad(t *testing.T) {
	b := volts.Bank{Chemistry: chem.NMC, Series: 7, Ah: 50, MOhm10s: 20, Amps: 30}
	st, _ := volts.FromSoC(b, 0.5)
	if math.Abs(st.LoadVolts-(st.RestVolts-0.6)) > 1e-9 {
		t.Errorf("%v V under load of %v V", st.LoadVolts, st.RestVolts)
	}
	back, _ := volts.FromVolts(b, st.LoadVolts)
	if math.Abs(back.SoC-0.5) > 1e-6 {
		t.Errorf("%v", back.SoC)
	}
	b.MOhm10s = 0 // typical: an interval, and the true one inside
	back, _ = volts.FromVolts(b, st.LoadVolts)
	if !(back.SoCLow < 0.5 && back.SoCHigh > 0.5) || back.SoCHigh-back.SoCLow < 0.1 {
		t.Errorf("%+v", back)
	}
}

func TestTheFlatStretch(t *testing.T) {
	b := volts.Bank{Chemistry: chem.LFP, Series: 8, RestMin: 60}
	st, _ := volts.FromVolts(b, 8*3.30)
	if !st.Flat || !st.CannotTell || st.SoCHigh-st.SoCLow < 0.3 {
		t.Errorf("%+v", st)
	}
	for v, level := range map[float64]finding.Level{8 * 1.9: finding.Refuse, 8 * 2.6: finding.Caution,
		8 * 3.7: finding.Stop, 8 * 3.2: finding.Note} {
		st, err := volts.FromVolts(b, v)
		if err != nil || finding.Worst(volts.JudgeState(b, st)) != level {
			t.Errorf("%v V: %v %+v", v, err, volts.JudgeState(b, st))
		}
	}
}

// A window is the same from charge and from volts; its energy adds up over its parts and to the whole.
func TestWindows(t *testing.T) {
	for _, k := range chem.All() {
		b := volts.Bank{Chemistry: k.ID, Series: 7, Ah: 40}
		w, err := volts.Window(b, 0.2, 0.9)
		if err != nil {
			t.Fatal(err)
		}
		v, err := volts.WindowOfVolts(b, w.Low.RestVolts, w.High.RestVolts)
		if err != nil || math.Abs(v.Share-0.7) > 1e-6 {
			t.Errorf("%s: %v of 0.7, %v", k.ID, v.Share, err)
		}
		a, _ := volts.Window(b, 0.2, 0.5)
		c, _ := volts.Window(b, 0.5, 0.9)
		all, _ := volts.Window(b, 0, 1)
		if math.Abs(a.UsableKWh+c.UsableKWh-w.UsableKWh) > 1e-4*w.UsableKWh ||
			math.Abs(all.UsableKWh-all.WholeKWh) > 1e-9 {
			t.Errorf("%s: %v + %v kWh is not %v kWh", k.ID, a.UsableKWh, c.UsableKWh, w.UsableKWh)
		}
	}
	if _, err := volts.Window(volts.Bank{Chemistry: chem.LFP, Series: 8}, 0.9, 0.2); err == nil {
		t.Error("from 90 to 20 %")
	}
}

func ExampleFromVolts() {
	st, _ := volts.FromVolts(volts.Bank{Chemistry: chem.LFP, Series: 8, RestMin: 60}, 26)
	fmt.Printf("%.0f to %.0f %%\n", st.SoCLow*100, st.SoCHigh*100)
	// Output: 19 to 39 %
}

func BenchmarkWindow(b *testing.B) {
	for b.Loop() {
		if _, err := volts.Window(volts.Bank{Chemistry: chem.NMC, Series: 14, Ah: 100}, 0.1, 0.9); err != nil {
			b.Fatal(err)
		}
	}
}
