package pack_test

import (
	"fmt"
	"math"
	"math/bits"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/procedure/gates"
	"pandrel/core/procedure/pack"
)

func equal(n int, v float64) []float64 {
	out := make([]float64, n)
	for i := range out {
		out[i] = v
	}
	return out
}

func ExampleSplit() {
	p, _ := pack.Split(pack.Pack{Volts: equal(12, 25.9), DisconnectAfter: 6})
	for _, l := range p.Lifts {
		fmt.Printf("after %d: %.1f V\n", l.After, l.LargestVolts)
	}
	// Output:
	// after 6: 155.4 V
	// after 2: 155.4 V
	// after 8: 103.6 V
	// after 4: 103.6 V
	// after 10: 51.8 V
}

// brute finds the fewest lifts by trying every set of bridges.
func brute(p pack.Pack, limit float64) int {
	n := len(p.Volts)
	fixed := map[int]bool{}
	for _, f := range p.Fixed {
		fixed[f] = true
	}
	best := n + 1
	for set := 0; set < 1<<(n-1); set++ {
		ok := p.DisconnectAfter == 0 || set&(1<<(p.DisconnectAfter-1)) != 0
		piece := 0.0
		for i := 0; i < n && ok; i++ {
			piece += p.Volts[i]
			ok = piece <= limit
			if i < n-1 && set&(1<<i) != 0 {
				ok = ok && (!fixed[i+1] || i+1 == p.DisconnectAfter)
				piece = 0
			}
		}
		if ok {
			best = min(best, bits.OnesCount(uint(set)))
		}
	}
	return best
}

func TestFewestLifts(t *testing.T) {
	rng := rand.New(rand.NewPCG(81, 81))
	for n := range 200 {
		var p pack.Pack
		for range 2 + rng.IntN(11) {
			p.Volts = append(p.Volts, 8+30*rng.Float64())
		}
		if rng.IntN(2) == 0 {
			p.DisconnectAfter = 1 + rng.IntN(len(p.Volts)-1)
		}
		for range rng.IntN(3) {
			p.Fixed = append(p.Fixed, 1+rng.IntN(len(p.Volts)-1))
		}
		p.Fixed = slices.DeleteFunc(p.Fixed, func(f int) bool { return f == p.DisconnectAfter })
		plan, err := pack.Split(p)
		if err != nil {
			t.Fatal(err)
		}
		want := brute(p, limits.TouchDryVolts)
		if plan.WholeVolts <= limits.TouchDryVolts {
			continue
		}
		if (want <= len(p.Volts)) != plan.Reached || plan.Reached && len(plan.Lifts) != want {
			t.Errorf("case %d %+v: %d lifts, reached %v, fewest %d", n, p, len(plan.Lifts), plan.Reached, want)
		}
		last := plan.WholeVolts
		for _, l := range plan.Lifts {
			if l.LargestVolts > last+1e-9 {
				t.Errorf("case %d: the largest piece grew", n)
			}
			last = l.LargestVolts
			sum := 0.0
			for _, x := range l.Pieces {
				sum += x.Volts
			}
			if math.Abs(sum-plan.WholeVolts) > 1e-6 {
				t.Errorf("case %d: the pieces add up to %.2f of %.2f V", n, sum, plan.WholeVolts)
			}
			if slices.Contains(p.Fixed, l.After) {
				t.Errorf("case %d: a fixed bridge was lifted", n)
			}
		}
		if p.DisconnectAfter > 0 && (!plan.Lifts[0].Disconnect || plan.Lifts[0].After != p.DisconnectAfter) {
			t.Errorf("case %d: the disconnect is not first", n)
		}
	}
}

func TestFindings(t *testing.T) {
	has := func(p pack.Pack, code string) bool {
		plan, err := pack.Split(p)
		if err != nil {
			t.Fatal(err)
		}
		return slices.ContainsFunc(plan.Findings, func(f finding.Finding) bool { return f.Code == code && f.Do != "" })
	}
	high := pack.Pack{Volts: equal(10, 25)}
	if !has(high, "shock") || !has(high, "no-disconnect") || has(high, "piece-above-limit") {
		t.Error("a high pack")
	}
	if low := (pack.Pack{Volts: equal(2, 25)}); has(low, "shock") {
		t.Error("a low pack was called dangerous to touch")
	}
	if !has(pack.Pack{Volts: equal(2, 25), WetPlace: true}, "shock") {
		t.Error("in a wet place 50 V is above the limit")
	}
	if !has(pack.Pack{Volts: []float64{80, 20}, DisconnectAfter: 1}, "piece-above-limit") {
		t.Error("a module above the limit by itself")
	}
	if plan, _ := pack.Split(pack.Pack{Volts: equal(6, 25), Fixed: []int{1, 2, 3, 4, 5}}); plan.Reached ||
		len(plan.Lifts) != 0 {
		t.Error("a welded pack cannot be split")
	}
}

func TestUnusable(t *testing.T) {
	for _, p := range []pack.Pack{{}, {Volts: []float64{math.NaN()}}, {Volts: []float64{-2, 3}},
		{Volts: equal(3, 20), DisconnectAfter: 3}, {Volts: equal(3, 20), Fixed: []int{7}}} {
		if _, err := pack.Split(p); err == nil || !strings.Contains(err.Error(), "xpected") {
			t.Errorf("%+v: %v", p, err)
		}
	}
}

func BenchmarkSplit96Modules(b *testing.B) {
	p := pack.Pack{Volts: equal(96, 3.7*4), DisconnectAfter: 48}
	for b.Loop() {
		if plan, err := pack.Split(p); err != nil || !plan.Reached {
			b.Fatal(err)
		}
	}
}

func TestNothingPassesAnOpenGate(t *testing.T) {
	p := pack.Pack{Volts: equal(6, 25.9), DisconnectAfter: 3}
	plan, err := pack.Split(p)
	if err != nil {
		t.Fatal(err)
	}
	steps := pack.Steps(p, plan)
	var records []gates.Record
	for i, s := range steps {
		// Every later step waits for the first open gate.
		for _, later := range steps[i+1:] {
			_, f, err := gates.MayRecord(gates.States(steps, records), later.Key)
			if err != nil || s.Gate && f == nil {
				t.Fatalf("%s could be recorded before %s: %v", later.Key, s.Key, err)
			}
		}
		if _, f, _ := gates.MayRecord(gates.States(steps, records), s.Key); f != nil {
			t.Fatalf("%s waits: %s", s.Key, f.Text)
		}
		records = append(records, gates.Record{Key: s.Key, OK: true})
	}
	for _, st := range gates.States(steps, records) {
		if !st.Done || st.WaitsFor != "" {
			t.Errorf("%s: %+v", st.Key, st)
		}
	}
	if _, _, err := gates.MayRecord(gates.States(steps, nil), "dance"); err == nil {
		t.Error("a step that does not exist")
	}
}

func TestAnOverrideStaysAndAFailedReadingHolds(t *testing.T) {
	p := pack.Pack{Volts: equal(6, 25.9)}
	plan, _ := pack.Split(p)
	steps := pack.Steps(p, plan)
	records := []gates.Record{{Key: "history", OK: true}, {Key: "licensed", OK: true}, {Key: "person", OK: true},
		{Key: "equipment", OK: true}, {Key: "meter", OK: true}, {Key: "plug", OK: false}}
	if _, f, _ := gates.MayRecord(gates.States(steps, records), "isolation-before"); f == nil ||
		f.Level != finding.Stop {
		t.Error("a failed gate let the next step through")
	}
	records = append(records, gates.Record{Key: "plug", Override: "there is no service plug on this pack"})
	st := gates.States(steps, records)[5]
	if st.Key != "plug" || !st.Done || st.Overridden == "" {
		t.Errorf("%+v", st)
	}
	// Nobody passes over a gate of people, whatever an older record says.
	records[1] = gates.Record{Key: "licensed", Override: "alone by decision of the owner, phone at hand"}
	if st := gates.States(steps, records)[1]; st.Done || st.Overridden != "" {
		t.Errorf("%+v", st)
	}
	ok, f := pack.JudgeVolts(gates.Step{ExpectVolts: 77.7}, 78.2, limits.TouchDryVolts)
	if !ok || !strings.Contains(f.Text, "still above") {
		t.Errorf("%v, %+v", ok, f)
	}
	if ok, f := pack.JudgeVolts(gates.Step{ExpectVolts: 77.7}, 155, limits.TouchDryVolts); ok ||
		f.Level != finding.Stop || f.Do == "" {
		t.Errorf("%v, %+v", ok, f)
	}
}

func TestALowPackHasNoGatesButItsHistory(t *testing.T) {
	p := pack.Pack{Volts: equal(2, 25.9)}
	plan, _ := pack.Split(p)
	for _, s := range pack.Steps(p, plan) {
		if s.Gate != (s.Key == "history") {
			t.Errorf("%s: gate %v", s.Key, s.Gate)
		}
	}
}

// The sides of every place add up to the pack, fixed bridges are no places, and a reading from the
// main negative finds the place back.
func TestWhereTheDisconnectMaySit(t *testing.T) {
	p := pack.Pack{Volts: []float64{25.9, 25.7, 26.0, 25.8, 25.9, 12.9}, Fixed: []int{2}}
	places, err := pack.Places(p)
	if err != nil || len(places) != 4 || places[0].After != 3 {
		t.Fatalf("%+v %v", places, err)
	}
	for i, x := range places {
		if math.Abs(x.NegativeVolts+x.PositiveVolts-142.2) > 1e-9 || x.After == 2 || i > 0 &&
			x.LargerVolts() < places[i-1].LargerVolts()-1e-9 {
			t.Errorf("%+v", x)
		}
		for _, sign := range []float64{1, -1} { // the probes the other way round
			got, err := pack.Located(p, sign*(x.NegativeVolts+0.4))
			if err != nil || len(got) != 1 || got[0].After != x.After {
				t.Errorf("%.1f V: %+v %v", x.NegativeVolts, got, err)
			}
		}
	}
	if got, err := pack.Located(p, 38); err != nil || len(got) != 0 {
		t.Errorf("half a module: %+v %v", got, err)
	}
	if _, err := pack.Located(p, math.NaN()); err == nil {
		t.Error("not a voltage")
	}
	if _, err := pack.Places(pack.Pack{}); err == nil {
		t.Error("no modules")
	}
}
