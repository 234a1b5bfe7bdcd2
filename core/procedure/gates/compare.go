package gates

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Limits of a joint, rules §17: whatever its siblings show.
const (
	JointMilliohms = limits.JointMilliohms
	JointWatts     = limits.JointWatts
	JointAmps      = 20.0  // the least current to judge joints at
	leastMOhm      = 0.002 // no joint of two metals is that good: a hundredth of what is allowed
	leastMV        = 0.05  // below the last digit of a meter in millivolts: not believed
)

// totalShare is how near a total must be to what the record says of it.
const totalShare = 0.05

// takeTotals compares two totals with what the record says of each, and works out the difference.
func (d *Done) takeTotals(in Input) error {
	if in.Reading == nil {
		return d.missing("reading", "expected its total, in volts")
	}
	if in.Other == nil {
		return d.missing("other", "expected the total of "+d.Other+", in volts")
	}
	own, other := *in.Reading, *in.Other
	apart := math.Abs(own - other)
	d.Value = math.Round(apart*1e5) / 100
	d.Reading = fmt.Sprintf("%s V and %s V: %s mV apart", numeral.Text(own), numeral.Text(other), numeral.Text(d.Value))
	for _, x := range []struct {
		volts, want float64
		whose       string
	}{{own, d.ExpectVolts, "its own total"}, {other, d.OtherVolts, "the total of " + d.Other}} {
		if f := d.unlikely(x.volts, x.want, x.whose); f != nil {
			d.Found = []finding.Finding{*f}
			return nil
		}
	}
	limit := d.High
	f := finding.New(finding.Note, codeInRange).About(d.Title).Reads(d.Value, "mV").Against(limit).By(d.Rule).
		Says("%s mV apart, at most %s mV.", numeral.Text(d.Value), numeral.Text(limit)).
		Then("Go on.")
	if d.OK = d.Value <= limit+digits; !d.OK {
		f.Level, f.Code = finding.Stop, "too-far-apart"
		f.Text = fmt.Sprintf("%s mV apart, where at most %s mV was expected.", numeral.Text(d.Value),
			numeral.Text(limit))
		f.Do = "Do not join them. Charge the lower one by itself first, let both rest, and read again."
	}
	d.Found = []finding.Finding{f}
	return nil
}

// unlikely is a total that the record makes impossible, nil where it agrees or nothing is on record.
func (d *Done) unlikely(volts, want float64, whose string) *finding.Finding {
	if volts > 0 && (want <= 0 || math.Abs(volts-want) <= max(1, totalShare*want)) {
		return nil
	}
	text := fmt.Sprintf("%s V as %s: expected volts above 0, end to end.", numeral.Text(volts), whose)
	if want > 0 {
		text = fmt.Sprintf("%s V as %s, where the record says about %s V.", numeral.Text(volts), whose, numeral.Text(
			math.Round(want*100)/100))
	}
	f := finding.New(finding.Stop, codeNotAsPredicted).About(d.Title).Reads(volts, "V").Against(want).By(d.Rule).
		Says("%s", text).Then("Type what the meter shows, in volts, end to end. If it does show that: stop, and find " +
		"out why before anything else is touched.")
	return &f
}

// takeJoint works out the resistance of the worst joint, and its watts at the design current.
func (d *Done) takeJoint(in Input) error {
	if in.Reading == nil {
		return d.missing("reading", "expected the millivolts across the worst joint")
	}
	if in.Other == nil {
		return d.missing("other", "expected the amps that flowed meanwhile")
	}
	mv, amps := math.Abs(*in.Reading), math.Abs(*in.Other)
	d.Reading = fmt.Sprintf("%s mV at %s A", numeral.Text(*in.Reading), numeral.Text(*in.Other))
	say := func(f finding.Finding) { d.Found = append(d.Found, f.Or(d.Title, d.Rule)) }
	mohm := mv / amps
	if d.unbelieved(mv, amps, say) {
		return nil
	}
	d.Value = math.Round(mohm*1e4) / 1e4
	watts := 0.0
	if d.DesignAmps > 0 {
		watts = mohm / 1000 * d.DesignAmps * d.DesignAmps
	}
	const open = "Switch off, open it, clean both faces, tighten to the maker's torque, and read again."
	switch {
	case mohm > JointMilliohms+digits:
		say(finding.New(finding.Stop, codeJointHigh).Reads(d.Value, "mΩ").Against(JointMilliohms).
			Says("The worst joint has %.3f mΩ, more than %.1f mΩ.", mohm, JointMilliohms).
			Then("%s", open))
	case watts > JointWatts+digits:
		say(finding.New(finding.Stop, codeJointHot).Reads(math.Round(watts*100)/100, "W").Against(JointWatts).
			Says("The worst joint has %.3f mΩ: %.1f W at %.0f A.", mohm, watts, d.DesignAmps).
			Then("%s", open))
	default:
		d.OK = true
		text := fmt.Sprintf("The worst joint has %.3f mΩ", mohm)
		if d.DesignAmps > 0 {
			text += fmt.Sprintf(", %.1f W at %.0f A", watts, d.DesignAmps)
		}
		say(finding.New(finding.Note, codeInRange).Reads(d.Value, "mΩ").Against(JointMilliohms).
			Says("%s", text+".").
			Then("Go on."))
	}
	return nil
}

// unbelieved says why two readings of a joint prove nothing.
func (d *Done) unbelieved(mv, amps float64, say func(finding.Finding)) bool {
	switch {
	case amps < JointAmps-digits:
		say(finding.New(finding.Stop, codeCurrentSmall).Reads(amps, "A").From(known.Measured).Against(JointAmps).
			Says("At %s A a bad joint does not show: %.0f A and more are needed.", numeral.Text(amps), JointAmps).
			Then("Load it with more, under watch, and read again."))
		return true
	case mv < leastMV:
		say(finding.New(finding.Stop, codeNothingRead).Reads(mv, "mV").From(known.Measured).Against(leastMV).
			Says("%s mV at %s A is no joint's reading: every joint drops some.", numeral.Text(mv), numeral.Text(amps)).
			Then("The meter does " +
				"not touch both sides, or stands in another range. Read again, one probe on each of the two metals."))
		return true
	}
	mohm := mv / amps
	if mohm <= leastMOhm+1e-9 {
		say(finding.New(finding.Stop, codeNotAsPredicted).Reads(math.Round(mohm*1e6)/1e6, "mΩ").Against(leastMOhm).
			Says("%s mV at %s A is %.4f mΩ: no joint is that good.", numeral.Text(mv), numeral.Text(amps), mohm).
			Then("Type what the two meters show, in millivolts and in amps, read in the same moment."))
		return true
	}
	return false
}
