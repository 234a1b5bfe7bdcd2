package plan

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/bms"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/module/survey"
)

// EndsOnly reports whether every module that was never surveyed was read from end to end at least: an even share of
// that stands in for its groups.
func (w Wiring) EndsOnly() bool {
	for _, p := range w.Places {
		if p.EndsV <= 0 && slices.Contains(w.Assumed, p.Number) {
			return false
		}
	}
	return len(w.Assumed) > 0
}

// standIn names what stands in for volts that nobody read.
func (w Wiring) standIn() string {
	if w.EndsOnly() {
		return "an even share of the volts from end to end"
	}
	return "nominal volts"
}

// bears says what load the currents of its modules allow, where the maker's or the tabs' are known.
func (w *Wiring) bears(s Situation) {
	d := s.Design
	amps := s.Type.Limits.DischargeAmps
	for _, p := range d.Places {
		if p.Type != nil {
			amps = min(amps, p.Type.Limits.DischargeAmps)
		}
	}
	at := d.lowest(s.Need)
	if amps <= 0 || at <= 0 {
		return
	}
	n := float64(max(1, d.Candidate.Parallel))
	of, from := "with every group at its floor", known.Limit
	if s.Need.CutoffVolts > 0 {
		of, from = "where the device cuts off", known.Typed
	}
	w.Report.Findings = append(w.Report.Findings, finding.New(finding.Note, codeBears).About("bank").
		Reads(amps*n, "A").From(from).By("rules §10").
		Says("Its modules bear %.0f A: %.0f W at %.1f V, %s. A load of at most %.0f W leaves the factor of %.2f.",
			amps*n, math.Floor(amps*n*at), at, of, math.Floor(amps*n*at/bms.DesignFactor), bms.DesignFactor).
		Then("Keep the load, with what the device loses, below that."))
}

// ends says what totals of modules in series tell of them, and what they cannot: where no group was read, they alone
// are there to compare by.
func (w *Wiring) ends(s Situation) {
	k, err := chem.Lookup(s.Design.Candidate.Chemistry)
	if err != nil {
		return
	}
	low, high := math.Inf(1), 0.0
	var first, last string
	var each []float64
	for _, p := range s.Design.Places {
		if p.EndsV <= 0 || len(p.Volts) == 0 {
			continue
		}
		if p.EndsV < low {
			low, first = p.EndsV, p.Number
		}
		if p.EndsV > high {
			high, last = p.EndsV, p.Number
		}
		each = append(each, p.EndsV/float64(len(p.Volts)))
	}
	if len(each) < 2 || s.Design.Strings() > 1 {
		return
	}
	text := fmt.Sprintf("%s reads %.2f V from end to end, %s %.2f V: %.0f mV apart. In series no current flows by "+
		"that, and it is no reason to wait; unequal charge is", first, low, last, high, math.Round((high-low)*1000))
	if survey.MayBe(k.ID, s.Type.Curve, each, limits.MeterDigitVolts, -1, 0).Flat {
		text += ", and totals of this height cannot show it: voltage cannot tell the charge there"
	}
	w.Report.Findings = append(w.Report.Findings, finding.New(finding.Caution, codeEndsOnly).About(first).
		Reads(math.Round((high-low)*1000), "mV").Against(0).By("rules §3, §9").Says("%s.", text).
		Then("Read each group. Or charge each module by itself to full before they are joined, under watch."))
}
