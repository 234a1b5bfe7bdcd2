// Package load makes a load out of resistors: s in series by p in parallel of one kind (rules §5).
package load

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/finding"
)

// Derate is the share of a resistor's rating that is used; on a large plate of metal with a fan it may be more.
const Derate = 0.5

const rule = "rules §5"

// Resistor is one kind in stock.
type Resistor struct {
	Name  string  `json:"Name"`
	Ohms  float64 `json:"Ohms"`
	Watts float64 `json:"Watts"`
	Count int     `json:"Count"`
}

// Wanted is the current at the start, between two voltages. WireAmps and ClampAmps are what they bear, 0 not known.
type Wanted struct {
	Amps       float64
	StartVolts float64
	EndVolts   float64 // 0 for the same
	Derate     float64 // 0 takes a half
	WireAmps   float64
	ClampAmps  float64
}

// Network is s in series by p in parallel.
type Network struct {
	Resistor  string  `json:"resistor"`
	Ohms      float64 `json:"ohms"`
	Series    int     `json:"series"`
	Parallel  int     `json:"parallel"`
	StartAmps float64 `json:"start_a"`
	EndAmps   float64 `json:"end_a"`
	EachWatts float64 `json:"each_w"` // at the start
	MayWatts  float64 `json:"may_w"`
	AllWatts  float64 `json:"all_w"`
	Off       float64 `json:"off"` // of the wanted current, as a share
	TooHot    bool    `json:"too_hot"`
}

// At works out one network.
func At(r Resistor, s, p int, w Wanted) (n Network, fs []finding.Finding, err error) {
	if w.Derate == 0 {
		w.Derate = Derate
	}
	if w.EndVolts == 0 {
		w.EndVolts = w.StartVolts
	}
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"resistor", r.Ohms, 1e-4, 1e6}, {"its watts", r.Watts, 0.01, 1e5}, {"start", w.StartVolts, 0.1, 2000},
		{"end", w.EndVolts, 0.01, 2000}, {"derating", w.Derate, 0.05, 1}, {"wanted current", w.Amps, 0, 1e5}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return n, nil, fmt.Errorf("%s %v: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	if s < 1 || p < 1 || s > 1000 || p > 1000 {
		return n, nil, fmt.Errorf("%d in series by %d in parallel: expected 1 or more of each", s, p)
	}
	ohms := r.Ohms * float64(s) / float64(p)
	n = Network{Resistor: r.Name, Ohms: ohms, Series: s, Parallel: p, StartAmps: w.StartVolts / ohms,
		EndAmps: w.EndVolts / ohms, MayWatts: w.Derate * r.Watts, AllWatts: w.StartVolts * w.StartVolts / ohms}
	n.EachWatts = n.AllWatts / float64(s*p)
	if w.Amps > 0 {
		n.Off = n.StartAmps/w.Amps - 1
	}
	n.TooHot = n.EachWatts > n.MayWatts+1e-9
	add := func(code string, measured, limit float64, unit, text, do string) {
		fs = append(fs, finding.New(finding.Stop, code).About(r.Name).
			Reads(math.Round(measured*100)/100, unit).Against(math.Round(limit*100)/100).By(rule).
			Says("%s", text).
			Then("%s", do))
	}
	if n.TooHot {
		add(codeTooHot, n.EachWatts, n.MayWatts, "W", fmt.Sprintf("%.0f W in each resistor, of which it may "+
			"take %.0f W.", n.EachWatts, n.MayWatts), "More of them, in series and in parallel.")
	}
	if w.WireAmps > 0 && n.StartAmps > w.WireAmps {
		add(codeWire, n.StartAmps, w.WireAmps, "A", fmt.Sprintf("%.1f A through wire for %.1f A.", n.StartAmps,
			w.WireAmps), "Thicker wire, or less current.")
	}
	if w.ClampAmps > 0 && n.StartAmps > w.ClampAmps {
		add(codeClamp, n.StartAmps, w.ClampAmps, "A", fmt.Sprintf("%.1f A through a clamp for %.1f A.", n.StartAmps,
			w.ClampAmps), "A bolted lug, or less current.")
	}
	return n, fs, nil
}

// FloorOpen is said of a load of which nobody knows where it ends.
func FloorOpen() finding.Finding {
	return finding.New(finding.Caution, codeFloorNotKnown).About("load").By(rule).
		Says("Where the discharge ends was not given: the network needs no floor, the discharge does, and the " +
			"chemistry gives it.").
		Then("Declare the chemistry, or type the volts at which it is taken off. On one group the meter on " +
			"its posts is its monitor: somebody stays, and takes it off.")
}

// Find lists the networks of the stock that come nearest to the wanted current from below without getting too hot, the
// best first, at most so many. A network a little above the current is taken only where none is below.
func Find(stock []Resistor, w Wanted, most int) ([]Network, error) {
	if !(w.Amps > 0) {
		return nil, fmt.Errorf("wanted current %v A: expected above 0", w.Amps)
	}
	var out []Network
	for _, r := range stock {
		if r.Count < 1 || r.Count > 400 {
			return nil, fmt.Errorf("%s: %d in stock, expected 1 to 400", r.Name, r.Count)
		}
		for s := 1; s <= r.Count; s++ {
			for p := 1; s*p <= r.Count; p++ {
				n, _, err := At(r, s, p, w)
				if err != nil {
					return nil, err
				}
				if !n.TooHot {
					out = append(out, n)
				}
			}
		}
	}
	slices.SortStableFunc(out, func(a, b Network) int {
		above := func(n Network) int {
			if n.Off > 0.02 {
				return 1
			}
			return 0
		}
		return cmp.Or(cmp.Compare(above(a), above(b)), cmp.Compare(math.Round(math.Abs(a.Off)*1000),
			math.Round(math.Abs(b.Off)*1000)), cmp.Compare(a.Series*a.Parallel, b.Series*b.Parallel))
	})
	return out[:min(most, len(out))], nil
}
