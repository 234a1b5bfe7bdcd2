package build

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/finding"
)

// Group is one step of the sheet, or several alike that follow each other: one text, the hazards that all of them have,
// and a line for each with its own reading and what is a hazard of it alone. Expect is the range that holds for all of
// them, "" where each has its own.
type Group struct {
	Title   string
	Do      string
	Expect  string
	Hazards []finding.Finding
	Steps   []Step
}

// First and Last are the numbers of its steps.
func (g Group) First() int { return g.Steps[0].Number }

// Last is the number of its last step.
func (g Group) Last() int { return g.Steps[len(g.Steps)-1].Number }

// Alike reports whether it is more than one step.
func (g Group) Alike() bool { return len(g.Steps) > 1 }

// Reach is the most that is within reach after any of its steps.
func (g Group) Reach() (volts float64) {
	for _, s := range g.Steps {
		volts = max(volts, s.ExposedVolts)
	}
	return volts
}

var countWords = []string{"", "", "Two", "Three", "Four", "Five", "Six", "Seven", "Eight", "Nine", "Ten", "Eleven",
	"Twelve"}

// Grouped draws steps together that follow each other and are alike in kind, text and hazards. The order stays as it
// is; nothing is left out.
func Grouped(steps []Step) []Group {
	var out []Group
	for _, s := range steps {
		if n := len(out); n > 0 && s.Kind != "" && alike(out[n-1].Steps[0], s) {
			out[n-1].Steps = append(out[n-1].Steps, s)
			continue
		}
		out = append(out, Group{Do: s.Do, Hazards: s.Hazards, Steps: []Step{s}})
	}
	for i := range out {
		g := &out[i]
		g.Title, g.Expect = g.Steps[0].Title, g.Steps[0].Expect
		if !g.Alike() {
			continue
		}
		word := fmt.Sprint(len(g.Steps))
		if len(g.Steps) < len(countWords) {
			word = countWords[len(g.Steps)]
		}
		g.Title = fmt.Sprintf("%s %s alike", word, plural(g.Steps[0].Kind))
		g.Hazards = slices.DeleteFunc(slices.Clone(g.Hazards), func(f finding.Finding) bool {
			return slices.ContainsFunc(g.Steps, func(s Step) bool { return !holds(s, f) })
		})
		for _, s := range g.Steps {
			if s.Expect != g.Expect {
				g.Expect = ""
			}
		}
	}
	return out
}

func plural(kind string) string {
	if strings.HasSuffix(kind, "s") || strings.HasSuffix(kind, "ch") {
		return kind + "es"
	}
	return kind + "s"
}

// alike reports whether two steps differ in nothing but what they are done on, and in hazards of that place.
func alike(a, b Step) bool { return a.Kind == b.Kind && a.Do == b.Do }

// holds reports whether a step has a hazard; how many volts are within reach is said for the group.
func holds(s Step, f finding.Finding) bool {
	return slices.ContainsFunc(s.Hazards, func(x finding.Finding) bool {
		return x.Code == f.Code && x.Level == f.Level && x.Text == f.Text && x.Do == f.Do
	})
}

// Own are the hazards of a step that not all of its group have.
func (g Group) Own(s Step) []finding.Finding {
	return slices.DeleteFunc(slices.Clone(s.Hazards), func(f finding.Finding) bool {
		return slices.ContainsFunc(g.Hazards, func(x finding.Finding) bool {
			return x.Code == f.Code && x.Text == f.Text
		})
	})
}
