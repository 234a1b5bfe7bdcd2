// Package mount is how a module takes what is bolted to it, and how its cells are held: its posts, their threads and
// torque, the form of its cells and the force that presses them.
//
// A screw that is too long tightens on the bottom of its hole and leaves the bar loose; one that is too short strips.
// Cells in pouches have no case of their own: without even pressure by the maker's data they swell as they are charged.
package mount

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const rule = "rules §10"

// The codes of its findings: files and records name them, so none is ever renamed.
const (
	codeHole     = "hole-too-shallow"
	codePressure = "pouches-not-pressed"
)

// Kinds of post.
const (
	Stud  = "stud"
	Screw = "screw"
	Bolt  = "bolt" // through, with a nut behind
	Tab   = "tab"  // clamped or welded
)

// Forms of cells.
const (
	Pouch = "pouch"
	Hard  = "hard" // in a case of metal that is pressed between plates
	Round = "round"
)

// Mount is what somebody wrote down of a type; zero and "" where it is not known.
type Mount struct {
	Post     string  `json:"post,omitempty"`
	ThreadMM float64 `json:"thread_mm,omitempty"`
	HoleMM   float64 `json:"hole_mm,omitempty"` // usable depth of a screw's hole
	Metal    string  `json:"metal,omitempty"`   // of that hole: steel, brass or aluminium
	TorqueNm float64 `json:"torque_nm,omitempty"`
	Cells    string  `json:"cells,omitempty"`
	PressKN  float64 `json:"press_kn,omitempty"` // by the maker's data, over a whole stack
	Held     string  `json:"held,omitempty"`     // by what, in words
}

// What may be said of a post, of the metal of its hole and of cells, with the words for it.
var (
	Posts = [][2]string{{"", "not known"}, {Stud, "a stud"}, {Screw, "a screw into a hole"}, {Bolt,
		"a bolt with a nut"},
		{Tab, "a tab"}}
	Metals = [][2]string{{"", "not known"}, {"steel", "steel"}, {"brass", "brass"}, {"aluminium", "aluminium"}}
	Forms  = [][2]string{{"", "not known"}, {Pouch, "pouches"}, {Hard, "hard cases"}, {Round, "round cells"}}
)

func among(v string, list [][2]string) bool {
	return slices.ContainsFunc(list, func(x [2]string) bool { return x[0] == v })
}

// Check says what cannot be used: the field and what was expected, "" for nothing.
func (m Mount) Check() (field, text string) {
	switch {
	case !among(m.Post, Posts):
		return "post", "expected a stud, a screw, a bolt or a tab"
	case !among(m.Metal, Metals):
		return "metal", "expected steel, brass or aluminium"
	case !among(m.Cells, Forms):
		return "cells", "expected pouches, hard cases or round cells"
	case !(m.ThreadMM == 0 || m.ThreadMM >= 1 && m.ThreadMM <= 40):
		return "thread_mm", "expected its nominal diameter, 1 to 40 mm: 8 for M8"
	case !(m.HoleMM == 0 || m.HoleMM >= 1 && m.HoleMM <= 200):
		return "hole_mm", "expected 1 to 200 mm, measured in the hole"
	case !(m.TorqueNm == 0 || m.TorqueNm >= 0.1 && m.TorqueNm <= 200):
		return "torque_nm", "expected 0.1 to 200 Nm, from the maker's data"
	case !(m.PressKN == 0 || m.PressKN >= 0.01 && m.PressKN <= 200):
		return "press_kn", "expected 0.01 to 200 kN, from the maker's data"
	case len([]rune(m.Held)) > 120:
		return "held", "expected up to 120 letters"
	}
	return "", ""
}

// need is what must hold in a screw's hole, mm: without the metal the softer one.
func (m Mount) need() float64 {
	x, err := sizing.Screwing(sizing.Screw{ThreadMM: m.ThreadMM, In: m.Metal})
	if err != nil {
		return 0
	}
	return x.NeedMM
}

// String says the post in a few words: "M8 screw, 12 mm deep in brass", "" where nothing is known.
func (m Mount) String() string {
	if m.Post == "" {
		return ""
	}
	out := m.Post
	if m.ThreadMM > 0 {
		out = fmt.Sprintf("M%s %s", numeral.Text(m.ThreadMM), m.Post)
	}
	if m.Post == Screw && m.HoleMM > 0 {
		out += fmt.Sprintf(", %s mm deep", numeral.Text(m.HoleMM))
	}
	if m.Post == Screw && m.Metal != "" {
		out += " in " + m.Metal
	}
	return out
}

// Fastener is what to have on the bench for a post, with the length that it must have beside what is stacked on it.
func (m Mount) Fastener() string {
	out := m.String()
	switch {
	case m.Post == Screw && m.ThreadMM > 0 && m.HoleMM > 0:
		return fmt.Sprintf("%s: as long as what is stacked and %s to %s mm more", out, numeral.Text(m.need()),
			numeral.Text(m.HoleMM-sizing.TipClearMM))
	case m.Post == Screw && m.ThreadMM > 0:
		return fmt.Sprintf("%s: as long as what is stacked and at least %s mm more; measure how deep the hole is", out,
			numeral.Text(m.need()))
	case m.Post == Bolt && m.ThreadMM > 0:
		nut, pitch := sizing.NutMM(m.ThreadMM)
		return fmt.Sprintf("%s: as long as what is stacked, a washer on both sides, and %s mm more", out,
			numeral.Text(numeral.Round3(nut+2*pitch)))
	}
	return out
}

// Torque says how tight, "" where the maker's figure is not on record.
func (m Mount) Torque() string {
	if m.TorqueNm <= 0 {
		return ""
	}
	return fmt.Sprintf("%s Nm", numeral.Text(m.TorqueNm))
}

// Presses says how its cells are to be held, "" where they need nothing.
func (m Mount) Presses() string {
	var t []string
	if m.PressKN > 0 {
		t = append(t, fmt.Sprintf("%s kN over the whole stack, even", numeral.Text(m.PressKN)))
	}
	if m.Held != "" {
		t = append(t, m.Held)
	}
	return strings.Join(t, "; ")
}

// Findings are what speaks against building with a module of a type that is mounted so.
func (m Mount) Findings(of string) (out []finding.Finding) {
	if m.Post == Screw && m.ThreadMM > 0 && m.HoleMM > 0 && m.HoleMM < m.need()+sizing.TipClearMM {
		out = append(out, finding.New(finding.Stop, codeHole).About(of).Reads(m.HoleMM, "mm").
			Against(m.need()+sizing.TipClearMM).By(rule).
			Says("A hole %s mm deep is too shallow for an M%s screw: %s mm of thread must hold, and %s mm stay free "+
				"under its tip.", numeral.Text(m.HoleMM), numeral.Text(m.ThreadMM), numeral.Text(m.need()),
				numeral.Text(sizing.TipClearMM)).
			Then("Measure the hole again. Else a stud, or another way to fix the bar.").At(finding.PlaceType))
	}
	if m.Cells == Pouch && m.PressKN <= 0 {
		out = append(out, finding.New(finding.Stop, codePressure).About(of).By("rules §10; hazards").
			Says("Its cells are pouches, and nobody wrote down with what force they must be pressed: they swell as "+
				"they are charged.").
			Then("Write the maker's figure on its type.").At(finding.PlaceType))
	}
	return out
}
