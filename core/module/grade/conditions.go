package grade

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Conditions under which figures compare, rules §4: what lies outside is marked.
const (
	AtTempC     = 25.0
	WithinTempC = 5.0
	MostC       = 0.5
	// belowFloorVolts is how far under its floor a group may end before that is said.
	belowFloorVolts = 0.05
)

// marks says where a test was not done as figures are compared: warm or cold, fast, or past the floor.
func (j *judge) marks() {
	if t := j.e.TempC; t != nil && math.Abs(*t-AtTempC) > WithinTempC {
		way := "warmer cells give more than they will at the bench"
		if *t < AtTempC {
			way = "colder cells give less than they will at the bench"
		}
		j.because(finding.New(finding.Caution, codeOffTemperature).Reads(*t, "°C").Against(AtTempC).
			Says("Marked: taken at %s °C, where figures compare at %.0f ± %.0f °C: %s.", numeral.Text(*t), AtTempC,
				WithinTempC, way).
			Then("Test it again at room temperature before it decides anything."))
	}
	if c := j.e.Amps / j.e.CapacityAh; j.e.CapacityAh > 0 && c > MostC+1e-9 {
		j.because(finding.New(finding.Caution, codeOffRate).Reads(math.Round(c*100)/100, "C").Against(MostC).
			Says("Marked: taken at %s A, %.1f C, where figures compare at up to C/2.", numeral.Text(j.e.Amps), c).
			Then("Test it again with less current before it decides anything."))
	}
	if low, floor := j.e.LowestEndVolts, j.e.FloorVolts; low > 0 && floor > 0 && low < floor-belowFloorVolts {
		j.because(finding.New(finding.Caution, codeBelowFloor).Reads(low, "V").Against(floor).
			Says("Marked: the lowest group was driven to %.2f V, %.2f V below its floor: the figure holds Ah that do "+
				"not count.", low, floor-low).
			Then("Survey it at rest, and test it again down to the floor."))
	}
}

// conditions says under which conditions the figure was taken, as far as they are known.
func (j *judge) conditions() string {
	var parts []string
	if j.e.ByHand {
		parts = append(parts, "typed by hand")
	}
	if j.e.Amps > 0 {
		parts = append(parts, fmt.Sprintf("at %.1f A", j.e.Amps))
	}
	if j.e.TempC != nil {
		parts = append(parts, fmt.Sprintf("%.0f °C", *j.e.TempC))
	}
	if j.e.EndVolts > 0 {
		parts = append(parts, fmt.Sprintf("ended at %.2f V", j.e.EndVolts))
	}
	if len(parts) == 0 {
		return ""
	}
	return ", " + strings.Join(parts, ", ")
}
