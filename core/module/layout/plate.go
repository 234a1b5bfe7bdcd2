package layout

import (
	"fmt"
	"math"
	"strings"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
)

// Plate is what a label plate and a first look say of a type; zero where nothing was said.
type Plate struct {
	Chemistry chem.ID
	Series    int
	Volts     float64 // nominal
	RatedAh   float64
	TabsSeen  int
	CellAh    float64
	ModuleKg  float64
	CellKg    float64
}

// Doubt is something on a plate that does not go with something else on it. Field is the one to look at.
type Doubt struct {
	Field string
	Text  string
}

// plateWithin is how far a plate's nominal voltage may lie from that of its groups: makers round, and count
// nominal volts of a cell differently.
const plateWithin = 0.08

// PlateDoubts compares what a plate says with itself: nominal volts with groups and chemistry, and the three
// ways to know the cells in parallel with each other. What is doubtful is asked about, never refused for good:
// plates are wrong at times.
//
// In one piece: one doubt after the other, each with its number and text.
func PlateDoubts(p Plate) []Doubt {
	var out []Doubt
	say := func(field, format string, args ...any) { out = append(out, Doubt{field, fmt.Sprintf(format, args...)}) }
	if c, err := chem.Lookup(p.Chemistry); err == nil && p.Volts > 0 {
		if p.Series > 0 {
			want := float64(p.Series) * c.NominalVolts
			if math.Abs(p.Volts-want) > plateWithin*want {
				say("plate_volts", "%d groups of %s make about %.1f V nominal, the plate says %s V", p.Series, c.Name,
					want, numeral.Text(p.Volts))
			}
		} else if n := math.Round(p.Volts / c.NominalVolts); n < 1 ||
			math.Abs(p.Volts-n*c.NominalVolts) > 0.12*c.NominalVolts*math.Max(1, n*plateWithin/0.12) {
			say("plate_volts", "%s V is no whole number of %s groups of %.2f V", numeral.Text(p.Volts), c.Name,
				c.NominalVolts)
		}
	}
	if p.Series > 120 {
		say("plate_series", "%d groups in one module: expected fewer", p.Series)
	}
	type way struct {
		n   int
		how string
	}
	var ways []way
	add := func(e ParallelEvidence) {
		if n, how, err := ParallelCount(e); err == nil {
			ways = append(ways, way{n, how})
		}
	}
	if p.TabsSeen > 0 {
		add(ParallelEvidence{TabsSeen: p.TabsSeen})
	}
	if p.RatedAh > 0 && p.CellAh > 0 {
		add(ParallelEvidence{GroupAh: p.RatedAh, CellAh: p.CellAh})
	}
	if p.ModuleKg > 0 && p.CellKg > 0 && p.Series > 0 {
		add(ParallelEvidence{ModuleKg: p.ModuleKg, CellKg: p.CellKg, Series: p.Series})
	}
	for _, w := range ways {
		if w.n != ways[0].n {
			var parts []string
			for _, x := range ways {
				parts = append(parts, fmt.Sprintf("%d by %s", x.n, x.how))
			}
			say("tabs_seen", "the cells in parallel disagree: %s", strings.Join(parts, ", "))
			break
		}
	}
	if p.ModuleKg > 0 && p.CellKg > 0 && p.ModuleKg < p.CellKg {
		say("module_kg", "the module weighs %s kg, less than one cell of %s kg", numeral.Text(p.ModuleKg),
			numeral.Text(p.CellKg))
	}
	return out
}
