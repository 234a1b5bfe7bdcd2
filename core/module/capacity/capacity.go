// Package capacity says what a module holds by whatever is known of it: an interval, the likely value in it, and on
// what it rests (rules §17, sampling).
//
// A plate, a seller's word, a sample of its siblings, a half that was tested, a bank that was tested whole and a test
// of its own are all knowledge; they differ in how wide the interval is. None is a number without one.
package capacity

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/known"
)

// Basis is what an estimate rests on.
type Basis string

// The bases, best first.
const (
	Measured Basis = "measured"
	Whole    Basis = "bank-tested"
	Part     Basis = "part-tested"
	Sampled  Basis = "sampled"
	Typical  Basis = "typical"
	Papers   Basis = "papers" // of something new
	Claimed  Basis = "claimed"
	Plate    Basis = "plate"
)

// Policy holds the shop's shares of rated capacity for what nobody measured, and how far siblings spread (relative
// standard deviations) before their own spread is known. Typical of salvage, for the shop to change.
type Policy struct {
	PlateLow, PlateLikely, PlateHigh float64 // of rated
	ClaimLow, ClaimLikely, ClaimHigh float64 // of what was claimed
	LotSpread                        float64 // between siblings of one lot
	TypeSpread                       float64 // between siblings of any lot
	LotsApart                        float64 // how far one lot lies from another
	PapersLow                        float64 // of rated, of something new
	AboutHigh                        float64 // of what it was said to hold about
	Accuracy                         float64 // of a test whose own accuracy is not known
}

// DefaultPolicy is the rules'.
var DefaultPolicy = Policy{PlateLow: 0.50, PlateLikely: 0.75, PlateHigh: 1.00, ClaimLow: 0.75, ClaimLikely: 0.90,
	ClaimHigh: 1.00, PapersLow: 0.90, AboutHigh: 1.10,
	LotSpread: 0.07, TypeSpread: 0.10, LotsApart: 0.10, Accuracy: 0.02}

// OfEnergy is the rated capacity, amp hours, of what is labelled with an energy in watt hours: over its groups in
// series times the nominal volts of its chemistry. ok is false where one of them is not known.
func OfEnergy(wh float64, series int, id chem.ID) (ah float64, ok bool) {
	k, err := chem.Lookup(id)
	if err != nil || series < 1 || !(wh > 0) {
		return 0, false
	}
	return wh / (float64(series) * k.NominalVolts), true
}

// priorSamples is how many samples the policy's spread counts for beside those that were measured.
const priorSamples = 3

// aboveRated is the most that a module is taken to hold where nothing measured says more.
const aboveRated = 1.05

// Known is what is known of a module, amp hours of one module; 0 for not known.
type Known struct {
	RatedAh       float64   // its own plate's, else its type's
	About         bool      // ClaimedShare is about what it holds, and not that or better
	Papers        bool      // it is new, and its papers give RatedAh
	ClaimedShare  float64   // of rated, as the seller said: 0.8
	MeasuredAh    float64   // a complete test of the whole module
	MeasuredHigh  float64   // the upper end where gaps in the log leave an interval
	UncertaintyAh float64   // of the complete test
	SaidAh        float64   // somebody's word of this very module, without its conditions
	AtLeastAh     float64   // part of a discharge: it holds no less
	AtMostAh      float64   // the weakest part that was tested alone: it holds no more
	PartAh        float64   // what that part holds, likely; 0 for AtMostAh
	BankAh        float64   // its share of a bank that was tested whole: it holds no less
	ParentAh      float64   // what the module gave that it is a part of: it holds no less, and may hold no more
	Lot           []float64 // complete tests of siblings of its type and lot
	Type          []float64 // complete tests of siblings of its type from other lots
}

// PartOf fills in what the module gave that this one came of, ah by a complete test, 0 for none; share is what one
// group of it carries of what a group of the old one did. What a seller said of the old one is not said of it.
//
// A string gives what its weakest group gives. Cut, or with groups joined in parallel, each new one holds no less than
// its share of that, and one of them may hold no more. With groups opened, the weakest element holds at most its share
// of the weakest group (rules §17: of parts).
func (k Known) PartOf(ah, share float64) Known {
	k.ClaimedShare, k.About, k.Papers = 0, false, false
	switch {
	case ah <= 0 || share <= 0:
	case share >= 1:
		k.ParentAh = ah * share
	case k.AtMostAh == 0:
		k.AtMostAh = ah * share
	}
	return k
}

// Estimate is an interval with the likely value in it, amp hours.
type Estimate struct {
	LowAh, LikelyAh, HighAh float64
	Basis                   Basis
	N                       int // siblings that it rests on
}

// Provisional reports whether the module itself was never tested whole.
func (e Estimate) Provisional() bool { return e.Basis != Measured }

// WidthAh is how much of it is open.
func (e Estimate) WidthAh() float64 { return e.HighAh - e.LowAh }

// Mark is the word for a list.
func (e Estimate) Mark() string {
	switch e.Basis {
	case Sampled, Typical:
		return fmt.Sprintf("%s, %d tested", e.Basis, e.N)
	}
	return string(e.Basis)
}

// Source says in words what it rests on.
func (e Estimate) Source() string {
	switch e.Basis {
	case Measured:
		return "a test of its own"
	case Whole:
		return "a bank that was tested whole with it"
	case Part:
		return "what was tested of it"
	case Sampled:
		return fmt.Sprintf("%d tested of its lot", e.N)
	case Typical:
		return fmt.Sprintf("%d tested of its type, from other lots", e.N)
	case Papers:
		return "its papers, since it is new"
	case Claimed:
		return "somebody's word"
	}
	return "its plate"
}

// Known is the estimate as a known number: its own test is measured, what siblings, a part or a whole bank say is
// worked out from measurements, a claim is somebody's word, and a share of a plate is assumed.
func (e Estimate) Known() known.Value { return e.Basis.Known(e.LowAh, e.LikelyAh, e.HighAh) }

// Known is an interval that rests on the basis, and the likely value in it; not known where it rests on nothing.
func (b Basis) Known(low, likely, high float64) known.Value {
	from := known.Measured
	switch b {
	case "":
		return known.Value{}
	case Claimed, Papers:
		from = known.Said
	case Plate:
		from = known.Assumed
	}
	v := known.Within(likely, low, high, from)
	if b != Measured {
		v = v.Times(1)
	}
	return v
}

// Figure is the estimate as a page shows it: one figure where a test of its own left little open, else the interval.
func (e Estimate) Figure() known.Figure {
	v := e.Known()
	if !e.Provisional() && e.WidthAh() < 0.1*e.LikelyAh {
		return known.Of(v.V(), v.From()).In(1, "Ah")
	}
	return v.In(0, "Ah")
}

// String is the estimate as a page says it.
func (e Estimate) String() string { return e.Figure().String() }

// JudgeKnown returns the best estimate there is; ok is false where nothing is known that a number could rest on. It
// fails for a number that is no capacity, naming it.
func JudgeKnown(k Known, p Policy) (e Estimate, ok bool, err error) {
	if err := k.check(); err != nil {
		return e, false, err
	}
	if k.MeasuredAh > 0 {
		u := k.UncertaintyAh
		if u == 0 {
			u = p.Accuracy * k.MeasuredAh
		}
		return Estimate{LowAh: max(0, k.MeasuredAh-u), LikelyAh: k.MeasuredAh,
			HighAh: max(k.MeasuredHigh, k.MeasuredAh) + u, Basis: Measured}, true, nil
	}
	if e, ok = k.unmeasured(p); !ok {
		return k.bounded(Estimate{})
	}
	return k.bounded(e)
}

func (k Known) check() error {
	for _, f := range []struct {
		name string
		v    []float64
	}{{"rated capacity", []float64{k.RatedAh}}, {"claim", []float64{k.ClaimedShare}}, {"tested capacity",
		[]float64{k.MeasuredAh, k.MeasuredHigh, k.UncertaintyAh}}, {"part of a test", []float64{k.AtLeastAh, k.AtMostAh,
		k.PartAh, k.BankAh, k.SaidAh, k.ParentAh}}, {"sibling", k.Lot}, {"sibling", k.Type}} {
		for _, v := range f.v {
			if !(v >= 0 && v <= 1e5) {
				return fmt.Errorf("%s %v Ah: expected 0 to 100 000", f.name, v)
			}
		}
	}
	return nil
}

// unmeasured is the estimate by others than the module itself: siblings, the seller's word, the plate.
func (k Known) unmeasured(p Policy) (Estimate, bool) {
	roof := math.Inf(1)
	if k.RatedAh > 0 {
		roof = aboveRated * k.RatedAh
	}
	if k.ParentAh > 0 { // before its siblings: what one part is better by, the other is worse
		return Estimate{LowAh: k.ParentAh, LikelyAh: k.ParentAh, HighAh: max(k.ParentAh, p.PlateHigh*k.RatedAh),
			Basis: Part}, true
	}
	if len(k.Lot) > 0 {
		return sampled(k.Lot, p.LotSpread, 0, roof, Sampled), true
	}
	if len(k.Type) > 0 {
		return sampled(k.Type, p.TypeSpread, p.LotsApart, roof, Typical), true
	}
	if k.Papers && k.RatedAh > 0 && k.SaidAh == 0 {
		return Estimate{LowAh: p.PapersLow * k.RatedAh, LikelyAh: k.RatedAh, HighAh: k.RatedAh, Basis: Papers}, true
	}
	c, high := k.SaidAh, k.SaidAh*p.ClaimHigh
	if c == 0 { // said of a lot: '80 % or better' bounds no single module from above, its plate does
		c = k.ClaimedShare * k.RatedAh
		high = max(c*p.ClaimHigh, p.PlateHigh*k.RatedAh)
		if k.About && c > 0 {
			return Estimate{LowAh: p.ClaimLow * c, LikelyAh: c, HighAh: p.AboutHigh * c, Basis: Claimed}, true
		}
	}
	if c > 0 {
		return Estimate{LowAh: p.ClaimLow * c, LikelyAh: p.ClaimLikely * c, HighAh: max(high, p.ClaimLikely*c),
			Basis: Claimed}, true
	}
	if k.RatedAh <= 0 {
		return Estimate{}, false
	}
	return Estimate{LowAh: p.PlateLow * k.RatedAh, LikelyAh: p.PlateLikely * k.RatedAh,
		HighAh: p.PlateHigh * k.RatedAh, Basis: Plate}, true
}

// sampled is the interval in which nine of ten further siblings lie: mean ± t·s·√(1 + 1/n), where the spread s takes
// the policy's for as much as priorSamples, since two siblings that agree say little of a third; apart is how far the
// sample as a whole may lie from the module's own lot.
func sampled(ahs []float64, spread, apart, roof float64, b Basis) Estimate {
	n := float64(len(ahs))
	mean := 0.0
	for _, a := range ahs {
		mean += a / n
	}
	ss := priorSamples * (spread * mean) * (spread * mean)
	for _, a := range ahs {
		ss += (a - mean) * (a - mean)
	}
	df := len(ahs) - 1 + priorSamples
	half := math.Hypot(student(df)*math.Sqrt(ss/float64(df))*math.Sqrt(1+1/n), student(df)/2*apart*mean)
	return Estimate{LowAh: max(0, mean-half), LikelyAh: mean, HighAh: max(mean, min(mean+half, max(roof,
		slices.Max(ahs)))), Basis: b, N: len(ahs)}
}

// student is the factor that leaves a twentieth on each side, by degrees of freedom.
func student(df int) float64 {
	table := []float64{6.314, 2.920, 2.353, 2.132, 2.015, 1.943, 1.895, 1.860, 1.833, 1.812}
	if df <= len(table) {
		return table[max(1, df)-1]
	}
	// Cornish–Fisher from the normal deviate; within 0.002 from 11 on.
	const z = 1.6449
	n := float64(df)
	return z + (z*z*z+z)/(4*n) + (5*math.Pow(z, 5)+16*z*z*z+3*z)/(96*n*n)
}

// bounded narrows an estimate by what was tested of the module itself: a part that was tested alone is a roof, a part
// of a discharge or a bank that held more is a floor. Where they contradict the estimate, what was tested wins.
func (k Known) bounded(e Estimate) (Estimate, bool, error) {
	floor := max(k.AtLeastAh, k.BankAh)
	known := e.Basis != ""
	switch {
	case k.AtMostAh > 0:
		roof, likely := max(k.AtMostAh, floor), cmp.Or(k.PartAh, k.AtMostAh)
		if !known { // the half that nobody tested is taken as a sibling of the one that was
			e = sampled([]float64{likely}, DefaultPolicy.LotSpread, 0, roof, Part)
		}
		e.HighAh = roof
		if e.LowAh > roof { // siblings do better: it is the odd one
			e.LowAh = (1 - 2*DefaultPolicy.LotSpread) * roof
		}
		e.LikelyAh, e.Basis, e.N = min(e.LikelyAh, likely), Part, 0
	case k.BankAh > 0:
		if !known {
			e = Estimate{LikelyAh: floor, HighAh: floor * (1 + 2*DefaultPolicy.LotSpread)}
		}
		e.Basis, e.N = Whole, 0
	case floor > 0 && !known:
		e = Estimate{LikelyAh: floor, HighAh: floor * (1 + 3*DefaultPolicy.LotSpread), Basis: Part}
	case floor > 0:
		if floor > e.LowAh {
			e.Basis, e.N = Part, 0
		}
	case !known:
		return e, false, nil
	}
	e.LowAh = max(e.LowAh, floor)
	e.LikelyAh = max(e.LikelyAh, e.LowAh)
	e.HighAh = max(e.HighAh, e.LikelyAh)
	return e, true, nil
}
