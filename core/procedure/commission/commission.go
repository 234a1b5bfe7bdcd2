// Package commission is what must be said and measured before a bank goes into service (rules §18 station 9, hazards).
//
// Most of it a build sheet only prints; here each line is a gate, recorded with initials. Above the touch
// limit the people, the licence and the isolation come first, and nobody passes over them.
package commission

import (
	"fmt"
	"math"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/module/sense"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/procedure/gates"
)

// Limits, rules §17 and §7.
const (
	SurveyDays = 7.0 // a survey older than this is no survey of the bank as it is
	rule       = "hazards; rules §18"
)

// Bank is what decides which lines there are.
type Bank struct {
	FullVolts   float64
	TouchVolts  float64
	NowVolts    float64 // as surveyed, end to end
	Strings     int
	FreezesHere bool
	FrostAsked  bool    // somebody said whether it can freeze there
	Cautions    int     // that stand and must be read
	Untested    int     // modules that nobody tested
	LowAh       float64 // what the bank should give by what is known of its modules
	HighAh      float64
	DesignAmps  float64 // 1.25 × the larger of load and charge, 0 not known
	DeviceOpen  bool    // the device's own voltages were not read from its data sheet
	DeviceVolts float64 // what the device survives, where full cells exceed it, else 0
	TripVolts   float64 // of the pack, at most
	ChargeVolts float64 // that the charger is set to
	Beside      string  // the standing bank it is joined to, "" for none
	BesideVolts float64 // as it was read last, 0 not known
	JoinVolts   float64 // by what both bear, 0 for the limit of any join
}

// High reports whether the bank is high-voltage work.
func (b Bank) High() bool { return b.FullVolts > b.TouchVolts }

// Steps returns the gates in order.
func Steps(b Bank) []gates.Step {
	var out []gates.Step
	add := func(s gates.Step) {
		s.Gate, s.Rule = true, rule
		if s.Ask == "" {
			s.Ask = gates.AskConfirm
		}
		out = append(out, s)
	}
	if b.High() {
		for _, st := range gates.People("Fully charged this bank", b.FullVolts, rule) {
			add(st)
		}
		add(gates.Step{Key: "isolation", Title: "Isolation of the bank",
			Do:   "Both ends against the rack and the earth of the place, each when the reading has settled.",
			Must: true, Ask: gates.AskIsolation, ExpectVolts: b.NowVolts})
	}
	if b.Cautions > 0 {
		add(gates.Step{Key: "cautions", Title: "Standing cautions read",
			Do: fmt.Sprintf("%d cautions stand on this page. Each was read and decided upon by the one who signs "+
				"here.", b.Cautions), Must: true, Ask: gates.AskName})
	}
	if b.FreezesHere {
		add(gates.Step{Key: "frost", Title: "Frost cut-off tried", Do: "The BMS's low-temperature charge cut-off " +
			"is on, and was tried by setting it above the temperature of the moment.", Must: true})
	}
	add(gates.Step{Key: "settings", Title: "Settings read back", Do: "Every line of the settings sheet was entered " +
		"and read back from the BMS: groups, tested capacity, limits, temperatures."})
	add(gates.Step{Key: "lead-acid", Title: "Lead-acid habits off", Do: "Equalise, desulphate and temperature " +
		"compensation are off in every charger, and cannot come back with a reset.", Must: true})
	add(gates.Step{Key: "unattended", Title: "Charging nobody watches", Do: "The charger ends by its own end-point " +
		"below the BMS's trip, and the BMS was seen to stop it once.", Must: true})
	for _, s := range unknowns(b) {
		add(s)
	}
	add(gates.Step{Key: "temporary", Title: "Temporary parts and test settings",
		Do: "No thin bar, small shunt, lowered cut-off or glued post is left from building and testing."})
	add(gates.Step{Key: "reclose", Title: "No automatic reclosing", Do: "After a trip no string and no relay comes " +
		"back by itself onto a bus at another voltage.", Must: b.Strings > 1})
	add(gates.Step{Key: "joints", Title: "Joints at the first load",
		Do: fmt.Sprintf("Millivolts across every joint at %.0f A or more: the worst one, and the amps that flowed. At "+
			"most %.1f mΩ, and %.0f W at the design current.", gates.JointAmps, gates.JointMilliohms, gates.JointWatts),
		Ask: gates.AskJoint, DesignAmps: b.DesignAmps})
	add(gates.Step{Key: "mains", Title: "Mains side", Do: "Who connected the mains side of chargers and inverters: " +
		"the licensed electrician's name, or 'no mains here'.", Ask: gates.AskName})
	return out
}

// unknowns are the gates of what was open when the bank was drawn: it may be planned without, and not put in service.
func unknowns(b Bank) (out []gates.Step) {
	add := func(s gates.Step) { out = append(out, s) }
	if b.DeviceOpen {
		add(gates.Step{Key: "device", Title: "Device's own voltages", Do: fmt.Sprintf("Its absolute maximum input, "+
			"charge and cut-off were read from its data sheet, and it survives %.1f V: who read them.", b.FullVolts),
			Must: true, Ask: gates.AskName})
	}
	if b.DeviceVolts > 0 {
		add(gates.Step{Key: "pack-trip", Title: "Pack trip below the device", Do: fmt.Sprintf("Full cells reach %.1f "+
			"V and exceed the device, which survives %.1f V: only the BMS stands between. Its pack over-voltage as "+
			"read back from it, after it was seen to open there once.", b.FullVolts, b.DeviceVolts), Must: true,
			Ask: gates.AskReading, Low: b.ChargeVolts, High: b.TripVolts, Unit: "V"})
	}
	if b.Untested > 0 {
		low, high := math.Floor(b.LowAh*(1-wholeShare)), math.Ceil(b.HighAh*(1+wholeShare))
		if b.HighAh <= 0 { // nothing is known of what they hold
			low, high = 0, math.Inf(1)
		}
		add(gates.Step{Key: WholeTest, Title: "Capacity of the bank", Do: fmt.Sprintf("%d of its modules were never "+
			"tested. One full discharge under watch, every group monitored, to the first at its floor: what it gave. "+
			"It is the bank's figure from then on. 'Not tested', with why, stays in sight.", b.Untested),
			Ask: gates.AskReading, Low: low, High: high, Unit: "Ah"})
	}
	if b.Beside != "" {
		limit := b.JoinVolts
		if limit == 0 {
			limit = limits.JoinVolts
		}
		add(gates.Step{Key: "join", Title: "Joined to " + b.Beside, Do: "Totals of both, end to end, with one meter " +
			"in the same minute and everything off: both in volts, the difference is worked out. Above the limit the " +
			"lower one is charged by itself first.", Must: true, Ask: gates.AskTotals, Other: b.Beside,
			ExpectVolts: b.NowVolts, OtherVolts: b.BesideVolts, High: math.Round(limit*1e4) / 10, Unit: "mV"})
	}
	return out
}

// WholeTest is the gate whose reading is the bank's capacity.
const WholeTest = "whole-test"

// wholeShare is how far what a bank gives may lie outside of what its modules should give before somebody looks.
const wholeShare = 0.1

// Fresh judges when the modules of a bank were surveyed: days since for each, by number; a negative number is never.
func Fresh(days map[string]float64) (f finding.Finding, ok bool) {
	worst, name := -1.0, ""
	for n, d := range days {
		if d < 0 {
			return finding.New(finding.Stop, codeOldSurvey).About(n).By(rule).
					Says("%s", n+" was never surveyed.").
					Then("Survey every module of the bank at rest, as it stands now.").At(finding.PlaceSurvey),
				false
		}
		if d > worst || d == worst && n < name {
			worst, name = d, n
		}
	}
	if worst > SurveyDays {
		return finding.New(finding.Stop, codeOldSurvey).About(name).Reads(worst, "days").Against(SurveyDays).By(rule).
			Says("The last survey of %s is %.0f days old: it does not show the bank as it is.", name, worst).
			Then("Survey every module of the bank at rest before it goes into service.").At(finding.PlaceSurvey), false
	}
	return finding.Finding{}, true
}

// Frost asks whether it can freeze where the bank will stand, while nobody has said.
func Frost(b Bank) (f finding.Finding, ok bool) {
	if b.FrostAsked {
		return f, true
	}
	return finding.New(finding.Stop, codeFrostNotAsked).About("bank").By("hazards").
		Says("Nobody has said whether it can freeze where this bank will stand.").
		Then("Ask, and answer it in the need: charging below freezing can end in a fire.").At(finding.PlaceFrost), false
}

// Unlike compares a string with what the bank that it joins is known to be now, which may have been corrected since the
// string was designed: chemistry, "" not known, and groups in series, 0 not known (rules §11).
func Unlike(beside string, own, other chem.ID, series, ofOther int) (f finding.Finding, unlike bool) {
	f = finding.New(finding.Refuse, codeBesideUnlike).About(beside).By("rules §11").
		Then("Do not join them. Find out which of the two records is wrong; if neither is, this string stands " +
			"by itself.")
	switch {
	case other != "" && own != other:
		f = f.Says("%s is %s, this string %s: strings of unlike chemistry are never joined.", beside,
			strings.ToUpper(string(other)), strings.ToUpper(string(own)))
	case ofOther > 0 && series != ofOther:
		f = f.Reads(float64(series), "groups").Against(float64(ofOther)).
			Says("%s has %s in series, this string %d.", beside, numeral.Count(ofOther, "group"), series)
	default:
		return f, false
	}
	return f, true
}

// Leads are the sense leads of one BMS as they were measured on the bank as it is, nil for not at all.
type Leads struct {
	BMS     string
	Verdict *sense.Verdict
}

// Situation is all that may keep a bank out of service. Leads is nil while no BMS is chosen; SurveyDays says how many
// days ago each module was surveyed, −1 for never.
type Situation struct {
	Bank   Bank
	Wiring []finding.Finding
	// IntoService are stops of the wiring that do not keep the bank from being built.
	IntoService []finding.Finding
	Leads       []Leads
	Modules     []finding.Finding
	SurveyDays  map[string]float64
	States      []gates.State
	// Build are the steps of its build as far as they are signed, nil where nobody began to sign any.
	Build []gates.State
}

// Open lists everything that keeps a bank out of service, worst first: the wiring, the sense leads, its build, its
// modules as they are now, an old survey, frost that nobody asked about, and the first gate that is open. The voltage
// within reach is no stop of its own: its gates are steps.
func (s Situation) Open() []finding.Finding {
	var out []finding.Finding
	for _, f := range finding.Standing(append(slices.Clone(s.Wiring), s.IntoService...)) {
		if f.Code != limits.HighVoltage {
			out = append(out, f)
		}
	}
	if s.Leads == nil {
		return finding.Alike(finding.Sorted(out))
	}
	for _, l := range s.Leads {
		if f := l.judge(); f != nil {
			out = append(out, *f)
		}
	}
	out = append(out, s.built()...)
	out = append(out, s.Modules...)
	if f, ok := Fresh(s.SurveyDays); !ok {
		out = append(out, f)
	}
	if f, ok := Frost(s.Bank); !ok {
		out = append(out, f)
	}
	for _, st := range s.States {
		if !st.Done {
			out = append(out, finding.New(finding.Stop, codeGateOpen).About(st.Title).By(st.Rule).
				Says("'%s' is not done.", st.Title).
				Then("%s", st.Do).At(finding.PlaceGates))
			break
		}
	}
	return finding.Alike(finding.Sorted(out))
}

// built says what the build left: a reading that did not pass keeps the bank out; who signs steps and leaves some open
// is told which.
func (s Situation) built() (out []finding.Finding) {
	var open []string
	for _, st := range s.Build {
		switch {
		case st.Failed:
			out = append(out, finding.New(finding.Stop, codeBuildFailed).About(st.Title).By(st.Rule).
				Says("'%s' read %s, which does not pass.", st.Title, st.Reading).
				Then("Find out why, then read it again at that step.").At(finding.PlaceBuild))
		case !st.Done:
			open = append(open, st.Title)
		}
	}
	if len(open) > 0 {
		out = append(out, finding.New(finding.Caution, codeBuildUnsigned).About(open[0]).Reads(float64(len(open)),
			"steps").Against(0).By("rules §9").
			Says("Not signed in the build, though others are: %s, '%s' first.",
				numeral.Count(len(open), "step"), open[0]).
			Then("Sign what was done, in its order, or do it.").At(finding.PlaceBuild))
	}
	return out
}

// codes of what was settled when a bank went into service, and does not call it back later.
const (
	codeOldSurvey = "bank-not-surveyed"
	codeGateOpen  = "gate-open"
)

// PassedBefore reports whether a finding of Open is of what was settled when a bank went into service: its gates, and
// the age of a survey that is on record.
func PassedBefore(f finding.Finding) bool {
	return f.Code == codeGateOpen || f.Code == codeOldSurvey && f.Measured != nil
}

// judge says what the leads of a BMS still want, nil for nothing.
func (l Leads) judge() *finding.Finding {
	text := ""
	switch {
	case l.Verdict == nil || l.Verdict.Kind != sense.Good:
		text = fmt.Sprintf("The sense leads of %s have no good check on this design.", l.BMS)
	case l.Verdict.ZeroOpen:
		text = fmt.Sprintf("Lead 0 of %s is not proven: the top lead was not read against it.", l.BMS)
	default:
		return nil
	}
	f := finding.New(finding.Stop, codeSenseNotGood).About(l.BMS).By("rules §9").Says("%s", text).
		Then("Measure every lead against the main negative, and the top one against lead 0, and type the readings in.").
		At(finding.PlaceLeads)
	return &f
}
