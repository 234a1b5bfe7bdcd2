// Package grade turns what was measured on a module into a class and a fitness, with every reason (rules §6).
//
// The class comes from the state of health; resistance can cap it, and some findings reject the
// module whatever it holds.
package grade

import (
	"fmt"
	"math"
	"math/big"
	"strconv"
	"strings"

	"pandrel/core/base/finding"
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
	useAny          = "a place in a bank"
	useMate         = "parallel mate only, watched"
	usePart         = "spare parts only"
	useOpen         = "nothing until it is tested"
)

// Behind says what stands behind a class, and what does not: only what is on record and counts now.
func Behind(looked, surveyed, tested, resistance bool) (checked, notChecked string) {
	var yes, no []string
	for _, x := range []struct {
		done bool
		what string
	}{{looked, "a look"}, {surveyed, "the groups' voltages"}, {tested, "capacity"}, {resistance, "resistance"}} {
		if x.done {
			yes = append(yes, x.what)
		} else {
			no = append(no, x.what)
		}
	}
	if len(yes) == 0 {
		yes = []string{"nothing that counts"}
	}
	no = append(no, "what a look does not see, behaviour in cold and at high current, and the years to come")
	return "checked: " + strings.Join(yes, ", "), "not checked: " + strings.Join(no, ", ")
}

// Policy holds the shop's limits, as fractions of rated capacity and of the type's median resistance.
type Policy struct {
	ClassA, ClassB, ClassC float64
	ResistanceCap          float64
}

// DefaultPolicy is the rules'.
var DefaultPolicy = Policy{ClassA: 0.80, ClassB: 0.65, ClassC: 0.50, ResistanceCap: 2}

// Evidence is what is known of a module. Zero values mean not known, except that a module without a complete capacity
// is not graded. Stops are the stop and refuse findings that stand, whatever station made them.
//
// HighAh is the upper end where gaps in the log leave an interval, 0 for none. The conditions are those of the test;
// ByHand without them is a figure whose conditions nobody knows. Others are earlier complete results that also stand on
// record. Notes are stops that hold a module without speaking against it for ever, such as a wrong label.
type Evidence struct {
	Module          string
	RatedAh         float64
	CapacityAh      float64
	HighAh          float64
	UncertaintyAh   float64
	Complete        bool
	ByHand          bool
	Amps            float64
	TempC           *float64
	EndVolts        float64
	LowestEndVolts  float64 // of a group, 0 not known
	FloorVolts      float64 // of a group, 0 not known
	Others          []float64
	ResistanceMOhm  float64
	TypeMedianMOhm  float64
	Looked          bool
	Holds           []finding.Finding
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
	Limits     int64             `json:"limits,omitempty"` // which of the shop's own limits; 0 for the rules'
}

// JudgeEvidence grades a module. It fails when the rating is missing or a number is not usable.
func JudgeEvidence(e Evidence, p Policy) (Grade, error) {
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
	j.marks()
	j.surveyRemarks()
	j.holds()
	j.g.Reasons = finding.Sorted(j.g.Reasons)
	return j.g, nil
}

type judge struct {
	e        Evidence
	p        Policy
	g        Grade
	rejected bool
}

func (j *judge) because(f finding.Finding) {
	j.g.Reasons = append(j.g.Reasons, f.Or(j.e.Module, "rules §6"))
}

// rejections collects what rejects a module whatever its capacity.
func (j *judge) rejections() {
	reject := func(code, text, do string, level finding.Level) {
		j.rejected = true
		j.because(finding.New(level, code).
			Says("%s", text).
			Then("%s", do))
	}
	if j.e.FloodOrRecall {
		reject(codeHistory, "Flood or recall history: not for any build.",
			"Quarantine it and ask the supplier or the maker.", finding.Refuse)
	}
	if j.e.EverBelowNever {
		reject(codeOnceBelowNeverRecharge, "A group was once below its never-recharge voltage, also if it has "+
			"recovered.", "Never charge it. Scrap the group.", finding.Refuse)
	}
	if j.e.IsolationFailed {
		reject(codeIsolation, "Isolation from the case failed.", "Quarantine it. Find the leak before anything else.",
			finding.Stop)
	}
	if j.e.Leaking {
		reject(codeLeaking, "A group is leaking: its offset grows at rest.", "Use it for parts only.", finding.Stop)
	}
	for _, f := range j.e.Stops {
		j.rejected = true
		j.g.Reasons = append(j.g.Reasons, f)
	}
}

// capacity sets class and fitness from the state of health.
//
// In one piece: the first measure that can be used decides, and each says why the one before it could not.
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
		j.because(finding.New(finding.Note, codeNoCapacity).
			Says("%s", text).
			Then("Test it: from full to the first group at its floor."))
		return
	}
	soh := j.e.CapacityAh / j.e.RatedAh
	j.g.SoH = &soh
	limits := []struct {
		class Class
		from  float64
	}{{A, j.p.ClassA}, {B, j.p.ClassB}, {C, j.p.ClassC}, {D, 0}}
	classOf := func(ah float64) int {
		for i, l := range limits {
			if reaches(ah, j.e.RatedAh, l.from) {
				return i
			}
		}
		return len(limits) - 1
	}
	k := classOf(j.e.CapacityAh)
	if high := j.e.HighAh; high > j.e.CapacityAh {
		if classOf(high) != k {
			j.g.Class, j.g.Fitness, j.g.FitFor, j.g.SoH = Open, NotYet, useOpen, nil
			j.because(finding.New(finding.Caution, codeGapOpen).
				Reads(Shown(soh*100), "%").Against(Shown(high/j.e.RatedAh*100)).
				Says("With the gaps in the log the capacity lies between %.1f and %.1f Ah, %.1f to %.1f %% of rated: "+
					"that is class %s or %s.", j.e.CapacityAh, high, Shown(soh*100), Shown(high/j.e.RatedAh*100),
					limits[k].class, limits[classOf(high)].class).
				Then("Test again without a gap."))
			if j.rejected {
				j.setFitness()
			}
			return
		}
	}
	how := j.conditions()
	l := limits[k]
	j.g.Class = l.class
	limit := finding.Of(l.from * 100)
	text := fmt.Sprintf("%.1f of %.1f Ah rated: %.1f %%%s. Class %s starts at %.0f %%.", j.e.CapacityAh, j.e.RatedAh,
		Shown(soh*100), how, l.class, l.from*100)
	do := "Compare only with tests under the same conditions."
	if l.class == D {
		limit = finding.Of(j.p.ClassC * 100)
		text = fmt.Sprintf("%.1f of %.1f Ah rated: %.1f %%%s, below %.0f %%.", j.e.CapacityAh, j.e.RatedAh,
			Shown(soh*100), how, j.p.ClassC*100)
		do = "Use it for parts."
	}
	j.because(finding.New(finding.Note, codeStateOfHealth).Reads(Shown(soh*100), "%").AgainstIf(limit).
		Says("%s", text).
		Then("%s", do))
	if j.e.ByHand && (j.e.Amps == 0 || j.e.EndVolts == 0 || j.e.TempC == nil) {
		j.because(finding.New(finding.Caution, codeConditionsUnknown).
			Says("The figure was typed by hand without all of its conditions: current, temperature and end voltage.").
			Then("Write them down, or test it with a log."))
	}
	for _, other := range j.e.Others {
		if d := math.Abs(other - j.e.CapacityAh); d > 2*max(j.e.UncertaintyAh, 0.01*j.e.RatedAh) {
			j.because(finding.New(finding.Caution, codeResultsDiffer).Reads(other, "Ah").Against(j.e.CapacityAh).
				Says("Another result on record says %.1f Ah: the first complete one, "+
					"%.1f Ah, counts.", other, j.e.CapacityAh).
				Then("Find out which is right. Both stay on record."))
			break
		}
	}
	u := j.e.UncertaintyAh / j.e.RatedAh
	for _, l := range limits[:3] {
		if u > 0 && math.Abs(soh-l.from) < u {
			j.g.Borderline = true
			j.because(finding.New(finding.Note, codeBorderline).Reads(Shown(soh*100), "%").Against(l.from*100).
				Says("Borderline: the test is good to ± %.1f Ah, and the limit of class %s "+
					"is nearer than that.", j.e.UncertaintyAh, l.class).
				Then("Treat it as the lower class, or test again."))
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
	j.because(finding.New(finding.Caution, codeResistance).Reads(j.e.ResistanceMOhm, "mΩ").Against(limit).
		Says("%.2f mΩ, more than %.0f times the type's median of %.2f mΩ: no better than class C.",
			j.e.ResistanceMOhm, j.p.ResistanceCap, j.e.TypeMedianMOhm).
		Then("Check the clamps and test again before relying on it."))
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

// reaches compares capacity with a share of the rating in exact decimals: 161.6 of 202 is 80 %.
func reaches(ah, rated, share float64) bool {
	a, b := new(big.Rat), new(big.Rat)
	r, f := new(big.Rat), new(big.Rat)
	dec := func(x *big.Rat, v float64) *big.Rat {
		x.SetString(strconv.FormatFloat(v, 'g', 12, 64))
		return x
	}
	return dec(a, ah).Cmp(b.Mul(dec(r, rated), dec(f, share))) >= 0
}

// Shown is a percentage with one decimal, cut and not rounded, so that what is shown never reaches a limit
// that the value does not.
func Shown(pct float64) float64 { return math.Floor(pct*10+1e-9) / 10 }

// surveyRemarks carries a survey's doubt into the grade, and asks for a look and a survey before any class is given. A
// module with a group to watch is only watched until a second survey has told imbalance from leakage.
func (j *judge) surveyRemarks() {
	if j.rejected {
		return
	}
	if j.g.Class != Open && !j.e.Looked {
		j.open("nothing until it is looked at")
		j.because(finding.New(finding.Stop, codeNoLook).
			Says("No look at it is on record.").
			Then("Look it over before anything else: swelling, dents, wetness, burns.").At(finding.PlaceLook))
	}
	switch j.e.Survey {
	case "":
		if j.g.Class != Open || j.g.Fitness != NotYet {
			j.open("nothing until it is surveyed")
			j.because(finding.New(finding.Caution, codeNoSurvey).
				Says("No survey of its groups is on record.").
				Then("Survey it at rest."))
		}
	case "suspect", "watch", "unknown":
		j.because(finding.New(finding.Caution, "survey-"+j.e.Survey).
			Says("Its last survey says %s.", j.e.Survey).
			Then("Survey again before it goes into a bank."))
		if j.g.Fitness == Accept {
			j.g.Fitness, j.g.FitFor = Watch, useMate
		}
	case "balance", "borderline":
		j.because(finding.New(finding.Note, "survey-"+j.e.Survey).
			Says("Its last survey says %s.", j.e.Survey).
			Then("Balance it before it goes into a bank."))
	}
}

// holds keeps a module from a class while something on it is to be seen to first.
func (j *judge) holds() {
	if len(j.e.Holds) == 0 {
		return
	}
	j.g.Reasons = append(j.g.Reasons, j.e.Holds...)
	if !j.rejected {
		j.open("nothing while it is held")
	}
}

func (j *judge) open(what string) { j.g.Fitness, j.g.FitFor = NotYet, what }

// Name is what a screen calls a class.
func (c Class) Name() string {
	if c == "" {
		return "No class"
	}
	return "Class " + string(c)
}
