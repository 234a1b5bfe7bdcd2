package wiring

import (
	"math"
	"slices"

	"pandrel/core/bank/network"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// layout counts groups at each level of the largest part: S and P, and what is not connected.
//
// In one piece: the counts of series and parallel, and what contradicts them, follow from one walk over the points.
func (c *checker) layout() {
	l := c.joined()
	members := map[int]int{}
	rootOf := make([]int, len(c.Net.Modules))
	for m := range c.Node {
		r, _, _ := l.Find(c.Node[m][0])
		rootOf[m] = r
		members[r]++
	}
	// The part that counts is the one with most modules; of equals the one at the terminals.
	main := rootOf[0]
	atTerminals := -1
	for _, p := range append(slices.Clone(c.Net.Terminals.Plus), c.Net.Terminals.Minus...) {
		if r, _, _ := l.Find(c.Point[p]); members[r] > 0 {
			atTerminals = r
			break
		}
	}
	for _, r := range rootOf {
		if members[r] > members[main] || members[r] == members[main] && r == atTerminals {
			main = r
		}
	}
	touched, cut := make([]bool, len(c.Net.Modules)), make([]bool, len(c.Net.Modules))
	for i, t := range c.Ties {
		for _, p := range []int{t.A, t.B} {
			if t.Cond != nil && c.Owner[p] >= 0 {
				touched[c.Owner[p]] = touched[c.Owner[p]] || !c.Off[i]
				cut[c.Owner[p]] = cut[c.Owner[p]] || c.Off[i]
			}
		}
	}
	at := map[int]int{}
	for _, x := range c.Cells {
		if rootOf[x.Module] == main {
			_, n, _ := l.Find(x.Lo)
			at[n]++
		}
	}
	low, high := math.MaxInt, math.MinInt
	for n := range at {
		low, high = min(low, n), max(high, n+1)
	}
	c.r.Series = high - low
	c.r.Parallel = at[low]
	even := true
	for n := low; n < high; n++ {
		if at[n] != c.r.Parallel {
			even = false
		}
		c.r.Parallel = min(c.r.Parallel, at[n])
	}
	for m, mod := range c.Net.Modules {
		if cut[m] { // its conductor closes a short: that is said already, and is why it hangs on nothing here
			continue
		}
		if rootOf[m] != main || !touched[m] && len(c.Net.Modules) > 1 {
			c.r.Disconnected = append(c.r.Disconnected, mod.ID)
		}
	}
	if n := len(c.r.Disconnected); n > 0 {
		c.find(finding.New(finding.Stop, codeDisconnected).About(c.r.Disconnected[0]).
			Reads(float64(n), "modules").Against(0).
			Says("%s", "Not connected to the rest of the bank: "+finding.Names(c.r.Disconnected, "modules")+".").
			Then("Fit the missing conductor, or take the module out of the bank."))
	}
	if !even && len(c.r.Shorts) == 0 {
		c.find(finding.New(finding.Caution, codeUnevenLevels).About("bank").Reads(float64(c.r.Parallel), "groups").
			Says("Not every level has the same number of groups in parallel: the thinnest sets the bank.").
			Then("Check that no module is missing or reversed."))
	}
	kinds := map[chem.ID]bool{}
	for m, mod := range c.Net.Modules {
		if rootOf[m] == main {
			kinds[mod.Chemistry] = true
		}
	}
	if len(kinds) > 1 {
		c.find(finding.New(finding.Refuse, codeUnlikeChemistries).About("bank").
			Reads(float64(len(kinds)), "chemistries").Against(1).
			Says("Unlike chemistries in one bank.").
			Then("Build one bank of each chemistry."))
	}
	for i := low; i < high; i++ {
		c.r.FullVolts += c.limitAt(main, i, l, rootOf)
	}
	c.r.FullVolts = numeral.Round3(c.r.FullVolts)
	if c.r.FullVolts > limits.TouchDryVolts {
		c.find(finding.New(finding.Stop, limits.HighVoltage).About("bank").
			Reads(c.r.FullVolts, "V").Against(limits.TouchDryVolts).
			Says("%s, above %.0f V: a shock can kill.", chem.FullText(c.r.FullVolts, oneOf(kinds)),
				limits.TouchDryVolts).
			Then("Isolation checked, a second person " +
				"present, protective equipment on, before the first link. Licensed practice and local codes decide."))
	}
	c.ends(l, main, low, high)
}

// oneOf is the chemistry of a bank, empty where any module's is not declared.
func oneOf(kinds map[chem.ID]bool) (id chem.ID) {
	for k := range kinds {
		id = k
		if k == "" {
			break
		}
	}
	return id
}

// limitAt is the charge limit at one level of the bank. All groups of
// a level are alike, or the bank is refused for unlike chemistries.
func (c *checker) limitAt(main, level int, l *network.Levels, rootOf []int) float64 {
	if c.limits == nil {
		c.limits = map[int]float64{}
		for _, x := range c.Cells {
			if rootOf[x.Module] != main {
				continue
			}
			_, n, _ := l.Find(x.Lo)
			c.limits[n] = max(c.limits[n], c.groupLimit(x.Module))
		}
	}
	return c.limits[level]
}

// ends judges where loads and chargers attach, and cables that lead nowhere.
func (c *checker) ends(l *network.Levels, main, low, high int) {
	t := c.Net.Terminals
	if len(t.Plus) == 0 || len(t.Minus) == 0 {
		return
	}
	count := func(name string) (int, bool) { r, n, _ := l.Find(c.Point[name]); return n, r == main }
	p0, ok1 := count(t.Plus[0])
	m0, ok2 := count(t.Minus[0])
	swapped := ok1 && ok2 && p0 < m0
	judge := func(names []string, want int, word string) {
		for _, name := range names {
			n, ok := count(name)
			switch {
			case !ok:
				c.find(finding.New(finding.Stop, codeTerminalApart).About(name).
					Says("Terminal %s is not connected to the cells.", name).
					Then("Fit the missing conductor, or take the terminal off the drawing."))
			case n != want && len(c.r.Shorts) == 0 && !swapped:
				c.find(finding.New(finding.Stop, codeMiddleTap).About(name).
					Reads(float64(max(want-n, n-want)), "groups").Against(0).
					Says("%s is the %s of a load or charger and sits %s inside the bank: "+
						"it charges or empties one part of it alone.", name, word, numeral.Count(max(want-n, n-want),
						"group")).
					Then("Take loads and chargers across the whole bank. For a lower voltage use a converter."))
			}
		}
	}
	judge(t.Plus, high, "plus")
	judge(t.Minus, low, "minus")
	at := map[int]int{}
	for i, x := range c.Ties {
		if !c.Off[i] {
			at[x.A]++
			at[x.B]++
		}
	}
	used := c.attached()
	bare := c.Graph(func(i int) bool { return !c.Ties[i].Overcurrent() })
	for _, name := range c.probed() {
		p := c.Point[name]
		if c.Owner[p] >= 0 || at[p] != 1 || used[name] {
			continue
		}
		level, what := finding.Caution, "nothing"
		if network.Shortest(bare, p, func(q int) bool { return c.Owner[q] >= 0 }) != nil {
			level, what = finding.Stop, "nothing, without a fuse"
		}
		c.find(finding.New(level, codeLooseEnd).About(name).
			Says("A conductor ends at %s, which is no terminal: it leads to %s.", name, what).
			Then("Take it off, or name the end as a terminal. A live bare end is a short that waits."))
	}
}

// attached are the points at which something that the netlist names is fitted.
func (c *checker) attached() map[string]bool {
	t := c.Net.Terminals
	used := map[string]bool{}
	for _, name := range slices.Concat(t.Plus, t.Minus, t.Earth, t.Supply) {
		used[name] = true
	}
	for _, b := range c.Net.BMS {
		used[b.BMinus], used[b.PMinus], used[b.CMinus] = true, true, true
		for _, s := range b.Sense {
			if s != nil {
				used[*s] = true
			}
		}
	}
	return used
}

// reversed finds modules that the way from minus to plus passes from top to bottom, and modules whose
// far end a short would have tied to the wrong side.
//
// Method: a breadth-first search from the minus terminals counts groups, whichever way they are passed.
// Where the count falls from a module's negative to its positive end it stands the wrong way round. A
// part that hangs on the plus side alone is counted from there.
func (c *checker) reversed() {
	var known []bool
	if t := c.Net.Terminals; len(t.Plus) > 0 && len(t.Minus) > 0 {
		known = c.againstTheWay()
	}
	var onShort, free []string
	for i, t := range c.Ties {
		if !c.Off[i] {
			continue
		}
		for _, ends := range [][2]int{{t.A, t.B}, {t.B, t.A}} {
			m := c.Owner[ends[0]]
			if m < 0 {
				continue
			}
			nodes := c.Node[m]
			n := len(nodes) - 1
			var d int
			var ok bool
			switch ends[0] {
			case nodes[n]: // its positive end is tied to something n below its negative end
				d, _, ok = c.forest.Between(nodes[0], ends[1])
				ok = ok && d == -n
			case nodes[0]:
				d, _, ok = c.forest.Between(nodes[n], ends[1])
				ok = ok && d == n
			}
			if ok {
				if known != nil && known[m] {
					onShort = append(onShort, c.Net.Modules[m].ID)
				} else {
					free = append(free, c.Net.Modules[m].ID)
				}
			}
		}
	}
	if len(free) == 0 && known == nil {
		free = onShort
	}
	for _, id := range free {
		if !slices.Contains(c.r.Reversed, id) {
			c.r.Reversed = append(c.r.Reversed, id)
		}
	}
	for _, id := range c.r.Reversed {
		c.find(finding.New(finding.Stop, codeReversed).About(id).
			Says("Module %s is the wrong way round.", id).
			Then("Turn it, and check the marks on its posts with a meter."))
	}
}

// againstTheWay fills Reversed from the search, judges swapped terminals, and returns which modules lie
// on a way from minus to plus.
func (c *checker) againstTheWay() []bool {
	g := c.Graph(func(int) bool { return true })
	fromMinus := network.Distances(g, c.points(c.Net.Terminals.Minus))
	fromPlus := network.Distances(g, c.points(c.Net.Terminals.Plus))
	plus := fromMinus[c.Point[c.Net.Terminals.Plus[0]]]
	known := make([]bool, len(c.Net.Modules))
	direction := make([]int, len(c.Net.Modules))
	up, down := 0, 0
	for m := range c.Net.Modules {
		lo, hi := c.Node[m][0], c.Node[m][len(c.Node[m])-1]
		if fromMinus[lo] < 0 || fromPlus[lo] < 0 {
			continue
		}
		d := fromMinus[hi] - fromMinus[lo]
		if plus >= 0 && fromMinus[lo] == plus+fromPlus[lo] && fromMinus[hi] == plus+fromPlus[hi] {
			d = -d // it hangs behind plus
		} else {
			known[m] = true
		}
		direction[m] = d
		groups := len(c.Net.Modules[m].Groups)
		if d > 0 {
			up += groups
		} else if d < 0 {
			down += groups
		}
	}
	swapped := false
	if n, _, ok := c.forest.Between(c.Point[c.Net.Terminals.Minus[0]], c.Point[c.Net.Terminals.Plus[0]]); ok && n < 0 {
		swapped = true
		c.find(finding.New(finding.Stop, codeTerminalsSwapped).About(c.Net.Terminals.Plus[0]).
			Reads(float64(-n), "groups").Against(0).
			Says("The terminals are swapped: minus lies above plus.").
			Then("Swap the load cables before anything is connected."))
	} else if ok && n == 0 {
		swapped = down > up
	}
	for m, d := range direction {
		if d != 0 && d > 0 == swapped {
			c.r.Reversed = append(c.r.Reversed, c.Net.Modules[m].ID)
		}
	}
	return known
}

func (c *checker) points(names []string) []int {
	var out []int
	for _, n := range names {
		out = append(out, c.Point[n])
	}
	return out
}
