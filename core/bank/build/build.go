// Package build writes the steps of putting a bank together, each with what to measure first and
// the hazards that belong to it (docs/hazards.md).
//
// The order of the power links comes from the wiring check; this package puts the rest round it:
// preparation before, sense leads and plug after, and how to undo it.
package build

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/netlist"
	"pandrel/core/base/limits"

	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
)

// Plan is what the steps need to know of the bank.
type Plan struct {
	Modules         []ModuleCheck
	FullVolts       float64 // S × charge limit
	Chemistry       chem.ID // empty not declared: FullVolts is then the most of any
	ProspectiveAmps float64 // 0 unknown
	TouchVolts      float64
	BMS             []BMS
	FreezesHere     bool
	HeaviestKg      float64 // 0 unknown
	Order           []wiring.BuildStep
	LoadAmps        float64 // at the device's cut-off, 0 not known
	LimitAmps       float64 // what the modules give for ever, all strings together; 0 not known
	JoinVolts       float64 // at which strings may be joined, 0 for the limit of any join
	ChargeAmps      float64 // the highest the charger may be set to, 0 not known
}

// BMS is one monitor of the bank. Negative is the point of its B−; Load that of its P−, empty for one that
// drives a relay. Low and High are the ends of its string, Volts what stands between them.
type BMS struct {
	ID, Negative, Load string
	Charge             string // the point of its pole for chargers, "" where it has none
	Low, High          string
	Volts              float64
	Wake               string
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
	Key          string // that stays when other steps come or go
	Read         *Range // what the reading must be, nil where none is typed
	Conductor    string // the joint that it fits, "" for none
	Module       string // the module that it places
	Kind         string // of what is fitted where several may be alike: module, bar, bond; "" for a step of its own
	What         string // what it is done on, where Kind is given
	Title        string
	Do           string
	Measure      string
	Expect       string
	ExposedVolts float64
	Hazards      []finding.Finding
	Repeats      int // the step whose text and hazards these are, 0 for none
}

// What the keys of some kinds of step begin with; the name of the BMS follows.
const (
	Negative     = "negative "
	MeasureLeads = "measure "
	PlugIn       = "plug "
)

// Range is what a reading must be, volts: from Low to High. Beside is what a second total is of, where the two are
// compared and differ by High at most.
type Range struct {
	Low, High float64
	Beside    string
}

// hazard texts, one reason each.
func hazard(f finding.Finding) finding.Finding { return f.By("hazards") }

// Steps returns the build in order, none while no BMS is chosen: no bank is built without one. The sense
// plug is always the last thing to go in.
func Steps(p Plan) []Step {
	if len(p.BMS) == 0 {
		return nil
	}
	b := &sheet{p: p}
	b.prepare()
	b.modules()
	var late, last []wiring.BuildStep // overcurrent devices and switches go on after the sense leads are proven
	for _, s := range p.Order {
		switch s.Kind {
		case netlist.Fuse, netlist.Breaker, netlist.Switch, netlist.Contactor, netlist.Precharge, netlist.Plug:
			last = append(last, s)
		default:
			if s.ExposedV > p.TouchVolts { // left open while there is bare work on the parts
				late = append(late, s)
				continue
			}
			b.fit(s, facesClean)
		}
	}
	for _, x := range p.BMS {
		b.rings(x)
	}
	for _, s := range late {
		b.fit(s, "Every post covered but the two in hand. "+facesClean)
	}
	for _, x := range p.BMS {
		b.measure(x)
	}
	for _, s := range last {
		b.fit(s, "Load and charger still away, every switch open.")
	}
	b.wake()
	b.load()
	return b.out
}

// joinVolts is the one limit of the sheet at which parts are joined in parallel.
func (b *sheet) joinVolts() float64 {
	if b.p.JoinVolts > 0 {
		return b.p.JoinVolts
	}
	return limits.JoinVolts
}

// sheet collects the steps.
type sheet struct {
	p   Plan
	out []Step
}

func (b *sheet) add(s Step) {
	s.Number = len(b.out) + 1
	for _, o := range b.out {
		if o.Do == s.Do && slices.EqualFunc(o.Hazards, s.Hazards,
			func(a, b finding.Finding) bool { return a.Text == b.Text && a.Do == b.Do }) {
			s.Repeats = o.Number
			break
		}
	}
	b.out = append(b.out, s)
}

func (b *sheet) prepare() {
	p := b.p
	list := []finding.Finding{
		hazard(finding.New(finding.Caution, codeArc).ReadsIf(positive(p.ProspectiveAmps), "A").
			Says("%s", arcText(p.ProspectiveAmps)).
			Then("Rings and watches off, insulated tools, one hand where possible. " +
				"Cover every post that is not in use.")),
		hazard(finding.New(finding.Caution, codeMeter).
			Says("A meter with its lead in the current jack is a short.").
			Then("Lead in the volts jack, fused shrouded probes. Prove the meter on a known source, " +
				"test, prove again.")),
		hazard(finding.New(finding.Note, codeFire).
			Says("A lithium fire cannot be counted on to be put out.").
			Then("Keep the way out free, ventilate, know whom to call. If it smokes: leave, call, keep others away.")),
	}
	if p.FullVolts > p.TouchVolts {
		list = append(list, hazard(finding.New(finding.Stop, codeShock).Reads(p.FullVolts, "V").Against(p.TouchVolts).
			Says("%s: a shock can kill.", chem.FullText(p.FullVolts, p.Chemistry)).
			Then("Licensed name, another second person, protective equipment and a proved meter are recorded before "+
				"the first bare part; isolation when it stands. No written reason passes them. Local codes decide.")))
	}
	if p.HeaviestKg > LiftKg {
		list = append(list, hazard(finding.New(finding.Caution, codeLift).Reads(p.HeaviestKg, "kg").Against(LiftKg).
			Says("A module weighs %.0f kg.", p.HeaviestKg).
			Then("Lift it with two people.")))
	}
	if p.FreezesHere {
		list = append(list, hazard(finding.New(finding.Stop, codeFrost).ReadsIf(nil, "°C").Against(0).
			Says("Charging below freezing plates lithium and can end in a fire.").
			Then("Charge only above 0 °C. Check that the BMS's low-temperature cut-off is on.")))
	}
	b.add(Step{Key: "prepare", Title: "Prepare the bench",
		Do: "Main fuse out, sense plug out, charger and load away. Covers on " +
			"all posts.", Hazards: list})
}

func (b *sheet) modules() {
	for _, m := range b.p.Modules {
		u := limits.StepTolerance(m.Volts)
		b.add(Step{Key: "place " + m.Name, Module: m.Name, Read: &Range{Low: m.Volts - u, High: m.Volts + u},
			Kind: "module", What: fmt.Sprintf("%s at %s", m.Name, m.Place), Title: fmt.Sprintf("Place %s at %s",
				m.Name, m.Place), Do: "Check its number, and which of its posts is + before it is " +
				"covered.", Measure: fmt.Sprintf("%s to %s, red on %s", m.Plus, m.Minus,
				m.Plus), Expect: fmt.Sprintf("%.2f to %.2f V", m.Volts-u, m.Volts+u), ExposedVolts: m.Volts})
	}
}

// fit is the step of one conductor or device.
func (b *sheet) fit(s wiring.BuildStep, do string) {
	title := "Fit " + s.Conductor
	if s.From != "" {
		title = fmt.Sprintf("Fit %s %s from %s to %s", s.Kind, s.Conductor, s.From, s.To)
	}
	st := Step{Key: "fit " + s.Conductor, Conductor: s.Conductor, Read: &Range{Low: s.LowV, High: s.HighV},
		Kind: string(s.Kind), What: fmt.Sprintf("%s from %s to %s", s.Conductor, s.From, s.To), Title: title,
		Do: do, Measure: s.Measure, Expect: fmt.Sprintf("%.2f to %.2f V", s.LowV, s.HighV), ExposedVolts: s.ExposedV}
	if s.Parallels {
		st.Hazards = append(st.Hazards, hazard(finding.New(finding.Stop, codeParallel).
			ReadsIf(nil, "V").Against(b.joinVolts()).
			Says("Joining at different voltage drives a current that only the joints limit.").
			Then("Do not fit it while the difference is above %.0f mV.", b.joinVolts()*1000)))
	}
	switch s.Kind {
	case netlist.Fuse, netlist.Breaker:
		st.Hazards = append(st.Hazards, hazard(finding.New(finding.Stop,
			codeInterrupt).ReadsIf(positive(b.p.ProspectiveAmps), "A").
			Says("%s", interruptText(b.p.ProspectiveAmps, b.p.FullVolts)).
			Then("Check both figures on the device before it goes in.")))
	case netlist.Contactor, netlist.Switch, netlist.Plug:
		st.Hazards = append(st.Hazards, hazard(finding.New(finding.Caution, codeSwitchOpen).
			Says("A switch that is closed while it is fitted closes the circuit under the spanner.").
			Then("Check with the meter that it is open before both cables are on.")))
	}
	if s.ExposedV > b.p.TouchVolts {
		st.Hazards = append(st.Hazards, hazard(finding.New(finding.Stop, codeShock).
			Reads(s.ExposedV, "V").Against(b.p.TouchVolts).
			Says("From here on %.1f V are within reach.", s.ExposedV).
			Then("Second person present, protective equipment on, covers on every post but the two in hand.")))
	}
	b.add(st)
}

const facesClean = "Clean both faces, power conductor on the contact face, sense ring on top. " + TorqueOpen

// TorqueOpen ends a step that fits a joint where the maker's figure is not on record.
const TorqueOpen = "Torque by the maker's data."

// rings is B− and the bare work of the sense leads.
func (b *sheet) rings(x BMS) {
	b.add(Step{Key: Negative + x.ID, Title: fmt.Sprintf("Connect B− of %s to %s", x.ID, x.Negative),
		Do: "On the same post as sense lead 0, nothing between them, before any sense lead.",
		Hazards: []finding.Finding{
			hazard(finding.New(finding.Stop, codePlugOrder).
				Says("A sense plug that goes in before B− feeds the BMS through its inputs.").
				Then("B− first, sense plug last of all."))}})
	b.add(Step{Key: "leads " + x.ID, Title: "Fit the sense leads of " + x.ID,
		Do: "Plug out. Each ring on top of its joint, inline fuse or " +
			"fusible link in each, sleeve where a lead crosses an edge. Where a joint is still open, its ring " +
			"waits on " +
			"the post beside it.", Hazards: []finding.Finding{
			hazard(finding.New(finding.Caution, codeSenseFuse).
				Says("A bare sense lead along bars can burn.").
				Then("Fuse each lead at its tap."))}})
}

// measure proves the leads before anything else is fitted.
func (b *sheet) measure(x BMS) {
	b.add(Step{Key: MeasureLeads + x.ID, Title: "Measure every sense lead of " + x.ID,
		Do: fmt.Sprintf("At the plug, black probe on %s. Then "+
			"the top lead against the end of lead 0. Compare with the sense table.", x.Negative),
		Measure: "each input against the main negative; the top one against lead 0",
		Expect:  "the sense table, each step within 50 mV or the meter's accuracy", Hazards: []finding.Finding{
			hazard(finding.New(finding.Stop, codeSenseSwapped).
				Says("A swapped or missing lead puts the wrong voltage on an input.").
				Then("Type the readings in. Do not plug in before the verdict is good."))}})
}

// wake connects the load side and switches the monitors on, one after the other, each string levelled with
// those that are on already.
func (b *sheet) wake() {
	for _, x := range b.p.BMS {
		if x.Load != "" {
			b.add(Step{Key: "load " + x.ID, Title: fmt.Sprintf("Connect P− of %s to %s", x.ID, x.Load),
				Do:      "Load and charger still away, the BMS still asleep.",
				Measure: fmt.Sprintf("%s to %s", x.Load, x.Negative), Expect: "no steady voltage: the BMS is off"})
		}
		if x.Charge != "" {
			b.add(Step{Key: "charge " + x.ID, Title: fmt.Sprintf("Connect C− of %s to %s", x.ID, x.Charge),
				Do:      "Chargers away. Nothing but a charger comes on it: it may open at other times than P−.",
				Measure: fmt.Sprintf("%s to %s", x.Charge, x.Negative), Expect: "no steady voltage: the BMS is off"})
		}
		b.add(Step{Key: PlugIn + x.ID, Title: "Put the sense plug into " + x.ID,
			Do: "Only after a good verdict on the readings.",
			Hazards: []finding.Finding{
				hazard(finding.New(finding.Stop, codeUndo).
					Says("Opening a link with the plug in puts the whole string's voltage on one input.").
					Then("To undo anything: sense plug out first, B− off last."))}})
	}
	for i, x := range b.p.BMS {
		st := Step{Key: "wake " + x.ID, Title: fmt.Sprintf("Wake %s and enter the settings", x.ID),
			Do: x.Wake + " Enter every line of the settings sheet and read it back.", Hazards: []finding.Finding{
				hazard(finding.New(finding.Stop, codeLeadAcid).
					Says("Lead-acid habits overcharge these cells.").
					Then("Equalise, desulphate and temperature compensation off in the charger."))}}
		if i > 0 && x.Low != "" {
			first := b.p.BMS[0]
			st.Do = "All others off first. " + st.Do
			st.Measure = fmt.Sprintf("%s to %s, and %s to %s in the same minute", x.High, x.Low, first.High, first.Low)
			limit := b.joinVolts()
			st.Read = &Range{High: limit, Beside: first.ID}
			st.Expect = fmt.Sprintf("totals within %.0f mV of each other", limit*1000)
			st.Hazards = append(st.Hazards, hazard(finding.New(finding.Stop, codeParallel).
				ReadsIf(nil, "V").Against(limit).
				Says("Once both are on, the strings are joined: across an open switch a "+
					"meter reads nothing, whatever the difference.").
				Then("Compare the totals of the strings. Do not "+
					"switch this one on beside another while they differ by more.")))
		}
		b.add(st)
	}
}

// load is the first load: no more than the bank's own load and limits.
func (b *sheet) load() {
	do := "A load the bank is made for, for ten minutes under watch. Millivolts across every joint; retighten the " +
		"odd one."
	if amps := b.p.LoadAmps; amps > 0 {
		word := ""
		if l := b.p.LimitAmps; l > 0 && amps > l {
			amps, word = l, ", what the modules give for ever"
		}
		do = fmt.Sprintf("Load at %.0f A%s for ten minutes under watch. Millivolts across every joint; retighten "+
			"the odd one.", math.Floor(max(1, amps)), word)
	}
	b.add(Step{Key: "first load", Title: "First load", Do: do, Hazards: []finding.Finding{
		hazard(finding.New(finding.Caution, codeHotJoint).ReadsIf(nil, "K").Against(20).
			Says("A loose joint gets hot.").
			Then("Measure every joint, feel none."))}})
	charge := "First charge under watch, to the end, somebody present."
	if b.p.ChargeAmps > 0 {
		charge = fmt.Sprintf("First charge under watch at %.0f A or less, to the end, somebody present.",
			math.Floor(b.p.ChargeAmps))
	}
	b.add(Step{Key: "first charge", Title: "First charge", Do: charge,
		Measure: "every group, each quarter of an hour near the end",
		Expect:  "none above its charge limit", Hazards: []finding.Finding{
			hazard(finding.New(finding.Stop, codeUnattended).
				Says("A charge that nobody watches and no device ends is how fires begin.").
				Then("Stay, and let the BMS and the charger's own end-point end it."))}})
}

// LiftKg is the mass from which two people lift (shop policy).
const LiftKg = 25.0

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
		return fmt.Sprintf("A fuse that cannot interrupt the fault goes on burning. DC rating at least %.0f V; the "+
			"prospective current is not known.", volts)
	}
	return fmt.Sprintf("A fuse that cannot interrupt the fault goes on burning. DC rating at least %.0f V, "+
		"interrupting rating at least %.0f A.", volts, amps)
}
