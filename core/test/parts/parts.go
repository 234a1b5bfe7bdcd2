// Package parts puts tests of parts of a module together (rules §17, part of a module tested).
//
// Halves, blocks and single groups that were each charged to full and discharged to the floor fill a module group by
// group. As one string it gives what its weakest part gave: what is left in the others then, no balancing gets out. A
// part that was tested alone stands elsewhere in charge than its siblings: Return says how much it wants back before
// the module is one again.
package parts

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const (
	rule = "rules §17, part of a module tested"
	// alikeShare of the weaker part's charge: halves that differ by less agree within what two tests can tell.
	alikeShare = 0.03
	// splitShare is the difference from which a module is worth more in two parts.
	splitShare = 0.10
	// weakShare of the median of its siblings marks a group that holds the others back.
	weakShare = 0.90
	// MatchShare of a group's charge is how far groups may lie apart and count as matched.
	MatchShare = 0.05
	// MatchVolts is how close rest voltages must lie to be alike where the curve is flat.
	MatchVolts = 0.005
)

// Tested is a test of groups From to To alone, from 1. One that is not Complete is 'at least'; HoldsAh and HoldsMostAh
// are what they hold by their rest volts before and after it, 0 where those tell nothing. EndedBy is the group, of the
// module, that ended it; 0 for not known. Later tests stand behind earlier ones.
type Tested struct {
	From, To      int
	Ah            float64
	UncertaintyAh float64
	Complete      bool
	HoldsAh       float64
	HoldsMostAh   float64
	EndedBy       int
}

// Name is the part in words.
func (t Tested) Name() string { return Name(t.From, t.To) }

// Name says which groups a part is.
func Name(from, to int) string {
	if from == to {
		return fmt.Sprintf("group %d", from)
	}
	return fmt.Sprintf("groups %d to %d", from, to)
}

// Part is one part of the module with the test that counts for it.
type Part struct {
	Tested
	SparesAh float64 // what is left in it when the module's weakest part ends
}

// Joined is what tests of parts say of the module. AtLeast is true while a part is missing or only 'at least': then
// AhMost is the roof that the parts tested set.
type Joined struct {
	Parts         []Part // in order of their groups
	Missing       []int  // groups of which nothing complete was tested
	Ah            float64
	UncertaintyAh float64
	Complete      bool
	AtMostAh      float64 // 0 for no roof
	LikelyAh      float64 // what the part that sets the roof holds, likely; 0 for no roof
	AtLeastAh     float64 // what every part gave at least, 0 while there is one of which nothing is known
	WeakestFrom   int
	WeakestTo     int
	ApartAh       float64 // between the strongest and the weakest part
	Findings      []finding.Finding
}

// Join puts the tests of a module of series groups together. Of several complete tests of a group the first counts, as
// for a whole module. It fails for parts that the module does not have.
func Join(series int, tests []Tested) (Joined, error) {
	var j Joined
	if series < 1 {
		return j, fmt.Errorf("%s: expected at least 1", numeral.Count(series, "group"))
	}
	of := make([]int, series+1) // by group: 1 + the test that counts
	for i, t := range tests {
		if t.From < 1 || t.To < t.From || t.To > series || !(t.Ah >= 0) || math.IsInf(t.Ah, 0) {
			return j, fmt.Errorf("groups %d to %d with %g Ah: expected a part of %s with 0 Ah or more", t.From,
				t.To, t.Ah, numeral.Count(series, "group"))
		}
		if !t.Complete {
			continue
		}
		for g := t.From; g <= t.To; g++ {
			if of[g] == 0 {
				of[g] = i + 1
			}
		}
	}
	used := map[int]bool{}
	for g := 1; g <= series; g++ {
		switch i := of[g]; {
		case i == 0:
			j.Missing = append(j.Missing, g)
		case !used[i]:
			used[i] = true
			j.Parts = append(j.Parts, Part{Tested: tests[i-1]})
		}
	}
	j.AtLeastAh = atLeast(series, of, tests)
	for _, t := range tests {
		j.roof(t.HoldsMostAh, t.HoldsAh)
	}
	if len(j.Parts) == 0 {
		return j, nil
	}
	weakest := slices.MinFunc(j.Parts, func(a, b Part) int { return cmpAh(a.Ah, b.Ah) })
	strongest := slices.MaxFunc(j.Parts, func(a, b Part) int { return cmpAh(a.Ah, b.Ah) })
	j.WeakestFrom, j.WeakestTo, j.ApartAh = weakest.From, weakest.To, strongest.Ah-weakest.Ah
	for i := range j.Parts {
		j.Parts[i].SparesAh = j.Parts[i].Ah - weakest.Ah
	}
	j.roof(weakest.Ah, weakest.Ah)
	if j.Complete = len(j.Missing) == 0; j.Complete {
		j.Ah, j.UncertaintyAh = weakest.Ah, weakest.UncertaintyAh
		for _, p := range j.Parts { // any part that may be the weakest widens it downwards
			if low := p.Ah - p.UncertaintyAh; low < j.Ah-j.UncertaintyAh {
				j.UncertaintyAh = j.Ah - low
			}
		}
	}
	j.say(series, weakest.Tested, strongest.Tested)
	return j, nil
}

// roof lowers what the module holds at most.
func (j *Joined) roof(most, likely float64) {
	if most > 0 && (j.AtMostAh == 0 || most < j.AtMostAh) {
		j.AtMostAh, j.LikelyAh = most, likely
	}
}

// atLeast is what a module gives at least by tests of its parts: in each group what its complete test gave, else the
// most that a part of a discharge did; the least of these. 0 where a group was in no test.
func atLeast(series int, of []int, tests []Tested) float64 {
	least := math.Inf(1)
	for g := 1; g <= series; g++ {
		ah := 0.0
		if i := of[g]; i > 0 {
			ah = max(0, tests[i-1].Ah-tests[i-1].UncertaintyAh)
		} else {
			for _, t := range tests {
				if t.From <= g && g <= t.To {
					ah = max(ah, t.Ah)
				}
			}
		}
		least = min(least, ah)
	}
	return least
}

func cmpAh(a, b float64) int {
	switch {
	case a < b:
		return -1
	case a > b:
		return 1
	}
	return 0
}

// say words what the parts mean for the module.
func (j *Joined) say(series int, weakest, strongest Tested) {
	add := func(f finding.Finding) { j.Findings = append(j.Findings, f.Or(weakest.Name(), rule)) }
	if !j.Complete {
		add(finding.New(finding.Caution, codePartsMissing).Reads(float64(len(j.Missing)), "groups").Against(0).
			Says("Nothing complete was tested of %s. The module holds at most %.1f Ah: %s gave no more.",
				list(j.Missing), weakest.Ah, weakest.Name()).
			Then("Test what is missing, from full to the floor, before it is graded."))
		return
	}
	if len(j.Parts) == 1 {
		return
	}
	share := 0.0
	if weakest.Ah > 0 {
		share = j.ApartAh / weakest.Ah
	}
	both := fmt.Sprintf("%s gave %.1f Ah, %s %.1f Ah", weakest.Name(), weakest.Ah, strongest.Name(), strongest.Ah)
	u := math.Hypot(weakest.UncertaintyAh, strongest.UncertaintyAh)
	switch {
	case share <= alikeShare || j.ApartAh <= u:
		add(finding.New(finding.Note, codePartsAlike).
			Reads(numeral.Round3(j.ApartAh), "Ah").Against(numeral.Round3(max(u, alikeShare*weakest.Ah))).
			Says("%s", upper(both)+": they agree. As one the module gives the weaker figure.").
			Then("Nothing."))
	case share < splitShare:
		add(finding.New(finding.Caution, codePartsDiffer).
			Reads(numeral.Round3(j.ApartAh), "Ah").Against(numeral.Round3(alikeShare*weakest.Ah)).
			Says("%s: %.1f Ah apart. As one the module gives %.1f Ah, and the rest stays in the stronger part: no "+
				"balancing gets it out.", upper(both), j.ApartAh, weakest.Ah).
			Then("Match it by its weaker part."))
	default:
		do := "Match it by its weaker part, or use its parts apart where it can be split."
		if len(j.Parts) == series {
			do = "Look at that group alone: its contacts, its parallel cells. Without it the others are worth more."
		}
		add(finding.New(finding.Caution, codePartsFarApart).
			Reads(numeral.Round3(j.ApartAh), "Ah").Against(numeral.Round3(splitShare*weakest.Ah)).
			Says("%s: %.0f %% apart. As one the module gives %.1f Ah.", upper(both), share*100, weakest.Ah).
			Then("%s", do))
	}
	if len(j.Parts) != series || series < 3 {
		return
	}
	var ahs []float64
	for _, p := range j.Parts {
		ahs = append(ahs, p.Ah)
	}
	slices.Sort(ahs)
	median := (ahs[(series-1)/2] + ahs[series/2]) / 2
	for _, p := range j.Parts {
		if p.Ah < weakShare*median {
			j.Findings = append(j.Findings, finding.New(finding.Caution,
				codeWeakGroup).About(p.Name()).Reads(numeral.Round3(p.Ah),
				"Ah").Against(numeral.Round3(weakShare*median)).By(rule).
				Says("Group %d gave %.1f Ah, the middle one of its siblings %.1f Ah.", p.From, p.Ah, median).
				Then("It ends every discharge of the module. Read its parallel cells apart where they can be reached."))
		}
	}
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// list names groups, runs of them together.
func list(groups []int) string {
	var out []string
	for i := 0; i < len(groups); {
		k := i
		for k+1 < len(groups) && groups[k+1] == groups[k]+1 {
			k++
		}
		out = append(out, Name(groups[i], groups[k]))
		i = k + 1
	}
	return strings.Join(out, " and ")
}

// State is where a group stands in charge: by its rest volts, or at the floor after a test that ended there. Ah is what
// it holds, 0 for the module's figure.
type State struct {
	RestVolts float64 // 0 for not known
	AtFloor   bool
	Ah        float64
}

// Move is what a part wants back to stand where its siblings do.
type Move struct {
	From, To int
	Ah       float64
	Wide     bool // the rest volts lie where the curve is flat: the figure is a guide, volts decide
}

// Return says which groups want how much back to stand with the highest of their siblings, neighbours that want alike
// together. matched is true where no group is further away than may be. ah is what a group holds where its own figure
// is not known. It fails for a chemistry that is not known, and where a group's state is.
func Return(states []State, id chem.ID, ah float64) (moves []Move, matched bool, err error) {
	c, err := chem.Lookup(id)
	if err != nil {
		return nil, false, err
	}
	soc := make([]float64, len(states))
	flat := make([]bool, len(states))
	low, high := math.Inf(1), math.Inf(-1)
	volts := true
	for i, s := range states {
		switch {
		case s.AtFloor:
			volts = false
		case s.RestVolts > 0:
			soc[i] = c.Curve.SoC(s.RestVolts)
			iv := c.Curve.SoCInterval(s.RestVolts, MatchVolts+c.HysteresisVolts)
			flat[i] = iv.High-iv.Low > 2*MatchShare
			low, high = min(low, s.RestVolts), max(high, s.RestVolts)
		default:
			return nil, false, fmt.Errorf("group %d: expected its rest volts, or that it was left at the floor", i+1)
		}
	}
	top := slices.Max(append(slices.Clone(soc), 0))
	matched = true
	for i, s := range states {
		holds := s.Ah
		if holds == 0 {
			holds = ah
		}
		want := (top - soc[i]) * holds
		if want <= MatchShare*holds || volts && high-low <= MatchVolts {
			continue
		}
		matched = false
		n := len(moves)
		if n > 0 && moves[n-1].To == i && math.Abs(moves[n-1].Ah-want) <= MatchShare*holds {
			moves[n-1].To, moves[n-1].Wide = i+1, moves[n-1].Wide || flat[i]
			continue
		}
		moves = append(moves, Move{From: i + 1, To: i + 1, Ah: want, Wide: flat[i]})
	}
	for i, s := range soc { // a high sibling on a flat stretch leaves every figure wide
		if s == top && flat[i] {
			for k := range moves {
				moves[k].Wide = true
			}
		}
	}
	return moves, matched, nil
}

// String words a move.
func (m Move) String() string {
	about := ""
	if m.Wide {
		about = "about "
	}
	return fmt.Sprintf("%s%.1f Ah into %s", about, m.Ah, Name(m.From, m.To))
}

// Words joins moves.
func Words(moves []Move) string {
	var out []string
	for _, m := range moves {
		out = append(out, m.String())
	}
	return strings.Join(out, ", ")
}
