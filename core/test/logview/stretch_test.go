package logview_test

import (
	"bytes"
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/test/logfile"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
)

// worn is a log of a charge to full, a rest, a discharge in two parts and a rest, of two groups.
func worn() *logfile.Log {
	var b strings.Builder
	b.WriteString("time_s,volts,amps,group1_v,group2_v,temp_c\n")
	at := 0
	add := func(n int, amps, from, to float64) {
		for i := range n {
			v := from + (to-from)*float64(i)/float64(n)
			fmt.Fprintf(&b, "%d,%.4f,%.2f,%.4f,%.4f,22\n", at, 2*v-0.01, amps, v, v-0.01)
			at += 10
		}
	}
	add(200, 0, 3.4, 3.4)
	add(700, 10, 3.5, 4.2)
	add(80, 2, 4.2, 4.2)
	add(300, 0, 4.19, 4.19)
	add(400, -10, 4.15, 3.7)
	add(20, 0, 3.75, 3.75)
	add(420, -10, 3.7, 2.95)
	add(300, 0, 3.2, 3.2)
	log, err := logfile.Parse([]byte(b.String()))
	if err != nil {
		panic(err)
	}
	return log
}

// Charge is conserved: the parts of a log add up to the whole wherever it is cut, and to its segments.
func TestStretchesAddUp(t *testing.T) {
	log := worn()
	r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 24})
	if err != nil {
		t.Fatal(err)
	}
	end := log.Seconds[len(log.Seconds)-1]
	whole, err := logview.Between(log, r.Gaps, 0, end)
	if err != nil {
		t.Fatal(err)
	}
	in, out := 0.0, 0.0
	for _, s := range r.Segments {
		switch s.Kind {
		case trace.Charge:
			in += s.Ah
		case trace.Discharge:
			out += s.Ah
		}
	}
	if math.Abs(whole.InAh-in) > 1e-9 || math.Abs(whole.OutAh-out) > 1e-9 || whole.LowGroup != 2 {
		t.Errorf("%+v: the segments hold %.4f in and %.4f out", whole, in, out)
	}
	rng := rand.New(rand.NewPCG(3, 4))
	for range 100 {
		at := log.Seconds[1+rng.IntN(len(log.Seconds)-2)]
		a, errA := logview.Between(log, r.Gaps, 0, at)
		b, errB := logview.Between(log, r.Gaps, at, end)
		if errA != nil || errB != nil || math.Abs(a.InAh+b.InAh-whole.InAh) > 1e-9 ||
			math.Abs(a.OutWh+b.OutWh-whole.OutWh) > 1e-9 {
			t.Fatalf("at %g s: %+v and %+v, the whole %+v", at, a, b, whole)
		}
	}
	for _, bad := range [][2]float64{{5, 5}, {100, 50}, {1, 2}, {end + 1, end + 50}, {math.NaN(), 3}} {
		if s, err := logview.Between(log, r.Gaps, bad[0], bad[1]); err == nil {
			t.Errorf("%v: %+v", bad, s)
		}
	}
}

// A cut changes what counts, not what is known: a discharge that is cut where it begins is still known to have begun
// full; one that is cut in the middle is a part.
func TestACutCountsWhatItHolds(t *testing.T) {
	opt := trace.Options{Chemistry: chem.NMC, RatedAh: 24}
	judge := func(from, to float64) trace.Result {
		opt.CutFromS, opt.CutToS = from, to
		r, err := trace.Analyse(worn(), opt)
		if err != nil {
			t.Fatal(err)
		}
		return r
	}
	all := judge(0, 0)
	if all.Capacity == nil || !all.Capacity.Complete {
		t.Fatalf("%+v %+v", all.Capacity, all.Findings)
	}
	began, ended := all.Capacity.StartS, all.Capacity.EndS
	if r := judge(began, ended+1000); !r.Capacity.Complete || math.Abs(r.Capacity.Ah-all.Capacity.Ah) > 0.02 {
		t.Errorf("cut where it begins: %+v", r.Capacity)
	}
	first, second := judge(began, began+4010), judge(began+4010, ended+1000)
	if first.Capacity.Complete || second.Capacity.Complete ||
		math.Abs(first.Capacity.Ah+second.Capacity.Ah-all.Capacity.Ah) > 0.05 {
		t.Errorf("%v and %v of %v", first.Capacity, second.Capacity, all.Capacity)
	}
	sum := 0.0
	for _, s := range first.Segments {
		sum += s.Ah
	}
	want := 0.0
	for _, s := range all.Segments {
		want += s.Ah
	}
	if math.Abs(sum-want) > 1e-9 {
		t.Errorf("the segments hold %.5f Ah cut and %.5f whole", sum, want)
	}
	opt.CutFromS, opt.CutToS = 50, 20
	if _, err := trace.Analyse(worn(), opt); err == nil {
		t.Error("a cut that ends before it begins")
	}
}

// Whatever the width, a picture holds the lowest and the highest value of every column; zoomed in it holds every
// sample.
func TestAViewKeepsDipsAndSpikes(t *testing.T) {
	log := worn()
	log.Volts[1234], log.Volts[1300] = 1, 99
	log.Groups[1][77] = math.NaN()
	end := log.Seconds[len(log.Seconds)-1]
	for _, strips := range []int{1, 7, 300, 1000, 100_000} {
		v := logview.ViewOf(log, nil, 0, end, strips)
		if slices.Min(v.Volts) != 1 || slices.Max(v.Volts) != 99 || len(v.Seconds) > 2*strips+4 {
			t.Errorf("%d strips: %d rows, %g to %g", strips, len(v.Seconds), slices.Min(v.Volts), slices.Max(v.Volts))
		}
		if !slices.IsSorted(v.Seconds) || len(v.Amps) != len(v.Seconds) || len(v.Groups[1]) != len(v.Seconds) {
			t.Errorf("%d strips: columns of unlike length, or time runs back", strips)
		}
		if v.Whole != (strips > 1210) {
			t.Errorf("%d strips of %d samples: whole is %v", strips, len(log.Seconds), v.Whole)
		}
		if _, err := json.Marshal(v); err != nil {
			t.Error(err)
		}
	}
	near := logview.ViewOf(log, nil, 1000, 1200, 500)
	if !near.Whole || near.Seconds[0] != 990 || near.Seconds[len(near.Seconds)-1] != 1210 {
		t.Errorf("%+v", near.Seconds)
	}
	hole := logview.ViewOf(log, []trace.Gap{{FromS: 1000, ToS: 1010}}, 900, 1100, 500)
	if n := slices.IndexFunc(hole.Volts, math.IsNaN); n < 0 || hole.Seconds[n] < 1000 || hole.Seconds[n] > 1010 {
		t.Errorf("no hole in %v", hole.Volts)
	}
	if b, _ := json.Marshal(logview.Column{1.23456789, math.NaN(), -0.00001}); !bytes.Equal(b,
		[]byte("[1.2346,null,-0]")) {
		t.Errorf("%s", b)
	}
}

// A look at a million samples of six columns, as when somebody zooms.
func BenchmarkViewOfAMillion(b *testing.B) {
	log, err := logfile.Parse(millionRows())
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if v := logview.ViewOf(log, nil, 0, 1e6, 1200); len(v.Seconds) < 1000 {
			b.Fatal(len(v.Seconds))
		}
	}
}

func BenchmarkBetweenOverAMillion(b *testing.B) {
	log, err := logfile.Parse(millionRows())
	if err != nil {
		b.Fatal(err)
	}
	for b.Loop() {
		if _, err := logview.Between(log, nil, 0, 1e6); err != nil {
			b.Fatal(err)
		}
	}
}

// The curve of a thinned log ends at the charge that its samples hold.
func TestADischargeAsACurve(t *testing.T) {
	log := worn()
	r, err := trace.Analyse(log, trace.Options{Chemistry: chem.NMC, RatedAh: 24})
	if err != nil {
		t.Fatal(err)
	}
	c := logview.Thinned(log, 700).Discharged(2, r.Capacity.StartS, r.Capacity.EndS)
	last := c[len(c)-1]
	if math.Abs(last[0]-r.Capacity.Ah) > 0.02*r.Capacity.Ah || math.Abs(last[1]-r.Capacity.EndVolts/2) > 0.05 ||
		c[0][0] != 0 {
		t.Errorf("%v to %v, the samples hold %.3f Ah to %.3f V", c[0], last, r.Capacity.Ah, r.Capacity.EndVolts)
	}
}

// Cells that were never read leave no hole in what is kept for the picture: it must be storable.
func TestThinnedHoldsNumbersOnly(t *testing.T) {
	log, err := logfile.Parse([]byte("time_s,volts,amps,temp_c,group1_v,group2_v\n0,8,-1,,4,\n1,8,-1,,4,\n" +
		"2,8,-1,21.5,4,4\n3,8,-1,,,4\n"))
	if err != nil {
		t.Fatal(err)
	}
	thin := logview.Thinned(log, 4)
	if _, err := json.Marshal(thin); err != nil {
		t.Fatal(err, thin)
	}
	if thin.TempC[0] != 21.5 || thin.TempC[3] != 21.5 || thin.Groups[1][0] != 4 || thin.Groups[0][3] != 4 {
		t.Errorf("%+v", thin)
	}
}

func TestThinnedKeepsDipsAndGaps(t *testing.T) {
	var b strings.Builder
	b.WriteString("time_s,volts,amps\n")
	for i := range 20000 {
		v := 4.0
		if i == 12345 {
			v = 2.5
		}
		if i < 5000 || i > 7000 {
			fmt.Fprintf(&b, "%d,%g,0\n", i, v)
		}
	}
	log, err := logfile.Parse([]byte(b.String()))
	if err != nil {
		t.Fatal(err)
	}
	thin := logview.Thinned(log, 200)
	if len(thin.Seconds) > 201 || slices.Min(thin.LowV) != 2.5 {
		t.Errorf("%d stretches, lowest %v", len(thin.Seconds), slices.Min(thin.LowV))
	}
	for _, s := range thin.Seconds {
		if s > 5000 && s < 7000 {
			t.Errorf("a stretch at %v s, inside the gap", s)
		}
	}
}

// millionRows is a log of a million samples in six columns.
func millionRows() []byte {
	var t bytes.Buffer
	t.WriteString("time_s,volts,amps,temp_c,group1_v,group2_v\n")
	for i := range 1_000_000 {
		amps := -14.000
		if i < 2000 || i > 990_000 {
			amps = 0
		}
		v := 4.19 - 1.19e-6*float64(i)
		fmt.Fprintf(&t, "%d,%.3f,%.3f,%.1f,%.3f,%.3f\n", i, 2*v, amps, 22.5, v, v+0.002)
	}
	return t.Bytes()
}
