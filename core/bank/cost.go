package bank

// LotCost is what a delivery cost per module and per rated kWh; zero where it cannot be known yet.
type LotCost struct{ PerModule, PerRatedKWh float64 }

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
