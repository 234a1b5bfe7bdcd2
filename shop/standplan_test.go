package shop_test

import (
	"bytes"
	"image"
	"image/png"
	"testing"

	"pandrel/core/bank/change"
	"pandrel/core/bank/floor"
	"pandrel/core/procedure/standing"
	shopfloor "pandrel/shop/floor"
	"pandrel/shop/procedure"
	"pandrel/store"
)

// A bank that somebody else built is drawn as it stands: its parts, what was read at them, pictures pinned to them.
// Nothing of the stock goes onto its drawing, and nothing is built by it.
func TestABankThatStandsIsDrawn(t *testing.T) {
	r := newRig(t)
	r.receive("K-001", 1)
	b, err := r.Procedure.SaveStanding(r.ctx, procedure.StandingInput{Name: "Kiosk", Owner: "Kiosk", Token: r.token(),
		Bank: standing.Bank{Strings: 2, NominalVolts: 25.6, FullVolts: 29.2}, Cells: standing.Cells{}})
	r.must(err)
	if v := r.drawn(b.ID); v.Why == "" || len(v.State.Drawing.Pieces) > 0 {
		t.Errorf("%+v: expected to be told that nobody counted its groups", v.State.Drawing)
	}
	r.must(r.Procedure.DeclareCells(r.ctx, b.ID, b.Version, standing.Cells{Series: 8, InString: 2, Chemistry: "lfp",
		Ah: 200}, r.token()))
	v := r.drawn(b.ID)
	if tells := v.State.Tells; v.Why != "" || tells.Series != 8 || tells.Parallel != 2 || tells.Modules != 4 ||
		!v.Units["a1"].Nobody {
		t.Fatalf("%s %+v: expected two strings of two parts, nobody's volts", v.Why, tells)
	}
	r.draw(b.ID, change.Op{Do: change.Take, ID: "a2"})
	r.draw(b.ID, change.Op{Do: change.Add, Kind: "module", ID: "a2"})
	err = r.Floor.Change(r.ctx, shopfloor.ChangeInput{BankID: b.ID, At: r.drawn(b.ID).At, Token: r.token(),
		Op: change.Op{Do: change.Add, Kind: "module", ID: "K-001"}})
	if err == nil {
		t.Error("a module of the stock stands on the drawing of a bank that stands")
	}
	if err := r.Floor.Build(r.ctx, b.ID, r.drawn(b.ID).At, r.token()); err == nil {
		t.Error("a bank that stands is built by its drawing")
	}
	picture := grey(t)
	pin := func(op change.Op, data []byte) error {
		return r.Floor.Change(r.ctx, shopfloor.ChangeInput{BankID: b.ID, At: r.drawn(b.ID).At, Op: op, Picture: data,
			Token: r.token()})
	}
	under := change.Op{Do: change.Under, Size: floor.Case{WMM: 500}}
	r.must(pin(under, picture))
	r.must(pin(change.Op{Do: change.Pin, ID: "b1", Note: "corroded"}, picture))
	d := r.drawn(b.ID).State.Drawing
	if d.Photo == nil || d.Photo.HMM != 250 || len(d.Pins) != 1 || d.Pins[0].Picture == d.Photo.Picture {
		t.Errorf("%+v, %+v: expected both pictures, the photograph in its shape", d.Photo, d.Pins)
	}
	var n, after int64
	r.must(r.Store.DB.Model(&store.Picture{}).Where("bank_id = ?", b.ID).Count(&n).Error)
	if err := pin(change.Op{Do: change.Pin, ID: "nothing", Note: "x"}, picture); err == nil {
		t.Error("a picture was pinned to nothing")
	}
	if err := pin(under, []byte("no picture")); err == nil {
		t.Error("what is no picture was kept as one")
	}
	r.must(r.Store.DB.Model(&store.Picture{}).Where("bank_id = ?", b.ID).Count(&after).Error)
	if n != 2 || after != n {
		t.Errorf("%d pictures, then %d: expected two, and none of what failed", n, after)
	}
}

// grey is a picture twice as wide as it is high.
func grey(t *testing.T) []byte {
	t.Helper()
	var b bytes.Buffer
	if err := png.Encode(&b, image.NewGray(image.Rect(0, 0, 400, 200))); err != nil {
		t.Fatal(err)
	}
	return b.Bytes()
}
