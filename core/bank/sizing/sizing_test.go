package sizing_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
)

// The printed tables behind rules §10: 75 °C, 30 °C around.
func TestThePrintedTables(t *testing.T) {
	conduit := []float64{20, 25, 35, 50, 65, 85, 100, 115, 130, 150, 175, 200, 230}
	free := []float64{30, 35, 50, 70, 95, 125, 145, 170, 195, 230, 265, 310, 360}
	for i, n := range []int{14, 12, 10, 8, 6, 4, 3, 2, 1, 0, -1, -2, -3} {
		mm2 := sizing.GaugeMM2(n)
		for place, want := range map[sizing.Place]float64{sizing.Conduit: conduit[i], sizing.FreeAir: free[i]} {
			if got := sizing.CableAmps(sizing.Copper, mm2, place, 75, 30); math.Abs(got-want) > 1e-6*want {
				t.Errorf("AWG %d, %s: %v A, the table says %v A", n, place, got, want)
			}
		}
		if got := sizing.CableAmps(sizing.Copper, mm2, sizing.FreeAir, 60,
			30); math.Abs(got-free[i]*math.Sqrt(30.0/45)) > 1e-6*got {
			t.Errorf("AWG %d at a cell post: %v A", n, got)
		}
		if got := sizing.CableAmps(sizing.Copper, mm2, sizing.FreeAir, 75,
			50); math.Abs(got-free[i]*math.Sqrt(25.0/45)) > 1e-6*got {
			t.Errorf("AWG %d at 50 °C around: %v A", n, got)
		}
	}
	if got := sizing.GaugeMM2(10); math.Abs(got-5.26) > 0.01 {
		t.Errorf("AWG 10 is %v mm²", got)
	}
	if got := sizing.GaugeMM2(-3); math.Abs(got-107.2) > 0.1 {
		t.Errorf("AWG 4/0 is %v mm²", got)
	}
}

// Twice the length is twice the drop and the heat; twice the section is half of both; current goes in once and twice.
func TestUnits(t *testing.T) {
	r := rand.New(rand.NewPCG(5, 6))
	for range 200 {
		c := sizing.Cable{Amps: 1 + 200*r.Float64(), OneWayM: 0.1 + 10*r.Float64(), Volts: 12 + 40*r.Float64(),
			AmbientC: 25}
		mm2 := 1 + 100*r.Float64()
		a, err := sizing.Of(c, mm2)
		if err != nil {
			t.Fatal(err)
		}
		d := c
		d.OneWayM *= 2
		long, _ := sizing.Of(d, mm2)
		thick, _ := sizing.Of(c, 2*mm2)
		e := c
		e.Amps *= 2
		strong, _ := sizing.Of(e, mm2)
		for name, x := range map[string]float64{"length, drop": long.DropVolts / a.DropVolts / 2,
			"length, heat": long.LostWatts / a.LostWatts / 2, "section, drop": thick.DropVolts / a.DropVolts * 2,
			"amps, drop": strong.DropVolts / a.DropVolts / 2, "amps, heat": strong.LostWatts / a.LostWatts / 4,
			"amps, rise": strong.RiseK / a.RiseK / 4} {
			if math.Abs(x-1) > 1e-9 {
				t.Errorf("%s: off by %v", name, x)
			}
		}
		if want := c.Amps * 2 * c.OneWayM * 0.017241 * (1 + 0.00393*55) / mm2; math.Abs(a.DropVolts-want) > 1e-9*want {
			t.Errorf("%v V, by hand %v V", a.DropVolts, want)
		}
	}
}

// What is chosen does both, and the section below it fails one.
func TestChoose(t *testing.T) {
	r := rand.New(rand.NewPCG(7, 8))
	for range 200 {
		c := sizing.Cable{Amps: 1 + 150*r.Float64(), OneWayM: 3 * r.Float64(), Volts: 12 + 40*r.Float64(),
			DropShare: 0.03, AmbientC: 20 + 20*r.Float64(), AtPosts: r.IntN(2) == 0}
		s, err := sizing.Choose(c)
		if err != nil {
			continue
		}
		if s.BearsAmps < 1.25*c.Amps || s.DropShare > 0.03 {
			t.Fatalf("%+v: %+v", c, s)
		}
		for i, m := range sizing.Sections() {
			if m != s.MM2 || i == 0 {
				continue
			}
			if x, _ := sizing.Of(c, sizing.Sections()[i-1]); x.BearsAmps >= 1.25*c.Amps && x.DropShare <= 0.03 {
				t.Errorf("%v mm² would do, %v mm² was taken", x.MM2, s.MM2)
			}
		}
	}
	if _, err := sizing.Choose(sizing.Cable{Amps: 5000, OneWayM: 1, Volts: 48}); err == nil {
		t.Error("5000 A in one cable")
	}
}

func TestMeasuredStock(t *testing.T) {
	for _, c := range []struct {
		name string
		in   sizing.Stock
		mm2  float64
		bear float64 // 0: not compared
	}{
		{"strands", sizing.Stock{Strands: 512, StrandMM: 0.25, AmbientC: 30}, 512 * math.Pi / 4 * 0.0625, 0},
		{"a bar of 20 × 3 with a hole", sizing.Stock{WidthMM: 20, ThickMM: 3, HoleMM: 8.4, AmbientC: 30}, 34.8,
			7.73 * math.Sqrt(34.8) * math.Pow(46, 0.39) * math.Pow(0.6, 0.6)},
		{"aluminium", sizing.Stock{WidthMM: 20, ThickMM: 3, Metal: sizing.Aluminium, AmbientC: 30}, 60,
			0.78 * 7.73 * math.Sqrt(60) * math.Pow(46, 0.39) * math.Pow(0.6, 0.6)},
		{"a hot place", sizing.Stock{WidthMM: 20, ThickMM: 3, AmbientC: 50}, 60,
			7.73 * math.Sqrt(60) * math.Pow(46, 0.39) * math.Pow(0.2, 0.6)},
		{"15 mm pipe of 1 mm", sizing.Stock{PipeMM: 15, ThickMM: 1, AmbientC: 30}, math.Pi * 14, 0},
	} {
		m, err := sizing.Measure(c.in)
		if err != nil || math.Abs(m.MM2-c.mm2) > 1e-9*c.mm2 || c.bear > 0 &&
			math.Abs(m.BearsAmps-c.bear) > 1e-9*c.bear {
			t.Errorf("%s: %+v, %v; expected %v mm², %v A", c.name, m, err, c.mm2, c.bear)
		}
	}
	if _, err := sizing.Measure(sizing.Stock{WidthMM: 8, ThickMM: 3, HoleMM: 8.4}); err == nil {
		t.Error("a hole wider than the bar")
	}
}

func TestFuse(t *testing.T) {
	s, err := sizing.Fuse(sizing.FuseNeed{Amps: 75, ConductorAmps: 114, FullVolts: 29.2, DCMOhm: 12})
	if err != nil || s.RatingAmps != 100 || math.Abs(s.ProspectiveA-1.25*29.2/0.006) > 1e-6 {
		t.Errorf("%+v, %v", s, err)
	}
	for _, c := range []struct {
		name string
		in   sizing.FuseNeed
		code string
	}{
		{"a thin cable", sizing.FuseNeed{Amps: 75, ConductorAmps: 90, FullVolts: 29.2, DCMOhm: 12}, "fuse-none"},
		{"far from the cells", sizing.FuseNeed{Amps: 75, ConductorAmps: 114, FullVolts: 29.2, DCMOhm: 12,
			PlaceM: 0.5}, "fuse-far"},
		{"no resistance", sizing.FuseNeed{Amps: 75, ConductorAmps: 114, FullVolts: 29.2}, "prospective-not-known"},
		{"more than any breaks", sizing.FuseNeed{Amps: 75, ConductorAmps: 114, FullVolts: 400, DCMOhm: 2},
			"interrupt-none"},
		{"no conductor", sizing.FuseNeed{Amps: 75, FullVolts: 29.2, DCMOhm: 12}, "conductor-not-known"},
	} {
		s, err := sizing.Fuse(c.in)
		found := false
		for _, f := range s.Findings {
			found = found || f.Code == c.code
		}
		if err != nil || !found {
			t.Errorf("%s: no %s in %+v, %v", c.name, c.code, s.Findings, err)
		}
	}
	for _, k := range s.Kinds {
		if k == "blade automotive" || k == "aR, semiconductor" {
			t.Errorf("%s may not stand alone at 6 kA", k)
		}
	}
}

// The closed forms of a capacitor behind a resistor.
func TestPrecharge(t *testing.T) {
	f, err := sizing.Fill(sizing.Precharge{Volts: 52, Farads: 0.01, Ohms: 47})
	want := 47 * 0.01 * math.Log(20)
	if err != nil || math.Abs(f.SecondsLow-want) > 1e-9 || math.Abs(f.JoulesLow-0.5*0.01*52*52) > 1e-9 ||
		math.Abs(f.FirstAmps-52.0/47) > 1e-12 || math.Abs(f.HeldWatts-52.0*52/47) > 1e-9 ||
		math.Abs(f.LastStepV-2.6) > 1e-9 {
		t.Errorf("%+v, %v", f, err)
	}
	// A load behind the switch: the divider, and where it takes most, it never fills.
	f, _ = sizing.Fill(sizing.Precharge{Volts: 52, Farads: 0.01, Ohms: 47, LoadWatts: 2})
	load := 52.0 * 52 / 2
	if math.Abs(f.FinalVolts-52*load/(47+load)) > 1e-9 || f.NeverFills {
		t.Errorf("%+v", f)
	}
	f, _ = sizing.Fill(sizing.Precharge{Volts: 52, Farads: 0.01, Ohms: 47, LoadWatts: 60})
	if !f.NeverFills || !finding.Blocks(f.Findings) {
		t.Errorf("%+v", f)
	}
	f, _ = sizing.Fill(sizing.Precharge{Volts: 52, Watts: 3000, Ohms: 47})
	if f.FaradsLow >= f.FaradsHigh || f.SecondsLow >= f.SecondsHigh {
		t.Errorf("no bounds: %+v", f)
	}
	if _, err := sizing.Fill(sizing.Precharge{Volts: 52, Ohms: 47}); err == nil {
		t.Error("neither capacitance nor watts")
	}
}

func TestThePathsWeakest(t *testing.T) {
	es := []sizing.Element{{Name: "cable", EverAmps: 110}, {Name: "plug", EverAmps: 50, PeakAmps: 70, InParallel: 2},
		{Name: "breaker", EverAmps: 80, PeakAmps: 200}}
	r, err := sizing.Path(60, 90, es)
	if err != nil || r.Weakest != "breaker" || r.EverAmps != 80 || r.WeakestPeak != "cable" || r.PeakAmps != 110 ||
		finding.Blocks(r.Findings) {
		t.Errorf("%+v, %v", r, err)
	}
	if r, _ := sizing.Path(90, 90, es); !finding.Blocks(r.Findings) || len(r.ElementsOver) != 1 {
		t.Errorf("%+v", r)
	}
	if r, _ := sizing.Path(60, 120, es); !finding.Blocks(r.Findings) {
		t.Errorf("a surge above the cable: %+v", r)
	}
	if r, _ := sizing.Path(10, 10, append(es, sizing.Element{Name: "shunt"})); len(r.NotKnown) != 1 {
		t.Errorf("%+v", r)
	}
}

func TestJoints(t *testing.T) {
	rise := 25.0
	js := []sizing.Joint{{Name: "1", Kind: "bar", MilliV: 4.1}, {Name: "2", Kind: "bar", MilliV: -4.0}, {Name: "3",
		Kind: "bar", MilliV: 9.8}, {Name: "4", Kind: "bar", MilliV: 4.3}, {Name: "5", Kind: "lug", MilliV: 2,
		RiseK: &rise}, {Name: "6", Kind: "bond", MilliV: 1}, {Name: "7", Kind: "bond", MilliV: 2}}
	out, fs, err := sizing.Joints(40, js)
	if err != nil {
		t.Fatal(err)
	}
	var again []string
	for _, j := range out {
		if j.Retighten {
			again = append(again, j.Name)
		}
	}
	if fmt.Sprint(again) != "[3 5 7]" || math.Abs(out[2].MicroOhm-245) > 1e-9 || math.Abs(out[2].Watts-0.392) > 1e-9 {
		t.Errorf("%v, %+v", again, out[2])
	}
	if !finding.Blocks(fs) {
		t.Error("no stop")
	}
	if _, fs, _ := sizing.Joints(5, js[:2]); !slices.ContainsFunc(fs, func(f finding.Finding) bool {
		return f.Code == "current-small"
	}) {
		t.Errorf("5 A are enough: %+v", fs)
	}
	// All of them may be as bad: 0.2 mΩ and 5 W hold whatever their like show.
	for _, c := range []struct {
		amps, mv float64
		again    bool
	}{{40, 7.9, false}, {40, 8.1, true}, {40, 1000, true}, {200, 24, false}, {200, 26, true}} {
		like := []sizing.Joint{{Name: "1", Kind: "bar", MilliV: c.mv}, {Name: "2", Kind: "bar", MilliV: c.mv},
			{Name: "3", Kind: "bar", MilliV: c.mv}}
		out, fs, err := sizing.Joints(c.amps, like)
		if err != nil || out[0].Retighten != c.again || finding.Blocks(fs) != c.again {
			t.Errorf("%v mV at %v A: %+v %v", c.mv, c.amps, out, err)
		}
	}
	for n := range 3 { // a joint of its own kind, none, and all alike
		var alike []sizing.Joint
		for i := range n {
			alike = append(alike, sizing.Joint{Name: fmt.Sprint(i), MilliV: 3})
		}
		out, _, err := sizing.Joints(40, alike)
		if (err == nil) != (n > 0) || n > 0 && out[0].Retighten {
			t.Errorf("%d alike: %+v, %v", n, out, err)
		}
	}
}

func TestScrews(t *testing.T) {
	s := sizing.Screw{ThreadMM: 6, HoleMM: 12, BarMM: 3, RingMM: 2, WasherMM: 1.6, In: "aluminium"}
	x, err := sizing.Screwing(s)
	if err != nil || math.Abs(x.LowMM-15.6) > 1e-9 || math.Abs(x.HighMM-17.6) > 1e-9 || len(x.Standard) != 1 ||
		x.Standard[0] != 16 {
		t.Errorf("%+v, %v", x, err)
	}
	for length, code := range map[float64]string{12: "engages-little", 20: "tip-bottoms", 16: ""} {
		s.LengthMM = length
		x, _ := sizing.Screwing(s)
		got := ""
		if len(x.Findings) > 0 {
			got = x.Findings[0].Code
		}
		if got != code {
			t.Errorf("%v mm: %q, expected %q", length, got, code)
		}
	}
	s.LengthMM, s.HoleMM = 0, 8
	if x, _ := sizing.Screwing(s); !finding.Blocks(x.Findings) {
		t.Errorf("a hole of 8 mm for 9 mm of thread: %+v", x)
	}
}

func ExampleChoose() {
	s, _ := sizing.Choose(sizing.Cable{Amps: 75, OneWayM: 1.5, Volts: 24, AtPosts: true, AmbientC: 30})
	fmt.Printf("%v mm², %.0f A, %.2f %%\n", s.MM2, s.BearsAmps, s.DropShare*100)
	// Output: 25 mm², 114 A, 0.75 %
}

func BenchmarkChoose(b *testing.B) {
	for b.Loop() {
		if _, err := sizing.Choose(sizing.Cable{Amps: 75, OneWayM: 1.5, Volts: 24, AtPosts: true}); err != nil {
			b.Fatal(err)
		}
	}
}

// Below what is sold for power the policy's table holds, and nothing thinner than it carries a load.
func TestThinWiresBearLittle(t *testing.T) {
	for _, p := range []sizing.Place{sizing.FreeAir, sizing.Conduit} {
		for n, want := range map[int]float64{16: 10, 18: 7, 20: 5, 22: 3, 24: 2, 26: 1} {
			a := sizing.CableAmps(sizing.Copper, sizing.GaugeMM2(n), p, sizing.ColumnC, sizing.TableAmbientC)
			if p == sizing.FreeAir && math.Abs(a-want) > 0.01 || a > want+0.01 {
				t.Errorf("gauge %d bears %.2f A: expected %.0f", n, a, want)
			}
		}
		last := 0.0
		for mm2 := 0.05; mm2 < 3; mm2 += 0.05 {
			a := sizing.CableAmps(sizing.Copper, mm2, p, sizing.ColumnC, sizing.TableAmbientC)
			if a < last || mm2 < 0.12 && a != 0 || mm2 > 0.13 && a <= last {
				t.Errorf("%.2f mm² bears %.1f A after %.1f", mm2, a, last)
			}
			last = a
		}
	}
}
