package shop_test

import (
	"bytes"
	"image"
	"image/color"
	"image/png"
	"slices"
	"testing"

	"pandrel/core/base/finding"
	"pandrel/core/base/station"
	"pandrel/core/module/look"
	"pandrel/shop/receive"
	"pandrel/shop/record"
	"pandrel/shop/types"
	"pandrel/shop/undo"
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
