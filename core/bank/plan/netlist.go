package plan

import (
	"fmt"
	"slices"
	"strings"

	"pandrel/core/bank/floor"
	"pandrel/core/bank/netlist"

	"pandrel/core/bank/bms"
	"pandrel/core/base/finding"
	"pandrel/core/module/layout"
)

// Parts are the ratings of what a bank is built with, 0 where not known. BondA is of each bond of middle
// taps; FuseMM is the length of conductor between the cells and the first fuse.
type Parts struct {
	FuseA      float64 `json:"FuseA"`
	FuseV      float64 `json:"FuseV"`
	FuseKA     float64 `json:"FuseKA"`
	CableA     float64 `json:"CableA"`
	BondA      float64 `json:"BondA"`
	FuseMM     float64 `json:"FuseMM"`
	BondsFused bool    `json:"BondsFused"`
	// PartAfter is the position behind which a disconnect by hand parts each string, 0 for none.
	PartAfter int `json:"PartAfter,omitempty"`
	// Ways are what hangs on the bank, a line each (package ways).
	Ways string `json:"Ways,omitempty"`
}

// Bound is the largest value of a rating that can be true; Field is its name in the form.
type Bound struct {
	Field string
	Value float64
	Most  float64
	What  string
}

// Bounds lists the ratings with what is possible at most.
func (p Parts) Bounds() []Bound {
	return []Bound{
		{"fuse_a", p.FuseA, 5000, "the fuse's rating in A"},
		{"fuse_v", p.FuseV, 2000, "its DC volts"},
		{"fuse_ka", p.FuseKA, 500, "its interrupting rating in kA"},
		{"cable_a", p.CableA, 5000, "the cable's ampacity"},
		{"bond_a", p.BondA, 5000, "a bond's rating"},
		{"fuse_mm", p.FuseMM, 50000, "the length up to the fuse in mm"},
	}
}

// The ends of a bank in its netlist.
const (
	OutPlus  = "OUT+"
	OutMinus = "OUT-"
)

// fusedBondMOhm is a fused bond that is well made, mΩ.
const fusedBondMOhm = 0.5

// ohmicShare is the ohmic part of the DC resistance at 10 s (rules §10).
const ohmicShare = 0.5

// pick returns a node's point among the preferred names, else its first.
func pick(node layout.Node, preferred []string) string {
	for _, p := range preferred {
		if slices.Contains(node.Points, p) {
			return p
		}
	}
	return node.Points[0]
}

// without takes dead points off a layout, so that neither a probe nor a sense lead is put on one. A node with
// no other point keeps them: such a module is held.
func without(l layout.Map, dead []string) layout.Map {
	if len(dead) == 0 {
		return l
	}
	l.Nodes = slices.Clone(l.Nodes)
	for i, n := range l.Nodes {
		alive := slices.DeleteFunc(slices.Clone(n.Points), func(p string) bool { return slices.Contains(dead, p) })
		if len(alive) > 0 {
			l.Nodes[i].Points = alive
		}
	}
	return l
}

// lister writes a design down as a netlist.
type lister struct {
	n     netlist.Netlist
	d     Design
	t     Type
	lay   layout.Map
	dev   bms.Device
	parts Parts
	at    map[[2]int]string     // position and mate → number
	own   map[string]layout.Map // by number, without dead points
	of    map[string]Type       // by number
}

// last is the node of the main positive of a module.
func (l *lister) last(pos, mate int) int { return len(l.own[l.at[[2]int{pos, mate}]].Nodes) - 1 }

// Netlist writes the design down: bars between positions, bars and bonds between mates, a fuse in
// each plus, the BMS in each minus. Power goes through posts, sense leads to connector pins where the layout has
// them. A module with a layout or a type of its own is wired by that. dev may be the zero device: no BMS yet.
func Netlist(d Design, t Type, lay layout.Map, dev bms.Device, parts Parts) netlist.Netlist {
	l := &lister{
		n: netlist.Netlist{Terminals: netlist.Terminals{Plus: []string{OutPlus}, Minus: []string{OutMinus}}},
		d: d, t: t, lay: lay, dev: dev, parts: parts,
		at: map[[2]int]string{}, own: map[string]layout.Map{}, of: map[string]Type{},
	}
	for _, p := range d.Places {
		l.module(p)
	}
	if d.Strings() == 1 {
		for pos := range d.Candidate.ModulesInString {
			for mate := 1; mate < d.Candidate.Parallel; mate++ {
				l.mates(pos, mate)
			}
		}
	}
	for st := range d.Strings() {
		l.chain(st)
	}
	return l.n
}

func (l *lister) module(p Place) {
	lay, t := l.lay, l.t
	if p.Layout != nil {
		lay = *p.Layout
	}
	if p.Type != nil {
		t = *p.Type
	}
	lay = without(lay, p.Dead)
	l.own[p.Number], l.of[p.Number] = lay, t
	m := netlist.Module{ID: p.Number, Chemistry: l.d.Candidate.Chemistry, Posts: map[string]int{}, Curve: t.Curve,
		ChargeA: t.Limits.ChargeAmps, DischargeA: t.Limits.DischargeAmps}
	for _, v := range p.Volts {
		m.Groups = append(m.Groups, netlist.Group{Volts: v, Ah: p.CapacityAh,
			MOhm: p.MOhm * ohmicShare / float64(max(1, len(p.Volts)))})
	}
	below := lay.GroupsBelow()
	for k, node := range lay.Nodes {
		for _, point := range node.Points {
			m.Posts[point] = below[k]
		}
	}
	l.n.Modules = append(l.n.Modules, m)
	l.at[[2]int{p.Position, p.Mate}] = p.Number
}

func (l *lister) point(pos, mate, node int, preferred []string) string {
	number := l.at[[2]int{pos, mate}]
	return number + "." + pick(l.own[number].Nodes[node], preferred)
}

func (l *lister) power(pos, mate, node int) string {
	return l.point(pos, mate, node, l.of[l.at[[2]int{pos, mate}]].Posts)
}

func (l *lister) sense(pos, mate, node int) *string {
	t := l.of[l.at[[2]int{pos, mate}]]
	p := l.point(pos, mate, node, append(slices.Clone(t.Pins), t.Posts...))
	return &p
}

// rated is a rating, nil where it is not known.
func rated(v float64) *float64 {
	if v <= 0 {
		return nil
	}
	return finding.Of(v)
}

// add adds a conductor with the ratings of its kind.
func (l *lister) add(id string, kind netlist.Kind, from, to string) {
	c := netlist.Conductor{ID: id, Kind: kind, From: from, To: to, MOhm: floor.LeadMOhm}
	switch kind {
	case netlist.Fuse:
		c.RatingA, c.VoltageRatingV, c.InterruptA = rated(l.parts.FuseA), rated(l.parts.FuseV),
			rated(l.parts.FuseKA*1000)
	case netlist.Bond:
		c.RatingA = rated(l.parts.BondA)
	case netlist.Cable, netlist.Bar:
		c.RatingA = rated(l.parts.CableA)
	}
	l.n.Conductors = append(l.n.Conductors, c)
}

// bondStem begins the names of the joints between a mate and the one before it.
func bondStem(pos, mate int) string { return fmt.Sprintf("J%d-%d-", pos+1, mate) }

// mates joins two modules of a position: their ends by bars, their taps by bonds.
func (l *lister) mates(pos, mate int) {
	last := l.last(pos, mate)
	for k := range last + 1 {
		id := fmt.Sprintf("%s%d", bondStem(pos, mate), k)
		from, to := l.power(pos, mate-1, k), l.power(pos, mate, k)
		switch {
		case k == 0 || k == last:
			l.add(id, netlist.Bar, from, to)
		case l.parts.BondsFused:
			l.n.Conductors = append(l.n.Conductors, netlist.Conductor{ID: id, Kind: netlist.Fuse, From: from, To: to,
				MOhm: fusedBondMOhm, RatingA: rated(l.parts.BondA), VoltageRatingV: rated(l.parts.FuseV),
				InterruptA: rated(l.parts.FuseKA * 1000)})
		default:
			l.add(id, netlist.Bond, from, to)
		}
	}
}

// suffix tells the parts of one string from those of the others, "" where there is one string.
func (d Design) suffix(st int) string {
	if d.StringsApart() {
		return string(rune('a' + st))
	}
	return ""
}

// LinkName is the name of the bar from a position to the next.
func (d Design) LinkName(position, mate int) string {
	return fmt.Sprintf("L%d%s", position+1, d.suffix(mate))
}

// chain joins a string from end to end, with its fuse and its monitor.
func (l *lister) chain(st int) {
	series, suffix := l.d.Candidate.ModulesInString, l.d.suffix(st)
	for pos := 1; pos < series; pos++ {
		id, kind := l.d.LinkName(pos-1, st), netlist.Bar
		if pos == l.parts.PartAfter {
			id, kind = PartName(l.d, st), netlist.Switch
		}
		l.add(id, kind, l.power(pos-1, st, l.last(pos-1, st)), l.power(pos, st, 0))
	}
	top := l.power(series-1, st, l.last(series-1, st))
	if l.parts.FuseMM > 0 { // the conductor up to the fuse has a length of its own
		far := "S" + suffix + "+"
		l.n.Conductors = append(l.n.Conductors, netlist.Conductor{ID: "C1" + suffix, Kind: netlist.Cable, From: top,
			To: far, MOhm: floor.LeadMOhm, RatingA: rated(l.parts.CableA), LengthMM: rated(l.parts.FuseMM)})
		top = far
	}
	l.add("F1"+suffix, netlist.Fuse, top, OutPlus)
	if l.dev.Name == "" {
		l.add("N1"+suffix, netlist.Cable, l.power(0, st, 0), OutMinus)
		return
	}
	l.monitor(st, suffix)
}

// monitor puts a BMS in the minus of a string, with a sense lead on every tap that can be reached. One that is stacked
// has a board for each part of the string, of which the first holds the common switch.
func (l *lister) monitor(st int, suffix string) {
	series := l.d.Candidate.ModulesInString
	var sense []*string
	for pos := range series {
		number := l.at[[2]int{pos, st}]
		nodeAt, last := l.own[number].GroupsBelow(), l.last(pos, st)
		for k := range last {
			sense = append(sense, l.sense(pos, st, k))
			for range nodeAt[k+1] - nodeAt[k] - 1 {
				sense = append(sense, nil) // a tap that cannot be reached
			}
		}
		if pos == series-1 {
			sense = append(sense, l.sense(pos, st, last))
		}
	}
	boards := l.d.Boards(l.dev)
	if len(boards) < 2 {
		l.n.BMS = append(l.n.BMS, l.board("B1"+suffix, suffix, sense, true))
		return
	}
	for i, from := 0, 0; i < len(boards); i++ {
		to := min(from+boards[i], len(sense)-1)
		leads := slices.Clone(sense[from : to+1])
		if p := l.parts.PartAfter; to == l.d.groupsBelow(p) { // one lead on each side of what parts it
			leads[len(leads)-1] = l.sense(p-1, st, l.last(p-1, st))
		}
		l.n.BMS = append(l.n.BMS, l.board(fmt.Sprintf("B%d%s", i+1, suffix), suffix, leads, i == 0))
		from = to
	}
}

// board is one monitor on a part of a string; the one that switches is in the string's minus.
func (l *lister) board(id, suffix string, sense []*string, switches bool) netlist.BMS {
	b := netlist.BMS{ID: id, Kind: netlist.Transistor, Groups: len(sense) - 1, Sense: sense}
	if sense[0] != nil {
		b.BMinus = *sense[0]
	}
	if !switches {
		b.Kind = netlist.Contactor // its switch is that of the stack
		return b
	}
	b.PMinus = OutMinus
	b.BMinus = l.power(0, l.stringOf(suffix), 0)
	switch l.dev.Switch {
	case bms.Transistor:
	case bms.Relay:
		k := "K1" + suffix
		l.add(k, netlist.Contactor, b.BMinus, OutMinus)
		b.Kind, b.Switch, b.PMinus = netlist.Contactor, &k, ""
	case bms.Opens:
		b.Kind = netlist.Opens
	default:
		b.Kind = "" // it opens nothing, or nobody knows
	}
	return b
}

// stringOf is the string that a suffix names.
func (l *lister) stringOf(suffix string) int {
	if suffix == "" {
		return 0
	}
	return int(suffix[0] - 'a')
}

// PartName is the name of a disconnect by hand in a string.
func PartName(d Design, mate int) string { return "Q1" + d.suffix(mate) }

// Borders lists the groups below each joint between two modules of a string.
func (d Design) Borders() (out []int) {
	perModule := 0
	if n := d.Candidate.ModulesInString; n > 0 {
		perModule = d.Candidate.Series / n
	}
	if d.Candidate.Groups != nil {
		at := 0
		for _, g := range d.Candidate.Groups[:len(d.Candidate.Groups)-1] {
			at += g
			out = append(out, at)
		}
		return out
	}
	for k := 1; k < d.Candidate.ModulesInString; k++ {
		out = append(out, k*perModule)
	}
	return out
}

// groupsBelow is how many groups of a string lie below the joint behind a position, 0 for none.
func (d Design) groupsBelow(position int) int {
	if at := d.Borders(); position > 0 && position <= len(at) {
		return at[position-1]
	}
	return 0
}

// Boards is how many groups each board of a device gets along one string.
func (d Design) Boards(dev bms.Device) []int {
	return dev.Boards(d.Candidate.Series, d.Borders())
}

// FuseLabels names the devices in the plus of each string, with the conductor up to each where it has a length.
func FuseLabels(n netlist.Netlist) (fuses, relays []string) {
	for _, k := range n.Conductors {
		switch {
		case k.Kind == netlist.Fuse && strings.HasPrefix(k.ID, "F"):
			if strings.HasPrefix(k.From, "S") && strings.HasSuffix(k.From, "+") {
				fuses = append(fuses, "C"+k.ID[1:]+" · "+k.From+" · "+k.ID)
			} else {
				fuses = append(fuses, k.ID)
			}
		case k.Kind == netlist.Contactor:
			relays = append(relays, k.ID)
		}
	}
	return fuses, relays
}

// BondNames names the joints between a mate of a position and the one before it, as short as it can be said.
func BondNames(n netlist.Netlist, position, mate int) string {
	var ids []string
	for _, k := range n.Conductors {
		if strings.HasPrefix(k.ID, bondStem(position, mate)) {
			ids = append(ids, k.ID)
		}
	}
	if len(ids) > 3 {
		return ids[0] + " … " + ids[len(ids)-1]
	}
	return strings.Join(ids, " ")
}
