package working_test

import (
	"slices"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/working"
	"pandrel/golden"
)

// What each working is filled with from a record, value by value, and what is left out where a number is not known.
func TestWhatIsFilled(t *testing.T) {
	tell := func(list []working.Filled) any {
		out := map[string]any{}
		for _, f := range list {
			says := ""
			if a, err := f.Solve(); err != nil {
				says = "error " + err.Error()
			} else {
				says = a.Says
			}
			out[f.Working.Key] = []any{map[string]string(f.Values), f.From, says}
		}
		return out
	}
	bare := design(match.StringsFirst)
	bare.Device, bare.Parts.FuseA, bare.ModulePrice = bms.Device{}, 0, 0
	for i := range bare.Design.Places {
		bare.Design.Places[i].MOhm, bare.Design.Places[i].Volts = 0, nil
	}
	m := working.Module{Chemistry: chem.LFP, Series: 4, Ah: known.Of(202, known.Measured), MOhm: known.Of(3,
		known.Measured), Volts: []float64{3.2, 3.21, 3.2, 3.19}}
	l := working.Lot{Chemistry: chem.LFP, Series: 4, Ah: 202, Modules: 14, Tested: []float64{170, 165, 168}, Price: 60,
		Pallet: 150, PalletHolds: 8,
		Freight: 200}
	s := working.Standing{Chemistry: chem.LFP, Series: 8, Ah: known.Of(100, known.Typed), Volts: known.Of(25.8,
		known.Measured), Groups: []float64{3.22, 3.23, 3.22, 3.22,
		3.23, 3.22, 3.23, 3.23}}
	golden.Same(t, "filled",
		golden.Text(map[string]any{"bank, strings first": tell(working.At(design(match.StringsFirst))),
			"bank, parallel first": tell(working.At(design(match.ParallelFirst))),
			"bank, hardly known":   tell(working.At(bare)), "module": tell(working.At(m)), "module, " +
				"hardly known": tell(working.At(working.Module{Chemistry: chem.NMC, Series: 7})),
			"lot": tell(working.At(l.WithEnergy())), "lot, not tested": tell(working.At(working.Lot{Chemistry: chem.NMC,
				Series: 7, Ah: 46, Modules: 4}.WithEnergy())), "standing": tell(working.At(s)), "standing, " +
				"total alone": tell(working.At(
				working.Standing{Chemistry: chem.NMC, Series: 14, Volts: known.Of(52, known.Measured)}))}))
	given := func(list []working.Filled) (out []word) {
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
		return given(working.At(b)), nil
	})
	type module struct {
		Series   int
		Ah, MOhm float64
		Volts    []float64
	}
	golden.Judged(t, "of-module", []golden.Case[module]{{Name: "known", In: module{4, 202, 3, m.Volts}}},
		func(x module) (any, error) {
			return given(working.At(working.Module{Chemistry: chem.LFP, Series: x.Series, Ah: known.Of(x.Ah,
				known.Measured), MOhm: known.Of(x.MOhm, known.Measured), Volts: x.Volts})), nil
		})
}

type word string

// A module with a group that may never be charged again raises no question of charging: neither balancing nor one group
// alone.
func TestNothingIsChargedWhereAGroupMayNot(t *testing.T) {
	for _, bad := range []float64{1.8, 0.02, -0.4, 4.35} {
		m := working.Module{Chemistry: chem.NMC, Series: 3, Ah: known.Of(13, known.Typed),
			Volts: []float64{3.7, bad, 3.7}}
		for _, f := range working.At(m) {
			if f.Working.Key == "balance" || f.Working.Key == "one-group" {
				t.Errorf("a group at %v V, and %q is offered with %v", bad, f.Working.Title, f.Values)
			}
		}
	}
}
