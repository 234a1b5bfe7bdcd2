package working_test

import (
	"errors"
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/ask"
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
	"pandrel/core/working"
)

func design(style match.Style) working.Bank {
	b := working.Bank{Need: plan.Need{Need: window.Need{Class: 24, LoadWatts: 500, ChargeAmps: 20}}, ModulePrice: 60,
		Device: bms.Device{Name: "B", ContinuousAmps: 60, PeakAmps: 120, BalanceAmps: 0.1, IdleMilliamps: 2},
		Parts:  plan.Parts{FuseA: 50, CableA: 80, FuseMM: 150}}
	b.Design = plan.Design{Style: style, Candidate: window.Candidate{Chemistry: chem.NMC, Series: 7, ModulesInString: 1,
		Parallel: 2, CapacityAh: 80, UsableKWh: 1.8, TotalKWh: 2.1, LoadAmps: 26, SettingVolts: 28.4, FullVolts: 29.4,
		EmptySoC: 0.1, FullSoC: 0.9, ModulesUsed: 2}}
	for k, v := range []float64{3.70, 3.72} {
		p := plan.Place{Number: []string{"K-1", "K-2"}[k], Mate: k, CapacityAh: 40, MOhm: 14}
		for range 7 {
			p.Volts = append(p.Volts, v)
		}
		b.Design.Places = append(b.Design.Places, p)
	}
	return b
}

func byKey(list []working.Filled) map[string]ask.Values {
	out := map[string]ask.Values{}
	for _, f := range list {
		out[f.Working.Key] = f.Values
	}
	return out
}

// Every working that a place fills is answered from what is known there, and no value of the example slips in.
func TestWhatIsFilledIsAnswered(t *testing.T) {
	for _, list := range [][]working.Filled{working.At(design(match.StringsFirst)),
		working.At(design(match.ParallelFirst)), working.At(working.Module{Chemistry: chem.LFP, Series: 4,
			Ah: known.Of(202, known.Measured), Volts: []float64{3.2, 3.21, 3.2, 3.19}}),
		working.At(working.Lot{Chemistry: chem.LFP, Series: 4,
			Ah: 202, Modules: 14, Tested: []float64{170, 165, 168},
			Price: 60}),
		working.At(working.Standing{Chemistry: chem.LFP, Series: 8, Ah: known.Of(100, known.Typed),
			Volts: known.Of(25.8, known.Measured)})} {
		if len(list) < 2 {
			t.Fatalf("only %d filled", len(list))
		}
		for _, f := range list {
			var open *ask.BadInput
			if _, err := f.Solve(); errors.As(err, &open) {
				for k, text := range open.Fields { // it waits for what nobody gave, and for nothing else
					if f.Values[k] != "" || k == "" {
						t.Errorf("%s: %s: %s from %v", f.Working.Key, k, text, f.Values)
					}
				}
			} else if err != nil {
				t.Error(err)
			}
			for k, v := range f.Values {
				if strings.Contains(v, "NaN") || strings.Contains(v, "Inf") {
					t.Errorf("%s.%s = %q", f.Working.Key, k, v)
				}
			}
		}
	}
}

// The numbers of a bank arrive as they are: strings apart are joined and share, groups bonded are not.
func TestABanksNumbers(t *testing.T) {
	apart := byKey(working.At(design(match.StringsFirst)))
	j := apart["join"]
	if j["a_v"] != "26.040" || j["b_v"] != "25.900" || j["a_ah"] != "40" || j["a_mohm"] != "14" || j["bms_a"] != "60" ||
		j["fuse_a"] != "50" {
		t.Errorf("%v", j)
	}
	if s := apart["share"]["strings"]; !strings.Contains(s, "string a: 40 14 60") {
		t.Errorf("%q", s)
	}
	if apart["fuse"]["mohm"] != "7" || apart["fuse"]["conductor"] != "80" || apart["fuse"]["place"] != "0.15" {
		t.Errorf("%v", apart["fuse"])
	}
	together := byKey(working.At(design(match.ParallelFirst)))
	if together["join"] != nil || together["share"] != nil {
		t.Errorf("one string is joined to nothing: %v", together["join"])
	}
	if v := together["volts"]["volts"]; v != "25.970" {
		t.Errorf("%s V in all", v)
	}
	open := design(match.ParallelFirst)
	open.Need.LoadWatts, open.Need.ChargeAmps, open.Design.Candidate.LoadAmps = 0, 0, 0
	if k := byKey(working.At(open)); k["path"] != nil || k["cable"] != nil || k["runtime"] != nil {
		t.Error("a load that nobody gave is worked with")
	}
}

func TestNothingKnown(t *testing.T) {
	if got := working.At(working.Module{Series: 4}); len(got) != 0 {
		t.Errorf("without a chemistry: %v", got)
	}
	if got := working.At(working.Lot{}); len(got) != 0 {
		t.Errorf("an empty lot: %v", got)
	}
	l := working.Lot{Chemistry: chem.LFP, Series: 4, Ah: 200, Modules: 2, Tested: []float64{160, 180}}.WithEnergy()
	if math.Abs(l.RatedKWh-2*200*12.8/1000) > 1e-9 || math.Abs(l.TestedKWh-340*12.8/1000) > 1e-9 {
		t.Errorf("%+v", l)
	}
}
