// Package cost is the money of a bank: per rated, tested, usable and delivered kilowatt hour, for one bank or several,
// beside a new one and beside lead-acid (rules §15 and §17).
package cost

import (
	"fmt"
	"math"

	"pandrel/core/base/finding"
)

// Part is a thing that a bank takes. Owned ones are counted apart: they were paid for once.
type Part struct {
	Name  string
	Price float64
	Owned bool
}

// Bank is what it costs and what it gives. One currency for all. Freight flat is paid once for all banks; by the
// pallet, PalletPrice for each that ModulesPerPallet fill.
type Bank struct {
	Modules          int
	ModulePrice      float64
	Freight          float64
	PalletPrice      float64
	ModulesPerPallet int
	BMS              float64
	Parts            []Part
	Hours            float64
	HourRate         float64
	RatedKWh         float64
	TestedKWh        float64 // 0 not tested
	UsableKWh        float64 // each cycle
	Cycles           float64 // still to be expected
	Efficiency       float64 // 0 takes 0.90
	Banks            int     // as many alike, 0 for one
}

// Other is what else could be bought: price per kWh of its rating, how much of that is used, and for how many cycles.
type Other struct {
	Name       string
	PerKWh     float64
	UsedShare  float64
	Cycles     float64
	Efficiency float64
}

// Costs are those of one bank; Per… are for each kilowatt hour, 0 where the divisor is not known.
type Costs struct {
	Modules      float64    `json:"modules"`
	Freight      float64    `json:"freight"` // this bank's share
	BMS          float64    `json:"bms"`
	Parts        float64    `json:"parts"`
	Owned        float64    `json:"owned_parts"` // not in Total
	Work         float64    `json:"work"`
	Total        float64    `json:"total"`
	WithOwned    float64    `json:"total_with_owned"`
	PerRated     float64    `json:"per_rated_kwh"`
	PerTested    float64    `json:"per_tested_kwh"`
	ModulesEach  float64    `json:"modules_per_tested_kwh"` // modules and their freight alone
	PerUsable    float64    `json:"per_usable_kwh"`
	DeliveredKWh float64    `json:"delivered_kwh"` // over all its cycles
	PerDelivered float64    `json:"per_delivered_kwh"`
	Against      []Compared `json:"against"`
	ForBanks     []ForBanks `json:"for_banks"`
}

// Compared is another thing that delivers the same usable energy.
type Compared struct {
	Name         string  `json:"name"`
	Price        float64 `json:"price"`
	PerDelivered float64 `json:"per_delivered_kwh"`
	Dearer       float64 `json:"dearer"` // of delivered energy, as a factor of this bank's; below 1 it is cheaper
}

// ForBanks is what one bank costs when n are built at once.
type ForBanks struct {
	N       int     `json:"n"`
	Each    float64 `json:"each"`
	Pallets int     `json:"pallets"`
}

const defaultEfficiency = 0.90

// Work out the costs. It fails, saying what was expected, for what cannot be paid.
func Work(b Bank, others []Other) (Costs, error) {
	c := Costs{Against: []Compared{}, ForBanks: []ForBanks{}}
	if b.Efficiency == 0 {
		b.Efficiency = defaultEfficiency
	}
	b.Banks = max(1, b.Banks)
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"modules", float64(b.Modules), 1, 1e5}, {"price of a module", b.ModulePrice, 0, 1e7}, {"freight", b.Freight, 0,
		1e8}, {"price of a pallet", b.PalletPrice, 0, 1e7}, {"modules on a pallet", float64(b.ModulesPerPallet), 0,
		1e5}, {"BMS", b.BMS, 0, 1e7}, {"hours", b.Hours, 0, 1e5}, {"rate", b.HourRate, 0, 1e5}, {"rated", b.RatedKWh, 0,
		1e6}, {"tested", b.TestedKWh, 0, 1e6}, {"usable", b.UsableKWh, 0, 1e6}, {"cycles", b.Cycles, 0, 1e6},
		{"efficiency", b.Efficiency, 0.2, 1}, {"banks", float64(b.Banks), 1, 1e4}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return c, fmt.Errorf("%s %v: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	for _, p := range b.Parts {
		if !(p.Price >= 0 && p.Price < 1e8) {
			return c, fmt.Errorf("%s %v: expected a price", p.Name, p.Price)
		}
		if p.Owned {
			c.Owned += p.Price
		} else {
			c.Parts += p.Price
		}
	}
	each := func(n int) (freight float64, pallets int) {
		if b.PalletPrice > 0 && b.ModulesPerPallet > 0 {
			pallets = int(math.Ceil(float64(n*b.Modules)/float64(b.ModulesPerPallet) - 1e-9))
		}
		return (b.Freight + float64(pallets)*b.PalletPrice) / float64(n), pallets
	}
	c.Modules, c.BMS, c.Work = float64(b.Modules)*b.ModulePrice, b.BMS, b.Hours*b.HourRate
	c.Freight, _ = each(b.Banks)
	c.Total = c.Modules + c.Freight + c.BMS + c.Parts + c.Work
	c.WithOwned = c.Total + c.Owned
	per := func(kWh float64) float64 {
		if kWh <= 0 {
			return 0
		}
		return c.Total / kWh
	}
	c.PerRated, c.PerTested, c.PerUsable = per(b.RatedKWh), per(b.TestedKWh), per(b.UsableKWh)
	if b.TestedKWh > 0 {
		c.ModulesEach = (c.Modules + c.Freight) / b.TestedKWh
	}
	c.DeliveredKWh = b.UsableKWh * b.Cycles * b.Efficiency
	c.PerDelivered = per(c.DeliveredKWh)
	for _, n := range []int{1, 2, 3, 5, 10} {
		f, p := each(n)
		c.ForBanks = append(c.ForBanks, ForBanks{n, c.Total - c.Freight + f, p})
	}
	return c, c.compare(b, others)
}

// compare sets others beside a bank.
func (c *Costs) compare(b Bank, others []Other) error {
	for _, o := range others {
		x := Compared{Name: o.Name}
		if o.UsedShare <= 0 || o.UsedShare > 1 || o.PerKWh < 0 || o.Cycles < 0 || o.Efficiency < 0 || o.Efficiency > 1 {
			return fmt.Errorf("%s: expected a price per kWh, the share that is used, cycles and efficiency", o.Name)
		}
		x.Price = b.UsableKWh / o.UsedShare * o.PerKWh
		if d := b.UsableKWh * o.Cycles * o.Efficiency; d > 0 {
			x.PerDelivered = x.Price / d
			if c.PerDelivered > 0 {
				x.Dearer = x.PerDelivered / c.PerDelivered
			}
		}
		c.Against = append(c.Against, x)
	}
	return nil
}

// Judge says what nothing can be said of.
func (c Costs) Judge() []finding.Finding {
	if c.PerDelivered > 0 {
		return nil
	}
	return []finding.Finding{finding.New(finding.Note, codeCyclesOpen).About("bank").By("rules §15").
		Says("Without usable energy and cycles nothing can be said of a delivered kilowatt hour.").
		Then("Take the window's usable kWh, and the maker's cycles less those behind it.")}
}
