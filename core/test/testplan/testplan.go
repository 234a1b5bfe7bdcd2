// Package testplan plans the test of one module on a bench: which device, at what current and what limits it, how long
// each step takes, where it ends, what to set and read back, and what stands against it (rules §5, hazards).
package testplan

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
	"pandrel/core/bench/kit"
	resist "pandrel/core/bench/load"
	"pandrel/core/bench/times"
	"pandrel/core/test/fall"
)

// Rules of currents and ends, rules §5.
const (
	loadC        = 0.5
	restHours    = 1.0
	storageSoC   = 0.5
	typicalTempC = 20.0
	rule         = "rules §5"
)

// AttendMinutes is the longest time between two looks at something attended.
const AttendMinutes = fall.EverySeconds / 60

// Module is what is to be tested. Volts are its groups' at rest, none where not surveyed; TempC nil where not known.
// Monitored is whether a lead to every group exists. From and To are the groups of a part that is tested alone, 0 for
// all of it. ChargeLimitA and LoadLimitA are the maker's, 0 not known.
//
// AccuracyV is the meter's, 0 not told; RestMinutes how long it had rested, below 0 not told: both widen what the volts
// say of the charge. Bears are the nodes between groups, 0 below group 1, that a post or a bar reaches; the ends of a
// module always do.
type Module struct {
	Name         string
	Chemistry    chem.ID
	Curve        *chem.Curve
	Series       int
	Ah           float64
	Volts        []float64
	AccuracyV    float64
	RestMinutes  float64
	Bears        []int
	TempC        *float64
	Monitored    bool
	From, To     int
	ThinTap      string // the point of a part's ends that only a pin of the sense connector reaches, "" where posts do
	Held         string // why it may go no further, "" for nothing
	EverBelow    bool   // a group was below never-recharge
	ChargeLimitA float64
	LoadLimitA   float64
}

// Step is one step of the test. KWh into the module is positive.
type Step struct {
	Kind     string  `json:"kind"` // charge, rest, discharge, storage
	Device   string  `json:"device"`
	Amps     float64 `json:"amps"`
	LimitBy  string  `json:"limited_by"`
	Hours    float64 `json:"hours"`
	KWh      float64 `json:"kwh"`
	EndsAt   string  `json:"ends_at"`
	Attended bool    `json:"attended"`
	Watched  bool    `json:"watched"` // the device reads every group, and ends on the first at its limit
	// MostHours is how long it can take by what is known of the charge, and PresentHours from when on somebody is
	// there: it should have ended by then. Both 0 where the step ends by the clock.
	MostHours    float64 `json:"most_hours,omitempty"`
	PresentHours float64 `json:"present_hours,omitempty"`
	Blocks       []Block `json:"blocks,omitempty"`
}

// Block is a part of the module on a device of its own, where it has more groups than one channel takes.
type Block struct {
	Device   string `json:"device"`
	Channel  int    `json:"channel"`        // of that device, from 1
	Load     string `json:"load,omitempty"` // what discharges it, where that is another device
	From, To int    // groups, from the main negative up
}

// Line is a line of the settings card: what to set a device to, and read back.
type Line struct {
	Device, Setting, Value, Why string
}

// Clamp is where a lead goes, with the polarity that it must show.
type Clamp struct {
	Device, Lead, On string
}

// Plan is the whole test.
type Plan struct {
	Steps    []Step            `json:"steps"`
	Hours    float64           `json:"hours"`
	WallKWh  float64           `json:"wall_kwh"`
	Card     []Line            `json:"card"`
	Clamps   []Clamp           `json:"clamps"`
	Findings []finding.Finding `json:"findings"`
	Refused  bool              `json:"refused"`
}

// For plans the test of a module on the device of that name, or on the best of the kit where it is "".
func For(m Module, k kit.Kit, device string) (Plan, error) {
	c, err := chem.Lookup(m.Chemistry)
	if err != nil {
		return Plan{}, fmt.Errorf("%s: %w", m.Name, err)
	}
	if m.Series < 1 || m.Series > 400 || !(m.Ah > 0 && m.Ah < 1e5) {
		return Plan{}, fmt.Errorf("%s: %s of %v Ah: expected its layout and its capacity", m.Name,
			numeral.Count(m.Series, "group"),
			m.Ah)
	}
	if m.From > 0 && (m.To < m.From || m.To > m.Series) {
		return Plan{}, fmt.Errorf("%s: groups %d to %d of %d: expected a part of it", m.Name, m.From, m.To, m.Series)
	}
	c = c.WithCurve(m.Curve)
	best := Plan{Refused: true}
	found := false
	for _, d := range k.Devices {
		if device != "" && d.Name != device {
			continue
		}
		charger, load := k.Beside(d)
		if err := takes(charger, load); err != nil {
			return Plan{}, err
		}
		p := build(m, c, k, charger, load)
		if !found || better(p, best) {
			best, found = p, true
		}
	}
	if !found {
		best.stop(finding.New(finding.Stop, codeNoDevice).About(m.Name).Reads(0, "").Against(0).
			Says("There is no such device on the bench.").
			Then("Write it down first."))
	}
	return best, nil
}

// On plans the test of a module on one station, and on nothing else of the bench: what the station cannot do is
// refused.
func On(m Module, k kit.Kit, at kit.Station) (Plan, error) {
	only := k
	only.Resistors = nil
	only.Devices = []kit.Device{at.Charger}
	if at.Load.Name != at.Charger.Name {
		only.Devices = append(only.Devices, at.Load)
	}
	for i := range only.Devices {
		only.Devices[i].Channels = 1
	}
	return For(m, only, at.Charger.Name)
}

// better prefers a plan that may be done, then one that nobody must sit beside, then the shorter one.
func better(a, b Plan) bool {
	if a.Refused != b.Refused {
		return !a.Refused
	}
	x, y := a.Attended(), b.Attended()
	if math.Abs(x-y) > 0.5 {
		return x < y
	}
	return a.Hours < b.Hours-1e-9
}

// Standing is what stands against a test of a module that is full already, where full, or of any.
func (p Plan) Standing(full bool) (out []finding.Finding) {
	for _, f := range p.Findings {
		if f.Level >= finding.Stop && (!full || f.Code != NoFullCharge) {
			out = append(out, f)
		}
	}
	return out
}

// Attended is how many hours somebody stays beside it.
func (p Plan) Attended() (h float64) {
	for _, s := range p.Steps {
		if s.Attended {
			h += s.Hours
		}
	}
	return h
}

func (p *Plan) stop(f finding.Finding) {
	f = f.Or("", rule).Rounded(numeral.Hundredth)
	p.Findings = append(p.Findings, f)
	p.Refused = p.Refused || f.Level >= finding.Stop
}

// groups is how many groups are tested, and the first of them.
func (m Module) groups() (first, n int) {
	if m.From > 0 {
		return m.From, m.To - m.From + 1
	}
	return 1, m.Series
}

// build plans with one charger and one load; the zero device stands for none.
func build(m Module, c chem.Chemistry, k kit.Kit, charger, load kit.Device) Plan {
	p := Plan{Steps: []Step{}, Card: []Line{}, Clamps: []Clamp{}, Findings: []finding.Finding{}}
	_, n := m.groups()
	if !load.Discharges() && len(k.Resistors) > 0 {
		if r, ok := p.resistors(m, c, k, n); ok {
			load = r
		}
	}
	if !charger.Charges() || !load.Discharges() {
		p.refusals(m, c)
		p.stop(finding.New(finding.Stop, codeHalfABench).About(charger.Name+load.Name).Reads(0, "").Against(0).
			Says("The bench can only charge, or only discharge: a test needs both.").
			Then("Add a load, or a resistor load."))
		return p
	}
	blocks := p.split(&m, k, charger, load)
	p.refusals(m, c)
	wide := n // groups that one channel sees
	for i, b := range blocks {
		if size := b.To - b.From + 1; i == 0 || size > wide {
			wide = size
		}
	}
	// Of a single group the volts at the clamps are the group's.
	watched, seen := m.Monitored && (n == 1 || charger.GroupVolts), m.Monitored && (n == 1 || load.GroupVolts)
	charging := channel{k, charger, watched, wide}
	p.charge(m, c, charging, missing(m, c), "charge")
	p.rest()
	p.discharge(m, c, channel{k, load, seen, wide})
	p.rest()
	p.charge(m, c, charging, share{storageSoC, storageSoC, storageSoC}, "storage")
	for i := range p.Steps {
		if p.Steps[i].Kind != "rest" {
			p.Steps[i].Blocks = blocks
		}
		p.Hours += p.Steps[i].Hours
		p.WallKWh += max(0, p.Steps[i].KWh) / 0.9
	}
	p.clamps(m, charger, load)
	p.card(m, c, charger, load, seen, n)
	p.Findings = finding.Sorted(p.Findings)
	return p
}

// resistors makes a load of the stock: it ends nothing by itself, and somebody stays beside it.
func (p *Plan) resistors(m Module, c chem.Chemistry, k kit.Kit, n int) (kit.Device, bool) {
	s := float64(n)
	w := resist.Wanted{StartVolts: s * c.Curve.Volts(1), EndVolts: s * c.FloorVolts, WireAmps: k.WireAmps,
		ClampAmps: k.ClampAmps}
	w.Amps = least(m.thin(), limit{k.WireAmps, "the wire"}, limit{k.ClampAmps, "the clamp"},
		limit{m.LoadLimitA, "the module"}, limit{loadC * m.Ah, "0.5 C"}).amps
	list, err := resist.Find(k.Resistors, w, 1)
	if err != nil || len(list) == 0 || list[0].StartAmps > 1.02*w.Amps {
		return kit.Device{}, false
	}
	x := list[0]
	name := fmt.Sprintf("%d × %s, %d in series by %d in parallel", x.Series*x.Parallel, x.Resistor, x.Series,
		x.Parallel)
	p.stop(finding.New(finding.Note, codeResistorLoad).About(m.Name).Reads(x.EachWatts, "W").Against(x.MayWatts).
		Says("Load of the stock: %s: "+
			"%.1f A at the start, %.1f A at the end, %.0f W in each.", name, x.StartAmps, x.EndAmps, x.EachWatts).
		Then("On metal, with air around it, away from what burns. It ends nothing: somebody stays and disconnects it."))
	mean := (x.StartAmps + x.EndAmps) / 2
	return kit.Device{Name: name, Channels: 1, SeriesMost: 400, LoadAmps: mean}, true
}

// share is what is missing to full of the lowest group, 0 to 1: likely, and from least to most by whatever its volts
// may be off by.
type share struct{ least, likely, most float64 }

// missing is what a test begins with; anything, and likely half, where nothing is known.
func missing(m Module, c chem.Chemistry) share {
	if len(m.Volts) == 0 {
		return share{0, storageSoC, 1}
	}
	low := slices.Min(m.Volts)
	soc := c.Curve.SoCInterval(low, c.RestUncertaintyVolts(m.AccuracyV, m.RestMinutes))
	return share{1 - soc.High, 1 - c.Curve.SoC(low), 1 - soc.Low}
}

// refusals are what stands against any test of it.
func (p *Plan) refusals(m Module, c chem.Chemistry) {
	if m.Held != "" {
		p.stop(finding.New(finding.Refuse, codeHeld).About(m.Name).Reads(0, "").Against(0).
			Says("%s", m.Name+" may go no further: "+m.Held+".").
			Then("Settle that first.").At(finding.PlaceRecord))
	}
	if m.EverBelow {
		p.stop(finding.New(finding.Refuse, codeNeverRecharge).About(m.Name).Reads(0, "V").Against(c.NeverRechargeVolts).
			Says("A group of it was below never-recharge.").
			Then("No charge step, ever."))
	}
	for i, v := range m.Volts {
		switch {
		case v < c.NeverRechargeVolts:
			p.stop(finding.New(finding.Refuse, codeNeverRecharge).About(m.Name).
				Reads(v, "V").Against(c.NeverRechargeVolts).
				Says("Group %d at %.3f V is below never-recharge.", i+1, v).
				Then("Read it a second time; confirmed at rest it is quarantined."))
		case v < c.LookCloserVolts:
			p.stop(finding.New(finding.Caution, codeLookCloser).About(m.Name).Reads(v, "V").Against(c.LookCloserVolts).
				Says("Group %d at %.3f V: very low.", i+1, v).
				Then("A slow recharge under watch comes before the test."))
		}
	}
	if m.ThinTap != "" {
		p.stop(finding.New(finding.Caution, codeThinTap).About(m.Name).Reads(pinAmps, "A").Against(pinAmps).
			Says("Only a pin of the sense connector reaches the %s: more than about %.0f "+
				"A burns it, or the trace behind it.", m.ThinTap, pinAmps).
			Then("Clamp on the bar or stud inside, opened by its recorded steps, or test the module as a whole."))
	}
	if m.TempC != nil && *m.TempC < c.ChargeLowTempC {
		p.stop(finding.New(finding.Refuse, codeCold).About(m.Name).Reads(*m.TempC, "°C").Against(c.ChargeLowTempC).
			Says("%.0f °C: charging below %.0f °C plates lithium.", *m.TempC, c.ChargeLowTempC).
			Then("Let it come to room temperature, half a day for a heavy one."))
	}
	if m.TempC != nil && *m.TempC > c.ChargeHighTempC {
		p.stop(finding.New(finding.Stop, codeHot).About(m.Name).Reads(*m.TempC, "°C").Against(c.ChargeHighTempC).
			Says("%.0f °C is too warm to charge.", *m.TempC).
			Then("Let it cool."))
	}
}

// pinAmps is what a pin of a sense connector and its wire bear; they were made for milliamps.
const pinAmps = 1.0

// thin limits the current where one end of a part is reached by a pin only; 0 is no limit.
func (m Module) thin() limit {
	if m.ThinTap == "" {
		return limit{}
	}
	return limit{pinAmps, "a pin of the sense connector"}
}

// least is the smallest current of those that limit it, and which that is.
func least(list ...limit) limit {
	out := limit{math.Inf(1), ""}
	for _, l := range list {
		if l.amps > 0 && l.amps < out.amps {
			out = l
		}
	}
	return out
}

// A full charge is over when the current has fallen to TaperC times the Ah, and is stopped at OverAh times the Ah.
const (
	TaperC = 0.02
	OverAh = 1.1
)

// NoFullCharge is the finding that the groups in series cannot be charged to full: not every one of them is monitored.
const NoFullCharge = "no-full-charge"

type limit struct {
	amps float64
	by   string
}

// channel is what a step runs on: its leads, its device, whether every group is watched, and how many groups it sees.
type channel struct {
	kit     kit.Kit
	device  kit.Device
	watched bool
	wide    int
}

func (p *Plan) charge(m Module, c chem.Chemistry, on channel, lacks share, kind string) {
	k, d, watched, wide := on.kit, on.device, on.watched, on.wide
	_, all := m.groups()
	s := float64(all)
	cRate := limit{limits.ChargeC * m.Ah, "0.3 C"}
	if m.TempC != nil && *m.TempC < limits.ColdBelowC {
		cRate = limit{limits.ColdChargeC * m.Ah, "0.1 C below 10 °C"}
	}
	ceiling := c.ChargeLimitVolts // a capacity is counted from full
	if kind != "charge" {
		ceiling = c.Settings.ChargerVolts
	}
	l := least(m.thin(), limit{d.ChargeAmps, d.Name}, limit{d.Watts / (float64(wide) * ceiling), d.Name + "'s watts"},
		limit{k.WireAmps, "the wire"}, limit{k.ClampAmps, "the clamp"}, limit{m.ChargeLimitA, "the module"}, cRate)
	st := Step{Kind: kind, Device: d.Name, Amps: l.amps, LimitBy: l.by, Watched: watched,
		KWh: lacks.likely * m.Ah * s * c.NominalVolts / 1000}
	if kind == "charge" {
		hours := func(x float64) float64 { return times.Charge(c.ID, x, m.Ah, l.amps) }
		st.Hours, st.MostHours, st.PresentHours = hours(lacks.likely), hours(lacks.most), hours(lacks.least)
		st.EndsAt = fmt.Sprintf("first group at %.2f V, %.2f V in all, then down to %.1f A", ceiling, s*ceiling,
			TaperC*m.Ah)
	} else {
		st.Hours = lacks.likely * m.Ah / l.amps
		st.MostHours = st.Hours
		st.EndsAt = fmt.Sprintf("%.1f Ah, about %.2f V at rest", lacks.likely*m.Ah, s*c.Curve.Volts(storageSoC))
	}
	switch {
	case !watched && kind == "charge":
		st.Attended = true
		p.stop(finding.New(finding.Stop, NoFullCharge).About(m.Name).Reads(0, "groups").Against(s).
			Says("Without every group monitored there is no full charge of groups in series: one may be over while " +
				"the sum is not.").
			Then("Use a lead to every group and a device that reads it."))
	case !watched:
		st.Attended = true
		st.EndsAt += "; " + unwatchedEnd(ceiling, true)
		p.unwatched(m, kind, s)
	}
	if !d.OwnEndPoint {
		st.Attended = true
		p.stop(finding.New(finding.Caution, codeNoEndPoint).About(d.Name).Reads(st.Hours, "h").Against(0).
			Says("%s does not end by itself: somebody stays, and stops it by the clock after %.1f h.",
				d.Name, limits.OverTime*st.MostHours).
			Then("Set a timer. Unattended it is refused."))
	}
	p.Steps = append(p.Steps, st)
}

func (p *Plan) discharge(m Module, c chem.Chemistry, on channel) {
	k, d, watched, wide := on.kit, on.device, on.watched, on.wide
	_, all := m.groups()
	s := float64(all)
	l := least(m.thin(), limit{d.LoadAmps, d.Name},
		// its first volts are its highest
		limit{d.LoadWatts / (float64(wide) * c.ChargeLimitVolts), d.Name + "'s watts"}, limit{k.WireAmps, "the wire"},
		limit{k.ClampAmps, "the clamp"}, limit{m.LoadLimitA, "the module"}, limit{loadC * m.Ah, "0.5 C"})
	st := Step{Kind: "discharge", Device: d.Name, Amps: l.amps, LimitBy: l.by, Watched: watched, Hours: m.Ah / l.amps,
		KWh: -m.Ah * s * c.NominalVolts / 1000}
	st.MostHours = st.Hours
	st.EndsAt = fmt.Sprintf("first group at %.2f V", c.FloorVolts)
	if !watched {
		st.Attended = true
		st.EndsAt = unwatchedEnd(c.FloorVolts, false)
		p.unwatched(m, "discharge", s)
	}
	p.Steps = append(p.Steps, st)
}

// unwatchedEnd words where a step of groups in series ends that nobody watches group by group.
func unwatchedEnd(limit float64, charging bool) string {
	if charging {
		return fmt.Sprintf("off when the total has risen by (%.2f V − the highest group) since all were read", limit)
	}
	return fmt.Sprintf("off when the total has fallen by (lowest group − %.2f V) since all groups were read; then all "+
		"are read again", limit)
}

// unwatched says what a person does in place of a device that reads every group.
func (p *Plan) unwatched(m Module, kind string, groups float64) {
	p.stop(finding.New(finding.Caution, "attended-"+kind).About(m.Name).
		Reads(AttendMinutes, "min").Against(AttendMinutes).
		Says("No device reads the %.0f groups of this %s: somebody stays, and reads the total, then every group, at "+
			"the start and at least each %d min.", groups, kind, AttendMinutes).
		Then("Watch the total between: no group can move further than it does. Without such readings nothing is " +
			"begun. Near the end it stops often; a lead to every group and a device that reads it spares that."))
}

func (p *Plan) rest() {
	p.Steps = append(p.Steps, Step{Kind: "rest", Hours: restHours, EndsAt: "an hour without current"})
}

// split parts a module with more groups than a channel takes into blocks, each on a station of its own. Where the
// boundary of two blocks is a tap that only a pin of the sense connector reaches, that pin limits all of them.
func (p *Plan) split(m *Module, k kit.Kit, charger, load kit.Device) (blocks []Block) {
	first, n := m.groups()
	most := min(charger.SeriesMost, load.SeriesMost)
	if n <= most {
		return nil
	}
	var on []kit.Station // the plan's own devices first
	for _, own := range []bool{true, false} {
		for _, s := range k.Stations() {
			same := s.Charger.Name == charger.Name && s.Load.Name == load.Name
			if same == own && min(s.Charger.SeriesMost, s.Load.SeriesMost) >= most &&
				s.Charger.GroupVolts == charger.GroupVolts && s.Load.GroupVolts == load.GroupVolts {
				on = append(on, s)
			}
		}
	}
	ends := m.boundaries(first, n, most, len(on))
	if need := (n + most - 1) / most; len(ends) == 0 {
		p.stop(finding.New(finding.Stop, codeTooManyGroups).About(m.Name).
			Reads(float64(n), "groups").Against(float64(most)).
			Says("%s, and a channel takes %d: %s that charge "+
				"and discharge are needed, there are %d.", numeral.Count(n, "group"), most, numeral.Count(need,
				"channel"), len(on)).
			Then("Test it by halves, or as blocks one after the other."))
		return nil
	}
	from := first
	for i, to := range ends {
		b := Block{Device: on[i].Charger.Name, Channel: on[i].No, From: from, To: to}
		if on[i].Load.Name != b.Device {
			b.Load = on[i].Load.Name
		}
		blocks = append(blocks, b)
		if from = to + 1; i < len(ends)-1 && !slices.Contains(m.Bears, to) && m.ThinTap == "" {
			m.ThinTap = fmt.Sprintf("tap between groups %d and %d", to, to+1)
		}
	}
	told := ""
	for i := range blocks {
		for _, d := range []kit.Device{on[i].Charger, on[i].Load} {
			if !d.Isolated && d.Name != told {
				told = d.Name
				p.stop(finding.New(finding.Stop, codeNotIsolated).About(d.Name).Reads(0, "").Against(0).
					Says("The blocks are joined electrically: %s's output must be isolated from "+
						"its supply, its data lead and the other channel.", d.Name).
					Then("Use isolated outputs, or test the blocks one after the other."))
			}
		}
	}
	p.stop(finding.New(finding.Note, codeSplit).About(m.Name).Reads(float64(len(blocks)), "channels").Against(1).
		Says("%d blocks, the same current in each; tell their difference.", len(blocks)).
		Then("One charger for each block, all at the same current, begun within a minute of each other. " +
			"When one ends, end all: a block that goes on alone stands elsewhere in charge than the others."))
	return blocks
}

// takes fails for devices whose channels take no group at all: no kit that was checked has one.
func takes(devices ...kit.Device) error {
	for _, d := range devices {
		if d.Name != "" && d.SeriesMost < 1 { // without a name there is none
			return fmt.Errorf("%s takes %s in series: expected 1 or more", d.Name, numeral.Count(d.SeriesMost, "group"))
		}
	}
	return nil
}

// boundaries are the last groups of the blocks of a module, as few blocks as can be and of these as even as can be:
// between posts or bars where that takes no more channels than there are, else anywhere. None where nothing fits.
func (m Module) boundaries(first, n, most, channels int) []int {
	last := first + n - 1
	fewest := (n + most - 1) / most
	for _, thick := range []bool{true, false} {
		for blocks := fewest; blocks <= channels; blocks++ {
			for wide := (n + blocks - 1) / blocks; wide <= most; wide++ {
				if ends := m.packed(first, last, wide, thick); ends != nil && len(ends) <= blocks {
					return ends
				}
			}
		}
	}
	return nil
}

// packed are the last groups of blocks of at most wide groups, each as large as can be; nil where a stretch between two
// posts is larger than that.
func (m Module) packed(first, last, wide int, thick bool) (ends []int) {
	for from := first; from <= last; {
		to := min(last, from+wide-1)
		for thick && to < last && to >= from && !slices.Contains(m.Bears, to) {
			to--
		}
		if to < from {
			return nil
		}
		ends = append(ends, to)
		from = to + 1
	}
	return ends
}

// clamps lists where each lead goes. Where the module is split, each block has a pair of leads of its own: what is
// positive for the one below a tap is negative for the one above it.
func (p *Plan) clamps(m Module, charger, load kit.Device) {
	first, n := m.groups()
	last := first + n - 1
	below := func(g int) string { // where a lead touches that goes below group g
		if g == 1 {
			return "main negative"
		}
		return fmt.Sprintf("tap between groups %d and %d", g-1, g)
	}
	above := func(g int) string {
		if g == m.Series {
			return "main positive"
		}
		return fmt.Sprintf("tap between groups %d and %d", g, g+1)
	}
	if blocks := p.Blocks(); len(blocks) > 0 {
		for i, b := range blocks {
			device := fmt.Sprintf("%s, channel for block %d", b.Device, i+1)
			p.Clamps = append(p.Clamps, Clamp{device, "red +", above(b.To)}, Clamp{device, "black −", below(b.From)})
		}
	} else {
		devices := []kit.Device{charger}
		if load.Name != charger.Name {
			devices = append(devices, load)
		}
		for _, d := range devices {
			p.Clamps = append(p.Clamps, Clamp{d.Name, "red +", above(last)}, Clamp{d.Name, "black −", below(first)})
		}
	}
	if m.Monitored {
		p.Clamps = append(p.Clamps, Clamp{charger.Name, "lead to every group", "the connector, group 1 at the main " +
			"negative"})
	}
}

// Blocks are those that the module is split into, none where one channel takes it all.
func (p *Plan) Blocks() []Block {
	for _, s := range p.Steps {
		if len(s.Blocks) > 0 {
			return s.Blocks
		}
	}
	return nil
}

// HardStopHours is when a step is off, whatever it shows.
func (s Step) HardStopHours() float64 {
	if s.MostHours > 0 {
		return limits.OverTime * s.MostHours
	}
	return limits.OverTime * s.Hours
}

// seat is one channel that a card is for, with how many groups it sees.
type seat struct {
	device string
	groups int
}

// seats are the channels that a step runs on: one for each block.
func (st Step) seats(device string, n int, discharge bool) (out []seat) {
	for i, b := range st.Blocks {
		name := b.Device
		if discharge && b.Load != "" {
			name = b.Load
		}
		out = append(out, seat{fmt.Sprintf("%s, channel for block %d", name, i+1), b.To - b.From + 1})
	}
	if len(out) == 0 {
		out = []seat{{device, n}}
	}
	return out
}

// card is what to set, and to read back, on each channel.
func (p *Plan) card(m Module, c chem.Chemistry, charger, load kit.Device, watched bool, n int) {
	add := func(d, setting, value, why string) { p.Card = append(p.Card, Line{d, setting, value, why}) }
	for _, st := range p.Steps {
		device := charger.Name
		if st.Kind == "discharge" {
			device = load.Name
		}
		for _, on := range st.seats(device, n, st.Kind == "discharge") {
			switch st.Kind {
			case "charge":
				chargeCard(add, on, st, m, c, charger)
			case "discharge":
				add(on.device, "load current", fmt.Sprintf("%.1f A", st.Amps), "limited by "+st.LimitBy)
				if watched {
					add(on.device, "group floor", fmt.Sprintf("%.2f V", c.FloorVolts), "the first group at it ends "+
						"the step")
				} else {
					add(on.device, "volts in all", st.EndsAt,
						"no device reads the groups: set anew at each reading of all")
				}
				add(on.device, "time limit", fmt.Sprintf("%.1f h", st.HardStopHours()), "1.2 × computed")
			case "storage":
				add(on.device, "back to storage", fmt.Sprintf("%.1f Ah", storageSoC*m.Ah), "half of its capacity")
			}
		}
	}
}

func chargeCard(add func(d, setting, value, why string), on seat, st Step, m Module, c chem.Chemistry, d kit.Device) {
	s := float64(on.groups)
	add(on.device, "chemistry", c.Name, "read it back: the wrong one overcharges")
	add(on.device, "groups", fmt.Sprint(on.groups), "as mapped")
	add(on.device, "charge current", fmt.Sprintf("%.1f A", st.Amps), "limited by "+st.LimitBy)
	add(on.device, "group ceiling", fmt.Sprintf("%.2f V", c.ChargeLimitVolts), fmt.Sprintf("never above %.2f V",
		c.ChargeLimitVolts))
	add(on.device, "volts in all", fmt.Sprintf("%.2f V", s*c.ChargeLimitVolts), "groups × ceiling")
	add(on.device, "time limit", fmt.Sprintf("%.1f h", st.HardStopHours()), "1.2 × what it takes from the low end of "+
		"its charge")
	add(on.device, "somebody is there", fmt.Sprintf("from %.1f h on", st.PresentHours), "from the high end of its "+
		"charge it is over by then")
	add(on.device, "charge limit", fmt.Sprintf("%.1f Ah", OverAh*m.Ah), "1.1 × rated")
	if a := d.AccuracyPct; a > 0 {
		add(on.device, "counts within", fmt.Sprintf("± %.2f Ah", a/100*m.Ah), "as written down; nothing to set")
	}
	add(on.device, "temperature limit", fmt.Sprintf("%.0f °C", c.ChargeHighTempC), "of charge, typical")
}
