// Package join works out what flows when two or more banks, or strings, are closed onto each other (rules §11).
//
// Model. Each bank is its rest voltage at its charge, a resistance R0 and one RC pair: R0 = R10/1.13 of the DC
// resistance after 10 s, R1 = 0.6·R0, τ = 40 s. Each joins a common bar through half of the link, so that two banks see
// all of it and the order of banks changes nothing. Kirchhoff's current law at the bar gives its voltage.
//
// Method. The equations are stiff where a bank is small: a two-stage, L-stable, diagonally implicit Runge-Kutta method
// of second order (Alexander, SIAM J. Numer. Anal. 14, 1977), Newton's method in each stage, the step chosen by
// comparing one step with two of half its length. It ends when no current is above 1 A or C/200 of the smallest bank,
// or after 48 h.
package join

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// Constants of the model and of the end, rules §11.
const (
	tenSecondRatio = 1.13 // R after 10 s over R0
	rcShare        = 0.6  // R1 over R0
	tauSeconds     = 40.0
	ohmicShare     = 0.5 // of R after 10 s: what the first moment may see of it
	unknownChargeC = 0.3 // that a receiver bears of which no data sheet is known
	endAmps        = 1.0
	endC           = 0.005
	longestSeconds = 48 * 3600.0
	stepTolerance  = 1e-5 // of the first current
	rule           = "rules §11"
)

// Bank is one of those that are joined. SoC is its charge, 0…1, or nil where RestVolts is given, volts post to post.
// MOhm10s is the DC resistance of the whole bank after 10 s; 0 takes the typical one of its chemistry and capacity.
type Bank struct {
	ID        string
	Chemistry chem.ID
	Curve     *chem.Curve // its own rest curve, nil for the typical one
	Series    int
	Ah        float64
	SoC       *float64
	RestVolts float64
	MOhm10s   float64
}

// Limits are what the way of the current bears for ever, amps; 0 not known. Of the cells the typical C rates stand
// where nothing is known.
type Limits struct {
	ChargeAmps    float64 // of the bank that receives
	DischargeAmps float64 // of the bank that gives
	BMSAmps       float64
	BMSPeakAmps   float64
	FuseAmps      float64
	CableAmps     float64
}

// Input is what is joined through what.
type Input struct {
	Banks    []Bank
	LinkMOhm float64 // bar, cable and joints, there and back
	// ReadWithin is ± of the difference of the rest voltages, V: of two totals read with one meter in one sitting its
	// last digits and noise. 0 not known.
	ReadWithin float64
	Limits     Limits
}

// Part is what one bank does.
type Part struct {
	ID           string  `json:"id"`
	RestVolts    float64 `json:"rest_v"`
	SoC          float64 `json:"soc"`
	SoCLow       float64 `json:"soc_low"` // by voltage alone it may be any of these
	SoCHigh      float64 `json:"soc_high"`
	MOhm10s      float64 `json:"mohm_10s"`
	Typical      bool    `json:"mohm_typical"`
	FirstAmps    float64 `json:"first_a"` // positive gives
	AhOut        float64 `json:"ah_out"`
	EndSoC       float64 `json:"end_soc"`
	HighestGroup float64 `json:"highest_group_v"` // of a receiver under way
}

// Pass is what would make a refused join pass: a difference, a resistor and for how long, or a voltage to charge to.
type Pass struct {
	DiffVolts     float64 `json:"diff_v"`
	ResistorMOhm  float64 `json:"resistor_mohm"`
	ResistorWatts float64 `json:"resistor_w"`
	ResistorJ     float64 `json:"resistor_j"`
	Seconds       float64 `json:"resistor_s"`
	InTime        bool    `json:"resistor_in_48h"`
	ChargeToVolts float64 `json:"charge_to_v"` // of the lower bank, at rest
	LowerID       string  `json:"lower"`
}

// Result is what flows. Currents are of the bank that gives or takes most, positive in the direction of the first
// moment.
type Result struct {
	FirstAmps   float64           `json:"first_a"`
	FirstLow    float64           `json:"first_a_low"`     // where a resistance is a typical one, by R0: the least,
	FirstMost   float64           `json:"first_a_r0_high"` // the most,
	FirstHigh   float64           `json:"first_a_high"`    // and in the first milliseconds, by the ohmic part
	Current     [][2]float64      `json:"current_a"`
	AhMoved     float64           `json:"ah_moved"`
	AhLow       float64           `json:"ah_moved_low"` // by what the rest voltages leave open
	AhHigh      float64           `json:"ah_moved_high"`
	EndVolts    float64           `json:"end_v"`
	SecondsTo1A *float64          `json:"seconds_to_1a"` // nil where more than 1 A still flows after 48 h
	EndSeconds  float64           `json:"end_s"`
	HeatJ       float64           `json:"heat_j"` // in the link
	CellsHeatJ  float64           `json:"heat_in_banks_j"`
	DiffVolts   float64           `json:"diff_v"` // at rest, before
	Giver       string            `json:"from"`
	Receiver    string            `json:"to"`
	Parts       []Part            `json:"banks"`
	Pass        *Pass             `json:"would_pass"`
	Findings    []finding.Finding `json:"findings"`
	amps10s     float64
	late        float64 // after ten seconds, at the dangerous end
}

// At is the current after s seconds, by the points that were kept.
func (r Result) At(s float64) float64 {
	for i, p := range r.Current {
		if p[0] >= s {
			if i == 0 || p[0] == s {
				return p[1]
			}
			q := r.Current[i-1]
			return q[1] + (p[1]-q[1])*(s-q[0])/(p[0]-q[0])
		}
	}
	return r.Current[len(r.Current)-1][1]
}

// Solve works out the currents and judges them. It fails, saying what was expected, where a bank or the link cannot be
// as it is said.
func Solve(in Input) (Result, error) {
	c, parts, err := prepare(in)
	if err != nil {
		return Result{}, err
	}
	r := c.run(longestSeconds, nil)
	r.Parts = parts
	for i := range r.Parts {
		r.Parts[i].FirstAmps, r.Parts[i].AhOut = c.first[i], c.b[i].q
		r.Parts[i].EndSoC, r.Parts[i].HighestGroup = c.b[i].soc0-c.b[i].q/c.b[i].ah, c.b[i].highest
	}
	r.bounds(in, parts)
	r.judge(in, c)
	return r, nil
}

// prepare checks what is said and fills in what may be left out.
func prepare(in Input) (*circuit, []Part, error) {
	if len(in.Banks) < 2 || len(in.Banks) > 64 {
		return nil, nil, fmt.Errorf("%s: expected 2 to 64", numeral.Count(len(in.Banks), "bank"))
	}
	if !(in.LinkMOhm >= 0 && in.LinkMOhm < 1e6) {
		return nil, nil, fmt.Errorf("link_mohm %v: expected 0 to 1000000", in.LinkMOhm)
	}
	l := in.Limits
	for _, x := range []struct {
		name  string
		value float64
	}{{"charge", l.ChargeAmps}, {"discharge", l.DischargeAmps}, {"BMS", l.BMSAmps},
		{"BMS peak", l.BMSPeakAmps}, {"fuse", l.FuseAmps}, {"cable", l.CableAmps}} {
		if name, v := x.name, x.value; !(v >= 0 && v < 1e6) {
			return nil, nil, fmt.Errorf("%s limit %v A: expected 0 (not known) to 1000000", name, v)
		}
	}
	c := &circuit{link: in.LinkMOhm / 2000}
	var parts []Part
	seen := map[string]bool{}
	for i, b := range in.Banks {
		if b.ID == "" {
			b.ID = fmt.Sprintf("bank %d", i+1)
		}
		if seen[b.ID] {
			return nil, nil, fmt.Errorf("bank %s: expected each name once", b.ID)
		}
		seen[b.ID] = true
		p, x, err := b.prepared()
		if err != nil {
			return nil, nil, fmt.Errorf("bank %s: %w", b.ID, err)
		}
		parts = append(parts, p)
		c.b = append(c.b, x)
		c.smallestAh = math.Min(cmpZero(c.smallestAh, b.Ah), b.Ah)
	}
	return c, parts, nil
}

func cmpZero(a, otherwise float64) float64 {
	if a == 0 {
		return otherwise
	}
	return a
}

func (b Bank) prepared() (p Part, x branch, err error) {
	k, err := chem.Lookup(b.Chemistry)
	if err != nil {
		return p, x, err
	}
	k = k.WithCurve(b.Curve)
	if b.Series < 1 || b.Series > 1000 {
		return p, x, fmt.Errorf("series %d: expected 1 to 1000 groups", b.Series)
	}
	if !(b.Ah > 0 && b.Ah < 1e6) {
		return p, x, fmt.Errorf("ah %v: expected above 0", b.Ah)
	}
	if !(b.MOhm10s >= 0 && b.MOhm10s < 1e6) {
		return p, x, fmt.Errorf("mohm_10s %v: expected 0 (not known) to 1000000", b.MOhm10s)
	}
	s := float64(b.Series)
	p = Part{ID: b.ID, MOhm10s: b.MOhm10s}
	switch {
	case b.SoC != nil:
		if !(*b.SoC >= 0 && *b.SoC <= 1) {
			return p, x, fmt.Errorf("soc %v: expected 0 to 1", *b.SoC)
		}
		p.SoC, p.SoCLow, p.SoCHigh = *b.SoC, *b.SoC, *b.SoC
		p.RestVolts = s * k.Curve.Volts(p.SoC)
	case b.RestVolts > 0 && b.RestVolts/s < 10:
		g := b.RestVolts / s
		u := k.RestUncertaintyVolts(0, chem.FullRestMinutes)
		iv := k.Curve.SoCInterval(g, u)
		p.SoC, p.SoCLow, p.SoCHigh, p.RestVolts = k.Curve.SoC(g), iv.Low, iv.High, b.RestVolts
	default:
		return p, x, fmt.Errorf("rest_v %v on %s: expected soc, or the rest voltage post to post", b.RestVolts,
			numeral.Count(b.Series, "group"))
	}
	if p.MOhm10s == 0 {
		t := k.TypicalMOhm(b.Ah)
		p.MOhm10s, p.Typical = s*math.Sqrt(t.Low*t.High), true
	}
	x = branch{curve: k.Curve, s: s, ah: b.Ah, soc0: p.SoC, r0: p.MOhm10s / tenSecondRatio / 1000}
	if b.SoC == nil { // outside the curve the voltage that was measured stands
		x.soc0 = k.Curve.BeyondSoC(p.RestVolts / s)
	}
	x.r1 = rcShare * x.r0
	return p, x, nil
}
