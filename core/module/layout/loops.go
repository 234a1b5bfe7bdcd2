package layout

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/finding"
)

// loop is a fundamental loop: one reading outside the spanning tree and the tree path between its
// points. sign[k] is how the loop's closing error changes with the reading of edge members[k].
type loop struct {
	members []int
	sign    []float64
	error   float64 // volts by which it fails to close
	varSum  float64 // Σ u²
	broken  bool
	pair    bool // two readings of one pair: closes within their own uncertainties only
}

// repeatFactor is how many times their joint uncertainty two readings of one pair may differ.
const repeatFactor = 2

// closed reports whether the loop would close with another error and variance.
func (l loop) closed(err, varSum float64) bool {
	if l.pair {
		return math.Abs(err) <= max(loopToleranceVolts, math.Sqrt(varSum)*repeatFactor)
	}
	return closes(err, varSum)
}

func closes(err, varSum float64) bool {
	return math.Abs(err) <= max(loopToleranceVolts, loopSigmas*math.Sqrt(varSum))
}

// loops lists the fundamental loops of the readings in use.
func (g *graph) loops() []loop { return g.loopsUntil(func(loop) bool { return false }) }

// loopsUntil lists them up to the first of which enough is true.
func (g *graph) loopsUntil(enough func(loop) bool) []loop {
	t := g.span(-1)
	var out []loop
	for k := range g.edges {
		e := &g.edges[k]
		if e.off || t.parent[e.a] == k || t.parent[e.b] == k {
			continue
		}
		l := loop{members: []int{k}, sign: []float64{1}, error: e.Volts - (t.phi[e.a] - t.phi[e.b]), varSum: e.u * e.u}
		// Climb from both ends to the common ancestor. An edge on red's side adds to φ(red) with
		// the sign it is read upwards, and so takes away from the error; black's side adds.
		climb := func(p int, dir float64) int {
			k := t.parent[p]
			pe := &g.edges[k]
			sg := dir
			if pe.a != p {
				sg = -dir
			}
			l.members, l.sign, l.varSum = append(l.members, k), append(l.sign, sg), l.varSum+pe.u*pe.u
			return pe.other(p)
		}
		a, b := e.a, e.b
		for a != b {
			if t.depth[a] >= t.depth[b] {
				a = climb(a, -1)
			} else {
				b = climb(b, 1)
			}
		}
		l.broken = !closes(l.error, l.varSum)
		out = append(out, l)
		if enough(l) {
			break
		}
	}
	return out
}

// pairs lists the pairs of points that were read more than once with readings that cannot both be true. Two
// readings of one pair by one meter share everything but their last digits, so they are held to their own
// uncertainties, not to what a long loop may fail to close by.
func (g *graph) pairs() []loop {
	at := map[[2]int]int{} // the first reading of a pair
	var out []loop
	for k := range g.edges {
		e := &g.edges[k]
		if e.off {
			continue
		}
		key, sign := [2]int{e.a, e.b}, 1.0
		if e.a > e.b {
			key, sign = [2]int{e.b, e.a}, -1
		}
		first, again := at[key]
		if !again {
			at[key] = k
			continue
		}
		o := &g.edges[first]
		if o.a > o.b {
			sign = -sign
		}
		err, varSum := e.Volts-sign*o.Volts, e.u*e.u+o.u*o.u
		if math.Abs(err) > max(loopToleranceVolts, repeatFactor*(e.u+o.u)) && closes(err, varSum) {
			out = append(out, loop{members: []int{k, first}, sign: []float64{1, -sign}, error: err, varSum: varSum,
				broken: true, pair: true})
		}
	}
	return out
}

// findBrokenLoops looks at each set of loops that share readings by itself, convicts what can be
// convicted, and says where it cannot tell.
func (s *solver) findBrokenLoops() {
	ls := append(s.loops(), s.pairs()...)
	if !slices.ContainsFunc(ls, func(l loop) bool { return l.broken }) {
		return
	}
	for _, set := range shareReadings(ls, len(s.edges)) {
		if slices.ContainsFunc(set, func(l loop) bool { return l.broken }) {
			s.judgeLoops(set)
		}
	}
}

// shareReadings groups loops that are linked by common readings: the blocks of the graph.
func shareReadings(ls []loop, edges int) [][]loop {
	parent := make([]int, edges)
	for i := range parent {
		parent[i] = i
	}
	var find func(int) int
	find = func(i int) int {
		if parent[i] != i {
			parent[i] = find(parent[i])
		}
		return parent[i]
	}
	for _, l := range ls {
		for _, k := range l.members[1:] {
			parent[find(k)] = find(l.members[0])
		}
	}
	where := map[int]int{}
	var out [][]loop
	for _, l := range ls {
		r := find(l.members[0])
		i, ok := where[r]
		if !ok {
			i = len(out)
			where[r] = i
			out = append(out, nil)
		}
		out[i] = append(out[i], l)
	}
	return out
}

// change is one explanation of broken loops: reading k should have been volts.
type change struct {
	k       int
	problem string
	volts   float64
}

func (s *solver) judgeLoops(set []loop) {
	with := map[int][]int{} // loops that contain an edge
	broken := 0
	for i, l := range set {
		if l.broken {
			broken++
		}
		for _, k := range l.members {
			with[k] = append(with[k], i)
		}
	}
	var candidates []int // only a reading inside every broken loop can explain all of them
	for k, in := range with {
		n := 0
		for _, i := range in {
			if set[i].broken {
				n++
			}
		}
		if n == broken {
			candidates = append(candidates, k)
		}
	}
	slices.Sort(candidates)

	var slips, removals []change
	for _, k := range candidates {
		for _, c := range s.slipsOf(k) {
			if s.closesAll(set, with[k], k, c) {
				slips = append(slips, c)
			}
		}
		if c, ok := s.closesWithout(set, with[k], k); ok {
			removals = append(removals, c)
		}
	}
	switch {
	case len(slips) == 1:
		s.convict(slips[0])
	case len(slips) == 0 && len(removals) == 1:
		s.convict(removals[0])
	case len(slips) > 1:
		s.cannotTell(slips, set)
	case len(removals) > 1:
		s.cannotTell(removals, set)
	default:
		all := make([]change, 0, len(with))
		for k := range with {
			if slices.ContainsFunc(with[k], func(i int) bool { return set[i].broken }) {
				all = append(all, change{k, "cannot tell", s.edges[k].Volts})
			}
		}
		slices.SortFunc(all, func(a, b change) int { return a.k - b.k })
		s.cannotTell(all, set)
	}
}

// leastDigits is how many last digits a reading must have before its point may be moved to the right:
// what reads 0.001 V is one digit, and a thousand times one digit closes any loop.
const leastDigits = 100

// slipsOf lists what reading k would be with the mistakes people make: probes swapped, decimal
// point one or three places off.
func (s *solver) slipsOf(k int) []change {
	e := &s.edges[k]
	v, digit := e.Volts, e.LastDigit
	if digit <= 0 {
		digit = 0.001
	}
	out := []change{{k, "sign", -v}, {k, "decimal", v / 10}, {k, "decimal", v / 100}, {k, "decimal", v / 1000}}
	if math.Abs(v) >= leastDigits*digit {
		out = append(out, change{k, "decimal", v * 10}, change{k, "decimal", v * 100}, change{k, "decimal", v * 1000})
	}
	return out
}

// closesAll reports whether every loop closes once reading c.k is c.volts.
func (s *solver) closesAll(set []loop, in []int, k int, c change) bool {
	e := &s.edges[k]
	shifted := e.Reading
	shifted.Volts = c.volts
	if e.Volts != 0 {
		shifted.LastDigit *= math.Abs(c.volts / e.Volts)
	}
	u := shifted.uncertainty()
	for _, i := range in {
		l := &set[i]
		err := l.error + l.sign[slices.Index(l.members, k)]*(c.volts-e.Volts)
		if !l.closed(err, l.varSum-e.u*e.u+u*u) {
			return false
		}
	}
	return true
}

// closesWithout reports whether every loop closes once reading k is left out, and what k should
// have been: all loops through k must ask for the same correction.
func (s *solver) closesWithout(set []loop, in []int, k int) (change, bool) {
	e := &s.edges[k]
	var sum, wsum float64
	want := make([]float64, len(in))
	vars := make([]float64, len(in))
	for j, i := range in {
		l := &set[i]
		want[j] = -l.error * l.sign[slices.Index(l.members, k)]
		vars[j] = max(l.varSum-e.u*e.u, 1e-12)
		sum += want[j] / vars[j]
		wsum += 1 / vars[j]
	}
	for a := range want {
		for b := range want[:a] {
			if !closes(want[a]-want[b], vars[a]+vars[b]) {
				return change{}, false
			}
		}
	}
	return change{k, "outlier", e.Volts + sum/wsum}, true
}

func (s *solver) convict(c change) {
	e := &s.edges[c.k]
	e.off = true
	s.m.Suspects = append(s.m.Suspects, Suspect{e.Line, e.Red, e.Black, e.Volts, c.problem, round(c.volts)})
	why := map[string]string{
		"sign":    "has its probes swapped",
		"decimal": "has its decimal point in the wrong place",
		"outlier": "disagrees with every loop through it",
	}[c.problem]
	s.add(finding.New(finding.Caution, "reading-"+c.problem).About(e.Red+" to "+e.Black).
		Reads(e.Volts, "V").Against(round(c.volts)).
		Says("The reading %s to %s of %.3f V (line %d) %s: the other readings expect %.3f V. It is left out of "+
			"the map.", e.Red, e.Black, e.Volts, e.Line, why, c.volts).
		Then("Read this pair again."))
}

func (s *solver) cannotTell(cs []change, set []loop) {
	var names []string
	seen := map[int]bool{}
	for _, c := range cs {
		if seen[c.k] {
			continue
		}
		seen[c.k] = true
		e := &s.edges[c.k]
		s.m.Suspects = append(s.m.Suspects, Suspect{e.Line, e.Red, e.Black, e.Volts, "cannot tell", round(c.volts)})
		names = append(names, fmt.Sprintf("%s to %s (line %d)", e.Red, e.Black, e.Line))
	}
	worst := 0.0
	for _, l := range set {
		if l.broken && math.Abs(l.error) > worst {
			worst = math.Abs(l.error)
		}
	}
	s.separator = s.separating(cs, set)
	shown := names
	if len(shown) > 6 {
		shown = append(slices.Clone(shown[:6]), fmt.Sprintf("and %d more", len(names)-6))
	}
	s.add(finding.New(finding.Stop, codeLoopOpen).About(names[0]).Reads(round(worst), "V").Against(loopToleranceVolts).
		Says("Readings contradict each other by %.3f V round a loop, and it cannot be told which is wrong: %s.", worst,
			strings.Join(shown, ", ")).
		Then("%s", s.howToSeparate()))
	s.open = append(s.open, "a loop does not close")
}

// howToSeparate says what to read next.
func (s *solver) howToSeparate() string {
	if s.separator == nil {
		return "Every pair was read twice: a point may be broken. Leave it out, and map without it."
	}
	return fmt.Sprintf("Read %s to %s: %s.", s.separator.Red, s.separator.Black, s.separator.Why)
}

// separating chooses the reading that tells the candidates apart. Where they lie in one loop that
// is a chord which halves them; where the loop is too short, it is one of them again.
func (s *solver) separating(cs []change, set []loop) *Next {
	read := map[[2]int]bool{}
	for _, e := range s.edges {
		read[[2]int{e.a, e.b}], read[[2]int{e.b, e.a}] = true, true
	}
	repeat := s.onceMore(cs)
	is := map[int]bool{}
	for _, c := range cs {
		is[c.k] = true
	}
	for _, l := range set {
		if !l.broken || len(l.members) < 4 {
			continue
		}
		walk := s.walk(l)
		// walk[i] → walk[i+1] is one member; find the cut after which half the candidates are seen.
		total, seen := 0, 0
		for _, w := range walk {
			if is[w.edge] {
				total++
			}
		}
		if total < len(is) {
			continue
		}
		for i, w := range walk[:len(walk)-2] {
			if is[w.edge] {
				seen++
			}
			if i >= 1 && 2*seen >= total && seen < total && !read[[2]int{walk[i+1].from, walk[0].from}] {
				return &Next{s.points[walk[i+1].from], s.points[walk[0].from],
					"it cuts the open loop in two, and only the half with the mistake stays open"}
			}
		}
	}
	return repeat
}

// onceMore asks for one of the candidates again, the one read least; where each was read twice already,
// for one of its points against another one.
func (s *solver) onceMore(cs []change) *Next {
	times := func(a, b int) (n int) {
		for _, k := range s.adj[a] {
			if s.edges[k].other(a) == b {
				n++
			}
		}
		return n
	}
	best, least := 0, math.MaxInt
	for i, c := range cs {
		if n := times(s.edges[c.k].a, s.edges[c.k].b); n < least {
			best, least = i, n
		}
	}
	e := &s.edges[cs[best].k]
	if least < 2 {
		return &Next{e.Red, e.Black, "the same pair once more shows whether this reading was the wrong one"}
	}
	for _, p := range []int{e.a, e.b} {
		for q := range s.points {
			if q != p && times(p, q) == 0 && !slices.Contains(s.m.Floating, s.points[q]) {
				return &Next{s.points[p], s.points[q], "this pair was read twice and stays: another point shows " +
					"which of the two is broken"}
			}
		}
	}
	return nil
}

type stepOf struct{ from, edge int }

// walk lists the loop's edges in the order one passes them, with the point each starts from.
func (s *solver) walk(l loop) []stepOf {
	left := map[int]bool{}
	for _, k := range l.members {
		left[k] = true
	}
	p := s.edges[l.members[0]].b
	k := l.members[0]
	var out []stepOf
	for {
		out = append(out, stepOf{p, k})
		delete(left, k)
		p = s.edges[k].other(p)
		next := -1
		for _, m := range l.members {
			if left[m] && (s.edges[m].a == p || s.edges[m].b == p) {
				next = m
				break
			}
		}
		if next < 0 {
			return out
		}
		k = next
	}
}

// FloatingVolts is the size below which a reading may be of a point that is connected to nothing: a
// meter's own current brings it to about zero, whatever it is read against (rules §2.6).
const FloatingVolts = 0.2

// leastGroupVolts is the lowest voltage of a group that may still be charged, of any chemistry.
const leastGroupVolts = 1.0

// dropFloating takes out points that read about zero against points that differ from each other by a
// group or more: dead pins and broken leads (rules §2.6). Such a point would open every loop it is in, so it is
// judged before any single reading is accused.
// The others' potentials are taken without all points that might be so, since one ghost hides another.
func (s *solver) dropFloating() {
	var ghosts []int
	is := make([]bool, len(s.points))
	for p := range s.points {
		near := 0
		for _, k := range s.adj[p] {
			if math.Abs(s.edges[k].Volts) <= FloatingVolts {
				near++
			}
		}
		if near == len(s.adj[p]) && s.partners(p) >= 2 {
			ghosts, is[p] = append(ghosts, p), true
		}
	}
	if len(ghosts) > 0 {
		t := s.spanWithout(is)
		for _, p := range ghosts {
			low, high, root := math.Inf(1), math.Inf(-1), -1
			for _, k := range s.adj[p] {
				q := s.edges[k].other(p)
				if is[q] || root >= 0 && t.root[q] != root {
					continue
				}
				root = t.root[q]
				low, high = min(low, t.phi[q]), max(high, t.phi[q])
			}
			if high-low >= leastGroupVolts {
				s.float(p, fmt.Sprintf("%s reads about zero against points that are %.2f V apart: it is connected "+
					"to nothing.", s.points[p], high-low), high-low)
			}
		}
	}
}

// dropWanderers takes out points of which no two readings agree.
func (s *solver) dropWanderers() {
	for p := range s.points {
		if !slices.Contains(s.m.Floating, s.points[p]) {
			s.dropWandering(p)
		}
	}
}

// partners counts the different points that p was read against.
func (s *solver) partners(p int) int {
	seen := map[int]bool{}
	for _, k := range s.adj[p] {
		seen[s.edges[k].other(p)] = true
	}
	return len(seen)
}

// wanderers is the least number of readings of which no two agree that make a point floating.
const wanderers = 3

// dropWandering takes out p when it has three or more readings, against points whose potentials are known
// without it and agree among each other, and no two of them put it at one potential.
func (s *solver) dropWandering(p int) {
	if s.partners(p) < wanderers {
		return
	}
	t := s.span(p)
	root := -1
	type at struct{ phi, u float64 }
	var implied []at
	for _, k := range s.adj[p] {
		e := &s.edges[k]
		if e.off {
			continue
		}
		q := e.other(p)
		if root >= 0 && t.root[q] != root {
			return
		}
		root = t.root[q]
		v := t.phi[q] + e.Volts
		if e.b == p {
			v = t.phi[q] - e.Volts
		}
		implied = append(implied, at{v, e.u})
	}
	for i, a := range implied {
		for _, b := range implied[:i] {
			if closes(a.phi-b.phi, a.u*a.u+b.u*b.u+0.005*0.005) {
				return
			}
		}
	}
	if len(implied) < wanderers {
		return
	}
	if s.brokenWithout(p) { // asked last: it is dear, and hardly any point comes as far as this
		return // something else is wrong as well: the loops decide
	}
	low, high := implied[0].phi, implied[0].phi
	for _, x := range implied {
		low, high = min(low, x.phi), max(high, x.phi)
	}
	s.float(p, fmt.Sprintf("No two readings of %s agree: they put it anywhere over %.2f V.", s.points[p], high-low),
		high-low)
}

// brokenWithout reports whether a loop that does not pass through p fails to close.
func (s *solver) brokenWithout(p int) bool {
	var was []int
	for _, k := range s.adj[p] {
		if !s.edges[k].off {
			s.edges[k].off = true
			was = append(was, k)
		}
	}
	out := s.loopsUntil(func(l loop) bool { return l.broken })
	for _, k := range was {
		s.edges[k].off = false
	}
	return len(out) > 0 && out[len(out)-1].broken
}

// float names p as connected to nothing and leaves its readings out.
func (s *solver) float(p int, text string, measured float64) {
	for _, k := range s.adj[p] {
		s.edges[k].off = true
	}
	s.m.Floating = append(s.m.Floating, s.points[p])
	s.add(finding.New(finding.Caution, codeFloating).About(s.points[p]).
		Reads(round(measured), "V").Against(FloatingVolts).
		Says("%s", text).
		Then("Treat it as a dead pin or a broken lead. Do not use it for a sense lead."))
}

// acrossVolts is the reading below which nothing seems to join two parts: between strings without a
// connection a meter's own current brings the reading to about zero.
const acrossVolts = 0.1

// dropAcross looks for two strings in one case: parts with steps of their own that are joined by
// near-zero readings alone, which cannot all be true at once (rules §2.6). Those readings say that
// nothing joins the parts, so they join nothing here either.
func (s *solver) dropAcross() {
	var zero []int
	for k := range s.edges {
		if !s.edges[k].off && math.Abs(s.edges[k].Volts) <= acrossVolts {
			s.edges[k].off = true
			zero = append(zero, k)
		}
	}
	if len(zero) < 2 {
		for _, k := range zero {
			s.edges[k].off = false
		}
		return
	}
	t := s.span(-1)
	low, high := map[int]float64{}, map[int]float64{} // each part's lowest and highest potential
	for _, p := range t.order {
		r := t.root[p]
		low[r], high[r] = min(low[r], t.phi[p]), max(high[r], t.phi[p])
	}
	type pair struct{ a, b int }
	offsets := map[pair][]crossing{}
	key := func(k int) (pair, crossing) {
		e := &s.edges[k]
		a, b, off, volts := t.root[e.a], t.root[e.b], t.phi[e.a]-t.phi[e.b]-e.Volts, e.Volts
		if a > b {
			a, b, off, volts = b, a, -off, -volts
		}
		return pair{a, b}, crossing{off, volts, max(e.LastDigit, 0.001)}
	}
	for _, k := range zero {
		if p, c := key(k); p.a != p.b {
			offsets[p] = append(offsets[p], c)
		}
	}
	for _, k := range zero {
		p, _ := key(k)
		apart := p.a != p.b && high[p.a]-low[p.a] >= 1 && high[p.b]-low[p.b] >= 1 && contradict(offsets[p])
		s.edges[k].off = apart
		s.apart = s.apart || apart
	}
}

// crossing is a near-zero reading between two parts: the offset of the parts that it implies, its volts
// in that direction, and its last digit.
type crossing struct{ off, volts, digit float64 }

// contradict reports whether near-zero readings between two parts cannot be saved by one mistake: two
// must differ with no slipped decimal in either that would make them agree, more must still differ
// whichever one is left out. What one mistake explains is left to the loops, which name it.
func contradict(cs []crossing) bool {
	spread := func(skip int) float64 {
		low, high := math.Inf(1), math.Inf(-1)
		for i, c := range cs {
			if i != skip {
				low, high = min(low, c.off), max(high, c.off)
			}
		}
		return high - low
	}
	if len(cs) < 2 || spread(-1) < 1 {
		return false
	}
	if len(cs) > 2 {
		for i := range cs {
			if spread(i) < 1 {
				return false
			}
		}
		return true
	}
	for i, c := range cs {
		for _, f := range []float64{10, 1000} {
			meant := c.off + c.volts - f*c.volts
			if math.Abs(meant-cs[1-i].off) <= max(loopToleranceVolts, f*c.digit) {
				return false
			}
		}
	}
	return true
}

func round(v float64) float64 { return math.Round(v*1e6) / 1e6 }
