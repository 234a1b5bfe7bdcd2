package sizing

import (
	"math"

	"pandrel/core/base/figure"
	"pandrel/core/base/finding"
)

// Judge says where a print disagrees with what was measured.
func (m Measured) Judge(s Stock) []finding.Finding {
	if math.Abs(m.PrintOff) <= 0.1 {
		return nil
	}
	return []finding.Finding{finding.New(finding.Caution, "print-off").About(m.Kind).Reads(math.Round(m.MM2*10)/10,
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
	return []finding.Finding{finding.New(finding.Caution, "cables-unequal").About("strings").
		Reads(math.Round(most*1000)/10, "%").Against(52).By("rules §12").
		Says("Cables of %s and %s m: one string carries %.0f %% of the current.", figure.Of(firstM), figure.Of(secondM),
			most*100).
		Then("Cut both to the same length, whatever the way.")}
}
