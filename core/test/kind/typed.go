package kind

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/test/noted"
)

// Result is a result as somebody wrote it down. Zero means not measured, except the capacity.
type Result struct {
	CapacityAh     float64  `json:"capacity_ah"`
	EnergyWh       float64  `json:"energy_wh"`
	ResistanceMOhm float64  `json:"resistance_mohm"`
	Amps           float64  `json:"amps"`
	TempC          *float64 `json:"temp_c"`
	EndVolts       float64  `json:"end_volts"`
	LowestEndVolts float64  `json:"lowest_end_volts"`   // of a group at the end of the discharge
	FromFull       bool     `json:"from_full"`          // it began full
	ChargeMoved    bool     `json:"charge_moved"`       // it was tested after the newest survey
	ApartMV        float64  `json:"apart_mv,omitempty"` // what a display called the difference of its groups
	Note           string   `json:"note"`
	// Word stood before the figure: AtLeast or About. Neither is a capacity, whatever else is known of the test.
	Word string `json:"word,omitempty"`
}

// Words before a figure.
const (
	AtLeast = "at least"
	About   = "about"
)

// Began is what was said when a test by hand began.
type Began struct {
	Full bool `json:"full,omitempty"` // charged to full before
}

// fromGiven is a result as it was given.
func fromGiven(k Kept, of Subject, f *Figures) (bool, error) { return fromResult(k.Given, of, f) }

// fromGave is a result that a person's readings gave.
func fromGave(k Kept, of Subject, f *Figures) (bool, error) { return fromResult(k.Gave, of, f) }

func fromResult(text []byte, of Subject, f *Figures) (bool, error) {
	r, ok, err := read[Result](text)
	if err != nil || !ok {
		return false, err
	}
	f.CapacityAh, f.EnergyWh, f.ResistanceMOhm = r.CapacityAh, r.EnergyWh, r.ResistanceMOhm
	f.Amps, f.TempC, f.EndVolts, f.LowestEndVolts, f.Moved = r.Amps, r.TempC, r.EndVolts, r.LowestEndVolts,
		r.ChargeMoved
	f.Note = r.Note
	if r.ApartMV != 0 {
		f.Tells = fmt.Sprintf("A display called its difference %s mV: kept as that, it is no voltage of any group.",
			numeral.Text(r.ApartMV))
	}
	if r.LowestEndVolts != 0 && r.LowestEndVolts < neverRecharged(of.Chemistry) {
		f.Lowest = &r.LowestEndVolts
	}
	n := noted.Result{FromFull: r.FromFull, EndVolts: r.EndVolts, LowestEndVolts: r.LowestEndVolts, Amps: r.Amps,
		EnergyWh: r.EnergyWh, Series: of.groups(), Chemistry: of.Chemistry}
	f.Lacks = noted.Lacks(n)
	if r.Word != "" {
		f.Lacks = fmt.Sprintf("it was written down as '%s'", r.Word)
	}
	f.Complete = f.Lacks == ""
	f.Said = !f.Complete && (r.Word == About || noted.OnlySaid(n))
	return true, nil
}

// neverRecharged is the voltage below which a group is never charged again; of a chemistry that is not known the lowest
// of all of them.
func neverRecharged(id chem.ID) float64 {
	if c, err := chem.Lookup(id); err == nil {
		return c.NeverRechargeVolts
	}
	least := math.Inf(1)
	for _, c := range chem.All() {
		least = min(least, c.NeverRechargeVolts)
	}
	return least
}
