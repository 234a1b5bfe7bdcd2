package build_test

import (
	"testing"

	"pandrel/core/bank/build"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/finding/findingtest"
)

// Each hazard stands at its step as a stop, with what it is measured by: a shock against the touch limit, a join
// against what its strings bear, a device against what may flow through it.
func TestHazardsStandAtTheirSteps(t *testing.T) {
	of := func(f func(p *build.Plan)) (out []finding.Finding) {
		p := plan()
		f(&p)
		for _, s := range build.Steps(p) {
			out = append(out, s.Hazards...)
		}
		return out
	}
	none := findingtest.None
	usual := of(func(*build.Plan) {})
	for _, code := range []string{"plug-order", "sense-swapped", "undo", "lead-acid", "unattended"} {
		findingtest.Holds(t, usual, code, finding.Stop, none, none, "")
	}
	findingtest.Holds(t, usual, "interrupt", finding.Stop, 2400, none, "A")
	findingtest.Lacks(t, usual, "shock")
	findingtest.Lacks(t, usual, "frost")
	findingtest.Lacks(t, usual, "parallel")
	findingtest.Holds(t, of(func(p *build.Plan) { p.FullVolts = 60.2 }), "shock", finding.Stop, 60.2, 60, "V")
	findingtest.Lacks(t, of(func(p *build.Plan) { p.FullVolts = 60 }), "shock")
	findingtest.Holds(t, of(func(p *build.Plan) { p.Order[1].ExposedV = 60.5 }), "shock", finding.Stop, 60.5, 60, "V")
	findingtest.Holds(t, of(func(p *build.Plan) { p.FreezesHere = true }), "frost", finding.Stop, none, 0, "°C")
	join := func(volts float64) []finding.Finding {
		return of(func(p *build.Plan) {
			p.JoinVolts = volts
			p.Order = append(p.Order, wiring.BuildStep{Conductor: "J1", Kind: "bar", From: "a", To: "b",
				Parallels: true})
		})
	}
	findingtest.Holds(t, join(0), "parallel", finding.Stop, none, 0.05, "V")
	findingtest.Holds(t, join(0.015), "parallel", finding.Stop, none, 0.015, "V")
}
