// Package testplan plans the test of one module on a bench: which device, at what current and what limits it, how long
// each step takes, where it ends, what to set and read back, and what stands against it (handbook §5, hazards).
package testplan

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/bench/fall"
	"pandrel/core/bench/kit"
	resist "pandrel/core/bench/load"
)

// Rules of currents and ends, handbook §5.
const (
	chargeC      = 0.3
	loadC        = 0.5
	coldC        = 0.1 // of charge, at 0 to 10 °C
	coldBelow    = 10.0
	restHours    = 1.0
	storageSoC   = 0.5
	meanTaper    = 0.4
	typicalTempC = 20.0
	rule         = "rules §5"
)

// AttendMinutes is the longest time between two looks at something attended.
const AttendMinutes = fall.EverySeconds / 60

// Module is what is to be tested. Volts are its groups' at rest, none where not surveyed; TempC nil where not known.
// Monitored is whether a lead to every group exists. From and To are the groups of a part that is tested alone, 0 for
// all of it. ChargeLimitA and LoadLimitA are the maker's, 0 not known.
type Module struct {
	Name         string
	Chemistry    chem.ID
	Curve        *chem.Curve
	Series       int
	Ah           float64
	Volts        []float64
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
	Blocks   []Block `json:"blocks,omitempty"`
}

// Block is a part of the module on a device of its own, where it has more groups than one channel takes.
type Block struct {
	Device   string `json:"device"`
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
		return Plan{}, fmt.Errorf("%s: %d groups of %v Ah: expected its layout and its capacity", m.Name, m.Series,
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
		p := build(m, c, k, d)
		if !found || better(p, best) {
			best, found = p, true
		}
	}
	if !found {
		best.stop(finding.Stop, "no-device", m.Name, 0, 0, "", "There is no such device on the bench.",
			"Write it down first.")
	}
	return best, nil
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

func (p *Plan) stop(l finding.Level, code, subject string, measured, limit float64, unit, text, do string) {
	p.Findings = append(p.Findings, finding.Finding{Level: l, Code: code, Subject: subject,
		Measured: finding.Of(math.Round(measured*100) / 100), Limit: finding.Of(math.Round(limit*100) / 100),
		Unit: unit,
		Rule: rule, Text: text, Do: do})
	p.Refused = p.Refused || l >= finding.Stop
}

// groups is how many groups are tested, and the first of them.
func (m Module) groups() (first, n int) {
	if m.From > 0 {
		return m.From, m.To - m.From + 1
	}
	return 1, m.Series
}

// build plans on one device.
//
// In one piece: who charges, who discharges, and what each step asks of them.
func build(m Module, c chem.Chemistry, k kit.Kit, d kit.Device) Plan {
	p := Plan{Steps: []Step{}, Card: []Line{}, Clamps: []Clamp{}, Findings: []finding.Finding{}}
	p.refusals(m, c)
	_, n := m.groups()
	other := d // what discharges, where this one only charges, and the other way round
	if !d.Charges() || !d.Discharges() {
		for _, x := range k.Devices {
			if !d.Charges() && x.Charges() || !d.Discharges() && x.Discharges() {
				other = x
				break
			}
		}
	}
	charger, load := d, other
	if !d.Charges() {
		charger, load = other, d
	}
	if !load.Discharges() && len(k.Resistors) > 0 {
		if r, ok := p.resistors(m, c, k, n); ok {
			load = r
		}
	}
	if !charger.Charges() || !load.Discharges() {
		p.stop(finding.Stop, "half-a-bench", d.Name, 0, 0, "", "The bench can only charge, or only discharge: a test "+
			"needs both.",
			"Add a load, or a resistor load.")
		return p
	}
	// Of a single group the volts at the clamps are the group's.
	watched, seen := m.Monitored && (n == 1 || charger.GroupVolts), m.Monitored && (n == 1 || load.GroupVolts)
	soc := startSoC(m, c)
	p.charge(m, c, k, charger, watched, n, 1-soc, "charge")
	p.rest()
	p.discharge(m, c, k, load, seen, n)
	p.rest()
	p.charge(m, c, k, charger, watched, n, storageSoC, "storage")
	for _, s := range p.Steps {
		p.Hours += s.Hours
		p.WallKWh += max(0, s.KWh) / 0.9
	}
	if n > charger.SeriesMost || n > load.SeriesMost {
		p.split(m, k, charger, load, n)
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
	p.stop(finding.Note, "resistor-load", m.Name, x.EachWatts, x.MayWatts, "W", fmt.Sprintf("Load of the stock: %s: "+
		"%.1f A "+
		"at the start, %.1f A at the end, %.0f W in each.", name, x.StartAmps, x.EndAmps, x.EachWatts),
		"On metal, with air around it, away from what burns. It ends nothing: somebody stays and disconnects it.")
	mean := (x.StartAmps + x.EndAmps) / 2
	return kit.Device{Name: name, Channels: 1, SeriesMost: 400, LoadAmps: mean}, true
}

// startSoC is the charge that the test begins with, by the lowest group; half where nothing is known.
func startSoC(m Module, c chem.Chemistry) float64 {
	if len(m.Volts) == 0 {
		return storageSoC
	}
	return c.Curve.SoC(slices.Min(m.Volts))
}

// refusals are what stands against any test of it.
func (p *Plan) refusals(m Module, c chem.Chemistry) {
	if m.Held != "" {
		p.stop(finding.Refuse, "held", m.Name, 0, 0, "", m.Name+" may go no further: "+m.Held+".", "Settle that first.")
	}
	if m.EverBelow {
		p.stop(finding.Refuse, "never-recharge", m.Name, 0, c.NeverRechargeVolts, "V",
			"A group of it was below never-recharge.",
			"No charge step, ever.")
	}
	for i, v := range m.Volts {
		switch {
		case v < c.NeverRechargeVolts:
			p.stop(finding.Refuse, "never-recharge", m.Name, v, c.NeverRechargeVolts, "V",
				fmt.Sprintf("Group %d at %.3f V is "+
					"below never-recharge.", i+1, v), "Read it a second time; confirmed at rest it is quarantined.")
		case v < c.LookCloserVolts:
			p.stop(finding.Caution, "look-closer", m.Name, v, c.LookCloserVolts, "V", fmt.Sprintf("Group %d at %.3f "+
				"V: very low.",
				i+1, v), "A slow recharge under watch comes before the test.")
		}
	}
	if m.ThinTap != "" {
		p.stop(finding.Caution, "thin-tap", m.Name, pinAmps, pinAmps, "A", fmt.Sprintf("Only a pin of the sense "+
			"connector "+
			"reaches the %s: more than about %.0f A burns it, or the trace behind it.", m.ThinTap, pinAmps),
			"Clamp on the bar or stud inside, opened by its recorded steps, or test the module as a whole.")
	}
	if m.TempC != nil && *m.TempC < c.ChargeLowTempC {
		p.stop(finding.Refuse, "cold", m.Name, *m.TempC, c.ChargeLowTempC, "°C", fmt.Sprintf("%.0f °C: charging below "+
			"%.0f °C "+
			"plates lithium.", *m.TempC, c.ChargeLowTempC), "Let it come to room temperature, half a day for a heavy "+
			"one.")
	}
	if m.TempC != nil && *m.TempC > c.ChargeHighTempC {
		p.stop(finding.Stop, "hot", m.Name, *m.TempC, c.ChargeHighTempC, "°C", fmt.Sprintf("%.0f °C is too warm to "+
			"charge.",
			*m.TempC), "Let it cool.")
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

func (p *Plan) charge(m Module, c chem.Chemistry, k kit.Kit, d kit.Device, watched bool, n int, share float64,
	kind string) {
	s := float64(n)
	cRate := limit{chargeC * m.Ah, "0.3 C"}
	if m.TempC != nil && *m.TempC < coldBelow {
		cRate = limit{coldC * m.Ah, "0.1 C below 10 °C"}
	}
	ceiling := c.ChargeLimitVolts // a capacity is counted from full
	if kind != "charge" {
		ceiling = c.Settings.ChargerVolts
	}
	l := least(m.thin(), limit{d.ChargeAmps, d.Name}, limit{d.Watts / (s * ceiling), d.Name + "'s watts"},
		limit{k.WireAmps, "the wire"}, limit{k.ClampAmps, "the clamp"}, limit{m.ChargeLimitA, "the module"}, cRate)
	f := 0.9
	if c.ID == chem.LFP {
		f = 0.97
	}
	st := Step{Kind: kind, Device: d.Name, Amps: l.amps, LimitBy: l.by, Watched: watched,
		KWh: share * m.Ah * s * c.NominalVolts / 1000}
	if kind == "charge" {
		st.Hours = math.Min(share, f)*m.Ah/l.amps + (1-f)*m.Ah/(meanTaper*l.amps)
		st.EndsAt = fmt.Sprintf("first group at %.2f V, %.2f V in all, then down to %.1f A", ceiling, s*ceiling,
			TaperC*m.Ah)
	} else {
		st.Hours = share * m.Ah / l.amps
		st.EndsAt = fmt.Sprintf("%.1f Ah, about %.2f V at rest", share*m.Ah, s*c.Curve.Volts(storageSoC))
	}
	switch {
	case !watched && kind == "charge":
		st.Attended = true
		p.stop(finding.Stop, NoFullCharge, m.Name, 0, s, "groups", "Without every group monitored there is no "+
			"full charge "+
			"of groups in series: one may be over while the sum is not.", "Use a lead to every group and a device "+
			"that reads it.")
	case !watched:
		st.Attended = true
		st.EndsAt += "; " + unwatchedEnd(ceiling, true)
		p.unwatched(m, kind, s)
	}
	if !d.OwnEndPoint {
		st.Attended = true
		p.stop(finding.Caution, "no-end-point", d.Name, st.Hours, 0, "h", fmt.Sprintf("%s does not end by itself: "+
			"somebody stays "+
			"for %.1f h, and stops it by the clock after %.1f h.", d.Name, st.Hours, 1.2*st.Hours),
			"Set a timer. Unattended it is refused.")
	}
	p.Steps = append(p.Steps, st)
}

func (p *Plan) discharge(m Module, c chem.Chemistry, k kit.Kit, d kit.Device, watched bool, n int) {
	s := float64(n)
	l := least(m.thin(), limit{d.LoadAmps, d.Name}, limit{d.LoadWatts / (s * c.NominalVolts), d.Name + "'s watts"},
		limit{k.WireAmps, "the wire"}, limit{k.ClampAmps, "the clamp"}, limit{m.LoadLimitA, "the module"},
		limit{loadC * m.Ah, "0.5 C"})
	st := Step{Kind: "discharge", Device: d.Name, Amps: l.amps, LimitBy: l.by, Watched: watched, Hours: m.Ah / l.amps,
		KWh: -m.Ah * s * c.NominalVolts / 1000}
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
	p.stop(finding.Caution, "attended-"+kind, m.Name, AttendMinutes, AttendMinutes, "min", fmt.Sprintf("No device "+
		"reads the %.0f groups of this %s: somebody stays, and reads the total, then every group, at the start and "+
		"at least each %d min.", groups, kind, AttendMinutes), "Watch the total between: no group can move further "+
		"than it does. Without such readings nothing is begun. Near the end it stops often; a lead to every group "+
		"and a device that reads it spares that.")
}

func (p *Plan) rest() {
	p.Steps = append(p.Steps, Step{Kind: "rest", Hours: restHours, EndsAt: "an hour without current"})
}

// split puts a module with more groups than a channel takes on two or more, each a block of its own.
func (p *Plan) split(m Module, k kit.Kit, charger, load kit.Device, n int) {
	first, _ := m.groups()
	most := min(charger.SeriesMost, load.SeriesMost)
	need := (n + most - 1) / most
	have := 0
	var on []kit.Device
	for _, d := range k.Devices {
		if d.Charges() && d.SeriesMost >= (n+need-1)/need {
			for range d.Channels {
				on = append(on, d)
			}
			have += d.Channels
		}
	}
	if have < need {
		p.stop(finding.Stop, "too-many-groups", m.Name, float64(n), float64(most), "groups",
			fmt.Sprintf("%d groups, and a "+
				"channel takes %d: %d channels are needed, there are %d.", n, most, need, have),
			"Test it by halves, or as blocks.")
		return
	}
	each := (n + need - 1) / need
	var blocks []Block
	for i := range need {
		from := first + i*each
		blocks = append(blocks, Block{on[i].Name, from, min(first+n-1, from+each-1)})
		if !on[i].Isolated {
			p.stop(finding.Stop, "not-isolated", on[i].Name, 0, 0, "", fmt.Sprintf("The blocks are joined "+
				"electrically: %s's "+
				"output must be isolated from its supply, its data lead and the other channel.", on[i].Name),
				"Use isolated outputs, or test the blocks one after the other.")
		}
	}
	for i := range p.Steps {
		if p.Steps[i].Kind != "rest" {
			p.Steps[i].Blocks = blocks
		}
	}
	p.stop(finding.Note, "split", m.Name, float64(need), 1, "channels", fmt.Sprintf("%d blocks, the same current in "+
		"each; tell "+
		"their difference.", need), "One charger for each block, all at the same current, begun within a minute of "+
		"each other. When one ends, "+
		"end all: a block that goes on alone stands elsewhere in charge than the others.")
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

// card is what to set, and to read back.
func (p *Plan) card(m Module, c chem.Chemistry, charger, load kit.Device, watched bool, n int) {
	s := float64(n)
	add := func(d, setting, value, why string) { p.Card = append(p.Card, Line{d, setting, value, why}) }
	for _, st := range p.Steps {
		switch st.Kind {
		case "charge":
			add(charger.Name, "chemistry", c.Name, "read it back: the wrong one overcharges")
			add(charger.Name, "groups", fmt.Sprint(n), "as mapped")
			add(charger.Name, "charge current", fmt.Sprintf("%.1f A", st.Amps), "limited by "+st.LimitBy)
			add(charger.Name, "group ceiling", fmt.Sprintf("%.2f V", c.ChargeLimitVolts),
				fmt.Sprintf("never above %.2f V",
					c.ChargeLimitVolts))
			add(charger.Name, "volts in all", fmt.Sprintf("%.2f V", s*c.ChargeLimitVolts), "groups × ceiling")
			add(charger.Name, "time limit", fmt.Sprintf("%.1f h", 1.2*st.Hours), "1.2 × computed")
			add(charger.Name, "charge limit", fmt.Sprintf("%.1f Ah", OverAh*m.Ah), "1.1 × rated")
			if a := charger.AccuracyPct; a > 0 {
				add(charger.Name, "counts within", fmt.Sprintf("± %.2f Ah", a/100*m.Ah), "as written down; nothing to "+
					"set")
			}
			add(charger.Name, "temperature limit", fmt.Sprintf("%.0f °C", c.ChargeHighTempC), "of charge, typical")
		case "discharge":
			add(load.Name, "load current", fmt.Sprintf("%.1f A", st.Amps), "limited by "+st.LimitBy)
			if watched {
				add(load.Name, "group floor", fmt.Sprintf("%.2f V", c.FloorVolts), "the first group at it ends the "+
					"step")
			} else {
				add(load.Name, "volts in all", st.EndsAt, "no device reads the groups: set anew at each reading of all")
			}
			add(load.Name, "time limit", fmt.Sprintf("%.1f h", 1.2*st.Hours), "1.2 × computed")
		case "storage":
			add(charger.Name, "back to storage", fmt.Sprintf("%.1f Ah", storageSoC*m.Ah), "half of its capacity")
		}
	}
}
