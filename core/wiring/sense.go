package wiring

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/finding"
)

// senseTable lists what each sense input must read against B−, and checks that the leads step up
// by one group each.
func (c *checker) senseTable() {
	l := c.joined()
	for _, b := range c.n.BMS {
		if b.Groups > 0 && len(b.Sense) != b.Groups+1 {
			c.find(finding.Stop, "sense-count", b.ID, finding.Of(float64(len(b.Sense))), finding.Of(float64(b.Groups+1)), "leads", fmt.Sprintf("BMS %s for %d groups lists %d sense leads.", b.ID, b.Groups, len(b.Sense)), fmt.Sprintf("List %d, with null for a lead that is not fitted.", b.Groups+1))
		}
		last := -1
		for i, s := range b.Sense {
			row := SenseRow{BMS: b.ID, Input: i}
			if s == nil {
				c.find(finding.Stop, "sense-missing", fmt.Sprintf("%s input %d", b.ID, i), nil, nil, "", fmt.Sprintf("Sense lead %d of %s is not fitted.", i, b.ID), "Fit it, or tie the input as the BMS's data sheet says.")
				c.r.SenseTable = append(c.r.SenseTable, row)
				continue
			}
			row.Point = *s
			p := c.point[*s]
			if b.BMinus != "" {
				if _, v, ok := l.between(c.point[b.BMinus], p); ok {
					row.ExpectedV = finding.Of(round3(v))
				}
			}
			c.r.SenseTable = append(c.r.SenseTable, row)
			if last >= 0 {
				n, _, ok := l.between(c.point[*b.Sense[last]], p)
				if !ok || n != i-last {
					text := fmt.Sprintf("Sense lead %d of %s lies %d groups above lead %d.", i, b.ID, n, last)
					if !ok {
						text = fmt.Sprintf("Sense lead %d of %s is not connected to lead %d through any group.", i, b.ID, last)
					}
					c.find(finding.Stop, "sense-step", fmt.Sprintf("%s input %d", b.ID, i), finding.Of(float64(n)), finding.Of(float64(i-last)), "groups", text, "Leads must step up by one group each. Do not plug in.")
				}
			}
			last = i
		}
	}
}

// Measured is one sense lead's voltage against the main negative.
type Measured struct {
	BMS   string  `json:"bms"`
	Input int     `json:"input"`
	Volts float64 `json:"volts"`
}

// Kinds of sense verdict.
const (
	Good     = "good"
	Swapped  = "swapped"
	Shifted  = "shifted"
	Reversed = "reversed"
	OpenLead = "open"
	Wrong    = "wrong"
)

// SenseVerdict judges the leads of one BMS before its plug goes in. Inputs lists those concerned.
type SenseVerdict struct {
	BMS      string            `json:"bms"`
	Kind     string            `json:"kind"`
	Inputs   []int             `json:"inputs"`
	Findings []finding.Finding `json:"findings"`
}

// JudgeSense compares measured voltages with the expected ones of one BMS, input 0 first. Each is
// matched to the nearest expected potential within a quarter of a group; what the permutation looks
// like names the mistake. accuracyVolts is the meter's; steps are accepted within max(50 mV, it).
// It fails when there is nothing to compare or an input is out of range or listed twice.
func JudgeSense(bms string, expected []float64, measured []Measured, accuracyVolts float64) (SenseVerdict, error) {
	v := SenseVerdict{BMS: bms, Kind: Good, Inputs: []int{}, Findings: []finding.Finding{}}
	if len(expected) < 2 {
		return v, bad("BMS %s: expected at least two sense leads", bms)
	}
	got := make([]*float64, len(expected))
	for _, m := range measured {
		if m.BMS != bms {
			continue
		}
		if m.Input < 0 || m.Input >= len(expected) {
			return v, bad("BMS %s input %d: expected 0 to %d", bms, m.Input, len(expected)-1)
		}
		if got[m.Input] != nil {
			return v, bad("BMS %s input %d is measured twice", bms, m.Input)
		}
		if math.IsNaN(m.Volts) || math.Abs(m.Volts) > 2000 {
			return v, bad("BMS %s input %d: %v V: expected a voltage that a meter can show", bms, m.Input, m.Volts)
		}
		got[m.Input] = finding.Of(m.Volts)
	}
	j := &senseJudge{v: &v, expected: expected, got: got, limit: max(StepVolts, accuracyVolts)}
	j.match()
	j.name()
	return v, nil
}

type senseJudge struct {
	v        *SenseVerdict
	expected []float64
	got      []*float64
	limit    float64
	at       []int // which expected potential each input is on, −1 for none, −2 not measured
}

func (j *senseJudge) say(level finding.Level, code, text, do string, inputs ...int) {
	var m, l *float64
	subject := j.v.BMS
	if len(inputs) > 0 {
		subject = fmt.Sprintf("%s input %d", j.v.BMS, inputs[0])
		m, l = j.got[inputs[0]], finding.Of(round3(j.expected[inputs[0]]))
	}
	j.v.Findings = append(j.v.Findings, finding.Finding{Level: level, Code: "sense-" + code, Subject: subject, Measured: m, Limit: l, Unit: "V", Rule: rule, Text: text, Do: do})
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
func (j *senseJudge) match() {
	quarter := math.Inf(1)
	for i := 1; i < len(j.expected); i++ {
		quarter = min(quarter, math.Abs(j.expected[i]-j.expected[i-1])/4)
	}
	for i := range j.got {
		if j.got[i] == nil {
			j.at = append(j.at, -2)
			continue
		}
		best, dist := -1, quarter
		for k, e := range j.expected {
			if d := math.Abs(*j.got[i] - e); d <= dist {
				best, dist = k, d
			}
		}
		j.at = append(j.at, best)
	}
}

// name turns the permutation into words.
func (j *senseJudge) name() {
	n := len(j.expected)
	plug := "Do not plug in. "
	var missing []int
	for i, a := range j.at {
		if a == -2 {
			missing = append(missing, i)
		}
	}
	if len(missing) > 0 {
		j.say(finding.Stop, Wrong, fmt.Sprintf("Not every lead is measured: %s.", inputNames(missing)), plug+"Measure every lead against the main negative.", missing...)
		return
	}
	if rev := all(n, func(i int) bool { return j.at[i] == n-1-i }); rev {
		j.say(finding.Stop, Reversed, "The leads run the wrong way: the first reads the top, the last the bottom.", plug+"Turn the order of the whole plug.", seq(0, n)...)
		return
	}
	if neg := all(n, func(i int) bool { return math.Abs(*j.got[i]+j.expected[i]) < math.Abs(j.expected[1]-j.expected[0])/4 }); neg {
		j.say(finding.Stop, Reversed, "Every reading has the right size and the wrong sign: the probes are swapped, or the bank is reversed.", plug+"Black probe on the main negative, and read again.", seq(0, n)...)
		return
	}
	done := make([]bool, n)
	for i := range n {
		done[i] = j.at[i] == i
	}
	j.shifts(done, plug)
	for i := range n {
		if k := j.at[i]; !done[i] && k >= 0 && k != i && j.at[k] == i {
			j.say(finding.Stop, Swapped, fmt.Sprintf("Leads %d and %d are swapped.", min(i, k), max(i, k)), plug+"Exchange them and measure again.", min(i, k), max(i, k))
			done[i], done[k] = true, true
		}
	}
	if cycle := j.cycle(done); len(cycle) > 0 {
		j.say(finding.Stop, Swapped, fmt.Sprintf("Leads %s are exchanged among each other.", inputNames(cycle)), plug+"Trace each of them from its end and measure again.", cycle...)
		for _, i := range cycle {
			done[i] = true
		}
	}
	for i := range n {
		if done[i] {
			continue
		}
		m := *j.got[i]
		if near := math.Abs(m) < math.Abs(j.expected[1]-j.expected[0])/4; near && i > 0 {
			j.say(finding.Stop, OpenLead, fmt.Sprintf("Lead %d reads %.3f V where %.2f V is expected: it is open.", i, m, j.expected[i]), plug+"Look for a broken wire, a blown inline fuse or a loose ring.", i)
		} else {
			j.say(finding.Stop, Wrong, fmt.Sprintf("Lead %d reads %.3f V where %.2f V is expected, and no other lead's voltage.", i, m, j.expected[i]), plug+"Trace it from its end.", i)
		}
	}
	if j.v.Kind == Good {
		j.steps(plug)
	}
}

// shifts finds a run of three or more leads that are all off by the same number of places, as when
// one lead was left out and the rest moved up.
func (j *senseJudge) shifts(done []bool, plug string) {
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
			j.say(finding.Stop, Shifted, fmt.Sprintf("Leads %d to %d are shifted by %d %s: they read what belongs to leads %d to %d.", i, k-1, abs(d), dir, i+d, k-1+d), plug+"Find the lead that was left out or doubled, and move the rest.", seq(i, k)...)
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
func (j *senseJudge) cycle(done []bool) []int {
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
func (j *senseJudge) steps(plug string) {
	if d := math.Abs(*j.got[0] - j.expected[0]); d > j.limit {
		j.say(finding.Stop, Wrong, fmt.Sprintf("Lead 0 reads %.3f V against the main negative: it should be on it.", *j.got[0]), plug+"Check its ring.", 0)
	}
	for i := 1; i < len(j.got); i++ {
		want, got := j.expected[i]-j.expected[i-1], *j.got[i]-*j.got[i-1]
		if math.Abs(got-want) > j.limit+1e-9 {
			j.say(finding.Stop, Wrong, fmt.Sprintf("Between leads %d and %d there are %.3f V where %.3f V were measured before: more than %.0f mV apart.", i-1, i, got, want, j.limit*1000), plug+"Read both again, then survey that group.", i)
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

func abs(d int) int {
	if d < 0 {
		return -d
	}
	return d
}

func inputNames(in []int) string {
	names := make([]string, len(in))
	for i, v := range in {
		names[i] = fmt.Sprint(v)
	}
	return joinNames(names)
}
