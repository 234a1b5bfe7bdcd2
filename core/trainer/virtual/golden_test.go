package virtual_test

import (
	"hash/fnv"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
	"pandrel/golden"
)

// A module as it is made, aged, probed, discharged and run on a channel: all from one seed.
func TestWhatAVirtualModuleDoes(t *testing.T) {
	m := virtual.New(rng(4), "V", virtual.Spec{Chemistry: chem.NMC, Series: 3, RatedAh: 46, SoH: 0.85,
		CapacitySpread: 0.02, SoC: 0.6, SoCSpread: 0.01, ResistanceOhms: 0.002})
	m.Chemistry = chem.Chemistry{ID: m.Chemistry.ID, Curve: m.Chemistry.Curve, FloorVolts: m.Chemistry.FloorVolts,
		ChargeLimitVolts: m.Chemistry.ChargeLimitVolts}
	aged := m.Clone()
	aged.Groups[1].LeakageAmps = 0.01
	aged.Age(40)
	full := m.Clone()
	full.SetSoC(1)
	face := virtual.Face{"A-": 0, "X": 1, "A+": 3, "D": virtual.Dead}
	var probes []any
	for _, p := range [][2]string{{"A+", "A-"}, {"A-", "A+"}, {"X", "A-"}, {"D", "A-"}, {"Q", "A-"}} {
		v, err := m.Probe(face, p[0], p[1])
		probes = append(probes, v, err)
	}
	meter := virtual.NewMeter(rng(5), 0.002, 0.001)
	samples := full.Discharge(virtual.Test{Amps: 12, FloorVolts: 3, RestBefore: 600, RestAfter: 600, EverySecond: 30,
		AmbientC: 21})
	logs := map[string]any{}
	for d := virtual.PlainSeconds; d <= virtual.MinutesMilliamps+4; d++ {
		func() {
			defer func() { _ = recover() }() // beyond the last there is none
			text := virtual.WriteLog(rng(6), samples, d, time.Date(2026, 3, 1, 9, 0, 0, 0, time.UTC))
			sum := fnv.New32a()
			sum.Write(text)
			logs[string(rune('a'+int(d)))] = []any{string(text[:min(400, len(text))]), len(text), int(sum.Sum32())}
		}()
	}
	run := virtual.NewRunning(&full, 21)
	run.Begin(virtual.Limits{Amps: -12, GroupMin: 3.2, Seconds: 20000, Ah: 60, TempMaxC: 45})
	var shown []virtual.Shown
	for i := range 900 {
		if i == 30 {
			run.Pause()
		}
		if i == 40 {
			run.Resume()
		}
		if run.Step(10); i%60 == 0 {
			shown = append(shown, run.Show())
		}
	}
	golden.Same(t, "module", golden.Text(map[string]any{"made": m.Groups, "rest": m.RestVolts(), "aged": aged.Groups,
		"full":   full.Groups,
		"probes": probes, "meter": []float64{meter.Read(3.7), meter.Read(0), meter.Read(-25.9)}, "samples": samples,
		"dropped": len(virtual.DropBetween(samples, 900, 2000)), "logs": logs, "shown": shown, "ended": run.Ended}))
}
