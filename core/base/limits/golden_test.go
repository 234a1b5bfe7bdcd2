package limits_test

import (
	"testing"

	"pandrel/core/base/limits"
	"pandrel/golden"
)

func TestLimitsAreAsTheHandbookHasThem(t *testing.T) {
	golden.Same(t, "limits", golden.Text(map[string]float64{"touch, dry, V": limits.TouchVolts(false),
		"touch, wet, V": limits.TouchVolts(
			true), "joining, V": limits.JoinVolts, "a joint, mΩ": limits.JointMilliohms,
		"a joint, W": limits.JointWatts,
		"a step, V":  limits.StepVolts, "a step at 8 V": limits.StepTolerance(8), "at 8.1 V": limits.StepTolerance(8.1),
		"at −52 V": limits.StepTolerance(-52), "a meter, share": limits.MeterShare,
		"a meter, V": limits.MeterDigitVolts, "an idle link, V": limits.IdleLinkVolts, "a gap, V": limits.GapVolts}))
}
