// Package isolation works out how well a module or a pack is isolated from its case, from voltages against the case
// (rules §2.7, after ISO 6469-1 and FMVSS 305).
package isolation

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
)

// IsolationVerdict is what an isolation check comes to.
type Verdict string

// Verdicts of an isolation check.
const (
	NotMeasured Verdict = "not measured"
	OK          Verdict = "ok"
	Low         Verdict = "caution"
	Stop        Verdict = "stop"
)

// Passed reports whether work may go on.
func (v Verdict) Passed() bool { return v != Stop }

// Isolation limits, rules §2.7: ohms per volt of the highest working voltage.
const (
	isolationStop    = 100.0
	isolationHigh    = 500.0
	defaultMeterOhms = 10e6
)

// CaseReadings are settled magnitudes against the case, in volts: of the whole module or pack, of
// its positive end and of its negative end. MeterOhms is the meter's input resistance, 0 for 10 MΩ;
// MeterAccuracyVolts its ±. WorkingVolts is the highest working voltage, 0 to take PackVolts.
//
// With a known resistor: KnownOhms across the side with the larger reading, which makes that
// reading KnownVolts. Both are zero where the method was not used.
type Readings struct {
	PackVolts          float64 `json:"PackVolts"`
	PositiveVolts      float64 `json:"PositiveVolts"`
	NegativeVolts      float64 `json:"NegativeVolts"`
	MeterOhms          float64 `json:"MeterOhms"`
	MeterAccuracyVolts float64 `json:"MeterAccuracyVolts"`
	WorkingVolts       float64 `json:"WorkingVolts"`
	KnownOhms          float64 `json:"KnownOhms"`
	KnownVolts         float64 `json:"KnownVolts"`
}

// movedShare is how far a module's voltage may have moved since its survey by charging or discharging.
const movedShare = 0.25

// FitsVolts reports whether the voltage between both ends can be that of groups which were surveyed at sum volts
// together, 0 for none: else the meter does not touch both ends.
func (c Readings) FitsVolts(sum float64) bool {
	return sum <= 0 || math.Abs(c.PackVolts-sum) <= movedShare*sum
}

// KnownResistor returns the resistor to use for a pack: about 500 Ω per volt, and the watts it
// must bear, twice what it takes.
func KnownResistor(packVolts float64) (ohms, watts float64) {
	ohms = 500 * packVolts
	return ohms, 2 * packVolts * packVolts / ohms
}

// JudgeIsolation works out the insulation resistance of both ends against the case: R_pos = R_m·(V − V1 − V2)/V2, R_neg
// = R_m·(V − V1 − V2)/V1 from the voltages alone, or with a known resistor R_iso = R0·(1 + V2/V1)·(V1 − V1')/V1' (ISO
// 6469-1, FMVSS 305). Where a divisor lies below the meter's accuracy the result is a lower bound; where the numerator
// does, an upper one, and it is judged as if it were nothing. It fails when a reading is not possible, saying which.
func JudgeReadings(c Readings) (Result, []finding.Finding, error) {
	iso := Result{Verdict: NotMeasured}
	for _, f := range []struct {
		name string
		v    float64
	}{{"module voltage", c.PackVolts}, {"positive to case", c.PositiveVolts}, {"negative to case", c.NegativeVolts},
		{"known resistor", c.KnownOhms}, {"with the resistor", c.KnownVolts}, {"meter", c.MeterOhms},
		{"accuracy", c.MeterAccuracyVolts}, {"working voltage", c.WorkingVolts}} {
		if math.IsNaN(f.v) || math.IsInf(f.v, 0) || f.v < 0 {
			return iso, nil, fmt.Errorf("%s %v: expected a magnitude, 0 or more", f.name, f.v)
		}
	}
	if c.PackVolts <= 0 {
		return iso, nil, fmt.Errorf("module voltage 0 V: expected the voltage between both ends")
	}
	acc := max(c.MeterAccuracyVolts, 0.005)
	if acc > c.PackVolts*coarsest { // each reading could be nothing or all of it: a leak would pass as none
		return iso, nil, fmt.Errorf("a meter good to ± %.3g V tells nothing of %.2f V: expected one good to %.2f V or "+
			"less", acc, c.PackVolts, c.PackVolts*coarsest)
	}
	if sum := c.PositiveVolts + c.NegativeVolts; sum > c.PackVolts*1.02+2*acc {
		return iso, nil, fmt.Errorf("both ends together read %.2f V against the case, the module has %.2f V: "+
			"expected no more than that. Let the readings settle", sum, c.PackVolts)
	}
	rm := c.MeterOhms
	if rm == 0 {
		rm = defaultMeterOhms
	}
	lesser, known := c.byMeter(rm, acc, &iso)
	how := "from the meter's input resistance"
	if c.KnownOhms > 0 {
		r, err := c.byResistor(acc)
		if err != nil {
			return iso, nil, err
		}
		lesser, known, how = r, exactly, "by the known resistor"
	}
	return iso, c.verdict(&iso, lesser, known, how), nil
}

// coarsest is the share of the module's voltage beyond which a meter tells nothing of its isolation.
const coarsest = 0.1

// What is known of a resistance.
const (
	exactly = iota
	atLeast // hardly anything leaks: the divisor lies below the meter's accuracy
	// nearly all of the voltage stands against the case: the numerator lies below it, and nothing keeps the
	// resistance from being zero
	atMost
)

// byMeter fills both resistances and returns the lesser, with what is known of it.
func (c Readings) byMeter(rm, acc float64, iso *Result) (lesser float64, known int) {
	rest := c.PackVolts - c.PositiveVolts - c.NegativeVolts
	side := func(divisor float64) (float64, int) {
		switch {
		case divisor < acc:
			return rm * max(rest, acc) / acc, atLeast
		case rest < acc:
			return rm * acc / divisor, atMost
		}
		return rm * rest / divisor, exactly
	}
	pos, posKnown := side(c.NegativeVolts)
	neg, negKnown := side(c.PositiveVolts)
	iso.RPosOhms, iso.RNegOhms = &pos, &neg
	if posKnown == atMost || negKnown == atMost { // nothing worse can be said of either side
		if posKnown == atMost && (negKnown != atMost || pos < neg) {
			return pos, atMost
		}
		return neg, atMost
	}
	if pos < neg {
		return pos, posKnown
	}
	return neg, negKnown
}

func (c Readings) byResistor(acc float64) (float64, error) {
	v1, v2 := max(c.PositiveVolts, c.NegativeVolts), min(c.PositiveVolts, c.NegativeVolts)
	switch {
	case v1 < acc:
		return 0, fmt.Errorf("the larger reading against the case is %.3f V: too small for the resistor method", v1)
	case c.KnownVolts < acc:
		return 0, fmt.Errorf("with the resistor the reading is %.3f V: too small to work with, expected a larger "+
			"resistor", c.KnownVolts)
	case c.KnownVolts > v1:
		return 0, fmt.Errorf("with the resistor the reading rose from %.3f to %.3f V: expected it to fall. Is the "+
			"resistor across the side with the larger reading?", v1, c.KnownVolts)
	}
	return c.KnownOhms * (1 + v2/v1) * (v1 - c.KnownVolts) / c.KnownVolts, nil
}

// verdict judges ohms per volt of the highest working voltage.
func (c Readings) verdict(iso *Result, ohms float64, known int, how string) []finding.Finding {
	volts := c.WorkingVolts
	if volts == 0 {
		volts = c.PackVolts
	}
	per := ohms / volts
	f := finding.Finding{Subject: CasePoint, Measured: finding.Of(math.Round(per)), Limit: finding.Of(isolationHigh),
		Unit: "Ω/V", Rule: "rules §2.7"}
	word := map[int]string{atLeast: "above ", atMost: "below "}[known]
	size := fmt.Sprintf("%s%s, %s%.0f Ω per volt %s", word, ohmText(ohms), word, per, how)
	switch {
	case known == atMost && per >= isolationStop: // it may be nothing: the lower end counts
		iso.Verdict = Stop
		f.Level, f.Code, f.Limit = finding.Stop, "isolation", finding.Of(isolationStop)
		f.Text, f.Do = "The case is not isolated, or by too little for this meter to tell: "+size+".",
			"Measure with a known resistor for a number. Until then do not touch the case and a post together."
	case per < isolationStop:
		iso.Verdict = Stop
		f.Level, f.Code, f.Limit = finding.Stop, "isolation", finding.Of(isolationStop)
		f.Text, f.Do = "The case is not isolated: "+size+".", "Do not touch the case and a post together. Find the "+
			"leak before anything else."
	case per < isolationHigh && volts > limits.TouchDryVolts:
		iso.Verdict = Stop
		f.Level, f.Code = finding.Stop, "isolation"
		f.Text, f.Do = fmt.Sprintf("Isolation is too low for %.0f V: %s.", volts, size),
			"Find the leak before anything else."
	case per < isolationHigh:
		iso.Verdict = Low
		f.Level, f.Code = finding.Caution, "isolation-low"
		f.Text, f.Do = "Isolation is low: "+size+".", "Clean and dry it, and measure again. It must be better in a "+
			"bank above 60 V."
	default:
		iso.Verdict = OK
		f.Level, f.Code = finding.Note, "isolation-ok"
		f.Text, f.Do = "Nothing leaks below the limit now: "+size+".",
			"Measure again after cleaning, and before it goes into a bank above 60 V."
	}
	return []finding.Finding{f}
}

func ohmText(o float64) string {
	switch {
	case o >= 1e6:
		return fmt.Sprintf("%.1f MΩ", o/1e6)
	case o >= 1e3:
		return fmt.Sprintf("%.1f kΩ", o/1e3)
	}
	return fmt.Sprintf("%.0f Ω", o)
}

// CasePoint is the name of the module's case. Readings against it stay out of the map.
const CasePoint = "case"

// Isolation is the judgement on the case; "not measured" until both ends were read against it.
type Result struct {
	RPosOhms *float64 `json:"r_pos_ohms"`
	RNegOhms *float64 `json:"r_neg_ohms"`
	Verdict  Verdict  `json:"verdict"`
}
