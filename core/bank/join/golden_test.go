package join_test

import (
	"testing"

	"pandrel/core/bank/join"
	"pandrel/core/base/chem"
	"pandrel/golden"
)

// What flows when two are joined, at both ends of what may be, and where the verdict of each limit changes.
func TestWhereJoiningChanges(t *testing.T) {
	with := func(change func(in *join.Input)) join.Input {
		in := two(0.62, 0.55)
		in.ReadWithin = 0.004
		in.Limits = join.Limits{ChargeAmps: 60, DischargeAmps: 120, BMSAmps: 60, BMSPeakAmps: 120, FuseAmps: 80,
			CableAmps: 90}
		change(&in)
		return in
	}
	bank := func(k int, change func(b *join.Bank)) join.Input {
		return with(func(in *join.Input) { change(&in.Banks[k]) })
	}
	volts := func(v float64) func(b *join.Bank) { return func(b *join.Bank) { b.SoC, b.RestVolts = nil, v } }
	cases := []golden.Case[join.Input]{{Name: "near each other", In: with(func(*join.Input) {})}, {Name: "far apart",
		In: bank(0, func(b *join.Bank) { b.SoC = soc(0.97) })}, {Name: "the lower one nearly empty", In: bank(1,
		func(b *join.Bank) { b.SoC = soc(0.02) })}, {Name: "nothing known of the way", In: with(func(in *join.Input) {
		in.Limits, in.ReadWithin = join.Limits{},
			0
	})}, {Name: "resistance typical", In: bank(1, func(b *join.Bank) { b.MOhm10s = 0 })}, {Name: "a small one",
		In: bank(1, func(b *join.Bank) { b.Ah, b.MOhm10s = 20, 15 })}, {Name: "read in volts", In: bank(1,
		volts(13.1))}, {Name: "above its limit", In: bank(0, volts(14.9))}, {Name: "below its floor", In: bank(1,
		volts(9.7))}, {Name: "below never-recharge", In: bank(1, volts(7.6))}, {Name: "another chemistry", In: bank(1,
		func(b *join.Bank) { b.Chemistry, b.SoC = chem.NMC, soc(0.1) })}, {Name: "another count", In: bank(1,
		func(b *join.Bank) { b.Series = 5 })}, {Name: "pulled down by an empty one", In: with(func(in *join.Input) {
		in.Banks[0].MOhm10s, in.Banks[1].SoC, in.Banks[1].RestVolts, in.Banks[1].MOhm10s = 200, nil, 9.6, 1
	})}, {Name: "a thin link", In: with(func(in *join.Input) { in.LinkMOhm = 40 })}, {Name: "three",
		In: with(func(in *join.Input) {
			in.Banks = append(in.Banks, join.Bank{ID: "C", Chemistry: chem.LFP, Series: 4, Ah: 60, SoC: soc(0.7),
				MOhm10s: 7})
		})}}
	golden.Answers(t, "join", cases, func(in join.Input) (any, error) {
		r, err := join.Solve(in)
		if err != nil {
			return nil, err
		}
		fitted, ferr := join.Fitted(in)
		words := ""
		if ferr != nil {
			words = ferr.Error()
		}
		return []any{r, fitted, words, r.At(0), r.At(1.5), r.At(90), r.At(1e6)}, nil
	})
	type moved struct {
		ReadWithin, ChargeAmps, BMSPeakAmps, FuseAmps float64
	}
	golden.Judged(t, "limits", []golden.Case[moved]{{Name: "near each other", In: moved{0.004, 60, 120, 80}}},
		func(m moved) (any, error) {
			return join.Solve(with(func(in *join.Input) {
				in.ReadWithin, in.Limits.ChargeAmps, in.Limits.BMSPeakAmps, in.Limits.FuseAmps = m.ReadWithin,
					m.ChargeAmps,
					m.BMSPeakAmps, m.FuseAmps
			}))
		})
}
