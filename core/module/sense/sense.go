// Package sense judges the sense leads of a monitor before its plug goes in: which lead sits on which tap,
// found out from each lead's voltage against the main negative (rules §9, sense table).
package sense

import (
	"fmt"
	"math"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"slices"

	"pandrel/core/base/finding"
)

const rule = "rules §9"

// Measured is one sense lead's voltage against the main negative. With AgainstZero it is against the
// end of lead 0 instead: the reading that shows that lead 0 is whole.
type Measured struct {
	BMS         string  `json:"bms"`
	Input       int     `json:"input"`
	Volts       float64 `json:"volts"`
	AgainstZero bool    `json:"against_zero,omitempty"`
}

// Kind is what the leads of a BMS look like.
type Kind string

// Kinds of sense verdict.
const (
	Good     Kind = "good"
	Swapped  Kind = "swapped"
	Shifted  Kind = "shifted"
	Reversed Kind = "reversed"
	OpenLead Kind = "open"
	Wrong    Kind = "wrong"
	Unproven Kind = "unproven" // all read as expected, lead 0 not proven: see Verdict.Shown
)

// Verdict judges the leads of one BMS before its plug goes in. Inputs lists those concerned.
// ZeroOpen says that lead 0 has not been proven by a reading of the top lead against it.
type Verdict struct {
	BMS      string            `json:"bms"`
	Kind     Kind              `json:"kind"`
	Inputs   []int             `json:"inputs"`
	ZeroOpen bool              `json:"lead_0_unproven,omitempty"`
	Findings []finding.Finding `json:"findings"`
}

// CoarsestVolts is the accuracy from which a meter cannot tell neighbouring leads apart: a tenth of the smallest group.
func CoarsestVolts(expected []float64) float64 { return smallestStep(expected) / 10 }

func smallestStep(expected []float64) float64 {
	least, last := math.Inf(1), math.NaN()
	for _, e := range expected {
		if math.IsNaN(e) {
			continue
		}
		if d := math.Abs(e - last); !math.IsNaN(last) && d > 1e-6 {
			least = min(least, d)
		}
		last = e
	}
	return least
}

// JudgeLeads compares measured voltages with the expected ones of one BMS, input 0 first; NaN stands for an input
// without a lead, and inputs tied to the top have the top's voltage. A shift that all groups share, because the bank
// was
// charged or discharged since its survey, is fitted first and said. Then each lead is matched to the nearest expected
// potential within a quarter of a group; what the permutation looks like names the mistake. accuracyVolts is the
// meter's, 0 where it is not known; steps are accepted within max(50 mV, it). It fails when there is nothing to compare
// or an input is out of range or listed twice.
func JudgeLeads(bms string, expected []float64, measured []Measured, accuracyVolts float64) (Verdict, error) {
	j, err := begin(bms, expected, measured, accuracyVolts)
	if err != nil {
		return *j.v, err
	}
	j.limits()
	j.spares()
	j.shift()
	j.match()
	j.name()
	j.lead0()
	return *j.v, nil
}

// begin puts the readings beside what they must be.
func begin(bms string, expected []float64, measured []Measured, accuracyVolts float64) (*judge, error) {
	j := &judge{v: &Verdict{BMS: bms, Kind: Good, Inputs: []int{}, Findings: []finding.Finding{}},
		expected: slices.Clone(expected), got: make([]*float64, len(expected)), step: smallestStep(expected),
		accuracy: accuracyVolts}
	fitted := 0
	for _, e := range expected {
		if !math.IsNaN(e) {
			fitted++
		}
	}
	if fitted < 2 {
		return j, fmt.Errorf("BMS %s: expected at least two sense leads", bms)
	}
	if accuracyVolts < 0 || math.IsNaN(accuracyVolts) {
		return j, fmt.Errorf("accuracy %v V: expected 0 or more", accuracyVolts)
	}
	for _, m := range measured {
		if m.BMS != bms {
			continue
		}
		if m.Input < 0 || m.Input >= len(expected) {
			return j, fmt.Errorf("BMS %s input %d: expected 0 to %d", bms, m.Input, len(expected)-1)
		}
		if math.IsNaN(m.Volts) || math.Abs(m.Volts) > 2000 {
			return j, fmt.Errorf("BMS %s input %d: %v V: expected a voltage that a meter can show", bms, m.Input,
				m.Volts)
		}
		if m.AgainstZero {
			j.zero, j.zeroInput = finding.Of(m.Volts), m.Input
			continue
		}
		if j.got[m.Input] != nil {
			return j, fmt.Errorf("BMS %s input %d is measured twice", bms, m.Input)
		}
		j.got[m.Input] = finding.Of(m.Volts)
	}
	return j, nil
}

type judge struct {
	v        *Verdict
	expected []float64 // NaN where no lead is, or a spare one
	got      []*float64
	step     float64 // the smallest group
	accuracy float64
	at       []int // which expected potential each input is on, −1 for none, −2 not measured, −3 no lead

	zero      *float64 // the top lead against lead 0, nil where it was not read
	zeroInput int
}

// tolerance is how far a step that ends at reading v may lie from what is expected: 50 mV or the
// meter's accuracy, but never as much as would let a neighbour's voltage pass.
func (j *judge) tolerance(v float64) float64 {
	a := j.accuracy
	if a == 0 {
		a = limits.MeterShare*math.Abs(v) + 0.001
	}
	return min(max(limits.StepVolts, a), j.step/4)
}

func (j *judge) limits() {
	if limit := j.step / 10; j.accuracy > limit {
		j.v.Kind = Wrong
		j.v.Findings = append(j.v.Findings, finding.New(finding.Stop,
			codeSenseAccuracy).About(j.v.BMS).Reads(j.accuracy, "V").Against(numeral.Round3(limit)).By(rule).
			Says("A meter that can be %.3f V wrong cannot tell neighbouring leads apart: at most %.3f "+
				"V here.", j.accuracy, limit).
			Then("Do not plug in. Measure with a better meter or a smaller range."))
	}
}

// spares judges inputs above the top by the way they are wired, and takes them out of the rest.
func (j *judge) spares() {
	top := len(j.expected) - 1
	for top > 0 && math.IsNaN(j.expected[top]) {
		top--
	}
	for top > 1 && !math.IsNaN(j.expected[top-1]) && math.Abs(j.expected[top]-j.expected[top-1]) < 1e-6 {
		top--
	}
	volts := j.expected[top]
	for i := top + 1; i < len(j.expected); i++ {
		tied := !math.IsNaN(j.expected[i])
		j.expected[i] = math.NaN()
		g := j.got[i]
		if g == nil || j.got[top] == nil {
			continue
		}
		atTop := math.Abs(*g-*j.got[top]) <= j.tolerance(*g)
		nothing := math.Abs(*g) < j.step/4
		switch {
		case tied && !atTop:
			j.expected[i] = volts
			j.say(finding.Stop, Wrong, fmt.Sprintf("Spare input %d reads %.3f V, the top lead %.3f V: it should be "+
				"tied to it.", i, *g, *j.got[top]), "Do not plug in. Tie the spare inputs as the data sheet says.", i)
			j.expected[i] = math.NaN()
		case !tied && !nothing && !atTop:
			j.expected[i] = volts
			j.say(finding.Stop, Wrong, fmt.Sprintf("Input %d has no lead in the plan and reads %.3f V.", i, *g),
				"Do not plug in. Find what is connected to it.", i)
			j.expected[i] = math.NaN()
		case !tied && atTop:
			j.v.Findings = append(j.v.Findings, finding.New(finding.Caution,
				codeSenseSpare).About(fmt.Sprintf("%s input %d", j.v.BMS, i)).ReadsIf(g, "V").By(rule).
				Says("Spare input %d is tied to the top; the plan leaves it open.", i).
				Then("Do as the data sheet says, and correct the plan or the plug."))
		}
		j.got[i] = nil
	}
}

// shift fits what all groups have gained or lost since they were surveyed. The candidate is the median over the leads
// of the change for each group below them; it is taken when it explains more leads than none does.
func (j *judge) shift() {
	var per []float64
	below := 0
	for i := 1; i < len(j.expected); i++ {
		below++
		if j.got[i] == nil || math.IsNaN(j.expected[i]) {
			continue
		}
		per = append(per, (*j.got[i]-j.expected[i])/float64(below))
	}
	if len(per) < 3 {
		return
	}
	slices.Sort(per)
	d := per[len(per)/2]
	if math.Abs(d) > j.step/4 {
		return // not a change of charge: a reversed or shifted plug
	}
	explains := func(d float64) (n int) {
		for i, e := range j.expected {
			if j.got[i] != nil && !math.IsNaN(e) && math.Abs(*j.got[i]-e-d*float64(i)) <= max(j.tolerance(*j.got[i]),
				0.02*j.step*math.Sqrt(float64(i))) {
				n++
			}
		}
		return n
	}
	plain, moved := explains(0), explains(d)
	if moved <= plain || moved*2 <= len(per) || math.Abs(d) < 0.002 {
		return
	}
	for i := range j.expected {
		j.expected[i] += d * float64(i)
	}
	word := "lower"
	if d > 0 {
		word = "higher"
	}
	level := finding.Note
	if math.Abs(d) > limits.StepVolts {
		level = finding.Caution
	}
	j.v.Findings = append(j.v.Findings, finding.New(level,
		codeSenseCommonShift).About(j.v.BMS).Reads(numeral.Round3(d), "V").Against(limits.StepVolts).By(rule).
		Says("All groups read about %.0f mV %s than when they were surveyed: the bank was charged or "+
			"discharged since. The leads are judged against that.", math.Abs(d)*1000, word).
		Then("Survey the bank again, so that its record is what it is now."))
}

func (j *judge) say(level finding.Level, code Kind, text, do string, inputs ...int) {
	var m, l *float64
	subject := j.v.BMS
	if len(inputs) > 0 {
		subject = fmt.Sprintf("%s input %d", j.v.BMS, inputs[0])
		m, l = j.got[inputs[0]], finding.Of(numeral.Round3(j.expected[inputs[0]]))
	}
	j.v.Findings = append(j.v.Findings, finding.New(level, "sense-"+string(code)).About(subject).
		ReadsIf(m, "V").AgainstIf(l).By(rule).
		Says("%s", text).
		Then("%s", do))
	if level >= finding.Stop {
		if j.v.Kind == Good {
			j.v.Kind = code
		} else if j.v.Kind != code {
			j.v.Kind = Wrong
		}
		for _, i := range inputs {
			if !slices.Contains(j.v.Inputs, i) {
				j.v.Inputs = append(j.v.Inputs, i)
			}
		}
		slices.Sort(j.v.Inputs)
	}
}

// match finds the nearest expected potential within a quarter of a group.
func (j *judge) match() {
	for i := range j.got {
		if math.IsNaN(j.expected[i]) {
			j.at = append(j.at, -3)
			continue
		}
		if j.got[i] == nil {
			j.at = append(j.at, -2)
			continue
		}
		best, dist := -1, j.step/4
		for k, e := range j.expected {
			if d := math.Abs(*j.got[i] - e); d <= dist {
				best, dist = k, d
			}
		}
		j.at = append(j.at, best)
	}
}

// leads returns the inputs that have a lead.
func (j *judge) leads() []int {
	var out []int
	for i, a := range j.at {
		if a != -3 {
			out = append(out, i)
		}
	}
	return out
}

// name turns the permutation into words.
//
// In one piece: the first mistake that explains what was measured gives the verdict its name.
func (j *judge) name() {
	plug := "Do not plug in. "
	var missing []int
	for i, a := range j.at {
		if a == -2 {
			missing = append(missing, i)
		}
	}
	if len(missing) > 0 {
		j.say(finding.Stop, Wrong, fmt.Sprintf("Not every lead is measured: %s.", inputNames(missing)),
			plug+"Measure every lead against the main negative.", missing...)
		return
	}
	leads := j.leads()
	n := len(leads)
	first, quarter := leads[0], j.step/4
	if rev := all(n, func(k int) bool { return j.at[leads[k]] == leads[n-1-k] }); rev {
		j.say(finding.Stop, Reversed, "The leads run the wrong way: the first reads the top, the last the bottom.",
			plug+"Turn the order of the whole plug.", leads...)
		return
	}
	if neg := all(n, func(k int) bool { return math.Abs(*j.got[leads[k]]+j.expected[leads[k]]) < quarter }); neg {
		j.say(finding.Stop, Reversed, "Every reading has the right size and the wrong sign: the probes are "+
			"swapped, or the bank is reversed.", plug+"Black probe on the main negative, and read again.", leads...)
		return
	}
	nothing := func(i int) bool { return math.Abs(*j.got[i]) < quarter }
	if none := n > 2 && all(n, func(k int) bool { return nothing(leads[k]) }); none {
		j.say(finding.Stop, OpenLead, fmt.Sprintf("No lead reads anything against lead %d: that lead or the black "+
			"probe is open, or the plug is on no bank.", first), plug+"Black probe on the main negative post itself, "+
			"and read again. Then look for a break in lead 0.", leads...)
		return
	}
	done := make([]bool, len(j.at))
	for i := range j.at {
		done[i] = j.at[i] == i || j.at[i] == -3
	}
	j.sharedTaps(done, plug)
	j.shifts(done, plug)
	for i := range j.at {
		if k := j.at[i]; !done[i] && k >= 0 && k != i && j.at[k] == i {
			j.say(finding.Stop, Swapped, fmt.Sprintf("Leads %d and %d are swapped.", min(i, k), max(i, k)),
				plug+"Exchange them and measure again.", min(i, k), max(i, k))
			done[i], done[k] = true, true
		}
	}
	if cycle := j.cycle(done); len(cycle) > 0 {
		j.say(finding.Stop, Swapped, fmt.Sprintf("Leads %s are exchanged among each other.", inputNames(cycle)),
			plug+"Trace each of them from its end and measure again.", cycle...)
		for _, i := range cycle {
			done[i] = true
		}
	}
	for i := range j.at {
		if done[i] {
			continue
		}
		m := *j.got[i]
		if nothing(i) && i > 0 {
			j.say(finding.Stop, OpenLead, fmt.Sprintf("Lead %d reads %.3f V where %.3f V is expected: it is open.", i,
				m, j.expected[i]), plug+"Look for a broken wire, a blown inline fuse or a loose ring.", i)
		} else if k := j.at[i]; k >= 0 {
			j.say(finding.Stop, Wrong, fmt.Sprintf("Lead %d reads %.3f V where %.3f V is expected: that is the "+
				"voltage of lead %d.", i, m, j.expected[i], k), plug+"Trace it from its end.", i)
		} else {
			j.say(finding.Stop, Wrong, fmt.Sprintf("Lead %d reads %.3f V where %.3f V is expected, and no other "+
				"lead's voltage.", i, m, j.expected[i]), plug+"Trace it from its end.", i)
		}
	}
	if j.v.Kind == Good {
		j.steps(plug)
	}
}

// sharedTaps finds two leads that read one voltage where one of them belongs there: both sit on one tap.
// Where more than two leads have moved the mistake is a shift, not this.
func (j *judge) sharedTaps(done []bool, plug string) {
	for i, k := range j.at {
		if done[i] || k < 0 || j.at[k] != k || i == 0 {
			continue
		}
		if next := i + 1; next < len(j.at) && !done[next] && j.at[next] == k+1 && j.at[next] != next || i > 0 &&
			!done[i-1] && j.at[i-1] >= 0 && j.at[i-1] == k-1 {
			continue // part of a run that is shifted as a whole
		}
		if k == 0 && math.Abs(*j.got[i]) < 0.02 && math.Abs(*j.got[i]-*j.got[0]) > 0.0005 {
			continue // nothing at all is an open lead, not one on the main negative
		}
		if k == 0 {
			continue
		}
		j.say(finding.Stop, Wrong, fmt.Sprintf("Leads %d and %d read one voltage, %.3f V and %.3f V: they share a "+
			"tap, where lead %d should read %.3f V.", min(i, k), max(i, k), *j.got[min(i, k)], *j.got[max(i, k)], i,
			j.expected[i]), plug+fmt.Sprintf("Move lead %d to its own tap and measure again.", i), i, k)
		done[i] = true
	}
}

// lead0 judges the one reading that shows that lead 0 is whole: the top lead against it. Against the main
// negative an open lead 0 reads 0.000 V just as a good one does.
func (j *judge) lead0() {
	zero, input := j.zero, j.zeroInput
	if zero == nil {
		if j.v.Kind == Good {
			j.v.ZeroOpen = true
			j.v.Findings = append(j.v.Findings, finding.New(finding.Caution, codeSenseLead0).About(j.v.BMS+
				" input 0").ReadsIf(j.got[0], "V").By(rule).
				Says("Lead 0 is not proven: open, it reads 0.000 V against the main negative just as a good one does.").
				Then("Before the "+
					"plug goes in, read the top lead against the end of lead 0: it must show the whole string."))
		}
		return
	}
	want := j.expected[input]
	if math.IsNaN(want) || math.IsNaN(j.expected[0]) {
		return
	}
	if slices.Contains(j.v.Inputs, input) {
		return // the reading hangs on a lead of which the fault is said
	}
	if a, b := j.got[input], j.got[0]; a != nil && b != nil && math.Abs(*zero-(*a-*b)) <= j.tolerance(*zero) {
		return // lead 0 is whole, and sits where it read against the main negative: what is wrong there is said already
	}
	want -= j.expected[0]
	if math.Abs(*zero-want) <= max(j.tolerance(*zero), limits.MeterShare*want+limits.MeterDigitVolts) {
		return
	}
	j.say(finding.Stop, OpenLead, fmt.Sprintf("Lead %d against lead 0 reads %.3f V where %.3f V is expected: lead "+
		"0 is open or on another tap.", input, *zero, want), "Do not plug in. Look for a broken wire, a blown "+
		"inline fuse or a loose ring on lead 0.", 0)
}

// shifts finds a run of three or more leads that are all off by the same number of places, as when
// one lead was left out and the rest moved up.
func (j *judge) shifts(done []bool, plug string) {
	for i := 0; i < len(j.at); {
		k := i
		d := j.at[i] - i
		for k < len(j.at) && !done[k] && j.at[k] >= 0 && j.at[k]-k == d {
			k++
		}
		// Two leads off by one place may be half of an exchange, unless they reach the plug's end.
		if d != 0 && (k-i >= 3 || k-i == 2 && (k == len(j.at) || i == 0)) {
			dir := "up"
			if d < 0 {
				dir = "down"
			}
			j.say(finding.Stop, Shifted, fmt.Sprintf("Leads %d to %d are shifted by %d %s: they read what belongs "+
				"to leads %d to %d.", i, k-1, max(d, -d), dir, i+d, k-1+d),
				plug+"Find the lead that was left out or doubled, and move the rest.", seq(i, k)...)
			for x := i; x < k; x++ {
				done[x] = true
			}
			i = k
			continue
		}
		i++
	}
}

// cycle returns leads that read each other's voltages in a ring of three or more.
func (j *judge) cycle(done []bool) []int {
	for i := range j.at {
		if done[i] || j.at[i] < 0 {
			continue
		}
		ring := []int{i}
		for k := j.at[i]; k >= 0 && k != i && !done[k] && len(ring) <= len(j.at); k = j.at[k] {
			if slices.Contains(ring, k) {
				ring = nil
				break
			}
			ring = append(ring, k)
		}
		if len(ring) >= 3 && j.at[ring[len(ring)-1]] == i {
			slices.Sort(ring)
			return ring
		}
	}
	return nil
}

// steps checks each group's voltage once the order is right.
func (j *judge) steps(plug string) {
	leads := j.leads()
	if first := leads[0]; math.Abs(*j.got[first]-j.expected[first]) > j.tolerance(*j.got[first]) {
		j.say(finding.Stop, Wrong, fmt.Sprintf("Lead %d reads %.3f V against the main negative where %.3f V is "+
			"expected.", first, *j.got[first], j.expected[first]), plug+"Check its ring.", first)
	}
	for n := 1; n < len(leads); n++ {
		k, i := leads[n-1], leads[n]
		want, got := j.expected[i]-j.expected[k], *j.got[i]-*j.got[k]
		limit := j.tolerance(*j.got[i])
		if math.Abs(got-want) > limit+1e-9 {
			j.say(finding.Stop, Wrong, fmt.Sprintf("Between leads %d and %d there are %.3f V where %.3f V were "+
				"measured before: more than %.0f mV apart.", k, i, got, want, limit*1000),
				plug+"Read both again, then survey that group.", i)
		}
	}
}

func all(n int, f func(int) bool) bool {
	for i := range n {
		if !f(i) {
			return false
		}
	}
	return true
}

func seq(from, to int) []int {
	var out []int
	for i := from; i < to; i++ {
		out = append(out, i)
	}
	return out
}

func inputNames(in []int) string {
	names := make([]string, len(in))
	for i, v := range in {
		names[i] = fmt.Sprint(v)
	}
	return finding.Names(names, "leads")
}

// Shown is the verdict as a person is told it: what reads as expected is not good while lead 0 is unproven.
func (v Verdict) Shown() Verdict {
	if v.Kind != Good || v.Proven() {
		return v
	}
	v.Kind, v.Findings = Unproven, slices.Clone(v.Findings)
	for i := range v.Findings {
		if v.Findings[i].Code == codeSenseLead0 {
			v.Findings[i].Level = finding.Stop
		}
	}
	return v
}

// Proven reports whether the plug may go in: every lead is where it should be, lead 0 too.
func (v Verdict) Proven() bool { return v.Kind == Good && !v.ZeroOpen }
