package trace

import (
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
	"pandrel/core/test/logfile"
)

// plausible asks whether the figures can be true at all (rules §4). A log that cannot be is held: it
// has no capacity, and the likely cause is offered with the reading that would make it plausible.
func (a *analysis) plausible() {
	h := a.doubt()
	if h == nil {
		return
	}
	a.r.Held = h
	a.r.Capacity = nil
	a.r.AsFoundAh, a.r.BalancedAh = nil, nil
	for i := range a.r.Cycles {
		a.r.Cycles[i].Complete, a.r.Cycles[i].SoH = false, nil
	}
	// What was said of a capacity that is not one would be read as one.
	a.r.Findings = slices.DeleteFunc(a.r.Findings, func(f finding.Finding) bool { return f.Subject == "capacity" })
	a.find(finding.New(finding.Stop, codeHeld).About(h.Cause).
		Says("%s", h.Text).
		Then("%s", h.Try))
}

// reading is a unit that may have been taken for another: what it multiplies the amp hours by when put right.
type reading struct {
	cause, what string
	factor      float64
	of          logfile.Kind
	unit        string
}

var readings = []reading{
	{"milliamps", "the current is in milliamps", 1e-3, logfile.KAmps, "mA"},
	{"amps", "the current is in amps, although the header says milliamps", 1e3, logfile.KAmps, "A"},
	{"milliseconds", "the time is in milliseconds", 1e-3, logfile.KTime, "ms"},
	{"minutes", "the time is in minutes", 60, logfile.KTime, "min"},
	{"hours", "the time is in hours", 3600, logfile.KTime, "h"},
	{"tenth", "the current is ten times what was logged: a shunt or a clamp on another range", 10, logfile.KAmps,
		"x10"},
	{"tenfold", "the current is a tenth of what was logged: a shunt or a clamp on another range", 0.1, logfile.KAmps,
		"x0.1"},
	{"days", "the time is in days, as spreadsheets count", 86400, logfile.KTime, "d"},
	{"seconds", "the time is in seconds, although the header says minutes", 1.0 / 60, logfile.KTime, "s"},
	{"seconds", "the time is in seconds, although the header says hours", 1.0 / 3600, logfile.KTime, "s"},
	{"seconds", "the time is in seconds, although the header says milliseconds", 1000, logfile.KTime, "s"},
}

// fitting are the mistaken units that the file allows: a unit that the header states is doubted only the
// other way round.
func (a *analysis) fitting() []reading {
	now := map[logfile.Kind]string{}
	for i, k := range a.log.Table.Kinds {
		for _, of := range []logfile.Kind{logfile.KAmps, logfile.KTime} {
			if k == logfile.KindNames[of] {
				now[of] = a.log.Table.Units[i]
			}
		}
	}
	var out []reading
	for _, r := range readings {
		f, stated := logfile.UnitFactor(r.of, now[r.of])
		if !stated {
			f = 1
		}
		to, _ := logfile.UnitFactor(r.of, r.unit)
		if r.of == logfile.KTime && a.log.Clocked {
			continue
		}
		if stated && math.Abs(to/f/r.factor-1) > 1e-9 || !stated && (math.Abs(to/r.factor-1) > 1e-9 || r.factor == 1) {
			continue
		}
		out = append(out, r)
	}
	return out
}

// doubt looks for what would make a figure that cannot be true one that can.
//
// In one piece: the causes that fit a figure which cannot be true are tried in turn, the likeliest first.
func (a *analysis) doubt() *Held {
	t := a.log.Seconds
	if len(t) < 2 {
		return nil
	}
	if a.log.Table.DatesUnsure {
		return &Held{"date-order", "The dates can be read with the day or the month first, and the days between " +
			"them differ.", "Say which comes first: date order dmy or mdy."}
	}
	if h := a.doubtVolts(); h != nil {
		return h
	}
	duration := t[len(t)-1]
	ah := 0.0
	for _, r := range a.runs {
		ah = max(ah, r.Ah)
	}
	amps := a.typicalAmps()
	expected := a.expectedAh()
	if len(a.runs) == 0 { // all of it below the dead band
		for i := 1; i < len(t); i++ {
			ah += 0.5 * math.Abs(a.amps[i]+a.amps[i-1]) * (t[i] - t[i-1]) / 3600
		}
		amps = maxAbs(a.amps)
	}
	// by tells whether a factor makes all of it plausible.
	by := func(r reading) bool {
		d, q, i := duration, ah*r.factor, amps
		if r.of == logfile.KTime {
			d *= r.factor
		} else {
			i *= r.factor
		}
		if d < leastSeconds || d > mostSeconds || a.opt.RatedAh > 0 &&
			(i > mostCRate/2*a.opt.RatedAh || q > 1.2*a.opt.RatedAh) || a.opt.RatedAh <= 0 && i > 1000 {
			return false
		}
		return expected <= 0 || q > 0.3*expected && q < 2*expected
	}
	offer := func(why string, ks ...logfile.Kind) *Held {
		var best *reading
		for _, r := range a.fitting() {
			if by(r) && (best == nil || slices.Contains(ks, r.of) && !slices.Contains(ks, best.of) || expected > 0 &&
				math.Abs(math.Log(ah*r.factor/expected)) < math.Abs(math.Log(ah*best.factor/expected))) {
				best = &r
			}
		}
		if best == nil {
			return &Held{"implausible", why, "Look at the columns, units and rated capacity, and say what each " +
				"column holds."}
		}
		n := slices.Index(a.log.Table.Kinds, logfile.KindNames[best.of]) + 1
		return &Held{best.cause, fmt.Sprintf("%s Likely %s: then it is %s Ah in %s.", why, best.what,
			numeral.Text(ah*best.factor), lasting(duration, *best)),
			fmt.Sprintf("Say that column %d is %s:%s, or what it holds. A current that was checked with a second "+
				"meter can be said to be right.", n, logfile.KindNames[best.of], best.unit)}
	}
	rated := a.opt.RatedAh
	switch {
	case rated > 0 && amps > mostCRate*rated:
		return offer(fmt.Sprintf("A current of %s A is %.0f C.", numeral.Text(amps), amps/rated), logfile.KAmps)
	case rated <= 0 && amps > 2000:
		return offer(fmt.Sprintf("A current of %s A.", numeral.Text(amps)), logfile.KAmps)
	case duration > mostSeconds:
		return offer(fmt.Sprintf("The log lasts %.0f days.", duration/86400), logfile.KTime)
	case ah > 0 && rated > 0 && ah > mostOfRated*rated:
		return offer(fmt.Sprintf("%s Ah are %.0f %% of rated.", numeral.Text(ah), ah/rated*100), logfile.KTime)
	case duration < leastSeconds && ah > 0:
		return offer(fmt.Sprintf("The log lasts %s s.", numeral.Text(duration)), logfile.KTime)
	case a.opt.Checked:
	case expected > 0 && ah > 0 && ah < leastOfExpected*expected:
		return offer(fmt.Sprintf("The voltage falls as it does over about %s Ah, and only %s Ah were counted.",
			numeral.Text(expected), numeral.Text(ah)), logfile.KTime, logfile.KAmps)
	case expected > 0 && ah > mostOfExpected*expected && ah > 0.5*rated:
		return offer(fmt.Sprintf("The voltage falls as it does over about %s Ah, and %s Ah were counted.",
			numeral.Text(expected), numeral.Text(ah)), logfile.KTime, logfile.KAmps)
	}
	return nil
}

func lasting(seconds float64, r reading) string {
	if r.of == logfile.KTime {
		seconds *= r.factor
	}
	switch {
	case seconds < 600:
		return fmt.Sprintf("%.0f s", seconds)
	case seconds < 2*86400:
		return fmt.Sprintf("%.1f h", seconds/3600)
	}
	return fmt.Sprintf("%.1f days", seconds/86400)
}

// doubtVolts holds a log whose volts are not those of so many groups.
func (a *analysis) doubtVolts() *Held {
	mid := medianOf(a.volts)
	if len(a.groups) > 0 {
		mid = 0
		for _, g := range a.groups {
			mid = max(mid, medianOf(g))
		}
		if mid > 5 && mid < 5000 && mid > 500 {
			return &Held{"millivolts", fmt.Sprintf("A group at %s V.", numeral.Text(mid)),
				"Likely the groups are in millivolts: say so for each of their columns, group 1:mV."}
		}
		if mid > 5 || mid < 0 {
			return &Held{"group-volts", fmt.Sprintf("A group at %s V: no group has that.", numeral.Text(mid)),
				"Look at which columns are groups, and their units."}
		}
		return nil
	}
	if !a.seriesTold {
		if mid > 1500 {
			return &Held{"millivolts", fmt.Sprintf("%s V.", numeral.Text(mid)),
				"Likely the voltage is in millivolts: say volts:mV for its column."}
		}
		return nil
	}
	each := mid / float64(a.opt.Series)
	switch {
	case each >= 0 && each <= 5 && (!a.known || each > 0.5*a.c.NeverRechargeVolts):
		return nil
	case each > 500:
		return &Held{"millivolts", fmt.Sprintf("%s V over %s.", numeral.Text(mid), numeral.Count(a.opt.Series,
			"group")),
			"Likely the voltage is in millivolts: say volts:mV for its column."}
	case each < 0.02 && each > 0 && mid*1000/float64(a.opt.Series) < 5:
		return &Held{"volts", fmt.Sprintf("%s V over %s.", numeral.Text(mid), numeral.Count(a.opt.Series, "group")),
			"Likely the voltage is in volts although the header says millivolts: say volts:V for its column."}
	case each >= 0 && each <= 5:
		return &Held{"series", fmt.Sprintf("%.2f V over %s is %.3f V for each.", mid, numeral.Count(a.opt.Series,
			"group"), each),
			"Look at the series count, and at which column is the module's voltage."}
	}
	return &Held{"series", fmt.Sprintf("%.2f V over %s is %.3f V for each: no group has that.", mid,
		numeral.Count(a.opt.Series, "group"), each),
		"Look at the series count, and at which column is the module's voltage."}
}

func medianOf(v []float64) float64 {
	stride := max(1, len(v)/1000)
	var s []float64
	for i := 0; i < len(v); i += stride {
		if !math.IsNaN(v[i]) {
			s = append(s, v[i])
		}
	}
	if len(s) == 0 {
		return 0
	}
	slices.Sort(s)
	return s[len(s)/2]
}

// typicalAmps is the median size of the current while it flows.
func (a *analysis) typicalAmps() float64 {
	var s []float64
	stride := max(1, len(a.amps)/5000)
	for i := 0; i < len(a.amps); i += stride {
		if x := math.Abs(a.amps[i]); x > a.band {
			s = append(s, x)
		}
	}
	if len(s) == 0 {
		return 0
	}
	slices.Sort(s)
	return s[len(s)/2]
}

// expectedAh is what the largest discharge must have moved by the voltages at which it began and ended, as
// part of the rated capacity; 0 where they cannot tell. It is rough, and only good to find a wrong unit.
func (a *analysis) expectedAh() float64 {
	if !a.known || a.opt.RatedAh <= 0 || !a.seriesTold {
		return 0
	}
	first, last := 0, 0
	var main *run
	for i := range a.runs {
		if main == nil || a.runs[i].Ah > main.Ah {
			main = &a.runs[i]
		}
	}
	if main != nil {
		first, last = a.r.Segments[main.from].first, a.r.Segments[main.to].last
		if first > 0 && a.r.Segments[main.from-1].Kind == Rest {
			first--
		}
	} else { // nothing flowed: from the highest voltage to the lowest after it
		for i := range a.volts {
			if a.volts[i] > a.volts[first] {
				first = i
			}
		}
		last = first
		for i := first; i < len(a.volts); i++ {
			if a.volts[i] < a.volts[last] {
				last = i
			}
		}
	}
	_, from := a.groupVolts(first)
	low, _ := a.groupVolts(last)
	share := a.c.Curve.SoC(from) - a.c.Curve.SoC(max(low, 0))
	if a.c.Curve.Flat(from) || share < 0.5 {
		if main == nil || !(main.full && main.floor) {
			return 0
		}
		share = 1
	}
	return 0.8 * share * a.opt.RatedAh
}
