// Package bms chooses a battery management system for a bank and fills in its settings (rules §14).
//
// The catalogue is made up: generic devices of the two switch types, in the sizes the trade uses. A workshop's own
// devices stand beside them as far as they are known: what is not known is not checked, and said so.
package bms

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

const rule = "rules §14"

// Switch types.
const (
	Transistor = "transistor"
	Relay      = "relay"
	Opens      = "opens"   // it opens its own path, whether with transistors or a relay inside is not known
	Monitor    = "monitor" // it watches and opens nothing
)

// Switches lists what a device may have.
var Switches = []string{Transistor, Relay, Opens, Monitor}

// Inputs that a bank has no groups for: as the data sheet says.
const (
	TieToTop  = "tie"
	LeaveOpen = "open"
)

// Device is one BMS. Currents in amps; GroupsLow…GroupsHigh is the range of groups in series that one board
// can monitor; BalanceAmps is per group. Of the catalogue's devices all is known; of an own one a figure that is 0 and
// a text that is empty are not known.
type Device struct {
	Name      string `json:"Name"`
	Own       bool   `json:"Own"`
	Stackable bool   `json:"Stackable"` // several boards in a row along one string, with one common switch
	StackMost int    `json:"StackMost"` // boards at most, 0 as many as it takes
	// groups of each board from the main negative up, where they are of unlike size; empty for any that share them
	BoardGroups []int `json:"BoardGroups,omitempty"`
	// what its data sheet says of inputs without a group: TieToTop, LeaveOpen, "" not known
	Unused         string    `json:"Unused"`
	FrostUnknown   bool      `json:"FrostUnknown"` // whether it stops charging below 0 °C is not known
	SensorsUnknown bool      `json:"SensorsUnknown"`
	WakeUnknown    bool      `json:"WakeUnknown"`
	Switch         string    `json:"Switch"`
	GroupsLow      int       `json:"GroupsLow"`
	GroupsHigh     int       `json:"GroupsHigh"`
	ContinuousAmps float64   `json:"ContinuousAmps"`
	PeakAmps       float64   `json:"PeakAmps"`
	ChargeAmps     float64   `json:"ChargeAmps"`
	BalanceAmps    float64   `json:"BalanceAmps"`
	LowTempCutoff  bool      `json:"LowTempCutoff"`
	TempSensors    int       `json:"TempSensors"`
	IdleMilliamps  float64   `json:"IdleMilliamps"`
	Communication  string    `json:"Communication"`
	Programmable   bool      `json:"Programmable"`
	Chemistries    []chem.ID `json:"Chemistries"`           // those it can be set to; empty for any
	WakeCharger    bool      `json:"WakeCharger,omitempty"` // a charger wakes it, WakeVolts 0 not known
	WakeVolts      float64   `json:"WakeVolts"`             // so many volts above the bank wake it; 0 for a button
	// Supply says where its own supply comes from, ChargePort where a charger goes; "" not known.
	Supply     string `json:"Supply,omitempty"`
	ChargePort string `json:"ChargePort,omitempty"`
	// where it opens for a group, volts, as its data sheet says; 0 not known, or it can be set
	OverVolts  float64 `json:"OverVolts,omitempty"`
	UnderVolts float64 `json:"UnderVolts,omitempty"`
}

// Named returns the device of a name in a list.
func Named(list []Device, name string) (Device, bool) {
	for _, d := range list {
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
		{Name: "R16-CHAIN", Switch: Relay, GroupsLow: 6, GroupsHigh: 16, ContinuousAmps: 300, PeakAmps: 600,
			ChargeAmps: 300, BalanceAmps: 0.20, LowTempCutoff: true, TempSensors: 4, IdleMilliamps: 260,
			Communication: "field bus", Programmable: true, Stackable: true, StackMost: 12, Unused: TieToTop},
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
	Untested    bool    // of which at least a part is assumed
	FreezesHere bool    // the place can go below 0 °C
	FrostOpen   bool    // nobody was asked whether it can
	DriftAhDay  float64 // the worst group's drift, 0 unknown
	Count       int     // how many of them the bank has, one for each string; 0 is one
	Borders     []int   // groups below each joint between modules of a string: where one board may end
	// AtVolts is where the load draws most, 0 not known; Assumed says that LoadAmps rests on what devices usually do.
	AtVolts float64
	Assumed bool
}

// DesignAmps is what conductors, fuses and joints are made for: 1.25 times the larger of load and charge, 0 where
// neither is known (rules §10).
func (n Need) DesignAmps() float64 { return DesignFactor * max(n.LoadAmps, n.ChargeAmps) }

// frost says why a device may not charge where it can freeze, and what would settle it.
func (n Need) frost(d Device, another string) finding.Finding {
	place, it, do := "The place can freeze", "it does not stop charging below 0 °C", another
	if n.FrostOpen {
		place, do = "Nobody has said that it never freezes there", "Ask, and write the answer down here. "+do
	}
	if d.FrostUnknown {
		it, do = "it is not known whether it stops charging below 0 °C", "Read that from its data sheet. "+do
	}
	if n.FrostOpen { // it may be planned with: nothing goes into service before somebody was asked
		return finding.New(finding.Stop, codeFrostNotAsked).Reads(0, "°C").Against(0).Says("%s, and %s.", place, it).
			Then("%s", do)
	}
	return finding.New(finding.Refuse, codeNoFrostCutoff).Reads(0, "°C").Against(0).Says("%s, and %s.", place, it).
		Then("%s", do)
}

// switched is what opens the circuit, in words.
func (d Device) switched() string {
	if d.Switch == Opens {
		return "it opens by itself, how is not known"
	}
	return d.Switch + " switch"
}

// tooLittle says by how much a device carries too little, and which load it would bear.
func (n Need) tooLittle(d Device, design float64, another string) finding.Finding {
	f := finding.New(finding.Refuse, codeContinuousCurrent).Reads(design, "A").Against(d.ContinuousAmps)
	of, rests := "", known.Typed
	if n.Assumed && n.LoadAmps >= n.ChargeAmps {
		of, rests = ", the load by a usual cut-off or efficiency", known.Assumed
	}
	f = f.Says("The design current is %.0f A (1.25 × the larger of load and charge%s), it carries %.0f A.", design, of,
		d.ContinuousAmps)
	if n.AtVolts > 0 && n.LoadAmps >= n.ChargeAmps {
		watts := math.Floor(d.ContinuousAmps / DesignFactor * n.AtVolts)
		return f.Then("%s Or a load of at most %.0f W, taken at the battery at %.1f V.", another, watts,
			n.AtVolts).Resting(rests)
	}
	return f.Then("%s", another).Resting(rests)
}

// DesignFactor is applied once to the larger of load and charge current (rules §10).
const DesignFactor = 1.25

// Choice is one device judged for a bank. Refused devices carry the reason as a refusal.
type Choice struct {
	Device   Device
	Refused  bool
	Boards   []int // groups of each board along a string, from the main negative
	Findings []finding.Finding
}

// Boards is how many groups each board of the device gets along one string, none where it cannot be done.
func (d Device) Boards(groups int, borders []int) []int {
	boards, _ := d.split(groups, borders)
	return boards
}

// split shares groups over boards of a device along one string, from the main negative; ok is false where it cannot be
// done. A board ends at a joint between modules where it can, and the boards are as equal as that allows.
func (d Device) split(groups int, borders []int) (boards []int, ok bool) {
	low, high := max(1, d.GroupsLow), d.GroupsHigh
	if len(d.BoardGroups) > 1 {
		sum := 0
		for _, n := range d.BoardGroups {
			sum += n
		}
		return d.BoardGroups, sum == groups
	}
	if groups < low {
		return nil, false
	}
	if groups <= high {
		return []int{groups}, true
	}
	if !d.Stackable || high < 1 {
		return nil, false
	}
	n := (groups + high - 1) / high
	if d.StackMost > 0 && n > d.StackMost || n*low > groups {
		return nil, false
	}
	mean := float64(groups) / float64(n)
	const inside = 1e6 // what it costs to end a board inside of a module
	cost := make([][]float64, n+1)
	from := make([][]int, n+1)
	for k := range cost {
		cost[k], from[k] = make([]float64, groups+1), make([]int, groups+1)
		for g := range cost[k] {
			cost[k][g] = math.Inf(1)
		}
	}
	cost[0][0] = 0
	for k := 1; k <= n; k++ {
		for g := k * low; g <= min(groups, k*high); g++ {
			here := 0.0
			if g < groups && !slices.Contains(borders, g) {
				here = inside
			}
			for size := low; size <= min(high, g); size++ {
				c := cost[k-1][g-size] + here + (float64(size)-mean)*(float64(size)-mean)
				if c < cost[k][g] {
					cost[k][g], from[k][g] = c, size
				}
			}
		}
	}
	if math.IsInf(cost[n][groups], 1) {
		return nil, false
	}
	for k, g := n, groups; k > 0; k-- {
		boards = append(boards, from[k][g])
		g -= from[k][g]
	}
	slices.Reverse(boards)
	return boards, true
}

// Choose judges every device of list and returns them best first: those that fit, by how little
// current rating and idle draw they waste, then the refused ones.
func Choose(need Need, list []Device) ([]Choice, error) {
	if need.Groups < 1 {
		return nil, fmt.Errorf("%s: expected 1 or more", numeral.Count(need.Groups, "group"))
	}
	if _, err := chem.Lookup(need.Chemistry); err != nil && need.Chemistry != "" {
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
// In one piece: one rule after the other, each with its number, limit and text, as rules §14 lists them.
func judge(n Need, d Device) Choice {
	c := Choice{Device: d}
	add := func(f finding.Finding) {
		c.Findings = append(c.Findings, f.Or(d.Name, rule).ReadRounded(numeral.Hundredth))
		c.Refused = c.Refused || f.Level >= finding.Refuse
	}
	another := "Choose another."
	unknown := func(code, text string) {
		c.Findings = append(c.Findings, finding.New(finding.Caution, code).About(d.Name).By(rule).
			Says("%s", "Not checked: "+text).
			Then("Read it from its data sheet before ordering or connecting it."))
	}
	if boards, ok := d.split(n.Groups, n.Borders); ok {
		c.Boards = boards
		if len(boards) > 1 {
			add(finding.New(finding.Caution, codeStacked).Reads(float64(len(boards)), "boards").Against(1).
				Says("%s of it in a row along the string, of %s groups.", numeral.Count(len(boards), "board"),
					numbers(boards)).
				Then("Chained, not starred, each with its own address, all on one common switch; " +
					"nothing that can open between them but on the border of two boards, as its data sheet allows."))
		}
	} else {
		limit := d.GroupsHigh
		if n.Groups < d.GroupsLow {
			limit = d.GroupsLow
		}
		text := fmt.Sprintf("It monitors %d to %s, the bank has %d.", max(1, d.GroupsLow), numeral.Count(d.GroupsHigh,
			"group"),
			n.Groups)
		if n.Groups > d.GroupsHigh && !d.Stackable {
			text += " It is not made to be stacked: a board that opens alone would get the whole string's voltage."
		}
		add(finding.New(finding.Refuse, codeGroups).Reads(float64(n.Groups), "groups").Against(float64(limit)).
			Says("%s", text).
			Then("%s", another))
	}
	if d.Switch == Monitor {
		add(finding.New(finding.Refuse, codeMonitorOnly).Reads(0, "switches").Against(1).
			Says("It only watches: nothing of it opens the circuit.").
			Then("Use it beside a BMS that disconnects; or where it drives " +
				"a contactor, write it down as one with a relay."))
	}
	if d.Switch == "" {
		add(finding.New(finding.Refuse, codeSwitchUnknown).Reads(0, "switches").Against(1).
			Says("It is not known whether it can disconnect the bank.").
			Then("Read it from its data sheet and write it down: transistors, a relay, or a monitor only."))
	}
	if len(d.Chemistries) > 0 && n.Chemistry == "" {
		unknown(codeChemistryOpen, "whether it can be set to its chemistry, which is not declared yet.")
	} else if len(d.Chemistries) > 0 && !slices.Contains(d.Chemistries, n.Chemistry) {
		add(finding.New(finding.Refuse, codeChemistry).Reads(0, "").Against(0).
			Says("It cannot be set to this chemistry.").
			Then("%s", another))
	}
	for _, f := range d.opensAt(n.Chemistry) {
		add(f)
	}
	design := DesignFactor * max(n.LoadAmps, n.ChargeAmps)
	switch {
	case d.ContinuousAmps <= 0 && design <= 0:
		unknown(codeContinuousUnknown, "whether its amps are enough: neither load nor charger was given, and what it "+
			"carries is not known.")
	case d.ContinuousAmps <= 0:
		unknown(codeContinuousUnknown, fmt.Sprintf("whether it carries the design current of %.0f A.", design))
	case design <= 0:
		unknown(codeLoadUnknown, fmt.Sprintf("whether its %.0f A are enough: neither load nor charger was given.",
			d.ContinuousAmps))
	}
	if d.ContinuousAmps > 0 && design > d.ContinuousAmps {
		add(n.tooLittle(d, design, another))
	}
	if n.PeakAmps > 0 && d.PeakAmps <= 0 {
		unknown(codePeakUnknown, fmt.Sprintf("whether it bears the surge of %.0f A.", n.PeakAmps))
	}
	if d.PeakAmps > 0 && n.PeakAmps > d.PeakAmps {
		add(finding.New(finding.Refuse, codePeakCurrent).Reads(n.PeakAmps, "A").Against(d.PeakAmps).
			Says("The surge is %.0f A, it carries %.0f A for seconds.", n.PeakAmps, d.PeakAmps).
			Then("%s", another))
	}
	if n.ChargeAmps > 0 && d.ChargeAmps <= 0 {
		unknown(codeChargeUnknown, fmt.Sprintf("whether it takes the charger's %.0f A.", n.ChargeAmps))
	}
	if d.ChargeAmps > 0 && n.ChargeAmps > d.ChargeAmps {
		add(finding.New(finding.Refuse, codeChargeCurrent).Reads(n.ChargeAmps, "A").Against(d.ChargeAmps).
			Says("The charger gives %.0f A, it takes %.0f A.", n.ChargeAmps, d.ChargeAmps).
			Then("%s", another))
	}
	if d.FrostUnknown {
		unknown(codeFrostUnknown, "whether it stops charging below 0 °C. Until that is known it counts as one that "+
			"does not.")
	}
	if n.FreezesHere && !d.LowTempCutoff {
		add(n.frost(d, another))
	}
	if !d.LowTempCutoff && !n.FreezesHere && !d.FrostUnknown {
		add(finding.New(finding.Caution, codeNoFrostCutoff).Reads(0, "°C").Against(0).
			Says("It does not stop charging below 0 °C.").
			Then("Keep the bank where it never freezes."))
	}
	if d.SensorsUnknown {
		unknown(codeSensorsUnknown, "how many temperature sensors it has.")
	} else if d.TempSensors < 2 {
		add(finding.New(finding.Caution, codeFewSensors).Reads(float64(d.TempSensors), "sensors").Against(2).
			Says("It has %d temperature sensor.", d.TempSensors).
			Then("Prefer one with two or more."))
	}
	if n.DriftAhDay > 0 && d.BalanceAmps <= 0 {
		unknown(codeBalanceUnknown, "whether it balances faster than the worst group drifts.")
	} else if need := 3 * n.DriftAhDay / 24; n.DriftAhDay > 0 && d.BalanceAmps < need {
		add(finding.New(finding.Caution, codeWeakBalancer).Reads(d.BalanceAmps, "A").Against(need).
			Says("It balances %.2f A, three times the worst drift is %.3f A.", d.BalanceAmps, need).
			Then("Balance by hand now and then, or choose another."))
	}
	if n.CapacityAh > 0 && d.IdleMilliamps > 0 {
		count := max(1, n.Count) * max(1, len(c.Boards))
		draw := d.IdleMilliamps * float64(count)
		if days := n.CapacityAh * 1000 / draw / 24; days < 60 {
			whose := "Its own draw"
			if count > 1 {
				whose = fmt.Sprintf("The draw of all %d", count)
			}
			f := finding.New(finding.Caution, codeIdleDraw).Reads(days, "days").Against(60).
				Says("%s of %.0f mA empties the bank in %.0f days%s.", whose, draw, days,
					map[bool]string{true: ", by a capacity that is assumed"}[n.Untested]).
				Then("Do not leave the bank standing without a charger.")
			if n.Untested {
				f = f.Resting(known.Assumed).At(finding.PlaceKnown)
			}
			add(f)
		}
	}
	if !c.Refused {
		amps := fmt.Sprintf("%.0f A continuous for a design current of %.0f A, ", d.ContinuousAmps, design)
		if d.ContinuousAmps <= 0 || design <= 0 {
			amps = ""
		}
		add(finding.New(finding.Note, codeFits).Reads(design, "A").Against(d.ContinuousAmps).
			Says("Fits: %d to %s, %s%s; %s.", max(1, d.GroupsLow), numeral.Count(d.GroupsHigh, "group"), amps,
				d.switched(), d.Wake()).
			Then("Compare with its own data sheet before ordering."))
	}
	return c
}

// Wake says what wakes the device.
func (d Device) Wake() string {
	switch {
	case d.WakeUnknown:
		return "what wakes it is not known"
	case d.WakeVolts > 0:
		return fmt.Sprintf("a charger %.1f V above the bank wakes it", d.WakeVolts)
	case d.WakeCharger:
		return "a charger wakes it, how far above the bank is not known"
	}
	return "a button wakes it"
}

func numbers(list []int) string {
	parts := make([]string, len(list))
	for i, n := range list {
		parts[i] = fmt.Sprint(n)
	}
	return strings.Join(parts, " + ")
}

// Wanted says what a device must be to fit a bank, for somebody who has none that does.
func Wanted(n Need) string {
	parts := []string{fmt.Sprintf("%s of %s", numeral.Count(n.Groups, "group"), name(n.Chemistry))}
	if design := DesignFactor * max(n.LoadAmps, n.ChargeAmps); design > 0 {
		parts = append(parts, fmt.Sprintf("%.0f A or more for ever", math.Ceil(design)))
	}
	if n.PeakAmps > 0 {
		parts = append(parts, fmt.Sprintf("%.0f A for seconds", math.Ceil(n.PeakAmps)))
	}
	if n.ChargeAmps > 0 {
		parts = append(parts, fmt.Sprintf("%.0f A of charge", math.Ceil(n.ChargeAmps)))
	}
	parts = append(parts, "a switch of its own")
	if n.FreezesHere {
		parts = append(parts, "a low-temperature cut-off")
	}
	out := "One would fit that has: " + strings.Join(parts, ", ") + "."
	if n.Groups > 16 {
		out += " Or boards of fewer groups that are made to be stacked, with one common switch."
	}
	return out
}

func name(id chem.ID) string {
	if c, err := chem.Lookup(id); err == nil {
		return c.Name
	}
	return string(id)
}
