package window

import (
	"cmp"
	"fmt"
	"math"
	"slices"

	"pandrel/core/base/chem"
	"pandrel/core/base/finding"
	"pandrel/core/base/numeral"
)

// mostMixes is how many ways with two types in one string are offered: those that use most of the device's window.
const mostMixes = 6

// mixes lists strings of two types in series. Types of unlike chemistries are never mixed: no charge voltage is right
// for both (rules §7). A mix is offered only where it makes a series count that neither type makes alone, or where
// neither alone has the modules for it.
func mixes(need Need, stocks []ranked) []Candidate {
	var out []Candidate
	for i, a := range stocks {
		for _, b := range stocks[i+1:] {
			wanted := need.Chemistry == "" || need.Chemistry == a.Chemistry
			if !wanted || a.Type == b.Type || a.Chemistry != b.Chemistry || a.Untested != b.Untested ||
				a.Curve != b.Curve {
				continue
			}
			c, err := chem.Lookup(a.Chemistry)
			if err != nil {
				continue
			}
			out = append(out, mixesOf(need, a, b, c.WithCurve(a.Curve))...)
		}
	}
	slices.SortStableFunc(out, func(x, y Candidate) int {
		return cmp.Or(boolCompare(!x.ReachesWanted, !y.ReachesWanted),
			cmp.Compare(math.Round(y.UsableKWh*100), math.Round(x.UsableKWh*100)), cmp.Compare(x.LeftOver, y.LeftOver))
	})
	return out[:min(len(out), mostMixes)]
}

// mixUpTo is the voltage of a device up to which mixes are looked for: above it there are too many to choose from.
const mixUpTo = 120.0

// mixesOf lists those of two stocks that fit the device.
func mixesOf(need Need, a, b ranked, c chem.Chemistry) (out []Candidate) {
	if !need.open && need.highest() > mixUpTo {
		return nil
	}
	most := need.Series
	if !need.open {
		most = int(math.Ceil(1.5 * need.highest() / c.NominalVolts))
	}
	for ka := 1; ka <= len(a.Modules) && ka*a.Series < most; ka++ {
		for kb := 1; kb <= len(b.Modules) && ka*a.Series+kb*b.Series <= most; kb++ {
			s := ka*a.Series + kb*b.Series
			alone := s%a.Series == 0 && s/a.Series <= len(a.Modules) || s%b.Series == 0 && s/b.Series <= len(b.Modules)
			if alone || need.Series > 0 && s != need.Series || float64(s)*c.NominalVolts < 0.6*need.CutoffVolts {
				continue
			}
			o := build(need, []lay{{a, ka}, {b, kb}}, c)
			if o.Refused {
				continue
			}
			o.mixed(a.Stock, b.Stock)
			out = append(out, o)
		}
	}
	return out
}

// mixed says what a mix costs.
func (o *Candidate) mixed(a, b Stock) {
	meanA, _, _ := a.Summary()
	meanB, _, _ := b.Summary()
	strong, weak, spare := a.Type, b.Type, meanA-meanB
	if spare < 0 {
		strong, weak, spare = b.Type, a.Type, -spare
	}
	o.Findings = append(o.Findings, finding.New(finding.Caution, codeTypesInSeries).About(fmt.Sprintf("%s, %s",
		o.Mix(), numeral.Count(o.Series, "group"))).Reads(math.Round(spare*10)/10, "Ah").Against(0).By(rule).
		Says("%s in series: the bank holds what %s "+
			"holds, about %.0f Ah of each %s stay unused, and the lower current of the two counts.", o.Mix(), weak,
			spare, strong).
		Then("Balance at the top before service. Give every group its own sense lead, and expect "+
			"the weaker type to end each discharge."))
}
