// Package onegroup is the charge of one group alone, beside a meter: how long it takes at most, when it is off whatever
// it shows, and what keeps it from being begun (rules §5, hazards). The meter on the clamps watches the group; nothing
// but the charger's own end voltage ends it.
package onegroup

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeCold          = "charge-cold"
	codeEndHigh       = "charger-ends-high"
	codeFast          = "charge-fast"
	codeFull          = "group-full"
	codeHot           = "charge-hot"
	codeLookCloser    = "look-closer"
	codeNeverRecharge = "never-recharge"
	codeNoEnd         = "charger-without-end"
	codeNotRead       = "group-not-read"
	codeOver          = "group-over"
)

const rule = "rules §5"

// Charge is what is known of the group and of the charger.
type Charge struct {
	Chemistry    chem.Chemistry
	Ah           known.Value // the group's, at the most that it may hold where that is open
	EndVolts     float64     // at which the charger ends by itself, 0 where it does not
	Amps         float64
	Volts        float64 // of the group at rest, 0 not read
	AccuracyV    float64 // 0 not known
	RestMinutes  float64 // −1 not known
	TemperatureC *float64
}

// Time is how long the charge takes.
type Time struct {
	FromSoC, ToSoC        chem.Interval // the group's before, and where the charger ends; 0 to 1
	ReturnsAh             chem.Interval // what flows into it
	LeastHours, MostHours float64
	HardStopHours         float64
	Findings              []finding.Finding
}

// Judge works out the hours of a charge of one group. It fails for a charge without amps or amp hours.
func Judge(c Charge) (t Time, err error) {
	if !(c.Amps > 0) || !(c.Ah.High() > 0) {
		return t, fmt.Errorf("%v A into %v Ah: expected both above 0", c.Amps, c.Ah.High())
	}
	k := c.Chemistry
	t.Findings = c.refusals()
	t.FromSoC = chem.Interval{Low: 0, High: 1}
	if c.Volts > 0 {
		u := c.AccuracyV
		if u <= 0 { // a meter of which nothing is known is no perfect one
			u = limits.MeterShare*c.Volts + limits.MeterDigitVolts
		}
		t.FromSoC = k.Curve.SoCInterval(c.Volts, k.RestUncertaintyVolts(u, c.RestMinutes))
	}
	full := 1.0 // the tail at the charger's own end is held until little flows: full as far as that voltage goes
	if c.EndVolts > 0 && c.EndVolts < k.ChargeLimitVolts {
		full = k.Curve.SoC(c.EndVolts)
	}
	t.ToSoC = chem.Interval{Low: full, High: full}
	t.ReturnsAh = chem.Interval{Low: max(0, full-t.FromSoC.High) * c.Ah.Low(), High: max(0,
		full-t.FromSoC.Low) * c.Ah.High()}
	t.LeastHours, t.MostHours = t.ReturnsAh.Low/c.Amps, t.ReturnsAh.High/c.Amps
	t.HardStopHours = limits.OverTime * t.MostHours
	return t, nil
}

// refusals are what keeps the charge from being begun, and what stands over it.
func (c Charge) refusals() (out []finding.Finding) {
	k := c.Chemistry
	say := func(f finding.Finding) { out = append(out, f.Or("group", rule)) }
	switch {
	case c.EndVolts <= 0:
		say(finding.New(finding.Refuse, codeNoEnd).About("charger").By("hazards").
			Reads(0, "V").Against(k.ChargeLimitVolts).
			Says("A charger that has no end voltage of its own never charges a group, not for a minute: nothing but a "+
				"person stands between it and fire.").
			Then("One that ends by itself at %.2f V or less.", k.ChargeLimitVolts))
	case c.EndVolts > k.ChargeLimitVolts+1e-9:
		say(finding.New(finding.Refuse, codeEndHigh).About("charger").Reads(c.EndVolts, "V").From(known.Typed).
			Against(k.ChargeLimitVolts).
			Says("It ends at %.2f V, above the %.2f V that a group of %s bears.", c.EndVolts, k.ChargeLimitVolts,
				k.Name).
			Then("A charger for one group, that ends by itself at %.2f V or less.", k.ChargeLimitVolts))
	}
	if v := c.TemperatureC; v != nil && *v < k.ChargeLowTempC {
		say(finding.New(finding.Refuse, codeCold).Reads(*v, "°C").From(known.Measured).Against(k.ChargeLowTempC).
			By("hazards").
			Says("At %s °C lithium plates out: no charge below %.0f °C.", numeral.Text(*v), k.ChargeLowTempC).
			Then("Warm it through first, indoors, for a day."))
	}
	if v := c.TemperatureC; v != nil && *v > k.ChargeHighTempC {
		say(finding.New(finding.Stop, codeHot).Reads(*v, "°C").From(known.Measured).Against(k.ChargeHighTempC).
			By("hazards").
			Says("At %s °C it is too hot to be charged.", numeral.Text(*v)).
			Then("Let it cool, and find out why it is warm."))
	}
	most, cold := limits.ChargeC, ""
	if c.TemperatureC != nil && *c.TemperatureC < limits.ColdBelowC {
		most, cold = limits.ColdChargeC, " below 10 °C"
	}
	if limit := most * c.Ah.Low(); c.Amps > limit+1e-9 {
		say(finding.New(finding.Stop, codeFast).About("charger").Reads(c.Amps, "A").From(known.Typed).
			Against(math.Round(limit*100)/100).
			Says("%s A is more than %s C of a group that may hold %s Ah%s.", numeral.Text(c.Amps), numeral.Text(most),
				numeral.Text(math.Round(c.Ah.Low()*10)/10), cold).
			Then("At most %s A.", numeral.Text(math.Floor(limit*100)/100)))
	}
	for _, f := range c.read() {
		say(f)
	}
	return out
}

// read judges the group's own volts.
func (c Charge) read() (out []finding.Finding) {
	k, v := c.Chemistry, c.Volts
	read := func(level finding.Level, code string, limit float64) finding.Finding {
		return finding.New(level, code).Reads(v, "V").From(known.Measured).Against(limit)
	}
	switch {
	case v <= 0:
		out = append(out, finding.New(finding.Caution, codeNotRead).
			Says("Its volts were not read: it may be anywhere from empty to full, and below never-recharge too.").
			Then("Read it at rest first: below %.2f V it is never charged, and what it reads makes the hours fewer.",
				k.NeverRechargeVolts))
	case v < k.NeverRechargeVolts:
		out = append(out, read(finding.Refuse, codeNeverRecharge, k.NeverRechargeVolts).By("rules §3; hazards").
			Says("The group reads %.3f V, below never-recharge.", v).
			Then("No charge, ever, also when it recovers. Read it a second time to confirm, and take it out."))
	case v > k.ChargeLimitVolts+1e-9:
		out = append(out, read(finding.Stop, codeOver, k.ChargeLimitVolts).
			Says("The group reads %.3f V, above its charge limit already.", v).
			Then("No charge. Discharge it alone through a resistor, under watch, and read it again."))
	case v < k.LookCloserVolts:
		out = append(out, read(finding.Caution, codeLookCloser, k.LookCloserVolts).By("rules §3").
			Says("The group reads %.3f V: it was discharged deeply.", v).
			Then("Feel it every few minutes. What gets warm, or does not rise, is taken off and never charged again."))
	case c.EndVolts > 0 && v >= c.EndVolts:
		out = append(out, read(finding.Note, codeFull, c.EndVolts).
			Says("The group is as full as this charger makes it.").
			Then("Nothing to return."))
	}
	return out
}
