package jobs_test

import (
	"slices"
	"testing"
)

// The lock keeper: one box of twenty groups whose chemistry nobody knows.
func TestTheLockKeeper(t *testing.T) {
	w := newWalk(t)
	w.open("/start?what=modules")
	w.send("Go on", "Groups in series", "20", "Taps between the groups", "doubled", "How many", "1")
	w.surveyed(1, "1440", map[string][]float64{"M-001": slices.Repeat([]float64{3.92}, 20)})
	w.open("/modules/M-001")
	w.says("By these volts it could be NMC, LMO blend or NCA, 53 to 76 % full, and not LFP or LTO",
		"No charge step can be planned", "it can stand at 84.0 V DC, above the limit of touch")
	// Its chemistry learned late needs no second survey: what was read is judged anew.
	w.open("/types/1")
	w.send("Save changes", "Chemistry", "nmc")
	w.open("/modules/M-001")
	w.never("The chemistry is not declared")
	w.end()
}
