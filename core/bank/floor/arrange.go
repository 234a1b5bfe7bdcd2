package floor

import (
	"maps"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
)

// What stands between two cases, and between two rows of them: what a bar needs for its bend, and a hand, mm.
const (
	Gap    = 10.0
	RowGap = 40.0
)

// FromNetlist draws a bank that was designed: every module, BMS and end of it a piece, laid out with the shortest
// links. chains are the modules of each string from its negative up, those in parallel beside each other.
func FromNetlist(n netlist.Netlist, units Units, chains [][][]string) Drawing {
	var d Drawing
	for _, m := range n.Modules {
		d.Pieces = append(d.Pieces, Piece{ID: m.ID, Kind: Module})
	}
	ends := map[string]string{} // points of the netlist by what they are called on the drawing
	name := func(point string) string {
		if to := ends[point]; to != "" {
			return to
		}
		return point
	}
	for i, plus := range n.Terminals.Plus {
		id := strings.TrimSuffix(plus, "+")
		if id == plus {
			id = d.Free(string(Outlet))
		}
		d.Pieces = append(d.Pieces, Piece{ID: id, Kind: Outlet})
		ends[plus] = id + "+"
		if i < len(n.Terminals.Minus) {
			ends[n.Terminals.Minus[i]] = id + "-"
		}
	}
	for _, b := range n.BMS {
		p := Piece{ID: b.ID, Kind: BMS, Opens: b.Kind, OpensV: b.SwitchV}
		if b.PMinus == "" && b.Switch == nil {
			p.Kind = Board
		}
		if b.Switch != nil {
			p.Drives = *b.Switch
		}
		d.Pieces = append(d.Pieces, p)
	}
	known := d.AllSpots(units)
	for _, c := range n.Conductors {
		c.From, c.To = name(c.From), name(c.To)
		for _, p := range []string{c.From, c.To} {
			if _, ok := known[p]; !ok {
				d.Pieces = append(d.Pieces, Piece{ID: p, Kind: Stud})
				known = d.AllSpots(units)
			}
		}
		d.Joints = append(d.Joints, c)
	}
	for _, b := range n.BMS {
		lead := func(pole, to string) {
			if to = name(to); to != "" {
				d.Joints = append(d.Joints, netlist.Conductor{ID: d.Free(string(netlist.Cable)), Kind: netlist.Cable,
					From: b.ID + pole, To: to})
			}
		}
		lead(":B-", b.BMinus)
		lead(":P-", b.PMinus)
	}
	d.lay(units, chains)
	return d
}

// Arranged lays all modules out anew, by the strings that the joints make of them, and the rest below.
func Arranged(d Drawing, units Units) Drawing {
	d = d.Clone()
	d.lay(units, d.Chains(units))
	return d
}

// Chains reads the strings off the drawing: the modules of each from its negative up, those side by side that lie at
// one level. What hangs on nothing is one string in the order of the drawing.
func (d Drawing) Chains(units Units) (out [][][]string) {
	n, err := d.Netlist(units)
	if err != nil || len(n.Modules) == 0 {
		return nil
	}
	x, err := netlist.Index(n)
	if err != nil {
		return nil
	}
	l := Closed(x)
	bars := newClimber(units, n)
	var list []standing
	parts := map[int]int{}
	for i, m := range n.Modules {
		r, k, _ := l.Find(x.Node[i][0])
		list = append(list, standing{m.ID, r, k})
		parts[r]++
	}
	taken := map[string]bool{}
	var loose [][]string
	for _, m := range list {
		switch {
		case taken[m.id]:
		case parts[m.root] == 1:
			loose = append(loose, []string{m.id})
		default:
			out = append(out, bars.chain(list, m.id, taken))
		}
	}
	if len(loose) > 0 {
		out = append(out, loose)
	}
	return out
}

// standing is a module with the part that it hangs on and its level there.
type standing struct {
	id    string
	root  int
	level int
}

// chain gathers the string of a module along solid metal, by level: strings that meet at their ends only stay apart.
func (u *climber) chain(list []standing, first string, taken map[string]bool) (out [][]string) {
	at := map[string]int{}
	for _, m := range list {
		at[m.id] = m.level
	}
	by := map[int][]string{}
	queue := []string{first}
	for len(queue) > 0 {
		id := queue[0]
		queue = queue[1:]
		if taken[id] {
			continue
		}
		taken[id] = true
		by[at[id]] = append(by[at[id]], id)
		queue = append(queue, u.beside(id)...)
	}
	for _, k := range slices.Sorted(maps.Keys(by)) {
		out = append(out, by[k])
	}
	return out
}

// beside are the modules that a joint in one piece, or a device in line, ties to one.
func (u *climber) beside(id string) (out []string) {
	for _, name := range u.lists[id] {
		for _, c := range u.by[id+"."+name] {
			for _, end := range []string{c.From, c.To} {
				if other, _, ok := strings.Cut(end, "."); ok && other != id && u.units[other].ID != "" {
					out = append(out, other)
				}
			}
		}
	}
	return out
}

// lay puts each string into rows, and everything else along the left, the right and the lower edge.
func (d *Drawing) lay(units Units, chains [][][]string) {
	y := 0.0
	left := 0.0
	if slices.ContainsFunc(d.Pieces, func(p Piece) bool { return p.Kind == BMS || p.Kind == Board }) {
		left = usual[BMS].WMM + RowGap
	}
	width := 0.0
	for _, chain := range chains {
		w, h := d.layString(units, chain, left, y)
		width, y = max(width, w), y+h+RowGap
	}
	yl, yr, xs := 0.0, 0.0, left
	for i := range d.Pieces {
		p := &d.Pieces[i]
		b := d.BoxOf(*p, units)
		switch p.Kind {
		case Module:
			if !slices.ContainsFunc(chains, func(c [][]string) bool {
				return slices.ContainsFunc(c, func(row []string) bool { return slices.Contains(row, p.ID) })
			}) {
				p.Place = Place{XMM: xs, YMM: y}
				xs += b.W + Gap
			}
		case BMS, Board:
			p.Place = Place{YMM: yl}
			yl += b.D + RowGap
		case Outlet, Load, Charger:
			p.Place = Place{XMM: math.Round(left + width + 3*RowGap), YMM: yr}
			yr += b.D + RowGap
		default:
			p.Place = Place{XMM: math.Round(left + width + RowGap), YMM: yr}
			yr += b.D + RowGap
		}
	}
}

// layString puts one string into rows that wind, each module turned so that its minus lies near the plus before it.
// Of all numbers of columns and both ways to lie, the one with the shortest links counts; of those within a tenth of
// it the one nearest to a square.
func (d *Drawing) layString(units Units, chain [][]string, x0, y0 float64) (w, h float64) {
	type way struct {
		turns []int
		cols  int
		links float64
		side  float64
	}
	var best *way
	for base := range 2 {
		for cols := 1; cols <= min(len(chain), 12); cols++ {
			turns := d.turns(units, chain, base, cols)
			w, h := d.put(units, chain, turns, cols, x0, y0)
			c := way{turns, cols, d.links(units, chain), math.Abs(math.Log(w / max(1, h) / 1.6))}
			if best == nil || c.links < best.links*0.9 || c.links < best.links*1.1 && c.side < best.side {
				best = &c
			}
		}
	}
	if best == nil {
		return 0, 0
	}
	return d.put(units, chain, best.turns, best.cols, x0, y0)
}

// turns chooses for each place of a string between two opposite ways to lie: the shortest links in all, found by going
// along it with what either way costs so far.
func (d *Drawing) turns(units Units, chain [][]string, base, cols int) []int {
	n := len(chain)
	turns := make([]int, n)
	for i := range turns {
		turns[i] = base
	}
	if n < 2 {
		return turns
	}
	c := d.cells(units, chain, base, cols) // turned by half, a case is as wide and as deep as before
	cost := [2]float64{}
	from := make([][2]int, n)
	for i := 1; i < n; i++ {
		var next [2]float64
		for now := range 2 {
			next[now] = math.Inf(1)
			c.put(i, base+2*now)
			for was := range 2 {
				c.put(i-1, base+2*was)
				if sum := cost[was] + d.gap(units, chain[i-1][0], chain[i][0]); sum < next[now]-1e-9 {
					next[now], from[i][now] = sum, was
				}
			}
		}
		cost = next
	}
	now := 0
	if cost[1] < cost[0] {
		now = 1
	}
	for i := n - 1; i >= 0; i-- {
		turns[i] = base + 2*now
		now = from[i][now]
	}
	return turns
}

// cells are the places of a string: cols of them in a row, every other row backwards.
type cells struct {
	d      *Drawing
	units  Units
	rows   [][]*Piece
	cols   int
	w, h   float64 // of one
	x0, y0 float64
}

// cells measures the places of a string whose modules all lie one way, or its opposite.
func (d *Drawing) cells(units Units, chain [][]string, turn, cols int) *cells {
	c := &cells{d: d, units: units, cols: cols}
	for _, row := range chain {
		var list []*Piece
		high := -Gap
		for _, id := range row {
			p := d.Piece(id)
			p.Place.Turn, p.Place.Flip = turn%4, false
			b := d.BoxOf(*p, units)
			c.w = max(c.w, b.W)
			high += b.D + Gap
			list = append(list, p)
		}
		c.h = max(c.h, high)
		c.rows = append(c.rows, list)
	}
	return c
}

// put places the modules of one position, those in parallel below each other.
func (c *cells) put(i, turn int) {
	row, col := i/c.cols, i%c.cols
	if row%2 == 1 {
		col = c.cols - 1 - col
	}
	y := c.y0 + float64(row)*(c.h+RowGap)
	for _, p := range c.rows[i] {
		p.Place.Turn = turn % 4
		p.Place.XMM, p.Place.YMM = c.x0+float64(col)*(c.w+Gap), y
		y += c.d.BoxOf(*p, c.units).D + Gap
	}
}

// put places a whole string, and says how wide and deep it is.
func (d *Drawing) put(units Units, chain [][]string, turns []int, cols int, x0, y0 float64) (w, h float64) {
	c := d.cells(units, chain, turns[0], cols)
	c.x0, c.y0 = x0, y0
	for i := range chain {
		c.put(i, turns[i])
	}
	rows := (len(chain) + cols - 1) / cols
	return float64(min(cols, len(chain)))*(c.w+Gap) - Gap, float64(rows)*(c.h+RowGap) - RowGap
}

// links is the length of all links of a string, mm.
func (d *Drawing) links(units Units, chain [][]string) (sum float64) {
	for i := 1; i < len(chain); i++ {
		sum += d.gap(units, chain[i-1][0], chain[i][0])
	}
	return sum
}

// gap is how far the plus of one module lies from the minus of the next, mm.
func (d *Drawing) gap(units Units, below, above string) float64 {
	end := func(id string, last bool) (s Spot) {
		for _, x := range d.Spots(*d.Piece(id), units) {
			if !x.Pin && (last && x.Last || !last && x.Node == 0) {
				return x
			}
		}
		return s
	}
	a, b := end(below, true), end(above, false)
	return math.Hypot(a.X-b.X, a.Y-b.Y)
}
