package demo

import (
	"fmt"
	"image"
	"image/color"
	"math"

	"golang.org/x/image/draw"

	"pandrel/core/bank/change"
	corefloor "pandrel/core/bank/floor"
	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
	"pandrel/shop/floor"
	"pandrel/shop/kernel"
	"pandrel/shop/steps"
	"pandrel/store"
)

// draw does one thing after the other on the plan of a bank; where built, the bank is built by it from then on.
func (h *hall) draw(bankID int64, built bool, ops ...change.Op) {
	for _, op := range ops {
		h.drawWith(bankID, op, nil)
	}
	if built {
		h.do(func() error { return h.s.Floor.Build(h.ctx, bankID, h.drawnAt(bankID), h.token()) })
	}
}

// drawWith does one thing with a picture, nil for none.
func (h *hall) drawWith(bankID int64, op change.Op, picture []byte) {
	h.do(func() error {
		err := h.s.Floor.Change(h.ctx, floor.ChangeInput{BankID: bankID, At: h.drawnAt(bankID), Op: op,
			Picture: picture, Token: h.token()})
		if err != nil {
			return fmt.Errorf("%s on the plan of bank %d: %w", op.Do, bankID, err)
		}
		return nil
	})
}

// drawnAt is the row of a plan that is shown now.
func (h *hall) drawnAt(bankID int64) (at int64) {
	h.do(func() error {
		v, err := h.s.Floor.Load(h.ctx, bankID)
		at = v.At
		return err
	})
	return at
}

// halved is a tug module of short capacity on its way to become two: read, and its middle link proved to carry nothing.
func (h *hall) halved(number string) {
	h.do(func() error { return h.s.Regroup.Begin(h.ctx, number, "cut-2", h.token()) })
	for range 5 {
		h.do(func() error {
			v, err := h.s.Regroup.Of(h.ctx, number)
			if err != nil {
				return err
			}
			st := gates.Next(v.States, "")
			in := steps.Input{Step: st.Key, Confirm: true, Token: h.token()}
			switch {
			case st.Ask == gates.AskIsolation:
				in.Case = &isolation.Readings{PackVolts: st.ExpectVolts, MeterOhms: meterOhms}
			case st.Unit == "mm":
				in.Reading = finding.Of(142)
			case st.Low > 0:
				in.Reading = finding.Of(math.Round(50*(st.Low+st.High)) / 100)
			case st.Ask == gates.AskReading:
				in.Reading = finding.Of(0)
			}
			_, err = h.s.Regroup.Sign(h.ctx, v.Module.ID, in)
			return err
		})
	}
}

// photographed is the ferry kiosk's bank drawn over a photograph: the fuse and the outlet that hang on it, and a lug
// that somebody should see.
func (h *hall) photographed() {
	var id int64
	h.do(func() error {
		b, _, err := kernel.Find[store.Bank](h.s.Store.DB.Where("name = ?", "Ferry kiosk"))
		id = b.ID
		return err
	})
	h.drawWith(id, change.Op{Do: change.Under, X: -40, Y: -40, Size: corefloor.Case{WMM: 760}}, shelfPicture())
	h.draw(id, false, change.Op{Do: change.Size, ID: "whole", Size: corefloor.Case{WMM: 420, DMM: 260, HMM: 220}},
		change.Op{Do: change.Move, ID: "whole", X: 20, Y: 20}, change.Op{Do: change.Move, ID: "OUT", X: 540, Y: 60},
		change.Op{Do: change.Take, ID: "C+"}, change.Op{Do: change.Join, Kind: "fuse", A: "whole.P+", B: "OUT+"})
	h.drawWith(id, change.Op{Do: change.Pin, ID: "OUT", Note: "lug discoloured, see to it"}, swollenPicture())
}

// shelfPicture is a bank in its box from above: the cells, the box around them, an outlet beside it.
func shelfPicture() []byte {
	m := sheet(1140, 540, color.RGBA{214, 208, 194, 255})
	fill := func(x0, y0, x1, y1 int, c color.RGBA) {
		draw.Draw(m, image.Rect(x0, y0, x1, y1), image.NewUniform(c), image.Point{}, draw.Src)
	}
	fill(70, 70, 740, 500, color.RGBA{120, 112, 98, 255})
	for i := range 8 {
		x := 90 + i*80
		fill(x, 90, x+72, 480, color.RGBA{70, 88, 96, 255})
		fill(x+26, 110, x+46, 130, color.RGBA{190, 190, 184, 255})
		fill(x+26, 440, x+46, 460, color.RGBA{190, 190, 184, 255})
	}
	fill(870, 150, 1050, 256, color.RGBA{52, 62, 66, 255})
	return encode(m)
}
