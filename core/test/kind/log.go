package kind

import (
	"pandrel/core/base/numeral"
	"pandrel/core/test/condition"
	"pandrel/core/test/logfile"
	"pandrel/core/test/trace"
)

// AsLog is how a file is read: what a person said over what was found. FloorVolts 0 takes the chemistry's.
type AsLog struct {
	FlipCurrent bool           `json:"flip_current"`
	FloorVolts  float64        `json:"floor_volts"`
	ReadAs      logfile.ReadAs `json:"read_as"`
}

// Logged is what was made of a log: its groups are those on the clamps.
type Logged = trace.Result

// fromLog is what a log came to.
func fromLog(k Kept, of Subject, f *Figures) (bool, error) {
	r, ok, err := read[Logged](k.Gave)
	if err != nil || !ok {
		return false, err
	}
	f.Stands, f.Unsettled, f.Moved = r.Driven(), r.Unsettled(), true
	if d := r.DrivenBelow(); d != nil {
		f.Lowest = d.Measured
	}
	for _, c := range r.Cycles {
		f.Cycles = append(f.Cycles, condition.Done{Ah: c.Ah, ChargedAh: c.ChargedAh, Complete: c.Complete})
	}
	c := r.Capacity
	if c == nil {
		return false, nil
	}
	f.CapacityAh, f.UncertaintyAh, f.EnergyWh = numeral.AmpHours(c.Ah), c.UncertaintyAh, c.Wh
	f.Complete = c.Complete || c.Whole
	f.Amps, f.TempC, f.EndVolts = c.MeanAmps, c.TempC, c.EndVolts
	if c.GapAh > 0 {
		f.GapAh, f.HighAh = c.GapAh, numeral.AmpHours(c.Ah+c.GapAh)
	}
	if f.ResistanceMOhm, ok = r.ResistanceAt(10); !ok {
		f.ResistanceMOhm, _ = r.ResistanceAt(30)
	}
	if r.LimitingGroup != nil {
		f.EndedBy = max(1, of.From) + *r.LimitingGroup - 1
	}
	if r.BalancedAh != nil {
		f.Balanced = *r.BalancedAh
	}
	if r.OthersAh != nil {
		f.OthersAh = *r.OthersAh
	}
	return true, nil
}
