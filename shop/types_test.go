package shop_test

import (
	"errors"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/station"
	"pandrel/core/module/face"
	"pandrel/core/module/survey"
	"pandrel/core/module/variant"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/types"
)

func (r *rig) version() int {
	r.t.Helper()
	t, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	r.typ = t
	return t.Version
}

func TestFaceKeepsWhatTheLayoutKnows(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	r.version()
	f := r.typ.Lies()
	f.Points[0].X = 3
	f.Connectors = append(f.Connectors, face.Connector{Name: "extra", Pins: face.Pins("Y", 26), Rows: 2,
		Order: face.ByRow, Key: face.KeyFirst, X: 50, Y: 20})
	typ, err := r.Types.SaveFace(r.ctx, r.typ.ID, r.typ.Version, f, r.token())
	if err != nil || !strings.Contains(typ.Pins, "Y26") || typ.Lies().Points[0].X != 3 {
		t.Fatalf("%v", err)
	}
	var con *kernel.Conflict
	if _, err := r.Types.SaveFace(kernel.By(r.ctx, "MO"), r.typ.ID, r.typ.Version, f, r.token()); !errors.As(err,
		&con) {
		t.Errorf("a stale face was saved: %v", err)
	}
	f.Points[1].Name = "B+"
	if _, err := r.Types.SaveFace(r.ctx, r.typ.ID, typ.Version, f, r.token()); !invalid(err, "face") {
		t.Errorf("a mapped post was renamed: %v", err)
	}
	f.Points[1].Name, f.Points[1].Y = "A+", 900
	if _, err := r.Types.SaveFace(r.ctx, r.typ.ID, typ.Version, f, r.token()); !invalid(err, "face") {
		t.Errorf("outside the case: %v", err)
	}
}

// A type's own curve changes how a survey is judged from then on, and leaves what was judged before.
func TestOwnCurveJudges(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	volts := flat(3.70)
	volts[3] = 3.66
	before, err := r.survey("K-001", volts...)
	r.must(err)
	steep := chem.Points{SoCPct: []float64{0, 10, 45, 50, 90, 100}, Volts: []float64{3.2, 3.3, 3.5, 3.75, 4.1, 4.18},
		Source: "maker's sheet"}
	if _, err := r.Types.SaveCurve(r.ctx, r.typ.ID, r.version(),
		chem.Points{SoCPct: steep.SoCPct, Volts: steep.Volts}, r.token()); !invalid(err, "source") {
		t.Errorf("a curve from nowhere: %v", err)
	}
	_, err = r.Types.SaveCurve(r.ctx, r.typ.ID, r.version(), steep, r.token())
	r.must(err)
	after, err := r.survey("K-002", volts...)
	r.must(err)
	if before.Verdict != survey.Suspect || after.Verdict == survey.Suspect &&
		after.Groups[3].OffsetPct[1] <= before.Groups[3].OffsetPct[1] {
		t.Errorf("before %s %v, after %s %v", before.Verdict, before.Groups[3].OffsetPct, after.Verdict,
			after.Groups[3].OffsetPct)
	}
	if *after.Groups[3].OffsetPct == *before.Groups[3].OffsetPct {
		t.Error("the curve changed nothing")
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	if *l.Surveys[0].Result.Groups[3].OffsetPct != *before.Groups[3].OffsetPct {
		t.Error("what was judged before changed")
	}
	_, err = r.Types.SaveCurve(r.ctx, r.typ.ID, r.version(), chem.Points{}, r.token())
	r.must(err)
	r.version()
	if own, err := record.OwnCurve(r.typ); err != nil || own != nil {
		t.Errorf("%v %v", own, err)
	}
}

// A curve that is replaced between two surveys must not look like a leak: nothing in the module moved.
func TestANewCurveIsNoDrift(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	volts := []float64{3.70, 3.70, 3.70, 3.69, 3.70, 3.70, 3.70}
	_, err := r.survey("K-001", volts...)
	r.must(err)
	_, err = r.Types.SaveCurve(r.ctx, r.typ.ID, r.version(), chem.Points{SoCPct: []float64{0, 20, 40, 60, 80, 100},
		Volts: []float64{3.2, 3.66, 3.69, 3.71, 4.0, 4.18}, Source: "maker's sheet"}, r.token())
	r.must(err)
	r.at = r.at.Add(30 * 24 * time.Hour)
	res, err := r.survey("K-001", volts...)
	r.must(err)
	if d := res.Groups[3].Drift; res.Verdict == survey.Leaking || d != nil && *d < -0.5 {
		t.Errorf("%s, drift %v", res.Verdict, d)
	}
}

func TestVariantsOfAType(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	if vs, _, err := r.Types.VariantsOf(r.ctx, r.typ); err != nil || vs != nil {
		t.Fatalf("without a layout: %v %v", vs, err)
	}
	r.look("K-001")
	r.mapType("K-001")
	r.version()
	joints := slices.Repeat([]string{variant.Bolted}, 6)
	if _, err := r.Types.SaveInside(r.ctx, r.typ.ID, r.typ.Version, variant.Told{Elements: 1, Joints: joints[:2]},
		r.token()); !invalid(err, "") {
		t.Errorf("two joints for seven groups: %v", err)
	}
	_, err := r.Types.SaveInside(r.ctx, r.typ.ID, r.typ.Version, variant.Told{Elements: 1, Joints: joints}, r.token())
	r.must(err)
	r.version()
	vs, _, err := r.Types.VariantsOf(r.ctx, r.typ)
	r.must(err)
	if i := slices.IndexFunc(vs, func(v variant.Variant) bool {
		return v.Kind == variant.Cut && v.Pieces == 7 && v.Possible
	}); i < 0 {
		t.Errorf("%+v", vs)
	}
}

func TestFamilyRoundTrip(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	for _, v := range []float64{3.70, 3.72} {
		_, err := r.survey("K-001", flat(v)...)
		r.must(err)
		r.at = r.at.Add(time.Hour)
	}
	_, err := r.survey("K-002", flat(3.71)...)
	r.must(err)
	lot, err := r.Record.Family(r.ctx, "lot", r.lot.ID)
	if err != nil || len(lot) != 2 || lot[0].Volts[0] != 3.72 {
		t.Fatalf("%+v %v", lot, err)
	}
	m, _ := r.Module(r.ctx, "K-001")
	own, err := r.Record.Family(r.ctx, "module", m.ID)
	if err != nil || len(own) != 2 || own[0].Volts[0] != 3.72 || own[1].Volts[0] != 3.70 {
		t.Errorf("%+v %v", own, err)
	}
	header, rows := record.FamilyExport(lot)
	if len(rows) != 14 || header[0] != "module" || rows[13][1] != 7 {
		t.Errorf("%v, %d rows", header, len(rows))
	}
	if _, err := r.Record.Family(r.ctx, "attic", 1); err == nil {
		t.Error("a family of nothing")
	}
}

// Readings of seven groups are not made those of six by a word.
func TestDeclaringAnotherCountAfterASurvey(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	_, err := r.survey("K-001", 3.71, 3.71, 3.71, 3.71, 3.71, 3.71, 3.71)
	r.must(err)
	typ, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	_, err = r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: typ.ID, Version: typ.Version, Series: 6,
		Posts: "A- A+", Token: r.token()})
	if err == nil || !strings.Contains(err.Error(), "K-001 was surveyed with 7 groups") {
		t.Errorf("%v", err)
	}
}

// A type declared by what is in plain sight is wired like one that was mapped; a reading that cannot be stops it.
func TestDeclaredTypes(t *testing.T) {
	r := newRig(t)
	wrong := 3.7
	_, err := r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: r.typ.ID, Version: 1, Series: 7, Posts: "A- A+",
		Pins: r.typ.Pins, Total: &wrong, Token: r.token()})
	if !stoppedBy(err, "declared-not-so") {
		t.Errorf("7 groups at 3.7 V: %v", err)
	}
	right := 25.9
	_, err = r.Types.DeclareLayout(r.ctx, types.DeclareInput{TypeID: r.typ.ID, Version: 1, Series: 7, Posts: "A- A+",
		Pins: r.typ.Pins, Total: &right, Token: r.token()})
	r.must(err)
	r.receive("K-001", 1)
	r.look("K-001")
	if r.station("K-001") != station.Survey {
		t.Errorf("at %s: it needs no map", r.station("K-001"))
	}
	if _, err := r.survey("K-001", 3.71, 3.71, 3.71, 3.71, 3.71, 3.71, 3.71); err != nil {
		t.Error(err)
	}
}
