package demo

import (
	"fmt"

	"pandrel/core/bank/change"
	"pandrel/shop/floor"
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
