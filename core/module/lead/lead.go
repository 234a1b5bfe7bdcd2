// Package lead is the lead between a module's pins and an instrument's inputs, and the check of it
// before its first use.
//
// Input k of an instrument sits on node k of the module, 0 at the main negative (rules §9, sense table). A lead is
// checked twice: by continuity with nothing plugged in, pin by pin, and by voltage with the module plugged in and the
// instrument not. The first finds what is swapped, open or touching; the second finds what the first was told wrongly.
package lead

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/numeral"
	"pandrel/core/module/sense"

	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
)

// Mate is one part that goes onto the module: a connector, or a clip for a point without one.
type Mate struct {
	Name   string   `json:"name"`
	Clip   bool     `json:"clip"`
	Points []string `json:"points"`
}

// Wire joins a point of the module to an input of the instrument.
type Wire struct {
	Point string `json:"point"`
	Input int    `json:"input"`
}

// Lead is a lead. Inputs counts the instrument's inputs that it serves: groups + 1.
type Lead struct {
	Inputs int    `json:"inputs"`
	Mates  []Mate `json:"mates"`
	Wires  []Wire `json:"wires"`
}

const (
	rule        = "rules §9, sense table"
	maxInputs   = 65
	noInput     = -1
	fusedClipDo = "Fit a fuse in the clip's wire, close to the clip: a loose clip that slips lands on a bare bar."
)

// For proposes the lead for a layout: the first pin of each node, a clip where a node has only posts. Nodes without any
// point, and floating points, get no wire. groupsBelow says which input a node belongs to.
func For(m layout.Map, pins []string, mate string) Lead {
	a := Lead{Inputs: m.Series + 1}
	con := Mate{Name: mate}
	below := m.GroupsBelow()
	for i, n := range m.Nodes {
		pick, clip := "", true
		for _, p := range pins {
			if slices.Contains(n.Points, p) {
				pick, clip = p, false
				break
			}
		}
		if pick == "" && len(n.Points) > 0 {
			pick = n.Points[0]
		}
		if pick == "" {
			continue
		}
		if clip {
			a.Mates = append(a.Mates, Mate{Name: "clip on " + pick, Clip: true, Points: []string{pick}})
		} else {
			con.Points = append(con.Points, pick)
		}
		a.Wires = append(a.Wires, Wire{pick, below[i]})
	}
	if len(con.Points) > 0 {
		a.Mates = append([]Mate{con}, a.Mates...)
	}
	return a
}

// CheckPins compares a lead with the layout it is for. It fails when the lead contradicts itself; what
// does not fit the module is a finding.
func CheckPins(a Lead, m layout.Map) ([]finding.Finding, error) {
	if a.Inputs < 2 || a.Inputs > maxInputs {
		return nil, fmt.Errorf("%s: expected 2 to %d", numeral.Count(a.Inputs, "input"), maxInputs)
	}
	at, on := map[int]string{}, map[string]bool{}
	for _, mt := range a.Mates {
		for _, p := range mt.Points {
			if on[p] {
				return nil, fmt.Errorf("%s is on two mating parts", p)
			}
			on[p] = true
		}
	}
	wired := map[string]bool{}
	for _, w := range a.Wires {
		switch {
		case w.Input < 0 || w.Input >= a.Inputs:
			return nil, fmt.Errorf("%s goes to input %d: expected 0 to %d", w.Point, w.Input, a.Inputs-1)
		case at[w.Input] != "":
			return nil, fmt.Errorf("input %d has two wires, from %s and %s: expected one", w.Input, at[w.Input],
				w.Point)
		case !on[w.Point]:
			return nil, fmt.Errorf("%s is on none of the mating parts", w.Point)
		case wired[w.Point]:
			return nil, fmt.Errorf("%s has two wires: expected one", w.Point)
		}
		at[w.Input], wired[w.Point] = w.Point, true
	}
	fs := []finding.Finding{}
	add := func(f finding.Finding) { fs = append(fs, f.By(rule)) }
	if a.Inputs != m.Series+1 {
		add(finding.New(finding.Stop, codeInputs).About("lead").
			Reads(float64(a.Inputs), "node").Against(float64(m.Series+1)).
			Says("%s for a module of %s.", numeral.Count(a.Inputs, "input"), numeral.Count(m.Series, "group")).
			Then("An instrument for this module needs one input more than groups."))
	}
	wiredAs(at, a.Inputs, m, add)
	for _, mt := range a.Mates {
		if mt.Clip {
			fs = append(fs, finding.New(finding.Caution, codeClip).About(mt.Name).By(rule).
				Says("A loose clip, not a connector.").
				Then("%s", fusedClipDo))
		}
	}
	return fs, nil
}

// wiredAs holds each input's wire against the node it must carry.
func wiredAs(at map[int]string, inputs int, m layout.Map, add func(finding.Finding)) {
	below := m.GroupsBelow()
	node := map[string]int{}
	for i, n := range m.Nodes {
		for _, p := range n.Points {
			node[p] = below[i]
		}
	}
	for k := range inputs {
		p := at[k]
		if p == "" {
			add(finding.New(finding.Stop, codeNoWire).About(fmt.Sprintf("input %d", k)).
				Reads(-1, "node").Against(float64(k)).
				Says("Input %d has no wire.", k).
				Then("Two groups would be read as " +
					"one, or an input left open. Wire it, or take an instrument that allows it."))
			continue
		}
		n, known := node[p]
		switch {
		case !known:
			add(finding.New(finding.Stop, codeDeadPin).About(p).Reads(-1, "node").Against(float64(k)).
				Says("%s carries no node: dead, or never read.", p).
				Then("Take another pin of that node, or a clip."))
		case n != k:
			add(finding.New(finding.Stop, codeWrongNode).About(p).Reads(float64(n), "node").Against(float64(k)).
				Says("%s goes to input %d and carries node %d.", p, k, n).
				Then("Move its wire to input %d.", n))
		}
	}
}

// Touch is what was found by continuity: with one probe on Point, the inputs that beep. An empty list is an open wire.
type Touch struct {
	Point  string `json:"point"`
	Inputs []int  `json:"inputs"`
}

// JudgeContinuity compares what beeps with what should. Every wire must have been touched: one left
// out fails with an error that names it.
func JudgeContinuity(a Lead, touched []Touch) ([]finding.Finding, error) {
	want := map[string]int{}
	point := map[int]string{}
	for _, w := range a.Wires {
		want[w.Point], point[w.Input] = w.Input, w.Point
	}
	got := map[string][]int{}
	for _, t := range touched {
		if _, ok := want[t.Point]; !ok {
			return nil, fmt.Errorf("%s is on no wire of this lead", t.Point)
		}
		for _, i := range t.Inputs {
			if i < 0 || i >= a.Inputs {
				return nil, fmt.Errorf("%s beeps on input %d: expected 0 to %d", t.Point, i, a.Inputs-1)
			}
		}
		got[t.Point] = t.Inputs
	}
	fs := []finding.Finding{}
	stop := func(code, subject string, measured, limit int, text, do string) {
		fs = append(fs, finding.New(finding.Stop, code).About(subject).
			Reads(float64(measured), "input").Against(float64(limit)).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	told := map[string]bool{}
	for _, w := range a.Wires {
		inputs, ok := got[w.Point]
		switch {
		case !ok:
			return nil, fmt.Errorf("%s has not been touched: expected a result for every wire", w.Point)
		case told[w.Point]:
		case len(inputs) == 0:
			stop(codeOpen, w.Point, noInput, w.Input, fmt.Sprintf("%s reaches no input: its wire is open.", w.Point),
				"Mend it, then touch every pin again.")
		case len(inputs) > 1:
			stop(codeTouching, w.Point, len(inputs), 1, fmt.Sprintf("%s reaches inputs %s: wires touch each other.",
				w.Point, list(inputs)), "Plugged in, this is a short over a group. Open the connector and look.")
			for p, in := range got { // the same short is seen from every wire in it
				if len(in) > 1 && slices.Contains(in, w.Input) {
					told[p] = true
				}
			}
		case inputs[0] != w.Input:
			other := point[inputs[0]]
			if back := got[other]; other != "" && len(back) == 1 && back[0] == w.Input {
				told[other] = true
				stop(codeSwapped, w.Point, inputs[0], w.Input,
					fmt.Sprintf("%s and %s are swapped: they reach inputs %d and %d.", w.Point, other, inputs[0],
						back[0]), "Exchange the two wires, then touch every pin again.")
				continue
			}
			stop(codeWrongInput, w.Point, inputs[0], w.Input, fmt.Sprintf("%s reaches input %d, expected input %d.",
				w.Point, inputs[0], w.Input), "Move its wire, then touch every pin again.")
		}
	}
	return fs, nil
}

// Expected returns the voltage of each input against input 0 for a module with these group voltages.
// It fails when there are not as many groups as inputs less one.
func Expected(a Lead, groups []float64) ([]float64, error) {
	if len(groups) != a.Inputs-1 {
		return nil, fmt.Errorf("%d group voltages for %s: expected %d", len(groups), numeral.Count(a.Inputs, "input"),
			a.Inputs-1)
	}
	out := make([]float64, a.Inputs)
	for i, v := range groups {
		out[i+1] = out[i] + v
	}
	return out, nil
}

// JudgeVolts judges the inputs measured against input 0 with the module plugged in and the instrument not.
func JudgeVolts(name string, expected, measured []float64, accuracyVolts float64) (sense.Verdict, error) {
	if len(measured) != len(expected) {
		return sense.Verdict{}, fmt.Errorf("%s: expected %d, one for each input", numeral.Count(len(measured),
			"voltage"), len(expected))
	}
	var ms []sense.Measured
	for i, v := range measured {
		if math.IsNaN(v) {
			return sense.Verdict{}, fmt.Errorf("input %d: expected a voltage", i)
		}
		ms = append(ms, sense.Measured{BMS: name, Input: i, Volts: v})
	}
	return sense.JudgeLeads(name, expected, ms, accuracyVolts)
}

func list(xs []int) string {
	s := ""
	for i, x := range xs {
		if i > 0 {
			s += ", "
		}
		s += fmt.Sprint(x)
	}
	return s
}
