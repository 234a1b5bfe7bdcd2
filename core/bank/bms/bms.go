// Package bms chooses a battery management system for a bank and fills in its settings
// (handbook §14).
//
// The catalogue is made up: generic devices of the two switch types, in the sizes the trade uses.
package bms

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

const rule = "rules §14"

// Switch types.
const (
	Transistor = "transistor"
	Relay      = "relay"
)

// Device is one BMS. Currents in amps; GroupsLow…GroupsHigh is the range of groups in series it
// can monitor; BalanceAmps is per group.
type Device struct {
	Name           string
	Switch         string
	GroupsLow      int
	GroupsHigh     int
	ContinuousAmps float64
	PeakAmps       float64
	ChargeAmps     float64
	BalanceAmps    float64
	LowTempCutoff  bool
	TempSensors    int
	IdleMilliamps  float64
	Communication  string
	Programmable   bool
	Chemistries    []chem.ID // those it can be set to; empty for any
	WakeVolts      float64   // charger voltage above the bank that wakes it; 0 for a button
}

// Named returns the catalogue's device of a name.
func Named(name string) (Device, bool) {
	for _, d := range Catalogue() {
		if d.Name == name {
			return d, true
		}
	}
	return Device{}, false
}

// Catalogue returns the devices Pandrel ships with.
func Catalogue() []Device {
	return []Device{
		{Name: "T4-60", Switch: Transistor, GroupsLow: 4, GroupsHigh: 4, ContinuousAmps: 60, PeakAmps: 120,
			ChargeAmps: 30, BalanceAmps: 0.05, TempSensors: 1, IdleMilliamps: 1, Communication: "none",
			Chemistries: []chem.ID{chem.LFP}, WakeVolts: 0.5},
		{Name: "T8-100", Switch: Transistor, GroupsLow: 4, GroupsHigh: 8, ContinuousAmps: 100, PeakAmps: 200,
			ChargeAmps: 60, BalanceAmps: 0.10, LowTempCutoff: true, TempSensors: 2, IdleMilliamps: 12,
			Communication: "serial", Programmable: true, WakeVolts: 1},
		{Name: "T16-60", Switch: Transistor, GroupsLow: 7, GroupsHigh: 16, ContinuousAmps: 60, PeakAmps: 120,
			ChargeAmps: 40, BalanceAmps: 0.10, LowTempCutoff: true, TempSensors: 2, IdleMilliamps: 15,
			Communication: "serial", Programmable: true, WakeVolts: 1},
		{Name: "T16-150", Switch: Transistor, GroupsLow: 7, GroupsHigh: 17, ContinuousAmps: 150, PeakAmps: 300,
			ChargeAmps: 100, BalanceAmps: 0.20, LowTempCutoff: true, TempSensors: 3, IdleMilliamps: 20,
			Communication: "serial and field bus", Programmable: true, WakeVolts: 1},
		{Name: "T24-100", Switch: Transistor, GroupsLow: 13, GroupsHigh: 24, ContinuousAmps: 100, PeakAmps: 200,
			ChargeAmps: 60, BalanceAmps: 0.15, LowTempCutoff: true, TempSensors: 3, IdleMilliamps: 22,
			Communication: "serial", Programmable: true, WakeVolts: 1.5},
		{Name: "R8-300", Switch: Relay, GroupsLow: 4, GroupsHigh: 8, ContinuousAmps: 300, PeakAmps: 600,
			ChargeAmps: 300, BalanceAmps: 0.20, LowTempCutoff: true, TempSensors: 4, IdleMilliamps: 180,
			Communication: "field bus", Programmable: true},
		{Name: "R16-300", Switch: Relay, GroupsLow: 6, GroupsHigh: 16, ContinuousAmps: 300, PeakAmps: 600,
			ChargeAmps: 300, BalanceAmps: 0.20, LowTempCutoff: true, TempSensors: 4, IdleMilliamps: 200,
			Communication: "field bus", Programmable: true},
		{Name: "R24-400", Switch: Relay, GroupsLow: 8, GroupsHigh: 24, ContinuousAmps: 400, PeakAmps: 800,
			ChargeAmps: 400, BalanceAmps: 0.25, LowTempCutoff: true, TempSensors: 6, IdleMilliamps: 250,
			Communication: "field bus", Programmable: true},
	}
}

// Need is what a bank asks of its BMS. Currents in amps; zero means none.
type Need struct {
	Groups      int
	Chemistry   chem.ID
	LoadAmps    float64
	PeakAmps    float64
	ChargeAmps  float64
	CapacityAh  float64
	FreezesHere bool    // the place can go below 0 °C
	DriftAhDay  float64 // the worst group's drift, 0 unknown
	Count       int     // how many of them the bank has, one for each string; 0 is one
}

// DesignFactor is applied once to the larger of load and charge current (handbook §10).
const DesignFactor = 1.25

// Choice is one device judged for a bank. Refused devices carry the reason as a refusal.
type Choice struct {
	Device   Device
	Refused  bool
	Findings []finding.Finding
}

// Choose judges every device of list and returns them best first: those that fit, by how little
// current rating and idle draw they waste, then the refused ones.
func Choose(need Need, list []Device) ([]Choice, error) {
	if need.Groups < 1 {
		return nil, fmt.Errorf("%d groups: expected 1 or more", need.Groups)
	}
	if _, err := chem.Lookup(need.Chemistry); err != nil {
		return nil, err
	}
	out := make([]Choice, 0, len(list))
	for _, d := range list {
		out = append(out, judge(need, d))
	}
	score := func(c Choice) float64 {
		s := c.Device.ContinuousAmps + c.Device.IdleMilliamps
		for _, f := range c.Findings {
			if f.Level == finding.Caution {
				s += 150
			}
		}
		return s
	}
	slices.SortStableFunc(out, func(a, b Choice) int {
		if a.Refused != b.Refused {
			if a.Refused {
				return 1
			}
			return -1
		}
		return cmp.Compare(score(a), score(b))
	})
	return out, nil
}

// judge judges a device for a need.
//
// In one piece: one rule after the other, each with its number, limit and text, as the handbook lists them.
func judge(n Need, d Device) Choice {
	c := Choice{Device: d}
	add := func(l finding.Level, code string, measured, limit float64, unit, text, do string) {
		c.Findings = append(c.Findings, finding.Finding{Level: l, Code: code, Subject: d.Name,
			Measured: finding.Of(math.Round(measured*100) / 100), Limit: finding.Of(limit), Unit: unit, Rule: rule,
			Text: text, Do: do})
		c.Refused = c.Refused || l >= finding.Refuse
	}
	another := "Choose another."
	if n.Groups < d.GroupsLow || n.Groups > d.GroupsHigh {
		limit := d.GroupsHigh
		if n.Groups < d.GroupsLow {
			limit = d.GroupsLow
		}
		add(finding.Refuse, "groups", float64(n.Groups), float64(limit), "groups",
			fmt.Sprintf("It monitors %d to %d groups, the bank has %d.", d.GroupsLow, d.GroupsHigh, n.Groups), another)
	}
	if len(d.Chemistries) > 0 && !slices.Contains(d.Chemistries, n.Chemistry) {
		add(finding.Refuse, "chemistry", 0, 0, "", "It cannot be set to this chemistry.", another)
	}
	design := DesignFactor * max(n.LoadAmps, n.ChargeAmps)
	if design > d.ContinuousAmps {
		add(finding.Refuse, "continuous-current", design, d.ContinuousAmps, "A",
			fmt.Sprintf("The design current is %.0f A (1.25 × the larger of load and charge), it carries %.0f A.",
				design, d.ContinuousAmps), another)
	}
	if n.PeakAmps > d.PeakAmps {
		add(finding.Refuse, "peak-current", n.PeakAmps, d.PeakAmps, "A",
			fmt.Sprintf("The surge is %.0f A, it carries %.0f A for seconds.", n.PeakAmps, d.PeakAmps), another)
	}
	if n.ChargeAmps > d.ChargeAmps {
		add(finding.Refuse, "charge-current", n.ChargeAmps, d.ChargeAmps, "A",
			fmt.Sprintf("The charger gives %.0f A, it takes %.0f A.", n.ChargeAmps, d.ChargeAmps), another)
	}
	if n.FreezesHere && !d.LowTempCutoff {
		add(finding.Refuse, "no-frost-cutoff", 0, 0, "°C", "The place can freeze and it does not stop charging "+
			"below 0 °C.", another)
	}
	if !d.LowTempCutoff && !n.FreezesHere {
		add(finding.Caution, "no-frost-cutoff", 0, 0, "°C", "It does not stop charging below 0 °C.",
			"Keep the bank where it never freezes.")
	}
	if d.TempSensors < 2 {
		add(finding.Caution, "few-sensors", float64(d.TempSensors), 2, "sensors",
			fmt.Sprintf("It has %d temperature sensor.", d.TempSensors), "Prefer one with two or more.")
	}
	if need := 3 * n.DriftAhDay / 24; n.DriftAhDay > 0 && d.BalanceAmps < need {
		add(finding.Caution, "weak-balancer", d.BalanceAmps, need, "A",
			fmt.Sprintf("It balances %.2f A, three times the worst drift is %.3f A.", d.BalanceAmps, need),
			"Balance by hand now and then, or choose another.")
	}
	if n.CapacityAh > 0 {
		count := max(1, n.Count)
		draw := d.IdleMilliamps * float64(count)
		if days := n.CapacityAh * 1000 / draw / 24; days < 60 {
			whose := "Its own draw"
			if count > 1 {
				whose = fmt.Sprintf("The draw of all %d", count)
			}
			add(finding.Caution, "idle-draw", days, 60, "days",
				fmt.Sprintf("%s of %.0f mA empties the bank in %.0f days.", whose, draw, days),
				"Do not leave the bank standing without a charger.")
		}
	}
	if !c.Refused {
		how := "a button wakes it"
		if d.WakeVolts > 0 {
			how = fmt.Sprintf("a charger %.1f V above the bank wakes it", d.WakeVolts)
		}
		add(finding.Note, "fits", design, d.ContinuousAmps, "A",
			fmt.Sprintf("Fits: %d to %d groups, %.0f A continuous for a design current of %.0f A, %s switch; %s.",
				d.GroupsLow, d.GroupsHigh, d.ContinuousAmps, design, d.Switch, how),
			"Compare with its own data sheet before ordering.")
	}
	return c
}

// Setting is one line of a settings sheet: the value, why, and the range that would still be
// right.
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
}

// ChargeAmpsLimit is the charge current the bank may be set to: what the BMS takes, what the modules
// take, and 0.3 C (handbook §5).
func (p Plan) ChargeAmpsLimit(d Device) float64 {
	a := min(d.ChargeAmps, 0.3*p.CapacityAh)
	if p.ChargeLimitAmps > 0 {
		a = min(a, p.ChargeLimitAmps)
	}
	return a
}

// Check judges a plan's charger and device against the BMS's settings: what acts first at the top, at
// the bottom, and in current (handbook §7 and §14).
func Check(d Device, p Plan) []finding.Finding {
	c, err := chem.Lookup(p.Chemistry)
	if err != nil || p.Groups < 1 {
		return nil
	}
	var out []finding.Finding
	add := func(code string, measured, limit float64, unit, text, do string) {
		out = append(out, finding.Finding{Level: finding.Caution, Code: code, Subject: d.Name,
			Measured: finding.Of(math.Round(measured*100) / 100), Limit: finding.Of(math.Round(limit*100) / 100),
			Unit: unit, Rule: rule, Text: text, Do: do})
	}
	n := float64(p.Groups)
	if limit := p.ChargeAmpsLimit(d); p.ChargeAmps > limit+1e-9 {
		add("charger-above-limit", p.ChargeAmps, limit, "A",
			fmt.Sprintf("The charger gives %.0f A, the charge limit of this bank is %.0f A.", p.ChargeAmps, limit),
			fmt.Sprintf("Set the charger to %.0f A or less; the limit in the BMS only stands behind it.",
				math.Floor(limit)))
	}
	if trip := n * c.Settings.UnderVolts; p.CutoffVolts > 0 && trip >= p.CutoffVolts {
		do := fmt.Sprintf("Set the device's cut-off to %.1f V or more.", trip+0.5)
		if low := math.Floor((p.CutoffVolts/n-0.02)*100) / 100; low >= c.FloorVolts+0.05 {
			do = fmt.Sprintf("Set the device's cut-off to %.1f V or more, or the group under-voltage to %.2f V.",
				trip+0.5, low)
		}
		add("bms-first", p.CutoffVolts, trip, "V", fmt.Sprintf("The BMS drops the load at %.1f V, before the "+
			"device cuts off at %.1f V.", trip, p.CutoffVolts), do)
	}
	if over := n * c.Settings.OverVolts; p.ChargeSettingVolts+0.5 > over {
		add("charger-trips-bms", p.ChargeSettingVolts, over-0.5, "V", fmt.Sprintf("The charger's %.2f V lies less "+
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
	if p.Groups < 1 || !(p.CapacityAh > 0) {
		return nil, fmt.Errorf("%d groups of %v Ah: expected at least one group and a tested capacity", p.Groups,
			p.CapacityAh)
	}
	s := c.Settings
	n := float64(p.Groups)
	volts := func(v float64) string { return fmt.Sprintf("%.3f", v) }
	pack := func(v float64) string { return fmt.Sprintf("%.2f", v) }
	amps := func(v float64) string { return fmt.Sprintf("%.0f", math.Ceil(v)) }
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
		{"Inputs not used", fmt.Sprint(max(0, d.GroupsHigh-p.Groups)), "",
			fmt.Sprintf("it has %d, the bank %d", d.GroupsHigh, p.Groups),
			"tied to the last or left open, as its data sheet says"},
		{"Capacity", fmt.Sprintf("%.1f", p.CapacityAh), "Ah", "tested, the weakest position; never the default",
			fmt.Sprintf("%.0f to %.0f", 0.95*p.CapacityAh, p.CapacityAh)},
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
		{"Discharge current limit", amps(DesignFactor * p.LoadAmps), "A", "1.25 × the load at the cut-off voltage",
			fmt.Sprintf("%.0f to %.0f", math.Ceil(1.1*p.LoadAmps), d.ContinuousAmps)},
		{"Charge current limit", fmt.Sprintf("%.0f", math.Floor(max(1, p.ChargeAmpsLimit(d)))), "A",
			"0.3 C, what the modules take and what the BMS takes",
			fmt.Sprintf("up to %.0f", math.Floor(max(1, p.ChargeAmpsLimit(d))))},
		{"Charge temperature", fmt.Sprintf("%.0f to %.0f", c.ChargeLowTempC, c.ChargeHighTempC), "°C",
			"typical for the chemistry; the maker's data counts", "narrower"},
		{"Discharge temperature", fmt.Sprintf("%.0f to %.0f", c.DischargeLowTempC, c.DischargeHighTempC), "°C",
			"typical for the chemistry; the maker's data counts", "narrower"},
	}
	return out, nil
}
