// Command bench prints simulated modules for the browser tests as JSON: what a meter reads on them
// when mapped and surveyed, and the log of a discharge in one of the loggers' dialects.
package main

import (
	"encoding/json"
	"fmt"
	"math/rand/v2"
	"os"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
)

type module struct {
	Number string   `json:"number"`
	Probes []string `json:"probes"`
	Volts  []string `json:"volts"`
	Log    string   `json:"log"`
}

func main() {
	rng := rand.New(rand.NewPCG(42, 42))
	face := virtual.Face{"A-": 0, "A+": 7, "X1": 0, "X2": 1, "X3": 2, "X4": 3, "X5": 4, "X6": 5, "X7": 6, "X8": 7}
	pairs := [][2]string{{"A+", "A-"}, {"X1", "A+"}, {"X2", "X1"}, {"X3", "X2"}, {"X4", "X3"}, {"X5", "X4"},
		{"X6", "X5"}, {"X7", "X6"}, {"X8", "X7"}, {"X8", "A-"}, {"X4", "A-"}}
	dialects := []virtual.Dialect{virtual.PlainSeconds, virtual.ClockTabs, virtual.PlainSeconds, virtual.ClockTabs}
	var out []module
	for i, d := range dialects {
		m := virtual.New(rng, fmt.Sprintf("K-%03d", i+1), virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46,
			SoH: 0.84 + 0.01*float64(i), CapacitySpread: 0.004, SoC: 0.58, SoCSpread: 0.001, ResistanceOhms: 0.0019})
		meter := virtual.NewMeter(rng, 0.0003, 0.001)
		x := module{Number: m.Name}
		for _, p := range pairs {
			v, err := m.Probe(face, p[0], p[1])
			if err != nil {
				panic(err)
			}
			x.Probes = append(x.Probes, fmt.Sprintf("%s %s %.3f", p[0], p[1], meter.Read(v)))
		}
		for _, v := range m.RestVolts() {
			x.Volts = append(x.Volts, fmt.Sprintf("%.3f", meter.Read(v)))
		}
		m.SetSoC(1)
		log := m.Discharge(virtual.Test{Amps: 14, FloorVolts: 3, RestBefore: 2000, RestAfter: 2000, EverySecond: 10,
			AmbientC: 21})
		x.Log = string(virtual.WriteLog(rng, log, d, time.Date(2026, 11, 20, 9, 0, 0, 0, time.UTC)))
		out = append(out, x)
	}
	if err := json.NewEncoder(os.Stdout).Encode(out); err != nil {
		fmt.Fprintln(os.Stderr, err)
		os.Exit(1)
	}
}
