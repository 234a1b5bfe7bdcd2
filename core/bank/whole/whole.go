// Package whole judges banks as one thing: a standing bank by its group voltages, and a bank that was tested whole by
// what it gave and what its groups had left (rules §3, §4, §13, §17).
package whole

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/balance"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
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
	Before    []float64 // the survey before this one, nil for none: a second reading confirms the first
}

// Standing is what the group voltages of a bank say of it. Groups count from 1 at the main negative.
type Standing struct {
	Survey   survey.Result `json:"Survey"`
	Highest  int           `json:"Highest"`
	Lowest   int           `json:"Lowest"`
	HighV    float64       `json:"HighV"`
	LowV     float64       `json:"LowV"`
	SpreadMV float64       `json:"SpreadMV"`
	TotalV   float64       `json:"TotalV"`
	Odd      []int         `json:"Odd"` // groups that are out of family or inside no limit
	// against the median, nil where voltage cannot tell or the capacity is not known
	OffsetsAh     []float64         `json:"OffsetsAh"`
	AsFoundAh     float64           `json:"AsFoundAh"`    // what it gives as it stands, 0 where that cannot be told
	AsFoundLowAh  float64           `json:"AsFoundLowAh"` // and the interval of it: a voltage is not a charge
	AsFoundHighAh float64           `json:"AsFoundHighAh"`
	BalancedAh    float64           `json:"BalancedAh"`  // and once all groups are equal at the top
	Chemistries   []chem.ID         `json:"Chemistries"` // those that the voltages allow, where none was declared
	Level         finding.Level     `json:"Level"`
	Text          string            `json:"Text"` // the sentence it comes to
	Findings      []finding.Finding `json:"Findings"`
	// how full it is by its rest voltages, per cent; nil where they say nothing of it
	SoCPct *[2]float64 `json:"SoCPct,omitempty"`
	// groups that nobody read in this sitting, and how many were
	Unread    int `json:"Unread,omitempty"`
	ReadCount int `json:"ReadCount,omitempty"`
	// groups that stood where none may, with the modules that share them
	Held []Stop `json:"Held,omitempty"`

	charged string // the sentence on how full it is
}

// JudgeSurvey judges the group voltages of a bank, read in one sitting at rest. rest is in minutes, negative where
// not known;
// accuracy in volts, 0 where not known. It fails for another number of readings than groups and for what no meter
// shows.
func JudgeSurvey(b Bank, volts []float64, rest, accuracy float64, p survey.Policy) (Standing, error) {
	if len(volts) != b.Series || b.Series < 1 {
		return Standing{}, fmt.Errorf("%s of %s: expected one for each group", numeral.Count(len(volts), "voltage"),
			numeral.Count(b.Series, "group"))
	}
	m := survey.Module{Name: b.Name, Chemistry: b.Chemistry, Curve: b.Curve, RatedAh: b.Ah, Series: b.Series,
		RestMinutes: rest, AccuracyVolts: accuracy}
	digit := numeral.LastDigit(volts...)
	for i, v := range volts {
		m.Readings = append(m.Readings, survey.Reading{Group: i + 1, Volts: v, LastDigit: digit,
			Confirmed: i < len(b.Before) && survey.Confirms(b.Chemistry, b.Before[i], v)})
	}
	r, err := survey.JudgeGroups(m, p)
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
	s.odd()
	s.full(b, s.inFamily(volts), digit, rest, accuracy)
	if b.Chemistry == "" {
		s.Findings = append(s.Findings, undeclared(b))
	} else if !finding.Blocks(s.Findings) { // nobody charges a bank with a group that must not be charged
		s.charge(b, volts)
	}
	if s.Level = finding.Worst(s.Findings); s.Level >= finding.Stop {
		// With a group that is dead, too low or too high nobody speaks of what balancing would give.
		s.AsFoundAh, s.AsFoundLowAh, s.AsFoundHighAh, s.BalancedAh, s.OffsetsAh = 0, 0, 0, 0, nil
	}
	s.say(b)
	return s, nil
}

// odd lists the groups that are out of family or inside no limit.
func (s *Standing) odd() {
	for _, g := range s.Survey.Groups {
		if g.Outlier || !slices.Contains([]survey.Verdict{survey.OK, survey.Balance, survey.Borderline, survey.Unknown},
			g.Verdict) {
			s.Odd = append(s.Odd, g.Group)
		}
	}
}

// undeclared says what follows where nobody knows the chemistry: what cannot be told apart is not guessed.
func undeclared(b Bank) finding.Finding {
	return finding.New(finding.Stop, CodeUndeclared).About(b.Name).By("rules §1").
		Says("Its chemistry is not declared: no charge step can be planned, and no charge told from the voltages.").
		Then("Read it from a label or a data sheet. What is not on either is not charged.")
}

// AsFound is what the bank gives as it stands, in whole Ah that hold the interval.
func (s Standing) AsFound() string {
	return fmt.Sprintf("%.0f to %.0f", math.Floor(s.AsFoundLowAh), math.Ceil(s.AsFoundHighAh))
}

// charge tells what the charge of the groups amounts to.
func (s *Standing) charge(b Bank, volts []float64) {
	groups := make([]balance.Group, len(volts))
	digit := numeral.LastDigit(volts...)
	for i, v := range volts {
		groups[i] = balance.Group{Name: fmt.Sprintf("group %d", i+1), Chemistry: b.Chemistry, Curve: b.Curve, Volts: v,
			Ah: b.Ah, LastDigit: digit}
	}
	r, err := balance.JudgeGroups(groups)
	if err != nil {
		return
	}
	s.OffsetsAh, s.AsFoundAh, s.BalancedAh = r.OffsetsAh, r.AsFoundAh, r.BalancedAh
	s.AsFoundLowAh, s.AsFoundHighAh = r.AsFoundLowAh, r.AsFoundHighAh
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
	if s.charged != "" && s.Level < finding.Stop {
		parts = append(parts, s.charged)
	}
	switch {
	case b.Chemistry == "" || s.Level >= finding.Stop:
	case s.AsFoundAh > 0 && s.BalancedAh-s.AsFoundAh < 0.01*s.BalancedAh:
		parts = append(parts, fmt.Sprintf("By charge it gives its %.0f Ah as it stands.", s.BalancedAh))
	case s.AsFoundAh > 0:
		parts = append(parts, fmt.Sprintf("As it stands it gives about %s of %.0f Ah; balanced, all of it.",
			s.AsFound(), s.BalancedAh))
	case b.Ah > 0:
		parts = append(parts, "Voltage cannot tell here what unequal charge costs: a full charge or a test can.")
	default:
		parts = append(parts, "Its capacity is not known: what unequal charge costs in amp hours cannot be said.")
	}
	s.Text = strings.Join(parts, " ")
}
