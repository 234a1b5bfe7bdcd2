package layout

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// choosePart picks the part to map: the one with declared main posts, else the largest. The rest
// are listed as separate.
func (s *solver) choosePart(parts [][]int) {
	floating := map[string]bool{}
	for _, f := range s.m.Floating {
		floating[f] = true
	}
	parts = slices.DeleteFunc(parts, func(ps []int) bool { return len(ps) == 1 && floating[s.points[ps[0]]] })
	best := 0
	for i, ps := range parts {
		if slices.ContainsFunc(ps, func(p int) bool {
			r := s.roles[s.points[p]].Role
			return r == RoleMainNegative || r == RoleMainPositive
		}) {
			best = i
			break
		}
	}
	s.part = parts[best]
	for i, ps := range parts {
		if i != best {
			s.m.Separate = append(s.m.Separate, s.pointNames(ps))
		}
	}
	if n := len(s.m.Separate); n > 0 {
		s.open = append(s.open, "separate parts")
		text, do := fmt.Sprintf("No path of readings joins %s to the rest: %d separate parts.",
			strings.Join(s.m.Separate[0], ", "), n+1), "Read one point of each part against the main negative."
		code := "separate"
		switch {
		case s.apart:
			code = "two-strings"
			text = fmt.Sprintf("%s has steps of its own and reads about zero against the rest wherever it is "+
				"touched: two strings in one case.", strings.Join(s.m.Separate[0], ", "))
			do = "Map each string by itself, as a module of its own. Do not join them before both are surveyed."
		case s.twoWithPosts(parts):
			text += " Each has a post and steps of its own: it may be two strings in one case."
			do = "Read two points of each part against the main negative: about zero both times means two strings."
		}
		s.add(finding.New(finding.Caution, code).About(s.m.Separate[0][0]).Reads(float64(n+1), "parts").Against(1).
			Says("%s", text).
			Then("%s", do))
	}
}

// twoWithPosts reports whether at least two parts have a declared post and a step of their own.
func (s *solver) twoWithPosts(parts [][]int) bool {
	live := 0
	for _, ps := range parts {
		post := slices.ContainsFunc(ps, func(p int) bool {
			r := s.roles[s.points[p]].Role
			return r != "" && r != RolePin
		})
		step := slices.ContainsFunc(ps, func(p int) bool {
			return slices.ContainsFunc(s.adj[p], func(k int) bool {
				return !s.edges[k].off && math.Abs(s.edges[k].Volts) > acrossVolts
			})
		})
		if post && step {
			live++
		}
	}
	return live >= 2
}

// formNodes merges points at one potential (rules §2.3).
func (s *solver) formNodes() {
	ps := slices.Clone(s.part)
	slices.SortFunc(ps, func(a, b int) int {
		return cmp.Or(cmp.Compare(s.phi[a], s.phi[b]), strings.Compare(s.points[a], s.points[b]))
	})
	s.cap = s.quarterStep(ps)
	order := func(p int) int { return s.roles[s.points[p]].Order }
	if !slices.ContainsFunc(ps, func(p int) bool { return order(p) == 0 }) {
		// The physical order is known, so it decides: sorting by potential would hide a reversed
		// group. It may be counted from either end.
		slices.SortStableFunc(ps, func(a, b int) int { return cmp.Compare(order(a), order(b)) })
		if s.phi[ps[0]] > s.phi[ps[len(ps)-1]] {
			slices.Reverse(ps)
		}
	}
	s.nodes = [][]int{{ps[0]}}
	first := ps[0]
	for i := 1; i < len(ps); i++ {
		p, q := ps[i-1], ps[i]
		gap := math.Abs(s.phi[q] - s.phi[p])
		limit := samePointVolts
		if gap > samePointVolts && gap < s.cap {
			limit = min(max(samePointVolts, sameSigmas*s.pairSigma(p, q)), s.cap)
		}
		if gap <= limit && math.Abs(s.phi[q]-s.phi[first]) < s.cap {
			s.nodes[len(s.nodes)-1] = append(s.nodes[len(s.nodes)-1], q)
			continue
		}
		if gap < s.cap && s.closePair == nil {
			s.closePair = &[2]int{q, p}
			s.open = append(s.open, "a close pair")
			s.add(finding.New(finding.Stop, codeClosePair).About(s.points[q]+" and "+s.points[p]).
				Reads(round(gap), "V").Against(round(limit)).
				Says("%s and %s are %.0f mV apart: too far for one node, too near "+
					"for a healthy group.", s.points[q], s.points[p], gap*1000).
				Then("Read these two directly against each other."))
		}
		s.nodes = append(s.nodes, []int{q})
		first = q
	}
	s.findDoubtful()
}

// quarterStep is a quarter of the smallest gap that can be a group: the cap on merging.
func (s *solver) quarterStep(sorted []int) float64 {
	low := 1.0 // the lowest never-recharge voltage of any chemistry
	if c, err := chem.Lookup(s.opt.Chemistry); err == nil {
		low = c.NeverRechargeVolts
	}
	smallest := math.Inf(1)
	for i := 1; i < len(sorted); i++ {
		if gap := s.phi[sorted[i]] - s.phi[sorted[i-1]]; gap >= low {
			smallest = min(smallest, gap)
		}
	}
	if math.IsInf(smallest, 1) {
		smallest = low
	}
	return smallest / 4
}

// findDoubtful lists points placed only by near-zero readings against their own node: they may
// be doubled pins, or dead ones.
func (s *solver) findDoubtful() {
	node := map[int]int{}
	for i, ps := range s.nodes {
		for _, p := range ps {
			node[p] = i
		}
	}
	for _, ps := range s.nodes {
		if len(ps) < 2 {
			continue
		}
		for _, p := range ps {
			inside := true
			for _, k := range s.adj[p] {
				if !s.edges[k].off && node[s.edges[k].other(p)] != node[p] {
					inside = false
				}
			}
			if inside {
				s.doubtful = append(s.doubtful, p)
			}
		}
	}
	if len(s.doubtful) == 0 {
		return
	}
	names := s.pointNames(s.doubtful)
	s.open = append(s.open, "doubled or dead")
	s.add(finding.New(finding.Caution, codeDoubledOrDead).About(names[0]).
		Reads(float64(len(names)), "points").Against(0).
		Says("Doubled or dead: %s. So far only read as zero against one node.", strings.Join(names, ", ")).
		Then("Read each against a node at another potential before using it for a sense lead."))
}

// orderNodes fixes the first node at 0 V and looks for steps that fall, which only a declared physical order can show.
func (s *solver) orderNodes() {
	base := s.nodeVolts(0)
	for _, p := range s.part {
		s.phi[p] -= base
	}
	for i := 1; i < len(s.nodes); i++ {
		if step := s.nodeVolts(i) - s.nodeVolts(i-1); step < 0 {
			s.open = append(s.open, "a reversed group")
			s.add(finding.New(finding.Stop, codeReversed).About(s.points[s.nodes[i][0]]).
				Reads(round(step), "V").Against(0).
				Says("Between %s and %s the voltage falls by %.3f V in the declared physical order: a group is "+
					"reversed, or two points are swapped.", s.points[s.nodes[i-1][0]], s.points[s.nodes[i][0]], -step).
				Then("Check the physical order, then read this pair again. Do " +
					"not wire this module while the step is negative."))
		}
	}
}

func (s *solver) nodeVolts(i int) float64 {
	sum := 0.0
	for _, p := range s.nodes[i] {
		sum += s.phi[p]
	}
	return sum / float64(len(s.nodes[i]))
}

// solution says how many groups each step holds, for one chemistry. odd lists steps that fit the
// count but not the voltage of their siblings.
type solution struct {
	n   []int
	odd []int
}

func (x solution) series() int {
	sum := 0
	for _, n := range x.n {
		sum += n
	}
	return sum
}

// fitSteps explains steps (volts, all non-negative) as whole numbers of groups of chemistry c. Counts that put a group
// between its never-recharge voltage and its floor are kept only when no count keeps groups above the floor: otherwise
// every healthy step would also be explained by twice as many empty groups.
func fitSteps(steps []float64, c chem.Chemistry) []solution {
	if out := fitAbove(steps, c.FloorVolts, c); len(out) > 0 {
		return out
	}
	return fitAbove(steps, c.NeverRechargeVolts, c)
}

// mayBeWhole reports whether some height of a group makes every step a whole number of groups. It is asked before the
// fit, which is dear where nothing fits: contradicting readings of many points.
func mayBeWhole(steps []float64, c chem.Chemistry) bool {
	high, low := c.ChargeLimitVolts+chem.OverToleranceVolts, c.NeverRechargeVolts
	whole := func(anchor float64) bool {
		for _, v := range steps {
			// The fewest groups that are not above what the others have; more of them would only be lower.
			n := max(1, math.Ceil(v/(anchor+AgreeVolts+1e-9)-1e-9))
			if x := v / n; x < anchor-1e-9 || x > anchor+AgreeVolts+1e-9 {
				return false
			}
		}
		return true
	}
	for _, v := range steps {
		for n := max(1, math.Ceil(v/high-1e-9)); n <= 400 && v/n >= low; n++ {
			if whole(v / n) {
				return true
			}
		}
	}
	return false
}

// fitAbove fits the steps above a point by what the readings say of them.
//
// In one piece: the steps are tried in the order in which they explain most with least.
func fitAbove(steps []float64, low float64, c chem.Chemistry) []solution {
	high := c.ChargeLimitVolts + chem.OverToleranceVolts
	options := make([][]int, len(steps))
	good := 0
	for k, v := range steps {
		for n := max(1, int(math.Ceil(v/high-1e-9))); n <= 400 && v/float64(n) >= low; n++ {
			options[k] = append(options[k], n)
		}
		if len(options[k]) > 0 {
			good++
		}
	}
	if good == 0 {
		return nil
	}
	var odd []int
	for k, v := range steps {
		if len(options[k]) > 0 {
			continue
		}
		if v >= low { // between the count's limits: this chemistry cannot make the step
			return nil
		}
		odd = append(odd, k) // below the range beside good ones: one bad group
		options[k] = []int{1}
	}
	isOdd := func(k int) bool { return slices.Contains(odd, k) }
	var found []solution
	seen := map[string]int{} // counts already met, with the fewest odd steps so far
	most := 0
	var loose []solution
	for k := range steps {
		for _, n := range options[k] {
			if isOdd(k) {
				continue
			}
			anchor := steps[k] / float64(n)
			for _, sol := range agreeing(steps, options, isOdd, anchor) {
				sol.odd = append(sol.odd, odd...)
				slices.Sort(sol.odd)
				key := sol.key()
				if was, ok := seen[key]; ok && was <= len(sol.odd) {
					continue
				}
				seen[key] = len(sol.odd)
				switch agreed := len(steps) - len(sol.odd); {
				case len(sol.odd) == len(odd):
					found = append(found, sol)
				case 2*agreed > len(steps) && agreed > most:
					most, loose = agreed, []solution{sol}
				case 2*agreed > len(steps) && agreed == most:
					loose = append(loose, sol)
				}
			}
		}
	}
	if len(found) == 0 {
		found = loose
	}
	slices.SortStableFunc(found, func(a, b solution) int { return a.series() - b.series() })
	return found
}

// agreeing returns the counts under which each step's groups lie within AgreeVolts above anchor.
// A step that cannot takes the count nearest to the anchor and is marked odd.
func agreeing(steps []float64, options [][]int, isOdd func(int) bool, anchor float64) []solution {
	fits := make([][]int, len(steps))
	var off []int
	total := 1
	for k, v := range steps {
		if isOdd(k) {
			fits[k] = []int{1}
		} else {
			for _, n := range options[k] {
				if x := v / float64(n); x >= anchor-1e-9 && x <= anchor+AgreeVolts+1e-9 {
					fits[k] = append(fits[k], n)
				}
			}
		}
		if len(fits[k]) == 0 {
			off = append(off, k)
			near := slices.MinFunc(options[k], func(a, b int) int {
				return cmp.Or(cmp.Compare(math.Abs(v/float64(a)-anchor), math.Abs(v/float64(b)-anchor)), a-b)
			})
			fits[k] = []int{near}
		}
		if total*len(fits[k]) > maxSolutions { // a step of very many groups: the plate will have to decide
			fits[k] = fits[k][:1]
		}
		total *= len(fits[k])
	}
	sols := make([]solution, total)
	for i := range sols {
		n := make([]int, len(steps))
		for k, rest := len(steps)-1, i; k >= 0; k-- {
			n[k] = fits[k][rest%len(fits[k])]
			rest /= len(fits[k])
		}
		sols[i] = solution{n, slices.Clone(off)}
	}
	return sols
}

// maxSolutions is how many ways to count the groups are looked at for one height of a group.
const maxSolutions = 64

// key is the same for the same counts.
func (s solution) key() string {
	b := make([]byte, 0, 2*len(s.n))
	for _, n := range s.n {
		b = append(b, byte(n>>8), byte(n))
	}
	return string(b)
}

// explainSteps finds counts and chemistry, and lists groups.
//
// In one piece: the first explanation that fits all readings is taken, and the order of the trials is the method.
func (s *solver) explainSteps() {
	for i := range s.nodes {
		s.m.Nodes = append(s.m.Nodes, Node{i, s.pointNames(s.nodes[i]), round(s.nodeVolts(i))})
	}
	if len(s.nodes) == 1 {
		s.open = append(s.open, "one node")
		s.add(finding.New(finding.Stop, codeOneNode).About(s.points[s.part[0]]).Reads(0, "V").
			Says("All points read the same: doubled pins, or every group at zero volts.").
			Then("Check that the meter leads work on a known source, then read the main posts again."))
		return
	}
	steps := make([]float64, len(s.nodes)-1)
	for i := range steps {
		steps[i] = math.Abs(s.nodeVolts(i+1) - s.nodeVolts(i))
	}
	if whole := s.nodeVolts(len(s.nodes)-1) - s.nodeVolts(0); math.Abs(whole) > tallestVolts {
		s.open = append(s.open, "steps not explained")
		s.add(finding.New(finding.Stop, codeNoSuchModule).About("module").
			Reads(round(whole), "V").Against(tallestVolts).
			Says("By these readings the module has %.0f V from end to end.", whole).
			Then("Check whether volts and millivolts were mixed, and read the main posts again."))
		return
	}
	type fit struct {
		id   chem.ID
		sols []solution
	}
	var fits []fit
	fewest := math.MaxInt
	for _, c := range chem.All() {
		if s.opt.Chemistry != "" && c.ID != s.opt.Chemistry {
			continue
		}
		if sols := s.byPlate(fitSteps(steps, c), c); len(sols) > 0 {
			fits = append(fits, fit{c.ID, sols})
		}
	}
	if p := s.opt.PlateSeries; p > 0 {
		other := func(f fit) bool { return f.sols[0].series() != p }
		if kept := slices.DeleteFunc(slices.Clone(fits), other); len(kept) > 0 {
			fits = kept
		}
	}
	for _, f := range fits {
		fewest = min(fewest, f.sols[0].series())
	}
	// A bad group makes one step odd; a broken tap makes the two beside it odd, whose sum is right.
	paired := !slices.ContainsFunc(fits, func(f fit) bool {
		return slices.ContainsFunc(f.sols, func(x solution) bool { return len(x.odd) != 2 || x.odd[1] != x.odd[0]+1 })
	})
	if paired && s.dropBrokenTap() {
		s.m.Nodes = nil
		s.explainSteps()
		return
	}
	if len(fits) == 0 {
		s.open = append(s.open, "steps not explained")
		s.add(finding.New(finding.Stop,
			codeStepsNotExplained).About(string(s.opt.Chemistry)).Reads(round(slices.Max(steps)), "V").
			Says("%s", "The voltage steps fit no whole number of groups"+ofChemistry(s.opt.Chemistry)+".").
			Then("Check the chemistry on the label plate and read the odd step again."))
		return
	}
	var counts []int
	var also []string
	for _, f := range fits {
		if f.sols[0].series() > fewest {
			also = append(also, fmt.Sprintf("%s with %s", f.id, numeral.Count(f.sols[0].series(), "group")))
			continue
		}
		s.m.Candidates = append(s.m.Candidates, f.id)
		for _, sol := range f.sols {
			if !slices.Contains(counts, sol.series()) {
				counts = append(counts, sol.series())
			}
		}
	}
	slices.Sort(counts)
	s.m.SeriesCandidates = counts
	if len(s.m.Candidates) == 1 {
		s.m.Chemistry, s.m.ChemistryCertain = s.m.Candidates[0], s.opt.Chemistry != "" || len(also) == 0
	} else {
		names := make([]string, len(s.m.Candidates))
		for i, c := range s.m.Candidates {
			names[i] = string(c)
		}
		s.add(finding.New(finding.Caution, codeChemistryOpen).About("chemistry").
			Reads(float64(len(names)), "chemistries").Against(1).
			Says("The voltages fit several chemistries: %s.", strings.Join(names, ", ")).
			Then("Declare the chemistry from the label plate or a data sheet. No charge step can be planned before."))
	}
	if len(also) > 0 {
		s.add(finding.New(finding.Note, codeChemistryAlso).About("chemistry").
			Says("%s", "With taps missing in between it could also be "+strings.Join(also, ", ")+".").
			Then("Compare with the label plate."))
	}
	var sol *solution
	for i := range fits {
		if fits[i].sols[0].series() <= fewest {
			sol = &fits[i].sols[0]
			break
		}
	}
	if len(counts) > 1 {
		s.open = append(s.open, "series count open")
		texts := make([]string, len(counts))
		for i, n := range counts {
			texts[i] = fmt.Sprint(n)
		}
		s.add(finding.New(finding.Stop, codeSeriesOpen).About("series count").
			Reads(float64(len(counts)), "answers").Against(1).
			Says("The steps fit %s groups in series.", strings.Join(texts, " or ")).
			Then("Enter the series count or the nominal voltage from the label plate."))
		return
	}
	s.listGroups(steps, *sol)
}

// dropBrokenTap looks for one point inside the ladder without which the steps are whole groups: a tap that
// reads something between its neighbours because its lead is broken or bad. It is named and left out, and
// the chemistry is not accused.
func (s *solver) dropBrokenTap() bool {
	if len(s.nodes) < 4 {
		return false
	}
	explained := func(skip int) bool {
		var steps []float64
		last := 0
		for i := 1; i < len(s.nodes); i++ {
			if i == skip {
				continue
			}
			steps = append(steps, math.Abs(s.nodeVolts(i)-s.nodeVolts(last)))
			last = i
		}
		for _, c := range chem.All() {
			if s.opt.Chemistry != "" && c.ID != s.opt.Chemistry {
				continue
			}
			if mayBeWhole(steps, c) && slices.ContainsFunc(s.byPlate(fitSteps(steps, c), c),
				func(x solution) bool { return len(x.odd) == 0 }) {
				return true
			}
		}
		return false
	}
	found := -1
	for i := 1; i < len(s.nodes)-1; i++ {
		if len(s.nodes[i]) == 1 && explained(i) {
			if found >= 0 {
				return false // more than one would do: it cannot be told
			}
			found = i
		}
	}
	if found < 0 {
		return false
	}
	p := s.nodes[found][0]
	below, above := s.nodeVolts(found)-s.nodeVolts(found-1), s.nodeVolts(found+1)-s.nodeVolts(found)
	s.m.Floating = append(s.m.Floating, s.points[p])
	s.add(finding.New(finding.Caution, codeBrokenTap).About(s.points[p]).Reads(round(below), "V").
		Says("%s reads %.2f V above the point below it and %.2f V under the one above: no group has that. "+
			"Without it every step is a whole group: its tap is broken.", s.points[p], below, above).
		Then("Do not use it for a sense lead. The two groups beside it are read together until it is mended."))
	s.nodes = slices.Delete(s.nodes, found, found+1)
	return true
}

func ofChemistry(id chem.ID) string {
	if c, err := chem.Lookup(id); err == nil {
		return " of " + c.Name
	}
	return ""
}

// byPlate keeps the solutions that the label plate allows. Where the plate rules out all of them
// nothing is dropped: listGroups reports the disagreement.
func (s *solver) byPlate(sols []solution, c chem.Chemistry) []solution {
	keep := func(ok func(solution) bool) {
		if kept := slices.DeleteFunc(slices.Clone(sols), func(x solution) bool { return !ok(x) }); len(kept) > 0 {
			sols = kept
		}
	}
	if s.opt.PlateSeries > 0 {
		keep(func(x solution) bool { return x.series() == s.opt.PlateSeries })
	} else if s.opt.PlateVolts > 0 {
		n := int(math.Round(s.opt.PlateVolts / c.NominalVolts))
		keep(func(x solution) bool { return x.series() == n })
	}
	return sols
}

// listGroups lists the groups from the main negative up.
func (s *solver) listGroups(steps []float64, sol solution) {
	s.m.Series = sol.series()
	index := 0
	for k, n := range sol.n {
		lower, upper := s.m.Nodes[k].Points, s.m.Nodes[k+1].Points
		if n > 1 {
			s.m.MissingTaps = append(s.m.MissingTaps, MissingTap{AfterGroup: index, Groups: n, Volts: round(steps[k])})
		}
		signed := s.m.Nodes[k+1].Volts - s.m.Nodes[k].Volts
		for j := range n {
			index++
			g := Group{Index: index, Negative: []string{}, Positive: []string{}, Volts: round(signed / float64(n)),
				Tapped: n == 1}
			if j == 0 {
				g.Negative = lower
			}
			if j == n-1 {
				g.Positive = upper
			}
			s.m.Groups = append(s.m.Groups, g)
		}
		if slices.Contains(sol.odd, k) {
			s.add(finding.New(finding.Caution, codeOddStep).About(fmt.Sprintf("group %d",
				index)).Reads(round(steps[k]), "V").Against(AgreeVolts).
				Says("Group %d reads %.3f V and does not agree with its siblings.", index, steps[k]/float64(n)).
				Then("Survey this module before anything else; the layout may be right and the group bad."))
		}
	}
	if len(s.m.MissingTaps) > 0 {
		t := s.m.MissingTaps[0]
		s.add(finding.New(finding.Caution, codeMissingTap).About(fmt.Sprintf("after group %d",
			t.AfterGroup)).Reads(t.Volts, "V").
			Says("%s after group %d share %.2f V and no point between "+
				"them was read.", numeral.Count(t.Groups, "group"), t.AfterGroup, t.Volts).
			Then("Look for the taps between. Groups without a tap cannot be monitored."))
	}
	if p := s.opt.PlateSeries; p > 0 && p != s.m.Series {
		s.open = append(s.open, "plate disagrees")
		s.add(finding.New(finding.Stop, codePlate).About("series count").
			Reads(float64(s.m.Series), "groups").Against(float64(p)).
			Says("The readings show %s in series, the plate or type says "+
				"%d: doubled points, a group at zero volts, or another layout.", numeral.Count(s.m.Series, "group"), p).
			Then("Read each pair of doubled points directly, and compare the plate."))
	}
	s.zeroSteps()
	s.joinedPosts()
}

// joinedPosts says which posts lie at one potential.
func (s *solver) joinedPosts() {
	for i, ps := range s.nodes {
		var posts []string
		for _, p := range ps {
			switch s.roles[s.points[p]].Role {
			case RolePost, RoleMainNegative, RoleMainPositive:
				posts = append(posts, s.points[p])
			}
		}
		if len(posts) > 1 && s.opt.PostsJoined {
			slices.Sort(posts)
			s.add(finding.New(finding.Note, codeJoined).About(strings.Join(posts, " and ")).Reads(0, "V").
				Says("The posts %s are at one potential (node %d), joined inside as was seen.", strings.Join(posts,
					" and "), i).
				Then("Nothing: either may carry the current."))
		} else if len(posts) > 1 {
			slices.Sort(posts)
			s.open = append(s.open, "posts at one potential")
			s.add(finding.New(finding.Stop, codeJoined).About(strings.Join(posts, " and ")).Reads(0, "V").
				Says("The posts %s are at one potential (node %d): doubled, or a group at zero volts.",
					strings.Join(posts, " and "), i).
				Then("Look for a link between them. If there is none, treat the group between them as dead."))
		}
	}
}

// zeroSteps says where points inside the ladder lie at one potential and nothing tells how many groups
// there should be: doubled pins, or a group at zero volts between good ones.
func (s *solver) zeroSteps() {
	if s.opt.PlateSeries > 0 {
		return // a count that disagrees is a stop already
	}
	for i := 1; i < len(s.nodes)-1; i++ {
		if len(s.nodes[i]) < 2 {
			continue
		}
		names := s.pointNames(s.nodes[i])
		s.add(finding.New(finding.Caution, codeZeroStep).About(names[0]).Reads(0, "V").Against(samePointVolts).
			Says("%s are at one potential inside the module: doubled pins, or a "+
				"group at zero volts between good ones.", strings.Join(names, " and ")).
			Then("Compare the group " +
				"count with the label plate, or trace the pins. A group at zero volts goes no further."))
	}
}

// checkEnds compares declared main posts with the ends of the ladder (rules §2.5).
func (s *solver) checkEnds() {
	if len(s.nodes) < 2 {
		return
	}
	last := len(s.m.Nodes) - 1
	s.m.MainNegative, s.m.MainPositive = s.m.Nodes[0].Points, s.m.Nodes[last].Points
	for rank, n := range s.m.Nodes {
		for _, p := range n.Points {
			role := s.roles[p].Role
			want := 0
			switch role {
			case RoleMainNegative:
			case RoleMainPositive:
				want = last
			default:
				continue
			}
			if rank == want {
				continue
			}
			s.open = append(s.open, "a main post is not at an end")
			text := fmt.Sprintf("%s is declared %s but lies at %.2f V, inside the module: it is a joint of two "+
				"groups.", p, strings.ReplaceAll(role, "_", " "), n.Volts)
			if rank == last-want {
				text = fmt.Sprintf("%s is declared %s but is at the other end: the label's polarity is wrong, or "+
					"the roles are swapped.", p, strings.ReplaceAll(role, "_", " "))
			}
			s.add(finding.New(finding.Stop, codeNotAtEnd).About(p).Reads(n.Volts, "V").Against(s.m.Nodes[want].Volts).
				Says("%s", text).
				Then("Mark the true polarity on the module before wiring it."))
		}
	}
}

// suggest names the reading that adds most (rules §2.9).
func (s *solver) suggest() {
	farthest := func(p int) string {
		low, high := s.nodes[0], s.nodes[len(s.nodes)-1]
		if s.phi[p]-s.phi[low[0]] > s.phi[high[0]]-s.phi[p] {
			return s.points[low[0]]
		}
		return s.points[high[0]]
	}
	set := func(red, black, why string) { s.m.NextReading = &Next{red, black, why} }
	switch {
	case s.separator != nil:
		s.m.NextReading = s.separator
	case len(s.m.Separate) > 0:
		set(s.m.Separate[0][0], s.points[s.nodes[0][0]], "it joins two parts that no reading joins yet")
	case s.closePair != nil:
		set(s.points[s.closePair[0]], s.points[s.closePair[1]], "these two are too near for a group and too far "+
			"for one node")
	case len(s.doubtful) > 0:
		p := s.doubtful[0]
		if len(s.nodes) > 1 {
			set(s.points[p], farthest(p), "so far it may be doubled or dead")
		}
	case s.postRead != nil:
		s.m.NextReading = s.postRead
	case s.notRead != nil:
		s.m.NextReading = s.notRead
	case len(s.nodes) > 1:
		s.suggestClosing(set, farthest)
	}
}

// suggestClosing proposes a reading that closes a loop over a point that only one reading holds.
func (s *solver) suggestClosing(set func(red, black, why string), farthest func(int) string) {
	degree := func(p int) int {
		n := 0
		for _, k := range s.adj[p] {
			if !s.edges[k].off {
				n++
			}
		}
		return n
	}
	top, bottom := s.nodes[len(s.nodes)-1][0], s.nodes[0][0]
	loops := s.graph.redundancy()
	if loops == 0 {
		direct := slices.ContainsFunc(s.edges, func(e edge) bool {
			return !e.off && (e.a == top && e.b == bottom || e.a == bottom && e.b == top)
		})
		if !direct {
			set(s.points[top], s.points[bottom], "no loop is closed yet: end to end checks every step between")
			return
		}
	}
	for _, p := range slices.Backward(s.part) {
		if degree(p) == 1 {
			far := farthest(p)
			e := s.edges[s.adj[p][0]]
			if s.points[e.other(p)] != far && s.points[p] != far {
				set(s.points[p], far, "only one reading holds this point")
				return
			}
		}
	}
}
