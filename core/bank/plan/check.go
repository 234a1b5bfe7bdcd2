package plan

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/bank/balance"
	"pandrel/core/bank/bms"
	"pandrel/core/bank/build"
	"pandrel/core/bank/floor"
	"pandrel/core/bank/join"
	"pandrel/core/bank/match"
	"pandrel/core/bank/netlist"
	"pandrel/core/bank/window"
	"pandrel/core/bank/wiring"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/module/layout"
)

// Wiring is a bank as a netlist with the check's report, and where things are.
type Wiring struct {
	Netlist netlist.Netlist
	Report  wiring.Report
	// SenseOf gives the sense input on a node of a module: "number/node" → input text.
	SenseOf map[string]string
	// Expected is the sense table of each BMS, input 0 first; NaN for an input without a lead.
	Expected map[string][]float64
	// JoinVolts is the largest difference at which its strings may be joined, or it to the bank beside; 0 for nothing.
	JoinVolts float64
	Steps     []build.Step
	FullV     float64
	Amps      float64 // prospective
	// Places are the design's with the voltages that all numbers of the page come from.
	Places []Place
	// Drawn is the drawing that it is built by, with its modules, nil where the design alone counts.
	Drawn *floor.Drawing
	Units floor.Units
	// Covers are the joints that each piece hides once it stands.
	Covers map[string][]string
	// PartAfter is the position behind which a disconnect by hand sits, 0 for none.
	PartAfter int
	Charge    string // what the charge of the groups amounts to
	// Assumed lists modules that were never surveyed: nominal volts stand in for theirs, so that joints and monitors
	// can be judged. Nothing is built by such numbers.
	Assumed []string
}

// Situation is all that the check of a design goes by. Stale lists modules that were tested after their newest
// survey; Device is the zero device while none is chosen.
type Situation struct {
	Need   Need
	Design Design
	Type   Type
	Layout layout.Map
	Device bms.Device
	Parts  Parts
	Stale  []string
	// Drawn is the bank as somebody drew it, where it is built by that; Shapes are its modules' faces and sizes.
	Drawn  *floor.Drawing
	Shapes floor.Units
}

// CheckWiring writes a design down and judges it: the netlist, the charge of its groups, the settings of its BMS, and
// the steps of its build. It fails where the netlist cannot be judged at all.
func CheckWiring(s Situation) (Wiring, error) {
	waits := s.Design.WithoutVolts()
	if len(waits) > 0 {
		s.Design.Places = s.assumed()
	}
	d := s.Design
	w := Wiring{Assumed: waits, Netlist: Netlist(d, s.Type, s.Layout, s.Device, s.Parts), SenseOf: map[string]string{},
		Expected: map[string][]float64{}, Places: d.Places, FullV: d.Candidate.FullVolts, Amps: d.ProspectiveAmps(),
		PartAfter: s.Parts.PartAfter}
	if s.Drawn != nil { // what was drawn counts, with its own devices; the lines of the design's parts do not
		n, err := s.Drawn.Netlist(s.Shapes.With(w.Netlist.Modules))
		if err != nil {
			return w, err
		}
		w.Units = s.Shapes.With(w.Netlist.Modules)
		w.Netlist, w.Drawn, w.PartAfter, s.Parts.PartAfter = n, s.Drawn, 0, 0
	}
	w.JoinVolts = s.JoinVolts()
	w.Netlist.JoinVolts, w.Netlist.JointsAssumed = w.JoinVolts, true
	w.Netlist.DesignA = bms.DesignFactor * max(d.Candidate.LoadAmps, s.Need.ChargeAmps)
	var err error
	if w.Report, err = wiring.CheckNetlist(w.Netlist); err != nil {
		return w, err
	}
	w.judge(s)
	w.Charge = chargeText(w.Netlist)
	for _, x := range w.Netlist.BMS {
		w.Expected[x.ID] = w.Report.Expected(x.ID)
	}
	w.senseInputs()
	if len(waits) > 0 {
		w.Expected, w.Charge = map[string][]float64{}, ""
		return w, nil
	}
	if choice, ok := d.Chosen(s.Need, s.Device); ok && !choice.Refused {
		w.Steps = build.Steps(buildPlan(s, w))
		if w.Drawn != nil {
			w.Covers = w.Drawn.Covers(w.Units)
			var buried []string
			w.Steps, buried = physical(w.Steps, w.Covers, w.Netlist)
			w.buries(buried)
		}
		w.tighten(s)
	}
	return w, nil
}

// assumed are the places with nominal volts where nobody has surveyed.
func (s Situation) assumed() []Place {
	out := slices.Clone(s.Design.Places)
	c, _ := chem.Lookup(s.Design.Candidate.Chemistry) // not declared: what was read of each alone
	for i := range out {
		lay := s.Layout
		if out[i].Layout != nil {
			lay = *out[i].Layout
		}
		each := c.NominalVolts
		if out[i].EndsV > 0 && len(out[i].Volts) == 0 {
			each = out[i].EndsV / float64(lay.Series)
		}
		for len(out[i].Volts) < lay.Series {
			out[i].Volts = append(out[i].Volts, each)
		}
	}
	return out
}

// judge adds to the report what the netlist alone cannot tell.
func (w *Wiring) judge(s Situation) {
	if n := len(w.Assumed); n > 0 {
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Stop,
			codeNotSurveyed).About(w.Assumed[0]).Reads(float64(n), "modules").Against(0).By("rules §18").
			Says("%s never surveyed: joints and monitors are judged with %s, and nothing is built by those.",
				finding.Was(w.Assumed, "modules"), w.standIn()).
			Then("Look them over and survey them at rest. The sense table and the steps of the build follow.").
			At(finding.PlaceSurvey))
	}
	w.ends(s)
	w.bears(s)
	w.parted(s)
	w.hangs(s)
	w.closed(s)
	w.wakes(s)
	w.ports(s)
	w.leftOut(s)
	w.mounts(s)
	w.unused(s)
	if un := s.Design.Unrated(); len(un) > 0 && s.Design.TestedAh == 0 {
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Caution,
			codeAhNotKnown).About(un[0]).Reads(float64(len(un)), "modules").Against(0).By("rules §17").
			Says("Nothing is known of the amp hours of %s: energy, hours, the plan of a test and what is set by "+
				"capacity wait for them.", finding.Names(un, "modules")).
			Then("Type a label, a claim or a result; or test the bank as a whole under watch before it is "+
				"relied upon."))
	} else if un := s.Design.Untested(); s.Design.Provisional() {
		r := s.Design.Ah()
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Caution,
			codeCapacityNotTested).About(un[0]).Reads(float64(len(un)), "modules").Against(0).By("rules §17").
			Says("%s never tested: the bank holds %.0f to %.0f Ah, and is set and loaded as if it held the least.",
				finding.Was(un, "modules"), math.Floor(r.Low()), math.Ceil(r.High())).
			Then("Test those that decide most, or the bank as a whole under watch before it is relied upon."))
	}
	if x := s.Need.Beside; x != nil {
		w.joins(*x, s.Design)
	}
	if s.Need.DeviceOpen() {
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Caution,
			codeDeviceNotRead).About("device").ReadsIf(nil, "V").Against(w.FullV).By("rules §7").
			Says("Not checked: whether the device survives %.1f V, and the voltages at which it "+
				"charges and cuts off.", w.FullV).
			Then("Read them from its data sheet and write them into the need before it is connected."))
	}
	w.judgeDevice(s)
	if len(s.Stale) > 0 {
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Caution,
			codeVoltsBeforeTest).About(s.Stale[0]).Reads(float64(len(s.Stale)), "modules").Against(0).By("rules §18").
			Says("The voltages of %s were taken before the last test, which changed "+
				"their charge: potentials and sense table are not what will be measured.", strings.Join(s.Stale, ", ")).
			Then("Bring them to storage charge, let them rest, and survey them again before wiring."))
	}
	if s.Device.Name != "" {
		w.Report.Findings = append(w.Report.Findings, bms.CheckSettings(s.Device, s.Design.BMSPlan(s.Need, s.Type))...)
	}
	w.judgeTouch(s.Design.Candidate, limits.TouchVolts(s.Need.WetPlace))
	w.Report.Findings = finding.Sorted(w.Report.Findings)
}

// judgeDevice says where full cells exceed the device: a BMS that cannot be set to trip below stands between nothing.
func (w *Wiring) judgeDevice(s Situation) {
	f, above := s.Need.FullAbove(w.FullV, s.Design.Candidate.TripVolts)
	if !above {
		return
	}
	w.Report.Findings = append(w.Report.Findings, f)
	if s.Device.Name != "" && !s.Device.Programmable {
		f.Level, f.Code, f.Subject = finding.Stop, "no-pack-trip", s.Device.Name
		f.Text = fmt.Sprintf("Full cells reach %.1f V and exceed the device, which survives %.1f V, and %s cannot be "+
			"set to trip below.", w.FullV, s.Need.AbsMaxVolts, s.Device.Name)
		w.Report.IntoService = append(w.Report.IntoService, f)
	}
}

// joins judges a string that is to stand beside a bank: the same groups and chemistry were asked for by the need, so
// what is left is the difference in volts (rules §11).
func (w *Wiring) joins(x Beside, d Design) {
	now, limit := w.NowVolts(), w.JoinVolts
	if limit == 0 {
		limit = limits.JoinVolts
	}
	f := finding.New(finding.Caution, codeJoinsStanding).About(x.Name).ReadsIf(nil, "mV").Against(limit*1000).
		By("rules §11").Then("Its own BMS and fuse, equal cables, and both totals read in the same minute: join at "+
		"%.0f mV or less. Above that charge the lower one by itself first.", limit*1000)
	if x.Volts <= 0 || len(w.Assumed) > 0 {
		f = f.Says("It becomes a string beside %s: how far apart in voltage they stand is not known yet.", x.Name)
	} else {
		apart := (now - x.Volts) * 1000
		f = f.Reads(math.Round(math.Abs(apart)), "mV").
			Says("It becomes a string beside %s, which stood at %.2f V: this one is at %.2f V, %.0f mV %s.",
				x.Name, x.Volts, now, math.Abs(apart), map[bool]string{true: "above", false: "below"}[apart >= 0])
	}
	w.Report.Findings = append(w.Report.Findings, f)
	if x.Ah > 0 {
		r := d.Ah()
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Note,
			codeBothStrings).About(x.Name).Reads(math.Round(r.Low()+x.Ah), "Ah").By("rules §12").
			Says("Both strings together hold about %.0f to %.0f Ah; each must carry the whole load "+
				"when the other has tripped.", math.Floor(r.Low()+x.Ah), math.Ceil(r.High()+x.Ah)).
			Then("Judge each string's BMS, fuse and cable by the whole load."))
	}
}

// judgeTouch makes one judgement of the voltage within reach: the limit depends on the place, which the netlist
// does not know, and the voltage on full charge, whatever stands there now.
func (w *Wiring) judgeTouch(c window.Candidate, limit float64) {
	full := c.FullVolts
	said := false
	for i := range w.Report.Findings {
		f := &w.Report.Findings[i]
		if f.Code != limits.HighVoltage {
			continue
		}
		said = true
		if f.Measured != nil && *f.Measured <= limit {
			f.Level = finding.Note
		}
	}
	if full > limit && !said {
		w.Report.Findings = append(w.Report.Findings, finding.New(finding.Stop,
			limits.HighVoltage).About("bank").Reads(full, "V").Against(limit).By("rules §7").
			Says("%s, above %.0f V%s: a shock can kill.", chem.FullText(full, c.Chemistry),
				limit, map[bool]string{true: " for a wet place"}[limit < limits.TouchDryVolts]).
			Then("Isolation checked, a second person present, protective equipment on, "+
				"before the first link. Licensed practice and local codes decide.").At(finding.PlaceGates))
	}
}

// senseInputs notes which input sits on which node.
func (w *Wiring) senseInputs() {
	for _, row := range w.Report.SenseTable {
		if row.ExpectedV == nil {
			continue
		}
		number, point, _ := strings.Cut(row.Point, ".")
		for _, m := range w.Netlist.Modules {
			if node, ok := m.Posts[point]; ok && m.ID == number {
				w.SenseOf[senseKey(number, node)] = fmt.Sprint(row.Input)
			}
		}
	}
}

func senseKey(number string, node int) string { return fmt.Sprintf("%s/%d", number, node) }

// Stand is how a module stands in its bank: the potential of each of its nodes, lowest first, against the bank's
// minus, and the sense input that sits on it, "" for none.
func (w Wiring) Stand(p Place) (volts []float64, inputs []string) {
	base := 0.0
	for _, x := range w.Netlist.Modules {
		if x.ID != p.Number {
			continue
		}
		for name, node := range x.Posts {
			if node == 0 {
				base = w.Report.Potentials[p.Number+"."+name]
			}
		}
	}
	volts = append(volts, base)
	for _, v := range p.Volts {
		base += v
		volts = append(volts, base)
	}
	for k := range volts {
		inputs = append(inputs, w.SenseOf[senseKey(p.Number, k)])
	}
	return volts, inputs
}

// Cautions counts the findings that a person must have read before the bank goes to work.
func (w Wiring) Cautions() (n int) {
	for _, f := range w.Report.Findings {
		if f.Level == finding.Caution {
			n++
		}
	}
	return n
}

// NowVolts is the highest potential in the bank with everything switched on.
func (w Wiring) NowVolts() (v float64) {
	for _, x := range w.Report.PotentialsOn {
		v = max(v, x)
	}
	return v
}

// chargeText says what the charge of a bank's groups amounts to.
func chargeText(n netlist.Netlist) string {
	var groups []balance.Group
	for _, m := range n.Modules {
		for i, g := range m.Groups {
			groups = append(groups, balance.Group{Name: fmt.Sprintf("%s group %d", m.ID, i+1), Chemistry: m.Chemistry,
				Curve: m.Curve, Volts: g.Volts, Ah: g.Ah})
		}
	}
	r, err := balance.JudgeGroups(groups)
	if err != nil {
		return ""
	}
	return fmt.Sprintf("highest %s, lowest %s; %s", groups[r.Highest].Name, groups[r.Lowest].Name, r.Summary(groups))
}

// ProspectiveAmps is the fault current of the whole bank, 0 where no resistance is known. Modules whose resistance is
// not known count as the mean of the others.
func (d Design) ProspectiveAmps() float64 {
	return wiring.ProspectiveAmps(d.Candidate.FullVolts, d.DCMOhm())
}

// Prospective is the fault current of the whole bank as far as resistances are known: assumed where the mean of some
// stands for the others.
func (d Design) Prospective() known.Value {
	return known.Recorded(d.ProspectiveAmps(), d.MOhm().From()).Times(1)
}

// MOhm is DCMOhm as a known number: assumed where the mean of some stands for the others.
func (d Design) MOhm() known.Value {
	from := known.Measured
	for _, p := range d.Places {
		if p.MOhm <= 0 {
			from = known.Assumed
		}
	}
	return known.Recorded(d.DCMOhm(), from).Times(1)
}

// DCMOhm is the DC resistance of the bank after 10 s, mΩ, 0 where no module's is known. Modules whose resistance is not
// known count as the mean of the others.
func (d Design) DCMOhm() float64 {
	mOhm, count := 0.0, 0
	for _, p := range d.Places {
		if p.MOhm > 0 {
			mOhm += p.MOhm
			count++
		}
	}
	if count == 0 {
		return 0
	}
	c := d.Candidate
	return mOhm / float64(count) * float64(c.ModulesInString) / float64(c.Parallel)
}

// Line is a string of a design with ends of its own: its volts now, 0 where not all of it was surveyed, its capacity
// and its resistance, 0 where none is known.
type Line struct {
	Name  string
	Volts float64
	Ah    float64
	MOhm  float64
}

// Lines are the strings of a design that meet only at their ends, none where there is one.
func (d Design) Lines() (out []Line) {
	if !d.StringsApart() {
		return nil
	}
	for k := range d.Strings() {
		l := Line{Name: fmt.Sprintf("string %c", 'a'+k), Ah: math.Inf(1)}
		surveyed := true
		known := 0
		for _, p := range d.Places {
			if p.Mate != k {
				continue
			}
			surveyed = surveyed && len(p.Volts) > 0
			l.Volts += p.TotalVolts()
			l.Ah = min(l.Ah, p.CapacityAh)
			if p.MOhm > 0 {
				l.MOhm += p.MOhm
				known++
			}
		}
		if !surveyed {
			l.Volts = 0
		}
		if known > 0 {
			l.MOhm *= float64(d.Candidate.ModulesInString) / float64(known)
		}
		out = append(out, l)
	}
	return out
}

// typicalLinkMOhm is a link between two strings with its joints and fuses, both ways, as the trade builds it.
const typicalLinkMOhm = 1.0

// JoinVolts is the largest difference at which the strings of a design may be joined, or it may be joined to the bank
// it stands beside: by what cells, BMS, fuse and cable bear (rules §11). 0 where nothing is joined, or where it cannot
// be told.
func (s Situation) JoinVolts() float64 {
	d, c := s.Design, s.Design.Candidate
	in := join.Input{LinkMOhm: typicalLinkMOhm, Limits: join.Limits{BMSAmps: s.Device.ContinuousAmps,
		BMSPeakAmps: s.Device.PeakAmps, FuseAmps: s.Parts.FuseA, CableAmps: s.Parts.CableA}}
	k, err := chem.Lookup(c.Chemistry)
	if err != nil {
		return 0
	}
	base := float64(c.Series) * k.NominalVolts
	one := func(name string, ah, mOhm float64) join.Bank {
		return join.Bank{ID: name, Chemistry: c.Chemistry, Series: c.Series, Ah: ah, RestVolts: base, MOhm10s: mOhm}
	}
	least := 0.0
	fitted := func(x join.Input) {
		if v, err := join.Fitted(x); err == nil && (least == 0 || v < least) {
			least = v
		}
	}
	lines := d.Lines()
	switch {
	case len(lines) > 1:
		// The others are joined already when the last comes: they give and take together.
		rest := one("others", 0, 0)
		for _, l := range lines[1:] {
			rest.Ah += l.Ah
		}
		if lines[1].MOhm > 0 {
			rest.MOhm10s = lines[1].MOhm / float64(len(lines)-1)
		}
		in.Banks = []join.Bank{rest, one(lines[0].Name, lines[0].Ah, lines[0].MOhm)}
		fitted(in)
	case s.Need.Beside != nil:
		ah := s.Need.Beside.Ah
		if ah <= 0 {
			ah = c.CapacityAh
		}
		in.Banks = []join.Bank{one("standing", ah, 0), one("new", c.CapacityAh, d.DCMOhm())}
		fitted(in)
	}
	if c.Parallel > 1 && !d.StringsApart() { // modules are joined at their posts, with no device between
		for _, p := range d.Places {
			groups := s.Layout.Series
			if p.Layout != nil {
				groups = p.Layout.Series
			}
			module := func(name string, n float64) join.Bank {
				b := join.Bank{ID: name, Chemistry: c.Chemistry, Series: groups, Ah: n * p.CapacityAh,
					RestVolts: float64(groups) * k.NominalVolts, MOhm10s: p.MOhm / n}
				return b
			}
			fitted(join.Input{LinkMOhm: barMOhm, Limits: join.Limits{CableAmps: s.Parts.CableA},
				Banks: []join.Bank{module("others", float64(c.Parallel-1)), module("one", 1)}})
		}
	}
	return least
}

// barMOhm is a bar between two modules with its joints: the less, the more flows.
const barMOhm = 0.2

// Levels are the groups that balance against each other, from the main negative up, with volts and capacity: those in
// parallel at one level together where they are bonded, else those of the string that is least equal. None where not
// all of it was surveyed.
func (d Design) Levels(id chem.ID, own *chem.Curve) (out []balance.Group) {
	best := -1.0
	for k := range d.Strings() {
		levels := map[[2]int]*balance.Group{}
		count := map[[2]int]float64{}
		var order [][2]int
		for _, p := range d.Places {
			if d.StringsApart() && p.Mate != k {
				continue
			}
			if len(p.Volts) == 0 {
				return nil
			}
			for g, v := range p.Volts {
				at := [2]int{p.Position, g}
				if levels[at] == nil {
					levels[at] = &balance.Group{Chemistry: id, Curve: own}
					order = append(order, at)
				}
				levels[at].Volts += v
				levels[at].Ah += p.CapacityAh
				count[at]++
			}
		}
		slices.SortFunc(order, func(a, b [2]int) int {
			return cmp.Or(cmp.Compare(a[0], b[0]), cmp.Compare(a[1], b[1]))
		})
		var list []balance.Group
		low, high := math.Inf(1), math.Inf(-1)
		for i, at := range order {
			x := *levels[at]
			x.Name, x.Volts = fmt.Sprintf("group %d", i+1), x.Volts/count[at]
			low, high = min(low, x.Volts), max(high, x.Volts)
			list = append(list, x)
		}
		if high-low > best {
			best, out = high-low, list
		}
	}
	return out
}

// LevelVolts is what all levels of a string have together, 0 where not all of it was surveyed.
func (d Design) LevelVolts(own *chem.Curve) (out float64) {
	for _, l := range d.Levels(d.Candidate.Chemistry, own) {
		out += l.Volts
	}
	return out
}

// buildPlan is the design as the steps of the build need it.
func buildPlan(s Situation, w Wiring) build.Plan {
	d, dev := s.Design, s.Device
	p := build.Plan{FullVolts: w.FullV, Chemistry: d.Candidate.Chemistry, ProspectiveAmps: w.Amps,
		TouchVolts:  limits.TouchVolts(s.Need.WetPlace),
		FreezesHere: s.Need.MayFreeze(), JoinVolts: w.JoinVolts, HeaviestKg: s.Type.ModuleKg,
		Order: w.Report.BuildOrder, LoadAmps: d.Candidate.LoadAmps}
	p.LimitAmps = d.Limits(s.Type).DischargeAmps * float64(d.Candidate.Parallel)
	p.ChargeAmps = d.BMSPlan(s.Need, s.Type).ChargeAmpsLimit(dev)
	wake := "Press its button."
	switch {
	case dev.WakeUnknown:
		wake = "As its data sheet says: a button, or a charger above the bank's voltage."
	case dev.WakeVolts > 0:
		wake = fmt.Sprintf("A charger at least %.1f V above the bank wakes it.", dev.WakeVolts)
	case dev.WakeCharger:
		wake = "A charger above the bank's voltage wakes it: its data sheet says by how much."
	}
	for _, b := range w.Netlist.BMS {
		x := build.BMS{ID: b.ID, Negative: b.BMinus, Load: b.PMinus, Charge: b.CMinus, Wake: wake}
		if k := len(b.Sense); k > 0 && b.Sense[0] != nil && b.Sense[k-1] != nil {
			x.Low, x.High = *b.Sense[0], *b.Sense[k-1]
			x.Volts = w.Report.PotentialsOn[x.High] - w.Report.PotentialsOn[x.Low]
		}
		p.BMS = append(p.BMS, x)
	}
	for _, pl := range w.Places {
		l := s.Layout
		if pl.Layout != nil {
			l = *pl.Layout
		}
		posts := s.Type.Posts
		if pl.Type != nil {
			posts = pl.Type.Posts
			p.HeaviestKg = max(p.HeaviestKg, pl.Type.ModuleKg)
		}
		first, last := l.Nodes[0], l.Nodes[len(l.Nodes)-1]
		p.Modules = append(p.Modules, build.ModuleCheck{Name: pl.Number, Place: d.PlaceName(pl),
			Plus: pick(last, posts), Minus: pick(first, posts), Volts: pl.TotalVolts()})
	}
	return p
}

// Limits is what the weakest module of the design gives and takes.
func (d Design) Limits(t Type) window.Limits {
	var out window.Limits
	for i, p := range d.Places { // what may be less is loaded as if it were
		of := t.Limits
		if p.Type != nil {
			of = p.Type.Limits
		}
		l, _ := of.Of(p.Ah().Low())
		if i == 0 {
			out = l
		}
		out = window.Limits{DischargeAmps: min(out.DischargeAmps, l.DischargeAmps), PeakAmps: min(out.PeakAmps,
			l.PeakAmps), ChargeAmps: min(out.ChargeAmps, l.ChargeAmps), ChargePeak: min(out.ChargePeak, l.ChargePeak)}
	}
	return out
}

// BMSNeed is the design as the choice of a BMS needs it. Strings do not share evenly and one may carry all when
// the others trip, so each string's BMS must carry the whole load.
func (d Design) BMSNeed(n Need) bms.Need {
	c := d.Candidate
	return bms.Need{Groups: c.Series, Chemistry: c.Chemistry, LoadAmps: c.LoadAmps, PeakAmps: n.PeakAmps,
		ChargeAmps: n.ChargeAmps, CapacityAh: c.CapacityAh, Untested: d.As(c.CapacityAh).From() == known.Assumed,
		FreezesHere: n.MayFreeze(),
		FrostOpen:   !n.FrostAsked, DriftAhDay: d.DriftAhDay,
		Count: d.Strings(), Borders: d.Borders(), Assumed: !c.DeviceTyped, AtVolts: d.lowest(n)}
}

// lowest is where the load draws most: the device's cut-off, else every group at its floor.
func (d Design) lowest(n Need) float64 {
	if v := n.Filled().CutoffVolts; v > 0 {
		return v
	}
	k, err := chem.Lookup(d.Candidate.Chemistry)
	if err != nil {
		return 0
	}
	return float64(d.Candidate.Series) * k.FloorVolts
}

// Choices judges devices for the design, per string when strings come first.
func (d Design) Choices(n Need, devices []bms.Device) ([]bms.Choice, error) {
	return bms.Choose(d.BMSNeed(n), devices)
}

// Chosen is how a device is judged for the design now; ok is false where it cannot be.
func (d Design) Chosen(n Need, device bms.Device) (bms.Choice, bool) {
	if device.Name == "" {
		return bms.Choice{}, false
	}
	cs, err := d.Choices(n, []bms.Device{device})
	if err != nil || len(cs) == 0 {
		return bms.Choice{}, false
	}
	return cs[0], true
}

// BMSPlan is the design as its settings sheet needs it.
func (d Design) BMSPlan(n Need, t Type) bms.Plan {
	c := d.Candidate
	ah := c.CapacityAh
	parallel := float64(c.Parallel)
	low := d.Ah().Low()
	if ah <= 0 {
		low = 0
	} else if d.Style == match.StringsFirst && len(d.Match.PartsAh) > 0 {
		string := slices.Min(d.Match.PartsAh) // each string has a BMS of its own
		if d.TestedAh > 0 {
			string = d.TestedAh * string / d.BankAh()
		}
		ah, low, parallel = string, low*string/ah, 1
	}
	if !d.Provisional() {
		low = 0
	}
	n.Need = n.Filled()
	return bms.Plan{LowAh: low, Groups: c.Series, Chemistry: c.Chemistry, CapacityAh: ah, LoadAmps: c.LoadAmps,
		ChargeAmps: n.ChargeAmps, ChargeSettingVolts: c.SettingVolts, TripVolts: c.TripVolts,
		CutoffVolts: n.CutoffVolts, ChargeLimitAmps: d.Limits(t).ChargeAmps * parallel, FreezesHere: n.FreezesHere}
}
