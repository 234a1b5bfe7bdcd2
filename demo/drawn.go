package demo

import (
	"fmt"
	"math"

	"pandrel/core/bank/change"
	"pandrel/core/base/finding"
	"pandrel/core/module/isolation"
	"pandrel/core/procedure/gates"
	"pandrel/shop/floor"
	"pandrel/shop/steps"
)

// draw does one thing after the other on the plan of a bank; where built, the bank is built by it from then on.
func (h *hall) draw(bankID int64, built bool, ops ...change.Op) {
	at := func() (at int64) {
		h.do(func() error {
			v, err := h.s.Floor.Load(h.ctx, bankID)
			at = v.At
			return err
		})
		return at
	}
	for _, op := range ops {
		h.do(func() error {
			err := h.s.Floor.Change(h.ctx, floor.ChangeInput{BankID: bankID, At: at(), Op: op, Token: h.token()})
			if err != nil {
				return fmt.Errorf("%s on the plan of bank %d: %w", op.Do, bankID, err)
			}
			return nil
		})
	}
	if built {
		h.do(func() error { return h.s.Floor.Build(h.ctx, bankID, at(), h.token()) })
	}
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
