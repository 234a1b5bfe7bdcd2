package known_test

import (
	"encoding/json"
	"fmt"
	"math"
	"math/rand/v2"
	"testing"

	"pandrel/core/base/known"
)

func ExampleValue() {
	rated := known.Of(46, known.Typed)
	share := known.Within(0.75, 0.5, 1, known.Assumed)
	ah := rated.Times(2).Mul(share)
	fmt.Println(ah.Text(0, "Ah"), ah.Mark())
	var load known.Value
	fmt.Println(ah.Div(load).Text(1, "h"))
	// Output:
	// 46 to 92 Ah assumed
	// not known
}

func ExampleAtLeast() {
	part := known.AtLeast(38.4, known.Measured)
	fmt.Println(part.Text(1, "Ah"), part.Times(2).Text(1, "Ah"))
	// Output: at least 38.4 Ah at least 76.8 Ah
}

// What rests on something weaker is as weak, whatever was done to it; what is not known makes nothing known.
func TestTheWeakestSourceCounts(t *testing.T) {
	of := func(s known.Source) known.Value { return known.Of(2, s) }
	for _, c := range []struct {
		name string
		got  known.Value
		mark string
	}{
		{"measured", of(known.Measured), "measured"},
		{"typed", of(known.Typed), "typed"},
		{"a limit", of(known.Limit), "limit"},
		{"nothing", known.Value{}, "unknown"},
		{"measured and measured", of(known.Measured).Add(of(known.Measured)), "worked"},
		{"measured and typed", of(known.Measured).Mul(of(known.Typed)), "worked"},
		{"measured and said", of(known.Measured).Sub(of(known.Said)), "said"},
		{"said, doubled", of(known.Said).Times(2), "said"},
		{"measured and assumed", of(known.Measured).Div(of(known.Assumed)), "assumed"},
		{"measured and nothing", of(known.Measured).Add(known.Value{}), "unknown"},
		{"nothing times nought", known.Value{}.Times(0), "unknown"},
		{"a limit and measured", of(known.Limit).Add(of(known.Measured)), "worked"},
		{"least of measured and assumed", known.Min(of(known.Measured), of(known.Assumed)), "assumed"},
		{"most of one", known.Max(of(known.Typed)), "typed"},
		{"a sum of nothing", known.Sum(), "limit"},
		{"a sum with a gap", known.Sum(of(known.Measured), known.Value{}), "unknown"},
		{"by nought", of(known.Measured).Div(known.Of(0, known.Measured)), "unknown"},
		{"by what may be nought", of(known.Measured).Div(known.Within(1, 0, 2, known.Measured)), "unknown"},
		{"no number", known.Of(math.NaN(), known.Measured), "unknown"},
		{"endless", known.Of(math.Inf(1), known.Measured), "unknown"},
		{"outside of its interval", known.Within(3, 1, 2, known.Measured), "unknown"},
		{"turned round", known.Within(1.5, 2, 1, known.Measured), "unknown"},
		{"of a source that is none", known.Of(1, known.Source(77)), "unknown"},
	} {
		t.Run(c.name, func(t *testing.T) {
			if got := c.got.Mark(); got != c.mark || c.got.Is() != (c.mark != "unknown") {
				t.Errorf("%s: %+v", got, c.got)
			}
		})
	}
}

// Whatever the true numbers are, inside their intervals, what is worked out of them lies inside the interval of it.
func TestAnIntervalHoldsTheTruth(t *testing.T) {
	rng := rand.New(rand.NewPCG(3, 9))
	some := func() (known.Value, float64) {
		low := rng.Float64()*20 - 10
		high := low + rng.Float64()*5
		v, truth := low+rng.Float64()*(high-low), low+rng.Float64()*(high-low)
		switch rng.IntN(6) {
		case 0:
			return known.AtLeast(low, known.Measured), truth
		case 1:
			return known.Within(low, low, low, known.Measured), low
		}
		return known.Within(v, low, high, known.Measured), truth
	}
	for range 20_000 {
		a, x := some()
		b, y := some()
		for name, c := range map[string]struct {
			got  known.Value
			want float64
		}{"add": {a.Add(b), x + y}, "sub": {a.Sub(b), x - y}, "mul": {a.Mul(b), x * y}, "div": {a.Div(b), x / y},
			"neg": {a.Neg(), -x}, "min": {known.Min(a, b), min(x, y)}, "max": {known.Max(a, b), max(x, y)},
			"times": {a.Times(-3), -3 * x}, "with": {a.With(0.5), x}, "sum": {known.Sum(a, b, a), x + y + x}} {
			if !c.got.Is() {
				if name != "div" {
					t.Fatalf("%s of %+v and %+v is not known", name, a, b)
				}
				continue
			}
			if e := 1e-9 * (1 + math.Abs(c.want)); c.want < c.got.Low()-e || c.want > c.got.High()+e {
				t.Fatalf("%s of %+v and %+v is %+v: %v lies outside", name, a, b, c.got, c.want)
			}
			if c.got.V() < c.got.Low() || c.got.V() > c.got.High() {
				t.Fatalf("%s: %+v lies outside of itself", name, c.got)
			}
		}
		if below, sure := a.Below(b); sure && below != (x < y) && x != y {
			t.Fatalf("%+v below %+v: %v, and %v, %v are not", a, b, below, x, y)
		}
	}
}

func TestText(t *testing.T) {
	m := known.Measured
	for _, c := range []struct {
		v        known.Value
		decimals int
		unit     string
		want     string
	}{
		{known.Value{}, 2, "V", "not known"},
		{known.Of(3.65, m), 3, "V", "3.650 V"},
		{known.Of(80, m), 1, "%", "80.0 %"},
		{known.Of(-0.0001, m), 2, "V", "0.00 V"},
		{known.Of(14, m), 0, "", "14"},
		{known.Within(41, 38.02, 43.98, m), 1, "Ah", "38.0 to 44.0 Ah"},
		{known.Within(41, 38.01, 43.99, m), 0, "Ah", "38 to 44 Ah"},
		{known.Within(0.3, 0.3, 0.7, m), 1, "s", "0.3 to 0.7 s"},
		{known.Within(2, 1.999999999999, 2.000000000001, m), 2, "V", "2.00 V"},
		{known.AtLeast(38.46, m), 1, "Ah", "at least 38.4 Ah"},
		{known.AtMost(12.01, m), 1, "Ah", "0.0 to 12.1 Ah"},
		{known.AtLeast(3, m).Neg(), 0, "A", "at most -3 A"},
		{known.AtLeast(3, m).Sub(known.AtLeast(1, m)), 0, "A", "anything"},
	} {
		if got := c.v.Text(c.decimals, c.unit); got != c.want {
			t.Errorf("%+v: %q, expected %q", c.v, got, c.want)
		}
	}
}

func TestBelow(t *testing.T) {
	m := known.Measured
	for name, c := range map[string]struct {
		a, b        known.Value
		below, sure bool
	}{"clear": {known.Of(1, m), known.Of(2, m), true, true}, "the same": {known.Of(2, m), known.Of(2, m), false, true},
		"above":         {known.Of(3, m), known.Of(2, m), false, true},
		"overlapping":   {known.Within(1, 0, 3, m), known.Of(2, m), true, false},
		"touching":      {known.Within(1, 0, 2, m), known.Of(2, m), true, false},
		"at least":      {known.AtLeast(1, m), known.Of(2, m), true, false},
		"one not known": {known.Value{}, known.Of(2, m), false, false}} {
		if below, sure := c.a.Below(c.b); below != c.below || sure != c.sure {
			t.Errorf("%s: %v, %v", name, below, sure)
		}
	}
}

// samples are numbers of every shape.
func samples() []known.Value {
	m, a := known.Measured, known.Assumed
	return []known.Value{{}, known.Of(3.65, m), known.Of(0, known.Limit), known.Of(-1e-9, known.Said),
		known.Within(41, 38, 44, known.Typed), known.AtLeast(38.4, m), known.AtMost(12, a), known.AtLeast(3, m).Neg(),
		known.AtLeast(3, m).Sub(known.AtLeast(1, a)), known.Of(2, m).Add(known.Within(1, 0.5, 2, a)),
		known.Within(38, 38, 44, m), known.Within(44, 38, 44, m)}
}

// What is written is read as what it was, in JSON and in a table.
func TestWhatIsWrittenIsReadAgain(t *testing.T) {
	for _, v := range samples() {
		data, err := json.Marshal(v)
		if err != nil {
			t.Fatal(err)
		}
		var back known.Value
		if err := json.Unmarshal(data, &back); err != nil || back != v {
			t.Errorf("%s: %+v, not %+v: %v", data, back, v, err)
		}
		text, err := v.MarshalText()
		if err != nil {
			t.Fatal(err)
		}
		if err := back.UnmarshalText(text); err != nil || back != v {
			t.Errorf("%s: %+v, not %+v: %v", text, back, v, err)
		}
	}
	for _, bad := range []string{`{"value":1}`, `{"value":1,"from":"hearsay"}`, `{"value":1,"from":"unknown"}`,
		`{"value":5,"low":1,"high":2,"from":"said"}`, `{"value":1,"from":"said","open":"wide"}`, `[]`, `"1"`} {
		var v known.Value
		if err := json.Unmarshal([]byte(bad), &v); err == nil || v.Is() {
			t.Errorf("%s was read as %+v", bad, v)
		}
	}
}

func FuzzUnmarshalText(f *testing.F) {
	for _, v := range samples() {
		text, _ := v.MarshalText()
		f.Add(string(text))
	}
	for _, s := range []string{"1", "measured", "1..2 said", "..", ".. likely 3 said", "1 likely 1 said",
		"NaN measured",
		"1..2 likely 3 measured", "worked measured", "1 worked worked said"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		var v known.Value
		if err := v.UnmarshalText([]byte(s)); err != nil {
			return
		}
		if v.Is() && !(v.Low() <= v.V() && v.V() <= v.High()) {
			t.Fatalf("%q was read as %+v", s, v)
		}
		text, err := v.MarshalText()
		var back known.Value
		if err != nil || back.UnmarshalText(text) != nil || back != v {
			t.Fatalf("%q: %+v was written as %q and read as %+v", s, v, text, back)
		}
	})
}

func BenchmarkMul(b *testing.B) {
	x, y := known.Within(41, 38, 44, known.Measured), known.Within(3.6, 3.5, 3.7, known.Typed)
	for b.Loop() {
		x.Mul(y)
	}
}
