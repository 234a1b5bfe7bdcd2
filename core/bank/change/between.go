package change

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/network"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Joint is what joining two points would do, before anybody does it.
type Joint struct {
	A, B    string
	Says    finding.Finding
	Volts   known.Value       // between the two as they stand, every device closed; not known where nothing joins them
	Amps    known.Value       // what would flow at first
	Length  known.Value       // along the plan, mm
	Kinds   []netlist.Kind    // what may join them, the most fitting first; none where nothing may
	Loop    []string          // joints and modules of the loop that it closes
	Rest    []Pair            // joints along the row that are like it
	RestV   known.Value       // from end to end with all of those
	Besides []finding.Finding // stops that the bank would have with it and has not now
}

// most is how many stops beside the joint's own are told with it.
const most = 3

// Between says what joining points a and b would do. It fails where one of them is not on the drawing.
func Between(d floor.Drawing, units floor.Units, a, b string) (Joint, error) {
	spots := d.AllSpots(units)
	sa, okA := spots[a]
	sb, okB := spots[b]
	j := Joint{A: a, B: b}
	switch {
	case !okA:
		return j, floor.Errorf("a", "%s is not on the drawing: expected the name of a point", a)
	case !okB:
		return j, floor.Errorf("b", "%s is not on the drawing: expected the name of a point", b)
	case a == b:
		return j, floor.Errorf("b", "both ends are %s: expected another point", a)
	}
	j.Length = d.Length(netlist.Conductor{From: a, To: b, Kind: netlist.Cable}, spots, units)
	n, err := d.Netlist(units)
	if err != nil {
		return j, err
	}
	if len(n.Modules) == 0 {
		j.Kinds, j.Says = offer(&d, sa, sb, false), unjoined(a, b)
		return j, nil
	}
	x, err := netlist.Index(n)
	if err != nil {
		return j, err
	}
	if err := j.judge(d, units, x, sa, sb); err != nil {
		return j, err
	}
	j.pins(sa, sb)
	return j, j.bridge(d, units)
}

// bridge refuses what would join the two sides of a BMS by metal: its switch would open nothing.
func (j *Joint) bridge(d floor.Drawing, units floor.Units) error {
	if j.Says.Level == finding.Refuse {
		return nil
	}
	was, err := bridged(d, units)
	if err != nil {
		return err
	}
	now, err := bridged(j.with(d), units)
	if err != nil {
		return err
	}
	for _, id := range now {
		if slices.Contains(was, id) {
			continue
		}
		j.Kinds, j.Rest, j.Besides, j.Loop = nil, nil, nil, []string{id}
		j.Says = finding.New(finding.Refuse, codeAround).About(j.A).Reads(0, "V").Against(0).By(rule).
			Says("It joins B− and P− of %s: its switch would open nothing.", id).
			Then("The cells lie on B−, loads and chargers on P−. Nothing but a pre-charge branch goes round a BMS.")
	}
	return nil
}

// bridged lists the BMS whose two sides are one point by metal.
func bridged(d floor.Drawing, units floor.Units) (out []string, err error) {
	n, err := d.Netlist(units)
	if err != nil || len(n.Modules) == 0 {
		return nil, err
	}
	x, err := netlist.Index(n)
	if err != nil {
		return nil, err
	}
	metal := network.NewLevels(len(x.Names))
	x.JoinTies(metal, (*netlist.Tie).Solid)
	for _, b := range n.BMS {
		if b.BMinus == "" || b.PMinus == "" {
			continue
		}
		if _, _, same := metal.Between(x.Point[b.BMinus], x.Point[b.PMinus]); same {
			out = append(out, b.ID)
		}
	}
	return out, nil
}

// pins keeps current off the pins of tap connectors: only a bond of taps that lie at one level may end there, fused or
// not, as in modules that stand in parallel.
func (j *Joint) pins(a, b floor.Spot) {
	if !a.Pin && !b.Pin || j.Says.Level == finding.Refuse {
		return
	}
	if j.Says.Code == codeParallel || j.Says.Code == codeJoined {
		if len(j.Kinds) > 0 {
			j.Kinds = []netlist.Kind{netlist.Bond, netlist.Fuse}
		}
		return
	}
	pin := j.A
	if !a.Pin {
		pin = j.B
	}
	j.Kinds, j.Rest, j.Besides = nil, nil, nil
	j.Says = finding.New(finding.Refuse, codePin).About(pin).Reads(0, "A").Against(0).
		Says("%s is a pin of a tap connector: it carries a sense lead, and no current of the bank.", pin).
		Then("Join posts. Sense leads follow from the drawing by themselves; taps at one level may be bonded once " +
			"their modules stand in parallel.").By(rule)
}

// judge looks for what lies between the two points already, every device closed.
func (j *Joint) judge(d floor.Drawing, units floor.Units, x *netlist.Indexed, sa, sb floor.Spot) error {
	l := floor.Closed(x)
	pa, pb := x.Reach(d.Point(j.A)), x.Reach(d.Point(j.B))
	count, volts, together := 0, 0.0, false
	if pa >= 0 && pb >= 0 {
		count, volts, together = l.Between(pa, pb)
	}
	if !together {
		j.apart(d, units, x, l, sa, sb)
		if j.Kinds = offer(&d, sa, sb, false); j.Says.Code == codeSeries {
			j.Rest = Likewise(d, units, j.A, j.B)
			j.row(d, units)
		}
		return j.besides(d, units)
	}
	var path []network.Edge
	if pa != pb {
		path = network.Shortest(x.Graph(func(int) bool { return true }), pa, func(p int) bool { return p == pb })
	}
	cells := j.along(x, path)
	j.Volts = known.Of(numeral.Round3(volts), units.Source()).Times(1)
	switch {
	case count != 0:
		return j.short(d, units, count, volts)
	case !cells:
		j.joined(d, x, path, sa, sb)
		return nil
	}
	j.parallel(x, path, volts)
	if !finding.Blocks([]finding.Finding{j.Says}) {
		j.Kinds = offer(&d, sa, sb, true)
	}
	return j.besides(d, units)
}

// row says how far the part spans with all joints along the row made.
func (j *Joint) row(d floor.Drawing, units floor.Units) {
	if len(j.Rest) == 0 {
		return
	}
	d = j.with(d)
	for _, p := range j.Rest {
		d.Joints = append(d.Joints, made(&d, netlist.Bar, p.A, p.B))
	}
	n, err := d.Netlist(units)
	if err != nil {
		return
	}
	if x, err := netlist.Index(n); err == nil {
		p := span(x, floor.Closed(x), d.Point(j.A))
		j.RestV = known.Of(numeral.Round3(p.high-p.low), units.Source()).Times(1)
	}
}

// along collects the joints and modules of a way, and says whether it passes a group.
func (j *Joint) along(x *netlist.Indexed, path []network.Edge) (cells bool) {
	for _, e := range path {
		name := ""
		if e.Cell >= 0 {
			cells = true
			name = x.Net.Modules[x.Cells[e.Cell].Module].ID
		} else {
			name = x.Ties[e.Tie].Name
		}
		if !slices.Contains(j.Loop, name) {
			j.Loop = append(j.Loop, name)
		}
	}
	return cells
}

// with is the drawing with the joint made, as a cable of which nothing is known.
func (j Joint) with(d floor.Drawing) floor.Drawing {
	d = d.Clone()
	d.Joints = append(d.Joints, netlist.Conductor{ID: d.Free(string(netlist.Cable)), Kind: netlist.Cable, From: j.A,
		To: j.B})
	return d
}

func (j *Joint) report(d floor.Drawing, units floor.Units) (wiring.Report, error) {
	n, err := d.Netlist(units)
	if err != nil {
		return wiring.Report{}, err
	}
	return wiring.CheckNetlist(n)
}

// short says what a loop with voltage would do: it is not made.
func (j *Joint) short(d floor.Drawing, units floor.Units, count int, volts float64) error {
	emf, prospect := math.Abs(volts), ""
	after, err := j.report(j.with(d), units)
	if err != nil {
		return err
	}
	for _, s := range after.Shorts {
		if s.ProspectiveA != nil && math.Abs(s.EMFV-emf) < 0.01 {
			amps := numeral.UpTwoDigits(*s.ProspectiveA)
			j.Amps = known.AtMost(amps, known.Assumed)
			prospect = fmt.Sprintf(": up to %.0f A", amps)
		}
	}
	f := finding.New(finding.Refuse, codeLoop).About(j.A).Reads(numeral.Round3(emf), "V").Against(0).By(rule)
	groups := numeral.Count(max(count, -count), "group")
	names := finding.Names(j.Loop, "things")
	if emf < 0.5 {
		f = f.Says("A short: with %s it would close a loop of %s through %s. It reads %.2f V now and may read more "+
			"at any time.", names, groups, names, emf)
	} else {
		f = f.Says("A short: it would close a loop with %.2f V in it, %s, through %s%s.", emf, groups, names, prospect)
	}
	j.Says = f.Then("It is not made. Check which post is which, or turn the module that stands the wrong way round.")
	return nil
}

// joined says what lies between two points that no voltage parts.
func (j *Joint) joined(d floor.Drawing, x *netlist.Indexed, path []network.Edge, a, b floor.Spot) {
	var opens, guards []string
	for _, e := range path {
		switch t := &x.Ties[e.Tie]; {
		case t.Overcurrent():
			guards = append(guards, t.Name)
		case t.Opens():
			opens = append(opens, t.Name)
		}
	}
	f := finding.New(finding.Note, codeJoined).About(j.A).Reads(0, "V").Against(0).By(rule)
	switch {
	case len(guards) > 0:
		j.Says = f.Says("%s lies between the two: what joins them goes round it.", finding.Names(guards, "devices")).
			Then("Nothing goes round a fuse or a breaker. Take that off first.")
		j.Says.Level, j.Says.Code = finding.Refuse, codeAround
	case len(opens) > 0:
		j.Says = f.Says("%s opens between the two: only a pre-charge branch with a switch of its own goes round it.",
			finding.Names(opens, "devices")).
			Then("Fit the resistor as a pre-charge branch, with a button or a relay in line.")
		j.Says.Level, j.Says.Code = finding.Caution, codeAround
		j.Kinds = []netlist.Kind{netlist.Precharge, netlist.Switch, netlist.Contactor}
	default:
		j.Says = f.Says("They are one point already, by %s.", orMetal(j.Loop)).
			Then("A second conductor beside it shares the current by its resistance.")
		j.Kinds = offer(&d, a, b, true)
	}
}

func orMetal(names []string) string {
	if len(names) == 0 {
		return "the module itself"
	}
	return finding.Names(names, "joints")
}

// parallel says what flows where two parts at nearly one voltage are joined.
func (j *Joint) parallel(x *netlist.Indexed, path []network.Edge, volts float64) {
	mohm := floor.LeadMOhm
	for _, e := range path {
		add := 0.0
		if e.Cell >= 0 {
			c := x.Cells[e.Cell]
			if add = x.Net.Modules[c.Module].Groups[c.Group].MOhm; add <= 0 {
				mohm = math.NaN()
			}
		} else {
			add = x.Ties[e.Tie].MOhm
		}
		mohm += add
	}
	gap := math.Abs(volts)
	level, flows := finding.Note, "what flows at first is not known: no resistance was measured"
	if !math.IsNaN(mohm) {
		j.Amps = known.Of(gap/mohm*1000, known.Assumed).Times(1)
		flows = fmt.Sprintf("about %.0f A flow at first", gap/mohm*1000)
	}
	limit := limits.JoinVolts
	if x.Net.JoinVolts > 0 {
		limit = x.Net.JoinVolts
	}
	do := "Measure across the gap before it is closed."
	if gap > limit {
		level, do = finding.Caution, "It may be drawn, and is not made before the two are level: charge the lower one "+
			"first, or join them through a resistor. Its step in the build measures it."
	}
	j.Says = finding.New(level, codeParallel).About(j.A).Reads(math.Round(gap*1e4)/10,
		"mV").Against(limit*1000).By(rule).
		Says("It joins in parallel: %.0f mV between the two, %s.", gap*1000, flows).Then("%s", do)
}

func unjoined(a, b string) finding.Finding {
	return finding.New(finding.Note, codeSeries).About(a).By(rule).
		Says("Nothing that holds a voltage hangs on %s or %s yet: nothing flows.", a, b).
		Then("Nothing to measure.")
}

// apart says what two parts that nothing joins make together.
func (j *Joint) apart(d floor.Drawing, units floor.Units, x *netlist.Indexed, l *network.Levels, a, b floor.Spot) {
	j.Amps = known.Of(0, known.Limit)
	ua, ub := span(x, l, d.Point(a.Name)), span(x, l, d.Point(b.Name))
	if ua.groups == 0 || ub.groups == 0 {
		j.Says = unjoined(j.A, j.B)
		if v := ua.high - ua.low + ub.high - ub.low; v > 0 {
			j.Says = j.Says.Says("Nothing flows: no loop closes. %s are then within reach on it.", volts(v))
			j.Says = j.Says.Then("%s", coverText)
		}
		return
	}
	low, high := min(ua.low-ua.at, ub.low-ub.at), max(ua.high-ua.at, ub.high-ub.at)
	f := finding.New(finding.Note, codeSeries).About(j.A).Reads(numeral.Round3(high-low), "V").By("rules §9, §10")
	f = f.Says("Nothing flows: no loop closes. It makes one part of %s, %.2f V from end to end.",
		numeral.Count(ua.groups+ub.groups, "group"), high-low).Then("%s", coverText)
	ma, mb := units[a.Piece], units[b.Piece]
	if a.Pole != "" && b.Pole != "" && len(ma.Groups) > 0 && len(mb.Groups) > 0 {
		like := a.Last && b.Last || a.Node == 0 && b.Node == 0
		if like && a.Node != len(ma.Groups)-a.Node {
			f = f.Says("Like poles: %s and %s stand against each other until their other ends are joined too, in "+
				"parallel. Nothing flows yet.", a.Piece, b.Piece).
				Then("In series, a plus goes to a minus: turn one of them. In parallel, compare their volts first.")
			f.Level, f.Code = finding.Caution, codeLikePoles
		}
	}
	if f.Level == finding.Note && high-low > limits.TouchDryVolts {
		f.Level = finding.Caution
		f = f.AgainstIf(finding.Of(limits.TouchDryVolts))
	}
	j.Says = f
}

const coverText = "Cover what is not in hand."

func volts(v float64) string { return fmt.Sprintf("%.2f V", v) }

// part is what hangs together with a point: its groups, the lowest and highest volts, and those of the point.
type part struct {
	groups        int
	low, high, at float64
}

func span(x *netlist.Indexed, l *network.Levels, point string) (p part) {
	at := x.Reach(point)
	if at < 0 {
		return p
	}
	root, _, v := l.Find(at)
	p = part{low: v, high: v, at: v}
	for _, c := range x.Cells {
		if r, _, lo := l.Find(c.Lo); r == root {
			_, _, hi := l.Find(c.Hi)
			p.groups++
			p.low, p.high = min(p.low, lo, hi), max(p.high, lo, hi)
		}
	}
	return p
}

// besides collects the stops that the bank would have with the joint and has not now.
func (j *Joint) besides(d floor.Drawing, units floor.Units) error {
	now, err := j.report(d, units)
	if err != nil {
		return err
	}
	then, err := j.report(j.with(d), units)
	if err != nil {
		return err
	}
	if len(then.Shorts) > len(now.Shorts) { // what lies between them is joined by nothing yet, and will be
		j.closes(d, then.Shorts[len(then.Shorts)-1])
		return nil
	}
	known := map[string]bool{}
	for _, f := range now.Findings {
		known[f.Code+f.Subject] = true
	}
	for _, f := range then.Findings {
		if f.Level >= finding.Stop && !known[f.Code+f.Subject] && len(j.Besides) < most {
			j.Besides = append(j.Besides, f)
		}
	}
	return nil
}

// closes says what a joint would do that closes a loop with voltage as soon as a BMS is on, a device closed, or through
// earth: it is not made.
func (j *Joint) closes(d floor.Drawing, s wiring.Short) {
	j.Kinds, j.Rest, j.RestV, j.Besides = nil, nil, known.Value{}, nil
	j.Loop = slices.DeleteFunc(slices.Clone(s.Loop), func(id string) bool {
		return d.Joint(id) == nil && d.Piece(id) == nil
	})
	prospect := ""
	if s.ProspectiveA != nil {
		amps := numeral.UpTwoDigits(*s.ProspectiveA)
		j.Amps = known.AtMost(amps, known.Assumed)
		prospect = fmt.Sprintf(": up to %.0f A", amps)
	}
	j.Says = finding.New(finding.Refuse, codeLoop).About(j.A).Reads(s.EMFV, "V").Against(0).By(rule).
		Says("A short: as soon as what is between is on, it would close a loop with %.2f V in it, through %s%s.",
			s.EMFV,
			orMetal(j.Loop), prospect).
		Then("It is not made. Check which pole is which: the load side of a BMS goes to the minus of loads " +
			"and chargers, " +
			"and one point of the bank at most is earthed.")
}

// near is how far apart posts may be that a bar joins, mm.
const near = 250.0

// offer lists what may join two points, the most fitting first.
func offer(d *floor.Drawing, a, b floor.Spot, level bool) []netlist.Kind {
	pole := func(want ...string) bool { return slices.Contains(want, a.Pole) || slices.Contains(want, b.Pole) }
	kind := func(k floor.Kind) bool {
		pa, pb := d.PieceOf(a.Name), d.PieceOf(b.Name)
		return pa != nil && pa.Kind == k || pb != nil && pb.Kind == k
	}
	modules := d.IsModule(a) && d.IsModule(b)
	switch {
	case kind(floor.Earth):
		return []netlist.Kind{netlist.Cable}
	case modules && level:
		return []netlist.Kind{netlist.Bar, netlist.Bond, netlist.Cable, netlist.Fuse}
	case modules && math.Hypot(a.X-b.X, a.Y-b.Y) <= near:
		return []netlist.Kind{netlist.Bar, netlist.Cable, netlist.Fuse, netlist.Switch, netlist.Plug}
	case modules:
		return []netlist.Kind{netlist.Cable, netlist.Bar, netlist.Fuse, netlist.Switch, netlist.Plug}
	case pole(":B-"):
		return []netlist.Kind{netlist.Cable, netlist.Bar}
	case pole(":P-"):
		return []netlist.Kind{netlist.Cable, netlist.Shunt, netlist.Contactor, netlist.Plug}
	case pole("+") && (d.IsModule(a) || d.IsModule(b)):
		return []netlist.Kind{netlist.Fuse, netlist.Breaker, netlist.Cable, netlist.Contactor, netlist.Switch,
			netlist.Plug}
	case pole("-"):
		return []netlist.Kind{netlist.Cable, netlist.Shunt, netlist.Switch, netlist.Contactor, netlist.Breaker,
			netlist.Plug}
	}
	return []netlist.Kind{netlist.Cable, netlist.Fuse, netlist.Breaker, netlist.Switch, netlist.Contactor,
		netlist.Precharge,
		netlist.Shunt, netlist.Plug, netlist.Bar}
}
