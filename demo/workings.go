package demo

import (
	"context"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/ask"
	"pandrel/core/base/station"
	"pandrel/core/trainer/virtual"
	"pandrel/shop"
	"pandrel/shop/kernel"
	"pandrel/shop/record"
	"pandrel/shop/test"
	kept "pandrel/shop/working"
	"pandrel/store"
)

// keep writes a working down with a bank as its page fills it, with what is typed over it.
func (h *hall) keep(bankID int64, key string, typed ask.Values) {
	h.do(func() error {
		p, err := h.s.Working.At(h.ctx, kept.From{Kind: "bank", ID: bankID})
		if err != nil {
			return err
		}
		for _, f := range p.Filled {
			if f.Working.Key != key {
				continue
			}
			for k := range typed {
				delete(f.From, k)
			}
			if err := h.s.Working.Keep(h.ctx, kept.KeepInput{BankID: bankID, Key: f.Working.Key,
				Values: f.Values.Over(typed), From: f.From, Token: h.token()}); err != nil {
				return err
			}
		}
		return nil
	})
}

// Module is the hidden truth of a module of the sample, to be put on the simulated cycler.
func (b *Bench) Module(number string) (virtual.Module, bool) {
	if b == nil || b.mods[number] == nil {
		return virtual.Module{}, false
	}
	return *b.mods[number], true
}

// BeginTests begins two tests of modules that wait, so that the bench is seen at work. Where one cannot begin the next
// is taken; none is no trouble of the sample.
func BeginTests(ctx context.Context, s *shop.Shop) {
	var mods []store.Module
	err := s.Store.DB.WithContext(ctx).Where("station = ? AND quarantined = 0 AND number LIKE 'K-%'", station.Test).
		Order("number").Find(&mods).Error
	if err != nil {
		return
	}
	channel := 1
	for _, m := range mods {
		if _, err := s.Tests.Start(ctx, m.Number, channel, fmt.Sprintf("demo-run-%d", m.ID)); err == nil {
			if channel++; channel > 2 {
				break
			}
		}
	}
	for _, m := range slices.Backward(mods) {
		if beginByHand(ctx, s, m) {
			return
		}
	}
}

// beginByHand begins a discharge by hand of a module that is taken for full, with its first reading.
func beginByHand(ctx context.Context, s *shop.Shop, m store.Module) bool {
	id, err := s.Tests.StartByHand(kernel.By(ctx, "MO"), test.ByHandInput{Number: m.Number, Full: true,
		Token: fmt.Sprintf("demo-hand-%d", m.ID)})
	if err != nil {
		return false
	}
	h, err := s.Tests.ByHandByID(ctx, id)
	if err != nil {
		return true
	}
	volts, err := record.LastVolts(s.Store.DB.WithContext(ctx), m.ID)
	if err != nil || len(volts) != h.Step.Groups {
		return true
	}
	in := test.HandReadingInput{ID: id, Amps: math.Abs(h.Step.Amps), Token: fmt.Sprintf("demo-hand-reading-%d", m.ID)}
	for g := 1; g <= len(volts); g++ {
		in.Cells = append(in.Cells, volts[g])
		in.Volts += volts[g]
	}
	_ = s.Tests.RecordHandReading(kernel.By(ctx, "MO"), in) // a sample without it is one all the same
	return true
}
