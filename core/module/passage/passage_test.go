package passage_test

import (
	"fmt"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/module/passage"
)

func good() passage.Record {
	return passage.Record{Number: "K-031", Looked: true, Chemistry: true, Surveyed: true, Isolation: "ok",
		Fitness: "accept"}
}

func ExampleMay() {
	r := good()
	r.LookHeld = "dented"
	for _, f := range passage.May(r, passage.Test) {
		fmt.Println(f.Level, f.Text, f.Do)
	}
	// Output: stop K-031 is held by its last look: dented. See to it, and look at it again.
}

// Every fact that may hold a module holds it from the station where it matters to the end of the path, and
// none of them lets it into service.
func TestEveryHoldIsEnforcedAtEveryLaterStation(t *testing.T) {
	cases := []struct {
		name string
		set  func(*passage.Record)
		from passage.Action
		not  passage.Action // an action that it does not hold up although it is later, −1 for none
	}{
		{"quarantined", func(r *passage.Record) { r.Quarantined = "swollen" }, passage.Measure, -1},
		{"dented, not seen to", func(r *passage.Record) { r.LookHeld = "dented" }, passage.Measure, -1},
		{"never looked at", func(r *passage.Record) { r.Looked = false }, passage.Test, -1},
		{"open with a part missing", func(r *passage.Record) { r.Open = "1 of 4 screws missing" }, passage.Test, -1},
		{"isolation failed", func(r *passage.Record) { r.Isolation = "stop" }, passage.Test, passage.Grade},
		{"held for a second reading", func(r *passage.Record) { r.SurveyHeld = "group 3 at 1.8 V" }, passage.Test, -1},
		{"over its limit", func(r *passage.Record) { r.OverLimit = true }, passage.Test, passage.Grade},
		{"chemistry not declared", func(r *passage.Record) { r.Chemistry = false }, passage.Test, -1},
		{"a log that must be settled", func(r *passage.Record) { r.LogDoubt = "reads 0 V" }, passage.Grade, -1},
		{"its own label is wrong", func(r *passage.Record) { r.OwnMapStops = []string{"A+ is at the other end"} },
			passage.Grade, -1},
		{"unlike its type", func(r *passage.Record) { r.CheckStops = []string{"reversed"} }, passage.Grade, -1},
		{"never surveyed", func(r *passage.Record) { r.Surveyed = false }, passage.Grade, -1},
		{"leaking", func(r *passage.Record) { r.Leaking = true }, passage.Design, -1},
		{"a broken tap", func(r *passage.Record) { r.ReadTogether = true }, passage.Design, -1},
		{"a dead tap", func(r *passage.Record) { r.DeadTap = "X5" }, passage.Design, -1},
		{"graded as a mate only", func(r *passage.Record) { r.Fitness = "watch" }, passage.Design, -1},
		{"an old grade", func(r *passage.Record) { r.GradeStale = "a survey since says suspect" }, passage.Design, -1},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			r := good()
			c.set(&r)
			for a := passage.Measure; a <= passage.Service; a++ {
				held := finding.Blocks(passage.May(r, a))
				if want := a >= c.from && a != c.not; held != want {
					t.Errorf("%s: held %v, expected %v", a, held, want)
				}
				for _, f := range passage.May(r, a) {
					if f.Do == "" || f.Rule == "" || f.Code == "" {
						t.Errorf("%+v says not what to do", f)
					}
				}
			}
		})
	}
	for a := passage.Measure; a <= passage.Service; a++ {
		if fs := passage.May(good(), a); len(fs) > 0 {
			t.Errorf("a good module may not be %s: %+v", a, fs)
		}
	}
}

func TestALayoutOfItsOwnSettlesAWrongLabel(t *testing.T) {
	r := good()
	r.OwnMapStops, r.CheckStops, r.OwnLayout = []string{"turned round"}, []string{"reversed"}, true
	if fs := passage.May(r, passage.Service); len(fs) > 0 {
		t.Errorf("%+v", fs)
	}
}

func TestHoldIsOneLine(t *testing.T) {
	if h := passage.Hold(good()); h != "" {
		t.Errorf("%q", h)
	}
	r := passage.Record{Number: "K-1", Chemistry: true} // just received
	if h := passage.Hold(r); h != "" {
		t.Errorf("a module on its way is not held: %q", h)
	}
	r.Isolation = "stop"
	if h := passage.Hold(r); h != "is not isolated from its case" {
		t.Errorf("%q", h)
	}
}

func TestTwoInstrumentsOnOneModule(t *testing.T) {
	for said, ok := range map[string]bool{passage.Alone: true, passage.Isolated: true, "": false, "shared": false} {
		t.Run(said, func(t *testing.T) {
			f, got := passage.Instruments("K-001", said)
			if got != ok || !ok && (f.Level != finding.Stop || f.Code != "shared-negative" || f.Do == "") {
				t.Errorf("%q: %v, %+v", said, got, f)
			}
		})
	}
}
