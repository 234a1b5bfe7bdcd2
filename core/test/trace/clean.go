package trace

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// What no cell can do, rules §4.
const (
	jumpVolts     = 0.1  // of a group between two samples at one current, and
	mostJumpVolts = 1.0  // of a total, whatever its groups
	noiseSigmas   = 8    // a jump stands out of the noise by
	returnsBy     = 0.7  // of the jump: then the samples between were no voltage of the cells
	sameWithin    = 0.1  // of a current is the same current
	fallOfCharge  = 500  // V that a group falls at most for all of its capacity, at the steep end of the curve
	aboveKnee     = 0.3  // V over the floor from where no group falls through it between two samples
	wildBeyond    = 0.5  // of the usual current: a lone sample that the voltage does not answer
	restSigmas    = 4    // the dead band over the noise of the rests
	nearRest      = 0.25 // of the usual current, below which a sample may be a rest
	noiseSamples  = 8    // pairs that tell the noise
	mostBack      = 1000 // samples that are looked back for the beginning of a contact
	scanBudget    = 20   // samples looked at for each sample of the log, at most
)

// contact is a stretch of samples of one voltage that no cell could show: a contact that opened, or the logger.
type contact struct {
	what        string
	first, last int
	volts       float64 // the lowest or highest in it
	beside      float64 // just before or behind it
	open        bool    // it did not come back
}

// clean finds what the log's own physics contradicts before anything is worked out from it: lone samples of current
// that the voltage does not answer, and stretches of a voltage that left and came back at one current. The log itself
// stays as it is.
func (a *analysis) clean() {
	a.volts, a.groups, a.amps = a.log.Volts, a.log.Groups, a.log.Amps
	usual := a.usualAmps()
	a.usual = usual
	a.wildAmps(usual)
	a.band = a.opt.DeadBandAmps
	if a.band <= 0 {
		a.band = max(deadBandAmps, deadBandFraction*usual, a.restNoise(usual))
	}
	a.budget = scanBudget * len(a.amps)
	for g := range a.groups {
		if x, found := a.contacts(a.groups[g], a.groupName(g), jumpVolts, 1); len(found) > 0 {
			if len(a.bad) == 0 {
				a.groups = slices.Clone(a.groups)
			}
			a.groups[g], a.bad = x, append(a.bad, found...)
		}
	}
	n := max(1, a.opt.Series)
	if x, found := a.contacts(a.volts, "the total", min(jumpVolts*float64(n), mostJumpVolts),
		float64(n)); len(found) > 0 {
		a.volts = x
		if len(a.groups) == 0 || a.log.Columns.Volts != "" {
			a.bad = append(a.bad, found...)
		}
	}
	for i, c := range a.bad {
		if i == mostListed {
			a.more(codeContacts, len(a.bad)-i, "stretches of samples that no cell could show")
			break
		}
		a.sayContact(c)
	}
}

func (a *analysis) sayContact(c contact) {
	where := fmt.Sprintf("line %d", a.log.LineOf(c.first))
	if c.last > c.first {
		where = fmt.Sprintf("lines %d to %d", a.log.LineOf(c.first), a.log.LineOf(c.last))
	}
	text := fmt.Sprintf("%s reads %.3f V in %s, and %.3f V before and after it at the same current: a contact or the "+
		"logger, no cell does that. Nothing is taken from it.", upperFirst(c.what), c.volts, where, c.beside)
	if c.open {
		text = fmt.Sprintf("%s falls from %.3f V to %.3f V between two samples at %s, faster than a cell can: a "+
			"contact that opened. What it did after that is not known.", upperFirst(c.what), c.beside, c.volts, where)
	}
	a.find(finding.New(finding.Caution, codeContact).About(c.what).
		Reads(numeral.Round3(c.volts), "V").Against(numeral.Round3(c.beside)).
		Says("%s", text).
		Then("Look at that lead and its contact before the next test."))
}

// usualAmps is the current that most of the charge flowed with: the median by charge, so that a long rest and a lone
// wild sample move it little.
func (a *analysis) usualAmps() float64 {
	stride := max(1, len(a.amps)/20000)
	var s []float64
	sum := 0.0
	for i := 0; i < len(a.amps); i += stride {
		if x := math.Abs(a.amps[i]); x > deadBandAmps {
			s = append(s, x)
		}
	}
	slices.Sort(s)
	// A sample beyond twenty times the middle of what flows moves no charge that a log is made of.
	if n := len(s); n > 2 {
		for n > 1 && s[n-1] > 20*s[n/2] {
			n--
		}
		s = s[:n]
	}
	for _, x := range s {
		sum += x
	}
	half := 0.0
	for _, x := range s {
		if half += x; half >= sum/2 {
			return x
		}
	}
	return maxAbs(a.amps)
}

// wildAmps takes lone samples of current for what stands beside them where the voltage does not answer. What may have
// flowed in them goes into the uncertainty.
func (a *analysis) wildAmps(usual float64) {
	amps, v, t := a.log.Amps, a.log.Volts, a.log.Seconds
	quiet := max(1e-3*float64(max(1, a.opt.Series)), 3*noiseOf(v, func(int) bool { return true }))
	for i := 1; i+1 < len(amps); i++ {
		before, after := amps[i-1], amps[i+1]
		mean := (before + after) / 2
		if math.Abs(amps[i]-mean) <= wildBeyond*usual ||
			math.Abs(before-after) > max(sameWithin*math.Abs(mean), 2*deadBandAmps) ||
			math.Abs(v[i]-(v[i-1]+v[i+1])/2) > max(quiet, math.Abs(v[i+1]-v[i-1])) || a.partBetween(i, i+1) {
			continue
		}
		a.wild = append(a.wild, wildSample{at: i, was: amps[i], mean: mean,
			ah: math.Abs(mean) * (t[i+1] - t[i-1]) / 2 / 3600})
		amps[i] = mean
	}
	for n, w := range a.wild {
		if n == mostListed {
			a.more(codeWild, len(a.wild)-n, "lone samples of current that the voltage does not answer")
			break
		}
		line := a.log.LineOf(w.at)
		a.find(finding.New(finding.Note, codeWildSample).About(fmt.Sprintf("line %d",
			line)).Reads(numeral.Round3(w.was), "A").
			Says("Line %d reads %s A alone, among %s A, and the voltage does not answer: taken for a slip of the "+
				"logger. What may have flowed in it is in the uncertainty.", line, numeral.Text(numeral.Round3(w.was)),
				numeral.Text(numeral.Round3(amps[w.at]))).
			Then("Nothing, where it is one sample. Where there are many, look at the shunt's leads."))
	}
}

// wildSample is a lone sample of current that the voltage does not answer.
type wildSample struct {
	at   int
	was  float64
	mean float64 // of those beside it, as written
	ah   float64 // that may have flowed in it, at most, either way
}

// settled takes the currents as settleSign left them for what is worked out, and puts the wild ones back into the log.
func (a *analysis) settled() {
	a.amps = a.log.Amps
	if len(a.wild) == 0 {
		return
	}
	a.amps = slices.Clone(a.log.Amps)
	for _, w := range a.wild {
		if a.log.Amps[w.at] = w.was; a.amps[w.at]*w.mean < 0 {
			a.log.Amps[w.at] = -w.was
		}
	}
}

// noiseOf is the standard deviation of the noise of a column, from how far samples lie beside the middle of those
// around them; at most 5000 are asked.
func noiseOf(v []float64, may func(i int) bool) float64 {
	stride := max(1, len(v)/5000)
	var d []float64
	for i := 1; i+1 < len(v); i += stride {
		if !may(i) {
			continue
		}
		if x := math.Abs(v[i] - (v[i-1]+v[i+1])/2); !math.IsNaN(x) {
			d = append(d, x)
		}
	}
	if len(d) < noiseSamples {
		return 0
	}
	slices.Sort(d)
	// Of a normal noise 68 % lie within one sigma; the middle of three has 1.22 sigma.
	return d[len(d)*68/100] / math.Sqrt(1.5)
}

// restNoise is the dead band that the noise of the rests asks for: around nothing, four times its sigma. Steps of
// a coarse meter, which are mostly none, count by their largest of a hundred.
func (a *analysis) restNoise(usual float64) float64 {
	amps := a.amps
	rest := func(i int) bool { return math.Abs(amps[i]) < nearRest*usual }
	var d []float64
	stride := max(1, len(amps)/20000)
	for i := 1; i < len(amps); i += stride {
		if rest(i) && rest(i-1) {
			d = append(d, math.Abs(amps[i]-amps[i-1]))
		}
	}
	if len(d) < noiseSamples {
		return 0
	}
	slices.Sort(d)
	sigma := d[len(d)*95/100] / (1.96 * math.Sqrt2)
	return restSigmas * sigma
}

// contacts returns a column without the stretches that left it by a jump and came back at the same current, drawn
// straight through; or left it for good, faster than a cell can fall, missing from there on. groups is how many the
// column is the voltage of.
//
// In one piece: a jump, its way back and what stands between are looked at together, sample by sample.
func (a *analysis) contacts(v []float64, what string, least, groups float64) (clean []float64, found []contact) {
	amps, n := a.log.Amps, len(v)
	jump := max(least, noiseSigmas*noiseOf(v, func(int) bool { return true }))
	same := func(i, k int) bool {
		return math.Abs(amps[i]-amps[k]) <= max(2*a.band, sameWithin*math.Abs(amps[i])) // signed: a charge is another
	}
	clean = v
	through := func(first, last int) {
		if len(found) == 0 {
			clean = slices.Clone(v)
		}
		from, to := v[first-1], v[last+1]
		for k := first; k <= last; k++ {
			clean[k] = from + (to-from)*float64(k-first+1)/float64(last-first+2)
		}
	}
	for i := 1; i < n; i++ {
		d := v[i] - v[i-1]
		if !(math.Abs(d) > jump) || !same(i-1, i) || a.partBetween(i, i) {
			continue
		}
		back, extreme := -1, v[i]
		for k := i + 1; k < n && a.budget > 0 && !a.partBetween(k, k); k++ {
			a.budget--
			if !same(i-1, k) {
				break
			}
			if (v[k]-v[i-1])/d <= 1-returnsBy {
				back = k
				break
			}
			if d < 0 {
				extreme = min(extreme, v[k])
			} else {
				extreme = max(extreme, v[k])
			}
		}
		from := a.cameBack(v, i, d, groups)
		switch {
		case back > 0:
			through(i, back-1)
			found = append(found, contact{what: what, first: i, last: back - 1, volts: extreme, beside: v[i-1]})
			i = back
		case from > 0:
			if len(found) == 0 {
				clean = slices.Clone(v)
			}
			for k := from; k < i; k++ {
				clean[k] = v[i]
			}
			found = append(found, contact{what: what, first: from, last: i - 1, volts: v[i-1], beside: v[i]})
		case d < 0 && a.fellTooFast(v, i, groups):
			if len(found) == 0 {
				clean = slices.Clone(v)
			}
			last := i
			for k := i; k < n && !a.partBetween(k, k) && v[k] < v[i-1]-returnsBy*-d; k++ {
				clean[k] = math.NaN()
				last = k
			}
			if groups > 1 || len(a.groups) == 0 { // a total is needed in every line
				copy(clean[i:last+1], v[i:last+1])
			}
			found = append(found, contact{what: what, first: i, last: last, volts: v[i], beside: v[i-1], open: true})
			i = last
		}
	}
	return clean, found
}

// cameBack is the first sample of a stretch that ends by a rise at one current that no cell shows, and began as the
// current changed; 0 for none.
func (a *analysis) cameBack(v []float64, i int, d, groups float64) int {
	if d < 0 || math.Abs(a.amps[i]) <= a.band || d/groups <= a.fastest(i) {
		return 0
	}
	k := i - 1
	a.budget -= mostBack
	if a.budget < 0 {
		return 0
	}
	for k > 0 && v[k] < v[i]-returnsBy*d && !a.partBetween(k, k) && i-k < mostBack {
		k--
	}
	if v[k] < v[i]-returnsBy*d {
		return 0
	}
	return k + 1
}

// fastest is how far the volts of a group move at most between a sample and the one before.
func (a *analysis) fastest(i int) float64 {
	ah := a.opt.RatedAh
	if ah <= 0 {
		if a.moved == nil {
			a.moved = make([]float64, len(a.amps))
			for k := 1; k < len(a.amps); k++ {
				a.moved[k] = a.moved[k-1] + math.Abs(a.amps[k])*(a.log.Seconds[k]-a.log.Seconds[k-1])/3600
			}
		}
		ah = a.moved[i]
	}
	return jumpVolts + fallOfCharge*math.Abs(a.amps[i])*(a.log.Seconds[i]-a.log.Seconds[i-1])/3600/ah
}

// fellTooFast reports whether a voltage that flowed above the knee of its curve fell through the floor between two
// samples with less charge than the steepest end of a curve takes.
func (a *analysis) fellTooFast(v []float64, i int, groups float64) bool {
	floor := a.opt.FloorVolts
	if floor <= 0 || math.Abs(a.amps[i]) <= a.band || v[i-1]/groups < floor+aboveKnee || v[i]/groups > floor {
		return false
	}
	return (v[i-1]-v[i])/groups > a.fastest(i)
}

// opened is a lead that was open at a sample, nil where none was.
func (a *analysis) opened(at int) *contact {
	for i := range a.bad {
		if c := &a.bad[i]; c.open && c.first <= at && at <= c.last {
			return c
		}
	}
	return nil
}

// groupName is how a group of the log is called: by its number in the module.
func (a *analysis) groupName(i int) string {
	return fmt.Sprintf("group %d", a.groupNumber(i)+max(a.opt.FirstGroup, 1)-1)
}

func (a *analysis) groupNumber(i int) int {
	if a.numbers == nil {
		return i + 1
	}
	return a.numbers[i]
}

// missing names the groups that have no column, nil for none.
func (a *analysis) missing() (out []int) {
	if len(a.log.Groups) == 0 || a.numbers == nil {
		return nil
	}
	for n := 1; n <= a.opt.Series; n++ {
		if !slices.Contains(a.numbers, n) {
			out = append(out, n)
		}
	}
	return out
}

// count settles how many groups are in series and which are in the log, from what was said, the numbers in the names
// of its columns, and a total beside them.
func (a *analysis) count() {
	log, told := a.log, a.opt.Series > 0
	a.seriesTold = told || len(log.Groups) > 0
	a.numbers = log.Columns.Numbers
	if n := len(a.numbers); n > 0 {
		lowest, highest := a.numbers[0], a.numbers[n-1]
		each := medianOf(log.Groups[n/2])
		switch {
		case !told && log.Columns.Volts != "" && each > 0:
			a.opt.Series = max(n, int(math.Round(medianOf(log.Volts)/each)))
		case !told:
			a.opt.Series = max(n, highest)
		}
		if n == a.opt.Series && told {
			a.numbers = nil // a part of a module, counted as the module is: the first on the clamps is the first
		} else if highest > a.opt.Series && told {
			a.numbers = slices.Clone(a.numbers)
			for i := range a.numbers {
				a.numbers[i] -= lowest - 1
			}
		}
	}
	if a.opt.Series == 0 {
		a.opt.Series = max(1, len(log.Groups))
	}
	gone := a.missing()
	if len(gone) == 0 {
		return
	}
	if log.Columns.Volts == "" { // what was added up is less than all
		log.Volts = slices.Clone(log.Volts)
		for i := range log.Volts {
			log.Volts[i] *= float64(a.opt.Series) / float64(len(log.Groups))
		}
	}
	var names []string
	for i := range gone {
		gone[i] += max(a.opt.FirstGroup, 1) - 1
		names = append(names, fmt.Sprint(gone[i]))
	}
	named := "group " + names[0]
	if len(names) > 1 {
		named = "groups " + finding.Names(names, "groups")
	}
	a.find(finding.New(finding.Caution, codeGroupMissing).About(fmt.Sprintf("group %d",
		gone[0])).Reads(float64(len(gone)), "groups").Against(0).
		Says("The log has no column of %s: whether it met its floor before the others is not known.", named).
		Then("Log every group: the one that nobody looks at is the one that is driven too low."))
}
