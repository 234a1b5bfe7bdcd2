// Package standing takes an owner's bank out of work for a survey and brings it back: what to switch
// in which order, what to read before going on, and what must stand before the next step.
//
// Order (hazards, rules §9 and §10): people and equipment above the touch limit; loads off; every source off, a solar
// array before its controller's battery side; no current; main switch open; capacitors empty; isolation; sense plug out
// before any link. Back: links and covers, the voltage of before, sense leads measured and their plug last, polarity,
// pre-charge to 95 %, main switch, sources, loads.
package standing

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/procedure/gates"
)

// Limits.
const (
	EmptyVolts        = 5.0  // capacitors count as empty below this
	StillAmps         = 0.5  // no current: below this, the resolution of a clamp meter
	PrechargedShare   = 0.95 // of the bank's voltage on the load side
	sidesShare        = 0.03 // how far both sides of a parted bank may lie off their share of the whole
	sameVoltsShare    = 0.01 // how near the bank must come back to its voltage of before
	waitMinutes       = 10.0 // for capacitors whose size is not known
	bleedSecondsPerMF = 60.0 // rough time for the bleed resistors of inverters, per millifarad
	rule              = "rules §9, §10"
)

// Bank is an owner's bank. NominalVolts is what it should stand at, FullVolts at full charge. CapacitanceMF and
// PrechargeOhms are 0 where not known; Strings is the number of strings with their own breakers, 1 for one.
type Bank struct {
	NominalVolts float64 `json:"NominalVolts"`
	FullVolts    float64 `json:"FullVolts"`
	Strings      int     `json:"Strings"`
	Solar        bool    `json:"Solar"`
	Mains        bool    `json:"Mains"`
	Plug         bool    `json:"Plug"`        // its BMS has a sense plug
	ServicePlug  bool    `json:"ServicePlug"` // a plug parts it by hand
	FloorVolts   float64 `json:"-"`           // with every group at its floor, 0 where its inside is not known
	Groups       int     `json:"-"`           // in series, 0 where not known
	// PartsAfter is the group after which a bar can be taken out, or a plug drawn, so that two sides are left; 0 not
	// known.
	PartsAfter int `json:"PartsAfter,omitempty"`
	// OwnPrecharge says that the load fills its capacitors by itself.
	OwnPrecharge  bool    `json:"OwnPrecharge,omitempty"`
	WetPlace      bool    `json:"WetPlace"`
	CapacitanceMF float64 `json:"CapacitanceMF"`
	PrechargeOhms float64 `json:"PrechargeOhms"`
	Beside        []Other `json:"-"` // banks that were on its bars when it was taken out of work
	// ToJoin are banks that are joined to it on its way back: none of them had to be opened before.
	ToJoin []Other `json:"-"`
	// Joins are the banks that stand which somebody wants on the same bars.
	Joins []int64 `json:"Joins,omitempty"`
}

// Other is another bank on the same bars. Key is the step that closes the two, JoinKey of its number.
type Other struct {
	Name, Key string
}

func names(list []Other) (out []string) {
	for _, o := range list {
		out = append(out, o.Name)
	}
	return out
}

// Check says what cannot be used.
func (b Bank) Check() (field, text string) {
	switch {
	case !(b.NominalVolts > 0 && b.NominalVolts <= 1000):
		return "nominal_v", "expected the bank's nominal voltage, above 0 to 1000 V"
	case !(b.FullVolts >= b.NominalVolts && b.FullVolts <= 1000):
		return "full_v", "expected the voltage at full charge, at least the nominal one"
	case b.Strings < 1 || b.Strings > 50:
		return "strings", "expected 1 to 50 strings"
	case !(b.CapacitanceMF >= 0 && b.CapacitanceMF <= 1000):
		return "capacitance_mf", "expected 0 (not known) to 1000 mF"
	case b.PartsAfter < 0 || b.Groups > 0 && b.PartsAfter >= b.Groups:
		return "parts_after", fmt.Sprintf("expected a group below the last of its %d: both sides are groups", b.Groups)
	case b.OwnPrecharge && b.PrechargeOhms > 0:
		return "precharge_ohm", "a load that fills its own capacitors has no resistor: expected one or the other"
	case !(b.PrechargeOhms >= 0 && b.PrechargeOhms <= 10000):
		return "precharge_ohm", "expected 0 (none) to 10 000 Ω"
	}
	return "", ""
}

// TouchVolts is the limit above which people and equipment are gates.
func (b Bank) TouchVolts() float64 {
	return limits.TouchVolts(b.WetPlace)
}

// leastVolts is the least that a bank reads end to end that has not been driven too far.
func (b Bank) leastVolts() float64 { return max(0.5*b.NominalVolts, b.FloorVolts) }

// WaitMinutes is how long the load side is left alone before it is measured.
func (b Bank) WaitMinutes() float64 {
	return max(waitMinutes, math.Ceil(b.CapacitanceMF*bleedSecondsPerMF/60))
}

// PrechargeSeconds is the time to bring the load side to 95 %: R·C·ln 20 (rules §10); 0 where
// resistor or capacitance is not known.
func (b Bank) PrechargeSeconds() float64 {
	return b.PrechargeOhms * b.CapacitanceMF / 1000 * math.Log(1/(1-PrechargedShare))
}

// Findings are the cautions that stand over the whole work.
func (b Bank) Findings() []finding.Finding {
	var out []finding.Finding
	add := func(f finding.Finding) { out = append(out, f.Or("bank", "hazards")) }
	if b.FullVolts > b.TouchVolts() {
		add(finding.New(finding.Stop, codeTouchVoltage).Reads(b.FullVolts, "V").Against(b.TouchVolts()).
			Says("At full charge this bank stands at %.1f V, above the touch limit of %.0f V.", b.FullVolts,
				b.TouchVolts()).
			Then("A licensed person's work: second person, equipment and isolation are its gates.").
			At(finding.PlaceGates))
	}
	if b.PrechargeOhms == 0 && !b.OwnPrecharge {
		add(finding.New(finding.Caution, codeNoPrecharge).
			Says("No pre-charge resistor is known: closing the main switch onto empty capacitors can weld it.").
			Then("Fit or borrow one before the bank goes back. Never close the main switch without it."))
	}
	for _, n := range names(b.Beside) {
		add(finding.New(finding.Caution, codeJoined).Reads(float64(1+len(b.Beside)), "banks").Against(1).
			Says("%s is joined to it: what is opened here has its volts on it.", n).
			Then("Take both out of work before anything is opened."))
	}
	if b.Strings > 1 {
		add(finding.New(finding.Caution, codeStrings).Reads(float64(b.Strings), "strings").Against(1).
			Says("%s: one that is opened alone comes back at another voltage than the rest.", numeral.Count(b.Strings,
				"string")).
			Then("Open all breakers, and close them again only with all strings within 50 mV, or as the " +
				"joining rule allows."))
	}
	return out
}

// Steps after which a bank counts as in work again, or its sense leads as connected.
const (
	SenseInKey = "sense-in"
	MainInKey  = "main-in"
)

// VoltsKey is the step whose reading is compared on the way back.
const VoltsKey = "bank-volts"

// Down returns the steps that take the bank out of work. before is the reading of VoltsKey, 0 where it was not read
// yet: isolation read at other volts between the ends proves nothing.
//
// In one piece: the order is what keeps people and devices whole.
func Down(b Bank, before float64) []gates.Step {
	high := b.FullVolts > b.TouchVolts()
	var out []gates.Step
	add := func(s gates.Step) {
		s.Rule = rule
		if s.Ask == "" {
			s.Ask = gates.AskConfirm
		}
		out = append(out, s)
	}
	add(gates.Step{Key: "owner", Title: "Owner agrees", Do: "Nobody depends on this supply while it is off: alarm, " +
		"pump, medical device, network. Time of switching off agreed.", Gate: true, Must: true})
	if high {
		for _, st := range gates.People("Fully charged this bank", b.FullVolts, rule) {
			add(st)
		}
	} else {
		add(gates.Step{Key: gates.Person, Title: "Second person",
			Do: "Here, knows where to switch off and whom to call."})
		add(gates.Step{Key: gates.Equipment, Title: "Protective equipment",
			Do: "Insulated tools, eye protection; rings and watches off."})
		add(gates.Step{Key: gates.Meter, Title: "Meter proved",
			Do: "On a known source, with fused shrouded probes of the " +
				"right category. Prove, test, prove again.", Gate: true})
	}
	add(gates.Step{Key: "loads", Title: "Loads off", Do: "At the devices first, then at their breakers.", Gate: true})
	if b.Solar {
		add(gates.Step{Key: "solar", Title: "Solar off", Do: "Array side first, then the battery side: a " +
			"controller that loses its battery in sunlight can break.", Gate: true})
	}
	if b.Mains {
		add(gates.Step{Key: "mains", Title: "Mains charger off", Do: "Switched off and unplugged, or its breaker " +
			"locked. Wiring behind the socket is an electrician's.", Gate: true})
	}
	add(gates.Step{Key: "current", Title: "No current", Do: "Clamp or shunt on the main cable.", Gate: true,
		Ask: gates.AskReading, High: StillAmps, Unit: "A"})
	if b.Strings > 1 {
		add(gates.Step{Key: "strings", Title: "String breakers open",
			Do: fmt.Sprintf("All %d, each marked 'do not close'.", b.Strings), Gate: true})
	}
	if len(b.Beside) > 0 {
		add(gates.Step{Key: "beside", Title: "Joined strings opened", Do: fmt.Sprintf("%s on the same bars: opening "+
			"one means both are taken out of work. Its own switch is open and its fuse out, and it is taken out of "+
			"service on its own page.", finding.Names(names(b.Beside), "banks")), Gate: true, Must: true})
	}
	add(gates.Step{Key: "main", Title: "Main switch open", Do: "Locked or the handle taken off, and marked 'do not " +
		"close'.", Gate: true})
	add(gates.Step{Key: "wait", Title: "Wait for capacitors", Do: fmt.Sprintf("%.0f minutes, then measure the load "+
		"side of the main switch.", b.WaitMinutes()), Gate: true, Ask: gates.AskReading, High: EmptyVolts, Unit: "V"})
	add(gates.Step{Key: VoltsKey, Title: "Bank, end to end", Do: "On the battery side. The same is expected when " +
		"it goes back.", Gate: true, Ask: gates.AskReading, Low: b.leastVolts(), High: 1.02 * b.FullVolts, Unit: "V"})
	add(gates.Step{Key: "isolation", Title: "Isolation", Do: "Both ends against the case or earth, each when the " +
		"reading has settled, one probe per connector.", Gate: high, Must: high, Ask: gates.AskIsolation,
		ExpectVolts: before})
	if b.ServicePlug {
		add(gates.Step{Key: "service-plug", Title: "Service plug drawn and proved dead", Do: "Drawn, kept by the one " +
			"who works. Then the bank end to end, the meter proved before and after.", Gate: true, Must: high,
			Ask: gates.AskReading, High: EmptyVolts, Unit: "V"})
	}
	for _, s := range b.sides(before) {
		s.Must = high
		add(s)
	}
	if b.Plug {
		add(gates.Step{Key: "sense-out", Title: "Sense plug out", Do: "Before any link is opened: with the plug " +
			"in, the whole string's voltage lands on one input. B− comes off last.", Gate: true})
	}
	add(gates.Step{Key: "covers", Title: "Covers", Do: "Every post that is not being measured is covered. The " +
		"survey may begin.", Gate: true})
	return out
}

// sides are the readings of both sides of a bank that was parted in the middle, before as for Down.
func (b Bank) sides(before float64) (out []gates.Step) {
	if b.PartsAfter < 1 || b.Groups <= b.PartsAfter {
		return nil
	}
	for _, x := range []struct {
		key, title string
		groups     int
	}{{"part-low", "Parted: the lower side", b.PartsAfter}, {"part-high", "Parted: the upper side",
		b.Groups - b.PartsAfter}} {
		share := float64(x.groups) / float64(b.Groups)
		low, high, shows := share*b.leastVolts(), share*1.02*b.FullVolts, share*b.FullVolts
		if before > 0 {
			low, high, shows = share*before*(1-sidesShare), share*before*(1+sidesShare), share*before
		}
		text := fmt.Sprintf("The bar after group %d is out. Left on this side: %s, %.1f V",
			b.PartsAfter, numeral.Count(x.groups, "group"), shows)
		if before == 0 {
			text += " when they are full"
		}
		if text += "."; shows > b.TouchVolts() {
			text += fmt.Sprintf(" That is still above %.0f V: nothing that the gates of people ask comes off.",
				b.TouchVolts())
		}
		out = append(out, gates.Step{Key: x.key, Title: x.title, Do: text, Gate: true, Ask: gates.AskReading, Low: low,
			High: high, Unit: "V"})
	}
	return out
}

// JoinKey is the step that closes the bank of that number onto the same bars.
func JoinKey(id int64) string {
	return fmt.Sprintf("joined-%d", id)
}

// Together says what several banks on the same bars are as one: what they hold by what is said of each, what one fault
// takes down, and what each switch leaves live.
func Together(own Cells, others []Cells, fullVolts float64) string {
	if len(others) == 0 {
		return ""
	}
	wh, said := 0.0, true
	for _, c := range append([]Cells{own}, others...) {
		of := c.Wh
		if ch, err := chem.Lookup(c.Chemistry); of == 0 && err == nil {
			of = c.Ah * float64(c.Series) * ch.NominalVolts
		}
		wh, said = wh+of, said && of > 0
	}
	n := len(others) + 1
	holds := "what they hold together is not known"
	if said {
		holds = fmt.Sprintf("together %.1f kWh by what is said of each", wh/1000)
	}
	return fmt.Sprintf("%s on the same bars: %s. A BMS that opens takes its own bank off, and the load "+
		"then goes through the other %d; a short on the bars takes all of them. With one main switch open its "+
		"load side stays live "+
		"from the others, at up to %.1f V: all switches are open before the bars are touched.", numeral.Count(n,
		"bank"), holds, n-1,
		fullVolts)
}

// Up returns the steps that bring it back. before is the reading of VoltsKey, 0 where it was not
// taken: the nominal range then stands in.
//
// In one piece: the order of the steps is what it says.
func Up(b Bank, before float64) []gates.Step {
	low, high, stood := b.leastVolts(), 1.02*b.FullVolts, before
	if before > 0 {
		low, high = before*(1-sameVoltsShare), before*(1+sameVoltsShare)
		before *= PrechargedShare
	} else {
		before = PrechargedShare * 0.5 * b.NominalVolts
	}
	var out []gates.Step
	add := func(s gates.Step) {
		s.Rule = rule
		if s.Ask == "" {
			s.Ask = gates.AskConfirm
		}
		out = append(out, s)
	}
	add(gates.Step{Key: "links", Title: "Links and torque", Do: "Every link back in its place and tightened to the " +
		"maker's figure; nothing left lying; covers on.", Gate: true})
	if b.ServicePlug {
		add(gates.Step{Key: "service-plug-in", Title: "Service plug in", Do: "Last of all joints: from here on the " +
			"whole bank stands at its ends.", Gate: true})
	}
	if b.PartsAfter > 0 && b.Groups > 0 {
		add(gates.Step{Key: "part-in", Title: "The bar back",
			Do: fmt.Sprintf("After group %d, last of all joints, with "+
				"all that the gates of people ask still on: it joins two live sides, and from here on the "+
				"whole bank stands at its ends.", b.PartsAfter), Gate: true})
	}
	add(gates.Step{Key: "volts-back", Title: "Bank, end to end", Do: "As before: another value means a link in the " +
		"wrong place, or a module turned round.", Gate: true, Ask: gates.AskReading, Low: low, High: high, Unit: "V",
		Signed: true})
	if b.Plug {
		add(gates.Step{Key: "sense-steps", Title: "Sense leads measured",
			Do: "Each against the main negative: they step up evenly. The plug stays out until they do.", Gate: true})
		add(gates.Step{Key: SenseInKey, Title: "Sense plug in", Do: "After B−, and last of all at the bank.",
			Gate: true})
	}
	add(gates.Step{Key: "polarity", Title: "Polarity at the switch",
		Do: "Red on the battery side's plus: the reading has no minus sign.", Gate: true})
	pre := gates.Step{Key: "precharge", Title: "Pre-charge", Gate: true, Ask: gates.AskReading, Low: before,
		High: 1.02 * b.FullVolts, Unit: "V", Do: "Through the resistor across the open main switch, every load " +
			"off. Then the load side."}
	switch t := b.PrechargeSeconds(); {
	case b.OwnPrecharge:
		pre.Do = "The load fills its own capacitors: as its manual says, every load off, until it reports that " +
			"it is done. Then the load side."
	case t > 0:
		pre.Do = fmt.Sprintf("Through the resistor across the open main switch, every load off: about %.1f s to 95 "+
			"%%. Then the load side.", t)
	}
	add(pre)
	add(gates.Step{Key: MainInKey, Title: "Main switch closed", Do: "In one move. The resistor off again.", Gate: true})
	for _, o := range append(slices.Clone(b.Beside), b.ToJoin...) {
		add(gates.Step{Key: o.Key, Title: "Joined to " + o.Name, Do: fmt.Sprintf("Totals of both, end to end, with "+
			"one meter in the same minute and everything off: both in volts, the difference is worked out. At more "+
			"the lower one is charged by itself first. %s goes by its own gates.", o.Name), Gate: true,
			Ask: gates.AskTotals, Other: o.Name, ExpectVolts: stood, High: limits.JoinVolts * 1000, Unit: "mV"})
	}
	if b.Strings > 1 {
		add(gates.Step{Key: "strings-in", Title: "String breakers closed",
			Do: "One at a time, each within 50 mV of the bus, or as the joining rule allows.", Gate: true})
	}
	if b.Mains {
		add(gates.Step{Key: "mains-in", Title: "Mains charger on",
			Do: "Its settings read once: end voltage, no equalising."})
	}
	if b.Solar {
		add(gates.Step{Key: "solar-in", Title: "Solar on", Do: "Battery side first, then the array side."})
	}
	add(gates.Step{Key: "loads-in", Title: "Loads on", Do: "One after the other. After ten minutes: no joint " +
		"warmer than its neighbours, no alarm on the BMS."})
	return out
}
