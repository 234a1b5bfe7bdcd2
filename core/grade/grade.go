// Package grade turns what was measured on a module into a class and a fitness, with every reason
// (handbook §6).
//
// The class comes from the state of health; resistance can cap it, and some findings reject the
// module whatever it holds.
package grade

import (
	"fmt"
	"math"

	"pandrel/core/finding"
)

// Class is the letter on the label.
type Class string

// The classes, best first. Rejected modules have class D; Open means not enough is known.
const (
	A    Class = "A"
	B    Class = "B"
	C    Class = "C"
	D    Class = "D"
	Open Class = ""
)

// Fitness says what a module may be used for.
type Fitness string

// Fitnesses, best first.
const (
	Accept  Fitness = "accept"
	Watch   Fitness = "watch"
	Reject  Fitness = "reject"
	NotYet  Fitness = "not yet"
	useAny          = "any bank"
	useMate         = "only as a parallel mate, watched"
	usePart         = "spare parts only"
	useOpen         = "nothing until it is tested"
)

// Policy holds the shop's limits, as fractions of rated capacity and of the type's median
// resistance.
type Policy struct {
	ClassA, ClassB, ClassC float64
	ResistanceCap          float64
}

// DefaultPolicy is the handbook's.
var DefaultPolicy = Policy{ClassA: 0.80, ClassB: 0.65, ClassC: 0.50, ResistanceCap: 2}

// Evidence is what is known of a module. Zero values mean not known, except that a module without
// a complete capacity is not graded. Stops are the stop and refuse findings that stand, whatever
// station made them.
type Evidence struct {
	Module          string
	RatedAh         float64
	CapacityAh      float64
	UncertaintyAh   float64
	Complete        bool
	ByHand          bool
	ResistanceMOhm  float64
	TypeMedianMOhm  float64
	Survey          string // the last survey's verdict, "" for none
	Leaking         bool
	EverBelowNever  bool
	FloodOrRecall   bool
	IsolationFailed bool
	Stops           []finding.Finding
}

// Grade is the judgement. Reasons lists everything that decided it.
type Grade struct {
	Class      Class             `json:"class"`
	Fitness    Fitness           `json:"fitness"`
	FitFor     string            `json:"fit_for"`
	SoH        *float64          `json:"soh"`
	Borderline bool              `json:"borderline"`
	Reasons    []finding.Finding `json:"reasons"`
}

// Judge grades a module. It fails when the rating is missing or a number is not usable.
func Judge(e Evidence, p Policy) (Grade, error) {
	if !(e.RatedAh > 0) || math.IsInf(e.RatedAh, 0) {
		return Grade{}, fmt.Errorf("rated capacity %v Ah: expected a number above 0", e.RatedAh)
	}
	if e.CapacityAh < 0 || math.IsNaN(e.CapacityAh) || math.IsInf(e.CapacityAh, 0) {
		return Grade{}, fmt.Errorf("capacity %v Ah: expected 0 or more", e.CapacityAh)
	}
	j := judge{e: e, p: p}
	j.rejections()
	j.capacity()
	j.cap()
	j.surveyRemarks()
	j.g.Reasons = finding.Sorted(j.g.Reasons)
	return j.g, nil
}

type judge struct {
	e        Evidence
	p        Policy
	g        Grade
	rejected bool
}

func (j *judge) because(l finding.Level, code string, measured, limit *float64, unit, text, do string) {
	j.g.Reasons = append(j.g.Reasons, finding.Finding{Level: l, Code: code, Subject: j.e.Module, Measured: measured, Limit: limit, Unit: unit, Rule: "rules §6", Text: text, Do: do})
}

// rejections collects what rejects a module whatever its capacity.
func (j *judge) rejections() {
	reject := func(code, text, do string, level finding.Level) {
		j.rejected = true
		j.because(level, code, nil, nil, "", text, do)
	}
	if j.e.FloodOrRecall {
		reject("history", "Flood or recall history: not for any build.", "Quarantine it and ask the supplier or the maker.", finding.Refuse)
	}
	if j.e.EverBelowNever {
		reject("once-below-never-recharge", "A group was once below its never-recharge voltage, also if it has recovered.", "Never charge it. Scrap the group.", finding.Refuse)
	}
	if j.e.IsolationFailed {
		reject("isolation", "Isolation from the case failed.", "Quarantine it. Find the leak before anything else.", finding.Stop)
	}
	if j.e.Leaking {
		reject("leaking", "A group is leaking: its offset grows at rest.", "Use it for parts only.", finding.Stop)
	}
	for _, f := range j.e.Stops {
		j.rejected = true
		j.g.Reasons = append(j.g.Reasons, f)
	}
}

// capacity sets class and fitness from the state of health.
func (j *judge) capacity() {
	if j.e.CapacityAh == 0 || !j.e.Complete {
		j.g.Class, j.g.Fitness, j.g.FitFor = Open, NotYet, useOpen
		if j.rejected {
			j.g.Class, j.g.Fitness, j.g.FitFor = D, Reject, usePart
			return
		}
		text := "No capacity has been measured."
		if j.e.CapacityAh > 0 {
			text = fmt.Sprintf("At least %.1f Ah, from part of a discharge: not a capacity.", j.e.CapacityAh)
		}
		j.because(finding.Note, "no-capacity", nil, nil, "", text, "Test it: from full to the first group at its floor.")
		return
	}
	soh := j.e.CapacityAh / j.e.RatedAh
	j.g.SoH = &soh
	limits := []struct {
		class Class
		from  float64
	}{{A, j.p.ClassA}, {B, j.p.ClassB}, {C, j.p.ClassC}, {D, 0}}
	how := ""
	if j.e.ByHand {
		how = ", typed by hand"
	}
	for _, l := range limits {
		if soh < l.from {
			continue
		}
		j.g.Class = l.class
		limit := finding.Of(l.from * 100)
		text := fmt.Sprintf("%.1f of %.1f Ah rated: %.0f %%%s. Class %s starts at %.0f %%.", j.e.CapacityAh, j.e.RatedAh, soh*100, how, l.class, l.from*100)
		if l.class == D {
			limit = finding.Of(j.p.ClassC * 100)
			text = fmt.Sprintf("%.1f of %.1f Ah rated: %.0f %%%s, below %.0f %%.", j.e.CapacityAh, j.e.RatedAh, soh*100, how, j.p.ClassC*100)
		}
		j.because(finding.Note, "state-of-health", finding.Of(math.Round(soh*1000)/10), limit, "%", text, "No action needed.")
		break
	}
	u := j.e.UncertaintyAh / j.e.RatedAh
	for _, l := range limits[:3] {
		if u > 0 && math.Abs(soh-l.from) < u {
			j.g.Borderline = true
			j.because(finding.Note, "borderline", finding.Of(math.Round(soh*1000)/10), finding.Of(l.from*100), "%",
				fmt.Sprintf("Borderline: the test is good to ± %.1f Ah, and the limit of class %s is nearer than that.", j.e.UncertaintyAh, l.class), "Treat it as the lower class, or test again.")
		}
	}
	j.setFitness()
}

// cap lowers the class for high resistance.
func (j *judge) cap() {
	if j.e.TypeMedianMOhm <= 0 || j.e.ResistanceMOhm <= 0 {
		return
	}
	limit := j.p.ResistanceCap * j.e.TypeMedianMOhm
	if j.e.ResistanceMOhm <= limit {
		return
	}
	j.because(finding.Caution, "resistance", finding.Of(j.e.ResistanceMOhm), finding.Of(limit), "mΩ",
		fmt.Sprintf("%.2f mΩ, more than %.0f times the type's median of %.2f mΩ: no better than class C.", j.e.ResistanceMOhm, j.p.ResistanceCap, j.e.TypeMedianMOhm),
		"Check the clamps and test again before relying on it.")
	if j.g.Class == A || j.g.Class == B {
		j.g.Class = C
		j.setFitness()
	}
}

func (j *judge) setFitness() {
	switch {
	case j.rejected:
		j.g.Class, j.g.Fitness, j.g.FitFor = D, Reject, usePart
	case j.g.Class == A || j.g.Class == B:
		j.g.Fitness, j.g.FitFor = Accept, useAny
	case j.g.Class == C:
		j.g.Fitness, j.g.FitFor = Watch, useMate
	default:
		j.g.Fitness, j.g.FitFor = Reject, usePart
	}
}

// surveyRemarks carries a survey's doubt into the grade. An accepted module with a suspect group
// is only watched until a second survey has told imbalance from leakage.
func (j *judge) surveyRemarks() {
	switch j.e.Survey {
	case "":
		if j.g.Fitness == Accept {
			j.g.Fitness, j.g.FitFor = NotYet, "nothing until it is surveyed"
			j.because(finding.Caution, "no-survey", nil, nil, "", "No survey of its groups is on record.", "Survey it at rest.")
		}
	case "suspect", "watch", "unknown":
		j.because(finding.Caution, "survey-"+j.e.Survey, nil, nil, "", fmt.Sprintf("Its last survey says %s.", j.e.Survey), "Survey again before it goes into a bank.")
		if j.g.Fitness == Accept && j.e.Survey != "watch" {
			j.g.Fitness, j.g.FitFor = Watch, useMate
		}
	case "balance", "borderline":
		j.because(finding.Note, "survey-"+j.e.Survey, nil, nil, "", fmt.Sprintf("Its last survey says %s.", j.e.Survey), "Balance it before it goes into a bank.")
	}
}
