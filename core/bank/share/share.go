// Package share works out how strings in parallel share a load, what goes round between them once it stops, and which
// trips next when one trips (rules §12).
//
// Model. A string is its rest voltage behind its resistance and its leads. The strings stand along two bars; from one
// to the next each bar has a step of resistance. With the load taken off at one place, the current of string j drops
// volts for string i along the part of the way to that place which both use. So the currents I solve
//
//	(R + B)·I = E − V·1,  ΣI = load
//
// with R the strings' own resistances and B the resistance of shared ways, both symmetric, the sum positive definite:
// solved by Cholesky's method. The charge that flows feeds back on the rest voltages by the curve of the chemistry.
package share

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

const rule = "rules §12"

// Bus is how the strings' ends come together.
type Bus string

// The ways of taking the load off the bars. Centre is no bar at all: a cable of the same length from each string to one
// point. Middle is the middle of both bars, between two strings where their number is even.
const (
	Centre   Bus = "centre"
	End      Bus = "end"
	Diagonal Bus = "diagonal"
	Middle   Bus = "middle"
)

// Buses lists them.
func Buses() []Bus { return []Bus{Centre, End, Diagonal, Middle} }

// Line is one string. MOhm is its own resistance, the leads' come on top. SoC is nil where RestVolts is given. TripAmps
// is the current at which its breaker or BMS opens, 0 not known.
type Line struct {
	ID            string
	Series        int
	Chemistry     chem.ID
	Curve         *chem.Curve
	Ah            float64
	SoC           *float64
	RestVolts     float64
	MOhm          float64
	LeadPlusMOhm  float64
	LeadMinusMOhm float64
	TripAmps      float64
	ChargeAmps    float64 // at which it opens on charge, 0 for TripAmps
}

// Input is the strings in their order along the bars. LoadWatts is what the device draws from the bank; CutoffVolts is
// where it stops, 0 not known. ChargerAmps is the charge current of the whole, 0 for none.
type Input struct {
	Strings     []Line
	Bus         Bus
	StepMOhm    float64 // of one bar from one string to the next
	LoadWatts   float64
	CutoffVolts float64
	ChargerAmps float64
}

// Trip is what happens when one string drops out.
type Trip struct {
	Tripped  string             `json:"tripped"`
	Amps     map[string]float64 `json:"amps"` // of the others at once
	Volts    float64            `json:"voltage_v"`
	Then     []string           `json:"then"`    // that follow, in order
	Carries  bool               `json:"carries"` // whether what is left carries the load
	LeftAmps map[string]float64 `json:"left_amps"`
}

// Moment is the currents at one time of a discharge.
type Moment struct {
	Seconds float64            `json:"s"`
	Volts   float64            `json:"voltage_v"`
	Amps    map[string]float64 `json:"amps"`
	SoC     map[string]float64 `json:"soc"`
}

// Result is how the strings share. Positive amps discharge.
type Result struct {
	Amps            map[string]float64 `json:"amps"`
	Volts           float64            `json:"voltage_v"` // at the load, at the start
	OpenVolts       float64            `json:"open_v"`    // without load, the strings levelling each other
	Unequal         float64            `json:"unequal"`   // largest share over an equal one
	AfterTrip       []Trip             `json:"after_trip"`
	AfterChargeTrip []Trip             `json:"after_trip_on_charge"`
	SurvivesW       *float64           `json:"survives_w"` // up to which one trip is borne; nil where not known
	Discharge       []Moment           `json:"discharge"`
	Hours           float64            `json:"hours"`         // until the cut-off, or until a string is empty
	EndedBy         string             `json:"ended_by"`      // "cut-off", or the string that was empty first
	CirculatingA    float64            `json:"circulating_a"` // most that a string takes as the load stops
	CirculatingAh   float64            `json:"circulating_ah"`
	Findings        []finding.Finding  `json:"findings"`
}

// branch is a string in the network.
type branch struct {
	id           string
	curve        chem.Curve
	s, ah, soc   float64
	r            float64 // ohms with leads
	trip, chTrip float64
	at           int // its place along the bars
}

func (b *branch) emf(soc float64) float64 { return b.s * b.curve.Beyond(soc) }

// net is the strings that are on, and the bars.
type net struct {
	b           []branch
	n           int       // places along the bars
	plus, minus float64   // places where the load is taken off, in steps
	step        float64   // ohms
	flat        bool      // no bars
	f0          *factored // of a moment, nil until it is asked for
	scratch     *factored
}

// Solve works out all of it. It fails, saying what was expected, where a string cannot be as it is said.
func Solve(in Input) (Result, error) {
	w, err := prepare(in)
	if err != nil {
		return Result{}, err
	}
	r := Result{AfterTrip: []Trip{}, AfterChargeTrip: []Trip{}, Findings: []finding.Finding{}}
	emf := w.emfs()
	f := w.factor(0)
	amps, volts, ok := f.power(emf, in.LoadWatts)
	if !ok {
		r.add(finding.New(finding.Stop, codeMoreThanItGives).About("bank").
			Reads(in.LoadWatts, "W").Against(f.most(emf)).
			Says("%.0f W is more than these strings give at all: %.0f W.", in.LoadWatts, f.most(emf)).
			Then("Less load, or more strings."))
	}
	r.Amps, r.Volts = w.named(amps), volts
	_, r.OpenVolts = f.current(emf, 0)
	r.Unequal = unequal(amps)
	r.level(f, emf, w)
	if len(w.b) > 1 {
		total := in.LoadWatts / max(volts, 1e-9)
		if in.CutoffVolts > 0 { // a device draws most where it is about to stop
			total = in.LoadWatts / in.CutoffVolts
		}
		r.AfterTrip = w.trips(total, in.CutoffVolts, func(b *branch) float64 { return b.trip })
		if in.ChargerAmps > 0 {
			r.AfterChargeTrip = w.trips(-in.ChargerAmps, 0, func(b *branch) float64 { return b.chTrip })
		}
		if at := w.survives(); at > 0 {
			v := at * volts
			if in.CutoffVolts > 0 {
				v = at * in.CutoffVolts
			}
			r.SurvivesW = &v
		}
	}
	w.cycle(in, &r)
	r.judge(in, w)
	return r, nil
}

func prepare(in Input) (*net, error) {
	if len(in.Strings) < 1 || len(in.Strings) > 64 {
		return nil, fmt.Errorf("%s: expected 1 to 64", numeral.Count(len(in.Strings), "string"))
	}
	for _, x := range []struct {
		name  string
		value float64
	}{{"bus_step_mohm", in.StepMOhm}, {"load_w", in.LoadWatts},
		{"cutoff_v", in.CutoffVolts}, {"charger_a", in.ChargerAmps}} {
		if name, v := x.name, x.value; !(v >= 0 && v < 1e7) {
			return nil, fmt.Errorf("%s %v: expected 0 to 1e7", name, v)
		}
	}
	w := &net{n: len(in.Strings), step: in.StepMOhm / 1000}
	last := float64(w.n - 1)
	switch in.Bus {
	case Centre, "":
		w.flat = true
	case End:
	case Diagonal:
		w.minus = last
	case Middle:
		w.plus, w.minus = last/2, last/2
	default:
		return nil, fmt.Errorf("bus %q: expected centre, end, diagonal or middle", string(in.Bus))
	}
	seen := map[string]bool{}
	for i, l := range in.Strings {
		if l.ID == "" {
			l.ID = fmt.Sprintf("string %d", i+1)
		}
		if seen[l.ID] {
			return nil, fmt.Errorf("string %s: expected each name once", l.ID)
		}
		seen[l.ID] = true
		b, err := l.prepared()
		if err != nil {
			return nil, fmt.Errorf("string %s: %w", l.ID, err)
		}
		b.at = i
		w.b = append(w.b, b)
	}
	return w, nil
}

func (l Line) prepared() (b branch, err error) {
	k, err := chem.Lookup(l.Chemistry)
	if err != nil {
		return b, err
	}
	k = k.WithCurve(l.Curve)
	if l.Series < 1 || l.Series > 1000 {
		return b, fmt.Errorf("series %d: expected 1 to 1000 groups", l.Series)
	}
	for _, x := range []struct {
		name  string
		value float64
	}{{"mohm", l.MOhm}, {"lead_plus_mohm", l.LeadPlusMOhm},
		{"lead_minus_mohm", l.LeadMinusMOhm}, {"trip_a", l.TripAmps}, {"charge_trip_a", l.ChargeAmps}} {
		if name, v := x.name, x.value; !(v >= 0 && v < 1e6) {
			return b, fmt.Errorf("%s %v: expected 0 to 1e6", name, v)
		}
	}
	if !(l.Ah > 0 && l.Ah < 1e6) {
		return b, fmt.Errorf("ah %v: expected above 0", l.Ah)
	}
	b = branch{id: l.ID, curve: k.Curve, s: float64(l.Series), ah: l.Ah, trip: l.TripAmps, chTrip: l.ChargeAmps}
	mOhm := l.MOhm
	if mOhm == 0 {
		t := k.TypicalMOhm(l.Ah)
		mOhm = b.s * math.Sqrt(t.Low*t.High)
	}
	if b.chTrip == 0 {
		b.chTrip = b.trip
	}
	b.r = (mOhm + l.LeadPlusMOhm + l.LeadMinusMOhm) / 1000
	switch {
	case l.SoC != nil:
		if !(*l.SoC >= 0 && *l.SoC <= 1) {
			return b, fmt.Errorf("soc %v: expected 0 to 1", *l.SoC)
		}
		b.soc = *l.SoC
	case l.RestVolts > 0 && l.RestVolts/b.s < 10:
		b.soc = k.Curve.BeyondSoC(l.RestVolts / b.s)
	default:
		return b, fmt.Errorf("rest_v %v on %s: expected soc, or the rest voltage end to end", l.RestVolts,
			numeral.Count(l.Series, "group"))
	}
	return b, nil
}

func (w *net) emfs() []float64 {
	out := make([]float64, len(w.b))
	for i := range w.b {
		out[i] = w.b[i].emf(w.b[i].soc)
	}
	return out
}

func (w *net) named(amps []float64) map[string]float64 {
	out := map[string]float64{}
	for i, b := range w.b {
		out[b.id] = amps[i]
	}
	return out
}

// without is the net with one string off: the bars stay.
func (w *net) without(i int) *net {
	x := *w
	x.f0, x.scratch = nil, nil
	x.b = append(append([]branch{}, w.b[:i]...), w.b[i+1:]...)
	return &x
}

// unequal is the largest current over what it would be if all were alike.
func unequal(amps []float64) float64 {
	sum, most := 0.0, 0.0
	for _, a := range amps {
		sum += a
		most = max(most, math.Abs(a))
	}
	if math.Abs(sum) < 1e-9 {
		return 1
	}
	return most * float64(len(amps)) / math.Abs(sum)
}

func (r *Result) add(f finding.Finding) {
	r.Findings = append(r.Findings, f.Or("", rule).Rounded(func(v float64) float64 { return math.Round(v*1e3) / 1e3 }))
}

// level says where the strings stand so far apart that they drive a current through each other without any load.
func (r *Result) level(f *factored, emf []float64, w *net) {
	still, _ := f.current(emf, 0)
	for i, b := range w.b {
		amps, limit := math.Abs(still[i]), chem.TypicalChargeC*b.ah
		switch {
		case amps > limit:
			r.add(finding.New(finding.Stop, codeNotLevel).About(b.id).Reads(amps, "A").Against(limit).
				Says("Without any load %.0f A flow through it: the strings are not level.", amps).
				Then("Level them before they are joined: see joining two banks."))
		case amps > limit/10:
			r.add(finding.New(finding.Caution, codeNotLevel).About(b.id).Reads(amps, "A").Against(limit/10).
				Says("Without any load %.1f A flow through it.", amps).
				Then("Measure each string by itself before it is joined."))
		}
	}
}
