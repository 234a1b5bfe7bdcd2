package floor

import (
	"cmp"
	"fmt"
	"maps"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Mark is what stands on the drawing at a piece, a joint or a point, and in the list beside it.
type Mark struct {
	On    string        `json:"on"`
	Level finding.Level `json:"level"`
	Text  string        `json:"text"`
}

// State is a drawing as it stands: what it amounts to, the volts at every point, and what is wrong with it.
type State struct {
	Drawing  Drawing
	Netlist  netlist.Netlist
	Report   wiring.Report
	Spots    map[string]Spot
	Volts    map[string]float64 // at each point against the lowest of its part, as the devices stand
	Reach    map[string]float64 // volts within reach at each point: how far its part spans
	Findings []finding.Finding
	Marks    []Mark
	Tells    Tells
}

// Tells is what a drawing says by itself, without a design.
type Tells struct {
	Series   int            `json:"series"`
	Parallel int            `json:"parallel"`
	At       map[string]int `json:"groups_below"` // each module, from the main negative up
	Ah       known.Value    `json:"ah"`           // of the thinnest level, not known where a group's is not
	FullV    known.Value    `json:"full_v"`
	Modules  int            `json:"modules"`
}

// Use is what a bank is asked for, 0 for not known: its design current, and the volts at which parts may be joined.
type Use struct{ DesignA, JoinVolts float64 }

// Judge says what a drawing is and what is wrong with it, whatever it is used for.
func Judge(d Drawing, units Units) (State, error) { return JudgeFor(d, units, Use{}) }

// JudgeFor says what a drawing is and what is wrong with it. It fails for a module that is not on record.
func JudgeFor(d Drawing, units Units, use Use) (s State, err error) {
	s = State{Drawing: d, Spots: d.AllSpots(units), Volts: map[string]float64{}, Reach: map[string]float64{},
		Tells: Tells{At: map[string]int{}}}
	if s.Netlist, err = d.Netlist(units); err != nil {
		return s, err
	}
	s.Netlist.DesignA, s.Netlist.JoinVolts = use.DesignA, use.JoinVolts
	s.Findings = d.places(units)
	if len(s.Netlist.Modules) > 0 {
		if s.Report, err = wiring.CheckNetlist(s.Netlist); err != nil {
			return s, err
		}
		x, err := netlist.Index(s.Netlist)
		if err != nil {
			return s, err
		}
		s.levels(x)
		s.tells(x, units)
		s.supplies(x)
		s.reaches(units)
		s.clear(x, units)
		s.Findings = append(s.Findings, s.Report.Findings...)
	}
	s.Findings = finding.Sorted(s.Findings)
	s.marks()
	return s, nil
}

// levels fills in the volts at each point and how much lies within reach there, as the devices stand.
func (s *State) levels(x *netlist.Indexed) {
	l := x.WithCells()
	x.JoinTies(l, (*netlist.Tie).Live)
	low, high := Spans(x, l)
	for name := range s.Spots {
		p := x.Reach(s.Drawing.Point(name))
		if p < 0 {
			continue
		}
		r, _, v := l.Find(p)
		if high[r] > low[r] {
			s.Volts[name], s.Reach[name] = numeral.Round3(v-low[r]), numeral.Round3(high[r]-low[r])
		}
	}
}

// Spans are the lowest and the highest volts of each part, by its root.
func Spans(x *netlist.Indexed, l *network.Levels) (low, high map[int]float64) {
	low, high = map[int]float64{}, map[int]float64{}
	for p := range x.Names {
		r, _, v := l.Find(p)
		if _, ok := low[r]; !ok {
			low[r], high[r] = v, v
		}
		low[r], high[r] = min(low[r], v), max(high[r], v)
	}
	return low, high
}

// tells reads S, P, positions and capacity off the drawing.
func (s *State) tells(x *netlist.Indexed, units Units) {
	t := &s.Tells
	t.Series, t.Parallel, t.Modules = s.Report.Series, s.Report.Parallel, len(s.Netlist.Modules)
	if s.Report.FullVolts > 0 {
		t.FullV = known.Of(s.Report.FullVolts, known.Limit).Times(1)
	}
	l := Closed(x)
	root, base := mainPart(x, l)
	at := map[int]known.Value{}
	open := false
	for _, c := range x.Cells {
		r, n, _ := l.Find(c.Lo)
		if r != root {
			continue
		}
		m := x.Net.Modules[c.Module]
		ah := units[m.ID].holds(c.Group)
		open = open || !ah.Is()
		if was, ok := at[n]; ok {
			ah = was.Add(ah)
		}
		at[n] = ah
		if k, ok := t.At[m.ID]; !ok || n-base < k {
			t.At[m.ID] = n - base
		}
	}
	if levels := slices.Collect(maps.Values(at)); !open && len(levels) > 0 {
		t.Ah = known.Min(levels[0], levels[1:]...)
	}
}

// mainPart is the part with most groups, and the level of its lowest point.
func mainPart(x *netlist.Indexed, l *network.Levels) (root, base int) {
	groups := map[int]int{}
	for _, c := range x.Cells {
		r, _, _ := l.Find(c.Lo)
		groups[r]++
	}
	root = -1
	for _, c := range x.Cells { // in the order of the file: of equals the first
		if r, _, _ := l.Find(c.Lo); root < 0 || groups[r] > groups[root] {
			root = r
		}
	}
	base = math.MaxInt
	for _, c := range x.Cells {
		if r, n, _ := l.Find(c.Lo); r == root {
			base = min(base, n)
		}
	}
	return root, base
}

// supplies asks what feeds the monitor alone for a fuse of its own: nothing else ends a fault there, since it hangs
// ahead of the switch.
func (s *State) supplies(x *netlist.Indexed) {
	bare := x.Graph(func(i int) bool { return !x.Ties[i].Overcurrent() })
	for i := 0; i+1 < len(s.Netlist.Terminals.Supply); i += 2 {
		plus, minus := s.Netlist.Terminals.Supply[i], s.Netlist.Terminals.Supply[i+1]
		p, m := x.Reach(plus), x.Reach(minus)
		if p < 0 || m < 0 {
			continue
		}
		id := strings.TrimSuffix(plus, "+")
		f := finding.New(finding.Stop, codeSupply).About(id).By(rule).
			Then("A fuse of at most %.0f A where it branches off.", limits.SupplyFuseAmps)
		if network.Shortest(bare, p, func(q int) bool { return q == m }) != nil {
			s.Findings = append(s.Findings, f.Reads(0, "devices").Against(1).
				Says("%s feeds the monitor from the cells without a fuse of its own, and no switch opens it.", id))
			continue
		}
		switch amps, open := s.feeds(x, bare, p, m); {
		case amps > limits.SupplyFuseAmps:
			s.Findings = append(s.Findings, f.Reads(amps, "A").From(known.Typed).Against(limits.SupplyFuseAmps).
				Says("%s feeds the monitor alone through %.0f A, and no switch opens it.", id, amps))
		case amps == 0 && open:
			f.Level = finding.Caution
			s.Findings = append(s.Findings, f.ReadsIf(nil, "A").Against(limits.SupplyFuseAmps).
				Says("%s feeds the monitor alone through a fuse of which no rating is typed.", id))
		}
	}
}

// feeds is the smallest rating of what protects a supply: of the devices at its two ends, 0 for none that is known.
func (s *State) feeds(x *netlist.Indexed, bare [][]network.Edge, ends ...int) (least float64, open bool) {
	for i := range x.Ties {
		t := &x.Ties[i]
		if !t.Overcurrent() || x.Off[i] {
			continue
		}
		for _, end := range ends {
			near := func(q int) bool { return q == t.A || q == t.B }
			path := network.Shortest(bare, end, near)
			through := slices.ContainsFunc(path, func(e network.Edge) bool { return e.Cell >= 0 })
			switch {
			case path == nil && !near(end) || through:
			case t.Cond.RatingA == nil:
				open = true
			case least == 0 || *t.Cond.RatingA < least:
				least = *t.Cond.RatingA
			}
		}
	}
	return least, open
}

// places judges where pieces lie: on one another, beside their shelf, on what they hide, and what their shelf bears.
func (d Drawing) places(units Units) (out []finding.Finding) {
	boxes := make([]Box, len(d.Pieces))
	for i, p := range d.Pieces {
		boxes[i] = d.BoxOf(p, units)
	}
	order := make([]int, len(d.Pieces)) // from left to right, so that far ones are never compared
	for i := range order {
		order[i] = i
	}
	slices.SortFunc(order, func(a, b int) int { return cmp.Compare(boxes[a].X, boxes[b].X) })
	for k, i := range order {
		for _, j := range order[k+1:] {
			if boxes[j].X >= boxes[i].X+boxes[i].W {
				break
			}
			if boxes[i].Overlaps(boxes[j]) {
				out = append(out, d.meet(units, min(i, j), max(i, j))...)
			}
		}
	}
	out = append(out, d.shelves(units, boxes)...)
	if names := d.Assumed(units); len(names) > 0 {
		out = append(out, finding.New(finding.Note, codeSizeAssumed).About(names[0]).
			Reads(float64(len(names)), "modules").From(known.Assumed).Against(0).By("rules §9, §10").
			Says("The size of %s is not known: drawn %.0f × %.0f mm, and every length rests on that.",
				finding.Names(names, "modules"), assumedCase.WMM, assumedCase.DMM).
			Then("Measure one of each type, and type its size."))
	}
	return out
}

// meet judges two pieces that cover one place.
func (d Drawing) meet(units Units, i, j int) (out []finding.Finding) {
	a, b := d.Pieces[i], d.Pieces[j]
	if a.Place.Layer == b.Place.Layer {
		return []finding.Finding{finding.New(finding.Stop, codeOverlap).About(b.ID).By(rule).
			Says("%s lies where %s stands.", b.ID, a.ID).Then("Move one of them, or lift it to a layer above.")}
	}
	if a.Place.Layer > b.Place.Layer {
		a, b = b, a
	}
	var under, last []string
	box := d.BoxOf(b, units)
	leads := d.leads()
	for _, s := range d.Spots(a, units) {
		if !box.Holds(s.X, s.Y) || len(d.At(s.Name)) == 0 {
			continue
		}
		under = append(under, s.Name)
		for _, c := range d.At(s.Name) {
			if leads[c.ID] || !early(c.Kind) {
				last = append(last, c.ID)
			}
		}
	}
	if len(under) == 0 {
		return nil
	}
	if len(last) > 0 {
		return []finding.Finding{finding.New(finding.Stop, codeBuries).About(b.ID).Reads(float64(len(last)), "joints").
			Against(0).By(rule).
			Says("%s covers posts of %s where %s goes on, and that goes on last of all.", b.ID, a.ID,
				finding.Names(last, "joints")).
			Then("Move it, or take what goes on last to another post.")}
	}
	return []finding.Finding{finding.New(finding.Caution, codeCovers).About(b.ID).Reads(float64(len(under)), "posts").
		Against(0).By(rule).
		Says("%s covers %s of %s: they are out of reach once it stands there.", b.ID, finding.Names(under, "posts"),
			a.ID).
		Then("Fit and measure those before it is put on. To reach them again it comes off first.")}
}

// early reports whether a joint is fitted before the sense leads are measured: devices go on after.
func early(k netlist.Kind) bool {
	return k == netlist.Bar || k == netlist.Cable || k == netlist.Bond || k == netlist.Shunt
}

// Covers lists for each piece that lies above others the joints at the posts that it covers: they are fitted before it
// is put on. A joint of its own is not among them, nor what goes on last of all: that it must not cover.
func (d Drawing) Covers(units Units) map[string][]string {
	out := map[string][]string{}
	for _, above := range d.Pieces {
		if above.Place.Layer == 0 {
			continue
		}
		box := d.BoxOf(above, units)
		for _, p := range d.Pieces {
			if p.Place.Layer >= above.Place.Layer || !box.Overlaps(d.BoxOf(p, units)) {
				continue
			}
			for _, s := range d.Spots(p, units) {
				if !box.Holds(s.X, s.Y) {
					continue
				}
				for _, c := range d.At(s.Name) {
					own := above.Owns(c.From) || above.Owns(c.To)
					if early(c.Kind) && !own && !slices.Contains(out[above.ID], c.ID) {
						out[above.ID] = append(out[above.ID], c.ID)
					}
				}
			}
		}
	}
	return out
}

// shelves judges what stands beside its shelf and what a shelf bears.
func (d Drawing) shelves(units Units, boxes []Box) (out []finding.Finding) {
	if len(d.Supports) == 0 {
		return nil
	}
	type load struct {
		kg   float64
		open []string
	}
	loads := make([]load, len(d.Supports))
	for i, p := range d.Pieces {
		b := boxes[i]
		k := slices.IndexFunc(d.Supports, func(s Support) bool {
			return s.XMM <= b.X+b.W/2 && b.X+b.W/2 <= s.XMM+s.WMM && s.YMM <= b.Y+b.D/2 && b.Y+b.D/2 <= s.YMM+s.DMM
		})
		over := k < 0
		if k >= 0 {
			s := d.Supports[k]
			over = b.X < s.XMM-1 || b.Y < s.YMM-1 || b.X+b.W > s.XMM+s.WMM+1 || b.Y+b.D > s.YMM+s.DMM+1
			c, _ := d.CaseOf(p, units)
			if c.Kg > 0 {
				loads[k].kg += c.Kg
			} else if p.Kind == Module {
				loads[k].open = append(loads[k].open, p.ID)
			}
		}
		if over && p.Kind == Module {
			out = append(out, finding.New(finding.Caution, codeOffShelf).About(p.ID).By(rule).
				Says("%s does not stand wholly on a shelf.",
					p.ID).Then("Move it in, or draw the shelf as wide as it is."))
		}
	}
	for i, s := range d.Supports {
		switch l := loads[i]; {
		case s.BearsKg <= 0:
		case l.kg > s.BearsKg:
			out = append(out, finding.New(finding.Stop, codeHeavy).About(s.ID).Reads(l.kg,
				"kg").Against(s.BearsKg).By("hazards").
				Says("%s bears %.0f kg, and %.0f kg stand on it.", s.ID, s.BearsKg, l.kg).
				Then("Share the weight over more shelves."))
		case len(l.open) > 0:
			out = append(out, finding.New(finding.Caution, codeWeightOpen).About(s.ID).Reads(l.kg,
				"kg").Against(s.BearsKg).
				By("hazards").
				Says("%s bears %.0f kg. Of what stands on it %.0f kg are known, %s not weighed.", s.ID, s.BearsKg, l.kg,
					finding.Was(l.open, "modules")).
				Then("Weigh one of each type, and type it."))
		}
	}
	return out
}

// marks puts every judgement where it belongs on the drawing.
func (s *State) marks() {
	d := &s.Drawing
	add := func(on string, level finding.Level, text string) {
		s.Marks = append(s.Marks, Mark{on, level, text})
	}
	for _, f := range s.Findings {
		if f.Level < finding.Caution {
			continue
		}
		subject := f.Subject
		if id, _, ok := strings.Cut(subject, " "); ok && d.Piece(subject) == nil {
			subject = id
		}
		if d.Piece(subject) != nil || d.Joint(subject) != nil {
			add(subject, f.Level, f.Text)
		} else if _, ok := s.Spots[subject]; ok {
			add(subject, f.Level, f.Text)
		}
	}
	hidden := map[string][]string{}
	var order []string
	for _, g := range s.Report.Unmonitored {
		if hidden[g.Module] == nil {
			order = append(order, g.Module)
		}
		hidden[g.Module] = append(hidden[g.Module], fmt.Sprint(g.Group))
	}
	for _, id := range order {
		add(id, finding.Stop, fmt.Sprintf("No BMS sees %s of %s: %s.", numeral.Count(len(hidden[id]), "group"), id,
			strings.Join(hidden[id], ", ")))
	}
	for _, path := range s.Report.Unprotected {
		for _, id := range path.Conductors {
			add(id, finding.Stop, id+" carries the bank's current without a fuse or breaker.")
		}
	}
	for _, path := range s.Report.Bypasses {
		for _, id := range path.Conductors {
			add(id, finding.Stop, fmt.Sprintf("%s goes round the %s.", id, path.Avoids))
		}
	}
	for _, short := range s.Report.Shorts {
		for _, id := range short.Loop {
			add(id, finding.Refuse, fmt.Sprintf("%s is part of a short of %.2f V.", id, short.EMFV))
		}
	}
	slices.SortStableFunc(s.Marks, func(a, b Mark) int { return int(b.Level) - int(a.Level) })
	seen := map[Mark]bool{}
	s.Marks = slices.DeleteFunc(s.Marks, func(m Mark) bool {
		was := seen[m]
		seen[m] = true
		return was
	})
}

// Worst is the gravest mark of a piece, a joint or a point.
func (s State) Worst(on string) (m Mark, ok bool) {
	k := slices.IndexFunc(s.Marks, func(m Mark) bool { return m.On == on })
	if k < 0 {
		return m, false
	}
	return s.Marks[k], true
}

// Band says how high the volts within reach at a point are: above the limit of a wet place, or of a dry one too.
func (s State) Band(point string) int {
	switch v := s.Reach[point]; {
	case v > limits.TouchDryVolts:
		return 2
	case v > limits.TouchWetVolts:
		return 1
	}
	return 0
}
