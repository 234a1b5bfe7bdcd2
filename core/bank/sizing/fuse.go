package sizing

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
	"pandrel/core/base/known"
	"pandrel/core/base/numeral"
)

// Fuses are the usual ratings, amps.
func Fuses() []float64 {
	return []float64{1, 2, 3, 5, 7.5, 10, 15, 20, 25, 30, 35, 40, 50, 60, 70, 80, 100, 110, 125, 150, 175, 200, 225,
		250, 300, 350, 400, 450, 500, 600, 700, 800}
}

// ProspectiveFactor is the margin on a prospective current (rules §10).
const ProspectiveFactor = 1.25

// Interrupt is the usual interrupting rating of a kind of fuse, amps, and the DC volts it is usual for. Typical: the
// device's own print counts.
type Interrupt struct {
	Kind     string
	Amps     float64
	DCVolts  float64
	NotAlone bool // only beside another overload protection
}

// Kinds lists them.
func Kinds() []Interrupt {
	return []Interrupt{
		{"class T", 20000, 125, false},
		{"gG or NH", 50000, 250, false},
		{"bolt-down automotive", 2000, 58, false},
		{"blade automotive", 1000, 32, false},
		{"aR, semiconductor", 50000, 690, true},
	}
}

// FuseNeed is where a fuse is wanted. MOhm is the ohmic resistance of all that feeds the fault, or 0 where not known;
// DCMOhm the DC resistance after 10 s, of which half is taken as ohmic.
type FuseNeed struct {
	Amps          float64 // the larger of load and charge
	ConductorAmps float64 // what the thinnest conductor behind it bears
	FullVolts     float64 // highest of the bank
	MOhm, DCMOhm  float64
	PlaceM        float64 // from the cells
	Others        int     // strings beside its own that feed a fault in it; 0 for a main fuse
}

// FuseSized is the rating, or none, and the prospective current it must break.
type FuseSized struct {
	RatingAmps    float64           `json:"rating_a"` // 0 where no standard one fits
	LowAmps       float64           `json:"low_a"`
	HighAmps      float64           `json:"high_a"`
	ProspectiveA  float64           `json:"prospective_a"` // 0 where no resistance is known
	Kinds         []string          `json:"kinds"`         // that break it at these volts
	RefusedKinds  []string          `json:"refused_kinds"`
	Findings      []finding.Finding `json:"findings"`
	OhmicMOhm     float64           `json:"ohmic_mohm"`
	FullVolts     float64           `json:"full_v"`
	ConductorAmps float64           `json:"conductor_a"`
}

// PlaceLimitM is how far from the cells the first overcurrent device may sit (policy).
const PlaceLimitM = 0.2

// AnyFaultAmps is what a fuse must break that is taken while the resistance is not known, rules §9.
const AnyFaultAmps = 20000.0

// Fuse chooses a rating between the design current and what the conductor bears.
func Fuse(n FuseNeed) (FuseSized, error) {
	for _, x := range []struct {
		name  string
		value float64
	}{{"amps", n.Amps}, {"conductor", n.ConductorAmps}, {"full-charge volts", n.FullVolts}, {"resistance", n.MOhm},
		{"DC resistance", n.DCMOhm}, {"distance", n.PlaceM}} {
		if name, v := x.name, x.value; !(v >= 0 && v < 1e6) {
			return FuseSized{}, fmt.Errorf("%s %v: expected 0 or more", name, v)
		}
	}
	if n.Amps <= 0 || n.FullVolts <= 0 {
		return FuseSized{}, fmt.Errorf("expected the current and the highest voltage of the bank")
	}
	s := FuseSized{LowAmps: DesignFactor * n.Amps, HighAmps: n.ConductorAmps, OhmicMOhm: n.MOhm, FullVolts: n.FullVolts,
		ConductorAmps: n.ConductorAmps, Kinds: []string{}, RefusedKinds: []string{}, Findings: []finding.Finding{}}
	add := func(x finding.Finding) {
		s.Findings = append(s.Findings, x.Or("fuse", rule).Rounded(numeral.Hundredth))
	}
	for _, f := range Fuses() {
		if f >= s.LowAmps*(1-1e-9) && (n.ConductorAmps == 0 || f <= n.ConductorAmps*(1+1e-9)) {
			s.RatingAmps = f
			break
		}
	}
	switch {
	case s.RatingAmps == 0 && n.ConductorAmps > 0:
		add(finding.New(finding.Stop, codeFuseNone).Reads(s.LowAmps, "A").Against(n.ConductorAmps).
			Says("No standard fuse lies between %.0f A for the load and the %.0f A that the conductor bears.",
				s.LowAmps, n.ConductorAmps).
			Then("Take a thicker conductor."))
	case n.ConductorAmps == 0:
		add(finding.New(finding.Caution, codeConductorNotKnown).Reads(s.RatingAmps, "A").
			Says("What the conductor bears is not known: the fuse is chosen by the load alone.").
			Then("Work out the conductor; the fuse must not be above what it bears."))
	}
	s.breaks(n, add)
	if n.PlaceM > PlaceLimitM {
		add(finding.New(finding.Stop, codeFuseFar).Reads(n.PlaceM, "m").Against(PlaceLimitM).
			Says("%.2f m of cable between the cells and the fuse can short with nothing to stop it.", n.PlaceM).
			Then("Put the fuse within 0.2 m of the cells."))
	}
	return s, nil
}

// breaks says what the fuse must break, and which kinds do.
func (s *FuseSized) breaks(n FuseNeed, add func(finding.Finding)) {
	if s.OhmicMOhm == 0 && n.DCMOhm > 0 {
		s.OhmicMOhm = n.DCMOhm / 2
	}
	if s.OhmicMOhm == 0 {
		add(finding.New(finding.Caution, codeProspectiveNotKnown).
			Says("No resistance is known, so the fault current is not: thousands of amps have to be expected, and "+
				"whether a fuse breaks them is not known.").
			Then("Measure or type the resistance, or take a fuse that breaks %.0f kA and more.", AnyFaultAmps/1000))
	} else {
		s.ProspectiveA = ProspectiveFactor * n.FullVolts / s.OhmicMOhm * 1000
		if n.Others > 1 {
			s.ProspectiveA *= float64(n.Others)
		}
	}
	for _, k := range Kinds() {
		if k.NotAlone || k.DCVolts < n.FullVolts || k.Amps < s.ProspectiveA || s.ProspectiveA == 0 &&
			k.Amps < AnyFaultAmps {
			s.RefusedKinds = append(s.RefusedKinds, k.Kind)
			continue
		}
		s.Kinds = append(s.Kinds, k.Kind)
	}
	if len(s.Kinds) == 0 {
		add(finding.New(finding.Stop, codeInterruptNone).Reads(s.ProspectiveA, "A").Against(50000).
			Says("%.0f A at %.0f V: no usual kind breaks that.", s.ProspectiveA, n.FullVolts).
			Then("A fuse for each string, each with its own rating; ask its maker."))
	}
}

// Precharge is the filling of a device's capacitors through a resistor. Farads may be 0 where not known: then the
// inverter's watts bound them. LoadOhms is what always draws behind the switch, 0 for nothing.
type Precharge struct {
	Volts      float64
	Farads     float64
	Watts      float64 // of the inverter, for the bounds
	Ohms       float64
	LoadWatts  float64 // that is always on behind the switch
	Share      float64 // that counts as filled, 0 takes 95 %
	SwitchAmps float64 // what the pre-charge switch and wire bear, 0 not known
	HoldWatts  float64 // what the resistor bears for ever, 0 not known
	PulseJ     float64 // and in one pulse, by its data sheet, 0 not known
}

// Filled is what a pre-charge does.
type Filled struct {
	FirstAmps   float64           `json:"first_a"`
	FaradsLow   float64           `json:"farad_low"`
	FaradsHigh  float64           `json:"farad_high"`
	SecondsLow  float64           `json:"seconds_low"`
	SecondsHigh float64           `json:"seconds_high"`
	JoulesLow   float64           `json:"joule_low"`
	JoulesHigh  float64           `json:"joule_high"`
	HeldWatts   float64           `json:"held_w"`
	FinalVolts  float64           `json:"final_v"` // that the capacitors reach
	LastStepV   float64           `json:"last_step_v"`
	LastStepA   float64           `json:"last_step_a"` // through 5 mΩ of bank and cables
	NeverFills  bool              `json:"never_fills"`
	Findings    []finding.Finding `json:"findings"`
}

const (
	defaultShare    = 0.95
	faradsPerWattLo = 1.5e-6 // input capacitors of inverters, typical: 1.5 to 6 mF per kilowatt
	faradsPerWattHi = 6e-6
	pathOhms        = 0.005
	lastStepLimitV  = 5.0
	pulseOver       = 5.0 // × its watts a resistor of no known pulse rating bears
	pulseSeconds    = 5.0 // for so long
)

// Fill works out a pre-charge.
func Fill(p Precharge) (Filled, error) {
	var f Filled
	if err := f.bounds(&p); err != nil {
		return f, err
	}
	f.FirstAmps, f.HeldWatts, f.FinalVolts = p.Volts/p.Ohms, p.Volts*p.Volts/p.Ohms, p.Volts
	tau := p.Ohms // per farad
	if p.LoadWatts > 0 {
		load := p.Volts * p.Volts / p.LoadWatts
		f.FinalVolts = p.Volts * load / (p.Ohms + load)
		tau = p.Ohms * load / (p.Ohms + load)
		f.HeldWatts = math.Pow(p.Volts-f.FinalVolts, 2) / p.Ohms
		if f.NeverFills = f.FinalVolts <= p.Share*p.Volts; f.NeverFills {
			f.HeldWatts = max(f.HeldWatts, p.Volts*p.Volts/p.Ohms)
		}
	}
	// To the share of where it ends: a share of the bank may never be reached.
	n := math.Log(1 / (1 - p.Share))
	f.SecondsLow, f.SecondsHigh = tau*f.FaradsLow*n, tau*f.FaradsHigh*n
	f.JoulesLow, f.JoulesHigh = f.FaradsLow*p.Volts*p.Volts/2, f.FaradsHigh*p.Volts*p.Volts/2
	f.LastStepV = p.Volts - p.Share*f.FinalVolts
	f.LastStepA = f.LastStepV / pathOhms
	f.Findings = []finding.Finding{}
	add := func(x finding.Finding) {
		f.Findings = append(f.Findings, x.Or("pre-charge", rule).Rounded(numeral.Hundredth))
	}
	if f.NeverFills {
		add(finding.New(finding.Stop, codeNeverFills).Reads(f.FinalVolts, "V").Against(p.Share*p.Volts).
			Says("What is always on holds the capacitors at %.1f V of %.1f V: they never fill, and the resistor "+
				"goes on heating.", f.FinalVolts, p.Volts).
			Then("Switch the standing load off first, or take a smaller resistor."))
	}
	if p.SwitchAmps > 0 && f.FirstAmps > p.SwitchAmps {
		add(finding.New(finding.Stop, codeSwitchSmall).Reads(f.FirstAmps, "A").Against(p.SwitchAmps).
			Says("%.1f A at first through a switch for %.1f A.", f.FirstAmps, p.SwitchAmps).
			Then("A larger resistor, or a switch and wire for the first current."))
	}
	// Into a short all of the bank's volts stay on it, whatever a load would leave it.
	if worst := p.Volts * p.Volts / p.Ohms; p.HoldWatts > 0 && worst > p.HoldWatts {
		add(finding.New(finding.Caution, codeHeld).Reads(worst, "W").Against(p.HoldWatts).
			Says("Held for long, into a short or a load, it burns up to %.0f W and bears %g W.", worst, p.HoldWatts).
			Then("A push button, or a timer that opens it."))
	}
	f.pulse(p, add)
	if f.LastStepV > lastStepLimitV {
		add(finding.New(finding.Caution, codeLastStep).Reads(f.LastStepV, "V").Against(lastStepLimitV).
			Says("%.1f V are left when the main switch closes: about %.0f A for a moment.", f.LastStepV, f.LastStepA).
			Then("Wait longer, or take the load away."))
	}
	return f, nil
}

// bounds checks what is filled, and says between which capacitances it lies.
func (f *Filled) bounds(p *Precharge) error {
	if p.Share == 0 {
		p.Share = defaultShare
	}
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"volts", p.Volts, 1, 2000}, {"resistor", p.Ohms, 0.01, 1e6}, {"capacitance", p.Farads, 0, 10},
		{"inverter watts", p.Watts, 0, 1e6}, {"standing load", p.LoadWatts, 0, 1e5}, {"share", p.Share, 0.5, 0.9999}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return fmt.Errorf("%s %v: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	switch {
	case p.Farads > 0:
		f.FaradsLow, f.FaradsHigh = p.Farads, p.Farads
	case p.Watts > 0:
		f.FaradsLow, f.FaradsHigh = p.Watts*faradsPerWattLo, p.Watts*faradsPerWattHi
	default:
		return fmt.Errorf("expected the capacitance, or the inverter's watts for its bounds")
	}
	return nil
}

// pulse holds one filling against what the resistor bears: its own pulse rating, else five times its watts for five
// seconds.
func (f *Filled) pulse(p Precharge, add func(finding.Finding)) {
	if p.PulseJ == 0 && p.HoldWatts == 0 {
		return
	}
	bears, by := p.PulseJ, "by its data sheet"
	if bears == 0 {
		bears, by = pulseOver*p.HoldWatts*pulseSeconds,
			"as no pulse rating is known: five times its watts for five seconds"
	}
	do := "A resistor of more watts, or one made for pulses."
	switch first := p.Volts * p.Volts / p.Ohms; {
	case f.JoulesHigh > bears:
		add(finding.New(finding.Stop, codePulse).Reads(f.JoulesHigh, "J").Against(bears).
			Says("One filling puts up to %.3g J into the resistor, which bears %.3g J, %s.", f.JoulesHigh, bears, by).
			Then("%s", do))
	case p.PulseJ == 0 && first > pulseOver*p.HoldWatts:
		add(finding.New(finding.Stop, codePulse).Reads(first, "W").Against(pulseOver*p.HoldWatts).
			Says("%.3g W at first in a resistor of "+
				"%g W: without a pulse rating it bears %.3g W for seconds.", first, p.HoldWatts, pulseOver*p.HoldWatts).
			Then("%s", do))
	}
}

// Element is one thing that a current goes through. PeakAmps is for seconds, 0 where not known.
type Element struct {
	Name       string
	Kind       string
	EverAmps   float64
	PeakAmps   float64
	MOhm       float64
	Assumed    bool // the rating is a typical one
	InParallel int  // of them side by side, 0 for one
}

// PathResult is what a path of elements carries.
type PathResult struct {
	Weakest      string            `json:"weakest"`
	EverAmps     float64           `json:"ever_a"`
	WeakestPeak  string            `json:"weakest_peak"`
	PeakAmps     float64           `json:"peak_a"`
	LostWatts    float64           `json:"lost_w"`
	NotKnown     []string          `json:"not_known"`
	Findings     []finding.Finding `json:"findings"`
	DropMilliV   float64           `json:"drop_mv"`
	ElementsOver []string          `json:"over"`
}

// Path finds the weakest element for a load for ever and a surge for seconds.
//
// In one piece: each element or joint is judged where it is met.
func Path(load, surge float64, es []Element) (PathResult, error) {
	r := PathResult{EverAmps: math.Inf(1), PeakAmps: math.Inf(1), NotKnown: []string{}, Findings: []finding.Finding{},
		ElementsOver: []string{}}
	if !(load >= 0 && surge >= 0 && load < 1e6 && surge < 1e6) {
		return r, fmt.Errorf("load %v A, surge %v A: expected 0 or more", load, surge)
	}
	add := func(x finding.Finding) {
		r.Findings = append(r.Findings,
			x.By("rules §17").Rounded(func(v float64) float64 { return math.Round(v*10) / 10 }))
	}
	for _, e := range es {
		n := float64(max(1, e.InParallel))
		ever, peak := e.EverAmps*n, e.PeakAmps*n
		if ever <= 0 {
			r.NotKnown = append(r.NotKnown, e.Name)
			continue
		}
		if peak < ever {
			peak = ever
		}
		if ever < r.EverAmps {
			r.EverAmps, r.Weakest = ever, e.Name
		}
		if peak < r.PeakAmps {
			r.PeakAmps, r.WeakestPeak = peak, e.Name
		}
		r.DropMilliV += load * e.MOhm / n
		r.LostWatts += load * load * e.MOhm / n / 1000
		typical, from := "", known.Measured
		if e.Assumed {
			typical, from = ", typical", known.Assumed
		}
		switch {
		case load > ever:
			r.ElementsOver = append(r.ElementsOver, e.Name)
			add(finding.New(finding.Stop, codeOverRating).About(e.Name).Reads(load, "A").Against(ever).
				Says("%.1f A through %s, which bears %s for ever%s.", load, e.Name, known.Of(ever, from).In(0, "A"),
					typical).
				Then("Less load, or a stronger part."))
		case surge > peak:
			r.ElementsOver = append(r.ElementsOver, e.Name)
			add(finding.New(finding.Stop, codeOverPeak).About(e.Name).Reads(surge, "A").Against(peak).
				Says("%.1f A of surge through %s, which bears %s for seconds%s.", surge, e.Name,
					known.Of(peak, from).In(0, "A"), typical).
				Then("A soft start, or a stronger part."))
		case DesignFactor*load > ever:
			add(finding.New(finding.Caution, codeLittleMargin).About(e.Name).Reads(DesignFactor*load, "A").
				Against(ever).
				Says("%s bears %s%s: less than 1.25 × the load of %.1f A.", e.Name, known.Of(ever, from).In(0, "A"),
					typical, load).
				Then("Watch its temperature, or take a stronger one."))
		}
	}
	if len(r.NotKnown) > 0 {
		add(finding.New(finding.Caution, codeNotKnown).About("path").Reads(float64(len(r.NotKnown)), "elements").
			Says("Not known: %s.", finding.Names(r.NotKnown, "elements")).
			Then("Read it from the part; until then the path may bear less."))
	}
	if math.IsInf(r.EverAmps, 1) {
		r.EverAmps, r.PeakAmps = 0, 0
	}
	r.Findings = finding.Sorted(r.Findings)
	return r, nil
}
