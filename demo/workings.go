package demo

import (
	"slices"

	"pandrel/shop/sums"
)

// keep writes workings down with a bank as its page fills them.
func (h *hall) keep(bankID int64, keys ...string) {
	h.do(func() error {
		p, err := h.s.Sums.At(h.ctx, sums.From{Kind: "bank", ID: bankID})
		if err != nil {
			return err
		}
		for _, f := range p.Filled {
			if !slices.Contains(keys, f.Working.Key) {
				continue
			}
			if err := h.s.Sums.Keep(h.ctx, sums.KeepInput{BankID: bankID, Key: f.Working.Key, Values: f.Values,
				By:    "AK",
				Token: h.token()}); err != nil {
				return err
			}
		}
		return nil
	})
}
