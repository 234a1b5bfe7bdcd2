package trace

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/test/logfile"
	"pandrel/core/test/noted"
)

// Limits of the trace rules, rules §4.
const (
	deadBandAmps       = 0.050
	deadBandFraction   = 0.005
	debounceSamples    = 3
	gapFactor          = 10
	fullWithin         = 0.02 // a discharge that starts within 2 % of full counts
	stepCRate          = 0.1  // the least load step that gives a resistance
	constantWithin     = 0.05 // how steady the load must be meanwhile
	normalLowTempC     = 20
	normalHighTempC    = 30
	normalCRate        = 0.5
	counterDisagrees   = 0.02
	gainError          = 0.005 // typical shunt logger: ± 0.5 % of reading ± 10 mA
	zeroErrorAmps      = 0.010
	floorSlackVolts    = noted.FloorSlackVolts
	fullRestSeconds    = chem.FullRestMinutes * 60
	rule               = "rules §4"
	minCapacityShare   = 0.01 // of the rated Ah: shorter pulses are not a capacity
	taperedBelowShare  = 1.0 / 3
	atLimitVolts       = 0.030 // a taper counts this near the charge limit
	pauseSeconds       = 7200  // rests up to here belong to one discharge
	tinyGapShare       = 0.01  // gaps that hide less than this of the Ah leave a capacity complete
	settledSeconds     = 300   // a shorter rest after a charge still reads high
	longRestFullLFP    = 3.330 // full LFP rested long lies from here up
	confirmedSamples   = 2     // samples in a row that make a voltage more than a bad contact
	restUncertainVolts = 0.002 // of a rested group, beside hysteresis
	brokenContact      = 0.100 // below it a sample among good ones is a contact that opened
	mostListed         = 20    // findings of one kind
	fullRestVolts      = 0.015 // below its own full voltage a group that rested is full still
	stampWithin        = 0.01  // of the time since a step: stamps are rounded
	kneeVolts          = 40    // V that a group falls for all of its capacity below the knee, as seen
	mostIntervals      = 10    // of the log that may lie between its last sample and the floor
	tailSamples        = 3     // that tell how a segment ended
	settledSamples     = 5     // of a rest that are its voltage
	knownWithin        = 0.15  // of a resistance that is told at all
	regenSeconds       = 300   // a charge within a discharge up to here nets out, where it
	regenShare         = 0.05  // gives back no more than this of what was drawn
	standsHigher       = 0.05  // V over the floor, for
	afterFloorShare    = 0.05  // of the Ah: then it had not met its floor
	sameCurrent        = 0.9   // of a current is the same one
	mostSegments       = 4000  // that are kept of a log
	leastSeconds       = 60    // §4: shorter and longer logs are held
	mostSeconds        = 60 * 86400
	mostCRate          = 20
	mostOfRated        = 1.5
	leastOfExpected    = 0.19 // of what the volts say, and
	mostOfExpected     = 4.0
)

var resistanceAfter = []float64{1, 10, 30}

// Options are what is known about the module. FloorVolts is per group; 0 takes the chemistry's.
// RatedAh 0 means unknown.
type Options struct {
	Series      int
	Chemistry   chem.ID
	Curve       *chem.Curve // the type's own rest curve, nil for the chemistry's typical one
	RatedAh     float64
	FloorVolts  float64
	FlipCurrent bool
	// FullVolts is the type's own full voltage of a group, at which a taper counts; 0 for the charge limit.
	FullVolts float64
	// EndedByGroup says which group was at its floor when the discharge ended, and EndedAtVolts where it
	// was then, of a log without group voltages; 0 where nobody looked.
	EndedByGroup int
	EndedAtVolts float64
	// CutFromS and CutToS are the stretch whose discharge counts, as a person said; CutToS 0 for all of the log. What
	// stands before it still tells whether it began full.
	CutFromS, CutToS float64
	// FirstGroup is the first of the module's groups that was on the clamps, 0 for 1: groups are named as the module's.
	FirstGroup int
	// DeadBandAmps is the current below which a sample is a rest; 0 to take it from the noise of the rests.
	DeadBandAmps float64
	// Checked says that a person measured the current with a second meter: a figure far from the rating is no slip.
	Checked bool
}

// Phase is what a log shows a module doing.
type Phase string

// Phases.
const (
	Charge    Phase = "charge"
	Discharge Phase = "discharge"
	Rest      Phase = "rest"
)

// Segment is a stretch of charge, discharge or rest. Ah and Wh are magnitudes.
type Segment struct {
	Kind   Phase   `json:"kind"`
	StartS float64 `json:"start_s"`
	EndS   float64 `json:"end_s"`
	Ah     float64 `json:"ah"`
	Wh     float64 `json:"wh"`
	MeanV  float64 `json:"mean_v"`
	FirstV float64 `json:"first_v"`
	LastV  float64 `json:"last_v"`

	first, last  int  // sample numbers
	out          bool // outside of what a person cut
	unsureAh     float64
	gapAh        float64
	sumAmps      float64
	flowing      float64 // seconds
	maxAbs, tail float64 // largest and last current
}

// Capacity is the result of the main discharge. UncertaintyAh is ±; GapAh is what a gap may hide
// on top. SoH is nil without a rating, and for a part of a discharge.
type Capacity struct {
	Ah            float64  `json:"ah"`
	Wh            float64  `json:"wh"`
	Complete      bool     `json:"complete"`
	CRate         *float64 `json:"c_rate"`
	SoH           *float64 `json:"soh"`
	UncertaintyAh float64  `json:"uncertainty_ah"`
	GapAh         float64  `json:"gap_ah"`
	Whole         bool     `json:"whole"` // from full to the floor, whatever is missing in between
	SoHLow        *float64 `json:"soh_low"`
	SoHHigh       *float64 `json:"soh_high"`
	Pauses        int      `json:"pauses"`
	MeanAmps      float64  `json:"mean_amps"`
	TempC         *float64 `json:"temp_c"`
	EndVolts      float64  `json:"end_v"`
	StartS        float64  `json:"start_s"`
	EndS          float64  `json:"end_s"`
}

// Gapped reports whether a discharge went from full to the floor with gaps that leave its capacity an interval.
func (c Capacity) Gapped() bool { return c.Whole && !c.Complete && c.GapAh > 0 }

// Text is the capacity as it is told everywhere: an interval where gaps leave one, else with its uncertainty.
func (c Capacity) Text() string {
	low := numeral.AmpHours(c.Ah)
	if c.Gapped() {
		return fmt.Sprintf("%.1f to %.1f Ah", low, numeral.AmpHours(c.Ah+c.GapAh))
	}
	return fmt.Sprintf("%.1f ± %.1f Ah", low, c.UncertaintyAh)
}

// Resistance is the DC resistance of the whole module at one load step. UMilliO is ±: when the load came on between two
// samples is not known, nor the last digit of the volts.
type Resistance struct {
	AtS     float64 `json:"at_s"`
	AfterS  float64 `json:"after_s"`
	MilliO  float64 `json:"mohm"`
	UMilliO float64 `json:"u_mohm"`
}

// Gap is a hole in the log while current flowed. The charge inside is only bounded.
type Gap struct {
	FromS  float64 `json:"from_s"`
	ToS    float64 `json:"to_s"`
	AhLow  float64 `json:"ah_low"`
	AhHigh float64 `json:"ah_high"`
}

// Cycle is one discharge with the charge before it. ChargedAh is 0 where the log holds none. The
// efficiencies are those of a closed cycle: from full to the floor and back to full.
type Cycle struct {
	StartS     float64  `json:"start_s"`
	EndS       float64  `json:"end_s"`
	Ah         float64  `json:"ah"`
	Wh         float64  `json:"wh"`
	ChargedAh  float64  `json:"charged_ah"`
	ChargedWh  float64  `json:"charged_wh"`
	Complete   bool     `json:"complete"`
	SoH        *float64 `json:"soh"`
	GrowthPct  *float64 `json:"growth_pct"` // against the cycle before
	Coulombic  *float64 `json:"coulombic"`
	EnergyWise *float64 `json:"energy"`
}

// Held says why a log's figures cannot be so, and what would make them plausible.
type Held struct {
	Cause string `json:"cause"` // such as milliamps, minutes, month-first
	Text  string `json:"text"`
	Try   string `json:"try"`
}

// GroupAt is the group of a column, from 0.
func (r Result) GroupAt(column int) int {
	if column < len(r.GroupNumbers) {
		return r.GroupNumbers[column]
	}
	return column + 1
}

// Result is what a log says. Held is set where its figures cannot be right as they were read: then there
// is no capacity.
type Result struct {
	Held          *Held             `json:"held"`
	Cycles        []Cycle           `json:"cycles"`
	Columns       logfile.Columns   `json:"columns"`
	Samples       int               `json:"samples"`
	Skipped       int               `json:"skipped_lines"`
	Sign          string            `json:"current_sign"`
	Segments      []Segment         `json:"segments"`
	Capacity      *Capacity         `json:"capacity"`
	Resistance    []Resistance      `json:"resistance"`
	LimitingGroup *int              `json:"limiting_group"`
	GroupNumbers  []int             `json:"group_numbers,omitempty"` // of the columns, where a group has none
	AsFoundAh     *float64          `json:"as_found_ah"`
	BalancedAh    *float64          `json:"balanced_ah"`
	OthersAh      *float64          `json:"others_ah,omitempty"` // of the groups but the first at its floor, at least
	Gaps          []Gap             `json:"gaps"`
	Problems      []logfile.Problem `json:"problems"`
	Findings      []finding.Finding `json:"findings"`
}

// Analyse judges a log. It settles the sign of log.Amps in place (positive charges). It fails only
// when series is negative or the log is empty. What could not be settled is held and says why (Result.Held), never
// averaged away. Cost is linear in samples, and once more for each segment.
func Analyse(log *logfile.Log, opt Options) (Result, error) {
	if len(log.Seconds) == 0 {
		return Result{}, &logfile.ParseError{Text: "no samples"}
	}
	if opt.Series < 0 {
		return Result{}, fmt.Errorf("series count %d: expected 1 or more", opt.Series)
	}
	if cut := opt.CutFromS != 0 || opt.CutToS != 0; cut && (!(opt.CutFromS >= 0) || !(opt.CutToS > opt.CutFromS)) {
		return Result{}, fmt.Errorf("cut from %g s to %g s: expected a beginning from 0 and an end behind it",
			opt.CutFromS, opt.CutToS)
	}
	if opt.EndedByGroup < 0 || opt.EndedByGroup > 0 && opt.Series > 0 && opt.EndedByGroup > opt.Series {
		return Result{}, fmt.Errorf("group %d at its floor: expected 1 to %d", opt.EndedByGroup, opt.Series)
	}
	a := &analysis{log: log, opt: opt}
	a.r = Result{Columns: log.Columns, Samples: len(log.Seconds), Skipped: log.Skipped, Problems: log.Problems,
		Segments: []Segment{}, Cycles: []Cycle{}, Resistance: []Resistance{}, Gaps: []Gap{},
		Findings: []finding.Finding{}}
	if a.r.Problems == nil {
		a.r.Problems = []logfile.Problem{}
	}
	if c, err := chem.Lookup(opt.Chemistry); err == nil {
		a.c, a.known = c.WithCurve(opt.Curve), true
		if a.opt.FloorVolts == 0 {
			a.opt.FloorVolts = c.FloorVolts
		}
	}
	a.count()
	a.r.GroupNumbers = a.numbers
	a.problems()
	if log.Columns.Amps == "" {
		a.find(finding.New(finding.Stop, codeNoCurrent).About("amps").
			Says("The log has no column of current, so no charge can be counted.").
			Then("Log the current with the voltage, or type the result by hand."))
		return a.r, nil
	}
	a.clean()
	a.settleSign()
	a.settled()
	a.segments()
	a.cut()
	a.integrate()
	a.findRuns()
	a.capacity()
	a.cycles()
	a.resistances()
	a.belowLimits()
	a.plausible()
	a.bound()
	a.r.Findings = finding.Sorted(a.r.Findings)
	return a.r, nil
}

type analysis struct {
	log   *logfile.Log
	opt   Options
	c     chem.Chemistry
	known bool
	band  float64
	usual float64 // current, A
	// What is worked with: the log without what no cell could show. The log itself where there is nothing of the kind.
	amps, volts []float64
	groups      [][]float64
	numbers     []int // of the groups, where one is missing
	bad         []contact
	wild        []wildSample
	noise       *float64  // V of a group, once asked
	moved       []float64 // Ah until each sample, either way, once asked
	budget      int       // samples that may be looked at again
	main        *run
	runs        []run
	r           Result

	seriesTold bool
}

func (a *analysis) find(f finding.Finding) { a.r.Findings = append(a.r.Findings, f.Or("", rule)) }

// more says that a list was cut short: whoever reads a thousand lines of one kind reads none.
func (a *analysis) more(code string, n int, what string) {
	a.find(finding.New(finding.Caution, "more-"+code).About("log").Reads(float64(n), "").Against(mostListed).
		Says("%d more %s.", n, what).
		Then("So many are no accident: look at the logger and its leads before anything in it is believed."))
}

func (a *analysis) problems() {
	if a.log.Table.NewestFirst {
		a.find(finding.New(finding.Note, codeNewestFirst).About("file").
			Says("The newest line stands first: the log was read from its end.").
			Then("Nothing. Numbers of lines are those of the file."))
	}
	for i, sh := range a.log.Table.Shifts {
		if i == mostListed {
			a.more(codeRestarts, len(a.log.Table.Shifts)-i, "places where time went back")
			break
		}
		if sh.Seconds > 0 {
			a.find(finding.New(finding.Note, codeClockChange).About(fmt.Sprintf("line %d",
				sh.Line)).Reads(sh.Seconds/3600, "h").
				Says("The clock was set back by %g h at line %d; time goes on from there.", sh.Seconds/3600, sh.Line).
				Then("Nothing, where the clocks changed that night. Otherwise look at that line."))
		} else {
			a.find(finding.New(finding.Caution, codeRestarted).About(fmt.Sprintf("line %d", sh.Line)).
				Says("Time starts again at line %d: how long the log was off is not known.", sh.Line).
				Then("A figure across that place is a lower bound. A column of total time, or a clock, " +
					"would close it."))
		}
	}
	if a.log.Skipped == 0 {
		return
	}
	p := a.log.Problems[0]
	for _, x := range a.log.Problems {
		if x.Line == a.log.FirstLost() {
			p = x
		}
	}
	a.find(finding.New(finding.Caution, codeLinesLeftOut).About("file").
		Reads(float64(a.log.Skipped), "lines").Against(0).
		Says("%s could not be used. The first is line %d: %s.", numeral.Count(a.log.Skipped, "line"), p.Line, p.Text).
		Then("Look at those lines. What they held is missing from the result."))
}

// bound cuts lists that no log of a test has so long, once all is worked out from them.
func (a *analysis) bound() {
	if n := len(a.r.Segments) - mostSegments; n > 0 {
		a.r.Segments = a.r.Segments[:mostSegments:mostSegments]
		a.more(codeSegments, n, "stretches of charge, discharge and rest, not listed")
	}
	if n := len(a.r.Gaps) - mostSegments; n > 0 {
		a.r.Gaps = a.r.Gaps[:mostSegments:mostSegments]
	}
	if n := len(a.r.Cycles) - mostSegments; n > 0 {
		a.r.Cycles = a.r.Cycles[:mostSegments:mostSegments]
	}
	if n := len(a.r.Resistance) - mostSegments; n > 0 {
		a.r.Resistance = a.r.Resistance[:mostSegments:mostSegments]
	}
}

// partBetween reports whether a part of the log begins at a sample from first to last.
func (a *analysis) partBetween(first, last int) bool {
	k, _ := slices.BinarySearch(a.log.Parts, first)
	return k < len(a.log.Parts) && a.log.Parts[k] <= last
}

func maxAbs(v []float64) float64 {
	m := 0.0
	for _, x := range v {
		if x = math.Abs(x); x > m {
			m = x
		}
	}
	return m
}

// state is +1, −1 or 0 for a current outside or inside the dead band.
func (a *analysis) state(amps float64) int {
	switch {
	case amps > a.band:
		return 1
	case amps < -a.band:
		return -1
	}
	return 0
}

// segments cuts the log into charge, discharge and rest. A new state must last three samples.
func (a *analysis) segments() {
	amps := a.amps
	n := len(amps)
	begin, state := 0, a.state(amps[0])
	add := func(from, to int) {
		a.r.Segments = append(a.r.Segments, Segment{Kind: kindOf(state), first: from, last: to})
	}
	part := 0
	for i := 1; i < n; i++ {
		s := a.state(amps[i])
		if part < len(a.log.Parts) && a.log.Parts[part] == i {
			part++
			add(begin, i-1)
			begin, state = i, s
			continue
		}
		if s == state {
			continue
		}
		stays := true
		for k := i; k < min(i+debounceSamples, n); k++ {
			if a.state(amps[k]) != s {
				stays = false
				break
			}
		}
		if !stays {
			continue
		}
		add(begin, i-1)
		begin, state = i, s
	}
	add(begin, n-1)
}

// cut parts the segments where a person cut, and leaves out what is outside.
func (a *analysis) cut() {
	if a.opt.CutToS == 0 {
		return
	}
	t := a.log.Seconds
	from, _ := slices.BinarySearch(t, a.opt.CutFromS)
	to, _ := slices.BinarySearch(t, math.Nextafter(a.opt.CutToS, math.Inf(1))) // the first sample behind it
	var parted []Segment
	for _, s := range a.r.Segments {
		for _, at := range []int{from, to} {
			if s.first < at && at <= s.last {
				left := s
				left.last = at - 1
				left.out = left.last < from || left.first >= to
				parted = append(parted, left)
				s.first = at
			}
		}
		s.out = s.last < from || s.first >= to
		parted = append(parted, s)
	}
	a.r.Segments = parted
	a.find(finding.New(finding.Note, codeCut).About("log").
		Says("Cut by hand: only what lies between %.0f s and %.0f s counts.", a.opt.CutFromS, a.opt.CutToS).
		Then("Nothing, where the cut is right. The log is kept whole."))
}

func kindOf(state int) Phase {
	switch state {
	case 1:
		return Charge
	case -1:
		return Discharge
	}
	return Rest
}

// integrate sums charge and energy of each segment by trapezoids. The interval in which the current switches on or off
// belongs to the flowing segment and counts by its trapezoid; what flowed in it lies between nothing and twice that,
// which is added to the uncertainty. A hole is measured by the slower of the two samplings beside it.
//
// In one piece: the loop over every sample of a log of millions: calls inside it cost more than they tell.
func (a *analysis) integrate() {
	t, amps, v := a.log.Seconds, a.amps, a.volts
	typical := make([]float64, len(a.r.Segments))
	for k := range a.r.Segments {
		typical[k] = a.typicalStep(a.r.Segments[k].first, a.r.Segments[k].last)
	}
	parts := map[int]bool{}
	for _, p := range a.log.Parts {
		parts[p] = true
	}
	for k := range a.r.Segments {
		s := &a.r.Segments[k]
		s.StartS, s.EndS, s.FirstV, s.LastV = t[s.first], t[s.last], v[s.first], v[s.last]
		var vdt float64
		var holes []int // samples behind a gap of this segment
		sense := 1.0    // samples of the other sign, too few for a segment of their own, net out
		if s.Kind == Discharge {
			sense = -1
		}
		for i := s.first + 1; i <= s.last; i++ {
			dt := t[i] - t[i-1]
			vdt += 0.5 * (v[i] + v[i-1]) * dt
			if s.Kind == Rest {
				continue
			}
			if dt > gapFactor*typical[k] {
				holes = append(holes, i)
				continue
			}
			s.Ah += sense * 0.5 * (amps[i] + amps[i-1]) * dt / 3600
			s.Wh += sense * 0.5 * (amps[i]*v[i] + amps[i-1]*v[i-1]) * dt / 3600
			s.sumAmps += sense * 0.5 * (amps[i] + amps[i-1]) * dt
			s.flowing += dt
		}
		if d := s.EndS - s.StartS; d > 0 {
			s.MeanV = vdt / d
		} else {
			s.MeanV = s.FirstV
		}
		if s.Kind == Rest {
			continue
		}
		a.bridge(s, holes)
		for i := s.first; i <= s.last; i++ {
			s.maxAbs = max(s.maxAbs, math.Abs(amps[i]))
		}
		s.unsureAh += max(0, -s.Ah)
		s.Ah, s.Wh, s.sumAmps = max(0, s.Ah), max(0, s.Wh), max(0, s.sumAmps)
		s.tail = math.Abs(meanOf(amps[max(s.first, s.last-tailSamples+1) : s.last+1]))
		for _, w := range a.wild {
			if w.at >= s.first && w.at <= s.last {
				s.unsureAh += w.ah
			}
		}
		edge := func(i, j, beside int) { // the switching interval between samples i and j
			dt := t[j] - t[i]
			slower := typical[k]
			if !math.IsInf(typical[beside], 1) && a.r.Segments[beside].Kind == Rest {
				slower = max(slower, typical[beside])
			} else if math.IsInf(slower, 1) {
				slower = typical[beside]
			}
			if dt > gapFactor*slower {
				high := max(math.Abs(amps[i]), math.Abs(amps[j])) * dt / 3600
				a.r.Gaps = append(a.r.Gaps, Gap{t[i], t[j], 0, high})
				s.gapAh += high
				return
			}
			ah := math.Abs(0.5*(amps[i]+amps[j])) * dt / 3600
			s.Ah += ah
			s.Wh += math.Abs(0.5*(amps[i]*v[i]+amps[j]*v[j])) * dt / 3600
			s.unsureAh += ah
		}
		if s.first > 0 && !parts[s.first] {
			edge(s.first-1, s.first, k-1)
		}
		// Between two flowing segments the interval already belongs to the later one.
		if s.last+1 < len(t) && !parts[s.last+1] && a.r.Segments[k+1].Kind == Rest {
			edge(s.last, s.last+1, k+1)
		}
	}
	for i, g := range a.r.Gaps {
		if i == mostListed {
			a.more(codeGaps, len(a.r.Gaps)-i, "gaps")
			break
		}
		text := fmt.Sprintf("Nothing was logged from %.0f s to %.0f s while current flowed. Between %s and %.2f Ah "+
			"may be missing.", g.FromS, g.ToS, numeral.Text(numeral.Round3(g.AhLow)), g.AhHigh)
		if g.AhLow > 0 {
			text = fmt.Sprintf("Nothing was logged from %.0f s to %.0f s while current flowed. By its own counter "+
				"%.2f to %.2f Ah flowed in it, which are counted.", g.FromS, g.ToS, g.AhLow, g.AhHigh)
		}
		if d := g.ToS - g.FromS; a.log.Clocked && math.Abs(d-3600) < 60 {
			text += " It is an hour long: where the clocks were put forward that night, nothing is missing."
		}
		a.find(finding.New(finding.Caution, codeGap).About("log").Reads(math.Round(g.ToS-g.FromS), "s").
			Says("%s", text).
			Then("The capacity is an interval. Where both of its ends give one class it is graded, else test again."))
	}
}

// bridge counts what flowed in the gaps of a segment, before the samples behind them, as far as something tells it.
// Where the logger's own counter ran through a gap and agrees with the samples beside it, it tells all but its last
// digit; else all between nothing and the larger of the two currents beside it is possible, and none of it is counted.
func (a *analysis) bridge(s *Segment, holes []int) {
	t, own := a.log.Seconds, a.log.LoggerAh
	digit, way := a.counterDigit(s, holes)
	for _, i := range holes {
		high := max(math.Abs(a.amps[i-1]), math.Abs(a.amps[i])) * (t[i] - t[i-1]) / 3600
		g := Gap{t[i-1], t[i], 0, high}
		if digit > 0 {
			moved := (own[i] - own[i-1]) * way // below nothing where it began anew
			if moved >= 0 && moved <= high*(1+counterDisagrees)+digit {
				g.AhLow, g.AhHigh = max(0, moved-digit), moved+digit
				s.Ah += g.AhLow
				s.Wh += g.AhLow * 0.5 * (a.volts[i] + a.volts[i-1])
				s.sumAmps += g.AhLow * 3600
				s.flowing += (t[i] - t[i-1]) * min(1, moved/max(high, digit))
			}
		}
		s.gapAh += g.AhHigh - g.AhLow
		a.r.Gaps = append(a.r.Gaps, g)
	}
}

// counterDigit is the least by which the logger's own counter moved within a segment, and which way it goes, 1 or -1.
// It is 0 where there is none, or where it does not say outside of the gaps what the samples add up to.
func (a *analysis) counterDigit(s *Segment, holes []int) (digit, way float64) {
	own := a.log.LoggerAh
	if own == nil || len(holes) == 0 {
		return 0, 0
	}
	digit = math.Inf(1)
	sum, next := 0.0, 0
	for i := s.first + 1; i <= s.last; i++ {
		if next < len(holes) && holes[next] == i {
			next++
			continue
		}
		d := own[i] - own[i-1]
		sum += d
		if math.Abs(d) > 1e-9 {
			digit = min(digit, math.Abs(d))
		}
	}
	if math.IsNaN(sum) || math.IsInf(digit, 1) || math.Abs(math.Abs(sum)-s.Ah) > counterDisagrees*s.Ah+digit {
		return 0, 0
	}
	return digit, math.Copysign(1, sum)
}

// typicalStep is the median sampling interval, from at most 1001 of the intervals.
func (a *analysis) typicalStep(first, last int) float64 {
	t := a.log.Seconds
	n := last - first
	if n < 1 {
		return math.Inf(1)
	}
	stride := max(1, n/1000)
	var d []float64
	for i := first + 1; i <= last; i += stride {
		if dt := t[i] - t[i-1]; dt > 2*logfile.Nudge || n < 4 {
			d = append(d, dt)
		}
	}
	if len(d) == 0 {
		return math.Inf(1)
	}
	slices.Sort(d)
	return d[len(d)/2]
}

// resistances takes every load step: |V before − V after t| / |ΔI| at 1, 10 and 30 s. When the load came on between
// two samples is not known, so that each is an interval, and what is wider than 15 % either way is left out: at 2 s or
// slower the value at 1 s.
func (a *analysis) resistances() {
	least := stepCRate * a.opt.RatedAh
	if least == 0 {
		least = 0.1 * a.usual
	}
	t, amps, v := a.log.Seconds, a.amps, a.volts
	fine := 2 * noiseOf(v, func(int) bool { return true })
	for k := 1; k < len(a.r.Segments); k++ {
		s := &a.r.Segments[k]
		if s.Kind == Rest || a.r.Segments[k-1].Kind != Rest || s.first == 0 {
			continue
		}
		if a.partBetween(s.first, s.first) {
			continue
		}
		i0 := s.first
		if math.Abs(amps[i0]-amps[i0-1]) < least && i0+1 < len(amps) || i0+1 < len(amps) &&
			math.Abs(amps[i0+1]-amps[i0]) > constantWithin*math.Abs(amps[i0+1]-amps[s.first-1]) {
			i0++ // the load came on within the interval
		}
		di := amps[i0] - amps[s.first-1]
		if math.Abs(di) < least {
			continue
		}
		if a.log.Seconds[s.first]-a.log.Seconds[s.first-1] > gapFactor*a.typicalStep(s.first, s.last) {
			continue // when it came on is not known at all
		}
		for _, after := range resistanceAfter {
			least, ok := a.dropAt(t[s.first-1], t[s.first-1]+after, i0, s.last, di)
			most, also := a.dropAt(t[i0], t[i0]+after, i0, s.last, di)
			if !ok || !also {
				continue
			}
			r, u := math.Abs((least+most)/2/di), (math.Abs(most-least)/2+fine)/math.Abs(di)
			if u > knownWithin*r {
				continue
			}
			a.r.Resistance = append(a.r.Resistance,
				Resistance{t[i0], after, math.Round(r*1e6) / 1e3, math.Round(u*1e6) / 1e3})
		}
	}
}

// dropAt is how far the voltage had moved from the rest before it at a time, for a load that came on at on: straight in
// the root of the time between two samples, over a steady current di. ok is false where no sample stands at or before
// that time with the load on, or none behind it.
func (a *analysis) dropAt(on, at float64, i0, last int, di float64) (drop float64, ok bool) {
	t, amps, v := a.log.Seconds, a.amps, a.volts
	before := i0 - 1
	for before > 0 && a.state(amps[before]) != 0 {
		before--
	}
	near := stampWithin * (at - on)
	if at < t[i0]-near {
		return 0, false
	}
	i := i0
	for i+1 <= last && t[i+1] <= at+near {
		i++
	}
	to := v[i]
	if at > t[i]+near {
		if i+1 > last {
			return 0, false
		}
		a0, a1 := math.Sqrt(max(0, t[i]-on)), math.Sqrt(t[i+1]-on)
		to += (v[i+1] - v[i]) * (math.Sqrt(at-on) - a0) / (a1 - a0)
		i++
	}
	if math.Abs(amps[i]-amps[i0]) > constantWithin*math.Abs(di)+a.band {
		return 0, false
	}
	return to - v[before], true
}

func meanOf(v []float64) float64 {
	sum := 0.0
	for _, x := range v {
		sum += x
	}
	return sum / float64(len(v))
}

// ResistanceAt returns the resistance of the first load step that has one at after seconds, in
// milliohms; ok is false where none was sampled.
func (r Result) ResistanceAt(after float64) (mohm float64, ok bool) {
	for _, x := range r.Resistance {
		if x.AfterS == after {
			return x.MilliO, true
		}
	}
	return 0, false
}

// Codes of what a log says of the module beyond its capacity.
const (
	CodeDrivenBelow    = "driven-below"    // a group below never-recharge: held until it was surveyed at rest
	CodeDrivenAbove    = "driven-above"    // a group above its limit: a survey settles it
	CodeSampleDoubtful = "sample-doubtful" // a sample that may be a slip: a survey settles it
)

// DrivenBelow is the finding that a group was driven below never-recharge, nil where none was.
func (r Result) DrivenBelow() *finding.Finding {
	for i := range r.Findings {
		if r.Findings[i].Code == CodeDrivenBelow {
			return &r.Findings[i]
		}
	}
	return nil
}

// Unsettled lists what only a survey can settle.
func (r Result) Unsettled() (out []finding.Finding) {
	for _, f := range r.Findings {
		if f.Code == CodeSampleDoubtful || f.Code == CodeDrivenAbove {
			out = append(out, f)
		}
	}
	return out
}

// Driven lists the findings that a test drove a group too far, either way.
func (r Result) Driven() (out []finding.Finding) {
	for _, f := range r.Findings {
		if f.Code == CodeDrivenAbove || f.Code == CodeDrivenBelow {
			out = append(out, f)
		}
	}
	return out
}
