// Package practice makes simulated modules of unknown inside for learning to probe, and judges what the learner found.
//
// A puzzle is built from a case and a seed alone, so that nothing needs to be kept between two readings, and a reading
// from the puzzle and its running number, so that the meter's noise is real and still repeatable.
package practice

import (
	"fmt"
	"math/rand/v2"
	"slices"
	"strings"

	"pandrel/core/base/numeral"
	"pandrel/core/module/isolation"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
	"pandrel/core/trainer/virtual"
)

// Case is a kind of puzzle. Level runs from 1, simple, to 4, nasty.
type Case struct {
	Key   string
	Title string
	Text  string
	Level int
	build func(rng *rand.Rand, p *Puzzle)
}

// Puzzle is a module to be probed. Points lists what a probe can touch, as it lies on the case.
type Puzzle struct {
	Case      Case
	Chemistry chem.ID
	Posts     []string
	Pins      []string
	Truth     Truth

	// AskIsolation is true where the learner is also asked whether the case is isolated.
	AskIsolation bool

	mod      virtual.Module
	face     virtual.Face
	seed     uint64
	leakNode int     // where the case leaks to
	leakOhms float64 // 0 for a case that is isolated
}

// Truth is what is inside.
type Truth struct {
	Series       int
	MainNegative []string
	MainPositive []string
	OddGroup     int // the group out of family, 0 for none
	Dead         []string
	Labels       string // what is wrong with the labels, "" for nothing
	Isolation    string // what is wrong with the isolation, "" for nothing
}

// Answer is what the learner says. Negative and Positive are any point on that node.
type Answer struct {
	Series   int
	Negative string
	Positive string
	OddGroup int
	Isolated string // IsolationKept, IsolationLost, or "" where it was not asked
}

// Answers about the case.
const (
	IsolationKept = "kept"
	IsolationLost = "lost"
)

// CasePoint is the name of the case as a point; every puzzle's can be touched.
const CasePoint = isolation.CasePoint

const meterOhms = 10e6

// Cases returns the puzzles from simple to nasty.
func Cases() []Case {
	return []Case{
		{"three-posts", "Three posts", "Two groups in series with a post between them. The middle post is the " +
			"joint of two groups, not another positive.", 1, threePosts},
		{"seven-pins", "A connector", "Two tab ends and a connector with a pin for every tap.", 1, plain(7)},
		{"doubled", "Doubled pins", "Some pins carry the same tap twice.", 2, doubled},
		{"odd-group", "The odd group", "One group does not belong to the family.", 2, oddGroup},
		{"swapped-labels", "Labels the wrong way round", "What the case says is not what is inside.", 3, swappedLabels},
		{"dead-pin", "A dead pin", "One pin is connected to nothing, and reads zero against everything.", 3, deadPin},
		{"missing-tap", "A missing tap", "Between two pins lie two groups.", 3, missingTap},
		{"lost-isolation", "The case", "Is the case isolated from the cells? Touch it with one probe, and each end " +
			"with the other.", 3, lostIsolation},
		{"nasty", "All of it", "Doubled, dead, odd, and wrongly labelled.", 4, nasty},
	}
}

// New builds the puzzle of a case. It fails for a case that does not exist.
func New(key string, seed uint64) (Puzzle, error) {
	i := slices.IndexFunc(Cases(), func(c Case) bool { return c.Key == key })
	if i < 0 {
		return Puzzle{}, fmt.Errorf("practice case %q: expected one of the cases listed", key)
	}
	p := Puzzle{Case: Cases()[i], Chemistry: chem.NMC, face: virtual.Face{}, seed: seed}
	p.Case.build(rand.New(rand.NewPCG(seed, 0x7072)), &p)
	p.finish()
	return p, nil
}

func (p *Puzzle) module(rng *rand.Rand, series int) {
	p.mod = virtual.New(rng, "practice", virtual.Spec{Chemistry: p.Chemistry, Series: series, RatedAh: 46, SoH: 0.9,
		SoC: 0.45 + 0.2*rng.Float64(), SoCSpread: 0.003, ResistanceOhms: 0.002})
}

func (p *Puzzle) post(name string, node int) { p.Posts = append(p.Posts, name); p.face[name] = node }
func (p *Puzzle) pin(node int) {
	name := fmt.Sprintf("X%d", len(p.Pins)+1)
	p.Pins = append(p.Pins, name)
	p.face[name] = node
}

// finish reads the truth off the face.
func (p *Puzzle) finish() {
	p.Truth.Series = len(p.mod.Groups)
	for _, name := range p.Points() {
		switch p.face[name] {
		case 0:
			p.Truth.MainNegative = append(p.Truth.MainNegative, name)
		case p.Truth.Series:
			p.Truth.MainPositive = append(p.Truth.MainPositive, name)
		case virtual.Dead:
			p.Truth.Dead = append(p.Truth.Dead, name)
		}
	}
}

func threePosts(rng *rand.Rand, p *Puzzle) {
	p.Chemistry = chem.LMO
	p.module(rng, 2)
	nodes := rng.Perm(3)
	for i, n := range nodes {
		p.post(fmt.Sprintf("P%d", i+1), n)
	}
}

func ends(p *Puzzle, series int, swapped bool) {
	if swapped {
		p.post("A-", series)
		p.post("A+", 0)
		p.Truth.Labels = "the posts are labelled the wrong way round"
		return
	}
	p.post("A-", 0)
	p.post("A+", series)
}

func plain(series int) func(*rand.Rand, *Puzzle) {
	return func(rng *rand.Rand, p *Puzzle) {
		p.module(rng, series)
		ends(p, series, false)
		for n := range series + 1 {
			p.pin(n)
		}
	}
}

func doubled(rng *rand.Rand, p *Puzzle) {
	n := 5 + rng.IntN(3)
	p.module(rng, n)
	ends(p, n, false)
	twice := rng.IntN(n + 1)
	for k := range n + 1 {
		p.pin(k)
		if k == 0 || k == twice {
			p.pin(k)
		}
	}
}

func oddGroup(rng *rand.Rand, p *Puzzle) {
	plain(6)(rng, p)
	g := rng.IntN(6)
	p.mod.Groups[g].SoC -= 0.25
	p.Truth.OddGroup = g + 1
}

func swappedLabels(rng *rand.Rand, p *Puzzle) {
	n := 4 + rng.IntN(3)
	p.module(rng, n)
	ends(p, n, true)
	for k := range n + 1 {
		p.pin(k)
	}
}

func deadPin(rng *rand.Rand, p *Puzzle) {
	plain(6)(rng, p)
	p.face[p.Pins[1+rng.IntN(5)]] = virtual.Dead
}

func missingTap(rng *rand.Rand, p *Puzzle) {
	n := 6
	p.module(rng, n)
	ends(p, n, false)
	gone := 1 + rng.IntN(n-1)
	for k := range n + 1 {
		if k != gone {
			p.pin(k)
		}
	}
}

func lostIsolation(rng *rand.Rand, p *Puzzle) {
	plain(5)(rng, p)
	p.AskIsolation = true
	if rng.IntN(3) == 0 {
		return
	}
	p.leakNode = rng.IntN(6)
	p.leakOhms = 300 + 1500*rng.Float64()
	where := "the main negative"
	if p.leakNode > 0 {
		where = fmt.Sprintf("the top of group %d", p.leakNode)
	}
	p.Truth.Isolation = "the case leaks to " + where
}

func nasty(rng *rand.Rand, p *Puzzle) {
	n := 7
	p.module(rng, n)
	ends(p, n, rng.IntN(2) == 0)
	dead := 2 + rng.IntN(n-3)
	for k := range n + 1 {
		p.pin(k)
		if k == 0 || k == n {
			p.pin(k)
		}
	}
	node := p.face[p.Pins[dead]]
	p.face[p.Pins[dead]] = virtual.Dead
	g := rng.IntN(n)
	for g == node-1 || g == node { // beside the dead tap the odd group could not be told from its neighbour
		g = rng.IntN(n)
	}
	p.mod.Groups[g].SoC -= 0.25
	p.Truth.OddGroup = g + 1
}

// Points lists posts, then pins.
func (p Puzzle) Points() []string { return append(slices.Clone(p.Posts), p.Pins...) }

// Read is reading number n of the virtual meter, red on one point and black on another.
func (p Puzzle) Read(red, black string, n int) (float64, error) {
	if red == black {
		return 0, fmt.Errorf("both probes on %s: expected two different points", red)
	}
	v, err := p.probe(red, black)
	if err != nil {
		return 0, fmt.Errorf("%s to %s: expected two of %s", red, black, strings.Join(p.Points(), ", "))
	}
	meter := virtual.NewMeter(rand.New(rand.NewPCG(p.seed, uint64(n)+1)), 0.0007, 0.001)
	return meter.Read(v), nil
}

// probe is the true voltage between two points. Against an isolated case a meter's own resistance
// brings every reading to zero; against one that leaks, leak and meter divide the voltage.
func (p Puzzle) probe(red, black string) (float64, error) {
	sign := 1.0
	if red == CasePoint {
		red, black, sign = black, red, -1
	}
	if black != CasePoint {
		return p.mod.Probe(p.face, red, black)
	}
	if _, ok := p.face[red]; !ok || red == CasePoint {
		return 0, fmt.Errorf("no point %q", red)
	}
	if p.leakOhms == 0 {
		return 0, nil
	}
	leak := virtual.Face{red: p.face[red], CasePoint: p.leakNode}
	v, err := p.mod.Probe(leak, red, CasePoint)
	return sign * v * meterOhms / (meterOhms + p.leakOhms), err
}

// Guided is how many readings guided probing needs for this puzzle.
func (p Puzzle) Guided() int {
	var rs []layout.Reading
	points := append(append([]string{p.Posts[0]}, p.Pins...), p.Posts[1:]...)
	for n := range 4 * len(points) {
		next, done := layout.Guide(points, rs, nil, layout.Options{Chemistry: p.Chemistry})
		if done {
			if p.AskIsolation {
				return len(rs) + 2 // both ends against the case
			}
			return len(rs)
		}
		v, err := p.Read(next.Red, next.Black, n)
		if err != nil {
			break
		}
		rs = append(rs, layout.Reading{Red: next.Red, Black: next.Black, Volts: v, LastDigit: 0.001})
	}
	return len(rs)
}

// Judge compares an answer with the truth. Notes are what was right, cautions what was not.
func (p Puzzle) Judge(a Answer, readings int) (right bool, fs []finding.Finding) {
	right = true
	say := func(ok bool, code, good, bad string) {
		f := finding.New(finding.Note, code).About("practice").
			Says("%s", good).
			Then("Right.")
		if !ok {
			right = false
			f.Level, f.Text, f.Do = finding.Caution, bad, "Probe again with this in mind."
		}
		fs = append(fs, f)
	}
	t := p.Truth
	counted := "nothing about the groups"
	if a.Series != 0 {
		counted = fmt.Sprintf("%s in series", numeral.Count(a.Series, "group"))
	}
	say(a.Series == t.Series, codeSeries, fmt.Sprintf("%s in series.", numeral.Count(t.Series, "group")),
		fmt.Sprintf("You said %s, there are %d.", counted, t.Series))
	say(slices.Contains(t.MainNegative, a.Negative), codeNegative, "The main negative is at "+
		strings.Join(t.MainNegative, ", ")+".", fmt.Sprintf("You said %s for the main negative, it is at %s.",
		or(a.Negative), strings.Join(t.MainNegative, ", ")))
	say(slices.Contains(t.MainPositive, a.Positive), codePositive, "The main positive is at "+
		strings.Join(t.MainPositive, ", ")+".", fmt.Sprintf("You said %s for the main positive, it is at %s.",
		or(a.Positive), strings.Join(t.MainPositive, ", ")))
	odd := "No group is out of family."
	if t.OddGroup > 0 {
		odd = fmt.Sprintf("Group %d is out of family.", t.OddGroup)
	}
	said := "none"
	if a.OddGroup > 0 {
		said = fmt.Sprintf("group %d", a.OddGroup)
	}
	say(a.OddGroup == t.OddGroup, codeOdd, odd, fmt.Sprintf("You said %s for the odd group. %s", said, odd))
	if p.AskIsolation {
		truth, text := IsolationKept, "The case is isolated."
		if t.Isolation != "" {
			truth, text = IsolationLost, "Isolation is lost: "+t.Isolation+"."
		}
		said := map[string]string{IsolationKept: "that it is isolated",
			IsolationLost: "that isolation is lost"}[a.Isolated]
		say(a.Isolated == truth, codeIsolation, text, fmt.Sprintf("You said %s about the case. %s", or(said), text))
	}
	return right, fs
}

func or(s string) string {
	if s == "" {
		return "nothing"
	}
	return s
}

// Inside is the module as it is: the points on each node from the main negative up, and the volts of each group.
func (p Puzzle) Inside() (points [][]string, volts []float64) {
	volts = p.mod.RestVolts()
	points = make([][]string, len(volts)+1)
	for _, name := range append(slices.Clone(p.Posts), p.Pins...) {
		if n, ok := p.face[name]; ok && n >= 0 && n < len(points) && !slices.Contains(p.Truth.Dead, name) {
			points[n] = append(points[n], name)
		}
	}
	return points, volts
}
