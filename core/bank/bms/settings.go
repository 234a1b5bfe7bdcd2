package bms

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Setting is one line of a settings sheet: the value, why, and the range that would still be right.
type Setting struct {
	Name  string
	Value string
	Unit  string
	Why   string
	Range string
}

// Plan is the bank a settings sheet is for. ChargeSettingVolts and TripVolts come from the bank's
// window; CapacityAh is tested, not rated.
type Plan struct {
	Groups             int
	Chemistry          chem.ID
	CapacityAh         float64
	LoadAmps           float64
	ChargeAmps         float64
	ChargeSettingVolts float64
	TripVolts          float64
	CutoffVolts        float64 // the device's, 0 not known
	ChargeLimitAmps    float64 // what the modules take together, 0 for 0.3 C
	FreezesHere        bool
	Boards             []int   // groups of each board, empty for one
	LowAh              float64 // the least that untested modules may leave of CapacityAh, 0 where all were tested
}

// ChargeAmpsLimit is the charge current the bank may be set to: what the BMS takes, what the modules
// take, and 0.3 C (rules §5).
func (p Plan) ChargeAmpsLimit(d Device) float64 {
	ah := p.CapacityAh
	if p.LowAh > 0 {
		ah = min(ah, p.LowAh) // what may be less is charged as if it were
	}
	a := 0.3 * ah
	if d.ChargeAmps > 0 {
		a = min(a, d.ChargeAmps)
	}
	if p.ChargeLimitAmps > 0 {
		a = min(a, p.ChargeLimitAmps)
	}
	return a
}

// chargeLine is the charge current to set, left open while nothing is known of the amp hours.
func chargeLine(d Device, p Plan) Setting {
	if p.CapacityAh <= 0 {
		return Setting{"Charge current limit", "open", "A",
			"0.3 C, and nothing is known of its amp hours: write them " +
				"down first", "what the modules and the BMS take"}
	}
	limit := math.Floor(max(1, p.ChargeAmpsLimit(d)))
	return Setting{"Charge current limit", fmt.Sprintf("%.0f", limit), "A",
		"0.3 C, what the modules take and what the BMS takes", fmt.Sprintf("up to %.0f", limit)}
}

// CheckSettings judges a plan's charger and device against the BMS's settings: what acts first at the top, at
// the bottom, and in current (rules §7 and §14).
func CheckSettings(d Device, p Plan) []finding.Finding {
	c, err := chem.Lookup(p.Chemistry)
	if err != nil || p.Groups < 1 {
		return nil
	}
	var out []finding.Finding
	add := func(code string, measured, limit float64, unit, text, do string) {
		out = append(out, finding.New(finding.Caution, code).About(d.Name).
			Reads(math.Round(measured*100)/100, unit).Against(math.Round(limit*100)/100).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	n := float64(p.Groups)
	if limit := p.ChargeAmpsLimit(d); p.CapacityAh > 0 && p.ChargeAmps > limit+1e-9 {
		add(codeChargerAboveLimit, p.ChargeAmps, limit, "A", fmt.Sprintf("The charger gives %.0f A, the charge limit "+
			"of this bank is %.0f A.", p.ChargeAmps, limit), fmt.Sprintf("Set the charger to %.0f A or less; the "+
			"limit in the BMS only stands behind it.", math.Floor(limit)))
	}
	if trip := n * c.Settings.UnderVolts; p.CutoffVolts > 0 && trip >= p.CutoffVolts {
		do := fmt.Sprintf("Set the device's cut-off to %.1f V or more.", trip+0.5)
		if low := math.Floor((p.CutoffVolts/n-0.02)*100) / 100; low >= c.FloorVolts+0.05 {
			do = fmt.Sprintf("Set the device's cut-off to %.1f V or more, or the group under-voltage to %.2f V.",
				trip+0.5, low)
		}
		add(codeBMSFirst, p.CutoffVolts, trip, "V", fmt.Sprintf("The BMS drops the load at %.1f V, before the "+
			"device cuts off at %.1f V.", trip, p.CutoffVolts), do)
	}
	if over := n * c.Settings.OverVolts; p.ChargeSettingVolts+0.5 > over {
		add(codeChargerTripsBMS, p.ChargeSettingVolts, over-0.5, "V", fmt.Sprintf("The charger's %.2f V lies less "+
			"than 0.5 V below the BMS's over-voltage of %.2f V: charging would end on a trip.", p.ChargeSettingVolts,
			over), "Lower the charger's setting.")
	}
	return out
}

// Settings returns the sheet for device d in bank p. Every value is per group unless its name says
// pack. It fails for an unknown chemistry or a plan without groups or capacity.
//
// In one piece: the sheet is a table, line by line as it is printed; each line stands on those above it.
func Settings(d Device, p Plan) ([]Setting, error) {
	c, err := chem.Lookup(p.Chemistry)
	if err != nil {
		return nil, err
	}
	if p.Groups < 1 || !(p.CapacityAh >= 0) {
		return nil, fmt.Errorf("%s of %v Ah: expected at least one group", numeral.Count(p.Groups, "group"),
			p.CapacityAh)
	}
	s := c.Settings
	n := float64(p.Groups)
	volts := func(v float64) string { return fmt.Sprintf("%.3f", v) }
	pack := func(v float64) string { return fmt.Sprintf("%.2f", v) }
	// The balancer must start below the voltage the charger reaches, or it never works.
	balance := s.BalanceStartVolts
	ceiling := p.ChargeSettingVolts / n
	whyBalance := "below the charger's voltage per group, above the working range"
	lowest := balance - 0.05
	if c.TopBalanceVolts > 0 { // below it the curve is flat, and balancing there makes things worse
		lowest = c.TopBalanceVolts - 0.05
	}
	if ceiling > 0 && ceiling-0.05 < balance {
		balance = max(ceiling-0.05, lowest)
		whyBalance = fmt.Sprintf("50 mV below the charger's %.3f V per group, or it would never start", ceiling)
		if ceiling-0.05 < lowest {
			whyBalance = fmt.Sprintf("the charger's %.3f V per group never reaches it: balance by hand. Lower, on "+
				"the flat part of the curve, balancing makes a bank worse", ceiling)
		}
	}
	lowest = min(lowest, balance)
	// Over-voltage stands above what the charger reaches, with room for its tolerance.
	overLow := max(s.OverRecoverVolts+0.05, ceiling+0.05)
	underHigh := s.UnderVolts + 0.10
	if p.CutoffVolts > 0 { // above it the BMS would end each discharge and not the device
		underHigh = max(s.UnderVolts, min(underHigh, p.CutoffVolts/n))
	}
	out := []Setting{
		{"Chemistry", c.Name, "", "declared for the module type", "no other"},
		{"Groups in series", fmt.Sprint(p.Groups), "", "counted in the wiring", "no other"},
		unusedInputs(d, p),
		capacityLine(p),
		{"Group over-voltage", volts(s.OverVolts), "V", "the charge limit",
			fmt.Sprintf("%.2f to %.2f", min(overLow, s.OverVolts), s.OverVolts)},
		{"Over-voltage recovery", volts(s.OverRecoverVolts), "V", "after the group has settled",
			fmt.Sprintf("%.2f to %.2f", s.OverRecoverVolts-0.05, s.OverRecoverVolts+0.05)},
		{"Group under-voltage", volts(s.UnderVolts), "V", "above the floor, so that something is left for standing",
			fmt.Sprintf("%.2f to %.2f", c.FloorVolts+0.05, underHigh)},
		{"Under-voltage recovery", volts(s.UnderVolts + 0.20), "V", "after charging has begun",
			fmt.Sprintf("%.2f to %.2f", s.UnderVolts+0.1, s.UnderVolts+0.4)},
		{"Delay of both", "2", "s", "rides through a starting motor", "1 to 5"},
		{"Balance start", volts(balance), "V", whyBalance,
			fmt.Sprintf("%.2f to %.2f", lowest, max(balance, min(balance+0.05, ceiling-0.02)))},
		{"Balance delta", "0.010", "V", "smaller differences are noise", "0.005 to 0.020"},
		{"Charger, pack", pack(p.ChargeSettingVolts), "V",
			fmt.Sprintf("%.3f V per group; equalise, desulphate and temperature compensation off", ceiling),
			fmt.Sprintf("%.2f to %.2f", p.ChargeSettingVolts-0.5, p.ChargeSettingVolts)},
		{"Pack over-voltage", pack(p.TripVolts), "V", "stands behind the groups; charging never ends on it",
			fmt.Sprintf("%.2f to %.2f", p.ChargeSettingVolts+0.5, p.TripVolts)},
		{"Pack under-voltage", pack(n * s.UnderVolts), "V", "groups × their under-voltage",
			fmt.Sprintf("%.2f to %.2f", n*(c.FloorVolts+0.05), n*underHigh)},
		dischargeLine(d, p),
		chargeLine(d, p),
		{"Charge temperature", fmt.Sprintf("%.0f to %.0f", c.ChargeLowTempC, c.ChargeHighTempC), "°C",
			"typical for the chemistry; the maker's data counts", "narrower"},
		{"Discharge temperature", fmt.Sprintf("%.0f to %.0f", c.DischargeLowTempC, c.DischargeHighTempC), "°C",
			"typical for the chemistry; the maker's data counts", "narrower"},
	}
	if len(p.Boards) > 1 {
		out = slices.Insert(out, 2, Setting{"Groups of each board", numbers(p.Boards), "", "from the main negative up",
			"no other"})
	}
	return out, nil
}

// dischargeLine is the discharge current to set: by the load where it is known, else what the device carries.
func dischargeLine(d Device, p Plan) Setting {
	out := Setting{"Discharge current limit", fmt.Sprintf("%.0f", math.Ceil(DesignFactor*p.LoadAmps)), "A",
		"1.25 × the load at the cut-off voltage", fmt.Sprintf("%.0f", math.Ceil(1.1*p.LoadAmps))}
	if p.LoadAmps <= 0 {
		out.Value, out.Range = "open", "1.25 × the load"
		out.Why = "the load was not given: write it down first"
	}
	if d.ContinuousAmps <= 0 {
		out.Range += " to what it carries, as its data sheet says"
	} else {
		out.Range += fmt.Sprintf(" to %.0f", d.ContinuousAmps)
	}
	return out
}

// unusedInputs is the line of inputs that the bank has no groups for.
func unusedInputs(d Device, p Plan) Setting {
	boards := p.Boards
	if len(boards) == 0 {
		boards = []int{p.Groups}
	}
	free := make([]int, len(boards))
	for i, n := range boards {
		free[i] = max(0, d.GroupsHigh-n)
	}
	say := map[string]string{TieToTop: "tied to the last, as its data sheet says",
		LeaveOpen: "left open, as its data " +
			"sheet says"}[d.Unused]
	if say == "" {
		say = "tied to the last or left open, as its data sheet says"
	}
	return Setting{"Inputs not used", numbers(free), "", fmt.Sprintf("it has %d, the bank %s", d.GroupsHigh,
		numbers(boards)), say}
}

// capacityLine is the capacity to set: where modules were never tested, the least there may be.
func capacityLine(p Plan) Setting {
	if p.CapacityAh <= 0 {
		return Setting{"Capacity", "open", "Ah", "nothing is known of it: set it after the first full discharge",
			"as tested"}
	}
	if p.LowAh > 0 && p.LowAh < 0.99*p.CapacityAh {
		return Setting{"Capacity", fmt.Sprintf("%.1f", p.LowAh), "Ah", "not tested: the least that may be in it. Set " +
			"it anew after the first full discharge", fmt.Sprintf("%.0f to %.0f", 0.95*p.LowAh, p.LowAh)}
	}
	return Setting{"Capacity", fmt.Sprintf("%.1f", p.CapacityAh), "Ah", "tested, the weakest position; never " +
		"the default", fmt.Sprintf("%.0f to %.0f", 0.95*p.CapacityAh, p.CapacityAh)}
}
