package shop_test

import (
	"bytes"
	"errors"
	"image"
	"image/color"
	"image/png"
	"pandrel/core/base/chem"
	"pandrel/shop/undo"
	"slices"
	"strings"
	"testing"
	"time"

	"pandrel/core/base/station"
	"pandrel/shop/kernel"
	"pandrel/shop/measure"
	"pandrel/shop/procedure"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/types"

	"pandrel/core/base/finding"
	"pandrel/core/module/face"
	"pandrel/core/module/lead"
	"pandrel/core/module/look"
	"pandrel/core/module/passage"
	"pandrel/core/module/survey"
	"pandrel/core/module/teardown"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/standing"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
	"pandrel/store"
)

// photo is a picture of one colour.
func photo(t *testing.T, shade uint8) []byte {
	t.Helper()
	m := image.NewRGBA(image.Rect(0, 0, 40, 30))
	for i := range m.Pix {
		m.Pix[i] = shade
	}
	m.SetRGBA(0, 0, color.RGBA{shade, 0, 0, 255})
	var b bytes.Buffer
	if err := png.Encode(&b, m); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}

func invalid(err error, field string) bool {
	var i *kernel.Invalid
	return errors.As(err, &i) && i.Fields[field] != ""
}

func blocked(err error, codes ...string) bool {
	var b *kernel.Blocked
	if !errors.As(err, &b) {
		return false
	}
	for _, code := range codes {
		if !slices.ContainsFunc(b.Findings, func(f finding.Finding) bool { return f.Code == code }) {
			return false
		}
	}
	return true
}

func (r *rig) version() int {
	r.t.Helper()
	t, err := r.Type(r.ctx, r.typ.ID)
	r.must(err)
	r.typ = t
	return t.Version
}

// A look with a picture is one thing: with a picture that cannot be read nothing of it is kept.
func TestALookKeepsItsPicturesOrNothing(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	in := receive.InspectInput{Number: "K-001", Signs: []string{"dented"},
		Pictures: [][]byte{photo(t, 90), []byte("no picture")}, Token: r.token()}
	if _, err := r.Receive.RecordInspection(r.ctx, in); !invalid(err, "picture") {
		t.Fatalf("%v", err)
	}
	m, _ := r.Module(r.ctx, "K-001")
	if last, err := r.Record.LastLook(r.ctx, m.ID); err != nil || last != nil {
		t.Fatalf("a look was kept: %+v %v", last, err)
	}
	in.Pictures = in.Pictures[:1]
	out, err := r.Receive.RecordInspection(r.ctx, in)
	if err != nil || out != look.Clean {
		t.Fatalf("%s %v", out, err)
	}
	last, err := r.Record.LastLook(r.ctx, m.ID)
	if err != nil || len(last.Pictures) != 1 || len(last.Found) != 1 || last.Found[0].Level != finding.Caution {
		t.Fatalf("%+v %v", last, err)
	}
	p, data, err := r.Record.PictureData(r.ctx, last.Pictures[0].ID)
	if err != nil || p.Width != 40 || !bytes.HasPrefix(data, []byte("\xff\xd8")) {
		t.Errorf("%d × %d, %v", p.Width, p.Height, err)
	}
}

func TestThicknessAndScrap(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 3)
	_, err := r.Types.SaveLooks(r.ctx, r.typ.ID, types.LooksInput{Version: r.version(),
		Notes: map[string]look.Note{"posts": {Where: "both tabs"}, "sense": {Skip: true}}, ThicknessMM: 96,
		Token: r.token()})
	r.must(err)
	if _, err := r.Types.SaveLooks(r.ctx, r.typ.ID, types.LooksInput{Version: r.version(),
		Notes: map[string]look.Note{"swelling": {Skip: true}}, ThicknessMM: 96, Token: r.token()}); !invalid(err,
		"skip-swelling") {
		t.Errorf("swelling was left out: %v", err)
	}
	for _, c := range []struct {
		number string
		mm     float64
		signs  []string
		want   look.Outcome
		quar   bool
		at     station.Station
	}{{"K-001", 97, nil, look.GoOn, false, station.Map}, {"K-002", 103, nil, look.Quarantine, true, station.Inspect},
		{"K-003", 0, []string{"burnt"}, look.Scrap, true, station.Out}} {
		t.Run(c.number, func(t *testing.T) {
			out, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: c.number, ThicknessMM: c.mm,
				Signs: c.signs, Token: r.token()})
			m, _ := r.Module(r.ctx, c.number)
			if err != nil || out != c.want || m.Quarantined != c.quar || m.Station != c.at {
				t.Errorf("%s: %s, quarantined %v, at %s, %v", c.number, out, m.Quarantined, m.Station, err)
			}
		})
	}
	looks := types.LooksOf(r.typ)
	i := slices.IndexFunc(looks, func(l look.OfType) bool { return l.Key == "sense" })
	r.version()
	if looks = types.LooksOf(r.typ); !looks[i].Note.Skip {
		t.Error("the sense wires are still asked for")
	}
}

func TestFaceKeepsWhatTheLayoutKnows(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	r.version()
	f := types.FaceOf(r.typ)
	f.Points[0].X = 3
	f.Connectors = append(f.Connectors, face.Connector{Name: "extra", Pins: face.Pins("Y", 26), Rows: 2,
		Order: face.ByRow, Key: face.KeyFirst, X: 50, Y: 20})
	typ, err := r.Types.SaveFace(r.ctx, r.typ.ID, r.typ.Version, f, r.token())
	if err != nil || !strings.Contains(typ.Pins, "Y26") || types.FaceOf(typ).Points[0].X != 3 {
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

func TestTeardownOfAModule(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	steps := []teardown.Step{{Do: "lid", Fastener: "M4 screw", Count: 8, Keep: "lid", KeepCount: 1},
		{Do: "board", Keep: "board", KeepCount: 1}}
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, Steps: slices.Clone(steps),
		Token: r.token()}))
	row, kept, _, err := r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(err)
	if kept[0].Key != "s1" || kept[1].Key != "s2" {
		t.Errorf("keys %+v", kept)
	}
	var con *kernel.Conflict
	if err := r.Measure.SaveTeardown(kernel.By(r.ctx, "MO"), measure.TeardownInput{TypeID: r.typ.ID, Steps: steps,
		Token: r.token()}); !errors.As(err, &con) {
		t.Errorf("a list made before the newest one was saved over it: %v", err)
	}
	// A step put before the others keeps their keys.
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: append([]teardown.Step{{Do: "cover"}}, kept...), Token: r.token()}))
	_, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	if kept[0].Key != "s3" || kept[1].Key != "s1" {
		t.Errorf("keys %+v", kept)
	}
	step := func(key, way string, n, parts int) error {
		return r.Measure.RecordTeardownStep(r.ctx, measure.TeardownStepInput{Number: "K-001", Step: key, Way: way,
			Fasteners: n, Parts: parts, Token: r.token()})
	}
	if err := step("s1", teardown.On, 8, 1); !invalid(err, "") {
		t.Errorf("on before off: %v", err)
	}
	r.must(step("s3", teardown.Off, 0, 0))
	r.must(step("s1", teardown.Off, 8, 1))
	r.must(step("s1", teardown.On, 7, 1))
	m, _ := r.Module(r.ctx, "K-001")
	o, ok, err := r.Measure.OpeningOf(r.ctx, m)
	if err != nil || !ok || o.Done || o.Findings[0].Code != "missing" {
		t.Errorf("%+v %v", o, err)
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.Opened) != 1 || day.Opened[0].Number != "K-001" ||
		day.Opened[0].Missing == "" {
		t.Errorf("today says nothing of it: %+v %v", day.Opened, err)
	}
	// A count that was typed wrong is taken back with the reason, the last one first; then the step is as it was
	// before.
	o, _, _ = r.Measure.OpeningOf(r.ctx, m)
	strike := func(id int64) error {
		return r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeOpening, RowID: id,
			Reason: "the screws of another module", Token: r.token()})
	}
	if err := strike(o.Last.ID - 1); !invalid(err, "row") {
		t.Errorf("not the last: %v", err)
	}
	last := o.Last.ID
	r.must(strike(last))
	if err := strike(last); err == nil {
		t.Error("taken back twice")
	}
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || o.Last.ID != last-1 || o.States[1].IsOn ||
		len(o.Tray) == 0 {
		t.Errorf("%+v %v", o, err)
	}
	r.must(step("s1", teardown.On, 7, 1))
	// A step that was taken out never lends its key to another.
	row, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	// without s3
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID, Steps: kept[1:],
		Token: r.token()}))
	row, _, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(r.Measure.SaveTeardown(r.ctx, measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: append(slices.Clone(kept[1:]), teardown.Step{Do: "plate"}), Token: r.token()}))
	if _, now, _, _ := r.Measure.TeardownOf(r.ctx, r.typ.ID); now[2].Key != "s4" {
		t.Errorf("the new step has the key %s", now[2].Key)
	}
	// The list loses a step while the module is open: its part stays in the tray until it is back.
	row, kept, _, _ = r.Measure.TeardownOf(r.ctx, r.typ.ID)
	r.must(r.Measure.SaveTeardown(kernel.By(r.ctx, "MO"), measure.TeardownInput{TypeID: r.typ.ID, After: row.ID,
		Steps: kept[:1], Token: r.token()}))
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || len(o.Tray) != 2 || len(o.States) != 3 {
		t.Errorf("%d in the tray, %d steps, %v", len(o.Tray), len(o.States), err)
	}
	r.must(step("s1", teardown.On, 8, 1))
	r.must(step("s3", teardown.On, 0, 0))
	if o, _, err = r.Measure.OpeningOf(r.ctx, m); err != nil || !o.Done || len(o.States) != 1 {
		t.Errorf("closed: %+v %v", o, err)
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.Opened) != 0 {
		t.Errorf("today still says: %+v %v", day.Opened, err)
	}
	if err := step("s9", teardown.Off, 0, 0); !invalid(err, "") {
		t.Errorf("a step that is not there: %v", err)
	}
	r.look("K-002", "swollen")
	if err := r.Measure.RecordTeardownStep(r.ctx, measure.TeardownStepInput{Number: "K-002", Step: "s1",
		Way: teardown.Off, Token: r.token()}); !blocked(err) {
		t.Errorf("a swollen module was opened: %v", err)
	}
}

func TestOwnersBankGates(t *testing.T) {
	r := newRig(t)
	hut := standing.Bank{NominalVolts: 24, FullVolts: 28.8, Strings: 1}
	if _, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Hut",
		Bank: standing.Bank{NominalVolts: 24, FullVolts: 20, Strings: 1}, Token: r.token()}); !invalid(err, "full_v") {
		t.Errorf("full below nominal: %v", err)
	}
	row, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Hut", Bank: hut,
		Cells: standing.Cells{Series: 8, Chemistry: chem.LFP, Opens: standing.OpensYes}, Token: r.token()})
	r.must(err)
	rec := func(in procedure.StepInput) error {
		in.Token = r.token()
		_, err := r.Procedure.RecordStep(r.ctx, procedure.Standing, row.ID, in)
		return err
	}
	if err := rec(procedure.StepInput{Step: "main", Confirm: true}); !blocked(err) {
		t.Errorf("the main switch before the loads: %v", err)
	}
	if err := rec(procedure.StepInput{Step: "owner",
		Override: "the owner cannot be reached today at all"}); !blocked(err) {
		t.Errorf("the owner was passed over: %v", err)
	}
	for _, k := range []string{"owner", "meter", "loads"} {
		r.must(rec(procedure.StepInput{Step: k, Confirm: true}))
	}
	if err := rec(procedure.StepInput{Step: "dance", Confirm: true}); !invalid(err, "") {
		t.Errorf("%v", err)
	}
	// What was not read is not zero: passed over in writing it leaves no reading behind.
	if err := rec(procedure.StepInput{Step: "current"}); !invalid(err, "reading") {
		t.Errorf("an empty field was taken for 0 A: %v", err)
	}
	r.must(rec(procedure.StepInput{Step: "current", Reading: finding.Of(4)})) // kept, and not passed
	if err := rec(procedure.StepInput{Step: "main", Confirm: true}); !blocked(err) {
		t.Errorf("4 A flow and the main switch may be opened: %v", err)
	}
	r.must(rec(procedure.StepInput{Step: "current", Reading: finding.Of(0.1)}))
	r.must(rec(procedure.StepInput{Step: "main", Confirm: true}))
	r.must(rec(procedure.StepInput{Step: "wait", Reading: finding.Of(0.3)}))
	r.must(rec(procedure.StepInput{Step: standing.VoltsKey, Reading: finding.Of(26.1)}))
	v, err := r.Procedure.StandingByID(r.ctx, row.ID)
	r.must(err)
	if v.Before != 26.1 || len(v.Records) != 8 {
		t.Errorf("before %.1f, %d records", v.Before, len(v.Records))
	}
	if day, err := r.Desk.Today(r.ctx); err != nil || len(day.OutOfWork) != 1 ||
		day.OutOfWork[0].Next != "Isolation" && day.OutOfWork[0].Next != "Second person" {
		t.Errorf("today: %+v %v", day.OutOfWork, err)
	}
	r.must(rec(procedure.StepInput{Step: "isolation", Override: "the case is plastic throughout"}))
	if v, err = r.Procedure.StandingByID(r.ctx, row.ID); err != nil || v.Records[len(v.Records)-1].Reading != "" ||
		v.Records[len(v.Records)-1].OK {
		t.Errorf("isolation that nobody measured is on record: %+v %v", v.Records[len(v.Records)-1], err)
	}
	r.must(rec(procedure.StepInput{Step: "covers", Confirm: true}))
	r.must(rec(procedure.StepInput{Step: "links", Confirm: true}))
	r.must(rec(procedure.StepInput{Step: "volts-back", Reading: finding.Of(24.4)})) // a group missing
	if err := rec(procedure.StepInput{Step: "polarity", Confirm: true}); !blocked(err) {
		t.Errorf("came back at another voltage and goes on: %v", err)
	}
}

func TestLeadsAreCheckedInOrder(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	r.version()
	spec, ok, err := r.Measure.ProposeLead(r.ctx, r.typ)
	if err != nil || !ok {
		t.Fatal(err)
	}
	row, err := r.Measure.SaveLead(r.ctx, measure.LeadInput{Name: "L1", TypeID: r.typ.ID, Spec: spec, Token: r.token()})
	r.must(err)
	touched := func(swap bool) (out []lead.Touch) {
		for _, w := range spec.Wires {
			k := w.Input
			if swap && k < 2 {
				k = 1 - k
			}
			out = append(out, lead.Touch{Point: w.Point, Inputs: []int{k}})
		}
		return out
	}
	volts := func(v float64) (out []record.TypedVolts) {
		for i := range spec.Inputs {
			out = append(out, record.TypedVolts{Group: i, Volts: v * float64(i)})
		}
		return out
	}
	check := func(in measure.LeadCheckInput) ([]finding.Finding, error) {
		in.ID, in.Token = row.ID, r.token()
		return r.Measure.RecordLeadCheck(r.ctx, in)
	}
	if _, err := check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001",
		Volts: volts(3.7)}); !blocked(err) {
		t.Errorf("by voltage first: %v", err)
	}
	fs, err := check(measure.LeadCheckInput{Kind: measure.CheckContinuity, Touched: touched(true)})
	if err != nil || fs[0].Code != "swapped" {
		t.Errorf("%v %v", fs, err)
	}
	_, err = check(measure.LeadCheckInput{Kind: measure.CheckContinuity, Touched: touched(false)})
	r.must(err)
	if _, err := check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001",
		Volts: volts(3.7)}); !invalid(err, "module") {
		t.Errorf("on a module that was not surveyed: %v", err)
	}
	_, err = r.survey("K-001", flat(3.7)...)
	r.must(err)
	_, err = check(measure.LeadCheckInput{Kind: measure.CheckVolts, Module: "K-001", Volts: volts(3.7)})
	r.must(err)
	v, err := r.Measure.LeadByID(r.ctx, row.ID)
	if err != nil || !v.Ready || v.State() != "ok" {
		t.Errorf("%+v %v", v.State(), err)
	}
	if ready, others, err := r.Measure.LeadsFor(r.ctx, r.typ.ID); err != nil ||
		!slices.Equal(ready, []string{"L1"}) || others != nil {
		t.Errorf("%v %v %v", ready, others, err)
	}
	// A changed lead is an unchecked lead.
	spec.Wires[0].Point, spec.Wires[1].Point = spec.Wires[1].Point, spec.Wires[0].Point
	_, err = r.Measure.SaveLead(r.ctx, measure.LeadInput{ID: row.ID, Version: v.Version, Name: "L1", TypeID: r.typ.ID,
		Spec: spec, Token: r.token()})
	r.must(err)
	if v, _ = r.Measure.LeadByID(r.ctx, row.ID); v.Ready || v.Continuity != nil || v.State() != "stop" {
		t.Errorf("changed, and still %s", v.State())
	}
	if ready, others, _ := r.Measure.LeadsFor(r.ctx, r.typ.ID); ready != nil || !slices.Equal(others, []string{"L1"}) {
		t.Errorf("%v %v", ready, others)
	}
}

func TestScreensOfALot(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 3)
	for _, n := range []string{"K-001", "K-002", "K-003"} {
		r.look(n)
	}
	r.mapType("K-001")
	shot := photo(t, 40)
	var first store.Picture
	for i, n := range []string{"K-001", "K-002"} {
		p, err := r.Record.AddPicture(r.ctx, record.PictureInput{Kind: record.PictureScreen, Module: n, Data: shot,
			Token: r.token()})
		r.must(err)
		if i == 0 {
			first = p
		}
	}
	used, err := r.Record.UsedBefore(r.ctx, first)
	if err != nil || !slices.Equal(used, []string{"K-002"}) {
		t.Errorf("%v %v", used, err)
	}
	in := measure.SurveyInput{Number: "K-003", PictureID: first.ID, RestMinutes: 60, Token: r.token()}
	for i, v := range flat(3.7) {
		in.Readings = append(in.Readings, record.TypedVolts{Group: i + 1, Volts: v})
	}
	if _, _, err := r.Measure.RecordSurvey(r.ctx, in); !invalid(err, "picture") {
		t.Errorf("typed from another module's picture: %v", err)
	}
	in.Number, in.Token = "K-001", r.token()
	_, _, err = r.Measure.RecordSurvey(r.ctx, in)
	r.must(err)
	c, err := r.Record.LotCoverage(r.ctx, r.lot.ID)
	if err != nil || c.Total != 3 || c.Surveyed != 1 || c.Screens != 2 ||
		!slices.Equal(c.Left, []string{"K-002", "K-003"}) || !slices.Equal(c.Unused, []string{"K-002"}) ||
		!slices.Equal(c.SameTwice, []string{"K-001", "K-002"}) {
		t.Errorf("%+v %v", c, err)
	}
	m, _ := r.Module(r.ctx, "K-002")
	p, err := r.Desk.PalletOf(r.ctx, m)
	if err != nil || p.Done != 1 || p.Total != 3 || !slices.Equal(p.Left, []string{"K-003"}) {
		t.Errorf("%+v %v", p, err)
	}
}

// The plug that was not moved on: the monitor shows the module before, group for group.
func TestTheMonitorStillOnTheModuleBefore(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 2)
	r.look("K-001")
	r.look("K-002")
	r.mapType("K-001")
	mon, err := instrument.StartMonitor("127.0.0.1:0", 3)
	r.must(err)
	defer mon.Stop()
	r.MonitorAddress = mon.Address
	mod := virtual.New(r.rng, "a", virtual.Spec{Chemistry: "nmc", Series: 7, RatedAh: 46, SoH: 0.9, SoC: 0.5,
		SoCSpread: 0.01, ResistanceOhms: 0.002})
	mon.Plug(mod)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", ""); !blocked(err, "shared-negative") {
		t.Errorf("read although nobody said what else is on it: %v", err)
	}
	volts, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone)
	r.must(err)
	// In the grid of a lot the row before is read and not kept yet.
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); !invalid(err, "") ||
		!strings.Contains(err.Error(), "K-001") {
		t.Errorf("not kept yet: %v", err)
	}
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone); err != nil {
		t.Errorf("read twice: %v", err)
	}
	_, _, err = r.Measure.RecordSurvey(r.ctx, measure.SurveyInput{Number: "K-001", Readings: volts,
		Instrument: measure.MonitorInstrument, RestMinutes: 60, Token: r.token()})
	r.must(err)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); !invalid(err, "") ||
		!strings.Contains(err.Error(), "K-001") {
		t.Errorf("%v", err)
	}
	mon.Plug(mod) // another module that agrees to the last digit, as good ones on a flat curve do
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); err != nil {
		t.Errorf("plugged in anew, and refused: %v", err)
	}
	mod.Groups[2].SoC += 0.02
	mon.Plug(mod)
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-002", passage.Alone); err != nil {
		t.Errorf("another module: %v", err)
	}
	r.at = r.at.Add(2 * time.Hour) // the same module again, hours later, is nobody's mistake
	if _, _, err := r.Measure.ReadMonitor(r.ctx, "K-001", passage.Alone); err != nil {
		t.Errorf("%v", err)
	}
}

func TestFreightByThePallet(t *testing.T) {
	r := newRig(t)
	in := receive.LotInput{Supplier: "Yard", ArrivedOn: "2026-11-02", Price: 400, Pallets: 2, PalletFreight: 95,
		PalletHolds: 16, ClaimedSoHPct: 85, Token: r.token()}
	lot, err := r.Receive.SaveLot(r.ctx, in)
	if err != nil || lot.Freight != 190 {
		t.Fatalf("%v %v", lot.Freight, err)
	}
	_, err = r.Receive.AddModules(r.ctx, receive.ModulesInput{LotID: lot.ID, TypeID: r.typ.ID, First: "Y-01",
		Count: 20, Token: r.token()})
	r.must(err)
	lots, err := r.Desk.Lots(r.ctx)
	r.must(err)
	if c := lots[0].Costs; c.PerModule != 29.5 || c.FullPerModule != 400.0/20+95.0/16 {
		t.Errorf("%+v", c)
	}
	in.Freight, in.Token = 50, r.token()
	if _, err := r.Receive.SaveLot(r.ctx, in); !invalid(err, "freight") {
		t.Errorf("two freights: %v", err)
	}
	in.Freight, in.Pallets, in.Token = 0, 0, r.token()
	if _, err := r.Receive.SaveLot(r.ctx, in); !invalid(err, "pallets") {
		t.Errorf("per pallet without pallets: %v", err)
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

// A monitor's file may tell of earlier sittings: they are kept under their own time, compared in their
// own order, and do not change where a module stands that was surveyed later.
func TestAnEarlierSittingComesInLater(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001")
	r.mapType("K-001")
	r.at = r.at.Add(40 * 24 * time.Hour)
	good := flat(3.75)
	odd := flat(3.75)
	odd[2] = 3.60
	now, err := r.survey("K-001", odd...)
	r.must(err)
	in := func(v []float64, at time.Time) measure.SurveyInput {
		x := measure.SurveyInput{Number: "K-001", Instrument: "imported", RestMinutes: 600, TakenAt: at,
			Token: r.token()}
		for i, v := range v {
			x.Readings = append(x.Readings, record.TypedVolts{Group: i + 1, Volts: v})
		}
		return x
	}
	_, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(good, r.at.Add(-30*24*time.Hour))},
		r.token(), true)
	if err != nil || len(errs) > 0 {
		t.Fatal(errs, err)
	}
	m, _ := r.Module(r.ctx, "K-001")
	if m.Verdict != now.Verdict {
		t.Errorf("an old sitting changed the verdict to %s", m.Verdict)
	}
	l, err := r.Desk.Life(r.ctx, "K-001")
	if err != nil || len(l.Surveys) != 2 || l.Surveys[1].Result.Groups[2].Volts != 3.75 ||
		!l.Surveys[1].TakenAt.Equal(r.at.Add(-30*24*time.Hour)) {
		t.Errorf("%d surveys, %v", len(l.Surveys), err)
	}
	r.at = r.at.Add(time.Hour)
	again, err := r.survey("K-001", odd...)
	if err != nil || again.Groups[2].Drift == nil || *again.Groups[2].Drift > -3 {
		t.Errorf("the next survey is not compared with the old sitting: %s %v", again.Verdict, err)
	}
	if _, errs, err = r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(good, r.at.Add(48*time.Hour))},
		r.token(), true); err != nil || errs[0] == "" {
		t.Errorf("a sitting of the day after tomorrow: %v %v", errs, err)
	}
	low := flat(3.75)
	low[0] = 1.2
	for i := range 2 { // the second confirms the first
		at := r.at.Add(-20*24*time.Hour + time.Duration(i)*time.Hour)
		if _, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(low, at)}, r.token(),
			true); err != nil || len(errs) > 0 {
			t.Fatal(errs, err)
		}
		if _, errs, err := r.Measure.ImportSurveys(r.ctx, []measure.SurveyInput{in(low, at)}, r.token(),
			false); err != nil || errs[0] == "" {
			t.Errorf("the same sitting twice: %v %v", errs, err)
		}
	}
	if m, _ = r.Module(r.ctx, "K-001"); !m.Quarantined || !m.EverBelowNever {
		t.Error("it was below never-recharge twenty days ago, and goes on")
	}
}

// What a caliper found is lifted by a caliper: neither by a look without one, nor by taking the first look back.
func TestAThicknessIsLiftedByAThickness(t *testing.T) {
	for _, mm := range []float64{103, 98.5} { // swollen, grown
		r := newRig(t)
		r.receive("K-001", 1)
		_, err := r.Types.SaveLooks(r.ctx, r.typ.ID, types.LooksInput{Version: r.version(),
			Notes: map[string]look.Note{}, ThicknessMM: 96, Token: r.token()})
		r.must(err)
		see := func(mm float64) error {
			_, err := r.Receive.RecordInspection(r.ctx, receive.InspectInput{Number: "K-001", ThicknessMM: mm,
				Nothing: mm == 0, Token: r.token()})
			return err
		}
		r.must(see(mm))
		if mm < 100 {
			if err := see(0); !invalid(err, "thickness_mm") {
				t.Errorf("%v mm, then a look without a caliper: %v", mm, err)
			}
		}
		life, err := r.Desk.Life(r.ctx, "K-001")
		r.must(err)
		r.must(r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeLook,
			RowID: life.Inspections[0].ID, Reason: "read on the wrong scale", Token: r.token()}))
		if err := see(0); !invalid(err, "thickness_mm") {
			t.Errorf("%v mm, taken back, then a look without a caliper: %v", mm, err)
		}
		r.must(see(96.2))
		if m, err := r.Module(r.ctx, "K-001"); err != nil || m.Quarantined || m.Hold != "" {
			t.Errorf("%v mm, measured again at 96.2: %+v %v", mm, m.Hold, err)
		}
	}
}

// Two looks sent a module away: taking one back leaves the other.
func TestTheOtherLookStillSendsItAway(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	r.look("K-001", "hot")
	life, err := r.Desk.Life(r.ctx, "K-001")
	r.must(err)
	r.look("K-001", "swollen")
	r.must(r.Undo.Strike(r.ctx, undo.StrikeInput{Number: "K-001", Kind: record.StrikeLook,
		RowID: life.Inspections[0].ID, Reason: "that was its neighbour", Token: r.token()}))
	if m, err := r.Module(r.ctx, "K-001"); err != nil || !m.Quarantined || m.QuarantineWhy == "" {
		t.Errorf("%+v %v", m.Quarantined, err)
	}
}
