// Package regroup is one module cut into parts, or its links moved, worked step by step: what package variant says of a
// type, done on the module at hand.
//
// Nothing is undone with voltage or current in it. A link is read while it is still closed, where it must show nothing,
// and its gap is read once it is off, where it must settle near zero: anything else means that the two sides are joined
// by something that nobody sees. What comes of it is read part by part, and is a module of its own with no test behind
// it.
package regroup

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/module/variant"
	"pandrel/core/procedure/gates"
)

const rule = "rules §7, §9; hazards"

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeApart   = "parts-not-level"
	codeFlows   = "link-carries-current"
	codeJoined  = "gap-still-joined"
	codeTouches = "probes-touch-nothing"
	codeNotIt   = "not-as-surveyed"
)

// Module is one module before anything of it is loosened.
type Module struct {
	Number  string
	Volts   []float64 // of each group as it was surveyed last, from the main negative
	ThickMM float64   // under its end plates as it was looked at last, 0 not known
	Names   []string  // of what it becomes, nil for its own number with -1, -2
}

// total is what groups from a to b hold, counted from 0, b not among them.
func (m Module) total(a, b int) (v float64) {
	for _, x := range m.Volts[a:b] {
		v += x
	}
	return v
}

// Part is what one new module is made of: groups of the old one, counted from 1, in the order of its own.
type Part struct {
	Number string
	Groups []int
	Volts  float64 // end to end by the last survey
}

// Steps are the work in its order. It fails for a way that is not possible, and without the volts of every group.
func Steps(v variant.Variant, m Module) ([]gates.Step, error) {
	was := len(m.Volts)
	switch {
	case v.Kind == variant.AsDelivered || !v.Possible:
		return nil, fmt.Errorf("%s: expected a way that is possible", v.Title)
	case was == 0 || slices.ContainsFunc(m.Volts, func(x float64) bool { return !(x > 0) }):
		return nil, fmt.Errorf("%s: expected the volts of each of its groups", m.Number)
	case v.Kind == variant.Cut && v.Series*v.Pieces != was,
		v.Kind == variant.LinksMoved && v.Series%was != 0 && was%v.Series != 0:
		return nil, fmt.Errorf("%s has %s: expected the count of its type", m.Number, numeral.Count(was, "group"))
	}
	s := &sheet{Module: m, v: v}
	s.first()
	switch {
	case v.Kind == variant.Cut:
		s.cut()
	case v.Series > was:
		s.opened(v.Series / was)
	default:
		s.closed(was / v.Series)
	}
	return s.out, nil
}

// Parts are the modules that it becomes.
func Parts(v variant.Variant, m Module) (out []Part) {
	per := len(m.Volts)
	if v.Kind == variant.Cut {
		per = v.Series
	}
	for i := range v.Pieces {
		p := Part{Number: fmt.Sprintf("%s-%d", m.Number, i+1)}
		if i < len(m.Names) {
			p.Number = m.Names[i]
		}
		for g := range per {
			p.Groups = append(p.Groups, i*per+g+1)
		}
		switch p.Volts = m.total(i*per, (i+1)*per); {
		case v.Kind == variant.LinksMoved && v.Series > len(m.Volts):
			p.Volts *= float64(v.Series / len(m.Volts))
		case v.Kind == variant.LinksMoved:
			p.Volts /= float64(len(m.Volts) / v.Series)
		}
		out = append(out, p)
	}
	return out
}

// Of says what of the old module a part is: "groups 1 to 2".
func (p Part) Of() string {
	first, last := p.Groups[0], p.Groups[len(p.Groups)-1]
	if first == last {
		return fmt.Sprintf("group %d", first)
	}
	return fmt.Sprintf("groups %d to %d", first, last)
}

// Begun reports whether anything of the module may be loosened already: from the first link that was read to come off.
func Begun(states []gates.State) bool {
	return slices.ContainsFunc(states, func(st gates.State) bool {
		return (st.Done || st.Failed) && !slices.Contains(safely, st.Key)
	})
}

// safely are the keys of what is done before anything is loosened.
var safely = []string{"prepare", before, "isolation", "thickness"}

// sheet is the work as it is written.
type sheet struct {
	Module
	v   variant.Variant
	out []gates.Step
}

func (s *sheet) add(st gates.Step) {
	st.Gate, st.Rule = true, rule
	s.out = append(s.out, st)
}

// before is the key of the reading that says whether it is still as it was surveyed.
const before = "total"

// say asks for a tick.
func (s *sheet) say(key, title, do string) {
	s.add(gates.Step{Key: key, Title: title, Do: do, Ask: gates.AskConfirm})
}

// near asks for volts with their sign. What is read of a part may have changed since the survey: a written reason
// passes it, but not the reading before anything is loosened.
func (s *sheet) near(key, title, do string, volts float64) {
	tol := limits.StepTolerance(volts)
	s.add(gates.Step{Key: key, Title: title, Do: do, Ask: gates.AskReading, Unit: "V", Signed: true,
		Must: key == before,
		Low:  numeral.Round3(volts - tol), High: numeral.Round3(volts + tol)})
}

// nothing asks for a reading that must be next to zero: no writing passes that.
func (s *sheet) nothing(key, title, do string, most float64) {
	s.add(gates.Step{Key: key, Title: title, Do: do, Ask: gates.AskReading, Unit: "V", High: most, Must: true})
}

// first is what comes before anything is loosened.
func (s *sheet) first() {
	all := s.total(0, len(s.Volts))
	s.add(gates.Step{Key: "prepare", Title: "The bench", Must: true, Ask: gates.AskConfirm,
		Do: "Nothing hangs on it: no charger, load or tester, and the sense plug is out. Every post but those in " +
			"hand is covered. Insulated tools, eye protection, rings and watches off."})
	s.near(before, "Read it end to end", "As it was surveyed. If it reads otherwise, survey it again before anything "+
		"is loosened.", all)
	s.add(gates.Step{Key: "isolation", Title: "Its case, before", Must: true, Ask: gates.AskIsolation, ExpectVolts: all,
		Do: "Both ends against the case, and end to end."})
	s.thickness("thickness", "Thickness under the end plates, before", s.ThickMM)
}

// thickness asks for millimetres: near the last ones where there are any.
func (s *sheet) thickness(key, title string, was float64) {
	st := gates.Step{Key: key, Title: title, Ask: gates.AskReading, Unit: "mm", Low: 1, High: math.Inf(1),
		Do: "At the thickest place, end plates tight. It is what shows afterwards that the cells are held as before."}
	if was > 0 {
		st.Low, st.High = numeral.Round3(was*(1-thickShare)), numeral.Round3(was*(1+thickShare))
	}
	s.add(st)
}

// thickShare is how far two thicknesses of one stack may lie apart (policy).
const thickShare = 0.03

// off takes a link between two groups off: read closed, then its gap.
func (s *sheet) off(k int, then string) {
	where := fmt.Sprintf("groups %d and %d", k, k+1)
	s.nothing(fmt.Sprintf("closed %d", k), "The link between "+where+", still closed",
		"Across the link, one probe on each side of it. Nothing flows, so it shows next to nothing. Anything else is "+
			"current: find what draws it.", limits.IdleLinkVolts)
	s.nothing(fmt.Sprintf("off %d", k), "Take off the link between "+where, "One side at a time, the other covered. "+
		"Then read across the gap: it settles near zero. "+then, limits.GapVolts)
}

// cut takes off the links between the parts, the one first that leaves least in one part.
func (s *sheet) cut() {
	k := s.v.Series
	ends := []int{0, len(s.Volts)}
	var joints []int
	for at := k; at < len(s.Volts); at += k {
		joints = append(joints, at)
	}
	most := func(ends []int) (v float64) {
		for i := 1; i < len(ends); i++ {
			v = max(v, s.total(ends[i-1], ends[i]))
		}
		return v
	}
	with := func(at int) []int {
		e := append(slices.Clone(ends), at)
		slices.Sort(e)
		return e
	}
	for len(joints) > 0 {
		best := 0
		for i := range joints {
			if most(with(joints[i])) < most(with(joints[best]))-1e-9 {
				best = i
			}
		}
		at := joints[best]
		ends, joints = with(at), slices.Delete(joints, best, best+1)
		s.off(at, fmt.Sprintf("After it at most %.1f V stand in one part.", most(ends)))
	}
	for i, p := range Parts(s.v, s.Module) {
		s.after(i+1, p.Number+", "+p.Of(), p.Volts)
	}
}

// after is what each part must show once nothing of it is moved any more.
func (s *sheet) after(i int, what string, volts float64) {
	key := func(k string) string { return fmt.Sprintf("%s %d", k, i) }
	s.near(key("part"), "Read "+what, "End to end. The plus end is marked as such, from this reading.", volts)
	s.say(key("ends"), "Ends of "+what, "A stud or post at each new end, covered; every old sense lead that lost its "+
		"use insulated by itself, none cut together; no swarf left; its own label on it.")
	s.say(key("press"), "Compression of "+what, "End plates on and tightened by the maker's data for that stack, "+
		"before it is charged. Without such data: as they were, and no charge before somebody knows.")
	s.thickness(key("thickness"), "Thickness of "+what, 0)
	s.add(gates.Step{Key: key("isolation"), Title: "The case of " + what, Must: true, Ask: gates.AskIsolation,
		ExpectVolts: volts, Do: "Both ends against the case, and end to end."})
}

// opened makes k groups of each: bars and links come off, every step is read, and they are joined anew.
func (s *sheet) opened(k int) {
	for at := 1; at < len(s.Volts); at++ {
		s.off(at, "")
	}
	for g, volts := range s.Volts {
		s.nothing(fmt.Sprintf("bars %d", g+1), fmt.Sprintf("The bars across group %d", g+1),
			"From element to element at the plus end while the bar is on: nothing flows, so it shows next to nothing. "+
				"Then take the bars off at both ends.", limits.IdleLinkVolts)
		for e := range k {
			s.near(fmt.Sprintf("element %d %d", g+1, e+1), fmt.Sprintf("Read step %d of group %d", e+1, g+1),
				"Minus probe on its minus end. Mark its plus end.", volts)
			if s.v.Elements > 1 {
				s.nothing(fmt.Sprintf("across %d %d", g+1, e+1), fmt.Sprintf("Bars across step %d of group %d",
					e+1, g+1), "The bar at the minus end first. Then across the gap at the plus end, before that bar "+
					"goes on.", limits.JoinVolts)
			}
		}
	}
	sum, n := 0.0, 0
	for g, volts := range s.Volts {
		for e := range k {
			if n > 0 {
				s.nothing(fmt.Sprintf("gap %d", n), fmt.Sprintf("Link %d, from plus to the minus of "+
					"step %d of group %d", n, e+1, g+1), "Read across its gap before it goes on: near zero. "+
					"The voltage of one or more steps means that it would close a loop. Then fit it.", limits.GapVolts)
			}
			n++
			sum += volts
			if n > 1 {
				s.near(fmt.Sprintf("up %d", n), fmt.Sprintf("Read from the minus end to the plus of link %d", n-1),
					fmt.Sprintf("%d steps in series now.", n), sum)
			}
		}
	}
	s.after(1, Parts(s.v, s.Module)[0].Number, sum)
}

// closed joins k neighbouring groups in parallel: their links come off, they are levelled, and joined at both ends.
func (s *sheet) closed(k int) {
	for at := 1; at < len(s.Volts); at++ {
		if at%k != 0 {
			s.off(at, "")
		}
	}
	total := 0.0
	for set := range s.v.Series {
		first := set * k
		for g := first + 1; g < first+k; g++ {
			s.add(gates.Step{Key: fmt.Sprintf("level %d", g+1), Must: true, Ask: gates.AskTotals,
				Title: fmt.Sprintf("Groups %d and %d, before they are joined", first+1, g+1),
				Do: "Each by itself, one meter, one sitting. Apart by more: level them through a resistor " +
					"first.",
				ExpectVolts: s.Volts[g], Other: fmt.Sprintf("group %d", first+1), OtherVolts: s.Volts[first],
				High: limits.JoinVolts * 1000})
			s.nothing(fmt.Sprintf("minus %d", g+1), fmt.Sprintf("Bar from minus of group %d to minus of group %d",
				first+1, g+1), "Read across its gap: near zero. The voltage of a group means that it would close a "+
				"loop. Then fit it.", limits.GapVolts)
			s.nothing(fmt.Sprintf("plus %d", g+1), fmt.Sprintf("Bar from plus of group %d to plus of group %d",
				first+1, g+1), "Read across its gap once more: what is left flows through it. Then fit it.",
				limits.JoinVolts)
		}
		mean := s.total(first, first+k) / float64(k)
		s.near(fmt.Sprintf("set %d", set+1), fmt.Sprintf("Read set %d, groups %d to %d", set+1, first+1, first+k),
			"End to end.", mean)
		total += mean
	}
	s.after(1, Parts(s.v, s.Module)[0].Number, total)
}

// LooksLike says what a reading that does not pass most looks like. It returns nothing where that is not known.
func LooksLike(m Module, st gates.Step, volts float64) []finding.Finding {
	if st.Unit != "V" {
		return nil
	}
	is := func(l finding.Level, code string, limit float64, do, format string, args ...any) []finding.Finding {
		return []finding.Finding{finding.New(l, code).About(st.Title).Reads(volts, "V").Against(limit).By(rule).
			Says(format, args...).Then("%s", do)}
	}
	size := math.Abs(volts)
	switch {
	case st.Low > 0 && size <= limits.GapVolts:
		return is(finding.Note, codeTouches, st.Low, "Prove the meter on a known source, and read again.",
			"Next to nothing: the probes touch nothing, or one post twice.")
	case st.Low > 0 && volts > 0:
		return is(finding.Note, codeNotIt, st.Low, "Read again. If it stays, stop here and survey it.",
			"Not what the survey said of these groups: charged, discharged or leaked since, or not between these ends.")
	case st.Low > 0 || st.High <= 0 || size <= st.High:
		return nil
	case st.High == limits.JoinVolts:
		return is(finding.Stop, codeApart, st.High, "Level them through a resistor, and read again.",
			"They are that far apart: the difference would flow through the bar at once.")
	case st.High <= limits.IdleLinkVolts:
		return is(finding.Stop, codeFlows, st.High,
			"Do not loosen it: it would draw an arc. Find what carries current.",
			"A closed link shows voltage only while current flows through it, or when it is bad or not closed.")
	}
	for n := 1; n <= len(m.Volts); n++ {
		for a := 0; a+n <= len(m.Volts); a++ {
			if sum := m.total(a, a+n); math.Abs(size-sum) <= limits.StepTolerance(sum) {
				return is(finding.Stop, codeJoined, st.High, leave,
					"That is what %s: the two sides are still joined by something else, and closing the gap would "+
						"short it.", numeral.Count(n, "group")+" "+hold(n))
			}
		}
	}
	return is(finding.Stop, codeJoined, st.High, leave,
		"The two sides are still joined by something, or the probes do not touch the two that are meant.")
}

// leave is what to do with a gap that has voltage across it.
const leave = "Nothing goes across that gap. Find what joins the two sides."

func hold(n int) string {
	if n == 1 {
		return "holds"
	}
	return "hold"
}
