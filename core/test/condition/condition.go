// Package condition plans slow cycles that wake a module up after long storage, says after each whether another is
// worth it, and keeps what the first cycle gave apart from what conditioning gave (rules §19).
package condition

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const (
	rule = "rules §19"
	// longStoredMonths from which, or where it is not known, a module is woken gently.
	longStoredMonths = 6.0
	gentleC          = 0.05 // of the first cycle
	restHours        = 0.5  // after each charge and each discharge
	fullRestHours    = 1.0
	settledPct       = 1.0  // growth from one cycle to the next below which it has settled
	fallingPct       = -2.0 // and below which something is wrong
	leastOutIn       = 0.97 // Ah out for Ah in
	mostDays         = 14.0
	wallEfficiency   = 0.9
)

// Input is a module and how it is to be cycled. Volts are of a group; 0 takes the chemistry's gentle window.
// StoredMonths is nil where nobody knows. TestAmps is what the bench would test it at.
type Input struct {
	Name         string
	Chemistry    chem.ID
	Curve        *chem.Curve
	Series       int
	Ah           float64
	TestAmps     float64
	StoredMonths *float64
	Cycles       int // slow ones before the one that measures; 0 for the usual number
	LowV, HighV  float64
}

// Cycle is one charge and discharge, hours with its rests. DayEnds counts from the beginning.
type Cycle struct {
	No          int
	Amps        float64
	CRate       float64
	FromV, ToV  float64 // of a group
	Hours       float64
	DayEnds     float64
	Measures    bool // from full to the floor: its figure is a capacity
	ExpectedAh  float64
	WallKWh     float64
	Explanation string
}

// Plan is all of it.
type Plan struct {
	Cycles   []Cycle
	Gentle   bool
	Why      string
	Days     float64
	WallKWh  float64
	Rules    []string // when to stop
	Findings []finding.Finding
}

// Make plans. It fails for a chemistry that is not known and for numbers no module has.
//
// In one piece: what is not said is filled in the order in which the plan needs it.
func Make(in Input) (Plan, error) {
	c, err := chem.Lookup(in.Chemistry)
	if err != nil {
		return Plan{}, fmt.Errorf("%s: %w", in.Name, err)
	}
	c = c.WithCurve(in.Curve)
	if in.Series < 1 || !(in.Ah > 0 && in.Ah < 1e5) || !(in.TestAmps > 0 && in.TestAmps < 1e5) || in.Cycles < 0 ||
		in.Cycles > 20 {
		return Plan{}, fmt.Errorf("%s: %s of %g Ah at %g A, %d cycles: expected its layout, its capacity, a "+
			"current and at most 20 cycles", in.Name, numeral.Count(in.Series, "group"), in.Ah, in.TestAmps, in.Cycles)
	}
	if m := in.StoredMonths; m != nil && !(*m >= 0 && *m < 600) {
		return Plan{}, fmt.Errorf("stored for %g months: expected 0 and more", *m)
	}
	if in.LowV == 0 {
		in.LowV = c.LongLifeLowVolts
	}
	if in.HighV == 0 {
		in.HighV = c.LongLifeHighVolts
	}
	if !(in.LowV >= c.FloorVolts && in.HighV <= c.ChargeLimitVolts && in.HighV > in.LowV) {
		return Plan{}, fmt.Errorf("between %g and %g V of a group: expected a window inside %.2f to %.2f V", in.LowV,
			in.HighV, c.FloorVolts, c.ChargeLimitVolts)
	}
	p := Plan{Gentle: in.StoredMonths == nil || *in.StoredMonths > longStoredMonths}
	switch {
	case in.StoredMonths == nil:
		p.Why = "How long it was stored is not known: it is woken gently."
	case p.Gentle:
		p.Why = fmt.Sprintf("Stored for %.0f months, more than %.0f: it is woken gently.", *in.StoredMonths,
			longStoredMonths)
	default:
		p.Why = fmt.Sprintf("Stored for %.0f months: straight to the current of the test.", *in.StoredMonths)
	}
	n := in.Cycles
	if n == 0 {
		if n = 1; p.Gentle {
			n = 4
		}
	}
	first := in.TestAmps
	if p.Gentle {
		first = min(in.TestAmps, gentleC*in.Ah)
	}
	share := c.Curve.SoC(in.HighV) - c.Curve.SoC(in.LowV)
	kwh := float64(in.Series) * c.NominalVolts / 1000
	add := func(x Cycle, share, rests float64) {
		x.No, x.CRate, x.ExpectedAh = len(p.Cycles)+1, x.Amps/in.Ah, share*in.Ah
		x.Hours, x.WallKWh = 2*x.ExpectedAh/x.Amps+rests, x.ExpectedAh*kwh/wallEfficiency
		p.Days += x.Hours / 24
		p.WallKWh += x.WallKWh
		x.DayEnds = p.Days
		p.Cycles = append(p.Cycles, x)
	}
	for i := range n {
		amps := first
		if n > 1 { // rising by equal factors
			amps = first * math.Pow(in.TestAmps/first, float64(i)/float64(n-1))
		}
		add(Cycle{Amps: amps, FromV: in.LowV, ToV: in.HighV, Explanation: "inside the gentle window"}, share,
			2*restHours)
	}
	add(Cycle{Amps: in.TestAmps, FromV: c.FloorVolts, ToV: c.ChargeLimitVolts, Measures: true,
		Explanation: "from full to the first group at its floor: this one measures"}, 1, 2*fullRestHours)
	p.Rules = []string{
		fmt.Sprintf("Stop when a cycle gives less than %.0f %% more than the one before: it has settled.", settledPct),
		fmt.Sprintf("Stop when a cycle gives %.0f %% less than the one before: look for a group that fails.",
			-fallingPct),
		fmt.Sprintf("Stop when less than %.0f %% of the Ah that went in come out: a group leaks.", leastOutIn*100),
		fmt.Sprintf("Stop above %.0f °C, or at any group above %.2f V or below %.2f V.", c.ChargeHighTempC,
			c.ChargeLimitVolts, c.FloorVolts),
		fmt.Sprintf("Stop after %.0f days whatever it does.", mostDays),
	}
	if p.Days > mostDays {
		p.Findings = append(p.Findings, finding.New(finding.Caution,
			codeTooLong).About(in.Name).Reads(numeral.Round3(p.Days), "days").Against(mostDays).By(rule).
			Says("%.0f days on one channel.", p.Days).
			Then("Fewer cycles, or a higher first current."))
	}
	return p, nil
}

// Done is a cycle as it was measured. Complete is from full to the floor.
type Done struct {
	Ah        float64
	ChargedAh float64 // 0 not counted
	Complete  bool
}

// Growth is what cycles came to: the first complete figure, the last, and what stands between them.
type Growth struct {
	FirstAh   float64
	LastAh    float64
	Pct       float64 // of the last against the first
	Cycles    int     // complete ones
	StepPct   float64 // of the last against the one before
	Settled   bool
	GoOn      bool
	Findings  []finding.Finding
	PerCycle  []float64 // Ah of each complete one
	Efficient []float64 // Ah out for in of each that counted both, of those that are complete
}

// GrowthOf says what the cycles that were run came to, and whether another is worth it. Only complete cycles are
// compared with each other.
func GrowthOf(name string, cycles []Done) Growth {
	var g Growth
	say := func(f finding.Finding) {
		g.Findings = append(g.Findings, f.Or(name, rule).ReadRounded(numeral.Round3))
	}
	for _, c := range cycles {
		if !c.Complete || !(c.Ah > 0) {
			continue
		}
		g.PerCycle = append(g.PerCycle, c.Ah)
		if c.ChargedAh > 0 {
			g.Efficient = append(g.Efficient, c.Ah/c.ChargedAh)
		}
	}
	if g.Cycles = len(g.PerCycle); g.Cycles == 0 {
		g.GoOn = true
		return g
	}
	n := g.Cycles
	g.FirstAh, g.LastAh = g.PerCycle[0], g.PerCycle[n-1]
	g.Pct = (g.LastAh/g.FirstAh - 1) * 100
	if k := len(g.Efficient); k > 0 && g.Efficient[k-1] < leastOutIn {
		say(finding.New(finding.Stop, codeLeaks).Reads(g.Efficient[k-1]*100, "%").Against(leastOutIn*100).
			Says("Of the last charge %.1f %% came out again.", g.Efficient[k-1]*100).
			Then("Stop. Look for a group that leaks: survey it twice, a week apart."))
		return g
	}
	if n == 1 {
		g.GoOn = true
		return g
	}
	g.StepPct = (g.PerCycle[n-1]/g.PerCycle[n-2] - 1) * 100
	switch {
	case g.StepPct <= fallingPct:
		say(finding.New(finding.Stop, codeFalling).Reads(g.StepPct, "%").Against(fallingPct).
			Says("The last cycle gave %.1f %% less than the one before.", -g.StepPct).
			Then("Stop. Survey every group at rest, and look for one that lags."))
	case g.StepPct < settledPct:
		g.Settled = true
		say(finding.New(finding.Note, codeSettled).Reads(g.StepPct, "%").Against(settledPct).
			Says("It has settled: the last cycle gave %+.1f %%. First %.1f Ah, conditioned %.1f Ah.", g.StepPct,
				g.FirstAh, g.LastAh).
			Then("Both figures stay: the first is the cautious one."))
	default:
		g.GoOn = true
		say(finding.New(finding.Note, codeGrows).Reads(g.StepPct, "%").Against(settledPct).
			Says("It still grows: %+.1f %% from the last cycle, %+.1f %% from the first.", g.StepPct, g.Pct).
			Then("Another cycle is worth it."))
	}
	return g
}
