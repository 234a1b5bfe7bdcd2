package netlist

import (
	"math"

	"pandrel/core/bank/sizing"
)

// SectionAmps is what a copper conductor of a section in mm² carries for ever in still air at 30 °C, at cell posts: a
// cable by the 60 °C column, a bar with the perimeter of a round one, which is the least there is, and for a rise of
// 30 K. It is 0 for other kinds and for no section. Check your local code.
func SectionAmps(kind Kind, mm2 float64) float64 {
	if !(mm2 > 0) {
		return 0
	}
	switch kind {
	case Bar, Bond:
		return sizing.BarAmps(sizing.Copper, mm2, 2*math.Sqrt(math.Pi*mm2), sizing.DefaultBarRiseK)
	case Cable:
		return sizing.CableAmps(sizing.Copper, mm2, sizing.FreeAir, sizing.PostColumnC, sizing.TableAmbientC)
	}
	return 0
}

// BySection gives a conductor the rating that its section allows, where no rating is given.
func BySection(k *Conductor) *Conductor {
	if k.RatingA != nil || k.AreaMM2 == nil {
		return k
	}
	amps := SectionAmps(k.Kind, *k.AreaMM2)
	if amps == 0 {
		return k
	}
	rated := *k
	amps = math.Floor(amps)
	rated.RatingA = &amps
	return &rated
}
