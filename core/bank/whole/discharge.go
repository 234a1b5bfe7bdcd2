package whole

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/bank/balance"
	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// Test is a discharge of a whole bank. AtStart are the group voltages at rest before it, AtRest those 30 minutes and
// more after its end, nil where they were not read.
type Test struct {
	CapacityAh float64   `json:"CapacityAh"`
	EnergyWh   float64   `json:"EnergyWh"` // 0 not counted
	Amps       float64   `json:"Amps"`     // mean, 0 not known
	TempC      *float64  `json:"TempC"`
	FromFull   bool      `json:"FromFull"` // it began with every group full
	EndedBy    int       `json:"EndedBy"`  // the group that reached its floor first, 0 where something else ended it
	EndVolts   float64   `json:"EndVolts"` // of that group under load, 0 not read
	AsFound    bool      `json:"AsFound"`  // it began when the first group was full, as the bank stood
	AtStart    []float64 `json:"AtStart"`
	AtRest     []float64 `json:"AtRest"`
	// of each group at the end, between these, worked out from AtRest
	LeftAh [][2]float64 `json:"LeftAh"`
	// what it would give once every group is full at the start, worked out; 0 for not known
	BalancedAh [2]float64 `json:"BalancedAh"`
	ModuleAh   float64    `json:"ModuleAh"`          // the share of one module, worked out
	Complete   bool       `json:"Complete"`          // from full to a group's floor, worked out
	OfWh       bool       `json:"OfWh,omitempty"`    // only its energy was counted: CapacityAh is what flowed at least
	Checked    bool       `json:"Checked,omitempty"` // what is far from what was expected was looked at a second time
	Stopped    []Stop     `json:"Stopped,omitempty"` // groups that stood where none may, worked out
}

// Stop is a group that stood where no group may in a test of its bank: nothing is charged until it was read again.
type Stop struct {
	Group   int             `json:"Group"`
	Volts   float64         `json:"Volts"`
	Modules []string        `json:"Modules,omitempty"` // that share it, none where not known
	Finding finding.Finding `json:"Finding"`
}

// SlipError is a figure that no bank gives, or that this one is far from: it names the field as forms do.
type SlipError struct{ Field, Text string }

func (e *SlipError) Error() string { return e.Text }

func slip(field, format string, args ...any) error {
	return &SlipError{field, fmt.Sprintf(format, args...)}
}

// What a figure may be of what a bank should give before it is asked about.
const (
	mostOfExpected  = 1.5
	leastOfExpected = 0.19 // from full to a group's floor
)

// GainAh is what balancing would add at least and at most, both 0 where that cannot be told.
func (t Test) GainAh() (low, high float64) {
	if t.BalancedAh[1] == 0 {
		return 0, 0
	}
	return max(0, t.BalancedAh[0]-t.CapacityAh), max(0, t.BalancedAh[1]-t.CapacityAh)
}

// Expected is what a bank should have given: the interval from its modules, 0 for none. Parallel is how many modules
// share the charge.
type Expected struct {
	Bank
	LowAh, HighAh float64
	RatedAh       float64 // 0 not known
	Parallel      int
	Last          *Test      // the run before
	Groups        []string   // what each group is: of which module it is which, none where not known
	Modules       [][]string // which modules share each group, none where not known
}

// group names a group, with its module where that is known.
func (e Expected) group(n int) string {
	if n < 1 {
		return "A group"
	}
	if n > len(e.Groups) || e.Groups[n-1] == "" {
		return fmt.Sprintf("Group %d", n)
	}
	return fmt.Sprintf("Group %d, %s,", n, e.Groups[n-1])
}

// aboveFloor is how far above its floor a group may be read as having ended a discharge.
const aboveFloor = 0.1

// ofEnergy is what flowed at least where only the energy was counted: no group stood above its limit.
func (t *Test) ofEnergy(e Expected) {
	if t.CapacityAh != 0 || !(t.EnergyWh > 0) || e.Series < 1 {
		return
	}
	limit := chem.MostChargeVolts()
	if c, err := chem.Lookup(e.Chemistry); err == nil {
		limit = c.ChargeLimitVolts
	}
	t.OfWh, t.CapacityAh = true, t.EnergyWh/(float64(e.Series)*limit)
}

// JudgeTest judges a discharge of a whole bank: whether it is a capacity, which group ended it, what the others had
// left, and how that stands to the run before and to the sum of its modules. It fails for numbers no bank gives.
func JudgeTest(t Test, e Expected) (Test, []finding.Finding, error) {
	t.ofEnergy(e)
	if err := checkTest(t, e); err != nil {
		return t, nil, err
	}
	var out []finding.Finding
	add := func(f finding.Finding) { out = append(out, f.Or(e.Name, rule)) }
	c, err := chem.Lookup(e.Chemistry)
	declared := err == nil
	t.ModuleAh = t.CapacityAh / float64(max(1, e.Parallel))
	t.Complete = !t.OfWh && (t.FromFull || t.AsFound) && t.EndedBy > 0 && declared && t.EndVolts > 0 && t.EndVolts <=
		c.FloorVolts+aboveFloor
	switch {
	case t.OfWh:
		add(finding.New(finding.Note, codePartOfADischarge).Reads(t.EnergyWh/1000, "kWh").
			Says("At least %.1f kWh: its energy alone was counted, so that %.0f Ah and more flowed.", t.EnergyWh/1000,
				math.Floor(t.CapacityAh)).
			Then("Count the amp hours too, from full to the first group at its floor, under watch: that is a " +
				"capacity."))
	case !t.Complete:
		add(finding.New(finding.Note, codePartOfADischarge).Reads(t.CapacityAh, "Ah").
			Says("At least %.1f Ah: a capacity only from full to the first group at its floor.", t.CapacityAh).
			Then("Charge it full, let it rest, and discharge it until the first group is at its floor, under watch."))
	}
	t.Stopped = Stops(t, e)
	for _, x := range t.Stopped {
		out = append(out, x.Finding)
	}
	if t.EndedBy > 0 {
		text := e.group(t.EndedBy) + " ended it."
		if declared {
			t.LeftAh = leftOf(t, e, c)
		}
		if left := t.others(); left != "" {
			text += " " + left
		}
		add(finding.New(finding.Note, codeEndedBy).Reads(float64(t.EndedBy), "group").
			Says("%s", text).
			Then("Balance at the top and test again: where the same group ends it again, it is the " +
				"weakest; where another does, it was behind in charge."))
	}
	if e.RatedAh > 0 && t.Complete {
		add(finding.New(finding.Note, codeOfRated).Reads(math.Floor(t.CapacityAh/e.RatedAh*1000)/10, "%").Against(100).
			Says("%.1f of %.1f Ah rated: %.1f %%.", t.CapacityAh, e.RatedAh,
				math.Floor(t.CapacityAh/e.RatedAh*1000)/10).
			Then("Compare only with runs under the same conditions."))
	}
	if declared {
		t.gain(e, c, add)
	}
	judgeAgainst(t, e, add)
	return t, finding.Sorted(out), nil
}

// Stops lists the groups that stood where none may, before the discharge, at its end or at rest after it: a whole
// bank's figures hide them. A group is listed for each time that it was read so.
func Stops(t Test, e Expected) (out []Stop) {
	c, err := chem.Lookup(e.Chemistry)
	if err != nil {
		return nil
	}
	if t.EndVolts > 0 && t.EndVolts < c.NeverRechargeVolts {
		out = append(out, e.stop(t.EndedBy, codeDrivenTooLow, t.EndVolts, c.NeverRechargeVolts,
			fmt.Sprintf("%s was driven to %.2f V, below %.2f V.", e.group(t.EndedBy), t.EndVolts, c.NeverRechargeVolts),
			readAgain))
	}
	return append(append(out, e.StopsAt("before it", t.AtStart)...), e.StopsAt("at rest after it", t.AtRest)...)
}

const readAgain = "Do not charge it. Read that group again at rest: that second reading decides."

// StopsAt lists the groups that stood where none may when they were read; when says it in a sentence.
func (e Expected) StopsAt(when string, volts []float64) (out []Stop) {
	c, err := chem.Lookup(e.Chemistry)
	if err != nil {
		return nil
	}
	for i, v := range volts {
		switch most := c.ChargeLimitVolts + chem.OverToleranceVolts + 1e-9; {
		case v < 0:
			out = append(out, e.stop(i+1, codeGroupReversed, v, 0,
				fmt.Sprintf("%s was at %.2f V %s: reversed, or read "+
					"with swapped probes.", e.group(i+1), v, when),
				"Switch the bank off and read that group again. Where it "+
					"stays, never charge it."))
		case v < c.NeverRechargeVolts:
			out = append(out, e.stop(i+1, codeGroupTooLow, v, c.NeverRechargeVolts, fmt.Sprintf("%s was at %.2f V %s, "+
				"below %.2f V.", e.group(i+1), v, when, c.NeverRechargeVolts), readAgain))
		case v > most:
			out = append(out, e.stop(i+1, codeGroupTooHigh, v, most,
				fmt.Sprintf("%s was at %.2f V %s, above its limit "+
					"of %.2f V.", e.group(i+1), v, when, c.ChargeLimitVolts),
				"Do not charge on. Read that group again; find "+
					"what let it rise."))
		}
	}
	return out
}

// stop is one group that stood where none may, with the modules that share it; group 0 is any of them.
func (e Expected) stop(g int, code string, v, limit float64, text, do string) Stop {
	x := Stop{Group: g, Volts: v, Finding: finding.New(finding.Stop, code).About(e.Name).
		Reads(v, "V").From(known.Measured).Against(limit).By(rule).
		Says("%s", text).
		Then("%s", do)}
	switch {
	case g >= 1 && g <= len(e.Modules):
		x.Modules = e.Modules[g-1]
	case g < 1:
		x.Modules = slices.Compact(slices.Sorted(slices.Values(slices.Concat(e.Modules...))))
	}
	return x
}

// LastRead is what each group was last read at rest in the test, before where it was not.
func (t Test) LastRead(before []float64) []float64 {
	switch {
	case len(t.AtRest) > 0:
		return t.AtRest
	case len(t.AtStart) > 0:
		return t.AtStart
	}
	return before
}

// checkTest fails for what no bank gives, and asks about what this one is not expected to.
//
// In one piece: each figure is held against the others in turn, and the first that cannot stand beside them is named.
func checkTest(t Test, e Expected) error {
	c, err := chem.Lookup(e.Chemistry)
	if err != nil { // any of them
		c.FloorVolts, c.ChargeLimitVolts = 1.5, 4.2
	}
	switch {
	case !(t.CapacityAh > 0 && t.CapacityAh < 1e6):
		return slip("capacity_ah", "expected what the bank gave, above 0 Ah; or its energy")
	case !(t.EnergyWh >= 0 && t.EnergyWh < 1e9) || !(t.Amps >= 0 && t.Amps < 1e5):
		return slip("energy_wh", "%v Wh at %v A: expected 0 or more", t.EnergyWh, t.Amps)
	case t.EndedBy < 0 || t.EndedBy > e.Series:
		return slip("ended_by", "group %d: expected 1 to %d, 0 where no group ended it", t.EndedBy, e.Series)
	case !(t.EndVolts >= 0 && t.EndVolts <= mostGroupVolts):
		return slip("end_v", "%v V at the end: expected one group's voltage, %g V at most", t.EndVolts, mostGroupVolts)
	case t.FromFull && t.AsFound:
		return slip("as_found", "it began either with every group full, or when the first was: not both")
	case len(t.AtStart) != 0 && len(t.AtStart) != e.Series:
		return slip("start_grid", "%s before it of %s: expected one for each group, or none",
			numeral.Count(len(t.AtStart), "voltage"), numeral.Count(e.Series, "group"))
	case len(t.AtRest) != 0 && len(t.AtRest) != e.Series:
		return slip("grid", "%s at rest of %s: expected one for each group, or none", numeral.Count(len(t.AtRest),
			"voltage"),
			numeral.Count(e.Series, "group"))
	}
	if each := t.EnergyWh / t.CapacityAh / float64(max(1, e.Series)); t.EnergyWh > 0 && e.Series > 0 &&
		(each < c.FloorVolts || each > c.ChargeLimitVolts+chem.OverToleranceVolts) {
		return slip("energy_wh", "%.0f Wh over %.1f Ah are %.2f V a group in the mean: expected %.1f to %.1f V, so "+
			"%.0f to %.0f Wh", t.EnergyWh, t.CapacityAh, each, c.FloorVolts, c.ChargeLimitVolts,
			t.CapacityAh*float64(e.Series)*c.FloorVolts, t.CapacityAh*float64(e.Series)*c.ChargeLimitVolts)
	}
	for g, v := range t.AtRest {
		if !(v > -mostGroupVolts && v <= mostGroupVolts) {
			return slip("grid", "group %d at %v V: expected %g V at most", g+1, v, mostGroupVolts)
		}
	}
	for g, v := range t.AtStart {
		if !(v > -mostGroupVolts && v <= mostGroupVolts) {
			return slip("start_grid", "group %d at %v V: expected %g V at most", g+1, v, mostGroupVolts)
		}
	}
	if t.Checked {
		return nil
	}
	low, high := e.should()
	switch {
	case high > 0 && t.CapacityAh > mostOfExpected*high:
		return slip("capacity_ah", "%.1f Ah is %.1f times the %.0f Ah that it can hold: a slip of the point, or "+
			"another bank's figure. If it is so, tick that it was checked", t.CapacityAh, t.CapacityAh/high, high)
	case low > 0 && (t.FromFull || t.AsFound) && t.EndedBy > 0 && t.CapacityAh < leastOfExpected*low:
		return slip("capacity_ah", "%.1f Ah is %.0f %% of the %.0f Ah that it should hold: a slip of the point looks "+
			"like that. If it is so, tick that it was checked", t.CapacityAh, t.CapacityAh/low*100, low)
	}
	return nil
}

// mostGroupVolts is more than any group can show.
const mostGroupVolts = 5.0

// should is what a bank should hold: by its modules, else by its rating, else by its last complete run; 0 for
// not known.
func (e Expected) should() (low, high float64) {
	switch {
	case e.HighAh > 0:
		return e.LowAh, max(e.HighAh, e.RatedAh)
	case e.RatedAh > 0:
		return e.RatedAh, e.RatedAh
	case e.Last != nil && e.Last.Complete:
		return e.Last.CapacityAh, e.Last.CapacityAh
	}
	return 0, 0
}

// leftOf is what each group had left at the end: its charge by its rest voltage, of its own capacity, which is what
// flowed over the part of its curve that it crossed. Where it began is its voltage before, else full where every group
// was; where neither is known it may have begun anywhere above. An interval of amp hours, its upper end 0 where nothing
// bounds it.
func leftOf(t Test, e Expected, c chem.Chemistry) (left [][2]float64) {
	c = c.WithCurve(e.Curve)
	for g, v := range t.AtRest {
		s := c.Curve.SoCInterval(v, balance.NoiseVolts)
		least, most := ownAh(t, c, g, s)
		left = append(left, [2]float64{s.Low * least, s.High * most})
	}
	return left
}

// ownAh bounds the capacity of a group by what flowed and the charge that it ended with; most is 0 where nothing bounds
// it from above.
func ownAh(t Test, c chem.Chemistry, g int, to chem.Interval) (least, most float64) {
	from := chem.Interval{Low: 0, High: 1}
	switch {
	case g < len(t.AtStart):
		from = c.Curve.SoCInterval(t.AtStart[g], balance.NoiseVolts)
	case t.FromFull:
		from.Low = fullFrom
	}
	if d := from.High - to.Low; d > 0 {
		least = t.CapacityAh / d
	}
	if d := from.Low - to.High; d > 0 {
		most = t.CapacityAh / d
	}
	return least, most
}

// fullFrom is the charge from which a group counts as full.
const fullFrom = 0.98

// others says what the groups but the one that ended it had left.
func (t Test) others() string {
	low, high, open := math.Inf(1), 0.0, false
	for g, l := range t.LeftAh {
		if g+1 != t.EndedBy {
			low, high, open = min(low, l[0]), max(high, l[1]), open || l[1] < l[0] || l[1] == 0
		}
	}
	switch {
	case math.IsInf(low, 1):
		return ""
	case open:
		return fmt.Sprintf("The others had about %.0f Ah left at least.", math.Floor(low))
	}
	return fmt.Sprintf("The others had about %.0f to %.0f Ah left.", math.Floor(low), math.Ceil(high))
}

// gainShare is the gain from which balancing is worth the time.
const gainShare = 0.02

// gain works out what the bank would give once every group is full at the start: what flowed, over the part of its
// curve that each group crossed; the least of them. A bank that began with every group full has nothing to gain.
func (t *Test) gain(e Expected, c chem.Chemistry, add func(finding.Finding)) {
	if !t.Complete || t.FromFull {
		return
	}
	if len(t.AtStart) != e.Series || len(t.AtRest) != e.Series {
		add(finding.New(finding.Note, codeGainOpen).
			Says("What balancing would add needs every group's voltage at rest before and after.").
			Then("Read them next time."))
		return
	}
	c = c.WithCurve(e.Curve)
	low, high := math.Inf(1), math.Inf(1)
	for g := range t.AtStart {
		least, most := ownAh(*t, c, g, c.Curve.SoCInterval(t.AtRest[g], balance.NoiseVolts))
		if !(least > 0) {
			return // it did not fall: these are not voltages before and after
		}
		low = min(low, least)
		if most > 0 {
			high = min(high, most)
		}
	}
	if math.IsInf(high, 1) || high > 2*t.CapacityAh {
		add(finding.New(finding.Note, codeGainOpen).
			Says("The voltages lie where the curve is flat: what balancing would add cannot be told from them.").
			Then("Balance at the top and test again: the two runs tell."))
		return
	}
	t.BalancedAh = [2]float64{max(low, t.CapacityAh), max(high, t.CapacityAh)}
	least, most := t.GainAh()
	text := fmt.Sprintf("As found %.1f Ah. After a top balance between %.0f and %.0f Ah: %.1f to %.1f Ah still "+
		"to be had.", t.CapacityAh, math.Floor(t.BalancedAh[0]), math.Ceil(t.BalancedAh[1]), least, most)
	if do := "Balance at the top, and test again."; most >= gainShare*t.CapacityAh {
		add(finding.New(finding.Note, codeGain).Reads(least, "Ah").Against(most).
			Says("%s", text).
			Then("%s", do))
		return
	}
	add(finding.New(finding.Note, codeNoGain).Reads(most, "Ah").Against(gainShare*t.CapacityAh).
		Says("As found %.1f Ah: balancing would add less than %.0f %%.", t.CapacityAh, gainShare*100).
		Then("Nothing: its weakest group limits it."))
}

// differs is how far two runs of a bank may lie apart by their instruments alone, as a share.
const differs = 0.03

// judgeAgainst compares a run with the one before it and with what the modules should give.
func judgeAgainst(t Test, e Expected, add func(finding.Finding)) {
	if l := e.Last; l != nil && l.Complete && t.Complete {
		d := t.CapacityAh - l.CapacityAh
		switch {
		case l.AsFound && t.FromFull:
			add(finding.New(finding.Note, codeAfterBalance).Reads(t.CapacityAh, "Ah").Against(l.CapacityAh).
				Says("As found %.1f Ah, after a top balance %.1f Ah: balancing gave "+
					"%+.1f Ah.", l.CapacityAh, t.CapacityAh, d).
				Then("This is the figure to set the bank by."))
		case math.Abs(d) <= differs*l.CapacityAh:
			add(finding.New(finding.Note, codeAsBefore).Reads(t.CapacityAh, "Ah").Against(l.CapacityAh).
				Says("As the run before, within %.0f %%: %.1f and %.1f Ah.", differs*100, l.CapacityAh, t.CapacityAh).
				Then("Nothing."))
		case d > 0:
			add(finding.New(finding.Note, codeMoreThanBefore).Reads(t.CapacityAh, "Ah").Against(l.CapacityAh).
				Says("%.1f Ah more than the run before: %s.", d, why(t, *l)).
				Then("Test again while it still grows."))
		default:
			add(finding.New(finding.Caution, codeLessThanBefore).Reads(t.CapacityAh, "Ah").Against(l.CapacityAh).
				Says("%.1f Ah less than the run before: %s.", -d, why(t, *l)).
				Then("Survey every group at rest, look for one that leaks or lags, and compare the " +
					"conditions of both runs."))
		}
	}
	if e.LowAh <= 0 || !t.Complete {
		return
	}
	switch {
	case t.CapacityAh < (1-differs)*e.LowAh:
		add(finding.New(finding.Caution, codeLessThanItsModules).Reads(t.CapacityAh, "Ah").Against(e.LowAh).
			Says("%.1f Ah, less than the %.0f Ah that its modules should give at least.", t.CapacityAh, e.LowAh).
			Then("Balance at the top first: unequal charge costs capacity that no module lost. Then test again."))
	case t.CapacityAh > (1+differs)*e.HighAh:
		add(finding.New(finding.Caution, codeMoreThanItsModules).Reads(t.CapacityAh, "Ah").Against(e.HighAh).
			Says("%.1f Ah, more than the %.0f Ah that its modules can give.", t.CapacityAh, e.HighAh).
			Then("Check the shunt, its scale and the number of strings before this is believed."))
	default:
		add(finding.New(finding.Note, codeAsItsModules).Reads(t.CapacityAh, "Ah").Against(e.LowAh).
			Says("Within what its modules should give: %.0f to %.0f Ah.", math.Floor(e.LowAh), math.Ceil(e.HighAh)).
			Then("Nothing."))
	}
}

// why says what may lie behind a difference between two runs.
func why(now, before Test) string {
	switch {
	case now.EndedBy != before.EndedBy:
		return fmt.Sprintf("then group %d ended it, now group %d", before.EndedBy, now.EndedBy)
	case now.Amps > 0 && before.Amps > 0 && math.Abs(now.Amps-before.Amps) > 0.2*before.Amps:
		return fmt.Sprintf("at %.0f A, then at %.0f A", now.Amps, before.Amps)
	case now.TempC != nil && before.TempC != nil && math.Abs(*now.TempC-*before.TempC) > 5:
		return fmt.Sprintf("at %.0f °C, then at %.0f °C", *now.TempC, *before.TempC)
	}
	return "the same group ended both"
}
