// Package window finds which series counts fit a device and what each loses (rules §7).
//
// A device has four voltages: the highest it survives, the highest it can be told to charge to,
// the one at which it cuts off, and the one at which it starts again. A stock of graded modules
// allows certain series counts. For each, the charger setting and the cut-off under load become
// states of charge of one group, and their difference is the usable share.
package window

import (
	"cmp"
	"fmt"
	"math"
	"slices"
	"sort"
	"strings"

	"pandrel/core/bank/match"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Need is what the client wants. Volts are at the device's terminals; where they are not known Class says which system
// it is (12, 24, 36 or 48 V), and what such devices usually take stands in for them, see Filled. AbsMaxVolts may stay
// open, and so may the load (nothing that hangs on it is judged then) and the wanted energy (all there is). Efficiency
// is the device's, 0…1; 0 takes DefaultEfficiency. WetPlace lowers the touch-voltage limit to 30 V.
type Need struct {
	Class          int     `json:"Class"`
	Series         int     `json:"Series"`    // groups that it must have, 0 for as many as fit
	Chemistry      chem.ID `json:"Chemistry"` // that it must be of, "" for any
	AbsMaxVolts    float64 `json:"AbsMaxVolts"`
	ChargeMaxVolts float64 `json:"ChargeMaxVolts"`
	CutoffVolts    float64 `json:"CutoffVolts"`
	StartVolts     float64 `json:"StartVolts"`
	LoadWatts      float64 `json:"LoadWatts"`
	LoadA          float64 `json:"LoadA,omitempty"` // of what amps are known and no watts
	// LoadText is the load as it was typed, where it is of several devices or in VA.
	LoadText   string  `json:"LoadText,omitempty"`
	WantedKWh  float64 `json:"WantedKWh"`
	Efficiency float64 `json:"Efficiency"`
	WetPlace   bool    `json:"WetPlace"`
	ChargeAmps float64 `json:"ChargeAmps"` // the charger's, 0 not known
	PeakAmps   float64 `json:"PeakAmps"`   // surge of the load, 0 not known

	assumed bool // voltages of its class stand for its own
	typed   bool // cut-off and efficiency are its own
	cutoff  bool // the cut-off is its own, the efficiency usual
	open    bool // nothing is known of the device: the cells' own limits stand for its voltages
}

// Module is one module of a stock. CapacityAh is the likely one, 0 for not known, and From what it rests on; LowAh and
// HighAh are the interval of a module that was not measured, both 0 for one that was.
type Module struct {
	Name           string
	CapacityAh     float64
	LowAh, HighAh  float64
	From           known.Source
	ResistanceMOhm float64
}

// Ah is what the module holds.
func (m Module) Ah() known.Value {
	from := m.From
	switch {
	case m.CapacityAh <= 0 && m.HighAh <= 0:
		return known.Value{}
	case m.HighAh <= 0:
		return known.Of(m.CapacityAh, cmp.Or(from, known.Measured))
	case from == known.Unknown:
		from = known.Assumed
	}
	return known.Within(m.CapacityAh, min(m.LowAh, m.CapacityAh), max(m.HighAh, m.CapacityAh), from).Times(1)
}

// Range is the least and the most that the module may hold, amp hours.
func (m Module) Range() (low, high float64) {
	if m.HighAh <= 0 {
		return m.CapacityAh, m.CapacityAh
	}
	return m.LowAh, m.HighAh
}

// Stock is the modules of one type: all have the same layout.
type Stock struct {
	Type      string
	Chemistry chem.ID
	Curve     *chem.Curve // the type's own rest curve, nil for the chemistry's typical one
	Series    int         // groups in series in one module
	Posts     []int       // nodes with a power post between the ends, by groups below: halves can be used there
	Limits    Limits
	Modules   []Module
	Untested  bool // modules that were never graded are counted too
	Unrated   bool // nothing is known of the amp hours of some: they are not asked for, and none are stated
	// MostVolts is the highest charge limit of a group that may be, where Chemistry is not declared.
	MostVolts float64
}

// Limits are the currents of one module, amps; 0 takes the typical C rate of its capacity.
type Limits struct {
	DischargeAmps float64 // for ever
	PeakAmps      float64 // for seconds
	ChargeAmps    float64 // for ever
	ChargePeak    float64 // for seconds
}

// Of returns the limits of a module of the given capacity with the typical ones filled in; typical says
// that at least one was.
func (l Limits) Of(capacityAh float64) (full Limits, typical bool) {
	fill := func(v *float64, c float64) {
		if *v <= 0 {
			*v, typical = c*capacityAh, true
		}
	}
	fill(&l.DischargeAmps, chem.TypicalDischargeC)
	fill(&l.PeakAmps, chem.TypicalPeakC)
	fill(&l.ChargeAmps, chem.TypicalChargeC)
	fill(&l.ChargePeak, 2*chem.TypicalChargeC)
	l.PeakAmps, l.ChargePeak = max(l.PeakAmps, l.DischargeAmps), max(l.ChargePeak, l.ChargeAmps)
	return l, typical
}

// EnergyKWh is the energy of ah amp hours in this bank, from empty to full.
func (o Candidate) EnergyKWh(ah float64) float64 {
	if o.CapacityAh <= 0 {
		return 0
	}
	return ah * o.TotalKWh / o.CapacityAh
}

// Limits and defaults of the window rules, rules §7 and §10.
const (
	DefaultEfficiency    = 0.90
	SettingToleranceV    = 0.5   // a charger is told volts with about this accuracy
	TripMargin           = 0.02  // the pack trip stays this share below the damage voltage
	PathMilliOhms        = 5.0   // cables, joints, fuse and BMS between cells and device
	LeastUsable          = 0.30  // a window that uses less is refused
	thirtySecondsFromTen = 1.165 // R after 30 s / R after 10 s of the RC model of §11
	rule                 = "rules §7"
)

// Candidate is one way to build the bank. Volts without another word are of the whole bank.
type Candidate struct {
	Type            string  `json:"Type"`
	Chemistry       chem.ID `json:"Chemistry"`
	Series          int     `json:"Series"` // groups
	ModulesInString int     `json:"ModulesInString"`
	// of each module of a string in its order where they differ, nil where all are alike
	Groups       []int    `json:"Groups"`
	Types        []string `json:"Types"`    // and their types
	Untested     bool     `json:"Untested"` // modules that were never graded are counted too
	Parallel     int      `json:"Parallel"`
	SettingVolts float64  `json:"SettingVolts"`
	TripVolts    float64  `json:"TripVolts"`
	CeilingVolts float64  `json:"CeilingVolts"` // of one group, at the charger setting
	FullSoC      float64  `json:"FullSoC"`
	EmptySoC     float64  `json:"EmptySoC"`
	// of one group, at rest, when the device cuts off or the floor is reached
	EmptyRestVolts float64 `json:"EmptyRestVolts"`
	UsableShare    float64 `json:"UsableShare"`
	CapacityAh     float64 `json:"CapacityAh"`
	LowAh          float64 `json:"LowAh"`
	HighAh         float64 `json:"HighAh"` // the interval of CapacityAh where modules were not measured
	// From is the weakest that the capacity rests on, Unknown where it was not written down.
	From known.Source `json:"From,omitempty"`
	// DeviceTyped says that cut-off and efficiency of the device are its own, not what such devices usually take.
	DeviceTyped bool `json:"DeviceTyped,omitempty"`
	// Unrated says that nothing is known of the amp hours of some of its modules: CapacityAh and the energies are 0.
	Unrated     bool    `json:"Unrated,omitempty"`
	UsableKWh   float64 `json:"UsableKWh"`
	TotalKWh    float64 `json:"TotalKWh"`
	LoadAmps    float64 `json:"LoadAmps"`
	FullVolts   float64 `json:"FullVolts"` // S × charge limit: the highest the cells may reach
	ModulesUsed int     `json:"ModulesUsed"`
	LeftOver    int     `json:"LeftOver"`
	EndsOnCells bool    `json:"EndsOnCells"` // the cells' floor comes before the device's cut-off
	// the BMS's usual under-voltage comes before the device's cut-off
	EndsOnBMS        bool              `json:"EndsOnBMS"`
	ReachesWanted    bool              `json:"ReachesWanted"`
	Refused          bool              `json:"Refused"`
	Findings         []finding.Finding `json:"Findings"`
	ResistanceMOhm30 float64           `json:"ResistanceMOhm30"`
}

// Candidates lists the ways to meet need from stocks, best first: those that reach the wanted
// energy with their usable kWh, then the others, then the refused ones with their reasons.
// It fails when the need cannot be read. Cost is O(modules · log modules), and for each count of each stock and each
// pair of them O(series · log modules): each is integrated along the rest curve in a fixed number of points.
func Candidates(need Need, stocks []Stock) ([]Candidate, error) {
	if err := check(&need); err != nil {
		return nil, err
	}
	var out []Candidate
	ranked := make([]ranked, len(stocks))
	for i, st := range stocks {
		ranked[i] = rank(st)
	}
	for i, st := range stocks {
		c, err := st.chemistry()
		if err != nil {
			return nil, err
		}
		if need.Chemistry != "" && need.Chemistry != st.Chemistry {
			continue
		}
		c = c.WithCurve(st.Curve)
		if st.Series < 1 {
			return nil, fmt.Errorf("module type %s: series count %d: expected 1 or more", st.Type, st.Series)
		}
		for k := 1; k <= len(st.Modules); k++ {
			nominal := float64(k*st.Series) * c.NominalVolts
			switch {
			case st.Chemistry == "" && need.Series == 0: // volts fit nothing before it is declared
				continue
			case st.Chemistry != "" && (nominal < 0.6*need.CutoffVolts || nominal > 1.5*need.highest()):
				continue
			}
			if need.Series > 0 && k*st.Series != need.Series {
				continue
			}
			out = append(out, build(need, []lay{{ranked[i], k}}, c))
		}
	}
	out = append(out, mixes(need, ranked)...)
	slices.SortStableFunc(out, func(a, b Candidate) int {
		return cmp.Or(boolCompare(a.Refused, b.Refused), boolCompare(!a.ReachesWanted, !b.ReachesWanted),
			boolCompare(a.Untested && a.ReachesWanted && need.WantedKWh > 0, b.Untested && b.ReachesWanted &&
				need.WantedKWh > 0), cmp.Compare(math.Round(b.UsableKWh*1000), math.Round(a.UsableKWh*1000)),
			cmp.Compare(a.LeftOver, b.LeftOver))
	})
	return out, nil
}

// chemistry is that of the stock, or where none is declared one of which nothing is known but how high it may reach.
func (st Stock) chemistry() (chem.Chemistry, error) {
	if st.Chemistry == "" && st.MostVolts > 0 {
		return chem.Chemistry{Name: "chemistry not declared", ChargeLimitVolts: st.MostVolts}, nil
	}
	c, err := chem.Lookup(st.Chemistry)
	if err != nil {
		return c, fmt.Errorf("module type %s: %w", st.Type, err)
	}
	return c, nil
}

func boolCompare(a, b bool) int {
	if a == b {
		return 0
	}
	if a {
		return 1
	}
	return -1
}

// Classes are the systems whose usual voltages are known: the highest charge setting and the cut-off.
var classes = map[int][2]float64{12: {14.4, 10.5}, 24: {28.8, 21}, 36: {43.2, 31.5}, 48: {57.6, 42}}

// Classes lists the systems that a need may name instead of voltages.
func Classes() []int { return []int{12, 24, 36, 48} }

// Filled is the need with what its class usually takes where the device's own voltages were not given.
func (n Need) Filled() Need {
	v, ok := classes[n.Class]
	if !ok {
		return n
	}
	if n.ChargeMaxVolts == 0 {
		n.ChargeMaxVolts, n.assumed = v[0], true
		if n.AbsMaxVolts > 0 {
			n.ChargeMaxVolts = min(v[0], n.AbsMaxVolts)
		}
	}
	if n.CutoffVolts == 0 {
		n.CutoffVolts, n.assumed = v[1], true
	}
	return n
}

// device names it in a sentence: where its own voltages are not known it is one that is usual for the system.
func (n Need) device() string {
	switch {
	case n.open:
		return "a device that takes all that the cells give"
	case n.assumed:
		return fmt.Sprintf("a usual %d V device", n.Class)
	}
	return "the device"
}

// rests is what a judgement of its voltages rests on.
func (n Need) rests() known.Source {
	if n.assumed || n.open {
		return known.Assumed
	}
	return known.Typed
}

// taking is the need with what the cells themselves bear where nothing is known of the device: charged to full, and
// used down to the floor.
func (n Need) taking(series int, c chem.Chemistry) Need {
	if n.open {
		n.ChargeMaxVolts, n.CutoffVolts = float64(series)*c.ChargeLimitVolts, float64(series)*c.FloorVolts
	}
	return n
}

// highest is the voltage above which no bank is looked for.
func (n Need) highest() float64 {
	switch {
	case n.AbsMaxVolts > 0:
		return n.AbsMaxVolts
	case n.open:
		return math.Inf(1)
	}
	return n.ChargeMaxVolts
}

// survives is the voltage that the device bears with the margin of a trip, without limit where it is not known.
func (n Need) survives() float64 {
	if n.AbsMaxVolts <= 0 {
		return math.Inf(1)
	}
	return n.AbsMaxVolts * (1 - TripMargin)
}

func check(n *Need) error {
	own := n.CutoffVolts > 0 && !n.assumed
	n.typed, n.cutoff = own && n.Efficiency > 0, own && n.Efficiency == 0
	if n.Efficiency == 0 {
		n.Efficiency = DefaultEfficiency
	}
	if _, ok := classes[n.Class]; n.Class != 0 && !ok {
		return fmt.Errorf("class %d V: expected 12, 24, 36 or 48", n.Class)
	}
	if usual := (Need{Class: n.Class}).Filled(); n.Class != 0 && n.CutoffVolts >= usual.ChargeMaxVolts {
		return fmt.Errorf("cut-off %v V of a %d V system: it is charged to %v V, expected less", n.CutoffVolts, n.Class,
			usual.ChargeMaxVolts)
	}
	*n = n.Filled()
	// only how many groups it is to have
	if n.open = n.ChargeMaxVolts == 0 && n.CutoffVolts == 0 && n.Series > 0; n.open && n.StartVolts > 0 {
		return fmt.Errorf("start voltage %v V: expected with it what the device cuts off at", n.StartVolts)
	}
	fields := []struct {
		name string
		v    float64
		low  float64
		high float64
	}{
		{"highest voltage", n.AbsMaxVolts, 0, 1500}, {"charge setting", n.ChargeMaxVolts, 1, 1500},
		{"cut-off", n.CutoffVolts, 0.5, 1500},
		{"load", n.LoadWatts, 0, 1e6}, {"load", n.LoadA, 0, 1e5}, {"charge current", n.ChargeAmps, 0, 1e4}, {"surge",
			n.PeakAmps, 0, 1e4},
		{"wanted energy", n.WantedKWh, 0, 1e5}, {"efficiency", n.Efficiency, 0.3, 1},
	}
	for _, f := range fields {
		if n.open && f.v == 0 {
			continue
		}
		if !(f.v >= f.low && f.v <= f.high) {
			return fmt.Errorf("%s %v: expected %v to %v", f.name, f.v, f.low, f.high)
		}
	}
	if n.open {
		return nil
	}
	return n.ordered()
}

// ordered says where the device's voltages cannot stand beside each other.
func (n Need) ordered() error {
	if !(n.CutoffVolts < n.ChargeMaxVolts) {
		return fmt.Errorf("cut-off %v V: expected below the charge setting of %v V", n.CutoffVolts, n.ChargeMaxVolts)
	}
	if n.AbsMaxVolts != 0 && !(n.ChargeMaxVolts <= n.AbsMaxVolts) {
		return fmt.Errorf("charge setting %v V: expected at most the highest voltage of %v V", n.ChargeMaxVolts,
			n.AbsMaxVolts)
	}
	if n.StartVolts != 0 && !(n.StartVolts >= n.CutoffVolts && n.StartVolts <= n.highest()) {
		return fmt.Errorf("start voltage %v V: expected between the cut-off of %v V and %v V", n.StartVolts,
			n.CutoffVolts, n.highest())
	}
	return nil
}

// Ah is the charge that it holds, within what its modules may hold.
func (o Candidate) Ah() known.Value {
	if o.CapacityAh <= 0 || math.IsInf(o.CapacityAh, 0) {
		return known.Value{}
	}
	from := o.From
	switch {
	case from != known.Unknown:
	case o.Unsure() || o.Untested: // kept before it was written down
		from = known.Assumed
	default:
		from = known.Measured
	}
	if !o.Unsure() {
		return known.Of(o.CapacityAh, from).Times(1)
	}
	return known.Within(o.CapacityAh, min(o.LowAh, o.CapacityAh), max(o.HighAh, o.CapacityAh), from).Times(1)
}

// Usable is the usable energy, kWh: as far as the charge is known, at the same voltages.
func (o Candidate) Usable() known.Value { return o.energyOf(o.UsableKWh) }

// Total is the energy from empty to full, kWh.
func (o Candidate) Total() known.Value { return o.energyOf(o.TotalKWh) }

func (o Candidate) energyOf(kWh float64) known.Value {
	if o.CapacityAh <= 0 {
		return known.Value{}
	}
	return o.Ah().Times(kWh / o.CapacityAh)
}

// Load is the current that the load draws at its cut-off: not known without a load, assumed where the device's cut-off
// or how much it loses stand for what nobody has read.
func (o Candidate) Load() known.Value {
	switch {
	case o.LoadAmps <= 0:
		return known.Value{}
	case o.DeviceTyped:
		return known.Of(o.LoadAmps, known.Typed).Times(1)
	}
	return known.Of(o.LoadAmps, known.Assumed).Times(1)
}

// Unsure reports whether the capacity is an interval.
func (o Candidate) Unsure() bool { return o.HighAh-o.LowAh > 1e-6*o.CapacityAh }

// ranked is a stock with what is asked of it for every count: its capacities in their order, the likely ones, the least
// and the most; the mean 10 s resistance of the modules that have one; and the least that any may hold.
type ranked struct {
	Stock
	likely, low, high match.Ranked
	mohm, least       float64
	from              known.Source // the weakest that its capacities rest on
}

func rank(st Stock) ranked {
	low, high := ranges(st)
	r := ranked{Stock: st, likely: match.Rank(capacities(st)), low: match.Rank(low), high: match.Rank(high),
		mohm: meanMOhm(st), from: known.Measured}
	for _, m := range st.Modules {
		r.from = min(r.from, m.Ah().From())
	}
	if len(low) > 0 {
		r.least = slices.Min(low)
	}
	return r
}

// lay is how many modules of a stock lie in one string.
type lay struct {
	ranked
	k int
}

// build works out the bank of a string with as many in parallel as the wanted energy takes, or all there are.
func build(need Need, str []lay, c chem.Chemistry) Candidate {
	most := math.MaxInt
	for _, l := range str {
		most = min(most, len(l.Modules)/l.k)
	}
	first := at(need, str, c, 1)
	if first.Refused && !slices.ContainsFunc(first.Findings,
		func(f finding.Finding) bool { return f.Code == codeWindowSmall || f.Code == codeCurrentTooHigh }) {
		return first // more in parallel cannot mend a voltage
	}
	if need.WantedKWh <= 0 {
		return at(need, str, c, most)
	}
	// With each more in parallel the charge and the window grow and the current of each falls: once it is enough it
	// stays enough, so that the least is found by halving.
	p := 1 + sort.Search(most-1, func(i int) bool {
		o := at(need, str, c, i+1)
		return o.ReachesWanted && !o.overCurrent()
	})
	return at(need, str, c, p)
}

// at works out a string with p in parallel. In series the charge is that of the least, and so is every limit.
func at(need Need, str []lay, c chem.Chemistry, p int) Candidate {
	series := 0
	for _, l := range str {
		series += l.k * l.Series
	}
	need = need.taking(series, c)
	out := Candidate{Type: str[0].Type, Chemistry: c.ID, Parallel: p, LoadAmps: need.amps(),
		DeviceTyped: need.typed || need.LoadA > 0 && need.LoadWatts <= 0, From: known.Measured}
	out.CapacityAh, out.LowAh, out.HighAh = math.Inf(1), math.Inf(1), math.Inf(1)
	for _, l := range str {
		out.CapacityAh = min(out.CapacityAh, l.likely.Bound(l.k, p))
		out.LowAh, out.HighAh = min(out.LowAh, l.low.Bound(l.k, p)), min(out.HighAh, l.high.Bound(l.k, p))
		out.Series += l.k * l.Series
		out.ModulesInString += l.k
		out.ModulesUsed += l.k * p
		out.LeftOver += len(l.Modules) - l.k*p
		out.ResistanceMOhm30 += l.mohm * thirtySecondsFromTen * float64(l.k) / float64(p)
		out.Untested, out.From = out.Untested || l.Untested, min(out.From, l.from)
		if len(str) > 1 {
			out.Types = append(out.Types, slices.Repeat([]string{l.Type}, l.k)...)
			out.Groups = append(out.Groups, slices.Repeat([]int{l.Series}, l.k)...)
		}
	}
	out.LowAh, out.HighAh = min(out.LowAh, out.CapacityAh), max(out.HighAh, out.CapacityAh)
	out.FullVolts = float64(out.Series) * c.ChargeLimitVolts
	if out.Unrated = slices.ContainsFunc(str, func(l lay) bool { return l.Unrated }); out.Unrated {
		out.CapacityAh, out.LowAh, out.HighAh, out.From = 0, 0, 0, known.Unknown
	}
	if c.ID == "" {
		out.LoadAmps = 0
		out.waits(need)
		out.remarks(need, c)
		return out
	}
	if !out.charging(need, c) {
		out.Refused = true
		return out
	}
	out.fullAbove(need)
	out.discharging(need, c)
	for _, l := range str {
		if l.least > 0 || l.Limits.DischargeAmps > 0 {
			out.currents(need, l.Limits, l.least)
		}
	}
	if out.energy(c, need); out.Unrated {
		out.waits(need)
	}
	out.remarks(need, c)
	return out
}

// amps is the load's current: the amps that were typed, and what its watts draw where it cuts off.
func (n Need) amps() float64 {
	if n.LoadWatts <= 0 {
		return n.LoadA
	}
	return n.LoadA + LoadAmps(n.LoadWatts, n.Efficiency, n.CutoffVolts)
}

// LoadAmps is the current that watts draw at volts through a device of the given efficiency.
func LoadAmps(watts, efficiency, volts float64) float64 { return watts / (efficiency * volts) }

func capacities(st Stock) []float64 {
	out := make([]float64, len(st.Modules))
	for i, m := range st.Modules {
		out[i] = m.CapacityAh
	}
	return out
}

// ranges are the least and the most that each module may hold.
func ranges(st Stock) (low, high []float64) {
	for _, m := range st.Modules {
		l, h := m.Range()
		low, high = append(low, l), append(high, h)
	}
	return low, high
}

// meanMOhm is the mean 10 s resistance of the modules that have one.
func meanMOhm(st Stock) float64 {
	sum, n := 0.0, 0
	for _, m := range st.Modules {
		if m.ResistanceMOhm > 0 {
			sum += m.ResistanceMOhm
			n++
		}
	}
	if n == 0 {
		return 0
	}
	return sum / float64(n)
}

func (o *Candidate) add(f finding.Finding) {
	o.Findings = append(o.Findings, f.Or(fmt.Sprintf("%s, %s", o.Type, numeral.Count(o.Series, "group")),
		rule).Rounded(numeral.Round3))
}

// fullAbove says where full cells exceed what the device survives, so that only the BMS stands between.
func (o *Candidate) fullAbove(need Need) {
	if f, ok := need.FullAbove(o.FullVolts, o.TripVolts); ok {
		o.add(finding.New(f.Level, f.Code).Reads(*f.Measured, f.Unit).Against(*f.Limit).
			Says("%s", f.Text).
			Then("%s", f.Do))
	}
}

// FullAbove judges the volts of full cells against what the device survives; ok is false where they do not exceed it or
// that is not known. trip is the pack voltage at which the BMS opens.
func (n Need) FullAbove(full, trip float64) (f finding.Finding, ok bool) {
	if n.AbsMaxVolts <= 0 || full <= n.AbsMaxVolts+1e-9 {
		return f, false
	}
	return finding.New(finding.Caution, codeFullAboveDevice).About("device").
		Reads(numeral.Round3(full), "V").Against(n.AbsMaxVolts).By(rule).
		Says("Full cells reach %.1f V and exceed the device, which survives %.1f V: only the BMS "+
			"stands between when charging fails.", full, n.AbsMaxVolts).
		Then("Fewer groups in series, or a device that survives more. Else a BMS with a pack trip at %.2f V or less, "+
			"read back and tried.", trip), true
}

// charging finds the charger setting and the pack trip, and reports whether there is one: setting ≤ min(S × group
// ceiling, device's highest setting), setting + tolerance < trip ≤ damage voltage − 2 %.
func (o *Candidate) charging(need Need, c chem.Chemistry) bool {
	s := float64(o.Series)
	damage := need.survives()
	o.TripVolts = min(s*c.Settings.OverVolts, damage)
	o.SettingVolts = min(s*c.Settings.ChargerVolts, need.ChargeMaxVolts, o.TripVolts-SettingToleranceV-0.1)
	o.CeilingVolts = o.SettingVolts / s
	o.FullSoC = c.Curve.SoC(o.CeilingVolts)
	if o.CeilingVolts <= c.FloorVolts || o.FullSoC < LeastUsable {
		o.add(finding.New(finding.Refuse, codeTooManyGroups).
			Reads(o.CeilingVolts, "V").Against(c.Curve.Volts(LeastUsable)).
			Says("Refused: %s allows %.2f V, which is %.3f V per group of %d: less than 30 %% full.", need.device(),
				o.SettingVolts, o.CeilingVolts, o.Series).
			Then("Use fewer groups in series, or another device.").Resting(need.rests()))
		return false
	}
	switch {
	case o.FullSoC < 0.995 && o.SettingVolts > s*c.Settings.ChargerVolts-1e-9:
		o.add(finding.New(finding.Note, codeTopUnused).Reads(o.FullSoC*100, "%").Against(100).
			Says("The usual setting of %.2f V per group leaves %.0f %% at the top unused, for a longer life.",
				o.CeilingVolts, (1-o.FullSoC)*100).
			Then("Nothing: it is kind to the cells."))
	case o.FullSoC < 0.995:
		o.add(finding.New(finding.Note, codeChargeCut).Reads(o.CeilingVolts, "V").Against(c.Settings.ChargerVolts).
			Says("Charging stops at %.2f V, %.3f V per group: the new full is %.0f %%.", o.SettingVolts,
				o.CeilingVolts, o.FullSoC*100).
			Then("Set the charger to this voltage, not to a lead-acid profile."))
	}
	return true
}

// discharging finds the state of charge at which the bank is empty: the device's cut-off under
// load, or the cells' floor, whichever comes first.
func (o *Candidate) discharging(need Need, c chem.Chemistry) {
	s := float64(o.Series)
	byDevice := (need.CutoffVolts + o.LoadAmps*(o.ResistanceMOhm30+PathMilliOhms)/1000) / s
	byCells := c.FloorVolts + o.LoadAmps*o.ResistanceMOhm30/1000/s
	byBMS := c.Settings.UnderVolts + o.LoadAmps*o.ResistanceMOhm30/1000/s
	o.EmptyRestVolts = max(byDevice, byCells, byBMS)
	o.EndsOnCells = byCells > byDevice
	o.EndsOnBMS = byBMS > byDevice
	o.EmptySoC = c.Curve.SoC(o.EmptyRestVolts)
	o.UsableShare = o.FullSoC - o.EmptySoC
	switch {
	case o.UsableShare < LeastUsable:
		o.Refused = true
		o.add(finding.New(finding.Refuse, codeWindowSmall).
			Reads(max(0, o.UsableShare)*100, "%").Against(LeastUsable*100).
			Says("Refused: only %.0f %% of the charge lies between the limits of %s: it cuts off at %.2f V, "+
				"where a group rests at %.3f "+
				"V.", max(0, o.UsableShare)*100, need.device(), need.CutoffVolts, o.EmptyRestVolts).
			Then("Use another series count, or another device.").Resting(need.rests()))
	case o.EmptySoC > 0.02:
		o.add(finding.New(finding.Note, codeBottomUnused).Reads(o.EmptySoC*100, "%").Against(2).
			Says("%s cuts off with %.0f %% still in the cells.", upper(need.device()), o.EmptySoC*100).
			Then("Nothing: it is kind to the cells. Lower the cut-off if the device allows.").Resting(need.rests()))
	}
	trip := s * c.Settings.UnderVolts
	cure := fmt.Sprintf("Set the device's cut-off to %.1f V or more.", trip+SettingToleranceV)
	if low := need.CutoffVolts/s - 0.02; low >= c.FloorVolts+0.05 {
		cure = fmt.Sprintf("Set the device's cut-off to %.1f V or more, or the BMS's group under-voltage to %.2f V.",
			trip+SettingToleranceV, math.Floor(low*100)/100)
	}
	switch {
	case o.EndsOnCells && !need.open:
		o.add(finding.New(finding.Caution, codeCellsFirst).Reads(need.CutoffVolts/s, "V").
			Against(byCells).
			Says("The weakest group reaches its floor of %.2f V before %s cuts off at %.2f V: the BMS will "+
				"drop the load.",
				c.FloorVolts, need.device(), need.CutoffVolts).
			Then("%s", cure).Resting(need.rests()))
	case !need.open && (o.EndsOnBMS || need.CutoffVolts <= trip):
		o.add(finding.New(finding.Caution, codeBMSFirst).Reads(need.CutoffVolts, "V").
			Against(trip).
			Says("A BMS usually trips at %.1f V (%d × %.2f V), and %s cuts off at %.1f V, not above it: the "+
				"BMS and not the device ends a "+
				"discharge.", trip, o.Series, c.Settings.UnderVolts, need.device(), need.CutoffVolts).
			Then("%s", cure).Resting(need.rests()))
	}
	if steep := c.TopBalanceVolts; steep > 0 && o.CeilingVolts < steep-1e-9 {
		o.add(finding.New(finding.Caution, codeNoTopBalance).Reads(o.CeilingVolts, "V").Against(steep).
			Says("At %.3f V per group the cells stay on the flat part of their curve: the BMS cannot "+
				"balance them there.", o.CeilingVolts).
			Then("Top-balance by hand before service, and again "+
				"when the survey says so; or use fewer groups, so that charging reaches %.2f V per group.", steep))
	}
}

// currents compares load, surge and charge, shared over the modules in parallel, with what one takes.
// A current must be borne by the weakest that there may be, which holds least amp hours.
func (o *Candidate) currents(need Need, limits Limits, least float64) {
	lim, typical := limits.Of(least)
	source := ""
	if typical {
		source = " (typical for its capacity: enter the maker's figures)"
	}
	p := float64(o.Parallel)
	judge := func(what string, amps, continuous, peak float64, rests known.Source) {
		each := amps / p
		switch {
		case amps <= 0:
		case each > peak+1e-9:
			o.Refused = true
			o.add(finding.New(finding.Refuse, codeCurrentTooHigh).Reads(each, "A").Against(peak).
				Says("Refused: %s of %.0f A is %.0f A for each module, %.1f C; it bears %.0f A for seconds%s.", what,
					amps, each, each/least, peak, source).
				Then("Put at least %.0f in parallel, or lower the current.", math.Ceil(amps/continuous)).Resting(rests))
		case each > continuous+1e-9:
			o.add(finding.New(finding.Caution, codeCurrentHigh).Reads(each, "A").Against(continuous).
				Says("%s of %.0f A is %.0f A for each module; it bears %.0f A for ever%s.", upper(what), amps, each,
					continuous, source).
				Then("Put at least %.0f in parallel, or limit it to %.0f A.", math.Ceil(amps/continuous),
					math.Floor(continuous*p)).Resting(rests))
		}
	}
	load, rests := "the load", known.Typed
	switch {
	case need.LoadA > 0 && need.LoadWatts <= 0: // amps are what they are, whatever the device cuts off at
	case need.open:
		load, rests = "the load, with the cells at their floor and a usual efficiency,", known.Assumed
	case need.cutoff:
		load, rests = "the load, by a usual efficiency,", known.Assumed
	case !need.typed:
		load, rests = "the load, by a usual cut-off and efficiency,", known.Assumed
	}
	judge(load, o.LoadAmps, lim.DischargeAmps, lim.PeakAmps, rests)
	judge("the surge", need.PeakAmps, lim.PeakAmps, lim.PeakAmps, known.Typed)
	judge("the charge", need.ChargeAmps, lim.ChargeAmps, lim.ChargePeak, known.Typed)
}

// overCurrent reports whether a current is above what the modules bear for ever.
func (o *Candidate) overCurrent() bool {
	return slices.ContainsFunc(o.Findings, func(f finding.Finding) bool {
		return f.Code == codeCurrentHigh || f.Code == codeCurrentTooHigh
	})
}

func upper(s string) string { return strings.ToUpper(s[:1]) + s[1:] }

// Open says in a sentence what is not known of it, "" for nothing.
func (o Candidate) Open() string {
	switch {
	case o.Chemistry == "" && o.CapacityAh <= 0:
		return "Neither its chemistry nor its amp hours are known: volts of charge, energy and hours wait for them."
	case o.Chemistry == "":
		return "Its chemistry is not declared: volts of charge and energy wait for it."
	case o.CapacityAh <= 0:
		return "Its amp hours are not known: energy and hours wait for them."
	}
	return ""
}

// waits says what is not judged because nobody knows the amp hours of its modules, or of what they are made.
func (o *Candidate) waits(need Need) {
	o.ReachesWanted = need.WantedKWh <= 0
	if o.Chemistry == "" {
		o.add(finding.New(finding.Stop, codeChemistryOpen).Reads(o.FullVolts, "V").
			Says("The chemistry is not declared: window, settings, energy and charge wait for it. By its volts it can "+
				"reach %.1f V at most.", o.FullVolts).
			Then("Declare it on the page of its type, from a label or a data sheet. Nothing is charged before."))
	}
	if o.Unrated {
		o.add(finding.New(finding.Caution, codeAhOpen).
			Says("Nothing is known of the amp hours of its modules: energy, hours, currents by capacity and " +
				"the plan of a test wait for them.").
			Then("Type a label, a claim or a result once there is one. What needs no amp hours goes on without."))
	}
}

// energy integrates the rest curve over the window, less what the load loses in the bank's own resistance.
func (o *Candidate) energy(c chem.Chemistry, need Need) {
	s := float64(o.Series)
	between := func(from, to float64) float64 {
		const n = 400
		sum := 0.0
		for i := range n {
			sum += c.Curve.Volts(from + (to-from)*(float64(i)+0.5)/n)
		}
		return sum / n * (to - from)
	}
	o.TotalKWh = o.CapacityAh * s * between(0, 1) / 1000
	if o.Refused || o.CapacityAh <= 0 {
		return
	}
	lossVolts := o.LoadAmps * o.ResistanceMOhm30 / 1000
	o.UsableKWh = max(0, o.CapacityAh*(s*between(o.EmptySoC, o.FullSoC)-lossVolts*o.UsableShare)/1000)
	o.ReachesWanted = o.UsableKWh >= need.WantedKWh
	if !o.ReachesWanted {
		o.add(finding.New(finding.Caution, codeEnergyShort).Reads(o.UsableKWh, "kWh").Against(need.WantedKWh).
			Says("%.2f kWh usable, %.2f wanted: all %s of this type are used.",
				o.UsableKWh, need.WantedKWh, numeral.Count(o.ModulesUsed, "module")).
			Then("Add modules, or lower the want."))
	} else if low := o.Usable().Low(); low < need.WantedKWh && need.WantedKWh > 0 {
		o.add(finding.New(finding.Caution, codeEnergyUnsure).Reads(low, "kWh").Against(need.WantedKWh).
			Says("Likely %.2f kWh usable, but it may be no more than %.2f: modules of "+
				"it were never tested.", o.UsableKWh, low).
			Then("Test those that decide most, or put more in parallel."))
	}
}

func (o *Candidate) remarks(need Need, c chem.Chemistry) {
	touch := limits.TouchVolts(need.WetPlace)
	if o.FullVolts > touch {
		o.add(finding.New(finding.Stop, limits.HighVoltage).Reads(o.FullVolts, "V").Against(touch).
			Says("%s, above %.0f V: a shock can kill.", chem.FullText(o.FullVolts, o.Chemistry), touch).
			Then("Treat every step above the limit as high-voltage work: isolation checks, a " +
				"second person, protective equipment, licensed practice."))
	}
	o.starting(need, c)
}

// Open says what of a need was not given, and so was not checked of any way to meet it.
func Open(need Need) (out []finding.Finding) {
	note := func(code, text, do string) {
		out = append(out, finding.New(finding.Caution, code).About("device").By(rule).
			Says("%s", text).
			Then("%s", do).At(finding.PlaceNeed))
	}
	n := need.Filled()
	if n.ChargeMaxVolts == 0 && n.CutoffVolts == 0 {
		note(codeDeviceOpen, "Nothing is known of the device: charge to full groups and a cut-off at their "+
			"floor stand for its voltages, which no device has to have.",
			"Read its cut-off, its charge setting and its highest voltage "+
				"from its data sheet before anything is connected.")
	}
	if n.assumed {
		note(codeDeviceTypical, fmt.Sprintf("The device's own voltages are not known: %.1f V of charge and %.1f V of "+
			"cut-off are what %d V devices usually take.", n.ChargeMaxVolts, n.CutoffVolts, n.Class),
			"Read them from its data sheet before the bank is connected.")
	}
	if n.AbsMaxVolts <= 0 {
		note(codeDeviceMaxUnknown, "Not checked: whether the device survives what full cells reach when charging "+
			"fails. Its absolute maximum input was not "+
			"given.", "Read it from its data sheet before the bank is connected.")
	}
	if n.LoadWatts <= 0 && n.LoadA <= 0 {
		note(codeLoadUnknown, "Not checked: whether cells, BMS, fuse and cables carry the load. It was not given.",
			"Write the load down once it is known: it is judged then.")
	}
	return out
}

// starting refuses a bank that never reaches the voltage at which the device starts.
func (o *Candidate) starting(need Need, c chem.Chemistry) {
	start := need.StartVolts
	if start <= 0 || o.Refused {
		return
	}
	if full := float64(o.Series) * c.Curve.Volts(o.FullSoC); full < start {
		o.Refused = true
		o.add(finding.New(finding.Refuse, codeWillNotStart).Reads(full, "V").Against(start).
			Says("Refused: the full bank rests at %.2f V, and the device starts at %.2f V.", full, start).
			Then("Use more groups in series, or another device."))
	}
}

// Key names a candidate among those of one need: the types and how many of each, groups, strings, and whether untested
// modules are counted.
func (o Candidate) Key() string {
	what := o.Type
	if len(o.Types) > 0 {
		what = o.Mix()
	}
	stock := "tested"
	switch {
	case o.Unrated:
		stock = "unrated"
	case o.Untested:
		stock = "all"
	}
	return fmt.Sprintf("%s|%d|%d|%s", what, o.Series, o.Parallel, stock)
}

// Mix says what lies in one string, where that is more than one type: 1 × TRIKE-7 + 3 × TRIKE-2.
func (o Candidate) Mix() string {
	if len(o.Types) == 0 {
		return fmt.Sprintf("%d × %s", o.ModulesInString, o.Type)
	}
	var parts []string
	for i := 0; i < len(o.Types); {
		k := i
		for k < len(o.Types) && o.Types[k] == o.Types[i] {
			k++
		}
		parts = append(parts, fmt.Sprintf("%d × %s", k-i, o.Types[i]))
		i = k
	}
	return strings.Join(parts, " + ")
}

// Summary returns the mean and least capacity of a stock in Ah, and how many modules it has.
func (st Stock) Summary() (meanAh, leastAh float64, n int) {
	n = len(st.Modules)
	if n == 0 {
		return 0, 0, 0
	}
	c := capacities(st)
	for _, q := range c {
		meanAh += q / float64(n)
	}
	return meanAh, slices.Min(c), n
}

// Rate gives a candidate of which nothing was known its capacity, and the energies that follow from it.
func (o *Candidate) Rate(ah float64, own *chem.Curve) {
	c, err := chem.Lookup(o.Chemistry)
	if err != nil || !(ah > 0) {
		return
	}
	o.CapacityAh, o.LowAh, o.HighAh, o.Unrated = ah, ah, ah, false
	found := o.Findings
	o.energy(c.WithCurve(own), Need{})
	o.Findings = slices.DeleteFunc(found, func(f finding.Finding) bool { return f.Code == codeAhOpen })
}

// Part is one module in its place, for CapacityOf.
type Part struct {
	Position, Mate int
	CapacityAh     float64
}

// CapacityOf is the capacity in Ah of modules in their places: parallel first the least sum of a position,
// strings first the sum of each string's least module.
func CapacityOf(parts []Part, stringsFirst bool) float64 {
	sums, least := map[int]float64{}, map[int]float64{}
	for _, p := range parts {
		sums[p.Position] += p.CapacityAh
		if v, ok := least[p.Mate]; !ok || p.CapacityAh < v {
			least[p.Mate] = p.CapacityAh
		}
	}
	out := 0.0
	if stringsFirst {
		for _, v := range least {
			out += v
		}
		return out
	}
	out = math.Inf(1)
	for _, v := range sums {
		out = min(out, v)
	}
	return out
}
