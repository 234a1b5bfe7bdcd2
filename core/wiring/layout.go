package wiring

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/chem"
	"pandrel/core/finding"
)

// layout counts groups at each level of the largest part: S and P, and what is not connected.
func (c *checker) layout() {
	l := c.joined()
	members := map[int]int{}
	rootOf := make([]int, len(c.n.Modules))
	for m := range c.node {
		r, _, _ := l.find(c.node[m][0])
		rootOf[m] = r
		members[r]++
	}
	main := rootOf[0]
	if len(c.n.BMS) > 0 && c.n.BMS[0].BMinus != "" {
		if r, _, _ := l.find(c.point[c.n.BMS[0].BMinus]); members[r] > 0 {
			main = r
		}
	} else {
		for _, r := range rootOf {
			if members[r] > members[main] {
				main = r
			}
		}
	}
	touched := make([]bool, len(c.n.Modules))
	for i := range c.n.Conductors {
		for _, p := range []int{c.from[i], c.to[i]} {
			if !c.off[i] && c.owner[p] >= 0 {
				touched[c.owner[p]] = true
			}
		}
	}
	at := map[int]int{}
	for _, x := range c.cells {
		if rootOf[x.module] == main {
			_, n, _ := l.find(x.lo)
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
	for m, mod := range c.n.Modules {
		if rootOf[m] != main || !touched[m] && len(c.n.Modules) > 1 {
			c.r.Disconnected = append(c.r.Disconnected, mod.ID)
		}
	}
	if n := len(c.r.Disconnected); n > 0 {
		c.find(finding.Stop, "disconnected", c.r.Disconnected[0], finding.Of(float64(n)), finding.Of(0), "modules",
			"Not connected to the rest of the bank: "+joinNames(c.r.Disconnected)+".", "Fit the missing conductor, or take the module out of the bank.")
	}
	if !even && len(c.r.Shorts) == 0 {
		c.find(finding.Caution, "uneven-levels", "bank", finding.Of(float64(c.r.Parallel)), nil, "groups", "Not every level has the same number of groups in parallel: the thinnest sets the bank.", "Check that no module is missing or reversed.")
	}
	kinds := map[chem.ID]bool{}
	for m, mod := range c.n.Modules {
		if rootOf[m] == main {
			kinds[mod.Chemistry] = true
		}
	}
	if len(kinds) > 1 {
		c.find(finding.Refuse, "unlike-chemistries", "bank", finding.Of(float64(len(kinds))), finding.Of(1), "chemistries", "Unlike chemistries in one bank.", "Build one bank of each chemistry.")
	}
	c.parallels()
}

// parallels looks at loops through cells whose count is zero: groups or strings in parallel. It
// compares their voltages, and asks for an overcurrent device in each string of several modules.
func (c *checker) parallels() {
	l := c.withCells()
	g := c.graph(func(int) bool { return false }, false) // grows as conductors are added
	worst, at := 0.0, ""
	fused := ""
	for i := range c.n.Conductors {
		if c.off[i] {
			continue
		}
		fresh, _, dv := l.join(c.from[i], c.to[i], 0, 0)
		var path []edge
		if !fresh {
			path = shortest(g, c.from[i], func(p int) bool { return p == c.to[i] })
		}
		g[c.from[i]] = append(g[c.from[i]], edge{c.to[i], i, -1, false})
		g[c.to[i]] = append(g[c.to[i]], edge{c.from[i], i, -1, false})
		if fresh {
			continue
		}
		if math.Abs(dv) > worst {
			worst, at = math.Abs(dv), c.n.Conductors[i].ID
		}
		modules := map[int]bool{}
		protected := c.n.Conductors[i].overcurrent()
		for _, e := range path {
			if e.cell >= 0 {
				modules[c.cells[e.cell].module] = true
			} else if e.cond >= 0 && c.n.Conductors[e.cond].overcurrent() {
				protected = true
			}
		}
		if len(modules) >= 4 && !protected && fused == "" {
			fused = c.n.Conductors[i].ID
		}
	}
	if n := c.bonds(); n > 0 {
		c.find(finding.Caution, "bonds", "bank", finding.Of(float64(n)), nil, "bonds", fmt.Sprintf("%d bonds of middle taps without a rating: when one module weakens, its mates feed it through them.", n), "Rate each for the full current of a module, or fuse each.")
	}
	if worst > ParallelVolts {
		c.find(finding.Caution, "parallel-difference", at, finding.Of(round3(worst)), finding.Of(ParallelVolts), "V",
			fmt.Sprintf("%s puts in parallel what differs by %.3f V.", at, worst), "Bring them to the same voltage first, or work out the current before joining.")
	}
	if fused != "" {
		c.find(finding.Stop, "string-without-fuse", fused, nil, nil, "", fmt.Sprintf("Strings joined through %s have no overcurrent device between them: a fault in one is fed by the other.", fused), "Put one overcurrent device in each string, at the battery end.")
	}
}

// bonds counts middle-tap bonds that carry no rating.
func (c *checker) bonds() int {
	n := 0
	for i := range c.n.Conductors {
		if k := &c.n.Conductors[i]; k.Kind == Bond && k.RatingA == nil {
			n++
		}
	}
	return n
}

// reversed finds modules passed from top to bottom on the way from minus to plus, and modules
// whose far end a short would have tied to the wrong side.
func (c *checker) reversed() {
	onPath := map[int]bool{}
	if len(c.n.Terminals.Plus) > 0 && len(c.n.Terminals.Minus) > 0 {
		g := c.graph(func(int) bool { return true }, true)
		goal := c.point[c.n.Terminals.Plus[0]]
		path := shortest(g, c.point[c.n.Terminals.Minus[0]], func(p int) bool { return p == goal })
		up, down := 0, 0
		dir := map[int]bool{}
		for _, e := range path {
			if e.cell < 0 {
				continue
			}
			m := c.cells[e.cell].module
			onPath[m] = true
			dir[m] = e.up
			if e.up {
				up++
			} else {
				down++
			}
		}
		if down > up {
			c.find(finding.Stop, "terminals-swapped", c.n.Terminals.Plus[0], finding.Of(float64(up-down)), finding.Of(0), "groups", "The terminals are swapped: minus lies above plus.", "Swap the load cables before anything is connected.")
		}
		for m, mod := range c.n.Modules {
			if d, ok := dir[m]; ok && d != (up >= down) {
				c.r.Reversed = append(c.r.Reversed, mod.ID)
			}
		}
	}
	var onShort, free []string
	for i := range c.n.Conductors {
		if !c.off[i] {
			continue
		}
		for _, ends := range [][2]int{{c.from[i], c.to[i]}, {c.to[i], c.from[i]}} {
			m := c.owner[ends[0]]
			if m < 0 {
				continue
			}
			nodes := c.node[m]
			n := len(nodes) - 1
			var d int
			var ok bool
			switch ends[0] {
			case nodes[n]: // its positive end is tied to something n below its negative end
				d, _, ok = c.forest.between(nodes[0], ends[1])
				ok = ok && d == -n
			case nodes[0]:
				d, _, ok = c.forest.between(nodes[n], ends[1])
				ok = ok && d == n
			}
			if ok {
				if onPath[m] {
					onShort = append(onShort, c.n.Modules[m].ID)
				} else {
					free = append(free, c.n.Modules[m].ID)
				}
			}
		}
	}
	if len(free) == 0 && len(onPath) == 0 {
		free = onShort
	}
	for _, id := range free {
		if !slices.Contains(c.r.Reversed, id) {
			c.r.Reversed = append(c.r.Reversed, id)
		}
	}
	for _, id := range c.r.Reversed {
		c.find(finding.Stop, "reversed", id, nil, nil, "", fmt.Sprintf("Module %s is the wrong way round.", id), "Turn it, and check the marks on its posts with a meter.")
	}
}

// monitoring lists the groups that no pair of adjacent sense leads sees (handbook §9).
func (c *checker) monitoring() {
	soft, hard := newLevels(len(c.names)), newLevels(len(c.names))
	for i := range c.n.Conductors {
		if c.off[i] {
			continue
		}
		soft.join(c.from[i], c.to[i], 0, 0)
		if k := &c.n.Conductors[i]; k.solid() && !k.Open {
			hard.join(c.from[i], c.to[i], 0, 0)
		}
	}
	root := func(l *levels, p int) int { r, _, _ := l.find(p); return r }
	between := map[[2]int][]int{} // cells between two soft nets
	for i, x := range c.cells {
		k := [2]int{root(soft, x.lo), root(soft, x.hi)}
		between[k] = append(between[k], i)
	}
	seen := make([]bool, len(c.cells))
	for _, b := range c.n.BMS {
		for k := 1; k < len(b.Sense); k++ {
			if b.Sense[k-1] == nil || b.Sense[k] == nil {
				continue
			}
			lo, hi := c.point[*b.Sense[k-1]], c.point[*b.Sense[k]]
			group := between[[2]int{root(soft, lo), root(soft, hi)}]
			for _, i := range group {
				x := c.cells[i]
				if len(group) == 1 || root(hard, x.lo) == root(hard, lo) && root(hard, x.hi) == root(hard, hi) {
					seen[i] = true
				}
			}
		}
	}
	for i, x := range c.cells {
		if !seen[i] {
			c.r.Unmonitored = append(c.r.Unmonitored, GroupRef{c.n.Modules[x.module].ID, x.group + 1})
		}
	}
	if len(c.n.BMS) == 0 {
		c.find(finding.Refuse, "no-bms", "bank", finding.Of(0), finding.Of(1), "BMS", "The bank has no BMS that can disconnect it.", "Choose a BMS that monitors every group.")
		return
	}
	for _, b := range c.n.BMS {
		if b.Kind == Contactor && b.Switch == nil || b.Kind != Contactor && (b.BMinus == "" || b.PMinus == "") {
			c.find(finding.Refuse, "bms-cannot-disconnect", b.ID, nil, nil, "", fmt.Sprintf("BMS %s has no switch of its own in the circuit.", b.ID), "Wire its switch, or choose one that can disconnect.")
		}
	}
	if n := len(c.r.Unmonitored); n > 0 {
		names := make([]string, 0, n)
		for _, u := range c.r.Unmonitored {
			names = append(names, fmt.Sprintf("%s group %d", u.Module, u.Group))
		}
		c.find(finding.Stop, "unmonitored", names[0], finding.Of(float64(n)), finding.Of(0), "groups", fmt.Sprintf("No sense lead pair sees %s.", joinNames(names)), "Bond the middle taps of paralleled modules, or give each its own monitor.")
	}
}

// protection searches for ways from plus to minus that avoid what they must pass.
func (c *checker) protection() {
	plus, minus := c.n.Terminals.Plus, c.n.Terminals.Minus
	if len(plus) == 0 || len(minus) == 0 {
		c.find(finding.Note, "no-terminals", "bank", nil, nil, "", "Protection and bypasses are not checked: the bank has no plus and minus terminals.", "Add the terminals.")
		return
	}
	ends := map[int]bool{}
	for _, m := range minus {
		ends[c.point[m]] = true
	}
	switched := map[int]bool{}
	for _, b := range c.n.BMS {
		if b.Switch != nil {
			for i := range c.n.Conductors {
				if c.n.Conductors[i].ID == *b.Switch {
					switched[i] = true
				}
			}
		}
	}
	any := func(kind string) bool {
		return slices.ContainsFunc(c.n.Conductors, func(k Conductor) bool { return k.Kind == kind })
	}
	search := func(keep func(int) bool, through, earth bool) []string {
		g := c.graph(keep, through)
		if earth {
			for i := 1; i < len(c.n.Terminals.Earth); i++ {
				a, b := c.point[c.n.Terminals.Earth[0]], c.point[c.n.Terminals.Earth[i]]
				g[a] = append(g[a], edge{b, -1, -1, false})
				g[b] = append(g[b], edge{a, -1, -1, false})
			}
		}
		for _, p := range plus {
			if path := shortest(g, c.point[p], func(q int) bool { return ends[q] }); path != nil {
				out := []string{}
				for _, e := range path {
					if e.cond >= 0 {
						out = append(out, c.n.Conductors[e.cond].ID)
					}
				}
				return out
			}
		}
		return nil
	}
	if p := search(func(i int) bool { return !c.n.Conductors[i].overcurrent() }, true, false); p != nil {
		c.r.Unprotected = append(c.r.Unprotected, Path{"overcurrent device", p})
		c.find(finding.Stop, "unprotected", plus[0], finding.Of(0), finding.Of(1), "devices", "The way through "+orNothing(p)+" reaches the load terminals without a fuse or breaker.", "Put an overcurrent device at the battery end, close to the cells.")
	}
	if len(c.n.BMS) > 0 {
		if p := search(func(i int) bool { return !switched[i] }, false, true); p != nil {
			c.r.Bypasses = append(c.r.Bypasses, Path{"BMS", p})
			c.find(finding.Stop, "bms-bypassed", minus[0], nil, nil, "", "The way through "+orNothing(p)+" goes round the BMS: it could not disconnect the load or the charger.", "Take load and charger negatives to the load side of the BMS. Check for earthed devices.")
		}
	}
	if any(Shunt) {
		if p := search(func(i int) bool { return c.n.Conductors[i].Kind != Shunt }, true, true); p != nil {
			c.r.Bypasses = append(c.r.Bypasses, Path{"shunt", p})
			c.find(finding.Stop, "shunt-bypassed", minus[0], nil, nil, "", "The way through "+orNothing(p)+" goes round the shunt: its current is not counted.", "Take every negative to the load side of the shunt.")
		}
	}
	full := 0.0
	for _, x := range c.cells {
		if ch, err := chem.Lookup(c.n.Modules[x.module].Chemistry); err == nil {
			full = max(full, float64(c.r.Series)*ch.ChargeLimitVolts)
		}
	}
	for i := range c.n.Conductors {
		k := &c.n.Conductors[i]
		if k.overcurrent() && k.VoltageRatingV != nil && full > *k.VoltageRatingV {
			c.find(finding.Stop, "voltage-rating", k.ID, finding.Of(round3(full)), k.VoltageRatingV, "V", fmt.Sprintf("%s is rated for %.0f V DC, the full bank reaches %.1f V.", k.ID, *k.VoltageRatingV, full), "Use one with a DC rating above the full bank.")
		}
	}
}

func orNothing(path []string) string {
	if len(path) == 0 {
		return "the modules themselves"
	}
	return joinNames(path)
}
