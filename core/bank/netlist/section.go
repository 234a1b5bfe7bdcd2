package netlist

import (
	"math"
	"slices"
)

// The ampacity of copper in free air at 30 °C, conductor at 75 °C, by section (NEC 310.17, AWG 14 to 4/0). At
// cell posts the 60 °C column counts: derived by √((60 − 30)/(75 − 30)).
var (
	sectionMM2  = []float64{2.08, 3.31, 5.26, 8.37, 13.3, 21.15, 26.67, 33.62, 42.41, 53.49, 67.43, 85.01, 107.2}
	freeAirAmps = []float64{30, 35, 50, 70, 95, 125, 145, 170, 195, 230, 265, 310, 360}
)

const (
	postDerating = 0.8165 // √(30/45)
	barRiseK     = 30.0   // a bar on a cell post heats the cell: rise allowed
)

// SectionAmps is what a copper conductor of a section in mm² carries for ever in still air, at cell posts: a
// cable by the table above, a bar by Melsom and Booth, 7.73·A^0.5·p^0.39 A at 50 K, with the perimeter of a
// round one, which is the least there is, and for a rise of 30 K. It is 0 for other kinds and for no section. Check
// your local
// code.
func SectionAmps(kind Kind, mm2 float64) float64 {
	if !(mm2 > 0) {
		return 0
	}
	switch kind {
	case Bar, Bond:
		return 7.73 * math.Sqrt(mm2) * math.Pow(2*math.Sqrt(math.Pi*mm2), 0.39) * math.Pow(barRiseK/50, 0.6)
	case Cable:
		k, _ := slices.BinarySearch(sectionMM2, mm2)
		k = min(max(k, 1), len(sectionMM2)-1)
		slope := math.Log(freeAirAmps[k]/freeAirAmps[k-1]) / math.Log(sectionMM2[k]/sectionMM2[k-1])
		return postDerating * freeAirAmps[k-1] * math.Pow(mm2/sectionMM2[k-1], slope)
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
