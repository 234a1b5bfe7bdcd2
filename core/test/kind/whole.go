package kind

import "pandrel/core/bank/whole"

// AsWhole is a discharge of a whole bank: as it was typed, and with what was worked out of that.
type AsWhole = whole.Test

// fromWhole is what a test of a whole bank came to.
func fromWhole(k Kept, _ Subject, f *Figures) (bool, error) {
	t, ok, err := read[AsWhole](k.Gave)
	if err != nil || !ok {
		return false, err
	}
	f.CapacityAh, f.EnergyWh, f.Amps, f.TempC, f.EndVolts = t.CapacityAh, t.EnergyWh, t.Amps, t.TempC, t.EndVolts
	f.Complete, f.EndedBy, f.ModuleAh = t.Complete, t.EndedBy, t.ModuleAh
	return true, nil
}
