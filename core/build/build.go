// Package build writes the steps of putting a bank together, each with what to measure first and
// the hazards that belong to it (the shop handbook's hazards).
//
// The order of the power links comes from the wiring check; this package puts the rest round it:
// preparation before, sense leads and plug after, and how to undo it.
package build

import (
	"fmt"
	"slices"

	"pandrel/core/finding"
	"pandrel/core/wiring"
)

// Plan is what the steps need to know of the bank.
type Plan struct {
	Modules         []ModuleCheck
	FullVolts       float64 // S × charge limit
	ProspectiveAmps float64 // 0 unknown
	TouchVolts      float64
	Parallel        bool
	BMS             []string
	Relay           bool
	FreezesHere     bool
	HeaviestKg      float64 // 0 unknown
	Order           []wiring.BuildStep
	Overcurrent     map[string]bool // conductors that are fuses or breakers
	Switching       map[string]bool // conductors a relay BMS switches
	Wake            string
}

// ModuleCheck is one module's place and the voltage it must show, red on Plus.
type ModuleCheck struct {
	Name  string
	Place string
	Plus  string
	Minus string
	Volts float64
}

// Step is one line of a build sheet. Measure and Expect are empty where nothing is measured;
// ExposedVolts is within reach once it is done. Hazards are shown with it.
type Step struct {
	Number       int
	Title        string
	Do           string
	Measure      string
	Expect       string
	ExposedVolts float64
	Hazards      []finding.Finding
	Repeats      int // the step whose text and hazards these are, 0 for none
}

// hazard texts, one reason each.
func hazard(l finding.Level, code string, measured, limit *float64, unit, text, do string) finding.Finding {
	return finding.Finding{Level: l, Code: code, Measured: measured, Limit: limit, Unit: unit, Rule: "hazards", Text: text, Do: do}
}

// Steps returns the build in order. The sense plug is always the last thing to go in.
func Steps(p Plan) []Step {
	var out []Step
	add := func(s Step) {
		s.Number = len(out) + 1
		for _, o := range out {
			if o.Do == s.Do && slices.EqualFunc(o.Hazards, s.Hazards, func(a, b finding.Finding) bool { return a.Text == b.Text && a.Do == b.Do }) {
				s.Repeats = o.Number
				break
			}
		}
		out = append(out, s)
	}
	prepare := []finding.Finding{
		hazard(finding.Caution, "arc", positive(p.ProspectiveAmps), nil, "A", arcText(p.ProspectiveAmps), "Rings and watches off, insulated tools, one hand where possible. Cover every post that is not in use."),
		hazard(finding.Caution, "meter", nil, nil, "", "A meter with its lead in the current jack is a short.", "Lead in the volts jack, fused shrouded probes. Prove the meter on a known source, test, prove again."),
		hazard(finding.Note, "fire", nil, nil, "", "A lithium fire cannot be counted on to be put out.", "Keep the way out free, ventilate, know whom to call. If it smokes: leave, call, keep others away."),
	}
	if p.FullVolts > p.TouchVolts {
		prepare = append(prepare, hazard(finding.Stop, "shock", finding.Of(p.FullVolts), finding.Of(p.TouchVolts), "V", fmt.Sprintf("Fully charged, this bank reaches %.1f V DC: a shock can kill.", p.FullVolts), "Isolation checked, a second person present, protective equipment on: all three before the first link. Licensed practice and local codes decide."))
	}
	if p.HeaviestKg > 25 {
		prepare = append(prepare, hazard(finding.Caution, "lift", finding.Of(p.HeaviestKg), finding.Of(25), "kg", fmt.Sprintf("A module weighs %.0f kg.", p.HeaviestKg), "Lift it with two people."))
	}
	if p.FreezesHere {
		prepare = append(prepare, hazard(finding.Stop, "frost", nil, finding.Of(0), "°C", "Charging below freezing plates lithium and can end in a fire.", "Charge only above 0 °C. Check that the BMS's low-temperature cut-off is on."))
	}
	add(Step{Title: "Prepare the bench", Do: "Main fuse out, sense plug out, charger and load away. Covers on all posts.", Hazards: prepare})
	for _, m := range p.Modules {
		add(Step{Title: "Place " + m.Name, Do: fmt.Sprintf("Stand it at %s, turned as drawn. Check its number.", m.Place), Measure: fmt.Sprintf("%s to %s, red on %s", m.Plus, m.Minus, m.Plus), Expect: fmt.Sprintf("%.2f to %.2f V", m.Volts-wiring.StepVolts, m.Volts+wiring.StepVolts), ExposedVolts: m.Volts})
	}
	var last []wiring.BuildStep // overcurrent devices and switches go on after the sense leads are proven
	for _, s := range p.Order {
		if p.Overcurrent[s.Conductor] || p.Switching[s.Conductor] {
			last = append(last, s)
			continue
		}
		st := Step{Title: "Fit " + s.Conductor, Do: "Clean both faces, power conductor on the contact face, sense ring on top. Torque by the maker's data.", Measure: s.Measure, Expect: fmt.Sprintf("%.2f to %.2f V", s.LowV, s.HighV), ExposedVolts: s.ExposedV}
		if s.Parallels {
			st.Hazards = append(st.Hazards, hazard(finding.Stop, "parallel", nil, finding.Of(wiring.ParallelVolts), "V", "Joining at different voltage drives a current that only the joints limit.", fmt.Sprintf("Do not fit it while the difference is above %.0f mV.", wiring.ParallelVolts*1000)))
		}
		if s.ExposedV > p.TouchVolts {
			st.Hazards = append(st.Hazards, hazard(finding.Stop, "shock", finding.Of(s.ExposedV), finding.Of(p.TouchVolts), "V", fmt.Sprintf("From here on %.1f V are within reach.", s.ExposedV), "Second person present, protective equipment on, covers on every post but the two in hand."))
		}
		add(st)
	}
	for _, b := range p.BMS {
		add(Step{Title: "Connect " + b + " to the main negative", Do: "B− to the main negative, before any sense lead.", Hazards: []finding.Finding{
			hazard(finding.Stop, "plug-order", nil, nil, "", "A sense plug that goes in before B− feeds the BMS through its inputs.", "B− first, sense plug last of all.")}})
		add(Step{Title: "Fit the sense leads of " + b, Do: "Plug out. Each ring on top of its joint, inline fuse or fusible link in each, sleeve where a lead crosses an edge.", Hazards: []finding.Finding{
			hazard(finding.Caution, "sense-fuse", nil, nil, "", "A bare sense lead along bars can burn.", "Fuse each lead at its tap.")}})
		add(Step{Title: "Measure every sense lead of " + b, Do: "At the plug, black probe on the main negative. Compare with the sense table.", Measure: "each input against the main negative", Expect: "the sense table, each step within 50 mV", Hazards: []finding.Finding{
			hazard(finding.Stop, "sense-swapped", nil, nil, "", "A swapped or missing lead puts the wrong voltage on an input.", "Type the readings in. Do not plug in before the verdict is good.")}})
	}
	for _, s := range last {
		add(Step{Title: "Fit " + s.Conductor, Do: "Load and charger still away, switches open.", Measure: s.Measure, Expect: fmt.Sprintf("%.2f to %.2f V", s.LowV, s.HighV), ExposedVolts: s.ExposedV, Hazards: []finding.Finding{
			hazard(finding.Stop, "interrupt", positive(p.ProspectiveAmps), nil, "A", interruptText(p.ProspectiveAmps, p.FullVolts), "Check both figures on the device before it goes in.")}})
	}
	for _, b := range p.BMS {
		add(Step{Title: "Put the sense plug into " + b, Do: "Only after a good verdict on the readings.", Hazards: []finding.Finding{
			hazard(finding.Stop, "undo", nil, nil, "", "Opening a link with the plug in puts the whole string's voltage on one input.", "To undo anything: sense plug out first, B− off last.")}})
	}
	add(Step{Title: "Wake the BMS and enter the settings", Do: p.Wake + " Enter every line of the settings sheet and read it back.", Hazards: []finding.Finding{
		hazard(finding.Stop, "lead-acid", nil, nil, "", "Lead-acid habits overcharge these cells.", "Equalise, desulphate and temperature compensation off in the charger.")}})
	add(Step{Title: "First load", Do: "Load at 20 A or more for ten minutes under watch. Millivolts across every joint; retighten the odd one.", Hazards: []finding.Finding{
		hazard(finding.Caution, "hot-joint", nil, finding.Of(20), "K", "A loose joint gets hot.", "Measure every joint, feel none.")}})
	return out
}

func positive(v float64) *float64 {
	if v <= 0 {
		return nil
	}
	return finding.Of(v)
}

func arcText(amps float64) string {
	if amps <= 0 {
		return "A short at any voltage burns: a module delivers thousands of amps."
	}
	return fmt.Sprintf("A short burns at any voltage: this bank can deliver about %.0f A.", amps)
}

func interruptText(amps, volts float64) string {
	if amps <= 0 {
		return fmt.Sprintf("A fuse that cannot interrupt the fault goes on burning. DC rating at least %.0f V; the prospective current is not known.", volts)
	}
	return fmt.Sprintf("A fuse that cannot interrupt the fault goes on burning. DC rating at least %.0f V, interrupting rating at least %.0f A.", volts, amps)
}
