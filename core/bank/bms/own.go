package bms

import (
	"slices"
)

// CheckSettings says what of an own device cannot be used: the field and what was expected. Only its name and the
// most groups
// it monitors must be known; every other figure is 0 where it is not.
func (d Device) Check() (field, text string) {
	switch {
	case d.Name == "":
		return "name", "expected a name for it"
	case d.GroupsHigh < 1 || d.GroupsHigh > 400:
		return "groups_high", "expected the most groups in series that one board monitors, 1 to 400"
	case d.GroupsLow < 0 || d.GroupsLow > d.GroupsHigh:
		return "groups_low", "expected the least groups, at most the most"
	case d.Switch != "" && !slices.Contains(Switches, d.Switch):
		return "switch", "expected transistor, relay, opens or monitor"
	case d.Unused != "" && d.Unused != TieToTop && d.Unused != LeaveOpen:
		return "unused", "expected tie or open"
	case d.PeakAmps > 0 && d.PeakAmps < d.ContinuousAmps:
		return "peak_a", "expected at least what it carries for ever"
	case d.StackMost == 1:
		return "stack_most", "expected 2 to 100 boards, empty for as many as it takes"
	}
	if field, text := d.checkPorts(); field != "" {
		return field, text
	}
	for _, f := range []struct {
		field string
		v     float64
		most  float64
		text  string
	}{
		{"continuous_a", d.ContinuousAmps, 5000, "expected 0 (not known) to 5000 A"},
		{"peak_a", d.PeakAmps, 10000, "expected 0 (not known) to 10 000 A"},
		{"charge_a", d.ChargeAmps, 5000, "expected 0 (not known) to 5000 A"},
		{"balance_a", d.BalanceAmps, 50, "expected 0 (not known) to 50 A"},
		{"idle_ma", d.IdleMilliamps, 10000, "expected 0 (not known) to 10 000 mA"},
		{"over_v", d.OverVolts, 10, "expected 0 (not known) to 10 V of a group"},
		{"under_v", d.UnderVolts, 10, "expected 0 (not known) to 10 V of a group"},
		{"wake_v", d.WakeVolts, 100, "expected 0 (a button) to 100 V above the bank"},
		{"sensors", float64(d.TempSensors), 100, "expected 0 to 100"},
		{"stack_most", float64(d.StackMost), 100, "expected 2 to 100 boards, empty for as many as it takes"},
	} {
		if !(f.v >= 0 && f.v <= f.most) {
			return f.field, f.text
		}
	}
	return "", ""
}
