package wiring_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"testing"

	"pandrel/core/bank/netlist"
	"pandrel/core/module/sense"

	"gonum.org/v1/gonum/mat"

	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
)

// circulating solves the bank as a resistor network by nodal analysis, an independent way to see
// whether a conductor makes a short: with real resistances, a loop with voltage in it drives a
// current of volts over milliohms, a proper bank only what its small differences drive.
func circulating(n netlist.Netlist) float64 {
	id := map[string]int{}
	num := func(s string) int {
		if _, ok := id[s]; !ok {
			id[s] = len(id)
		}
		return id[s]
	}
	type branch struct {
		a, b int
		v, g float64 // b sits v above a behind 1/g
	}
	var br []branch
	name := func(m netlist.Module, node int) string {
		return fmt.Sprintf("%s/%d", m.ID, node)
	}
	post := map[string]string{}
	for _, m := range n.Modules {
		for p, k := range m.Posts {
			post[m.ID+"."+p] = name(m, k)
		}
		for k, g := range m.Groups {
			br = append(br, branch{num(name(m, k)), num(name(m, k+1)), g.Volts, 1000 / g.MOhm})
		}
	}
	at := func(s string) int {
		if p, ok := post[s]; ok {
			return num(p)
		}
		return num(s)
	}
	for _, c := range n.Conductors {
		br = append(br, branch{at(c.From), at(c.To), 0, 1000 / c.MOhm})
	}
	size := len(id)
	a := mat.NewDense(size, size, nil)
	b := mat.NewVecDense(size, nil)
	for _, x := range br {
		a.Set(x.a, x.a, a.At(x.a, x.a)+x.g)
		a.Set(x.b, x.b, a.At(x.b, x.b)+x.g)
		a.Set(x.a, x.b, a.At(x.a, x.b)-x.g)
		a.Set(x.b, x.a, a.At(x.b, x.a)-x.g)
		b.SetVec(x.b, b.AtVec(x.b)+x.v*x.g)
		b.SetVec(x.a, b.AtVec(x.a)-x.v*x.g)
	}
	for i := range size { // a whisper to earth at every node keeps separate parts solvable
		a.Set(i, i, a.At(i, i)+1e-6)
	}
	var phi mat.VecDense
	if err := phi.SolveVec(a, b); err != nil {
		panic(err)
	}
	most := 0.0
	for _, x := range br {
		most = max(most, math.Abs((phi.AtVec(x.a)+x.v-phi.AtVec(x.b))*x.g))
	}
	return most
}

// On random banks with one more random conductor, the check must call a short exactly when the
// solved network carries a short's current.
func TestShortsAgreeWithTheSolvedNetwork(t *testing.T) {
	rng := rand.New(rand.NewPCG(51, 51))
	shorts, clean := 0, 0
	for n := range 300 {
		s, p, g := 1+rng.IntN(4), 1+rng.IntN(3), 1+rng.IntN(3)
		b := bank(s, p, g)
		var points []string
		for _, m := range b.Modules {
			for post := range m.Posts {
				points = append(points, m.ID+"."+post)
			}
		}
		slices.Sort(points)
		x, y := rng.IntN(len(points)), rng.IntN(len(points))
		if x == y {
			continue
		}
		c := cond("X", netlist.Cable, points[x], points[y])
		at := rng.IntN(len(b.Conductors) + 1)
		b.Conductors = slices.Insert(b.Conductors, at, c)
		r := check(t, b)
		amps := circulating(b)
		isShort := amps > 100 // one group over a whole bank's resistance drives far more
		if isShort != (len(r.Shorts) > 0) {
			t.Fatalf("case %d: %s to %s in %d×%d×%d: %.1f A circulate, shorts %+v", n, c.From, c.To, s, p, g, amps,
				r.Shorts)
		}
		if isShort {
			shorts++
			if !slices.ContainsFunc(r.Shorts, func(s wiring.Short) bool { return slices.Contains(s.Loop, "X") }) {
				t.Errorf("case %d: the loop does not hold the odd conductor: %+v", n, r.Shorts)
			}
			if r.Shorts[0].Certain && r.Shorts[0].Conductor != "X" {
				t.Errorf("case %d: %s was called the wrong one for certain", n, r.Shorts[0].Conductor)
			}
			if finding.Worst(r.Findings) != finding.Refuse {
				t.Errorf("case %d: a short that is not refused", n)
			}
			for _, st := range r.BuildOrder {
				if st.Conductor == r.Shorts[0].Conductor {
					t.Errorf("case %d: the build order fits the short", n)
				}
			}
		} else {
			clean++
		}
	}
	if shorts < 50 || clean < 20 {
		t.Errorf("%d shorts, %d clean: the cases do not cover both", shorts, clean)
	}
}

// The exact order must be as good as the best of all permutations.
func TestExactOrderIsTheBestOfAll(t *testing.T) {
	rng := rand.New(rand.NewPCG(52, 52))
	for range 12 {
		n := bank(2+rng.IntN(4), 1, 1+rng.IntN(3))
		n.Conductors = slices.DeleteFunc(n.Conductors, func(c netlist.Conductor) bool { return c.Kind == netlist.Fuse })
		rng.Shuffle(len(n.Conductors), func(i, j int) {
			n.Conductors[i], n.Conductors[j] = n.Conductors[j],
				n.Conductors[i]
		})
		r := check(t, n)
		sum := 0.0
		for _, s := range r.BuildOrder {
			sum += s.ExposedV
		}
		best := math.Inf(1)
		var try func(done []string, total float64)
		span := func(done []string) float64 { // the longest run of joined modules
			joined := map[string]bool{}
			for _, d := range done {
				joined[d] = true
			}
			most, run := 1, 1
			for i := 1; i < len(n.Modules); i++ {
				if joined[fmt.Sprintf("L%d", i)] {
					run++
				} else {
					run = 1
				}
				most = max(most, run)
			}
			return float64(most*len(n.Modules[0].Groups)) * 3.7
		}
		try = func(done []string, total float64) {
			if len(done) == len(n.Conductors) {
				best = min(best, total)
				return
			}
			for _, c := range n.Conductors {
				if !slices.Contains(done, c.ID) {
					next := append(slices.Clone(done), c.ID)
					try(next, total+span(next))
				}
			}
		}
		try(nil, 0)
		if math.Abs(sum-best) > 1e-6 {
			t.Errorf("%d links: %.2f, best %.2f", len(n.Conductors), sum, best)
		}
	}
}

// Whatever two leads are exchanged, and however many are, the verdict is never good; and a good
// plug with any meter noise below the limit is never faulted.
func TestSenseNeverPassesAPermutation(t *testing.T) {
	rng := rand.New(rand.NewPCG(53, 53))
	for range 500 {
		n := 3 + rng.IntN(22)
		expected := make([]float64, n)
		for i := 1; i < n; i++ {
			expected[i] = expected[i-1] + 3.2 + 0.2*rng.Float64()
		}
		order := rng.Perm(n)
		var ms []sense.Measured
		same := true
		for i, k := range order {
			same = same && i == k
			ms = append(ms, sense.Measured{BMS: "B", Input: i, Volts: expected[k] + 0.004*rng.NormFloat64()})
		}
		v, err := sense.JudgeLeads("B", expected, ms, 0)
		if err != nil || !same && v.Kind == sense.Good {
			t.Fatalf("order %v: %s, %v", order, v.Kind, err)
		}
		for i := range ms {
			ms[i].Volts = expected[i] + 0.02*(rng.Float64()-0.5)
		}
		if v, err := sense.JudgeLeads("B", expected, ms, 0); err != nil || v.Kind != sense.Good {
			t.Fatalf("a good plug: %s, %+v, %v", v.Kind, v.Findings, err)
		}
	}
}

// Names, the order of the file and the direction of conductors must not change the judgement.
func TestRenamingChangesNothing(t *testing.T) {
	rng := rand.New(rand.NewPCG(54, 54))
	for range 20 {
		n := bank(2+rng.IntN(3), 1+rng.IntN(3), 1+rng.IntN(3))
		if rng.IntN(2) == 0 { // with something wrong
			n.Conductors = slices.DeleteFunc(n.Conductors,
				func(c netlist.Conductor) bool { return c.Kind == netlist.Bond })
		}
		r := check(t, n)
		other := bank(2, 1, 1)
		other.Modules, other.Conductors, other.BMS = slices.Clone(n.Modules), slices.Clone(n.Conductors),
			slices.Clone(n.BMS)
		for i := range other.Modules {
			other.Modules[i].ID = "Q" + other.Modules[i].ID
		}
		q := func(s string) string {
			if s[0] == 'M' {
				return "Q" + s
			}
			return s
		}
		for i := range other.Conductors {
			c := &other.Conductors[i]
			c.ID, c.From, c.To = "c"+c.ID, q(c.To), q(c.From)
		}
		b := &other.BMS[0]
		b.BMinus = q(b.BMinus)
		b.Sense = slices.Clone(b.Sense)
		for i := range b.Sense {
			b.Sense[i] = str(q(*b.Sense[i]))
		}
		rng.Shuffle(len(other.Conductors), func(i, j int) {
			other.Conductors[i], other.Conductors[j] = other.Conductors[j], other.Conductors[i]
		})
		o := check(t, other)
		if o.Series != r.Series || o.Parallel != r.Parallel || len(o.Unmonitored) != len(r.Unmonitored) ||
			!slices.Equal(codes(o.Findings), codes(r.Findings)) {
			t.Errorf("%d×%d, %v became %d×%d, %v", r.Series, r.Parallel, codes(r.Findings), o.Series, o.Parallel,
				codes(o.Findings))
		}
	}
}
