package module_test

import (
	"fmt"

	"pandrel/core/base/chem"
	"pandrel/core/module/grade"
	"pandrel/core/module/survey"
)

// A module whose capacity is good and whose survey is not: it is held by the survey.
func Example() {
	m := survey.Module{Name: "K-031", Chemistry: chem.NMC, RatedAh: 46, RestMinutes: 120}
	for i, v := range []float64{3.711, 3.710, 3.709, 3.711, 3.712, 3.640, 3.710} {
		m.Readings = append(m.Readings, survey.Reading{Group: i + 1, Volts: v})
	}
	s, _ := survey.JudgeGroups(m, survey.DefaultPolicy)
	fmt.Println(s.Verdict+":", s.Findings[0].Text)
	g, _ := grade.JudgeEvidence(grade.Evidence{Module: m.Name, RatedAh: 46, CapacityAh: 39.1, UncertaintyAh: 0.3,
		Complete: true, Survey: string(s.Verdict), Looked: true}, grade.DefaultPolicy)
	fmt.Println("class", g.Class+", fitness", g.Fitness)
	// Output:
	// suspect: Group 6 holds 6.7 to 7.1 Ah (14.6 to 15.4 %) less than its siblings.
	// class A, fitness watch
}
