package floor

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/netlist"
	"pandrel/core/bank/sizing"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// Lead is one sense lead: from an input to its point, as long as it must be cut.
type Lead struct {
	BMS    string      `json:"bms"`
	Input  int         `json:"input"`
	Point  string      `json:"point"`     // "" where no point can be reached
	Length known.Value `json:"length_mm"` // with what it needs for bends, ring and service
	Colour string      `json:"colour"`
	Volts  known.Value `json:"expected_v"` // against lead 0
	Spare  bool        `json:"spare"`
	// Short is how much of it is missing; not known where it reaches, or nobody said how long it was supplied.
	Short known.Value `json:"short_mm"`
}

// What a sense lead needs beside its way along the plan: a loop for service and its ring, mm, and what it is cut to.
const (
	serviceMM = 120.0
	cutMM     = 50.0
)

// colours run through the leads between the two ends so that no two neighbours are alike.
var colours = []string{"white", "blue", "yellow", "green", "brown"}

// Colour of lead i of n: the ends stand out, and neighbours differ.
func Colour(i, n int) string {
	switch i {
	case 0:
		return "black"
	case n - 1:
		return "red"
	}
	return colours[(i-1)%len(colours)]
}

// Leads lists the sense leads of the drawing by BMS and input.
func (s State) Leads(units Units) (out []Lead) {
	for _, row := range s.Report.SenseTable {
		l := Lead{BMS: row.BMS, Input: row.Input, Point: row.Point, Spare: row.Spare}
		k := slices.IndexFunc(s.Netlist.BMS, func(b netlist.BMS) bool { return b.ID == row.BMS })
		l.Colour = Colour(row.Input, len(s.Netlist.BMS[k].Sense))
		if row.ExpectedV != nil {
			l.Volts = known.Of(*row.ExpectedV, units.Source()).Times(1)
		}
		to, ok := s.Spots[row.Point]
		p := s.Drawing.Piece(row.BMS)
		if ok && p != nil {
			b := s.Drawing.BoxOf(*p, units)
			from := Spot{X: b.X + b.W/2, Y: b.Y + b.D, Layer: p.Place.Layer}
			source := known.Typed
			if m := s.Drawing.Piece(to.Piece); m != nil {
				if _, assumed := s.Drawing.CaseOf(*m, units); assumed {
					source = known.Assumed
				}
			}
			need := math.Ceil((lengthMM(from, to, false)+serviceMM)/cutMM) * cutMM
			l.Length = known.Of(need, source).Times(1)
			if p.LeadsMM > 0 && need > p.LeadsMM {
				l.Short = known.Of(need-p.LeadsMM, source).Times(1)
			}
		}
		out = append(out, l)
	}
	return out
}

// reaches says of each BMS which of the leads that it came with are too short for where it stands.
func (s *State) reaches(units Units) {
	short := map[string][]Lead{}
	var order []string
	for _, l := range s.Leads(units) {
		if l.Short.Is() && l.Short.From() != known.Assumed { // a length on a guess judges nothing
			if short[l.BMS] == nil {
				order = append(order, l.BMS)
			}
			short[l.BMS] = append(short[l.BMS], l)
		}
	}
	for _, id := range order {
		longest := short[id][0]
		var inputs []string
		for _, l := range short[id] {
			if l.Length.V() > longest.Length.V() {
				longest = l
			}
			inputs = append(inputs, fmt.Sprintf("%d", l.Input))
		}
		has := s.Drawing.Piece(id).LeadsMM
		s.Findings = append(s.Findings, finding.New(finding.Caution, codeLeadsShort).About(id).
			Reads(longest.Length.V(), "mm").From(known.Typed).Against(has).By(rule).
			Says("The leads that %s came with are %.0f mm long: too short for %s %s, which need up to %.0f mm.", id,
				has,
				either(len(inputs) == 1, "lead", "leads"), finding.Names(inputs, "leads"), longest.Length.V()).
			Then("Stand it nearer, or extend these with the same wire, soldered and sleeved, away from bends; "+
				"the fuse of "+
				"each stays at its point."))
	}
}

func either(yes bool, a, b string) string {
	if yes {
		return a
	}
	return b
}

// Sensor is where a temperature sensor belongs.
type Sensor struct {
	On  string `json:"on"`
	Why string `json:"why"`
}

// besideMM is how near cases must stand to keep each other warm.
const besideMM = 60.0

// Sensors are the two places where temperature is told apart first: the module with most neighbours, which cools
// worst, and the one that stands most by itself, which is cold first (rules §14: two or more). Nothing for fewer than
// two modules.
func (s State) Sensors(units Units) (out []Sensor) {
	type crowd struct {
		id   string
		near int
		far  float64 // from the middle of all
	}
	var all []crowd
	area := s.Drawing.Area(units)
	for i, p := range s.Drawing.Pieces {
		if p.Kind != Module {
			continue
		}
		b := s.Drawing.BoxOf(p, units)
		x := crowd{id: p.ID, far: math.Hypot(b.X+b.W/2-area.X-area.W/2, b.Y+b.D/2-area.Y-area.D/2)}
		wide := Box{b.X - besideMM, b.Y - besideMM, b.W + 2*besideMM, b.D + 2*besideMM}
		for j, o := range s.Drawing.Pieces {
			if j != i && o.Kind == Module && wide.Overlaps(s.Drawing.BoxOf(o, units)) {
				x.near++
			}
		}
		all = append(all, x)
	}
	if len(all) < 2 {
		return nil
	}
	warm, cold := all[0], all[0]
	for _, x := range all[1:] {
		if x.near > warm.near || x.near == warm.near && x.far < warm.far-1 {
			warm = x
		}
		if x.near < cold.near || x.near == cold.near && x.far > cold.far+1 {
			cold = x
		}
	}
	if warm.id == cold.id { // all stand alike: the last one of the row
		cold = all[len(all)-1]
		if cold.id == warm.id {
			cold = all[0]
		}
	}
	return []Sensor{{warm.id, fmt.Sprintf("%s beside it: it cools worst", numeral.Count(warm.near, "module"))},
		{cold.id, "it stands most by itself: it is cold first, and frost is told there"}}
}

// Item is one line of what to have on the bench before it is built.
type Item struct {
	What   string      `json:"part"`
	Detail string      `json:"detail"`
	Count  int         `json:"count"`
	Length known.Value `json:"length_mm"` // of one, not known where it has none
	For    string      `json:"for"`       // the joints or pieces that it is for
	Spare  int         `json:"spare"`
}

// Key names a part among those that a workshop has: what it is, what is known of it, and its length to the millimetre.
func (i Item) Key() string {
	return fmt.Sprintf("%s|%s|%.0f", i.What, i.Detail, i.Length.Or(0))
}

// Buy is how many are missing where so many are in hand, spares counted.
func (i Item) Buy(have int) int { return max(0, i.Count+i.Spare-have) }

// spare is what is added to small things: a tenth, at least two (rules §10).
func spare(n int) int { return max(2, int(math.Ceil(float64(n)/10))) }

// kinds of joint in words, in the order of the list.
var words = map[netlist.Kind]string{netlist.Bar: "bar", netlist.Cable: "cable", netlist.Bond: "bond of middle taps",
	netlist.Fuse: "fuse with its holder", netlist.Breaker: "breaker", netlist.Switch: "main switch, by hand",
	netlist.Contactor: "contactor", netlist.Shunt: "shunt", netlist.Precharge: "pre-charge resistor",
	netlist.Plug: "plug and socket"}

// list collects items, those alike on one line.
type list []Item

func (l *list) add(i Item) {
	for k := range *l {
		if o := &(*l)[k]; o.What == i.What && o.Detail == i.Detail && o.Length == i.Length {
			o.Count += i.Count
			o.For += ", " + i.For
			return
		}
	}
	*l = append(*l, i)
}

// Parts lists what the drawing is built of: joints alike on one line, their ends, the leads, covers, and the rest.
func (s State) Parts(units Units) []Item {
	var out list
	lugs := s.joints(&out, units)
	for _, kind := range Kinds {
		for _, p := range s.Drawing.Pieces {
			if p.Kind == kind {
				out.add(Item{What: pieceWords[kind], Count: 1, For: p.ID})
			}
		}
	}
	if lugs > 0 {
		out.add(Item{What: "cable lugs", Detail: lugText(s.Drawing), Count: lugs, Spare: spare(lugs),
			For: "both ends of each cable"})
	}
	s.wires(&out, units)
	s.fasteners(&out, units)
	return out
}

// joints lists what joins, and returns how many lugs that takes.
func (s State) joints(out *list, units Units) (lugs int) {
	for _, kind := range netlist.Kinds {
		for _, c := range s.Drawing.Joints {
			if c.Kind != kind {
				continue
			}
			i := Item{What: words[kind], Detail: Rating(c), Count: 1, For: c.ID}
			if long(kind) {
				if i.Length = s.Drawing.Length(c, s.Spots, units); c.LengthMM != nil {
					i.Length = known.Of(*c.LengthMM, known.Typed)
				}
			}
			out.add(i)
			if kind != netlist.Bar && kind != netlist.Bond && kind != netlist.Precharge {
				lugs += 2
			}
		}
	}
	return lugs
}

// wires lists what the sense leads take.
func (s State) wires(out *list, units Units) {
	fitted, total := 0, known.Of(0, known.Limit)
	for _, l := range s.Leads(units) {
		if l.Length.Is() {
			fitted++
			total = total.Add(l.Length)
		}
	}
	if fitted == 0 {
		return
	}
	leads := numeral.Count(fitted, "lead")
	out.add(Item{What: "sense wire", Detail: "in all, by the table of leads", Count: 1, Length: total, For: leads})
	out.add(Item{What: "rings and inline fuses for sense leads", Count: fitted, Spare: spare(fitted), For: leads})
}

// fasteners lists covers, and what holds the joints at the modules: one for each post, by its thread.
func (s State) fasteners(out *list, units Units) {
	posts := 0
	for _, p := range s.Drawing.Pieces {
		if p.Kind != Module {
			continue
		}
		held := 0
		for _, x := range s.Drawing.Spots(p, units) {
			if x.Pin {
				continue
			}
			posts++
			if len(s.Drawing.At(x.Name)) > 0 {
				held++
			}
		}
		if held > 0 {
			thread := units[p.ID].Thread
			if thread == "" {
				thread = "thread not written down: measure one of the type"
			}
			out.add(Item{What: "nuts or screws with washers", Detail: thread, Count: held, For: p.ID})
		}
	}
	for i := range *out {
		if o := &(*out)[i]; o.What == "nuts or screws with washers" {
			o.Spare = spare(o.Count)
		}
	}
	if posts > 0 {
		out.add(Item{What: "covers for posts", Detail: "one for each that is not in hand", Count: posts,
			Spare: spare(posts),
			For:   "all modules"})
	}
}

// pieceWords are the pieces in words.
var pieceWords = map[Kind]string{Module: "module", BMS: "BMS", Board: "monitor board", Outlet: "outlet", Load: "load",
	Charger: "charger", Stud: "insulated stud", Earth: "earth point"}

// Word is a kind of piece or joint as a person says it.
func Word(kind string) string {
	if w := pieceWords[Kind(kind)]; w != "" {
		return w
	}
	return words[netlist.Kind(kind)]
}

// Rating is what is known of a joint, in words.
func Rating(c netlist.Conductor) string {
	var t []string
	for _, x := range []struct {
		v    *float64
		unit string
	}{{c.AreaMM2, "mm²"}, {c.RatingA, "A"}, {c.VoltageRatingV, "V DC"}, {c.InterruptA, "A interrupting"}} {
		if x.v != nil {
			t = append(t, fmt.Sprintf("%g %s", *x.v, x.unit))
		}
	}
	if len(t) == 0 {
		return "rating not typed"
	}
	return strings.Join(t, ", ")
}

// lugText says which rings the sections on the drawing take.
func lugText(d Drawing) string {
	var t []string
	for _, c := range d.Joints {
		if c.AreaMM2 == nil || c.Kind == netlist.Bar {
			continue
		}
		low, high := sizing.RingHole(sizing.StudFor(*c.AreaMM2))
		s := fmt.Sprintf("%g mm² on an M%g post: ring hole %.1f to %.1f mm", *c.AreaMM2, sizing.StudFor(*c.AreaMM2),
			low, high)
		if !slices.Contains(t, s) {
			t = append(t, s)
		}
	}
	if len(t) == 0 {
		return "ring by the post, barrel by the cable"
	}
	return strings.Join(t, "; ")
}

// Weight is what stands there in all, as far as it was weighed.
func (s State) Weight(units Units) (kg known.Value, open []string) {
	sum := 0.0
	for _, p := range s.Drawing.Pieces {
		if p.Kind != Module {
			continue
		}
		c, _ := s.Drawing.CaseOf(p, units)
		if c.Kg <= 0 {
			open = append(open, p.ID)
		}
		sum += c.Kg
	}
	if sum <= 0 {
		return known.Value{}, open
	}
	if len(open) > 0 {
		return known.AtLeast(sum, known.Typed), open
	}
	return known.Of(sum, known.Typed).Times(1), nil
}
