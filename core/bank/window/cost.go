package window

import (
	"math"
	"slices"

	"pandrel/core/base/finding"
)

// LotCost is what a delivery cost per module and per rated kWh; zero where it cannot be known yet. FullPerModule is
// what a module would have cost on full pallets, zero where freight is not by the pallet or nothing would be gained.
type LotCost struct{ PerModule, PerRatedKWh, FullPerModule float64 }

// FreightOf is freight at one price per pallet, whatever it holds.
func FreightOf(pallets int, perPallet float64) float64 { return float64(pallets) * perPallet }

// CostOfLot divides price and freight (in one currency) over the modules and their rated energy.
func CostOfLot(price, freight float64, modules int, ratedKWh float64) LotCost {
	var c LotCost
	if modules > 0 {
		c.PerModule = (price + freight) / float64(modules)
	}
	if ratedKWh > 0 {
		c.PerRatedKWh = (price + freight) / ratedKWh
	}
	return c
}

// OnFullPallets adds what a module would have cost had each pallet held as many as it can.
func (c LotCost) OnFullPallets(price float64, modules, holds int, perPallet float64) LotCost {
	if modules < 1 || holds < 1 || perPallet <= 0 {
		return c
	}
	if full := price/float64(modules) + perPallet/float64(holds); full < c.PerModule-0.005 {
		c.FullPerModule = full
	}
	return c
}

// leastTested is how many tests a seller's claim is compared with before anything is said.
const leastTested = 3

// Claim compares a seller's claim of capacity, in per cent of rated, with the states of health
// tested so far (fractions). ok is false while too few are tested to say anything.
func Claim(claimedPct float64, tested []float64) (f finding.Finding, ok bool) {
	if claimedPct <= 0 || len(tested) < leastTested {
		return f, false
	}
	s := slices.Clone(tested)
	slices.Sort(s)
	mid := s[len(s)/2]
	if len(s)%2 == 0 {
		mid = (s[len(s)/2-1] + s[len(s)/2]) / 2
	}
	below := 0
	for _, x := range s {
		if x*100 < claimedPct {
			below++
		}
	}
	mid = math.Round(mid*1000) / 10
	f = finding.New(finding.Note, codeClaimKept).About("seller's claim").
		Reads(mid, "%").Against(claimedPct).By("rules §18").
		Says("Claimed %.0f %% of rated, tested %.1f %% in the middle of %d; %d below the claim.",
			claimedPct, mid, len(s), below).
		Then("The claim holds so far.")
	if mid < claimedPct {
		f.Level, f.Code, f.Do = finding.Caution, "claim-not-kept", "Take it up with the seller while the list of "+
			"tests is fresh."
	}
	return f, true
}
