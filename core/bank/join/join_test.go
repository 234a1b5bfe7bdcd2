package join_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/bank/join"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

func soc(v float64) *float64 { return &v }

func two(a, b float64) join.Input {
	return join.Input{LinkMOhm: 2, Banks: []join.Bank{
		{ID: "A", Chemistry: chem.LFP, Series: 4, Ah: 100, SoC: soc(a), MOhm10s: 4},
		{ID: "B", Chemistry: chem.LFP, Series: 4, Ah: 100, SoC: soc(b), MOhm10s: 4}}}
}

// The first current is the difference of the rest voltages over all resistance.
func TestTheFirstCurrentIsOhms(t *testing.T) {
	r, err := join.Solve(two(0.9, 0.2))
	if err != nil {
		t.Fatal(err)
	}
	want := 4 * (3.337 - 3.225) / (2*0.004/1.13 + 0.002)
	if math.Abs(r.FirstAmps-want) > 1e-6 {
		t.Errorf("%v A, expected %v", r.FirstAmps, want)
	}
	if r.Giver != "A" || r.Receiver != "B" || r.Parts[0].FirstAmps <= 0 || r.Parts[1].FirstAmps >= 0 {
		t.Errorf("%s → %s, %+v", r.Giver, r.Receiver, r.Parts)
	}
}

// straight is a rest curve that is a line, for which the circuit has a closed solution.
func straight(t *testing.T, low, high float64) *chem.Curve {
	t.Helper()
	c, err := chem.NewCurve([]float64{0, 0.25, 0.5, 0.75, 1}, []float64{low, low + (high-low)/4, low + (high-low)/2,
		low + 3*(high-low)/4, high})
	if err != nil {
		t.Fatal(err)
	}
	return &c
}

// On straight curves two equal banks are one linear circuit of second order: u' = −2ki, v' = (iR1−v)/τ with
// i = (u − 2v)/R, solved by the eigenvalues of its 2 × 2 matrix.
func TestAgainstTheClosedSolution(t *testing.T) {
	line := straight(t, 3.0, 3.4)
	in := join.Input{LinkMOhm: 3, Banks: []join.Bank{
		{ID: "A", Chemistry: chem.LFP, Curve: line, Series: 8, Ah: 50, SoC: soc(0.6), MOhm10s: 9},
		{ID: "B", Chemistry: chem.LFP, Curve: line, Series: 8, Ah: 50, SoC: soc(0.4), MOhm10s: 9}}}
	r, err := join.Solve(in)
	if err != nil {
		t.Fatal(err)
	}
	r0, k := 0.009/1.13, 8*0.4/50/3600 // V per As
	r1, rt := 0.6*r0, 2*r0+0.003
	u0 := 8 * 0.4 * 0.2
	a, b := -2*k/rt, 4*k/rt
	c, d := r1/(rt*40), -2*r1/(rt*40)-1.0/40
	tr, det := a+d, a*d-b*c
	l1, l2 := (tr+math.Sqrt(tr*tr-4*det))/2, (tr-math.Sqrt(tr*tr-4*det))/2
	at := func(s float64) float64 { // x = e^{Mt} (u0, 0) by Sylvester's formula
		e1, e2 := math.Exp(l1*s), math.Exp(l2*s)
		u := u0 * ((a-l2)*e1 - (a-l1)*e2) / (l1 - l2)
		v := u0 * c * (e1 - e2) / (l1 - l2)
		return (u - 2*v) / rt
	}
	for _, p := range r.Current {
		if p[0] > 2000 {
			break
		}
		if want := at(p[0]); math.Abs(p[1]-want) > 2e-4*r.FirstAmps {
			t.Errorf("after %v s: %v A, expected %v", p[0], p[1], want)
		}
	}
	if r.SecondsTo1A == nil || math.Abs(at(*r.SecondsTo1A)-1) > 0.01 {
		t.Errorf("1 A after %v s, where the solution gives %v A", *r.SecondsTo1A, at(*r.SecondsTo1A))
	}
}

// random draws a case that a workshop might meet.
func random(r *rand.Rand) join.Input {
	id := chem.All()[r.IntN(5)].ID
	s := []int{1, 4, 7, 8, 14, 16}[r.IntN(6)]
	n := 2 + r.IntN(3)
	in := join.Input{LinkMOhm: r.Float64() * 10}
	for i := range n {
		in.Banks = append(in.Banks, join.Bank{ID: fmt.Sprint(i), Chemistry: id, Series: s, Ah: 5 + r.Float64()*300,
			SoC: soc(r.Float64()), MOhm10s: 1 + r.Float64()*40})
	}
	return in
}

// What one gives the others take, energy only goes where it may, and nothing hangs on order or names.
func TestConservation(t *testing.T) {
	r := rand.New(rand.NewPCG(11, 1))
	for n := range 80 {
		in := random(r)
		a, err := join.Solve(in)
		if err != nil {
			t.Fatal(err)
		}
		sum, most, first := 0.0, 0.0, 0.0
		for _, p := range a.Parts {
			sum += p.AhOut
			most = max(most, math.Abs(p.AhOut))
			first += p.FirstAmps
		}
		if math.Abs(sum) > 1e-6*max(most, 1) || math.Abs(first) > 1e-9*max(a.FirstAmps, 1) {
			t.Fatalf("case %d: %v Ah and %v A left over", n, sum, first)
		}
		given := 0.0 // joules that the rest voltages gave
		for i, p := range a.Parts {
			k, _ := chem.Lookup(in.Banks[i].Chemistry)
			const steps = 4000
			for j := range steps {
				x := p.SoC + (p.EndSoC-p.SoC)*(float64(j)+0.5)/steps
				given += float64(in.Banks[i].Series) * k.Curve.Volts(x) * p.AhOut / steps * 3600
			}
		}
		if given < -1 || a.HeatJ+a.CellsHeatJ > given*1.001+2 {
			t.Errorf("case %d: %v J of heat from %v J", n, a.HeatJ+a.CellsHeatJ, given)
		}
		back := in
		back.Banks = nil
		for i := len(in.Banks) - 1; i >= 0; i-- {
			back.Banks = append(back.Banks, in.Banks[i])
		}
		b, _ := join.Solve(back)
		if math.Abs(b.FirstAmps-a.FirstAmps) > 1e-9*max(1, a.FirstAmps) || math.Abs(b.AhMoved-a.AhMoved) > 1e-4*max(1,
			a.AhMoved) || len(a.Findings) != len(b.Findings) {
			t.Errorf("case %d: another order, another answer: %v and %v A, %v and %v Ah", n, a.FirstAmps, b.FirstAmps,
				a.AhMoved, b.AhMoved)
		}
	}
}

// Twice the capacity at half the resistance is twice the current in the same time.
func TestScaling(t *testing.T) {
	a, b := two(0.8, 0.1), two(0.8, 0.1)
	b.LinkMOhm /= 2
	for i := range b.Banks {
		b.Banks[i].Ah *= 2
		b.Banks[i].MOhm10s /= 2
	}
	x, _ := join.Solve(a)
	y, _ := join.Solve(b)
	if math.Abs(y.FirstAmps/x.FirstAmps-2) > 1e-9 || math.Abs(y.At(600)/x.At(600)-2) > 1e-3 {
		t.Errorf("%v and %v A; after ten minutes %v and %v", x.FirstAmps, y.FirstAmps, x.At(600), y.At(600))
	}
}

func TestVerdicts(t *testing.T) {
	nmc := func(va, vb float64) join.Input {
		return join.Input{LinkMOhm: 1, Banks: []join.Bank{
			{ID: "A", Chemistry: chem.NMC, Series: 7, Ah: 100, RestVolts: va, MOhm10s: 14},
			{ID: "B", Chemistry: chem.NMC, Series: 7, Ah: 100, RestVolts: vb, MOhm10s: 14}}}
	}
	for _, c := range []struct {
		name  string
		in    func() join.Input
		level finding.Level
		code  string
	}{
		{"level", func() join.Input { return nmc(26.0, 26.0) }, finding.Note, ""},
		{"40 mV", func() join.Input { return nmc(26.0, 25.96) }, finding.Note, ""},
		{"200 mV", func() join.Input { return nmc(26.0, 25.8) }, finding.Caution, "difference"},
		{"full onto empty", func() join.Input { return nmc(29.0, 22.5) }, finding.Refuse, "charge-current"},
		{"a small fuse", func() join.Input {
			x := nmc(26.0, 25.8)
			x.Limits.FuseAmps = 5
			return x
		}, finding.Refuse, "fuse-current"},
		{"another count", func() join.Input {
			x := nmc(26.0, 26.0)
			x.Banks[1].Series = 6
			return x
		}, finding.Refuse, "series-unlike"},
		{"another chemistry", func() join.Input {
			x := nmc(26.0, 26.0)
			x.Banks[1].Chemistry = chem.NCA
			return x
		}, finding.Refuse, "chemistry-unlike"},
		{"never recharge", func() join.Input { return nmc(26.0, 13.0) }, finding.Refuse, "never-recharge"},
		{"above 60 V", func() join.Input {
			x := nmc(3.7*16, 3.7*16)
			x.Banks[0].Series, x.Banks[1].Series = 16, 16
			return x
		}, finding.Caution, "high-voltage"},
		{"resistance not known", func() join.Input {
			x := nmc(26.0, 25.99)
			x.Banks[0].MOhm10s = 0
			return x
		}, finding.Note, "resistance-typical"},
	} {
		t.Run(c.name, func(t *testing.T) {
			r, err := join.Solve(c.in())
			if err != nil {
				t.Fatal(err)
			}
			if got := finding.Worst(r.Findings); got != c.level {
				t.Errorf("%v: %+v", got, r.Findings)
			}
			found := c.code == ""
			for _, f := range r.Findings {
				found = found || f.Code == c.code
			}
			if !found {
				t.Errorf("no %s: %+v", c.code, r.Findings)
			}
		})
	}
}

// What is said to pass passes: the difference, and the resistor for its time.
func TestWhatWouldPassPasses(t *testing.T) {
	for _, c := range []struct{ a, b float64 }{{0.95, 0.05}, {0.9, 0.4}, {0.6, 0.2}} {
		in := join.Input{LinkMOhm: 1, Banks: []join.Bank{
			{ID: "A", Chemistry: chem.NMC, Series: 7, Ah: 80, SoC: soc(c.a), MOhm10s: 12},
			{ID: "B", Chemistry: chem.NMC, Series: 7, Ah: 60, SoC: soc(c.b), MOhm10s: 20}}}
		r, _ := join.Solve(in)
		if r.Pass == nil {
			t.Fatalf("%v to %v passes already: this tests nothing", c.a, c.b)
		}
		level := in
		level.Banks = append([]join.Bank(nil), in.Banks...)
		k, _ := chem.Lookup(chem.NMC)
		low := k.Curve.SoC(r.Pass.ChargeToVolts / 7)
		level.Banks[1].SoC = &low
		if x, _ := join.Solve(level); finding.Blocks(x.Findings) {
			t.Errorf("charged to %.2f V it is refused all the same: %+v", r.Pass.ChargeToVolts, x.Findings[0])
		}
		through := in
		through.LinkMOhm += r.Pass.ResistorMOhm
		if x, _ := join.Solve(through); finding.Blocks(x.Findings) {
			t.Errorf("through %.0f mΩ it is refused all the same: %+v", r.Pass.ResistorMOhm, x.Findings[0])
		}
	}
}

func TestUnusable(t *testing.T) {
	for name, change := range map[string]func(*join.Input){
		"one bank":      func(in *join.Input) { in.Banks = in.Banks[:1] },
		"no chemistry":  func(in *join.Input) { in.Banks[0].Chemistry = "" },
		"no groups":     func(in *join.Input) { in.Banks[0].Series = 0 },
		"no capacity":   func(in *join.Input) { in.Banks[0].Ah = math.NaN() },
		"charge of 80":  func(in *join.Input) { in.Banks[0].SoC = soc(80) },
		"no state":      func(in *join.Input) { in.Banks[0].SoC = nil },
		"a name twice":  func(in *join.Input) { in.Banks[1].ID = "A" },
		"negative link": func(in *join.Input) { in.LinkMOhm = -1 },
	} {
		in := two(0.5, 0.5)
		change(&in)
		if _, err := join.Solve(in); err == nil {
			t.Errorf("%s: accepted", name)
		}
	}
}

func ExampleSolve() {
	r, _ := join.Solve(two(0.9, 0.2))
	fmt.Printf("%.0f A at first, %.0f A after a minute, %.1f Ah moved\n", r.FirstAmps, r.At(60), r.AhMoved)
	fmt.Println(r.Findings[0].Text)
	// Output:
	// 49 A at first, 34 A after a minute, 33.3 Ah moved
	// Refused: 74.7 A at first through the cells of B on charge, which bears 60.0 A for seconds, typical.
}

func BenchmarkSolve48h(b *testing.B) {
	in := join.Input{LinkMOhm: 2, Banks: []join.Bank{
		{ID: "A", Chemistry: chem.LFP, Series: 16, Ah: 280, SoC: soc(0.9), MOhm10s: 12},
		{ID: "B", Chemistry: chem.LFP, Series: 16, Ah: 280, SoC: soc(0.2), MOhm10s: 12}}}
	for b.Loop() {
		if _, err := join.Solve(in); err != nil {
			b.Fatal(err)
		}
	}
}

func TestResultsAreJSON(t *testing.T) {
	r, _ := join.Solve(two(0.9, 0.2))
	if _, err := json.Marshal(r); err != nil {
		t.Error(err)
	}
}

// What is fitted passes, and a little more does not; a smaller fuse makes it less.
func TestFitted(t *testing.T) {
	in := join.Input{LinkMOhm: 1, Banks: []join.Bank{
		{ID: "A", Chemistry: chem.NMC, Series: 7, Ah: 80, RestVolts: 25.9, MOhm10s: 12},
		{ID: "B", Chemistry: chem.NMC, Series: 7, Ah: 60, RestVolts: 25.9, MOhm10s: 20}}}
	in.Limits.CableAmps = 12
	v, err := join.Fitted(in)
	if err != nil || v <= 0.05 || v >= 0.6 {
		t.Fatalf("%v V, %v", v, err)
	}
	for d, want := range map[float64]bool{v: false, v + 0.02: true} {
		x := in
		x.Banks = append([]join.Bank(nil), in.Banks...)
		x.Banks[0].RestVolts += d
		if r, _ := join.Solve(x); finding.Blocks(r.Findings) != want {
			t.Errorf("%.3f V: %+v", d, r.Findings)
		}
	}
	in.Limits.CableAmps = 6
	if less, _ := join.Fitted(in); less >= v {
		t.Errorf("half the cable, %v V after %v V", less, v)
	}
	in.Banks = in.Banks[:1]
	if _, err := join.Fitted(in); err == nil {
		t.Error("one bank alone")
	}
}

// The dangerous end of the first current is what the ohmic part of the resistances lets flow: at least that of the
// model, at most twice it, and no less where the volts may lie further apart; what was never to be joined is given no
// way to do it.
func TestTheDangerousEnd(t *testing.T) {
	for _, link := range []float64{0, 1, 2, 10} {
		in := two(0.6, 0.5)
		in.LinkMOhm = link
		r, err := join.Solve(in)
		if err != nil {
			t.Fatal(err)
		}
		own := (in.Banks[0].MOhm10s + in.Banks[1].MOhm10s) / 1000
		want := r.DiffVolts / (own/2 + link/1000)
		if math.Abs(r.FirstHigh-want) > 1e-6*want || r.FirstHigh < r.FirstAmps {
			t.Errorf("link %g mΩ: %.3f A at most, expected %.3f A", link, r.FirstHigh, want)
		}
		in.ReadWithin = 0.02
		wide, err := join.Solve(in)
		if err != nil || wide.FirstHigh <= r.FirstHigh || wide.FirstLow >= r.FirstLow {
			t.Errorf("link %g mΩ: ± 20 mV gives %.2f to %.2f A, without %.2f to %.2f A", link, wide.FirstLow,
				wide.FirstHigh, r.FirstLow, r.FirstHigh)
		}
	}
	never := two(0.9, 0.2)
	never.Banks[1].Chemistry = chem.NMC
	if r, err := join.Solve(never); err != nil || r.Pass != nil {
		t.Errorf("unlike chemistries, and a way to join them: %+v %v", r.Pass, err)
	}
	low := two(0.9, 0.2)
	low.Banks[1].SoC, low.Banks[1].RestVolts = nil, 1.9*float64(low.Banks[1].Series)
	if r, err := join.Solve(low); err != nil || r.Pass != nil {
		t.Errorf("below never-recharge, and a way to join it: %+v %v", r.Pass, err)
	}
}
