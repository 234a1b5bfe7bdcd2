// Package limits holds the limits that more than one rule of the trade goes by: what may be touched, what
// may be joined, and how far a meter may be off. A limit of one rule alone stands with that rule.
package limits

import "math"

// Touch limits in volts DC (hazards: shock). Above them the high-voltage gates apply. They are policy, and
// local codes come first.
const (
	TouchDryVolts = 60.0
	TouchWetVolts = 30.0
)

// TouchVolts is the touch limit of a place.
func TouchVolts(wet bool) float64 {
	if wet {
		return TouchWetVolts
	}
	return TouchDryVolts
}

// HighVoltage is the code of the finding that a bank, a candidate or a step lies above the touch limit.
const HighVoltage = "high-voltage"

// What a charge is held to on the bench (rules §5): amps for each amp hour, fewer between 0 °C and ColdBelowC, and off
// after OverTime the longest that it can take.
const (
	ChargeC     = 0.3
	ColdChargeC = 0.1
	ColdBelowC  = 10.0
	OverTime    = 1.2
)

// SupplyFuseAmps is what the fuse of a monitor's own supply has at most: it is the one thing that may stay on the cells
// whatever the switch opens.
const SupplyFuseAmps = 3.0

// JoinVolts is the difference above which joining in parallel is a caution (rules §9).
const JoinVolts = 0.050

// Limits of a bolted joint, whatever its siblings show (rules §17).
const (
	JointMilliohms = 0.2
	JointWatts     = 5.0
)

// What a measured step may lie from what is expected (rules §9).
const (
	StepVolts       = 0.050 // or the meter's accuracy, whichever is more
	MeterShare      = 0.005 // a meter of which nothing is known: 0.5 % of the reading …
	MeterDigitVolts = 0.010 // … and one digit of a range that shows hundredths
)

// What a link that is to be opened, and the gap that it leaves, may show (policy). A closed link at rest carries
// nothing; a gap between two parts that nothing else joins settles near zero on any meter.
const (
	IdleLinkVolts = 0.005
	GapVolts      = 0.100
)

// StepTolerance is how far a measurement may lie from expected volts before a step is not accepted:
// 50 mV, or the accuracy of a meter of which nothing is known, whichever is more.
func StepTolerance(volts float64) float64 {
	return max(StepVolts, MeterShare*math.Abs(volts)+MeterDigitVolts)
}
