package grade

import (
	"fmt"
	"strings"

	"pandrel/core/base/finding"
)

// leastC is what class C must ask for at least: less is a share typed where per cent are meant.
const leastC = 0.15

// FieldError says which limit cannot be, by the name of its field.
type FieldError struct{ Field, Text string }

func (e *FieldError) Error() string { return e.Text }

// Check fails for limits that contradict each other or mean nothing, naming the first.
func (p Policy) Check() error {
	for _, l := range []struct {
		field       string
		v, low, top float64
		want        string
	}{
		{"class_a", p.ClassA, 0, 1.2, "above 0 and at most 120 % of rated"},
		{"class_b", p.ClassB, 0, p.ClassA, "above 0 and below the limit of class A"},
		{"class_c", p.ClassC, leastC, p.ClassB, "more than 15 % of rated and below the limit of class B"},
		{"resistance", p.ResistanceCap, 1, 10, "above 1 and at most 10 times the type's median"},
	} {
		if !(l.v > l.low) || l.v > l.top || l.v == l.top && (l.field == "class_b" || l.field == "class_c") {
			return &FieldError{l.field, "expected " + l.want}
		}
	}
	return nil
}

// ByCapacity is the class that a capacity alone gives, without all else that a grade asks.
func (p Policy) ByCapacity(ah, ratedAh float64) Class {
	switch {
	case !(ah > 0) || !(ratedAh > 0):
		return Open
	case reaches(ah, ratedAh, p.ClassA):
		return A
	case reaches(ah, ratedAh, p.ClassB):
		return B
	case reaches(ah, ratedAh, p.ClassC):
		return C
	}
	return D
}

// Looser lists the limits that ask for less than those of before, in words: what a shop should have a reason for.
func (p Policy) Looser(before Policy) (out []string) {
	for _, l := range []struct {
		name      string
		now, then float64
	}{{"class A", p.ClassA, before.ClassA}, {"class B", p.ClassB, before.ClassB}, {"class C", p.ClassC,
		before.ClassC}} {
		if l.now < l.then {
			out = append(out, fmt.Sprintf("%s from %.0f %% instead of %.0f %%", l.name, l.now*100, l.then*100))
		}
	}
	if p.ResistanceCap > before.ResistanceCap {
		out = append(out, fmt.Sprintf("resistance up to %.1f times the median instead of %.1f", p.ResistanceCap,
			before.ResistanceCap))
	}
	return out
}

// Known is what was told of a module's groups. EndedBy is the group that ended its discharges, 0 for not known.
type Known struct {
	Series     int
	EndedBy    int
	BalancedAh float64 // what it would give after balancing, 0 for not known
	OthersAh   float64 // what it would give without its weakest part, 0 for not known
}

// NextUse is the best that can be made of a module that no bank takes, best first, and what must not be done with it.
// None for a module that a bank takes, or that is not judged yet.
func NextUse(g Grade, e Evidence, k Known, p Policy) Uses {
	var out Uses
	say := func(l finding.Level, code, text, do string) {
		out = append(out, finding.New(l, code).About(e.Module).By("rules §6").
			Says("%s", text).
			Then("%s", do))
	}
	if g.Fitness != Reject {
		if g.Fitness == Watch && g.Class == C {
			say(finding.Note, codeUseMate, "In parallel with a stronger sibling it carries its share by itself.",
				"One watched module in a string's parallel set at most, each with its own sense leads.")
		}
		return out
	}
	worst := finding.Note
	for _, f := range g.Reasons {
		worst = max(worst, f.Level)
	}
	if worst >= finding.Refuse {
		say(finding.Refuse, codeUseNone, "No part of it goes into a build: what ruled it out cannot be seen to "+
			"be over.",
			"Keep it outside and apart, and hand it to a recycler that takes damaged lithium batteries. Covers, bars "+
				"and leads that never carried its fault may stay.")
		return out
	}
	share := func(ah float64) string { return fmt.Sprintf("%.1f Ah, class %s", ah, p.ByCapacity(ah, e.RatedAh)) }
	switch {
	case e.IsolationFailed:
		say(finding.Stop, codeUseIsolation, "Its fault lies between a group and the case.",
			"Find it before anything else: a bolt, a bent plate, wetness. Mended and measured again it is graded anew.")
	case k.BalancedAh > 0 && p.ByCapacity(k.BalancedAh, e.RatedAh) < g.Class && g.Class == D && worst < finding.Stop:
		say(finding.Note, codeUseBalance, "Balanced at the top it would give "+share(k.BalancedAh)+".",
			"Balance it and test it again before it is taken apart.")
	}
	if k.OthersAh > 0 && k.EndedBy > 0 && p.ByCapacity(k.OthersAh,
		e.RatedAh) < D {
		say(finding.Note, codeUseOthers, fmt.Sprintf("Group %d holds the others back: without it they give at "+
			"least %s.",
			k.EndedBy, share(k.OthersAh)), "Where it can be opened by its recorded steps, use the others as a shorter "+
			"module, "+
			"mapped and surveyed as one of its own.")
	}
	if e.Leaking {
		say(finding.Stop, codeUseLeaking, "A leaking group drains and warms itself wherever it is built in.",
			"Take the leaking group off the others only by recorded steps; the others are tested one by one.")
		return out
	}
	if worst < finding.Stop && g.SoH != nil {
		say(finding.Note, codeUseAlone, fmt.Sprintf("It still gives %.1f Ah by itself.", e.CapacityAh),
			"Alone, not mixed with others: a light load near C/10 with its own monitor, where weight does not matter.")
	}
	say(finding.Note, codeUseParts, "Sense lead, connector, bars, screws, covers and temperature probes are spares.",
		"Note where they came from. What is left goes to a recycler, short circuits prevented.")
	return out
}

// Uses are what can be made of a module, best first.
type Uses []finding.Finding

// UseWords are the texts of uses, for a list.
func UseWords(uses Uses) string {
	var out []string
	for _, f := range uses {
		out = append(out, f.Text)
	}
	return strings.Join(out, " ")
}
