// Package place is what workings may know of where they are opened from: a module, a lot, a bank that stands. What is
// not known is left out of them.
package place

import (
	"pandrel/core/base/chem"
	"pandrel/core/base/known"
)

// Module is what is known of one module: volts of its groups at rest from the main negative up, none where not
// surveyed.
type Module struct {
	Chemistry chem.ID
	Curve     *chem.Curve
	Series    int
	Ah        known.Value
	MOhm      known.Value
	Volts     []float64
}

// Lot is what is known of what arrived together: of its largest type, what was tested, how many there are, and what a
// module cost with its share of freight.
type Lot struct {
	Chemistry   chem.ID
	Series      int
	Ah          float64
	Modules     int
	Tested      []float64
	Price       float64
	Pallet      float64
	PalletHolds int
	RatedKWh    float64
	TestedKWh   float64
	Freight     float64
}

// WithEnergy fills in rated and tested energy, from the chemistry's nominal volts.
func (l Lot) WithEnergy() Lot {
	k, err := chem.Lookup(l.Chemistry)
	if err != nil || l.Series < 1 {
		return l
	}
	volts := float64(l.Series) * k.NominalVolts / 1000
	l.RatedKWh = float64(l.Modules) * l.Ah * volts
	if len(l.Tested) == l.Modules { // a part of them says nothing of what all cost
		for _, ah := range l.Tested {
			l.TestedKWh += ah * volts
		}
	}
	return l
}

// Standing is what is known of a bank that somebody else built, or of a pack kept whole: the volts of the whole, or of
// its groups.
type Standing struct {
	Chemistry chem.ID
	Series    int
	Ah        known.Value
	Volts     known.Value // as read, not known where nobody did
	FullVolts known.Value // at full charge: the most that can stand at its posts
	Groups    []float64
}
