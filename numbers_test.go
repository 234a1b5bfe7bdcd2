package pandrel

import (
	"math"
	"testing"

	"pandrel/core/bank/bms"
	"pandrel/core/bank/sizing"
	"pandrel/core/bank/whole"
	"pandrel/core/bank/window"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/module/capacity"
	"pandrel/core/module/grade"
	"pandrel/core/module/isolation"
	"pandrel/core/module/survey"
	"pandrel/core/procedure/commission"
	"pandrel/golden"
)

// said is the level and code of a finding that starts with one of some codes, "" for none.
func said(fs []finding.Finding, codes ...string) string {
	for _, f := range fs {
		for _, c := range codes {
			if f.Code == c {
				return f.Level.String() + " " + c
			}
		}
	}
	return ""
}

// insulated is what is said of a module of 50 V, or of a pack of 350 V, whose plus leaks by so many ohms for each volt.
func insulated(t *testing.T, volts, perVolt float64) string {
	t.Helper()
	const meter, other = 10e6, 1e12
	par := func(a, b float64) float64 { return a * b / (a + b) }
	r := perVolt * volts
	_, fs, err := isolation.JudgeReadings(isolation.Readings{PackVolts: volts, MeterOhms: meter,
		PositiveVolts: volts * par(r,
			meter) / (par(r, meter) + other), NegativeVolts: volts * par(other, meter) / (par(other, meter) + r)})
	if err != nil {
		t.Fatal(err)
	}
	return said(fs, "isolation", "isolation-low", "isolation-ok")
}

// The numbers of the rules, one digit on each side of them and on them, as the rules speak that go by them. Where a
// number is moved along its whole way stands with each rule, in its testdata.
func TestTheRulesNumbers(t *testing.T) {
	class := func(pct float64) string { return string(grade.DefaultPolicy.ByCapacity(pct, 100)) }
	fresh := func(days float64) string {
		f, _ := commission.Fresh(map[string]float64{"K-1": days})
		return said([]finding.Finding{f}, "bank-not-surveyed")
	}
	fuse := func(m float64) string {
		f, err := sizing.Fuse(sizing.FuseNeed{Amps: 60, ConductorAmps: 100, FullVolts: 29.2, MOhm: 8, PlaceM: m})
		if err != nil {
			t.Fatal(err)
		}
		return said(f.Findings, "fuse-far")
	}
	group := func(v float64) string {
		_, fs, err := whole.JudgeTest(whole.Test{CapacityAh: 40, AtRest: []float64{3.4, v}}, whole.Expected{
			Bank: whole.Bank{Name: "b", Series: 2, Chemistry: chem.NMC}})
		if err != nil {
			t.Fatal(err)
		}
		return said(fs, "group-too-low", "group-too-high", "group-reversed")
	}
	for _, c := range []struct {
		name      string
		got, want string
	}{
		{"class A from 80 %", class(79.9) + class(80), "BA"}, {"class B from 65 %", class(64.9) + class(65), "CB"},
		{"class C from 50 %", class(49.9) + class(50), "DC"},
		{"isolation, 100 Ω/V", insulated(t, 50, 99) + ", " + insulated(t, 50, 101),
			"stop isolation, caution isolation-low"},
		{"isolation, 500 Ω/V", insulated(t, 50, 499) + ", " + insulated(t, 50, 501),
			"caution isolation-low, note isolation-ok"},
		{"isolation above 60 V", insulated(t, 350, 499) + ", " + insulated(t, 350, 501),
			"stop isolation, note isolation-ok"},
		{"surveys of seven days", fresh(7) + ", " + fresh(7.1), ", stop bank-not-surveyed"},
		{"a fuse within 0.2 m", fuse(0.2) + ", " + fuse(0.201), ", stop fuse-far"},
		{"never recharged below 2.00 V", group(2) + ", " + group(1.999), ", stop group-too-low"},
		{"20 mV above the limit", group(4.22) + ", " + group(4.221), ", stop group-too-high"},
		{"below nothing", group(2.0) + ", " + group(-0.001), ", stop group-reversed"},
	} {
		if c.got != c.want {
			t.Errorf("%s: %s, expected %s", c.name, c.got, c.want)
		}
	}
	need := window.Need{AbsMaxVolts: 58, ChargeMaxVolts: 57, CutoffVolts: 40, LoadWatts: 100}
	st := window.Stock{Type: "T", Chemistry: chem.LFP, Series: 16, Modules: []window.Module{{Name: "1",
		CapacityAh: 100}}}
	if cs, err := window.Candidates(need, []window.Stock{st}); err != nil || math.Abs(cs[0].TripVolts-0.98*58) > 1e-9 {
		t.Errorf("a trip at %v V of 58 V, %v: expected two per cent below", cs[0].TripVolts, err)
	}
	golden.Same(t, "policies", golden.Text(map[string]any{"survey": survey.DefaultPolicy, "grade": grade.DefaultPolicy,
		"capacity": capacity.DefaultPolicy, "current that a design is for": bms.Need{LoadAmps: 40,
			ChargeAmps: 20}.DesignAmps(),
		"the larger of both": bms.Need{LoadAmps: 10, ChargeAmps: 20}.DesignAmps(), "touch, dry and wet": []float64{
			limits.TouchVolts(false), limits.TouchVolts(true)}, "systems": window.Classes(), "fuses": sizing.Fuses(),
		"prospective": sizing.ProspectiveFactor, "place of a fuse, m": sizing.PlaceLimitM,
		"trip margin": window.TripMargin}))
}
