// Package fill opens the workings of the shelf from a place in the work: what is known of a bank, a module, a lot or a
// standing bank becomes their inputs, and what is not stays open.
package fill

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/bank/balance"
	"pandrel/core/bank/bms"
	"pandrel/core/bank/plan"
	"pandrel/core/bank/sizing"
	"pandrel/core/base/chem"
	"pandrel/core/shelf"
)

// Filled is a working with the values that a place in the work gives it.
type Filled struct {
	Working shelf.Working
	Values  shelf.Values
}

// Bank is what is known of a designed bank.
type Bank struct {
	Need        plan.Need
	Design      plan.Design
	Curve       *chem.Curve
	Device      bms.Device // zero where none was chosen
	Parts       plan.Parts
	ModulePrice float64 // a module's share of what its lot cost, 0 not known
}

// known writes a number that a place in the work gives, "" for 0.
func known(v float64) string {
	if v == 0 || math.IsNaN(v) || math.IsInf(v, 0) {
		return ""
	}
	return fig5(v)
}

// fig5 writes enough figures that nothing a meter shows is lost.
func fig5(v float64) string { return strings.TrimSuffix(fmt.Sprintf("%.6g", v), ".") }

// filled collects workings with the values that are known; a value that is not leaves the field open.
type filled []Filled

func (f *filled) add(key string, v shelf.Values) {
	w, ok := shelf.ByKey(key)
	if !ok {
		return
	}
	*f = append(*f, Filled{w, opened(w, v)})
}

// opened are the values of a working that is opened from a place in the work: what is known there, and nothing that
// belongs to the example.
func opened(w shelf.Working, own shelf.Values) shelf.Values {
	out := shelf.Values{}
	for _, f := range w.Fields {
		v, given := own[f.Key]
		switch {
		case given:
			out[f.Key] = v
		case f.Kind == shelf.Choice, general[w.Key+"."+f.Key]:
			out[f.Key] = f.Start
		default:
			out[f.Key] = ""
		}
	}
	return out
}

// general are the starting values that are typical of any place and not of the example.
var general = map[string]bool{"path.efficiency": true, "cable.drop": true, "cable.posts": true, "cable.ambient": true,
	"cable.length": true, "precharge.ohms": true, "precharge.share": true, "precharge.resistors": true,
	"join.link": true, "share.step": true, "balance.duty": true, "balance.charger_a": true, "acts.spread": true,
	"acts.delay": true, "runtime.efficiency": true, "idle.self": true, "idle.floor": true, "idle.from": true,
	"idle.draws": true, "money.hours": true, "money.rate": true, "money.cycles": true, "money.new_price": true,
	"money.new_cycles": true, "money.lead_price": true, "money.lead_cycles": true, "money.parts": true,
	"money.bms": true, "times.channels": true, "times.charge_a": true, "times.load_a": true, "times.load_w": true,
	"times.rest": true, "times.arrive": true, "times.modules": true, "join.count": true, "window.low": true,
	"window.high": true, "sample.risk": true, "volts.rest": true, "fuse.place": true}

// OfBank fills the workings that a bank raises from what is known of it.
//
// In one piece: each working with the values that the design gives it.
func OfBank(b Bank) []Filled {
	var out filled
	d, n := b.Design, b.Need.Filled()
	c := d.Candidate
	curve := curveText(b.Curve)
	id, series, mohm := string(c.Chemistry), fmt.Sprint(c.Series), known(d.DCMOhm())
	amps := max(c.LoadAmps, n.ChargeAmps)
	if c.LoadAmps > 0 {
		var path []string
		add := func(name string, ever, peak float64) {
			if ever > 0 {
				path = append(path, fmt.Sprintf("%s: %s %s", name, fig5(ever), fig5(max(ever, peak))))
			}
		}
		add("fuse", b.Parts.FuseA, 0)
		add("cable", b.Parts.CableA, 0)
		add("BMS", b.Device.ContinuousAmps, b.Device.PeakAmps)
		out.add("path", shelf.Values{"watts": known(n.LoadWatts), "volts": known(n.CutoffVolts),
			"ah": known(c.CapacityAh / float64(c.Parallel)), "parallel": fmt.Sprint(c.Parallel),
			"surge_w": known(n.PeakAmps * n.CutoffVolts * 0.9), "path": strings.Join(path, "\n")})
	}
	if amps > 0 {
		out.add("cable", shelf.Values{"amps": known(amps), "volts": known(c.SettingVolts)})
		// The bolt that such a cable's lug has; what it goes into is to be measured at the module.
		if s, err := sizing.Choose(sizing.Cable{Amps: amps, OneWayM: 1.5, Volts: c.SettingVolts, AtPosts: true,
			AmbientC: sizing.TableAmbientC}); err == nil {
			out.add("screw", shelf.Values{"thread": known(sizing.StudFor(s.MM2))})
		}
		out.add("fuse", shelf.Values{"amps": known(amps), "conductor": known(b.Parts.CableA),
			"full_v": known(c.FullVolts), "mohm": mohm, "place": known(b.Parts.FuseMM / 1000)})
	}
	out.add("precharge", shelf.Values{"volts": known(c.SettingVolts), "watts": known(max(n.LoadWatts, 500))})
	lines := d.Lines()
	limits := func(v shelf.Values) shelf.Values {
		v["bms_a"], v["fuse_a"], v["cable_a"] = known(b.Device.ContinuousAmps), known(b.Parts.FuseA),
			known(b.Parts.CableA)
		return v
	}
	if len(lines) > 1 && lines[0].Volts > 0 && lines[1].Volts > 0 {
		high, low := lines[0], lines[0]
		for _, l := range lines {
			if l.Volts > high.Volts {
				high = l
			}
			if l.Volts < low.Volts {
				low = l
			}
		}
		if high == low {
			low = lines[1]
		}
		out.add("join", limits(shelf.Values{"chemistry": id, "series": series, "a_v": known(high.Volts),
			"a_ah":   known(high.Ah),
			"a_mohm": known(high.MOhm), "b_v": known(low.Volts), "b_ah": known(low.Ah), "b_mohm": known(low.MOhm)}))
	} else if s := b.Need.Beside; s != nil && s.Volts > 0 {
		now := 0.0
		for _, l := range d.Levels(c.Chemistry, b.Curve) {
			now += l.Volts
		}
		ah := s.Ah
		if ah == 0 {
			ah = c.CapacityAh
		}
		if now > 0 {
			out.add("join", limits(shelf.Values{"chemistry": id, "series": series, "a_v": known(s.Volts),
				"a_ah": known(ah), "b_v": known(now), "b_ah": known(c.CapacityAh), "b_mohm": mohm}))
		}
	}
	if len(lines) > 1 && n.LoadWatts > 0 {
		var rows []string
		for _, l := range lines {
			rows = append(rows, fmt.Sprintf("%s: %s %s %s", l.Name, fig5(l.Ah), fig5(l.MOhm),
				fig5(b.Device.ContinuousAmps)))
		}
		out.add("share", shelf.Values{"chemistry": id, "series": series, "strings": strings.Join(rows, "\n"),
			"soc":  "80",
			"load": known(n.LoadWatts / 0.9), "cutoff": known(n.CutoffVolts), "charger": known(n.ChargeAmps)})
	}
	levels := d.Levels(c.Chemistry, b.Curve)
	if len(levels) > 0 {
		now := 0.0
		for _, l := range levels {
			now += l.Volts
		}
		out.add("volts", shelf.Values{"chemistry": id, "series": series, "ah": known(c.CapacityAh), "mohm": mohm,
			"volts": known(now), "cutoff": known(n.CutoffVolts), "max": known(n.ChargeMaxVolts), "curve": curve})
	}
	if v := balancing(levels); v != nil {
		v["bms_a"] = known(b.Device.BalanceAmps)
		out.add("balance", v)
	}
	out.add("acts", shelf.Values{"chemistry": id, "series": series, "ah": known(c.CapacityAh), "mohm": mohm,
		"charge_a": known(
			max(n.ChargeAmps, 0.2*c.CapacityAh)), "load_a": known(max(c.LoadAmps, 0.1*c.CapacityAh)),
		"charger_v": known(
			c.SettingVolts), "cutoff": known(n.CutoffVolts), "max": known(n.AbsMaxVolts), "curve": curve})
	if n.LoadWatts > 0 {
		low, high := d.RangeKWh()
		v := shelf.Values{"kwh": known(high), "loads": fmt.Sprintf("load: %s 24 ac", fig5(n.LoadWatts))}
		if low < high {
			v["kwh_low"] = known(low)
		}
		out.add("runtime", v)
	}
	idle := shelf.Values{"ah": known(c.CapacityAh), "volts": known(math.Round(c.TotalKWh*1e5/max(c.CapacityAh,
		1e-9)) / 100)}
	if b.Device.IdleMilliamps > 0 {
		idle["draws"] = fmt.Sprintf("BMS: %s", fig5(b.Device.IdleMilliamps))
	}
	out.add("idle", idle)
	out.add("money", shelf.Values{"modules": fmt.Sprint(max(1, c.ModulesUsed)), "price": known(b.ModulePrice),
		"rated": known(
			c.TotalKWh), "usable": known(c.UsableKWh), "banks": "1"})
	// Without its capacity: what it gives stands with the design, once, its losses taken off.
	out.add("window", shelf.Values{"chemistry": id, "series": series, "mohm": mohm, "low": known(
		c.EmptySoC * 100), "high": known(c.FullSoC * 100), "amps": known(c.LoadAmps), "curve": curve})
	return out
}

// curveText writes a curve of its own as it is typed, "" for the typical one.
func curveText(c *chem.Curve) string {
	if c == nil {
		return ""
	}
	var rows []string
	soc, v := c.Points()
	for i := range soc {
		rows = append(rows, fmt.Sprintf("%s %s", fig5(soc[i]), fig5(v[i])))
	}
	return strings.Join(rows, "\n")
}

// balancing is what each level lacks to the fullest one, by its rest voltage; nil where voltage cannot tell.
func balancing(levels []balance.Group) shelf.Values {
	if len(levels) < 2 {
		return nil
	}
	r, err := balance.Judge(levels)
	if err != nil || len(r.OffsetsAh) == 0 {
		return nil
	}
	most, least := math.Inf(-1), math.Inf(1)
	for i, o := range r.OffsetsAh {
		most, least = max(most, o), min(least, levels[i].Ah)
	}
	return offsets(r.OffsetsAh, most, least)
}

func offsets(list []float64, most, ah float64) shelf.Values {
	var parts []string
	for _, o := range list {
		parts = append(parts, fmt.Sprintf("%.2f", most-o))
	}
	return shelf.Values{"offsets": strings.Join(parts, " "), "ah": known(ah), "sign": "lacks"}
}

// Module is what is known of one module: volts of its groups at rest from the main negative up, none where not
// surveyed.
type Module struct {
	Chemistry chem.ID
	Curve     *chem.Curve
	Series    int
	Ah        float64
	MOhm      float64
	Volts     []float64
}

// OfModule fills the workings that a module raises.
func OfModule(m Module) []Filled {
	var out filled
	if m.Chemistry == "" || m.Series < 1 {
		return nil
	}
	id, series := string(m.Chemistry), fmt.Sprint(m.Series)
	if len(m.Volts) == m.Series {
		sum := 0.0
		var levels []balance.Group
		for _, v := range m.Volts {
			sum += v
			levels = append(levels, balance.Group{Chemistry: m.Chemistry, Curve: m.Curve, Volts: v, Ah: m.Ah})
		}
		out.add("volts", shelf.Values{"chemistry": id, "series": series, "ah": known(m.Ah), "mohm": known(m.MOhm),
			"volts": known(sum), "curve": curveText(m.Curve)})
		if v := balancing(levels); v != nil && m.Ah > 0 {
			out.add("balance", v)
		}
	}
	return out // how long its test takes its plan says, with the bench that it is on
}

// Lot is what is known of what arrived together: of its largest type, what was tested, how many there are, and what a
// module cost with its share of freight.
type Lot struct {
	Chemistry   chem.ID
	Series      int
	Ah          float64
	Modules     int
	Tested      []float64
	Price       float64
	Pallet      float64
	PalletHolds int
	RatedKWh    float64
	TestedKWh   float64
	Freight     float64
}

// WithEnergy fills in rated and tested energy, from the chemistry's nominal volts.
func (l Lot) WithEnergy() Lot {
	k, err := chem.Lookup(l.Chemistry)
	if err != nil || l.Series < 1 {
		return l
	}
	volts := float64(l.Series) * k.NominalVolts / 1000
	l.RatedKWh = float64(l.Modules) * l.Ah * volts
	if len(l.Tested) == l.Modules { // a part of them says nothing of what all cost
		for _, ah := range l.Tested {
			l.TestedKWh += ah * volts
		}
	}
	return l
}

// OfLot fills the workings that a lot raises.
func OfLot(l Lot) []Filled {
	var out filled
	if l.Modules < 1 {
		return nil
	}
	if len(l.Tested) >= 3 {
		var parts []string
		for _, v := range l.Tested {
			parts = append(parts, fmt.Sprintf("%.1f", v))
		}
		out.add("sample", shelf.Values{"tested": strings.Join(parts, " "), "total": fmt.Sprint(max(l.Modules,
			len(l.Tested))), "wanted": known(0.8 * l.Ah)})
	}
	if l.Chemistry != "" && l.Series > 0 && l.Ah > 0 {
		out.add("times", shelf.Values{"chemistry": string(l.Chemistry), "series": fmt.Sprint(l.Series),
			"ah": known(l.Ah), "modules": fmt.Sprint(l.Modules)})
	}
	if l.Price > 0 {
		out.add("money", shelf.Values{"modules": fmt.Sprint(l.Modules), "price": known(l.Price),
			"freight": known(l.Freight), "pallet": known(l.Pallet), "holds": known(float64(l.PalletHolds)),
			"rated": known(l.RatedKWh), "tested": known(
				l.TestedKWh), "bms": "", "parts": "", "hours": "", "cycles": "", "usable": ""})
	}
	return out
}

// Standing is what is known of a bank that somebody else built, or of a pack kept whole: the volts of the whole, or of
// its groups.
type Standing struct {
	Chemistry chem.ID
	Series    int
	Ah        float64
	Volts     float64
	Groups    []float64
}

// OfStanding fills the workings that a standing bank raises.
func OfStanding(s Standing) []Filled {
	var out filled
	if s.Volts > 0 {
		out.add("precharge", shelf.Values{"volts": known(s.Volts), "watts": "1500"})
	}
	if s.Chemistry == "" || s.Series < 1 {
		return out
	}
	id, series := string(s.Chemistry), fmt.Sprint(s.Series)
	if s.Volts > 0 {
		out.add("volts", shelf.Values{"chemistry": id, "series": series, "ah": known(s.Ah), "volts": known(s.Volts)})
	}
	if s.Ah > 0 {
		if s.Volts > 0 {
			out.add("join", shelf.Values{"chemistry": id, "series": series, "a_v": known(s.Volts), "a_ah": known(s.Ah)})
		}
		var levels []balance.Group
		for _, v := range s.Groups {
			levels = append(levels, balance.Group{Chemistry: s.Chemistry, Volts: v, Ah: s.Ah})
		}
		if v := balancing(levels); v != nil {
			out.add("balance", v)
		}
		out.add("acts", shelf.Values{"chemistry": id, "series": series, "ah": known(s.Ah),
			"charge_a": known(0.2 * s.Ah), "load_a": known(0.1 * s.Ah)})
		k, err := chem.Lookup(s.Chemistry)
		if err == nil {
			out.add("idle", shelf.Values{"ah": known(s.Ah), "volts": known(float64(s.Series) * k.NominalVolts)})
		}
	}
	return out
}
