package times_test

import (
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/bench/times"
	"pandrel/golden"
)

func TestWhereTimesChange(t *testing.T) {
	j := times.Job{Chemistry: chem.NMC, Series: 7, Ah: 46, Modules: 14, Channels: 2, ChargeAmps: 12,
		ChargeWatts: 300, LoadAmps: 15,
		LoadWatts: 400, RestH: 1, StoreKWh: 3, FromSoC: 0.4, StorageSoC: 0.5, AttendedAlone: true, HoursADay: 9}
	golden.Judged(t, "times", []golden.Case[times.Job]{{Name: "all given", In: j}, {Name: "LFP, by amps alone",
		In: times.Job{
			Chemistry: chem.LFP, Series: 4, Ah: 200, Modules: 3, Channels: 1, ChargeAmps: 40, LoadAmps: 60, RestH: 2,
			FromSoC: 1}}}, func(j times.Job) (any, error) { return times.Work(j) })
	type lacks struct{ Share, Ah, Amps float64 }
	golden.Judged(t, "charge", []golden.Case[lacks]{{Name: "half", In: lacks{0.5, 46, 12}}}, func(l lacks) (any,
		error) {
		return times.Charge(chem.NMC, l.Share, l.Ah, l.Amps), nil
	})
}
