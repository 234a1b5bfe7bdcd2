// Package whole judges banks as one thing: a standing bank by its group voltages, and a bank that was tested whole by
// what it gave and what its groups had left (handbook §3, §4, §13, §17).
package whole

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/balance"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/survey"
)

const rule = "rules §3, §13, §17"

// Bank is a bank as one string of groups. Ah is 0 where not known, Chemistry empty where nobody declared it.
type Bank struct {
	Name      string
	Series    int
	Chemistry chem.ID
	Curve     *chem.Curve
	Ah        float64
}

// Standing is what the group voltages of a bank say of it. Groups count from 1 at the main negative.
type Standing struct {
	Survey          survey.Result
	Highest, Lowest int
	HighV, LowV     float64
	SpreadMV        float64
	TotalV          float64
	Odd             []int     // groups that are out of family or inside no limit
	OffsetsAh       []float64 // against the median, nil where voltage cannot tell or the capacity is not known
	AsFoundAh       float64   // what it gives as it stands, 0 where that cannot be told
	AsFoundLowAh    float64   // and the interval of it: a voltage is not a charge
	AsFoundHighAh   float64
	BalancedAh      float64   // and once all groups are equal at the top
	Chemistries     []chem.ID // those that the voltages allow, where none was declared
	Level           finding.Level
	Text            string // the sentence it comes to
	Findings        []finding.Finding
}

// Judge judges the group voltages of a bank, read in one sitting at rest. rest is in minutes, negative where not known;
// accuracy in volts, 0 where not known. It fails for another number of readings than groups and for what no meter
// shows.
func Judge(b Bank, volts []float64, rest, accuracy float64, p survey.Policy) (Standing, error) {
	if len(volts) != b.Series || b.Series < 1 {
		return Standing{}, fmt.Errorf("%d voltages of %d groups: expected one for each group", len(volts), b.Series)
	}
	m := survey.Module{Name: b.Name, Chemistry: b.Chemistry, Curve: b.Curve, RatedAh: b.Ah, Series: b.Series,
		RestMinutes: rest, AccuracyVolts: accuracy}
	for i, v := range volts {
		m.Readings = append(m.Readings, survey.Reading{Group: i + 1, Volts: v})
	}
	r, err := survey.Judge(m, p)
	if err != nil {
		return Standing{}, err
	}
	s := Standing{Survey: r, Findings: slices.Clone(r.Findings), Highest: 1, Lowest: 1}
	for i, v := range volts {
		s.TotalV += v
		if v > volts[s.Highest-1] {
			s.Highest = i + 1
		}
		if v < volts[s.Lowest-1] {
			s.Lowest = i + 1
		}
	}
	s.HighV, s.LowV = volts[s.Highest-1], volts[s.Lowest-1]
	s.SpreadMV = (s.HighV - s.LowV) * 1000
	for _, g := range r.Groups {
		if g.Outlier || !slices.Contains([]survey.Verdict{survey.OK, survey.Balance, survey.Borderline, survey.Unknown},
			g.Verdict) {
			s.Odd = append(s.Odd, g.Group)
		}
	}
	if b.Chemistry == "" {
		s.undeclared(b, volts)
	} else {
		s.charge(b, volts)
	}
	if s.Level = finding.Worst(s.Findings); s.Level >= finding.Stop {
		// With a group that is dead, too low or too high nobody speaks of what balancing would give.
		s.AsFoundAh, s.AsFoundLowAh, s.AsFoundHighAh, s.BalancedAh, s.OffsetsAh = 0, 0, 0, 0, nil
	}
	s.say(b)
	return s, nil
}

// undeclared lists the chemistries whose range holds every group: what cannot be told apart is not guessed.
func (s *Standing) undeclared(b Bank, volts []float64) {
	for _, c := range chem.All() {
		fits := true
		for _, v := range volts {
			fits = fits && v >= c.NeverRechargeVolts && v <= c.ChargeLimitVolts+0.1
		}
		if fits {
			s.Chemistries = append(s.Chemistries, c.ID)
		}
	}
	s.Findings = append(s.Findings, finding.Finding{Level: finding.Stop, Code: "bank-chemistry", Subject: b.Name,
		Rule: "rules §1", Text: "Its chemistry is not declared: no charge step can be planned, and no charge told " +
			"from " +
			"the voltages.", Do: "Read it from a label or a data sheet. What is not on either is not charged."})
}

// charge tells what the charge of the groups amounts to.
func (s *Standing) charge(b Bank, volts []float64) {
	groups := make([]balance.Group, len(volts))
	for i, v := range volts {
		groups[i] = balance.Group{Name: fmt.Sprintf("group %d", i+1), Chemistry: b.Chemistry, Curve: b.Curve, Volts: v,
			Ah: b.Ah}
	}
	r, err := balance.Judge(groups)
	if err != nil {
		return
	}
	s.OffsetsAh, s.AsFoundAh, s.BalancedAh = r.OffsetsAh, r.AsFoundAh, r.BalancedAh
	if r.AsFoundAh > 0 {
		s.AsFoundLowAh = max(0, min(r.AsFoundAh, b.Ah*(1-r.SpreadShare.High)))
		s.AsFoundHighAh = max(r.AsFoundAh, b.Ah*(1-r.SpreadShare.Low))
	}
	s.Findings = finding.Sorted(append(s.Findings, r.Findings...))
}

// say makes the sentence: what is wrong first, then highest, lowest and spread, then what it gives as it stands.
func (s *Standing) say(b Bank) {
	var parts []string
	for _, f := range s.Findings {
		if f.Level >= finding.Stop {
			parts = append(parts, f.Text)
			break
		}
	}
	if n := len(s.Odd); n == 1 {
		parts = append(parts, fmt.Sprintf("Group %d is the odd one.", s.Odd[0]))
	} else if n > 1 {
		names := make([]string, n)
		for i, g := range s.Odd {
			names[i] = fmt.Sprint(g)
		}
		parts = append(parts, fmt.Sprintf("Odd ones: groups %s.", finding.Names(names, "groups")))
	}
	parts = append(parts, fmt.Sprintf("Highest group %d with %.3f V, lowest group %d with %.3f V: %.0f mV apart, "+
		"%.2f V in all.", s.Highest, s.HighV, s.Lowest, s.LowV, s.SpreadMV, s.TotalV))
	switch {
	case b.Chemistry == "" || s.Level >= finding.Stop:
	case s.AsFoundAh > 0 && s.BalancedAh-s.AsFoundAh < 0.01*s.BalancedAh:
		parts = append(parts, fmt.Sprintf("By charge it gives its %.0f Ah as it stands.", s.BalancedAh))
	case s.AsFoundAh > 0:
		parts = append(parts, fmt.Sprintf("As it stands it gives about %.0f to %.0f of %.0f Ah; balanced, all of it.",
			math.Floor(s.AsFoundLowAh), math.Ceil(s.AsFoundHighAh), s.BalancedAh))
	case b.Ah > 0:
		parts = append(parts, "Voltage cannot tell here what unequal charge costs: a full charge or a test can.")
	default:
		parts = append(parts, "Its capacity is not known: what unequal charge costs in amp hours cannot be said.")
	}
	s.Text = strings.Join(parts, " ")
}

// Test is a discharge of a whole bank. AtRest are the group voltages 30 minutes and more after its end, nil where they
// were not read.
type Test struct {
	CapacityAh float64
	EnergyWh   float64 // 0 not counted
	Amps       float64 // mean, 0 not known
	TempC      *float64
	FromFull   bool    // it began with every group full
	EndedBy    int     // the group that reached its floor first, 0 where something else ended it
	EndVolts   float64 // of that group under load, 0 not read
	AtRest     []float64
	ModuleAh   float64 // the share of one module, worked out
	Complete   bool    // from full to a group's floor, worked out
}

// Expected is what a bank should have given: the interval from its modules, 0 for none. Parallel is how many modules
// share the charge.
type Expected struct {
	Bank
	LowAh, HighAh float64
	Parallel      int
	Last          *Test // the run before
}

// aboveFloor is how far above its floor a group may be read as having ended a discharge.
const aboveFloor = 0.1

// JudgeTest judges a discharge of a whole bank: whether it is a capacity, which group ended it, what the others had
// left, and how that stands to the run before and to the sum of its modules. It fails for numbers no bank gives.
func JudgeTest(t Test, e Expected) (Test, []finding.Finding, error) {
	if err := checkTest(t, e); err != nil {
		return t, nil, err
	}
	var out []finding.Finding
	add := func(l finding.Level, code string, measured, limit *float64, unit, text, do string) {
		out = append(out, finding.Finding{Level: l, Code: code, Subject: e.Name, Measured: measured, Limit: limit,
			Unit: unit, Rule: rule, Text: text, Do: do})
	}
	c, err := chem.Lookup(e.Chemistry)
	declared := err == nil
	t.ModuleAh = t.CapacityAh / float64(max(1, e.Parallel))
	t.Complete = t.FromFull && t.EndedBy > 0 && declared && t.EndVolts > 0 && t.EndVolts <= c.FloorVolts+aboveFloor
	if !t.Complete {
		add(finding.Note, "part-of-a-discharge", finding.Of(t.CapacityAh), nil, "Ah",
			fmt.Sprintf("At least %.1f Ah: a "+
				"capacity only from full to the first group at its floor.", t.CapacityAh), "Charge it full, let it "+
				"rest, "+
				"and "+
				"discharge it until the first group is at its floor, under watch.")
	}
	if declared && t.EndVolts > 0 && t.EndVolts < c.NeverRechargeVolts {
		add(finding.Stop, "driven-too-low", finding.Of(t.EndVolts), finding.Of(c.NeverRechargeVolts), "V",
			fmt.Sprintf("Group %d was driven to %.2f V, below %.2f V.", t.EndedBy, t.EndVolts, c.NeverRechargeVolts),
			"Do not charge it. Read that group again at rest: that second reading decides.")
	}
	if t.EndedBy > 0 {
		text := fmt.Sprintf("Group %d ended it.", t.EndedBy)
		if left := leftOf(t, e, c, declared); left != "" {
			text += " " + left
		}
		add(finding.Note, "ended-by", finding.Of(float64(t.EndedBy)), nil, "group", text,
			"Balance at the top and test "+
				"again: where the same group ends it again, it is the weakest; where another does, it was behind in "+
				"charge.")
	}
	judgeAgainst(t, e, add)
	return t, finding.Sorted(out), nil
}

func checkTest(t Test, e Expected) error {
	switch {
	case !(t.CapacityAh > 0 && t.CapacityAh < 1e6):
		return fmt.Errorf("%v Ah: expected what the bank gave, above 0", t.CapacityAh)
	case !(t.EnergyWh >= 0 && t.EnergyWh < 1e9) || !(t.Amps >= 0 && t.Amps < 1e5):
		return fmt.Errorf("%v Wh at %v A: expected 0 or more", t.EnergyWh, t.Amps)
	case t.EndedBy < 0 || t.EndedBy > e.Series:
		return fmt.Errorf("group %d: expected 1 to %d, 0 where no group ended it", t.EndedBy, e.Series)
	case !(t.EndVolts >= 0 && t.EndVolts < 10):
		return fmt.Errorf("%v V at the end: expected one group's voltage", t.EndVolts)
	case len(t.AtRest) != 0 && len(t.AtRest) != e.Series:
		return fmt.Errorf("%d voltages at rest of %d groups: expected one for each group, or none", len(t.AtRest),
			e.Series)
	}
	return nil
}

// leftOf says what the other groups had left at the end, from their rest voltages.
func leftOf(t Test, e Expected, c chem.Chemistry, declared bool) string {
	if len(t.AtRest) == 0 || !declared {
		return ""
	}
	c = c.WithCurve(e.Curve)
	low, high := math.Inf(1), 0.0
	for g, v := range t.AtRest {
		if g+1 == t.EndedBy {
			continue
		}
		s := c.Curve.SoCInterval(v, balance.NoiseVolts)
		low, high = min(low, s.Low*t.CapacityAh), max(high, s.High*t.CapacityAh)
	}
	if math.IsInf(low, 1) {
		return ""
	}
	return fmt.Sprintf("The others had about %.0f to %.0f Ah left.", math.Floor(low), math.Ceil(high))
}

// differs is how far two runs of a bank may lie apart by their instruments alone, as a share.
const differs = 0.03

// judgeAgainst compares a run with the one before it and with what the modules should give.
func judgeAgainst(t Test, e Expected, add func(finding.Level, string, *float64, *float64, string, string, string)) {
	if l := e.Last; l != nil && l.Complete && t.Complete {
		d := t.CapacityAh - l.CapacityAh
		switch {
		case math.Abs(d) <= differs*l.CapacityAh:
			add(finding.Note, "as-before", finding.Of(t.CapacityAh), finding.Of(l.CapacityAh), "Ah",
				fmt.Sprintf("As the "+
					"run before, within %.0f %%: %.1f and %.1f "+
					"Ah.", differs*100, l.CapacityAh, t.CapacityAh), "Nothing.")
		case d > 0:
			add(finding.Note, "more-than-before", finding.Of(t.CapacityAh), finding.Of(l.CapacityAh), "Ah",
				fmt.Sprintf("%.1f Ah more than the run before: %s.", d, why(t, *l)), "Test again while it still grows.")
		default:
			add(finding.Caution, "less-than-before", finding.Of(t.CapacityAh), finding.Of(l.CapacityAh), "Ah",
				fmt.Sprintf("%.1f Ah less than the run before: %s.", -d, why(t, *l)),
				"Survey every group at rest, look for one that leaks or lags, and compare the conditions of both runs.")
		}
	}
	if e.LowAh <= 0 || !t.Complete {
		return
	}
	switch {
	case t.CapacityAh < (1-differs)*e.LowAh:
		add(finding.Caution, "less-than-its-modules", finding.Of(t.CapacityAh), finding.Of(e.LowAh), "Ah",
			fmt.Sprintf("%.1f Ah, less than the %.0f Ah that its modules should give at least.", t.CapacityAh, e.LowAh),
			"Balance at the top first: unequal charge costs capacity that no module lost. Then test again.")
	case t.CapacityAh > (1+differs)*e.HighAh:
		add(finding.Caution, "more-than-its-modules", finding.Of(t.CapacityAh), finding.Of(e.HighAh), "Ah",
			fmt.Sprintf("%.1f Ah, more than the %.0f Ah that its modules can give.", t.CapacityAh, e.HighAh),
			"Check the shunt, its scale and the number of strings before this is believed.")
	default:
		add(finding.Note, "as-its-modules", finding.Of(t.CapacityAh), finding.Of(e.LowAh), "Ah",
			fmt.Sprintf("Within what "+
				"its modules should give: %.0f to %.0f Ah.", math.Floor(e.LowAh), math.Ceil(e.HighAh)), "Nothing.")
	}
}

// why says what may lie behind a difference between two runs.
func why(now, before Test) string {
	switch {
	case now.EndedBy != before.EndedBy:
		return fmt.Sprintf("then group %d ended it, now group %d", before.EndedBy, now.EndedBy)
	case now.Amps > 0 && before.Amps > 0 && math.Abs(now.Amps-before.Amps) > 0.2*before.Amps:
		return fmt.Sprintf("at %.0f A, then at %.0f A", now.Amps, before.Amps)
	case now.TempC != nil && before.TempC != nil && math.Abs(*now.TempC-*before.TempC) > 5:
		return fmt.Sprintf("at %.0f °C, then at %.0f °C", *now.TempC, *before.TempC)
	}
	return "the same group ended both"
}
