// Package variant works out what else a module type could be: the same cells with bolted links
// moved, or cut into equal parts.
//
// Method. A module is S groups in series, each of P elements in parallel; an element is the smallest stack that its
// links leave whole. Moving links regroups the S·P elements into S' in series and P' in parallel with S'·P' = S·P;
// energy stays, since every element stays. For a lesser P (2P2S to 4S) each group is opened into P/P' groups in series,
// which needs the bonds across the elements to be bolted and the series joints too, since a joint that is left holds
// the elements of its groups together at that end; for a greater P neighbouring groups are joined, which needs the
// series joints between them to be bolted too. Cutting at a series joint leaves modules of S/n groups each. What is
// welded cannot be moved or cut: never through a conductor.
package variant

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// How elements are joined.
const (
	Bolted  = "bolted"
	Welded  = "welded"
	Unknown = ""
)

// Kinds of variants.
const (
	AsDelivered = "as delivered"
	LinksMoved  = "links moved"
	Cut         = "cut"
)

// Inside is what is known of a module type. Joints has an entry for each of the Series−1 series joints, from the main
// negative up; Across is how the parallel elements of a group are joined, not asked for with one element. Taps has, for
// each node 0…Series, the points on it. GroupAh is the rated capacity of a group.
type Inside struct {
	Series    int
	Elements  int
	Joints    []string
	Across    string
	Taps      [][]string
	GroupAh   float64
	Chemistry chem.ID
}

// Told is what somebody wrote down of a type's inside: how many elements are in parallel in each group, as far as
// they could be parted, how the groups are joined from the main negative up, and how the elements of a group are.
type Told struct {
	Elements int      `json:"Elements"`
	Joints   []string `json:"Joints"`
	Across   string   `json:"Across"`
}

// Fill makes the joints of a module of series groups complete: unknown where nothing was said. parallel is the cells in
// parallel, which count as elements while nothing was said of those.
func (t Told) Fill(series, parallel int) Told {
	if t.Elements < 1 {
		t = Told{Elements: max(1, parallel)}
	}
	t.Joints = slices.Clone(t.Joints)
	for len(t.Joints) < series-1 {
		t.Joints = append(t.Joints, Unknown)
	}
	t.Joints = t.Joints[:max(0, series-1)]
	return t
}

// Node is a node of a variant: the points known on it, whether there is a post or stud to connect
// to, and whether it is new.
type Node struct {
	Points []string
	Post   bool
	New    bool
}

// Variant is one way to use a module type. Pieces is the number of modules it becomes; Series,
// Elements and GroupAh are of one piece. Nodes are those of the first piece, from its negative end.
type Variant struct {
	Kind     string
	Title    string
	Possible bool
	Pieces   int
	Series   int
	Elements int
	GroupAh  float64
	LowVolts float64 // nominal voltage of one piece
	EnergyWh float64 // nominal, of all pieces together
	Do       []string
	Costs    []string
	Nodes    []Node
	TapsLost []string // points that no longer sit on a node of their own use
	Findings []finding.Finding
}

// Key names a way of a type among the others.
func (v Variant) Key() string {
	switch v.Kind {
	case Cut:
		return fmt.Sprintf("cut-%d", v.Pieces)
	case LinksMoved:
		return fmt.Sprintf("series-%d", v.Series)
	}
	return "delivered"
}

// Share is what one group of it carries of what a group of elements elements carried: amps, and amp hours.
func (v Variant) Share(elements int) float64 { return float64(v.Elements) / float64(max(1, elements)) }

// Cells are the cells in parallel in one group of it, of so many in a group of elements elements; 0 where they do not
// share out.
func (v Variant) Cells(parallel, elements int) int {
	if n := parallel * v.Elements; elements > 0 && n%elements == 0 {
		return n / elements
	}
	return 0
}

const rule = "rules §7, §18"

// Variants returns all ways, as delivered first, then links moved, then cuts. Ways that are not
// possible are listed with the reason. It fails when Inside contradicts itself.
func Variants(in Inside) ([]Variant, error) {
	if in.Series < 1 || in.Series > 400 || in.Elements < 1 || in.Elements > 100 {
		return nil, fmt.Errorf("%s of %d elements: expected at least 1 of each", numeral.Count(in.Series, "group"),
			in.Elements)
	}
	if len(in.Joints) != in.Series-1 {
		return nil, fmt.Errorf("%s for %s: expected %d, one between each two groups", numeral.Count(len(in.Joints),
			"joint"),
			numeral.Count(in.Series, "group"), in.Series-1)
	}
	if len(in.Taps) != in.Series+1 {
		return nil, fmt.Errorf("points for %d nodes of %s: expected %d", len(in.Taps), numeral.Count(in.Series,
			"group"), in.Series+1)
	}
	for i, j := range append(slices.Clone(in.Joints), in.Across) {
		if j != Bolted && j != Welded && j != Unknown {
			return nil, fmt.Errorf("joint %d is %q: expected bolted, welded or not known", i+1, j)
		}
	}
	out := []Variant{in.delivered()}
	n := in.Series * in.Elements
	for s := 1; s <= n; s++ {
		if n%s != 0 || s == in.Series {
			continue
		}
		if s > in.Series && s%in.Series == 0 || s < in.Series && in.Series%s == 0 {
			out = append(out, in.moved(s))
		}
	}
	for pieces := 2; pieces <= in.Series; pieces++ {
		if in.Series%pieces == 0 {
			out = append(out, in.cut(pieces))
		}
	}
	return out, nil
}

func (in Inside) make(kind string, pieces, series, elements int) Variant {
	v := Variant{Kind: kind, Possible: true, Pieces: pieces, Series: series, Elements: elements,
		GroupAh: in.GroupAh * float64(elements) / float64(in.Elements)}
	if c, err := chem.Lookup(in.Chemistry); err == nil {
		v.LowVolts = float64(series) * c.NominalVolts
		v.EnergyWh = float64(pieces) * v.LowVolts * v.GroupAh
	}
	return v
}

func (v *Variant) find(l finding.Level, code, text, do string) {
	v.Findings = append(v.Findings, finding.New(l, code).About(v.Title).By(rule).
		Says("%s", text).
		Then("%s", do).At(finding.PlaceJoints))
	if l >= finding.Stop {
		v.Possible = false
	}
}

func (in Inside) delivered() Variant {
	v := in.make(AsDelivered, 1, in.Series, in.Elements)
	v.Title = fmt.Sprintf("As delivered, %d in series", in.Series)
	v.Do = []string{"Nothing to change."}
	v.Costs = []string{"nothing"}
	for i, p := range in.Taps {
		v.Nodes = append(v.Nodes, Node{Points: p, Post: i == 0 || i == in.Series})
	}
	return v
}

// before and after frame every change.
var (
	before = []string{"Map one module and survey it before anything is loosened.",
		"Sense plug out. Cover every post that is not being worked on; insulated tools; one joint at a time."}
	after = []string{"Map it again: the layout is now another one, and gets a type of its own.",
		"Isolation to the case, and thickness under the end plates, as before."}
)

func steps(mid ...string) []string { return append(append(slices.Clone(before), mid...), after...) }

// moved is the type with its links moved to another count of groups.
//
// In one piece: what moving one link does to the next cannot be told apart from it.
func (in Inside) moved(series int) Variant {
	elements := in.Series * in.Elements / series
	v := in.make(LinksMoved, 1, series, elements)
	v.Title = fmt.Sprintf("Links moved, %d in series, %d in parallel", series, elements)
	up := series > in.Series
	k := 1
	if up {
		k = series / in.Series
		if in.Across != Bolted {
			v.across(in.Across)
		}
		v.joints(in.Joints, func(int) bool { return true })
	} else {
		k = in.Series / series
		if in.Elements > 1 && in.Across != Bolted {
			v.across(in.Across)
		}
		v.joints(in.Joints, func(n int) bool { return n%k != 0 })
	}
	if !v.Possible {
		return v
	}
	if up {
		across := ""
		if elements > 1 {
			across = fmt.Sprintf(", with bars across its %d elements at both ends", elements)
		}
		v.Do = steps(fmt.Sprintf("Take off the bars across the elements of each group and the links between the "+
			"groups. Then join them anew: %s%s, %s in series.", numeral.Count(series, "step"), across,
			numeral.Count(series-1, "link")),
			"Before each link goes on, measure across its gap: it settles near zero. The voltage of one or more "+
				"groups means that the link would close a loop: stop.")
		v.Costs = []string{fmt.Sprintf("the bars across %s and %s between them come off", numeral.Count(in.Series,
			"group"),
			numeral.Count(in.Series-1, "link")), fmt.Sprintf("%s to make, with lugs, spacers and covers",
			numeral.Count(series-1, "link")),
			fmt.Sprintf("%d new taps for sense leads, and the old ones fixed anew", series-in.Series)}
		for i := range in.Series {
			v.Nodes = append(v.Nodes, Node{Points: in.Taps[i], Post: i == 0})
			for range k - 1 {
				v.Nodes = append(v.Nodes, Node{Post: true, New: true})
			}
		}
		v.Nodes = append(v.Nodes, Node{Points: in.Taps[in.Series], Post: true})
		v.find(finding.Caution, codeUnequalElements, "Elements that were in parallel become groups of their own: "+
			"their capacities and charge were never seen apart.", "Survey every new group, and test capacity "+
			"again, before it goes into a bank.")
		v.find(finding.Caution, codeHalfCurrent, fmt.Sprintf("A group has %d of %d elements left: the module's "+
			"current rating falls to the same share.", elements, in.Elements), "Write the new rating on the type.")
	} else {
		joined := in.Series - series
		v.Do = steps(fmt.Sprintf("Take off the series links inside each set of %s, %d in all, then join the "+
			"groups of a set at both ends with bars.", numeral.Count(k, "group"), joined),
			"Before groups are joined in parallel they must be within 50 mV, or as the joining rule allows: "+
				"equalise through a resistor first.")
		v.Costs = []string{fmt.Sprintf("to take off: %s", numeral.Count(joined, "series link")),
			fmt.Sprintf("%s to make, each for the current of %d elements", numeral.Count(2*series, "bar"), elements)}
		for i := 0; i <= in.Series; i += k {
			v.Nodes = append(v.Nodes, Node{Points: in.Taps[i], Post: true})
		}
		for i := 1; i < in.Series; i++ {
			if i%k != 0 {
				v.TapsLost = append(v.TapsLost, in.Taps[i]...)
			}
		}
		v.find(finding.Stop, codeJoining, "Groups of different charge are joined onto each other.",
			"Only within 50 mV, group by group. The predicted current decides: it is not computed here.")
		v.Possible = true // the stop is for the step, not for the way
		if len(v.TapsLost) > 0 {
			v.find(finding.Caution, codeDeadTaps, "Taps that no longer step up in order: "+fmt.Sprint(len(v.TapsLost))+
				".", "Cut none of them bare: insulate each, and do not use the old connector.")
		}
	}
	if v.Title != "" && in.anyPoints() {
		v.find(finding.Caution, codeOldConnector, "The connector's pins no longer step up one group at a time.",
			"Do not plug an old adapter or harness into it. Label the module.")
	}
	return v
}

func (in Inside) anyPoints() bool {
	for i, p := range in.Taps {
		if i > 0 && i < in.Series && len(p) > 0 {
			return true
		}
	}
	return false
}

func (v *Variant) across(how string) {
	if how == Welded {
		v.find(finding.Refuse, codeWelded, "The elements of a group are welded to each other.",
			neverCut)
		return
	}
	v.find(finding.Stop, codeNotKnown, "It is not known whether the elements of a group are bolted or welded to "+
		"each other.", lookFirst)
}

// joints judges those joints that must come off: joint n lies between groups n and n+1.
func (v *Variant) joints(how []string, off func(n int) bool) {
	var welded, open []string
	for i, h := range how {
		between := fmt.Sprintf("%d and %d", i+1, i+2)
		switch {
		case !off(i+1) || h == Bolted:
		case h == Welded:
			welded = append(welded, between)
		default:
			open = append(open, between)
		}
	}
	switch len(welded) {
	case 0:
	case 1:
		v.find(finding.Refuse, codeWelded, "The joint between groups "+welded[0]+" is welded.", neverCut)
	default:
		v.find(finding.Refuse, codeWelded, fmt.Sprintf("%d joints are welded: between groups %s.", len(welded),
			strings.Join(welded, ", ")), neverCut)
	}
	switch len(open) {
	case 0:
	case 1:
		v.find(finding.Stop, codeNotKnown, "It is not known whether the joint between groups "+open[0]+" is bolted or "+
			"welded.", lookFirst)
	default:
		v.find(finding.Stop, codeNotKnown, fmt.Sprintf("It is not known whether %d joints are bolted or "+
			"welded: between "+
			"groups %s.", len(open), strings.Join(open, ", ")), lookFirst)
	}
}

// What to do where joints are welded, and where nobody looked.
const (
	neverCut  = "Not possible: never cut a conductor with voltage across it."
	lookFirst = "Look, and write it on the type."
)

func (in Inside) cut(pieces int) Variant {
	k := in.Series / pieces
	v := in.make(Cut, pieces, k, in.Elements)
	v.Title = fmt.Sprintf("Cut into %d, %d in series each", pieces, k)
	v.joints(in.Joints, func(n int) bool { return n%k == 0 })
	if !v.Possible {
		return v
	}
	v.Do = steps(fmt.Sprintf("Take off the %s between the parts: between groups %s.", numeral.Count(pieces-1, "link"),
		between(k, in.Series)),
		"Measure across each gap before the next link is touched. Each part gets its own cover, label and end plates.")
	v.Costs = []string{fmt.Sprintf("to take off: %s", numeral.Count(pieces-1, "link")),
		fmt.Sprintf("%d new ends need a stud, a cover "+
			"and a label", 2*(pieces-1)), "end plates and compression for every part"}
	for i := 0; i <= k; i++ {
		v.Nodes = append(v.Nodes, Node{Points: in.Taps[i], Post: i == 0 || i == k, New: i == k})
	}
	for i := k + 1; i <= in.Series; i++ {
		v.TapsLost = append(v.TapsLost, in.Taps[i]...)
	}
	v.find(finding.Caution, codeCompression, "The end plates that press the cells were made for the whole stack.",
		"Each part needs the same even pressure, by the maker's data, before it is charged.")
	if in.anyPoints() {
		v.find(finding.Caution, codeOldConnector, "One connector served all groups: it cannot stay in use.",
			"Give each part its own sense leads; insulate every old lead, one at a time.")
	}
	return v
}

func between(k, series int) string {
	s := ""
	for at := k; at < series; at += k {
		if s != "" {
			s += ", "
		}
		s += fmt.Sprintf("%d and %d", at, at+1)
	}
	return s
}
