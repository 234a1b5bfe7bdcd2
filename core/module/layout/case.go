package layout

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/module/isolation"
)

// judgeCase judges the readings against the case among the mapping readings: both ends, with the
// module's own voltage from the fit. Without both nothing is judged, and a note says what is missing.
func (s *solver) judgeCase(readings []Reading) {
	if len(readings) == 0 || len(s.m.Nodes) < 2 {
		return
	}
	c := isolation.Readings{MeterOhms: s.opt.MeterOhms,
		PackVolts: s.m.Nodes[len(s.m.Nodes)-1].Volts - s.m.Nodes[0].Volts}
	pos, neg := false, false
	for _, r := range readings {
		p := r.Red
		if p == isolation.CasePoint {
			p = r.Black
		}
		switch size := math.Abs(r.Volts); {
		case slices.Contains(s.m.MainPositive, p):
			c.PositiveVolts, pos = size, true
		case slices.Contains(s.m.MainNegative, p):
			c.NegativeVolts, neg = size, true
		}
		c.MeterAccuracyVolts = max(c.MeterAccuracyVolts, r.uncertainty())
	}
	note := func(code, text, do string) {
		s.add(finding.New(finding.Note, code).About(isolation.CasePoint).
			Says("%s", text).
			Then("%s", do))
	}
	if !pos || !neg {
		note(codeCaseOneEnd, fmt.Sprintf("%s against the case are kept; isolation is not judged from one "+
			"end.", numeral.Count(len(readings), "reading")),
			"Read both ends against the case, each when it has settled, before touching "+
				"the case and a post together.")
		return
	}
	iso, fs, err := isolation.JudgeReadings(c)
	if err != nil {
		note(codeCaseNotUsable, "The readings against the case cannot be used: "+err.Error()+".",
			"Read both ends again.")
		return
	}
	s.m.Isolation = iso
	s.m.Findings = append(s.m.Findings, fs...)
}
