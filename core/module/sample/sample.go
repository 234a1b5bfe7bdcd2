// Package sample says what n tested modules of N tell of the rest (rules §17).
//
// Method. The tested are taken as drawn at random from the lot, their capacities as normal: the next one lies within
// mean ± t·s·√(1 + 1/n), and the weakest of k untested ones above mean − t'·s·√(1 + 1/n) with the risk shared over the
// k (Bonferroni). Without any shape: the weakest of all N is among the n with a chance of n/N.
package sample

import (
	"fmt"
	"math"

	"gonum.org/v1/gonum/stat"
	"gonum.org/v1/gonum/stat/distuv"

	"pandrel/core/base/finding"
)

const rule = "rules §17"

// Lot is what was tested of how many. Wanted is the least capacity that a module may have, 0 for none. Risk is the
// chance that is borne of an untested one below, 0 takes 5 %.
type Lot struct {
	Tested []float64 // Ah
	Total  int
	Series int // positions of the bank, 0 for none: the weakest decides
	Wanted float64
	Risk   float64
}

// Told is what the sample says. Intervals hold with a chance of 1 − Risk.
type Told struct {
	Mean        float64           `json:"mean_ah"`
	Spread      float64           `json:"sd_ah"`
	NextLow     float64           `json:"next_low_ah"`
	NextHigh    float64           `json:"next_high_ah"`
	WeakestLow  float64           `json:"weakest_rest_ah"` // of all that are untested
	BankLow     float64           `json:"bank_low_ah"`     // of a bank of Series untested ones
	MeanLow     float64           `json:"mean_low_ah"`
	MeanHigh    float64           `json:"mean_high_ah"`
	SeenWeakest float64           `json:"chance_weakest_seen"`
	BelowChance float64           `json:"chance_next_below"` // of Wanted
	More        *int              `json:"more"`              // to test for the wanted risk; nil for no number
	Findings    []finding.Finding `json:"findings"`
}

// leastTested is how many it takes before anything is said of a spread.
const leastTested = 3

// Tell works it out. It fails, saying what was expected, for fewer than three tested.
func Tell(l Lot) (Told, error) {
	var t Told
	t.Findings = []finding.Finding{}
	if l.Risk == 0 {
		l.Risk = 0.05
	}
	n := len(l.Tested)
	if err := l.check(); err != nil {
		return t, err
	}
	t.Mean, t.Spread = stat.MeanStdDev(l.Tested, nil)
	d := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: float64(n - 1)}
	one := t.Spread * math.Sqrt(1+1/float64(n))
	q := d.Quantile(1 - l.Risk/2)
	t.NextLow, t.NextHigh = max(0, t.Mean-q*one), t.Mean+q*one
	rest := l.Total - n
	fpc := 1.0 // of a mean over a finite lot
	if l.Total > 1 {
		fpc = math.Sqrt(float64(rest) / float64(l.Total-1))
	}
	half := q * t.Spread / math.Sqrt(float64(n)) * fpc
	t.MeanLow, t.MeanHigh = t.Mean-half, t.Mean+half
	weakest := func(k int) float64 {
		if k < 1 {
			return t.Mean
		}
		return max(0, t.Mean-d.Quantile(1-l.Risk/float64(k))*one)
	}
	if rest > 0 {
		t.WeakestLow = weakest(rest)
	}
	if l.Series > 0 {
		t.BankLow = weakest(l.Series)
	}
	t.SeenWeakest = float64(n) / float64(l.Total)
	if l.Wanted > 0 {
		if one > 0 {
			t.BelowChance = d.CDF((l.Wanted - t.Mean) / one)
		} else if t.Mean < l.Wanted {
			t.BelowChance = 1
		}
		t.More = more(l, t)
		if t.BelowChance > l.Risk {
			t.Findings = append(t.Findings, finding.New(finding.Caution,
				codeRisk).About("the rest").Reads(math.Round(t.BelowChance*1000)/10, "%").Against(l.Risk*100).By(rule).
				Says("One untested module in %.0f holds less than %.1f Ah.", 1/t.BelowChance, l.Wanted).
				Then("Test each that goes into a bank; a bank is as good as its weakest position."))
		}
	}
	t.Findings = append(t.Findings, finding.New(finding.Note, codeAtRandom).About("sample").
		Reads(float64(n), "modules").By(rule).
		Says("True only if the tested were drawn at random: the best looking ones tell nothing of the rest.").
		Then("Draw them by lot, from every pallet and layer."))
	return t, nil
}

// check says what nothing can be told of.
func (l Lot) check() error {
	n := len(l.Tested)
	if n < leastTested {
		return fmt.Errorf("%d tested: expected %d or more, from which a spread can be told", n, leastTested)
	}
	if l.Total < n || l.Total > 1e6 {
		return fmt.Errorf("%d tested of %d: expected the number of all, tested ones included", n, l.Total)
	}
	if !(l.Risk > 0 && l.Risk < 0.5) || l.Series < 0 || l.Series > 1000 || !(l.Wanted >= 0) {
		return fmt.Errorf("risk %v, %d positions, wanted %v Ah: expected a risk of 0.1 to 50 %%", l.Risk,
			l.Series, l.Wanted)
	}
	for _, v := range l.Tested {
		if !(v > 0 && v < 1e6) {
			return fmt.Errorf("%v Ah: expected a capacity", v)
		}
	}
	return nil
}

// more is how many more to test until the next untested one is below what is wanted with no more than the risk, if the
// spread stays as it is; nil where even knowing the spread exactly would not do.
func more(l Lot, t Told) *int {
	n := len(l.Tested)
	for m := 0; n+m <= l.Total; m++ {
		k := float64(n + m)
		if k < 2 {
			continue
		}
		d := distuv.StudentsT{Mu: 0, Sigma: 1, Nu: k - 1}
		one := t.Spread * math.Sqrt(1+1/k)
		if n+m == l.Total || one == 0 && t.Mean >= l.Wanted || one > 0 && d.CDF((l.Wanted-t.Mean)/one) <= l.Risk {
			return &m
		}
	}
	return nil
}
