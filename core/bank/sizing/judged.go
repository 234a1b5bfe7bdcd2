package sizing

import (
	"math"

	"pandrel/core/base/chart"
	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
)

// Judge says where a print disagrees with what was measured.
func (m Measured) Judge(s Stock) []finding.Finding {
	if math.Abs(m.PrintOff) <= 0.1 {
		return nil
	}
	return []finding.Finding{finding.New(finding.Caution, codePrintOff).About(m.Kind).Reads(math.Round(m.MM2*10)/10,
		"mm²").Against(s.PrintMM2).By("rules §17").
		Says("It says %s mm² and measures %s mm²: %+.0f %%.", figure.Of(s.PrintMM2), figure.Of(m.MM2), m.PrintOff*100).
		Then("Go by what was measured; look whether the strands are copper at all.")}
}

// Unequal says of two strings alike, on cables of two lengths, that one carries more: share is the first one's.
func Unequal(share, firstM, secondM float64) []finding.Finding {
	if math.Abs(share-0.5) <= 0.02 {
		return nil
	}
	most := max(share, 1-share)
	return []finding.Finding{finding.New(finding.Caution, codeCablesUnequal).About("strings").
		Reads(math.Round(most*1000)/10, "%").Against(52).By("rules §12").
		Says("Cables of %s and %s m: one string carries %.0f %% of the current.", figure.Of(firstM), figure.Of(secondM),
			most*100).
		Then("Cut both to the same length, whatever the way.")}
}

// JudgeSection says of a section in hand what it does not bear, and what it loses beyond what is allowed.
func JudgeSection(c Cable, s Sized) (fs []finding.Finding) {
	over := func(f finding.Finding, m, limit float64, unit string) {
		fs = append(fs, f.About("cable").Reads(m, unit).Against(limit).By("rules §10").
			Then("A thicker cable, or a shorter way."))
	}
	if s.BearsAmps < s.DesignAmps {
		over(finding.New(finding.Stop, codeThin).Says("%.0f A are to be designed for; it bears %.0f A.", s.DesignAmps,
			s.BearsAmps), math.Round(s.DesignAmps), math.Floor(s.BearsAmps), "A")
	}
	if s.DropShare > c.DropShare {
		over(finding.New(finding.Caution, codeDrop).Says("It loses %.1f %% of the volts.", s.DropShare*100),
			math.Round(s.DropShare*1000)/10, c.DropShare*100, "%")
	}
	return fs
}

// Drawn is the volts on the capacitors while they fill, for the least and the most that they may be.
func Drawn(p Precharge, f Filled) *chart.Chart {
	out := &chart.Chart{Title: "Volts on the capacitors", X: "s", Y: "V"}
	out.At("bank", p.Volts, "plain")
	add := func(name string, filled float64) {
		c := chart.Curve{Name: name}
		tau := filled / math.Log(1/(1-p.Share))
		for i := range 61 {
			s := f.SecondsHigh * 1.3 * float64(i) / 60
			c.Points = append(c.Points, [2]float64{s, f.FinalVolts * (1 - math.Exp(-s/max(tau, 1e-9)))})
		}
		out.Curves = append(out.Curves, c)
	}
	if f.SecondsLow == f.SecondsHigh {
		add("capacitors", f.SecondsLow)
		return out
	}
	add("least capacitance", f.SecondsLow)
	add("most", f.SecondsHigh)
	return out
}
