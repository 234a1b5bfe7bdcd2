// Package survey judges the rest voltages of a module's cell groups.
//
// The rules are those of rules §3, in that order; the worst verdict wins. Voltages become
// charge through the chemistry's rest curve, always as an interval. Where the curve is flat the
// judgement stays in volts and says that charge is not resolved.
package survey

import (
	"fmt"
	"math"
	"slices"
	"strings"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/limits"
	"pandrel/core/base/numeral"
)

// Verdict is the word for a group or a module.
type Verdict string

// Verdicts, mildest first.
const (
	OK         Verdict = "ok"
	Borderline Verdict = "borderline"
	Balance    Verdict = "balance"
	Unknown    Verdict = "unknown"
	Watch      Verdict = "watch"
	Suspect    Verdict = "suspect"
	Leaking    Verdict = "leaking"
	Reread     Verdict = "reread"
	Over       Verdict = "over"
	Quarantine Verdict = "quarantine"
)

var severity = []Verdict{OK, Borderline, Balance, Unknown, Watch, Suspect, Leaking, Reread, Over, Quarantine}

// What a verdict means for the work: Waiting ones want a second reading of what cannot be right, Askew ones a second
// survey or a reason, and Troubling ones must not be read of a module that is in a bank. Void ones tell nothing of
// the charge of the groups, so that no later survey is held against them.
var (
	Waiting   = []Verdict{Reread, Over}
	Askew     = []Verdict{Leaking, Suspect, Watch}
	Troubling = []Verdict{Leaking, Quarantine, Reread, Over, Suspect, Watch}
	Void      = []Verdict{Reread, Quarantine}
)

// Doubt says what a survey leaves open that a second one or a test must settle, "" where it leaves nothing open. What
// waits for a second reading is a hold of its own.
func (v Verdict) Doubt() string {
	switch v {
	case Suspect:
		return "a group is out of family"
	case Watch:
		return "a group was so low that it is to be watched"
	case Unknown:
		return "its groups cannot be compared"
	}
	return ""
}

// Worse returns the more severe of two verdicts.
func Worse(a, b Verdict) Verdict {
	if slices.Index(severity, b) > slices.Index(severity, a) {
		return b
	}
	return a
}

// Policy holds the shop's limits. Percentages are of rated capacity.
type Policy struct {
	BalancePercent    float64 // offset up to here is ok
	SuspectPercent    float64 // offset up to here only needs balancing
	FlatBalance       float64 // the same two limits in volts where the curve is flat
	FlatSuspect       float64
	OutlierFactor     float64 // × 1.4826 × MAD
	ResolutionVolts   float64 // the meter's last digit and noise: u between siblings
	MinSiblings       int     // with fewer siblings no group is named an outlier
	WarmC             float64 // above this a group over the limit is quarantined
	AbsurdVolts       float64 // no group of any chemistry reads this
	DriftWatchPercent float64 // falling against the median by more, per month: watch
	DriftLeakPercent  float64 // and by more than this: leaking
}

// DefaultPolicy is the rules'.
var DefaultPolicy = Policy{BalancePercent: 2, SuspectPercent: 6, FlatBalance: 0.005, FlatSuspect: 0.020,
	OutlierFactor: 6, ResolutionVolts: 0.001, MinSiblings: 4, WarmC: 40, AbsurdVolts: 10, DriftWatchPercent: 1,
	DriftLeakPercent: 3}

// DeadVolts is the reading below which a group is missing, reversed, dead, or misread.
const DeadVolts = 0.5

// Reading is one group's voltage; group 1 is at the main negative. TempC is nil where it was not taken. Confirmed says
// that a second reading agreed in what only two can say. Span above 1 says that the tap between is broken, so that so
// many groups from Group on were read together: Volts is their sum.
type Reading struct {
	Group     int
	Volts     float64
	TempC     *float64
	Confirmed bool
	Repeated  bool    // it agrees with the reading before it
	LastDigit float64 // weight of the last digit that was written, 0 not known
	Span      int
}

func (r Reading) span() int { return max(1, r.Span) }

// each is the reading for one group.
func (r Reading) each() float64 { return r.Volts / float64(r.span()) }

// Module is a survey's input. RestMinutes is negative where the rest is not known; RatedAh and
// AccuracyVolts are 0 where not known. Lot holds the group voltages of like modules surveyed in
// the same sitting, for modules with too few groups to compare among themselves.
type Module struct {
	Name          string
	Chemistry     chem.ID
	RatedAh       float64
	Series        int
	RestMinutes   float64
	AccuracyVolts float64
	Swollen       bool
	Readings      []Reading
	Unread        []int // groups that nobody read, where a judgement of the others is wanted all the same
	Lot           []float64
	Curve         *chem.Curve // the type's own rest curve, nil for the chemistry's typical one
	TakenAt       time.Time   // zero where not known; only differences between surveys are used
}

// GroupResult is the judgement on one group. Offsets are intervals against the median of the
// siblings, nil where the curve cannot tell or the chemistry is not declared.
type GroupResult struct {
	Group     int         `json:"group"`
	Volts     float64     `json:"volts"`
	OffsetAh  *[2]float64 `json:"offset_ah"`
	OffsetPct *[2]float64 `json:"offset_pct"`
	SoCPct    *[2]float64 `json:"soc_pct"`
	Verdict   Verdict     `json:"verdict"`
	Drift     *float64    `json:"drift_pct_month"`
	Outlier   bool        `json:"outlier"`
	// the reading with its decimal point put right, where it looks slipped
	Offer *float64 `json:"read_as,omitempty"`
	// how many groups were read together here, because a tap is broken
	Shared int `json:"read_together,omitempty"`
}

// shownPctPerVolt is how far a group is pushed aside in a picture for each volt off the median, where charge is not
// resolved: enough to be seen, and no figure of charge.
const shownPctPerVolt = 400

// ShownOffsetPct is how far aside a picture shows a group: its offset, or where its charge is not resolved and it is
// not well, its volts off the median.
func (g GroupResult) ShownOffsetPct(medianV float64) float64 {
	switch {
	case g.OffsetPct != nil:
		return (g.OffsetPct[0] + g.OffsetPct[1]) / 2
	case g.Verdict != OK:
		return (g.Volts - medianV) * shownPctPerVolt
	}
	return 0
}

// Result is the judgement on a module. Its findings name the groups they are about.
type Result struct {
	Module    string            `json:"module"`
	Series    int               `json:"series"`
	MinV      float64           `json:"min_v"`
	MaxV      float64           `json:"max_v"`
	MedianV   float64           `json:"median_v"`
	SpreadMV  float64           `json:"spread_mv"`
	SpreadPct *float64          `json:"spread_pct"`
	Verdict   Verdict           `json:"verdict"`
	Groups    []GroupResult     `json:"groups"`
	Findings  []finding.Finding `json:"findings"`
	// NeverRecharge is set once a group is confirmed below the limit under which it must never be charged again,
	// whatever it reads later.
	NeverRecharge bool `json:"never_recharge,omitempty"`
	// CommonPctMonth is how the charge of the median moved since an earlier survey, and LeastPctMonth the
	// least drift that the two could have shown; nil where nothing was compared.
	CommonPctMonth *float64 `json:"common_pct_month"`
	LeastPctMonth  *float64 `json:"least_provable_pct_month"`

	restMinutes float64
	digit       float64   // the last that the meter showed, 0 not known
	good        []float64 // volts of each group whose reading can be right, by index; NaN else
}

// Confirms reports whether a second reading agrees with the first in what only two readings can say: below
// never-recharge, or far above the charge limit.
func Confirms(id chem.ID, first, second float64) bool {
	c, err := chem.Lookup(id)
	if err != nil {
		return false
	}
	over := c.ChargeLimitVolts + chem.OverQuarantineVolts
	return first < c.NeverRechargeVolts && second < c.NeverRechargeVolts || first > over && second > over
}

// Alike reports whether a second reading is the first one again.
func Alike(first, second float64) bool { return math.Abs(first-second) <= alikeVolts }

// alikeVolts is how far two readings of one group at rest, soon after each other, may lie apart.
const alikeVolts = 0.010

// UnusableError says which group's reading cannot be used, 0 for the whole survey.
type UnusableError struct {
	Group int
	Text  string
}

func (e *UnusableError) Error() string {
	if e.Group > 0 {
		return fmt.Sprintf("group %d: %s", e.Group, e.Text)
	}
	return e.Text
}

// JudgeGroups applies the rules to one module. It fails with an UnusableError for no readings, a group
// read twice or left out, or a value that is not a number; strange values are findings.
func JudgeGroups(m Module, p Policy) (Result, error) {
	if err := check(m); err != nil {
		return Result{}, err
	}
	readings := slices.Clone(m.Readings)
	slices.SortFunc(readings, func(a, b Reading) int { return a.Group - b.Group })
	j := &judge{m: m, p: p, r: Result{Module: m.Name, Series: len(readings), Verdict: OK,
		Findings: []finding.Finding{}}}
	if c, err := chem.Lookup(m.Chemistry); err == nil {
		j.c, j.known = c.WithCurve(m.Curve), true
	}
	if m.AccuracyVolts == 0 {
		j.find(finding.New(finding.Note, codeAccuracyAssumed).About(m.Name).
			Says("The meter's accuracy was not " +
				"given: ± 0.5 %% and one digit are assumed for the charge of the groups.").
			Then("Enter the meter's accuracy. Offsets between groups do not depend on it."))
	}
	if j.climbing(readings) {
		return j.r, nil
	}
	j.digit = finest(readings)
	j.r.digit = j.digit
	volts := j.siblings(readings)
	for _, r := range readings {
		g := j.group(r)
		j.r.Verdict = Worse(j.r.Verdict, g.Verdict)
		for k := range r.span() {
			g.Group = r.Group + k
			j.r.Groups = append(j.r.Groups, g)
			if g.Verdict == Reread || r.span() > 1 {
				j.r.good = append(j.r.good, math.NaN())
			} else {
				j.r.good = append(j.r.good, g.Volts)
			}
		}
	}
	j.r.Series = len(j.r.Groups)
	j.outliers(volts)
	j.pair()
	j.spread()
	if !j.known {
		j.r.Verdict = Worse(j.r.Verdict, Unknown)
		which := MayBe("", nil, volts, j.fine(), m.RestMinutes, m.AccuracyVolts).Which()
		j.find(finding.New(finding.Caution, codeChemistryUndeclared).About(m.Name).
			Says("%s", strings.TrimSpace("The chemistry is not declared, so these voltages are not judged "+
				"against any limit. "+
				which)).
			Then("Declare the chemistry from the label plate or a data sheet. No charge step can be planned before."))
	}
	j.r.Findings = finding.Sorted(j.r.Findings)
	return j.r, nil
}

// siblings sets what the groups have in common, and returns the volts that it rests on.
func (j *judge) siblings(readings []Reading) []float64 {
	// Readings that cannot be right stay out of the arithmetic of their siblings.
	var volts []float64
	j.r.restMinutes = j.m.RestMinutes
	for _, r := range readings {
		if v := r.each(); j.plain(v) {
			volts = append(volts, v)
		}
	}
	if len(volts) > 2 { // a sum of two groups lies near twice its siblings
		mid := median(volts)
		volts = slices.DeleteFunc(volts, func(v float64) bool { return multiple(v, mid) > 1 })
	}
	if len(volts) == 0 {
		for _, r := range readings {
			volts = append(volts, r.each())
		}
	}
	j.r.MinV, j.r.MaxV = slices.Min(volts), slices.Max(volts)
	j.r.MedianV = median(volts)
	j.r.SpreadMV = math.Round((j.r.MaxV-j.r.MinV)*1e6) / 1e3
	j.count = len(volts)
	if j.alone(readings) { // a loose cell: those of its sitting are its siblings
		j.count = len(j.m.Lot) + 1
		j.r.MedianV = median(append(slices.Clone(j.m.Lot), volts...))
	}
	return volts
}

// alone reports whether a module is one cell among enough others of its kind to be compared with.
func (j *judge) alone(rs []Reading) bool {
	return len(rs) == 1 && rs[0].span() == 1 && len(j.m.Lot) > j.p.MinSiblings
}

// finest is the last digit of the meter: the finest that was written, as zeros at the end may be left out; 0 where one
// is not known.
func finest(rs []Reading) float64 {
	digit := math.Inf(1)
	for _, r := range rs {
		digit = min(digit, r.LastDigit)
	}
	return digit
}

// climbing offers the differences where the volts climb evenly by about one group: each was read against the main
// negative. None of them is judged, and none is kept as a group's.
func (j *judge) climbing(rs []Reading) bool {
	low, high := 1.0, 4.4
	if j.known {
		low, high = j.c.NeverRechargeVolts, j.c.ChargeLimitVolts+chem.OverToleranceVolts
	}
	if len(rs) < leastForOdd || rs[1].Volts <= high {
		return false
	}
	steps := make([]float64, len(rs))
	below := 0.0
	for i, r := range rs {
		if steps[i], below = r.Volts-below, r.Volts; r.span() > 1 || steps[i] < low || steps[i] > high {
			return false
		}
	}
	j.r.Verdict = Reread
	j.r.MinV, j.r.MaxV, j.r.MedianV = slices.Min(steps), slices.Max(steps), median(steps)
	j.r.SpreadMV = math.Round((j.r.MaxV-j.r.MinV)*1e6) / 1e3
	for i, r := range rs {
		offer := numeral.Round3(steps[i])
		g := GroupResult{Group: r.Group, Volts: r.Volts, Verdict: Reread}
		if i > 0 {
			g.Offer = &offer
		}
		j.r.Groups, j.r.good = append(j.r.Groups, g), append(j.r.good, math.NaN())
	}
	last := rs[len(rs)-1]
	j.find(finding.New(finding.Stop, codeAgainstMainNegative).About(j.m.Name).Reads(last.Volts, "V").Against(high).
		Says("The volts climb from %.3f to %.3f V by about %.2f V each: every point was read against the main "+
			"negative, and these are no voltages of groups.", rs[0].Volts, last.Volts, j.r.MedianV).
		Then("Take the differences that are offered for each group, or read each on its own two points. " +
			"Plan no charge step meanwhile."))
	return true
}

// plain reports whether a group can have v at all.
func (j *judge) plain(v float64) bool {
	high := j.p.AbsurdVolts
	if j.known {
		high = j.c.ChargeLimitVolts + chem.OverQuarantineVolts
	}
	return v >= DeadVolts && v <= high
}

// multiple returns how many groups of mid volts v is, 1 where it is none or one.
func multiple(v, mid float64) int {
	if mid <= 0 {
		return 1
	}
	n := math.Round(v / mid)
	if n >= 2 && n <= 6 && math.Abs(v-n*mid) < 0.06*n*mid {
		return int(n)
	}
	return 1
}

func check(m Module) error {
	if len(m.Readings) == 0 {
		return &UnusableError{Text: "no readings: expected one voltage for every group"}
	}
	seen := map[int]bool{}
	top := 0
	for _, r := range m.Readings {
		switch {
		case r.Group < 1:
			return &UnusableError{r.Group, "expected a group number from 1 upwards"}
		case seen[r.Group]:
			return &UnusableError{r.Group, "read twice in one survey: expected one voltage for every group"}
		case math.IsNaN(r.Volts) || math.IsInf(r.Volts, 0):
			return &UnusableError{r.Group, "not a number: expected volts such as 3.845"}
		}
		for k := range r.span() {
			if k > 0 && seen[r.Group+k] {
				return &UnusableError{r.Group + k, "read twice in one survey: expected one voltage for every group"}
			}
			seen[r.Group+k] = true
		}
		top = max(top, r.Group+r.span()-1)
	}
	want := max(top, m.Series)
	if m.Series > 0 && top > m.Series {
		return &UnusableError{top, fmt.Sprintf("the module has %s", numeral.Count(m.Series, "group"))}
	}
	for g := 1; g <= want; g++ {
		if !seen[g] && !slices.Contains(m.Unread, g) {
			return &UnusableError{g, "not read: expected one voltage for every group"}
		}
	}
	return nil
}

type judge struct {
	m     Module
	p     Policy
	c     chem.Chemistry
	known bool
	count int     // readings that can be right
	digit float64 // the last that the meter showed, V
	r     Result
}

// fine is u between siblings read in one sitting: resolution and noise, and no less than the last digit.
func (j *judge) fine() float64 { return max(j.p.ResolutionVolts, j.digit) }

func (j *judge) find(f finding.Finding) { j.r.Findings = append(j.r.Findings, f.Or("", "rules §3")) }

func (j *judge) name(g int) string { return fmt.Sprintf("%s group %d", j.m.Name, g) }

// group judges one group by every rule that looks at it alone or against the median.
//
// In one piece: the rules of §3 for one group in their order, each on what the ones before it left.
func (j *judge) group(r Reading) GroupResult {
	g := GroupResult{Group: r.Group, Volts: r.each(), Verdict: OK}
	if n := r.span(); n > 1 {
		g.Shared, g.Verdict = n, Unknown
		j.find(finding.New(finding.Caution, codeReadTogether).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).
			Says("Groups %d to %d were read together, %.3f V: the tap between them is broken, and how they "+
				"share it is not known.", r.Group, r.Group+n-1, r.Volts).
			Then("Mend the tap before the module goes into a bank: no monitor sees these groups apart."))
		r.Volts, r.Span = r.each(), 1
	}
	shared := g.Shared > 1
	if r.Volts < DeadVolts || r.Volts > j.p.AbsurdVolts {
		j.reread(&g, r)
		return g
	}
	if n := multiple(r.Volts, j.r.MedianV); n > 1 && j.count > 1 && !shared {
		g.Verdict = Reread
		j.find(finding.New(finding.Stop, codeSpansGroups).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(numeral.Round3(j.r.MedianV)).
			Says("Group %d reads %.3f V, about %s its siblings: "+
				"the probes span %s, or the tap between is broken.", r.Group, r.Volts, numeral.Count(n, "time"),
				numeral.Count(n, "group")).
			Then("Read it a second time on its own two points. Plan no charge step meanwhile."))
		return g
	}
	if !j.known {
		if g.Verdict = Unknown; r.Volts > j.absurd() {
			j.reread(&g, r)
		}
		return g
	}
	over := r.Volts - j.c.ChargeLimitVolts
	warm := r.TempC != nil && *r.TempC > j.p.WarmC || j.m.Swollen
	limit := j.c.ChargeLimitVolts
	switch {
	case r.Volts < j.c.NeverRechargeVolts && (!r.Confirmed || shared || j.m.RestMinutes >= 0 &&
		j.m.RestMinutes < chem.FullRestMinutes):
		g.Verdict = Reread
		j.find(finding.New(finding.Stop, codeBelowNeverRechargeUnconfirmed).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(j.c.NeverRechargeVolts).
			Says("Group %d reads %.3f V, below %.2f V. A group this low "+
				"must never be recharged.", r.Group, r.Volts, j.c.NeverRechargeVolts).
			Then("Read it a second time after %d min at rest. Plan no charge step meanwhile.", chem.FullRestMinutes))
		return g
	case r.Volts < j.c.NeverRechargeVolts:
		g.Verdict, j.r.NeverRecharge = Quarantine, true
		j.find(finding.New(finding.Refuse, codeBelowNeverRecharge).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(j.c.NeverRechargeVolts).
			Says("Group %d is at %.3f V, confirmed, below %.2f V: copper may have dissolved and can form shorts when "+
				"charged.", r.Group, r.Volts, j.c.NeverRechargeVolts).
			Then("Quarantine the module for ever, also if the voltage recovers. Scrap the group."))
		return g
	case over > chem.OverQuarantineVolts+1e-9 && !r.Confirmed && !warm:
		g.Verdict = Reread
		do := "Read it a second time at rest: that decides. Plan no charge step meanwhile."
		if offer, ok := numeral.Slipped(r.Volts, j.c.NeverRechargeVolts, j.c.ChargeLimitVolts); ok {
			g.Offer = &offer
			do = fmt.Sprintf("If the decimal point slipped, enter %.3f V. Otherwise read it a second time at rest. "+
				"Plan no charge step meanwhile.", offer)
		}
		j.find(finding.New(finding.Stop, codeOverLimitUnconfirmed).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(limit).
			Says("Group %d reads %.3f V, %.0f mV above the charge limit: a reading "+
				"mistake, or a group that may burn.", r.Group, r.Volts, over*1000).
			Then("%s", do))
		return g
	case over > chem.OverQuarantineVolts+1e-9 || over > chem.OverToleranceVolts+1e-9 && warm:
		g.Verdict = Quarantine
		j.find(finding.New(finding.Refuse, codeOverLimitQuarantine).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(limit).
			Says("Group %d is at %.3f V, %.0f mV above the charge limit%s.", r.Group, r.Volts,
				over*1000, map[bool]string{true: ", and warm or swollen", false: ", confirmed"}[warm]).
			Then("Quarantine the module outdoors, away from anything that burns. Plan no step with it."))
		return g
	case over > chem.OverToleranceVolts+1e-9:
		g.Verdict = Over
		j.find(finding.New(finding.Stop, codeOverLimit).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(limit).
			Says("Group %d is at %.3f V, %.0f mV above the charge limit.", r.Group, r.Volts, over*1000).
			Then("Discharge that group alone through a resistor, under watch, before anything else."))
	case r.Volts < j.c.LookCloserVolts:
		g.Verdict = Watch
		j.find(finding.New(finding.Caution, codeLookCloser).About(j.name(r.Group)).
			Reads(r.Volts, "V").From(known.Measured).Against(j.c.LookCloserVolts).
			Says("Group %d rests at %.3f V, below %.2f V.", r.Group, r.Volts, j.c.LookCloserVolts).
			Then("Recharge slowly under watch with every group monitored, then survey again."))
	}
	if !shared {
		j.offset(&g, r)
	}
	return g
}

// mostOfAnyVolts is more than a group of any chemistry holds.
const mostOfAnyVolts = 4.5

// absurd is the voltage above which no group can be. Where the chemistry is not known nothing below that is judged, so
// it is that of all of them.
func (j *judge) absurd() float64 {
	if j.known {
		return j.p.AbsurdVolts
	}
	return min(j.p.AbsurdVolts, mostOfAnyVolts)
}

// reread holds a group whose reading cannot be right, or means a dead group.
func (j *judge) reread(g *GroupResult, r Reading) {
	g.Verdict = Reread
	low, high := 1.0, 4.4
	if j.known {
		low, high = j.c.NeverRechargeVolts, j.c.ChargeLimitVolts+chem.OverQuarantineVolts
	}
	text, limit := fmt.Sprintf("Group %d reads %.3f V: a reading mistake, a broken tap or a dead group.", r.Group,
		r.Volts), DeadVolts
	if r.Volts > j.absurd() {
		text, limit = fmt.Sprintf("Group %d reads %s V: no cell group has that voltage.", r.Group,
			numeral.Text(r.Volts)), high
	}
	do := "Read it a second time. Plan no charge step meanwhile."
	if offer, ok := numeral.Slipped(r.Volts, low, high); ok {
		g.Offer = &offer
		do = fmt.Sprintf("If the decimal point slipped, enter %.3f V. Otherwise read it a second time. Plan no "+
			"charge step meanwhile.", offer)
	} else if r.Volts < -DeadVolts {
		do = "Check the probes: red belongs on the upper point of the group. If they were right, the group is " +
			"reversed. Plan no charge step meanwhile."
	}
	j.find(finding.New(finding.Stop, codeReread).About(j.name(r.Group)).Reads(r.Volts, "V").From(known.Measured).
		Against(limit).
		Says("%s", text).
		Then("%s", do))
}

// offset compares a group's charge with the median of the survey (rules §3, rows 6 and 7).
//
// In one piece: the interval is narrowed step by step.
func (j *judge) offset(g *GroupResult, r Reading) {
	curve, u := j.c.Curve, j.fine()
	accuracy := j.m.AccuracyVolts
	if accuracy == 0 { // nobody gave it: not a perfect meter
		accuracy = limits.MeterShare*r.Volts + j.fine()
	}
	abs := curve.SoCInterval(r.Volts, j.c.RestUncertaintyVolts(accuracy, j.m.RestMinutes))
	if abs.Width() <= chem.CannotTellWidth {
		g.SoCPct = &[2]float64{round1(abs.Low * 100), round1(abs.High * 100)}
	}
	if j.count < 2 {
		return
	}
	median := j.r.MedianV
	if j.count == 2 { // their median is their mean and would halve the offset: the sibling is the reference
		median = j.r.MinV + j.r.MaxV - r.Volts
	}
	dv := r.Volts - median
	if curve.Outside(median) && curve.Outside(r.Volts) {
		if math.Abs(dv) > j.p.FlatSuspect+1e-9 {
			g.Verdict = Worse(g.Verdict, Balance)
		}
		return
	}
	if curve.Flat(median) {
		hidden := 0.0 // by the last digit, where it is coarser than the limits mean
		if j.digit > j.p.FlatBalance {
			hidden = j.digit
		}
		switch size := math.Abs(dv); {
		case size-hidden > j.p.FlatSuspect+1e-9:
			g.Verdict = Worse(g.Verdict, Suspect)
			if j.count == 2 {
				return // pair names neither
			}
			j.find(finding.New(finding.Caution, codeOffsetVolts).About(j.name(r.Group)).
				Reads(round1(dv*1000), "mV").Against(j.p.FlatSuspect*1000).
				Says("Group %d is %.0f mV %s its siblings where the curve is flat: its charge differs by much more "+
					"than the volts suggest.", r.Group, size*1000, aboveBelow(dv)).
				Then("Survey again after some days to tell imbalance from leakage, and balance before use."))
		case size-hidden > j.p.FlatBalance+1e-9:
			g.Verdict = Worse(g.Verdict, Balance)
		case size > j.p.FlatBalance+1e-9:
			g.Verdict = Worse(g.Verdict, Borderline)
		}
		return
	}
	own, sib := curve.SoCInterval(r.Volts, u), curve.SoCInterval(median, u)
	lo, hi := (own.Low-sib.High)*100, (own.High-sib.Low)*100
	g.OffsetPct = &[2]float64{round1(lo), round1(hi)}
	if j.m.RatedAh > 0 {
		g.OffsetAh = &[2]float64{round2(lo / 100 * j.m.RatedAh), round2(hi / 100 * j.m.RatedAh)}
	}
	// The size of an offset whose sign is not certain starts at zero.
	small, large := min(math.Abs(lo), math.Abs(hi)), max(math.Abs(lo), math.Abs(hi))
	if lo < 0 && hi > 0 {
		small = 0
	}
	class := func(size float64) Verdict {
		switch {
		case size > j.p.SuspectPercent:
			return Suspect
		case size > j.p.BalancePercent:
			return Balance
		}
		return OK
	}
	a, b := class(small), class(large)
	v := b
	if a != b {
		v = Borderline
	}
	g.Verdict = Worse(g.Verdict, v)
	switch {
	case j.count == 2: // pair names neither
	case a == Suspect:
		j.find(finding.New(finding.Caution, codeOffset).About(j.name(r.Group)).
			Reads(round1((lo+hi)/2), "%").Against(j.p.SuspectPercent).
			Says("Group %d holds %s %s its siblings.", r.Group, j.amount(small, large), lessMore(dv)).
			Then("Survey again after some days: the same offset is imbalance, a growing one is leakage."))
	case v == Borderline:
		limit := j.p.BalancePercent
		if b == Suspect {
			limit = j.p.SuspectPercent
		}
		j.find(finding.New(finding.Note, codeOffsetBorderline).About(j.name(r.Group)).
			Reads(round1((lo+hi)/2), "%").Against(limit).
			Says("Group %d is off by %s, which straddles the limit of %.0f %%.", r.Group,
				j.amount(small, large), limit).
			Then("Read again with a finer meter, or treat it as the worse."))
	}
}

// pair judges two groups against each other. Which of them is the odd one only their lot can tell.
func (j *judge) pair() {
	if !j.known || j.count != 2 || len(j.r.Groups) != 2 {
		return
	}
	worst := Worse(j.r.Groups[0].Verdict, j.r.Groups[1].Verdict)
	if j.r.Groups[0].Outlier || j.r.Groups[1].Outlier {
		return // the lot has told
	}
	if !slices.Contains([]Verdict{Suspect, Borderline, Balance}, worst) {
		return
	}
	level := finding.Note
	if worst == Suspect {
		level = finding.Caution
	}
	size := ""
	if o := j.r.Groups[0].OffsetPct; o != nil {
		small, large := min(math.Abs(o[0]), math.Abs(o[1])), max(math.Abs(o[0]), math.Abs(o[1]))
		if o[0] < 0 && o[1] > 0 {
			small = 0
		}
		size = ", " + j.amount(small, large) + " of charge"
	}
	j.find(finding.New(level, codePairDiffers).About(j.m.Name).Reads(j.r.SpreadMV, "mV").Against(j.p.FlatBalance*1000).
		Says("The two groups differ by %.0f mV%s. Which of them is the odd "+
			"one, two groups alone cannot tell.", j.r.SpreadMV, size).
		Then("Compare with others of the lot, and " +
			"survey again after some days: the one that fell is the one that leaks."))
}

func (j *judge) amount(small, large float64) string {
	if j.m.RatedAh > 0 {
		return fmt.Sprintf("%.1f to %.1f Ah (%.1f to %.1f %%)", small/100*j.m.RatedAh, large/100*j.m.RatedAh, small,
			large)
	}
	return fmt.Sprintf("%.1f to %.1f %%", small, large)
}

// outliers names groups far from the median by the robust rule: |V − median| beyond 6 × 1.4826 ×
// the median absolute deviation, which is floored at the meter's resolution.
func (j *judge) outliers(volts []float64) {
	if len(volts)-1 < j.p.MinSiblings {
		j.againstLot()
		return
	}
	limit := j.outlierLimit(volts, j.r.MedianV)
	agree := 0.0 // how near the others lie to the median
	for _, v := range volts {
		if d := math.Abs(v - j.r.MedianV); d <= limit {
			agree = max(agree, d)
		}
	}
	for i := range j.r.Groups {
		g := &j.r.Groups[i]
		if g.Verdict == Reread || g.Shared > 1 {
			continue
		}
		if d := g.Volts - j.r.MedianV; math.Abs(d) > limit {
			g.Outlier = true
			if g.Verdict == OK || g.Verdict == Borderline || g.Verdict == Balance {
				g.Verdict = Watch
				j.r.Verdict = Worse(j.r.Verdict, Watch)
			}
			j.find(finding.New(finding.Caution, codeOutlier).About(j.name(g.Group)).
				Reads(round1(d*1000), "mV").Against(round1(limit*1000)).
				Says("Group %d is out of its family: %.0f mV %s the median, its siblings lie within %.0f mV of it.",
					g.Group, math.Abs(d)*1000, aboveBelow(d), agree*1000).
				Then("Read it again. If it stays, survey again after some days."))
		}
	}
}

func (j *judge) outlierLimit(volts []float64, mid float64) float64 {
	dev := make([]float64, len(volts))
	for i, v := range volts {
		dev[i] = math.Abs(v - mid)
	}
	return max(2*j.digit, j.p.OutlierFactor*1.4826*max(median(dev), j.fine(), j.m.AccuracyVolts))
}

// againstLot compares a short module with the other modules of the sitting and names no group.
func (j *judge) againstLot() {
	if len(j.m.Lot) <= j.p.MinSiblings {
		return
	}
	mid := median(slices.Clone(j.m.Lot))
	limit := j.outlierLimit(j.m.Lot, mid)
	if len(j.r.Groups) == 1 {
		j.loose(mid, limit)
		return
	}
	if d := j.r.MedianV - mid; math.Abs(d) > limit && j.r.SpreadMV/1000 <= limit {
		j.find(finding.New(finding.Note, codeModuleOffLot).About(j.m.Name).
			Reads(round1(d*1000), "mV").Against(round1(limit*1000)).
			Says("The module rests %.0f mV per group %s the others of its kind.", math.Abs(d)*1000, aboveBelow(d)).
			Then("It may be at another charge. With so few groups no single one can be named."))
	}
	// The lot names a group where it alone lies off and its siblings lie with the lot.
	off := -1
	for i, g := range j.r.Groups {
		if g.Verdict == Reread || g.Shared > 1 || math.Abs(g.Volts-mid) <= limit {
			continue
		}
		if off >= 0 {
			off = -1
			break
		}
		off = i
	}
	if off >= 0 && j.r.SpreadMV/1000 > limit {
		g := &j.r.Groups[off]
		d := g.Volts - mid
		g.Outlier = true
		g.Verdict = Worse(g.Verdict, Watch)
		for i := range j.r.Groups { // the sibling lies with the lot: the difference is not its own
			if i != off && j.count == 2 && slices.Contains([]Verdict{Suspect, Balance, Borderline},
				j.r.Groups[i].Verdict) {
				j.r.Groups[i].Verdict = OK
			}
		}
		j.r.Verdict = Worse(j.r.Verdict, g.Verdict)
		j.find(finding.New(finding.Caution, codeOutlier).About(j.name(g.Group)).
			Reads(round1(d*1000), "mV").Against(round1(limit*1000)).
			Says("Group %d is out of its family: %.0f mV %s the groups of its lot, its siblings lie with them.",
				g.Group, math.Abs(d)*1000, aboveBelow(d)).
			Then("Read it again. If it stays, survey again after some days."))
		return
	}
	if j.r.SpreadMV/1000 > 2*limit {
		j.r.Verdict = Worse(j.r.Verdict, Watch)
		j.find(finding.New(finding.Caution, codeSpreadOffLot).About(j.m.Name).
			Reads(j.r.SpreadMV, "mV").Against(round1(limit * 1000)).
			Says("The groups of this module differ more than those of its kind. With so few groups none is named.").
			Then("Read the groups again, then survey after some days."))
	}
}

// loose names a cell that is out of the family of those it was read with.
func (j *judge) loose(mid, limit float64) {
	g := &j.r.Groups[0]
	d := g.Volts - mid
	if g.Verdict == Reread || math.Abs(d) <= limit {
		return
	}
	g.Outlier = true
	g.Verdict = Worse(g.Verdict, Watch)
	j.r.Verdict = Worse(j.r.Verdict, g.Verdict)
	j.find(finding.New(finding.Caution, codeOutlier).About(j.m.Name).
		Reads(round1(d*1000), "mV").Against(round1(limit*1000)).
		Says("This cell is out of its family: %.0f mV %s the %d others of "+
			"its kind.", math.Abs(d)*1000, aboveBelow(d), len(j.m.Lot)).
		Then("Read it again. If it stays, survey all of them again after some days: the one that falls further leaks."))
}

func (j *judge) spread() {
	if !j.known || len(j.r.Groups) < 2 {
		return
	}
	if j.c.Curve.Flat(j.r.MedianV) {
		j.find(finding.New(finding.Note, codeChargeNotResolved).About(j.m.Name).Reads(j.r.SpreadMV, "mV").
			Says("Spread %.0f mV. The voltages lie where the curve is flat: voltage cannot tell the charge, "+
				"and 5 mV may hide 10 %% of it.", j.r.SpreadMV).
			Then("Compare near full or near empty, or after a discharge test."))
		return
	}
	if j.c.Curve.Outside(j.r.MinV) && j.c.Curve.Outside(j.r.MaxV) {
		j.find(finding.New(finding.Note, codeChargeNotResolved).About(j.m.Name).Reads(j.r.SpreadMV, "mV").
			Says("Spread %.0f mV. The voltages lie outside the rest curve: they are not at rest, or full or "+
				"empty, and voltage cannot tell the charge.", j.r.SpreadMV).
			Then("Let the module rest, and survey again."))
		return
	}
	pct := round1((j.c.Curve.SoC(j.r.MaxV) - j.c.Curve.SoC(j.r.MinV)) * 100)
	j.r.SpreadPct = &pct
	j.find(finding.New(finding.Note, codeSpread).About(j.m.Name).Reads(j.r.SpreadMV, "mV").
		Says("Spread %.0f mV, about %.1f %% of charge.", j.r.SpreadMV, pct).
		Then("Nothing for the spread by itself; see the groups."))
}

// Odd is a reading that does not belong to the family of those taken so far.
type Odd struct {
	Group  int
	FromMV float64 // from the median of those taken so far
	Absurd bool    // it cannot be right
	Offer  float64 // the reading with its decimal point put right, 0 for none
}

// leastForOdd is from how many groups on a reading is compared with its siblings while they are taken.
const leastForOdd = 3

// OddSoFar names the readings of an unfinished survey that should be taken again while the probes are
// at hand; before three groups are read only what cannot be right by itself.
func OddSoFar(r Result) []Odd {
	var out []Odd
	for _, g := range r.Groups {
		if len(r.Groups) < leastForOdd && g.Verdict != Reread {
			continue
		}
		if slices.Contains([]Verdict{Reread, Suspect, Watch, Over, Quarantine}, g.Verdict) || g.Outlier {
			o := Odd{Group: g.Group, FromMV: math.Round((g.Volts - r.MedianV) * 1000), Absurd: g.Verdict == Reread}
			if g.Offer != nil {
				o.Offer = *g.Offer
			}
			out = append(out, o)
		}
	}
	return out
}

func median(v []float64) float64 {
	s := slices.Clone(v)
	slices.Sort(s)
	n := len(s)
	if n%2 == 1 {
		return s[n/2]
	}
	return (s[n/2-1] + s[n/2]) / 2
}

func aboveBelow(d float64) string {
	if d < 0 {
		return "below"
	}
	return "above"
}

func lessMore(d float64) string {
	if d < 0 {
		return "less than"
	}
	return "more than"
}

func round1(v float64) float64 { return math.Round(v*10) / 10 }
func round2(v float64) float64 { return math.Round(v*100) / 100 }

// TakeAgain judges a second reading of a group after a first one: it is taken, and marked as confirmed where it
// confirms, if the first one could not be right or says what must be said twice. It is false where nothing asked
// for a second reading.
func TakeAgain(id chem.ID, first float64, second *Reading) bool {
	second.Confirmed, second.Repeated = Confirms(id, first, second.Volts), Alike(first, second.Volts)
	return second.Confirmed || doubtful(id, first)
}

// Together makes modules that were surveyed in one table each other's lot: those with the same number of groups.
func Together(mods []Module) {
	for i := range mods {
		for k := range mods {
			if i != k && len(mods[i].Readings) == len(mods[k].Readings) {
				for _, r := range mods[k].Readings {
					mods[i].Lot = append(mods[i].Lot, r.Volts)
				}
			}
		}
	}
}

// WantsLot reports whether a module has too few groups to be its own family, so that others of its lot are needed.
func WantsLot(series int, p Policy) bool { return series-1 < p.MinSiblings }

// doubtful reports whether a reading is one that a second one decides.
func doubtful(id chem.ID, volts float64) bool {
	c, err := chem.Lookup(id)
	return volts < DeadVolts || err == nil &&
		(volts < c.NeverRechargeVolts || volts > c.ChargeLimitVolts+chem.OverToleranceVolts)
}
