// Package plate compares what a label plate says of a module type with itself, and counts the cells in parallel, which
// no voltage can tell.
package plate

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

// Doubts compares what a plate says with itself: nominal volts with groups and chemistry, and the three
// ways to know the cells in parallel with each other. What is doubtful is asked about, never refused for good:
// plates are wrong at times.
func Doubts(p Plate) []Doubt {
	var out []Doubt
	say := func(field, format string, args ...any) { out = append(out, Doubt{field, fmt.Sprintf(format, args...)}) }
	if c, err := chem.Lookup(p.Chemistry); err == nil && p.Volts > 0 {
		if p.Series > 0 {
			want := float64(p.Series) * c.NominalVolts
			if math.Abs(p.Volts-want) > plateWithin*want {
				say("plate_volts", "%s of %s make about %.1f V nominal, the plate says %s V", numeral.Count(p.Series,
					"group"), c.Name,
					want, numeral.Text(p.Volts))
			}
		} else if n := math.Round(p.Volts / c.NominalVolts); n < 1 ||
			math.Abs(p.Volts-n*c.NominalVolts) > 0.12*c.NominalVolts*math.Max(1, n*plateWithin/0.12) {
			say("plate_volts", "%s V is no whole number of %s groups of %.2f V", numeral.Text(p.Volts), c.Name,
				c.NominalVolts)
		}
	}
	if p.Series > 120 {
		say("plate_series", "%s in one module: expected fewer", numeral.Count(p.Series, "group"))
	}
	if ways := disagree(p); len(ways) > 0 {
		say("tabs_seen", "the cells in parallel disagree: %s", strings.Join(ways, ", "))
	}
	if p.ModuleKg > 0 && p.CellKg > 0 && p.ModuleKg < p.CellKg {
		say("module_kg", "the module weighs %s kg, less than one cell of %s kg", numeral.Text(p.ModuleKg),
			numeral.Text(p.CellKg))
	}
	return out
}

// disagree lists how many cells each way to know it finds in parallel, nothing where all find the same.
func disagree(p Plate) (ways []string) {
	first, same := 0, true
	add := func(e Evidence) {
		n, how, err := Parallel(e)
		if err != nil {
			return
		}
		if len(ways) == 0 {
			first = n
		}
		same, ways = same && n == first, append(ways, fmt.Sprintf("%d by %s", n, how))
	}
	if p.TabsSeen > 0 {
		add(Evidence{TabsSeen: p.TabsSeen})
	}
	if p.RatedAh > 0 && p.CellAh > 0 {
		add(Evidence{GroupAh: p.RatedAh, CellAh: p.CellAh})
	}
	if p.ModuleKg > 0 && p.CellKg > 0 && p.Series > 0 {
		add(Evidence{ModuleKg: p.ModuleKg, CellKg: p.CellKg, Series: p.Series})
	}
	if same {
		return nil
	}
	return ways
}

// Evidence is one of the three ways to know how many cells share a group, since volts
// cannot tell (rules §2.8). Exactly one pair or TabsSeen is set.
type Evidence struct {
	GroupAh, CellAh  float64
	TabsSeen         int
	ModuleKg, CellKg float64
	Series           int // with the masses: groups in the module
}

// Parallel returns the number of cells in parallel and the way it was found. The error says
// what is missing, or that the quotient is further than 0.15 from a whole number.
func Parallel(e Evidence) (cells int, how string, err error) {
	whole := func(q float64, how string) (int, string, error) {
		n := int(math.Round(q))
		if n < 1 || math.Abs(q-float64(n)) > 0.15 {
			return 0, "", fmt.Errorf("%s gives %.2f cells: expected close to a whole number", how, q)
		}
		return n, how, nil
	}
	switch {
	case e.TabsSeen > 0:
		return e.TabsSeen, "tabs counted", nil
	case e.GroupAh > 0 && e.CellAh > 0:
		return whole(e.GroupAh/e.CellAh, "group Ah / cell Ah")
	case e.ModuleKg > 0 && e.CellKg > 0 && e.Series > 0:
		return whole(e.ModuleKg/e.CellKg/float64(e.Series), "module mass / cell mass")
	}
	return 0, "", fmt.Errorf("expected tabs counted, or group and cell Ah, or module and cell mass with the series " +
		"count")
}
