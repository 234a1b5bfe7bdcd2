package shop_test

import (
	"fmt"
	"math"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/module/capacity"
	"pandrel/core/test/kind"
	"pandrel/core/test/logfile"
	"pandrel/core/test/logview"
	"pandrel/core/test/trace"
	"pandrel/core/trainer/virtual"
	"pandrel/shop/test"
)

// onBench is a module that may be tested.
func (r *rig) onBench(number string) {
	r.t.Helper()
	r.bench(2)
	r.receive(number, 1)
	r.look(number)
	r.mapType(number)
	_, err := r.survey(number, flat(3.80)...)
	r.must(err)
	r.at = r.at.Add(time.Hour)
}

// logOf is a log of groups groups of ah amp hours each, from full to the floor.
func (r *rig) logOf(groups int, ah float64, d virtual.Dialect) []byte {
	m := virtual.New(r.rng, "P", virtual.Spec{Chemistry: chem.NMC, Series: groups, RatedAh: ah, SoH: 1,
		ResistanceOhms: 0.0019})
	m.SetSoC(1)
	return virtual.WriteLog(r.rng, m.Discharge(virtual.Test{Amps: 14, FloorVolts: 3, RestBefore: 1900, RestAfter: 1900,
		EverySecond: 10, AmbientC: 22}), d, r.at)
}

func (r *rig) part(number string, from, to int, data []byte) (trace.Result, error) {
	_, res, err := r.Tests.RecordLog(r.ctx, test.LogInput{Number: number, FromGroup: from, ToGroup: to,
		FileName: fmt.Sprintf("%d-%d.csv", from, to), Data: data, Token: r.token()})
	r.at = r.at.Add(time.Minute)
	return res, err
}

// Two logs of halves are one result; what the weaker one gave. Until a survey shows that the groups are alike the
// module is held, and says what it wants back.
func TestTwoHalfLogsAreOneResult(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	if _, err := r.part("K-001", 0, 0, r.logOf(3, 40, virtual.PlainSeconds)); !invalid(err, "from_group") ||
		!strings.Contains(err.Error(), "which part") {
		t.Errorf("three groups of seven are taken for the whole: %v", err)
	}
	if _, err := r.part("K-001", 1, 4, r.logOf(3, 40, virtual.PlainSeconds)); !invalid(err, "from_group") {
		t.Errorf("three groups are taken for four: %v", err)
	}
	for _, bad := range [][2]int{{5, 9}, {4, 2}, {0, 3}, {-1, 3}} {
		if _, err := r.part("K-001", bad[0], bad[1], r.logOf(3, 40, virtual.MinutesMilliamps)); !invalid(err,
			"from_group") {
			t.Errorf("groups %v: %v", bad, err)
		}
	}
	first, err := r.part("K-001", 1, 3, r.logOf(3, 40, virtual.PlainSeconds))
	r.must(err)
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	if !first.Capacity.Complete || m.Class != "" || !strings.Contains(m.Hold, "Ah into groups 1 to 3") {
		t.Errorf("after one half: %+v, held by %q", first.Capacity, m.Hold)
	}
	typ, err := r.Type(r.ctx, m.TypeID)
	r.must(err)
	e, ok, err := r.Record.EstimateOf(r.ctx, m, typ)
	r.must(err)
	if !ok || !e.Provisional() || e.HighAh > numeral.AmpHours(first.Capacity.Ah)+0.01 {
		t.Errorf("one half is a roof: %+v of %.1f", e, first.Capacity.Ah)
	}
	second, err := r.part("K-001", 4, 7, r.logOf(4, 43, virtual.PlainSeconds))
	r.must(err)
	m, err = r.Module(r.ctx, "K-001")
	r.must(err)
	tests, j, err := r.partsOf(m.ID)
	r.must(err)
	if len(tests) != 2 || !j.Complete || j.Ah != numeral.AmpHours(first.Capacity.Ah) ||
		math.Abs(j.ApartAh-(second.Capacity.Ah-first.Capacity.Ah)) > 0.1 || tests[1].EndedBy < 4 {
		t.Fatalf("%+v of %+v", j, tests)
	}
	if math.Abs(m.CapacityAh-numeral.AmpHours(first.Capacity.Ah)) > 1e-9 || !strings.Contains(m.Hold, "survey") {
		t.Errorf("%.2f Ah on record, held by %q", m.CapacityAh, m.Hold)
	}
	// Read while one half stands lower: it says how much.
	_, err = r.survey("K-001", 3.9, 3.9, 3.9, 3.6, 3.6, 3.6, 3.6)
	r.must(err)
	if m, _ = r.Module(r.ctx, "K-001"); !strings.Contains(m.Hold, "into groups 4 to 7") {
		t.Errorf("held by %q", m.Hold)
	}
	r.at = r.at.Add(time.Hour)
	_, err = r.survey("K-001", flat(3.70)...)
	r.must(err)
	if m, _ = r.Module(r.ctx, "K-001"); m.Hold != "" {
		t.Errorf("matched, and held by %q", m.Hold)
	}
	g, err := r.Grade.GradeModule(r.ctx, "K-001", r.token())
	r.must(err)
	if g.Class == "" {
		t.Errorf("no class of two halves: %+v", g)
	}
}

// A log of groups that are called by the module's own numbers, and one of a single group, fill a module.
func TestSingleGroupsFillAModule(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	for g := 1; g <= 7; g++ {
		ah := 42.0
		if g == 5 {
			ah = 33
		}
		_, err := r.part("K-001", g, 0, r.logOf(1, ah, virtual.PlainSeconds))
		r.must(err)
	}
	m, err := r.Module(r.ctx, "K-001")
	r.must(err)
	_, j, err := r.partsOf(m.ID)
	r.must(err)
	if !j.Complete || j.WeakestFrom != 5 || math.Abs(m.CapacityAh-33) > 0.6 || len(j.Findings) < 2 {
		t.Errorf("%.2f Ah: %+v", m.CapacityAh, j)
	}
}

// A log that is read again counts once: by its newest reading, and by the older one again when that is taken back.
func TestALogReadAgainCountsOnce(t *testing.T) {
	r := newRig(t)
	r.onBench("K-001")
	r.test("K-001", 0.9)
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	whole, id := l.Result.CapacityAh, l.Logs[0].ID
	kept, err := r.Tests.ReadKept(r.ctx, id)
	r.must(err)
	if kept.Log == nil || math.Abs(kept.EndS()-kept.Result.Segments[len(kept.Result.Segments)-1].EndS) > 1 {
		t.Errorf("kept log ends at %v", kept.EndS())
	}
	cut := kept.Result.Capacity.StartS + 3600
	newer, res, err := r.Tests.Reread(r.ctx, id, test.LogInput{ReadAs: logfile.ReadAs{CutToS: cut},
		Token: r.token()})
	r.must(err)
	if res.Capacity.Complete || res.Capacity.Ah > whole/2 {
		t.Errorf("cut after an hour: %+v", res.Capacity)
	}
	if l, err = r.Desk.Life(r.ctx, "K-001"); err != nil || l.Result.Complete ||
		l.Result.CapacityAh != numeral.AmpHours(res.Capacity.Ah) {
		t.Errorf("%v: %+v counts", err, l.Result)
	}
	if n, _ := r.Tests.NewerReading(r.ctx, id); n != newer {
		t.Errorf("newer reading %d: expected %d", n, newer)
	}
	if _, _, err := r.Tests.Reread(r.ctx, newer, test.LogInput{ReadAs: logfile.ReadAs{CutFromS: 1e6,
		CutToS: 2e6}, Token: r.token()}); !invalid(err, "to") {
		t.Errorf("cut behind its end: %v", err)
	}
	if _, _, err := r.Tests.Reread(r.ctx, id, test.LogInput{ReadAs: logfile.ReadAs{CutToS: cut + 9},
		Token: r.token()}); err == nil {
		t.Error("an overtaken reading is read again: two would count")
	}
	// The original file and the older result are still there.
	if again, err := r.Tests.ReadKept(r.ctx, id); err != nil || numeral.AmpHours(again.Result.Capacity.Ah) != whole {
		t.Errorf("%v: the older reading changed", err)
	}
	part, err := logview.Between(kept.Log, nil, 0, 100)
	r.must(err)
	text, err := r.Tests.StretchText(r.ctx, kept, part)
	r.must(err)
	if lines := strings.Count(string(text), "\n"); lines != part.Samples+1 {
		t.Errorf("%d lines of %d samples and a header", lines, part.Samples)
	}
}

// Two kinds of half a word: what two halves say together, and what one says alone.
func TestHalvesOfAModule(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	part := func(number string, from, to int, ah float64) error {
		return r.Tests.RecordTyped(r.ctx, test.TypedInput{Number: number, FromGroup: from, ToGroup: to,
			Token: r.token(), Result: kind.Result{CapacityAh: ah, FromFull: true, LowestEndVolts: 3.0, Amps: 10}})
	}
	r.must(part("K-001", 1, 4, 39))
	r.must(part("K-002", 1, 3, 38))
	r.must(part("K-001", 5, 7, 37))
	m, typ, err := r.ModuleWithType(r.ctx, "K-001")
	r.must(err)
	e, ok, err := r.Record.EstimateOf(r.ctx, m, typ)
	if err != nil || !ok || e.Basis != capacity.Measured || e.LikelyAh != 37 {
		t.Errorf("both halves: %+v %v", e, err)
	}
	m, _, err = r.ModuleWithType(r.ctx, "K-002")
	r.must(err)
	e, _, err = r.Record.EstimateOf(r.ctx, m, typ)
	if err != nil || e.Basis != capacity.Part || e.HighAh != 38 || m.CapacityAh != 0 {
		t.Errorf("one half: %+v %v, %v Ah kept as measured", e, err, m.CapacityAh)
	}
	if err := part("K-002", 6, 9, 38); err == nil {
		t.Error("groups 6 to 9 of seven were taken")
	}
}
