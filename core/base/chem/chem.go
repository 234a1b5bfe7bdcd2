// Package chem holds the five cell chemistries the shop meets: their limits, and the curve from
// state of charge to rest voltage.
//
// The numbers are literature-typical values at 25 °C, to be replaced by the maker's data where that exists; screens
// that use them say so. Every other package takes its voltage limits from here and from nowhere else.
package chem

import (
	"fmt"
	"math"
	"slices"
	"strings"

	"gonum.org/v1/gonum/interp"

	"pandrel/core/base/numeral"
)

// ID is a chemistry's short name in files: lfp, nmc, lmo, nca or lto. The empty ID means not
// declared, and no charge step may be planned while it stands.
type ID string

// The chemistries known to Pandrel.
const (
	LFP ID = "lfp"
	NMC ID = "nmc"
	LMO ID = "lmo"
	NCA ID = "nca"
	LTO ID = "lto"
)

// Limits shared by every rule that compares volts with a chemistry.
const (
	// OverToleranceVolts above the charge limit is still put down to the meter.
	OverToleranceVolts = 0.020
	// OverQuarantineVolts above the charge limit no discharge step is offered any more.
	OverQuarantineVolts = 0.100
	// FlatVoltsPerPercent is the slope below which a voltage cannot tell the charge.
	FlatVoltsPerPercent = 0.002
	// CannotTellWidth is the width of a charge interval, as a fraction, from which a screen
	// says 'voltage cannot tell' instead of a number.
	CannotTellWidth = 0.20
	// ShortRestVolts is added to a voltage's uncertainty when the rest was short or unknown.
	ShortRestVolts = 0.020
	// TypicalDischargeC and TypicalChargeC are the continuous C rates of a module of which the maker's
	// are not known, TypicalPeakC the discharge for seconds (rules §7).
	TypicalDischargeC = 1.0
	TypicalPeakC      = 2.0
	TypicalChargeC    = 0.5
	// FullRestMinutes is the rest after which a voltage counts as a rest voltage.
	FullRestMinutes = 30
)

// Chemistry is one row of the rules' table. Volts are per cell group.
type Chemistry struct {
	ID                 ID
	Name               string
	NominalVolts       float64
	ChargeLimitVolts   float64
	FloorVolts         float64
	LongLifeLowVolts   float64
	LongLifeHighVolts  float64
	LookCloserVolts    float64
	NeverRechargeVolts float64
	ChargeLowTempC     float64
	ChargeHighTempC    float64
	DischargeLowTempC  float64
	DischargeHighTempC float64
	HysteresisVolts    float64
	TopBalanceVolts    float64 // below it the top of the curve is too flat to balance at; 0 steep everywhere
	Settings           Settings
	Curve              Curve
}

// Settings are a BMS's usual thresholds for one group, volts (rules §14).
type Settings struct {
	OverVolts         float64
	OverRecoverVolts  float64
	UnderVolts        float64
	ChargerVolts      float64
	BalanceStartVolts float64
}

var lithiumIon = Settings{4.20, 4.10, 3.10, 4.10, 4.00}

var percentAxis = []float64{0, 5, 10, 20, 30, 40, 50, 60, 70, 80, 90, 95, 100}

var table = []Chemistry{
	{LFP, "LFP", 3.20, 3.65, 2.50, 3.20, 3.34, 2.80, 2.00, 0, 45, -20, 55, 0.010, 3.45, Settings{3.65, 3.45, 2.80, 3.50,
		3.40}, mustCurve(2.70, 3.05, 3.18, 3.225, 3.255, 3.280, 3.292, 3.298, 3.318, 3.332, 3.337, 3.342, 3.42)},
	{NMC, "NMC", 3.65, 4.20, 3.00, 3.50, 4.05, 3.20, 2.00, 0, 45, -20, 55, 0.004, 0, lithiumIon,
		mustCurve(3.20, 3.40, 3.48, 3.57, 3.62, 3.66, 3.71, 3.80, 3.90, 4.00, 4.08, 4.12, 4.19)},
	{LMO, "LMO blend", 3.75, 4.20, 3.00, 3.60, 4.05, 3.20, 2.00, 0, 45, -20, 55, 0.004, 0, lithiumIon,
		mustCurve(3.20, 3.48, 3.58, 3.69, 3.77, 3.82, 3.87, 3.92, 3.97, 4.03, 4.09, 4.13, 4.18)},
	{NCA, "NCA", 3.60, 4.20, 3.00, 3.50, 4.05, 3.20, 2.00, 0, 45, -20, 55, 0.004, 0, lithiumIon,
		mustCurve(3.10, 3.35, 3.45, 3.55, 3.61, 3.66, 3.73, 3.83, 3.92, 4.01, 4.09, 4.13, 4.19)},
	{LTO, "LTO", 2.30, 2.80, 1.50, 2.15, 2.55, 1.80, 1.00, -20, 50, -30, 55, 0.004, 0, Settings{2.80, 2.65, 1.70, 2.65,
		2.50}, mustCurve(1.90, 2.06, 2.13, 2.18, 2.21, 2.24, 2.27, 2.31, 2.36, 2.42, 2.49, 2.55, 2.70)},
}

// All returns the chemistries in the rules' order.
func All() []Chemistry { return slices.Clone(table) }

// Lookup returns the chemistry with the given id. The error lists what would have been known.
func Lookup(id ID) (Chemistry, error) {
	for _, c := range table {
		if c.ID == id {
			return c, nil
		}
	}
	return Chemistry{}, fmt.Errorf("chemistry %q is not known: expected lfp, nmc, lmo, nca or lto", string(id))
}

// MostChargeVolts is the highest charge limit of all: what a group may reach of which nobody has declared the
// chemistry.
func MostChargeVolts() (v float64) {
	for _, c := range table {
		v = max(v, c.ChargeLimitVolts)
	}
	return v
}

// FullText says what a bank reaches on full charge, in volts; where its chemistry is not declared, that this is only
// the most that any chemistry reaches.
func FullText(volts float64, id ID) string {
	if _, err := Lookup(id); err != nil {
		return fmt.Sprintf("Fully charged, this bank may reach %.1f V DC (chemistry not declared: taken as "+
			"%.2f V a group, the most of any)", volts, MostChargeVolts())
	}
	return fmt.Sprintf("Fully charged, this bank reaches %.1f V DC", volts)
}

// Parse reads a chemistry from user text, in any case; "auto" and "" mean not declared.
func Parse(s string) (ID, error) {
	id := ID(strings.ToLower(strings.TrimSpace(s)))
	if id == "" || id == "auto" {
		return "", nil
	}
	if _, err := Lookup(id); err != nil {
		return "", err
	}
	return id, nil
}

// RestUncertaintyVolts is u for an absolute state of charge read from a rest voltage: the instrument's accuracy, the
// curve's hysteresis, and 20 mV more when the rest was under 30 min or not known (restMinutes < 0).
func (c Chemistry) RestUncertaintyVolts(accuracyVolts, restMinutes float64) float64 {
	u := accuracyVolts + c.HysteresisVolts
	if restMinutes < FullRestMinutes {
		u += ShortRestVolts
	}
	return u
}

// TypicalMOhm is the DC resistance after 10 s of one group of ah amp hours in which most used cells of the chemistry
// lie, milliohms: resistance goes down as capacity goes up, so that their product is typical. To be replaced by a
// measured one.
func (c Chemistry) TypicalMOhm(ah float64) Interval {
	if ah <= 0 {
		return Interval{}
	}
	low, high := 60.0, 180.0 // mΩ·Ah
	if c.ID == LTO {
		low, high = 30, 90
	}
	return Interval{low / ah, high / ah}
}

// WithCurve returns the chemistry with another rest curve; nil keeps its own.
func (c Chemistry) WithCurve(own *Curve) Chemistry {
	if own != nil {
		c.Curve = *own
	}
	return c
}

// OwnCurve makes the rest curve of one module type from measured points, charge in per cent. Beside
// what NewCurve asks it must reach from 10 % or less to 90 % or more, with at least five points, and
// stay between the chemistry's never-recharge voltage and a little above its charge limit.
func OwnCurve(id ID, socPct, volts []float64) (Curve, error) {
	c, err := Lookup(id)
	if err != nil {
		return Curve{}, fmt.Errorf("rest curve: declare the chemistry first: %w", err)
	}
	if len(socPct) < 5 {
		return Curve{}, fmt.Errorf("rest curve: %s: expected five or more", numeral.Count(len(socPct), "point"))
	}
	soc := make([]float64, len(socPct))
	for i, p := range socPct {
		soc[i] = p / 100
	}
	curve, err := NewCurve(soc, volts)
	if err != nil {
		return Curve{}, err
	}
	if soc[0] > 0.1 || soc[len(soc)-1] < 0.9 {
		return Curve{}, fmt.Errorf("rest curve: from %g to %g %%: expected it to reach from 10 %% or less to 90 %% "+
			"or more", socPct[0], socPct[len(socPct)-1])
	}
	if low, high := volts[0], volts[len(volts)-1]; low < c.NeverRechargeVolts ||
		high > c.ChargeLimitVolts+OverQuarantineVolts {
		return Curve{}, fmt.Errorf("rest curve: from %.3f to %.3f V: expected volts of one group of %s, %.2f to "+
			"%.2f V", low, high, c.Name, c.NeverRechargeVolts, c.ChargeLimitVolts)
	}
	return curve, nil
}

// Points returns the curve's points: charge in per cent, and volts.
func (c Curve) Points() (socPct, volts []float64) {
	for _, s := range c.soc {
		socPct = append(socPct, math.Round(s*1e6)/1e4)
	}
	return socPct, slices.Clone(c.volts)
}

// Interval is a range of values, low end first.
type Interval struct{ Low, High float64 }

// Width returns High − Low.
func (i Interval) Width() float64 { return i.High - i.Low }

// Mid returns the centre of the interval.
func (i Interval) Mid() float64 { return (i.Low + i.High) / 2 }

// Curve maps state of charge (fraction 0…1) to rest volts of one group, strictly increasing. Between the given points
// it is a shape-preserving cubic (gonum's monotone Hermite interpolation after Fritsch and Butland, SIAM J. Sci. Stat.
// Comput. 5, 1984), so that the slope stays positive. The zero Curve is not usable; make one with NewCurve.
type Curve struct {
	soc, volts []float64
	fit        *interp.FritschButland
}

// NewCurve fits a curve through at least two points. soc runs strictly upwards inside 0…1, volts strictly upwards.
func NewCurve(soc, volts []float64) (Curve, error) {
	if len(soc) != len(volts) || len(soc) < 2 {
		return Curve{}, fmt.Errorf("rest curve: expected two or more pairs of charge and volts, got %d and %s",
			len(soc), numeral.Count(len(volts), "value"))
	}
	for i := range soc {
		if math.IsNaN(soc[i]) || soc[i] < 0 || soc[i] > 1 {
			return Curve{}, fmt.Errorf("rest curve: point %d: charge %v is outside 0…1", i+1, soc[i])
		}
		if math.IsNaN(volts[i]) || math.IsInf(volts[i], 0) {
			return Curve{}, fmt.Errorf("rest curve: point %d: volts %v: expected a number", i+1, volts[i])
		}
		if i > 0 && (soc[i] <= soc[i-1] || volts[i] <= volts[i-1]) {
			return Curve{}, fmt.Errorf("rest curve: point %d does not rise above point %d: expected charge and "+
				"volts to increase", i+1, i)
		}
	}
	c := Curve{soc: slices.Clone(soc), volts: slices.Clone(volts), fit: new(interp.FritschButland)}
	if err := c.fit.Fit(c.soc, c.volts); err != nil {
		return Curve{}, fmt.Errorf("rest curve: %w", err)
	}
	return c, nil
}

func mustCurve(volts ...float64) Curve {
	soc := make([]float64, len(percentAxis))
	for i, p := range percentAxis {
		soc[i] = p / 100
	}
	c, err := NewCurve(soc, volts)
	if err != nil {
		panic(err)
	}
	return c
}

// Volts returns the rest voltage at soc, clamped to the curve's ends.
func (c Curve) Volts(soc float64) float64 {
	n := len(c.soc)
	if soc <= c.soc[0] {
		return c.volts[0]
	}
	if soc >= c.soc[n-1] {
		return c.volts[n-1]
	}
	return c.fit.Predict(soc)
}

// Slope returns the rise of the rest voltage at soc, volts per unit of charge; 0 beyond the curve's ends.
func (c Curve) Slope(soc float64) float64 {
	if soc <= c.soc[0] || soc >= c.soc[len(c.soc)-1] {
		return 0
	}
	return c.fit.PredictDerivative(soc)
}

// Beyond returns the rest voltage at soc, and beyond the curve's ends on the straight line of its last slope: what a
// group shows that was charged past full or discharged past empty.
func (c Curve) Beyond(soc float64) float64 {
	first, last := c.soc[0], c.soc[len(c.soc)-1]
	switch {
	case soc < first:
		return c.volts[0] + (soc-first)*c.endSlope(first)
	case soc > last:
		return c.volts[len(c.volts)-1] + (soc-last)*c.endSlope(last)
	}
	return c.Volts(soc)
}

// BeyondSlope is the rise of Beyond at soc, never 0.
func (c Curve) BeyondSlope(soc float64) float64 {
	return c.endSlope(min(max(soc, c.soc[0]), c.soc[len(c.soc)-1]))
}

// BeyondSoC inverts Beyond: below 0 or above 1 for volts outside the curve.
func (c Curve) BeyondSoC(volts float64) float64 {
	n := len(c.volts)
	switch {
	case volts < c.volts[0]:
		return c.soc[0] + (volts-c.volts[0])/c.endSlope(c.soc[0])
	case volts > c.volts[n-1]:
		return c.soc[n-1] + (volts-c.volts[n-1])/c.endSlope(c.soc[n-1])
	}
	return c.SoC(volts)
}

// leastSlope keeps the straight lines beyond the ends from being flat, volts per unit of charge.
const leastSlope = 0.05

func (c Curve) endSlope(soc float64) float64 { return max(leastSlope, c.fit.PredictDerivative(soc)) }

// SoC returns the state of charge at rest volts, clamped to the curve's ends. It inverts Volts
// by bisection to better than 1e-9.
func (c Curve) SoC(volts float64) float64 {
	n := len(c.volts)
	if volts <= c.volts[0] {
		return c.soc[0]
	}
	if volts >= c.volts[n-1] {
		return c.soc[n-1]
	}
	i, _ := slices.BinarySearch(c.volts, volts)
	lo, hi := c.soc[max(i-1, 0)], c.soc[min(i, n-1)]
	for hi-lo > 1e-10 {
		mid := (lo + hi) / 2
		if c.fit.Predict(mid) < volts {
			lo = mid
		} else {
			hi = mid
		}
	}
	return (lo + hi) / 2
}

// SoCInterval returns the states of charge that volts ± u allows.
func (c Curve) SoCInterval(volts, u float64) Interval {
	return Interval{c.SoC(volts - u), c.SoC(volts + u)}
}

// Outside reports whether volts lie below the curve's lowest or above its highest point, where it cannot
// tell one charge from another.
func (c Curve) Outside(volts float64) bool {
	return volts < c.volts[0] || volts > c.volts[len(c.volts)-1]
}

// Flat reports whether the curve around volts rises by less than 2 mV per per cent of charge,
// so that a voltage cannot tell the charge there. Outside the curve it is never flat.
func (c Curve) Flat(volts float64) bool {
	if volts <= c.volts[0] || volts >= c.volts[len(c.volts)-1] {
		return false
	}
	return c.fit.PredictDerivative(c.SoC(volts))/100 < FlatVoltsPerPercent
}

// Points are a rest curve as somebody wrote it down: charge in per cent, volts of a group, and where it comes from.
type Points struct {
	SoCPct []float64 `json:"SoCPct"`
	Volts  []float64 `json:"Volts"`
	Source string    `json:"Source"`
}

// Curve is the curve through the points.
func (p Points) Curve(id ID) (*Curve, error) {
	c, err := OwnCurve(id, p.SoCPct, p.Volts)
	if err != nil {
		return nil, err
	}
	return &c, nil
}
