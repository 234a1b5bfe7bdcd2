package fill_test

import (
	"math"
	"strings"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/match"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/shelf"
	"pandrel/core/shelf/fill"
)

func design(style match.Style) fill.Bank {
	b := fill.Bank{Need: plan.Need{Need: window.Need{Class: 24, LoadWatts: 500, ChargeAmps: 20}}, ModulePrice: 60,
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

func byKey(list []fill.Filled) map[string]shelf.Values {
	out := map[string]shelf.Values{}
	for _, f := range list {
		out[f.Working.Key] = f.Values
	}
	return out
}

// Every working that a place fills is answered from what is known there, and no value of the example slips in.
func TestWhatIsFilledIsAnswered(t *testing.T) {
	for _, list := range [][]fill.Filled{fill.OfBank(design(match.StringsFirst)),
		fill.OfBank(design(match.ParallelFirst)), fill.OfModule(fill.Module{Chemistry: chem.LFP, Series: 4,
			Ah: 202, Volts: []float64{3.2, 3.21, 3.2, 3.19}}), fill.OfLot(fill.Lot{Chemistry: chem.LFP, Series: 4,
			Ah: 202, Modules: 14, Tested: []float64{170, 165, 168}, Price: 60}),
		fill.OfStanding(fill.Standing{Chemistry: chem.LFP, Series: 8, Ah: 100, Volts: 25.8})} {
		if len(list) < 2 {
			t.Fatalf("only %d filled", len(list))
		}
		for _, f := range list {
			if _, err := f.Working.Solve(f.Values); err != nil && f.Working.Key != "join" && f.Working.Key != "screw" {
				t.Errorf("%s: %v from %v", f.Working.Key, err, f.Values)
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
	apart := byKey(fill.OfBank(design(match.StringsFirst)))
	j := apart["join"]
	if j["a_v"] != "26.04" || j["b_v"] != "25.9" || j["a_ah"] != "40" || j["a_mohm"] != "14" || j["bms_a"] != "60" ||
		j["fuse_a"] != "50" {
		t.Errorf("%v", j)
	}
	if s := apart["share"]["strings"]; !strings.Contains(s, "string a: 40 14 60") {
		t.Errorf("%q", s)
	}
	if apart["fuse"]["mohm"] != "7" || apart["fuse"]["conductor"] != "80" || apart["fuse"]["place"] != "0.15" {
		t.Errorf("%v", apart["fuse"])
	}
	together := byKey(fill.OfBank(design(match.ParallelFirst)))
	if together["join"] != nil || together["share"] != nil {
		t.Errorf("one string is joined to nothing: %v", together["join"])
	}
	if v := together["volts"]["volts"]; v != "25.97" {
		t.Errorf("%s V in all", v)
	}
	open := design(match.ParallelFirst)
	open.Need.LoadWatts, open.Need.ChargeAmps, open.Design.Candidate.LoadAmps = 0, 0, 0
	if k := byKey(fill.OfBank(open)); k["path"] != nil || k["cable"] != nil || k["runtime"] != nil {
		t.Error("a load that nobody gave is worked with")
	}
}

func TestNothingKnown(t *testing.T) {
	if got := fill.OfModule(fill.Module{Series: 4}); len(got) != 0 {
		t.Errorf("without a chemistry: %v", got)
	}
	if got := fill.OfLot(fill.Lot{}); len(got) != 0 {
		t.Errorf("an empty lot: %v", got)
	}
	l := fill.Lot{Chemistry: chem.LFP, Series: 4, Ah: 200, Modules: 2, Tested: []float64{160, 180}}.WithEnergy()
	if math.Abs(l.RatedKWh-2*200*12.8/1000) > 1e-9 || math.Abs(l.TestedKWh-340*12.8/1000) > 1e-9 {
		t.Errorf("%+v", l)
	}
}
