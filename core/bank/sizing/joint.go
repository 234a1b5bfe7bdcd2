package sizing

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
	"pandrel/core/base/limits"
)

// Limits of the joint check, rules §17.
const (
	LeastCheckAmps = 20.0
	OutlierFactor  = 1.5
	OutlierRiseK   = 20.0
)

// Joint is one joint with what was measured across it. Kind groups like joints; RiseK is nil where not measured.
type Joint struct {
	Name   string
	Kind   string
	MilliV float64
	RiseK  *float64
}

// JointJudged is one joint's resistance and whether it is to be retightened.
type JointJudged struct {
	Name      string  `json:"name"`
	Kind      string  `json:"kind"`
	MicroOhm  float64 `json:"uohm"`
	Watts     float64 `json:"watts"`
	OfMedian  float64 `json:"of_median"`
	Retighten bool    `json:"retighten"`
	Why       string  `json:"why"`
}

// Joints judges millivolts at a current. Like joints are compared with their median; where only two are alike the lower
// is the reference, and one alone has none.
func Joints(amps float64, js []Joint) (out []JointJudged, fs []finding.Finding, err error) {
	if !(amps > 0 && amps < 1e5) {
		return nil, nil, fmt.Errorf("%v A: expected the current at which the millivolts were read", amps)
	}
	if len(js) == 0 {
		return nil, nil, fmt.Errorf("no joints: expected millivolts for each")
	}
	kinds := map[string][]float64{}
	for _, j := range js {
		if !(math.Abs(j.MilliV) < 5000) {
			return nil, nil, fmt.Errorf("%s: %v mV: expected what stands across one joint", j.Name, j.MilliV)
		}
		kinds[j.Kind] = append(kinds[j.Kind], math.Abs(j.MilliV))
	}
	if amps < LeastCheckAmps {
		fs = append(fs, finding.New(finding.Caution, codeCurrentSmall).About("joints").
			Reads(amps, "A").Against(LeastCheckAmps).By("rules §17").
			Says("%.1f A is little for a joint check: the meter's last digit decides.", amps).
			Then("Repeat it at 20 A or more."))
	}
	for _, j := range js {
		x, ref := j.judged(amps, kinds[j.Kind])
		if x.Retighten {
			fs = append(fs, finding.New(finding.Stop, codeJoint).About(j.Name).
				Reads(math.Round(x.MicroOhm), "µΩ").
				Against(math.Round(min(OutlierFactor*ref/amps, limits.JointMilliohms)*1000)).By("rules §17").
				Says("%s: %.0f µΩ, %.2f W, %s.", j.Name, x.MicroOhm, x.Watts, x.Why).
				Then("Current off. Open it, clean both faces, power ring on the "+
					"contact face, torque by the maker, measure again."))
		}
		if j.MilliV < 0 {
			fs = append(fs, finding.New(finding.Note, codeProbesSwapped).About(j.Name).
				Reads(j.MilliV, "mV").By("rules §17").
				Says("Negative: the probes stood the other way round.").
				Then("Nothing: its size counts."))
		}
		out = append(out, x)
	}
	return out, finding.Sorted(fs), nil
}

// judged holds one joint against its like, mV each, and says what they show, 0 for nothing.
func (j Joint) judged(amps float64, like []float64) (x JointJudged, ref float64) {
	mv := math.Abs(j.MilliV)
	x = JointJudged{Name: j.Name, Kind: j.Kind, MicroOhm: mv / amps * 1000, Watts: mv * amps / 1000}
	like = slices.Clone(like)
	slices.Sort(like)
	switch n := len(like); {
	case n == 2:
		ref = like[0]
	case n > 2:
		ref = (like[(n-1)/2] + like[n/2]) / 2
	}
	if ref > 0 {
		x.OfMedian = mv / ref
	}
	switch {
	case ref > 0 && x.OfMedian > OutlierFactor || ref == 0 && len(like) > 1 && mv > 0:
		x.Retighten, x.Why = true, fmt.Sprintf("%.1f × its like", x.OfMedian)
	case mv/amps > limits.JointMilliohms+1e-9: // all of them may be as bad
		x.Retighten, x.Why = true, fmt.Sprintf("above %.1f mΩ whatever its like show", limits.JointMilliohms)
	case x.Watts > limits.JointWatts+1e-9:
		x.Retighten, x.Why = true, fmt.Sprintf("above %.0f W whatever its like show", limits.JointWatts)
	case j.RiseK != nil && *j.RiseK > OutlierRiseK:
		x.Retighten, x.Why = true, fmt.Sprintf("%.0f K warmer than around", *j.RiseK)
	}
	return x, ref
}

// Screw is a bolted joint from above: the screw's thread, the hole it goes into, and what lies between. Millimetres.
type Screw struct {
	ThreadMM float64 // nominal diameter
	LengthMM float64 // under the head; 0 where it is asked for
	HoleMM   float64 // usable depth of the threaded hole, 0 where it is to be measured; not asked of a nut
	BarMM    float64
	RingMM   float64 // lug and sense ring together
	WasherMM float64
	In       string // steel, aluminium or brass, or a nut behind it
}

// Screwed is what a screw does in its hole.
type Screwed struct {
	StackMM   float64           `json:"stack_mm"`
	NeedMM    float64           `json:"need_mm"`    // engagement
	EngagesMM float64           `json:"engages_mm"` // with the length given
	ClearMM   float64           `json:"clear_mm"`   // from the tip to the bottom
	LowMM     float64           `json:"length_low_mm"`
	HighMM    float64           `json:"length_high_mm"` // 0 where nothing bounds it yet
	Standard  []float64         `json:"standard_mm"`    // lengths on sale that fit
	Findings  []finding.Finding `json:"findings"`
}

// Nut stands for a nut behind the stack in place of a threaded hole.
const Nut = "nut"

// NutMM is the height of a hexagon nut and the pitch of its coarse thread (ISO 4032, ISO 261), millimetres; between the
// usual sizes by the proportion of the next thicker.
func NutMM(thread float64) (height, pitch float64) {
	for _, x := range [][3]float64{{3, 2.4, 0.5}, {4, 3.2, 0.7}, {5, 4.7, 0.8}, {6, 5.2, 1}, {8, 6.8, 1.25}, {10, 8.4,
		1.5},
		{12, 10.8, 1.75}, {16, 14.8, 2}} {
		if thread <= x[0] {
			return x[1] * thread / x[0], x[2]
		}
	}
	return 0.95 * thread, 2.5
}

// TipClearMM is how far a tip stays from the bottom of its hole.
const TipClearMM = 1.0

var screwLengths = []float64{6, 8, 10, 12, 14, 16, 18, 20, 22, 25, 28, 30, 35, 40, 45, 50, 60}

// Screwing works out which lengths fit: engagement of 1 diameter in steel, 1.5 in aluminium and brass, and 1 mm left
// under the tip.
func Screwing(s Screw) (Screwed, error) {
	r := Screwed{Standard: []float64{}, Findings: []finding.Finding{}}
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"thread", s.ThreadMM, 1, 40}, {"length", s.LengthMM, 0, 200}, {"depth of the hole", s.HoleMM, 0, 200},
		{"bar", s.BarMM, 0, 100}, {"rings", s.RingMM, 0, 50}, {"washers", s.WasherMM, 0, 50}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return r, fmt.Errorf("%s %v mm: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	factor, ok := map[string]float64{"": 1.5, "steel": 1, "aluminium": 1.5, "brass": 1.5, Nut: 0}[s.In]
	if !ok {
		return r, fmt.Errorf("thread in %q: expected steel, aluminium, brass or a nut", s.In)
	}
	r.StackMM, r.NeedMM = s.BarMM+s.RingMM+s.WasherMM, factor*s.ThreadMM
	if s.In == Nut {
		nut, pitch := NutMM(s.ThreadMM)
		r.NeedMM = nut + 2*pitch
		s.HoleMM = 0
	}
	r.LowMM, r.HighMM = r.StackMM+r.NeedMM, r.StackMM+s.HoleMM-TipClearMM
	open := s.HoleMM == 0 // a nut has no bottom, and a depth that is to be measured bounds nothing yet
	if open {
		r.HighMM = math.Inf(1)
	}
	for _, l := range screwLengths {
		if l >= r.LowMM-1e-9 && l <= r.HighMM+1e-9 && (!open || len(r.Standard) < 2) {
			r.Standard = append(r.Standard, l)
		}
	}
	if open {
		r.HighMM = 0
	}
	add := func(l finding.Level, code string, measured, limit float64, text, do string) {
		r.Findings = append(r.Findings, finding.New(l, code).About("screw").
			Reads(math.Round(measured*100)/100, "mm").Against(math.Round(limit*100)/100).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	if r.LowMM > r.HighMM && !open {
		add(finding.Stop, codeHoleShallow, s.HoleMM, r.NeedMM+TipClearMM, fmt.Sprintf("A hole of %.1f mm is too "+
			"shallow for %.1f mm of thread and 1 mm under the "+
			"tip.", s.HoleMM, r.NeedMM), "A stud, or another way to fix the bar.")
	}
	if s.LengthMM > 0 {
		r.EngagesMM, r.ClearMM = s.LengthMM-r.StackMM, s.HoleMM-(s.LengthMM-r.StackMM)
		if r.EngagesMM < r.NeedMM-1e-9 {
			add(finding.Stop, codeEngagesLittle, r.EngagesMM, r.NeedMM, fmt.Sprintf("%.1f mm of thread hold; %.1f mm "+
				"are needed: it strips before it presses.", r.EngagesMM, r.NeedMM), "A longer screw, or fewer washers.")
		}
		if open {
			r.ClearMM = 0
		} else if r.ClearMM < TipClearMM-1e-9 {
			add(finding.Stop, codeTipBottoms, r.ClearMM, TipClearMM, fmt.Sprintf("Its tip comes within %.1f mm of the "+
				"bottom: it tightens on the bottom and the bar stays loose.", r.ClearMM), "A shorter screw.")
		}
	}
	return r, nil
}

// Says is which screw it takes, in a sentence.
func (r Screwed) Says(s Screw) string {
	open := r.HighMM == 0
	m := func(mm float64) string { return string(figure.Of(mm)) }
	var fits []string
	for _, l := range r.Standard {
		fits = append(fits, m(l))
	}
	switch thread := "M" + m(s.ThreadMM); {
	case open && s.LengthMM >= r.LowMM:
		return fmt.Sprintf("%s × %s is long enough.", thread, m(s.LengthMM))
	case open && s.LengthMM > 0:
		return fmt.Sprintf("%s × %s is too short: %s mm or more.", thread, m(s.LengthMM), m(r.LowMM))
	case open && s.In == Nut:
		return fmt.Sprintf("%s of %s mm or more: the stack, a washer on both sides, the nut, and two threads "+
			"beyond it.",
			thread, m(r.LowMM))
	case open:
		return fmt.Sprintf("%s of %s mm or more, and no longer than the stack of %s mm with the depth of the "+
			"hole, less %s mm: measure the depth first.", thread, m(r.LowMM), m(r.StackMM), m(TipClearMM))
	case s.LengthMM > 0 && len(r.Findings) == 0:
		return fmt.Sprintf("%s × %s holds with %.1f mm of thread and %.1f mm under its tip.", thread, m(s.LengthMM),
			r.EngagesMM, r.ClearMM)
	case s.LengthMM > 0:
		return fmt.Sprintf("%s × %s does not fit: %s to %s mm do.", thread, m(s.LengthMM), m(r.LowMM), m(r.HighMM))
	case len(fits) > 0:
		return fmt.Sprintf("%s of %s mm.", thread, strings.Join(fits, " or "))
	case r.LowMM <= r.HighMM:
		return fmt.Sprintf("%s to %s mm under the head: no usual length lies between.", m(r.LowMM), m(r.HighMM))
	}
	return "No length fits this hole."
}
