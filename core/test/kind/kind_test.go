package kind_test

import (
	"encoding/json"
	"fmt"
	"math"
	"reflect"
	"strings"
	"testing"

	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/test/kind"
)

func kept(t testing.TB, s kind.Source, given, gave any) kind.Kept {
	t.Helper()
	k := kind.Kept{Source: s}
	for _, x := range []struct {
		v  any
		to *json.RawMessage
	}{{given, &k.Given}, {gave, &k.Gave}} {
		if x.v == nil {
			continue
		}
		b, err := json.Marshal(x.v)
		if err != nil {
			t.Fatal(err)
		}
		*x.to = b
	}
	return k
}

var seven = kind.Subject{Chemistry: chem.NMC, Series: 7}

// The same discharge is the same figures, whatever made it.
func TestTheSameDischargeComesToTheSame(t *testing.T) {
	temp := 21.0
	r := kind.Result{CapacityAh: 39.5, EnergyWh: 1020, ResistanceMOhm: 14, Amps: 14, TempC: &temp, EndVolts: 21.4,
		LowestEndVolts: 3.0, FromFull: true, ChargeMoved: true}
	typed, ok, err := kept(t, kind.Typed, r, nil).Figures(seven)
	if err != nil || !ok || !typed.Complete || !typed.ByHand() {
		t.Fatalf("%+v, %v, %v", typed, ok, err)
	}
	read, _, err := kept(t, kind.ByHand, kind.Began{Full: true}, r).Figures(seven)
	read.Source, read.TempC, typed.TempC = typed.Source, &temp, &temp
	if err != nil || !reflect.DeepEqual(read, typed) {
		t.Errorf("read by hand %+v, %v\ntyped %+v", read, err, typed)
	}
	ran, _, err := kept(t, kind.Ran, ask.Values{"hours": "2.5", "amps": "15.8", "from_full": "yes",
		"lowest_end_v": "3.0"}, nil).Figures(seven)
	if err != nil || !ran.Complete || math.Abs(ran.CapacityAh-39.5) > 1e-9 {
		t.Errorf("ran %+v, %v", ran, err)
	}
}

// What is not known stays so: nothing that was left out becomes a nought, and a part of a discharge is 'at least'.
func TestWhatIsNotKnownStaysSo(t *testing.T) {
	for _, c := range []struct {
		name  string
		kept  kind.Kept
		of    kind.Subject
		want  string
		lacks string
	}{
		{"typed, bare", kept(t, kind.Typed, kind.Result{CapacityAh: 40}, nil), seven, "40.0 Ah", "did not begin full"},
		{"typed, a part of it", kept(t, kind.Typed, kind.Result{CapacityAh: 30, Amps: 10}, nil), seven,
			"at least 30.0 Ah",
			"did not begin full"},
		{"typed, without a chemistry", kept(t, kind.Typed, kind.Result{CapacityAh: 30, FromFull: true, EndVolts: 21},
			nil), kind.Subject{Series: 7}, "at least 30.0 Ah", "chemistry"},
		{"ran at watts", kept(t, kind.Ran, ask.Values{"hours": "2", "watts": "294"}, nil), seven, "at least 20.0 Ah",
			"watts"},
		{"ran at watts, groups not known", kept(t, kind.Ran, ask.Values{"hours": "2", "watts": "294"}, nil),
			kind.Subject{Chemistry: chem.NMC}, "not known", "watts alone"},
		{"a part of a module at watts", kept(t, kind.Ran, ask.Values{"hours": "1", "watts": "84"}, nil),
			kind.Subject{Chemistry: chem.NMC, Series: 7, From: 3, To: 4}, "at least 10.0 Ah", "watts"},
		{"by hand, under way", kept(t, kind.ByHand, kind.Began{}, nil), seven, "not known", ""},
		{"on the cycler, under way", kept(t, kind.Cycler, nil, nil), seven, "not known", ""},
	} {
		t.Run(c.name, func(t *testing.T) {
			f, _, err := c.kept.Figures(c.of)
			if got := f.Capacity().Text(1, "Ah"); err != nil || got != c.want || !strings.Contains(f.Lacks, c.lacks) {
				t.Errorf("%q, lacks %q, %v; expected %q", got, f.Lacks, err, c.want)
			}
			if f.Complete || f.Capacity().Is() && !math.IsInf(f.Capacity().High(), 1) && !f.Said {
				t.Errorf("%+v", f)
			}
		})
	}
	for _, bad := range []ask.Values{{}, {"hours": "3"}, {"hours": "3", "amps": "1", "watts": "1"}, {"hours": "-1",
		"amps": "2"}, {"hours": "x", "amps": "2"}} {
		if _, _, err := kept(t, kind.Ran, bad, nil).Figures(seven); err == nil {
			t.Errorf("%v is taken", bad)
		}
	}
	if _, _, err := (kind.Kept{Source: "séance"}).Figures(seven); err == nil {
		t.Error("any source is taken")
	}
}

// What a group was driven to below never-recharge is told by every kind that a person fills in.
func TestALowestGroupIsTold(t *testing.T) {
	for _, k := range []kind.Kept{kept(t, kind.Typed, kind.Result{CapacityAh: 40, LowestEndVolts: 1.2}, nil),
		kept(t, kind.ByHand, nil, kind.Result{CapacityAh: 40, LowestEndVolts: 1.2}),
		kept(t, kind.Ran, ask.Values{"hours": "2", "amps": "20", "lowest_end_v": "1.2"}, nil)} {
		f, _, err := k.Figures(seven)
		if err != nil || f.Lowest == nil || *f.Lowest != 1.2 {
			t.Errorf("%s: %+v, %v", k.Source, f, err)
		}
	}
}

// Each kind is said in full, and whatever lies on record of it no kind breaks on.
func TestEachKindIsSaidInFull(t *testing.T) {
	seen := map[kind.Source]bool{}
	for _, k := range kind.All() {
		if k.Word == "" || k.Where == "" || k.Given == nil && k.Gave == nil || seen[k.Source] || len(k.Fields) > 0 &&
			k.Title == "" {
			t.Errorf("%+v", k)
		}
		seen[k.Source] = true
		for _, text := range []string{"", "{}", "null", "[]", "7", `{"capacity_ah":"x"}`, "{"} {
			f, ok, err := kind.Kept{Source: k.Source, Given: json.RawMessage(text),
				Gave: json.RawMessage(text)}.Figures(seven)
			if ok && err != nil || f.Complete {
				t.Errorf("%s of %q: %+v, %v, %v", k.Source, text, f, ok, err)
			}
		}
	}
}

func FuzzFigures(f *testing.F) {
	for _, s := range []string{`{}`, `{"capacity_ah":40,"from_full":true,"end_volts":21}`, `{"hours":"2","amps":"3"}`,
		`{"capacity":{"ah":3,"complete":true},"limiting_group":2}`} {
		f.Add(s, 7, 0, 0)
	}
	f.Fuzz(func(t *testing.T, text string, series, from, to int) {
		for _, k := range kind.All() {
			x, ok, err := kind.Kept{Source: k.Source,
				Given: json.RawMessage(text),
				Gave:  json.RawMessage(text)}.Figures(kind.Subject{Chemistry: chem.LFP, Series: series,
				From: from, To: to})
			if err != nil || !ok {
				continue
			}
			if v := x.Capacity(); v.Is() && v.From() == known.Unknown {
				t.Errorf("%s of %q: %v", k.Source, text, v)
			}
		}
	})
}

func BenchmarkFigures(b *testing.B) {
	k := kept(b, kind.Typed, kind.Result{CapacityAh: 39.5, FromFull: true, EndVolts: 21.4}, nil)
	for b.Loop() {
		if _, _, err := k.Figures(seven); err != nil {
			b.Fatal(err)
		}
	}
}

func ExampleKept_Figures() {
	k := kind.Kept{Source: kind.Ran, Given: json.RawMessage(`{"hours":"2","watts":"294"}`)}
	f, _, _ := k.Figures(kind.Subject{Chemistry: chem.NMC, Series: 7})
	fmt.Println(f.Capacity().Text(1, "Ah"), "–", f.Lacks)
	// Output: at least 20.0 Ah – watts do not tell how many amp hours flowed, only how many at least
}

// What comes out between two rests tells what a group holds, as far as its curve has a slope there.
func TestWhatHoldsFromRestToRest(t *testing.T) {
	one := kind.Subject{Chemistry: chem.NMC, Series: 2, From: 1, To: 1}
	for name, c := range map[string]struct {
		of    kind.Subject
		given ask.Values
		holds string
		tells string
	}{
		"one group": {one, ask.Values{"ah": "31.6", "before_v": "3.88", "before_min": "1440", "after_v": "3.31",
			"after_min": "30"}, "45 to 51 Ah", "from 64 to 72 % full to 1 to 4 %"},
		"the whole, by its total": {kind.Subject{Chemistry: chem.NMC, Series: 2}, ask.Values{"ah": "31.6",
			"before_v": "7.76", "before_min": "1440", "after_v": "6.62", "after_min": "30"}, "46 to 51 Ah",
			"so it holds"},
		"rest not known": {one, ask.Values{"ah": "31.6", "before_v": "3.88", "after_v": "3.31"}, "44 to 53 Ah", ""},
		"on the plateau": {kind.Subject{Chemistry: chem.LFP, Series: 1}, ask.Values{"ah": "20", "before_v": "3.32",
			"before_min": "1440", "after_v": "3.28", "after_min": "1440"}, "not known", "voltage cannot tell"},
		"off the charger": {kind.Subject{Chemistry: chem.LFP, Series: 1}, ask.Values{"ah": "20", "before_v": "3.60",
			"after_v": "3.00"}, "not known", "no rest voltage"},
		"no chemistry": {kind.Subject{Series: 1}, ask.Values{"ah": "20", "before_v": "3.9", "after_v": "3.5"},
			"not known", ""},
	} {
		f, ok, err := kept(t, kind.Rested, c.given, nil).Figures(c.of)
		if err != nil || !ok || f.Complete || f.Holds.Text(0, "Ah") != c.holds ||
			!strings.Contains(strings.ToLower(f.Tells), strings.ToLower(c.tells)) {
			t.Errorf("%s: %s, %q, %v", name, f.Holds.Text(0, "Ah"), f.Tells, err)
		}
	}
	_, _, err := kept(t, kind.Rested, ask.Values{"ah": "20", "before_v": "3.5", "after_v": "3.6"}, nil).Figures(one)
	if err == nil {
		t.Error("a rise is taken as a discharge")
	}
}
