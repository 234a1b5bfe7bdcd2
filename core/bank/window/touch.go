package window

import (
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// AboveTouch says which counts that fit stand above the touch limit when they are full.
func AboveTouch(fits []Fit) []finding.Finding {
	least, name, volts := 0, "", 0.0
	for _, f := range fits {
		k, err := chem.Lookup(f.Chemistry)
		for _, c := range f.Counts {
			if v := float64(c.Series) * k.ChargeLimitVolts; err == nil && c.Fits && v > limits.TouchDryVolts &&
				(least == 0 || v < volts) {
				least, name, volts = c.Series, k.Name, v
			}
		}
	}
	if least == 0 {
		return nil
	}
	return []finding.Finding{finding.New(finding.Caution, limits.HighVoltage).About("count").
		Reads(math.Round(volts*10)/10,
			"V").Against(limits.TouchDryVolts).By("rules §7").
		Says("From %s of %s on, %.1f V when full: above the touch limit of %.0f V where it is dry, 30 V "+
			"where it is wet.", numeral.Count(least, "group"), name, volts, limits.TouchDryVolts).
		Then("Work by the hazards of high voltage: a licensed person, one hand, gloves, covers.")}
}
