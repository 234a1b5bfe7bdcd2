package fill_test

import (
	"slices"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/base/chem"
	"pandrel/core/shelf/fill"
	"pandrel/golden"
)

// What each working is filled with from a record, value by value, and what is left out where a number is not known.
func TestWhatIsFilled(t *testing.T) {
	tell := func(list []fill.Filled) any {
		out := map[string]any{}
		for _, f := range list {
			says := ""
			if a, err := f.Working.Solve(f.Values); err != nil {
				says = "error " + err.Error()
			} else {
				says = a.Says
			}
			out[f.Working.Key] = []any{map[string]string(f.Values), says}
		}
		return out
	}
	bare := design(match.StringsFirst)
	bare.Device, bare.Parts.FuseA, bare.ModulePrice = bms.Device{}, 0, 0
	for i := range bare.Design.Places {
		bare.Design.Places[i].MOhm, bare.Design.Places[i].Volts = 0, nil
	}
	m := fill.Module{Chemistry: chem.LFP, Series: 4, Ah: 202, MOhm: 3, Volts: []float64{3.2, 3.21, 3.2, 3.19}}
	l := fill.Lot{Chemistry: chem.LFP, Series: 4, Ah: 202, Modules: 14, Tested: []float64{170, 165, 168}, Price: 60,
		Pallet: 150, PalletHolds: 8, Freight: 200}
	s := fill.Standing{Chemistry: chem.LFP, Series: 8, Ah: 100, Volts: 25.8, Groups: []float64{3.22, 3.23, 3.22, 3.22,
		3.23, 3.22, 3.23, 3.23}}
	golden.Same(t, "filled",
		golden.Text(map[string]any{"bank, strings first": tell(fill.OfBank(design(match.StringsFirst))),
			"bank, parallel first": tell(fill.OfBank(design(match.ParallelFirst))),
			"bank, hardly known":   tell(fill.OfBank(bare)), "module": tell(fill.OfModule(m)), "module, " +
				"hardly known": tell(fill.OfModule(fill.Module{Chemistry: chem.NMC, Series: 7})),
			"lot": tell(fill.OfLot(l.WithEnergy())), "lot, not tested": tell(fill.OfLot(fill.Lot{Chemistry: chem.NMC,
				Series: 7, Ah: 46, Modules: 4}.WithEnergy())), "standing": tell(fill.OfStanding(s)), "standing, " +
				"total alone": tell(fill.OfStanding(
				fill.Standing{Chemistry: chem.NMC, Series: 14, Volts: 52}))}))
	given := func(list []fill.Filled) (out []word) {
		for _, f := range list {
			for k, v := range f.Values {
				if v != "" {
					out = append(out, word(f.Working.Key+" "+k))
				}
			}
		}
		slices.Sort(out)
		return out
	}
	type moved struct {
		Watts, ChargeAmps, FuseA, CableA, FuseMM, BalanceAmps, Idle, Price, MOhm, Ah float64
		Parallel                                                                     int
	}
	golden.Judged(t, "of-bank", []golden.Case[moved]{{Name: "strings first", In: moved{500, 20, 50, 80, 150, 0.1, 2, 60,
		14, 40, 2}}}, func(m moved) (any, error) {
		b := design(match.StringsFirst)
		b.Need.LoadWatts, b.Need.ChargeAmps, b.Parts.FuseA, b.Parts.CableA, b.Parts.FuseMM,
			b.Device.BalanceAmps = m.Watts,
			m.ChargeAmps, m.FuseA, m.CableA, m.FuseMM, m.BalanceAmps
		b.Device.IdleMilliamps, b.ModulePrice, b.Design.Places[0].MOhm, b.Design.Places[0].CapacityAh = m.Idle,
			m.Price, m.MOhm, m.Ah
		if b.Design.Candidate.Parallel = m.Parallel; m.Parallel > 60 {
			return nil, nil
		}
		return given(fill.OfBank(b)), nil
	})
	golden.Judged(t, "of-module", []golden.Case[fill.Module]{{Name: "known", In: m}}, func(m fill.Module) (any, error) {
		return given(fill.OfModule(m)), nil
	})
}

type word string
