package share_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/share"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func soc(v float64) *float64 { return &v }

func alike(n int, bus share.Bus) share.Input {
	in := share.Input{Bus: bus, StepMOhm: 0.1, LoadWatts: 3000, CutoffVolts: 44}
	for i := range n {
		in.Strings = append(in.Strings, share.Line{ID: fmt.Sprintf("S%d", i+1), Series: 16, Chemistry: chem.LFP,
			Ah: 100, SoC: soc(0.8), MOhm: 10, LeadPlusMOhm: 0.5, LeadMinusMOhm: 0.5, TripAmps: 100})
	}
	return in
}

func solve(t testing.TB, in share.Input) share.Result {
	t.Helper()
	r, err := share.Solve(in)
	if err != nil {
		t.Fatal(err)
	}
	return r
}

// Two strings on one end: a divider of 11 mΩ and 11.2 mΩ, by hand.
func TestTwoStringsByHand(t *testing.T) {
	r := solve(t, alike(2, share.End))
	if got := r.Amps["S1"] / r.Amps["S2"]; math.Abs(got-11.2/11) > 1e-9 {
		t.Errorf("shares %v, expected %v", got, 11.2/11)
	}
	if p := r.Volts * (r.Amps["S1"] + r.Amps["S2"]); math.Abs(p-3000) > 1e-6 {
		t.Errorf("%v W of 3000", p)
	}
	e := 16 * 3.332
	if got := e - r.Amps["S1"]*0.011; math.Abs(got-r.Volts) > 1e-9 {
		t.Errorf("%v V at the load, string 1 gives %v", r.Volts, got)
	}
}

// Diagonal and centre feeds share alike between two; the middle of two is alike too; one end is not.
func TestFeeds(t *testing.T) {
	for bus, want := range map[share.Bus]bool{share.Centre: true, share.Diagonal: true, share.Middle: true,
		share.End: false} {
		r := solve(t, alike(2, bus))
		if got := math.Abs(r.Amps["S1"]-r.Amps["S2"]) < 1e-9; got != want {
			t.Errorf("%s: %v", bus, r.Amps)
		}
	}
	// Of four on a diagonal the outer ones carry more than the inner ones, and the same.
	r := solve(t, alike(4, share.Diagonal))
	if math.Abs(r.Amps["S1"]-r.Amps["S4"]) > 1e-9 || r.Amps["S1"] <= r.Amps["S2"] {
		t.Errorf("%v", r.Amps)
	}
	if one, dia := solve(t, alike(8, share.End)).Unequal, solve(t, alike(8, share.Diagonal)).Unequal; one <= dia {
		t.Errorf("one end %v is no worse than a diagonal %v", one, dia)
	}
}

// Currents add up, volts agree round every loop, names and mirrored bars change nothing.
func TestKirchhoff(t *testing.T) {
	r := rand.New(rand.NewPCG(3, 9))
	for n := range 60 {
		in := share.Input{Bus: share.Buses()[r.IntN(4)], StepMOhm: r.Float64(), LoadWatts: 500 + r.Float64()*3000}
		for i := range 2 + r.IntN(6) {
			in.Strings = append(in.Strings, share.Line{ID: fmt.Sprint(i), Series: 16, Chemistry: chem.LFP, Ah: 50 +
				r.Float64()*200, SoC: soc(0.3 + 0.6*r.Float64()), MOhm: 5 + 20*r.Float64(), LeadPlusMOhm: r.Float64(),
				LeadMinusMOhm: r.Float64()})
		}
		a := solve(t, in)
		sum := 0.0
		for _, v := range a.Amps {
			sum += v
		}
		if math.Abs(sum*a.Volts-in.LoadWatts) > 1e-6*in.LoadWatts {
			t.Fatalf("case %d: %v W of %v", n, sum*a.Volts, in.LoadWatts)
		}
		loop(t, in, a)
		if in.Bus == share.End {
			continue
		}
		turned := in
		turned.Strings = slices.Clone(in.Strings)
		slices.Reverse(turned.Strings)
		b := solve(t, turned)
		for id := range a.Amps {
			if math.Abs(a.Amps[id]-b.Amps[id]) > 1e-7 {
				t.Errorf("case %d, %s: turned round, string %s carries %v, not %v", n, in.Bus, id, b.Amps[id],
					a.Amps[id])
			}
		}
	}
}

// loop walks from each string's plus along the bars to the load and back, and adds up the volts.
func loop(t *testing.T, in share.Input, r share.Result) {
	t.Helper()
	k, _ := chem.Lookup(chem.LFP)
	n := len(in.Strings)
	tap := map[share.Bus][2]float64{share.End: {0, 0}, share.Diagonal: {0, float64(n - 1)},
		share.Middle: {float64(n-1) / 2, float64(n-1) / 2}}[in.Bus]
	for i, s := range in.Strings {
		v := 16*k.Curve.Volts(*s.SoC) - r.Amps[s.ID]*(s.MOhm+s.LeadPlusMOhm+s.LeadMinusMOhm)/1000
		for side := range 2 {
			if in.Bus == share.Centre {
				break
			}
			const parts = 2 // half steps, so that the middle of an even number is a node
			for x := range parts * (n - 1) {
				at := (float64(x) + 0.5) / parts
				if (at < tap[side]) == (at < float64(i)) { // not between the string and the tap
					continue
				}
				flow := 0.0
				for j, o := range in.Strings {
					if (float64(j) < at) == (at < tap[side]) {
						flow += r.Amps[o.ID]
					}
				}
				v -= flow * in.StepMOhm / 1000 / parts
			}
		}
		if math.Abs(v-r.Volts) > 1e-7 {
			t.Errorf("%s, string %s: %v V round its loop, %v V at the load", in.Bus, s.ID, v, r.Volts)
		}
	}
}

// 3 kW at 44 V are 68 A: two strings of 60 A bear it, and neither bears it alone.
func TestCascade(t *testing.T) {
	in := alike(2, share.Centre)
	in.Strings[0].TripAmps, in.Strings[1].TripAmps = 60, 60
	r := solve(t, in)
	for _, x := range r.AfterTrip {
		if x.Carries || len(x.Then) != 1 {
			t.Errorf("%+v", x)
		}
	}
	if !finding.Blocks(r.Findings) || r.SurvivesW == nil || math.Abs(*r.SurvivesW-60*44) > 1e-6 {
		t.Errorf("survives %v W", r.SurvivesW)
	}
	in.LoadWatts = 60*44 - 1
	if r := solve(t, in); !r.AfterTrip[0].Carries {
		t.Errorf("just below: %+v", r.AfterTrip[0])
	}
	in = alike(3, share.Centre)
	in.Strings[2].TripAmps = 30
	r = solve(t, in)
	if got := r.AfterTrip[0]; !got.Carries || !slices.Equal(got.Then, []string{"S3"}) {
		t.Errorf("the weakest trips after the first and the last carries 68 A: %+v", got)
	}
	in.ChargerAmps = 250
	if r = solve(t, in); len(r.AfterChargeTrip) != 3 || r.AfterChargeTrip[0].Carries {
		t.Errorf("%+v", r.AfterChargeTrip)
	}
}

// Charge is conserved: what strings give and take as they level adds up, and equal strings move none.
func TestCirculating(t *testing.T) {
	if r := solve(t, alike(4, share.Centre)); r.CirculatingAh > 1e-6 || r.EndedBy == "" || r.Hours < 5 || r.Hours > 7 {
		t.Errorf("%v Ah between equals; %v h, ended by %q", r.CirculatingAh, r.Hours, r.EndedBy)
	}
	in := alike(2, share.Centre)
	in.Strings[0].MOhm, in.LoadWatts = 40, 6000
	r := solve(t, in)
	if r.CirculatingAh <= 0 || r.CirculatingA <= 0 {
		t.Errorf("unequal strings: %v Ah, %v A", r.CirculatingAh, r.CirculatingA)
	}
	last := r.Discharge[len(r.Discharge)-1]
	if last.SoC["S1"] <= last.SoC["S2"] {
		t.Errorf("the string of more resistance is not fuller: %v", last.SoC)
	}
	// No load at all: two at different charge level to where both rest alike.
	in = alike(2, share.Centre)
	in.LoadWatts, in.Strings[1].SoC = 0, soc(0.1)
	r = solve(t, in)
	k, _ := chem.Lookup(chem.LFP)
	a, b := 0.8-r.CirculatingAh/100, 0.1+r.CirculatingAh/100
	if d := k.Curve.Volts(a) - k.Curve.Volts(b); math.Abs(d) > 0.0005 {
		t.Errorf("they rest at %v and %v", k.Curve.Volts(a), k.Curve.Volts(b))
	}
}

func TestMoreThanThereIs(t *testing.T) {
	in := alike(2, share.Centre)
	in.LoadWatts = 1e6
	if r := solve(t, in); !finding.Blocks(r.Findings) || math.IsNaN(r.Volts) {
		t.Errorf("%+v", r.Findings)
	}
}

func TestUnusable(t *testing.T) {
	for name, change := range map[string]func(*share.Input){
		"none":         func(in *share.Input) { in.Strings = nil },
		"no such bus":  func(in *share.Input) { in.Bus = "ring" },
		"a name twice": func(in *share.Input) { in.Strings[1].ID = "S1" },
		"no chemistry": func(in *share.Input) { in.Strings[0].Chemistry = "x" },
		"no capacity":  func(in *share.Input) { in.Strings[0].Ah = 0 },
		"not a number": func(in *share.Input) { in.LoadWatts = math.NaN() },
		"no state":     func(in *share.Input) { in.Strings[0].SoC = nil },
		"above full":   func(in *share.Input) { in.Strings[0].SoC = soc(1.2) },
	} {
		in := alike(2, share.End)
		change(&in)
		if _, err := share.Solve(in); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExampleSolve() {
	in := share.Input{Bus: share.End, StepMOhm: 0.1, LoadWatts: 3000, CutoffVolts: 44}
	for i := range 4 {
		in.Strings = append(in.Strings, share.Line{ID: fmt.Sprint(i + 1), Series: 16, Chemistry: chem.LFP, Ah: 100,
			SoC: soc(0.8), MOhm: 10, TripAmps: 30})
	}
	r, _ := share.Solve(in)
	fmt.Printf("%.1f, %.1f, %.1f and %.1f A\n", r.Amps["1"], r.Amps["2"], r.Amps["3"], r.Amps["4"])
	fmt.Printf("when 1 trips: then %v, carries: %v\n", r.AfterTrip[0].Then, r.AfterTrip[0].Carries)
	// Output:
	// 15.1, 14.2, 13.7 and 13.4 A
	// when 1 trips: then [], carries: true
}

func BenchmarkSolve16(b *testing.B) {
	in := alike(16, share.Diagonal)
	for i := range in.Strings {
		in.Strings[i].MOhm = 8 + float64(i%5)
	}
	for b.Loop() {
		solve(b, in)
	}
}

func BenchmarkCascade16(b *testing.B) {
	in := alike(16, share.End)
	in.LoadWatts = 0
	for i := range in.Strings {
		in.Strings[i].TripAmps = 5
	}
	in.ChargerAmps = 100
	for b.Loop() {
		solve(b, in)
	}
}
