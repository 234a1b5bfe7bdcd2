// Package times says how long tests take and what energy they need (rules §5).
package times

import (
	"fmt"
	"math"

	"pandrel/core/base/chem"
)

// Shape of a charge, rules §5: the share of it that is done when the voltage limit is reached, and the mean current
// after that as a share of the current before.
const (
	meanTaper    = 0.4
	StoreEff     = 0.90 // each way
	attendedPart = 0.25 // hours of hands at each module: connect, check, disconnect
)

func constantShare(id chem.ID) float64 {
	if id == chem.LFP {
		return 0.97
	}
	return 0.9
}

// Charge says how many hours a charge to full takes that lacks a share 0…1 of ah at a set current: what lies below the
// voltage limit at that current, and what lies above it at the mean of its taper. Each amp hour is counted once.
func Charge(id chem.ID, lacks, ah, amps float64) float64 {
	tail := 1 - constantShare(id)
	return max(0, lacks-tail)*ah/amps + min(lacks, tail)*ah/(meanTaper*amps)
}

// Job is the tests of a pallet: as many modules alike. Watts limits are of a channel, 0 for none. RestH is each rest.
type Job struct {
	Chemistry     chem.ID
	Series        int
	Ah            float64
	Modules       int
	Channels      int
	ChargeAmps    float64
	ChargeWatts   float64
	LoadAmps      float64
	LoadWatts     float64
	RestH         float64 // below 0 takes one hour
	StoreKWh      float64 // 0 for no store
	FromSoC       float64 // on arrival
	StorageSoC    float64 // 0 takes 50 %
	AttendedAlone bool    // no group is monitored: somebody stays for every charge and discharge
	HoursADay     float64 // 0 takes 8
}

// Step is one step of a module's test.
type Step struct {
	Name  string  `json:"name"`
	Hours float64 `json:"hours"`
	KWh   float64 `json:"kwh"` // positive into the module
	Amps  float64 `json:"amps"`
	ByWat bool    `json:"limited_by_watts"`
}

// Hours is what it takes.
type Hours struct {
	Steps        []Step  `json:"steps"`
	PerModule    float64 `json:"hours_per_module"`
	PerPallet    float64 `json:"hours_per_pallet"`
	Days         float64 `json:"days"` // round the clock
	AttendedH    float64 `json:"attended_hours"`
	WorkDays     float64 `json:"work_days"` // by the attended hours
	WallKWh      float64 `json:"wall_kwh"`  // burning each discharge
	WallStoreKWh float64 `json:"wall_with_store_kwh"`
	StoreSmall   bool    `json:"store_small"` // it does not hold one discharge
}

// Work it out. It fails, saying what was expected, for what cannot be tested.
func Work(j Job) (h Hours, err error) {
	k, err := chem.Lookup(j.Chemistry)
	if err != nil {
		return h, err
	}
	if j, err = j.filled(); err != nil {
		return h, err
	}
	s := float64(j.Series)
	amps := func(a, w, volts float64) (float64, bool) {
		if w > 0 && w/volts < a {
			return w / volts, true
		}
		return a, false
	}
	// Watts bear on a step by its highest volts: the last of a charge, the first of a discharge.
	ch, byC := amps(j.ChargeAmps, j.ChargeWatts, s*k.ChargeLimitVolts)
	ld, byL := amps(j.LoadAmps, j.LoadWatts, s*k.ChargeLimitVolts)
	kwh := func(share float64) float64 { return share * j.Ah * s * k.NominalVolts / 1000 }
	full := 1 - j.FromSoC
	h.Steps = []Step{{"charge to full", Charge(j.Chemistry, full, j.Ah, ch), kwh(full), ch, byC},
		{"rest", j.RestH, 0, 0, false},
		{"discharge to the floor", j.Ah / ld, -kwh(1), ld, byL}, {"rest", j.RestH, 0, 0, false},
		{"back to storage charge", j.StorageSoC * j.Ah / ch, kwh(j.StorageSoC), ch, byC}}
	in, out, busy := 0.0, 0.0, 0.0
	for _, x := range h.Steps {
		h.PerModule += x.Hours
		in, out = in+max(0, x.KWh), out+max(0, -x.KWh)
		if x.KWh != 0 {
			busy += x.Hours
		}
	}
	rounds := math.Ceil(float64(j.Modules) / float64(j.Channels))
	h.PerPallet, h.Days = rounds*h.PerModule, rounds*h.PerModule/24
	h.AttendedH = attendedPart * float64(j.Modules)
	if j.AttendedAlone {
		h.AttendedH += rounds * busy
	}
	h.WorkDays = h.AttendedH / j.HoursADay
	n := float64(j.Modules)
	h.WallKWh = n * in / StoreEff
	h.WallStoreKWh = h.WallKWh
	if j.StoreKWh > 0 {
		// The store gives back what a discharge sent, less both ways; 10 to 95 % of it is used.
		held := min(out*StoreEff, 0.85*j.StoreKWh)
		h.StoreSmall = held < out*StoreEff-1e-9
		h.WallStoreKWh = n * max(0, in/StoreEff-held*StoreEff)
	}
	return h, nil
}

// filled is a job with what goes without saying, or why it cannot be tested.
func (j Job) filled() (Job, error) {
	if j.RestH < 0 {
		j.RestH = 1
	}
	if j.StorageSoC == 0 {
		j.StorageSoC = 0.5
	}
	if j.HoursADay == 0 {
		j.HoursADay = 8
	}
	for _, x := range []struct {
		name         string
		v, low, high float64
	}{{"groups", float64(j.Series), 1, 400}, {"capacity", j.Ah, 0.01, 1e5}, {"modules", float64(j.Modules), 1,
		1e5}, {"channels", float64(j.Channels), 1, 1000}, {"charge current", j.ChargeAmps, 1e-3, 1e5},
		{"load current", j.LoadAmps, 1e-3, 1e5}, {"charger watts", j.ChargeWatts, 0, 1e6}, {"load watts",
			j.LoadWatts, 0, 1e6}, {"rest", j.RestH, 0, 100}, {"store", j.StoreKWh, 0, 1e5}, {"charge on arrival",
			j.FromSoC, 0, 1}, {"storage charge", j.StorageSoC, 0.05, 1}, {"hours a day", j.HoursADay, 0.5, 24}} {
		if !(x.v >= x.low && x.v <= x.high) {
			return j, fmt.Errorf("%s %v: expected %v to %v", x.name, x.v, x.low, x.high)
		}
	}
	return j, nil
}
