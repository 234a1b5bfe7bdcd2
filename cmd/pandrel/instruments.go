package main

import (
	"context"
	"fmt"
	"math/rand/v2"
	"os"
	"os/signal"
	"strings"
	"syscall"

	"github.com/spf13/cobra"

	"pandrel/core/base/chem"
	"pandrel/core/base/numeral"
	"pandrel/core/trainer/virtual"
	"pandrel/demo"
	"pandrel/instrument"
)

// instruments are the addresses of measuring devices, "" for none.
type instruments struct{ monitor, meter, cycler string }

// simulated are the devices that ship with Pandrel.
type simulated struct {
	monitor *instrument.SimulatedMonitor
	meter   *instrument.SimulatedMeter
	cycler  *instrument.SimulatedCycler
}

func (s simulated) at() instruments {
	return instruments{s.monitor.Address, s.meter.Address, s.cycler.Address}
}

func (s simulated) stop() {
	_ = s.monitor.Stop() // at the end of the program nothing is left to do with the error
	_ = s.meter.Stop()
	_ = s.cycler.Stop()
}

// sampleModule is what is plugged in and touched where there is no sample workshop.
func sampleModule(seed uint64) virtual.Module {
	return virtual.New(rand.New(rand.NewPCG(seed, 2)), "plugged", virtual.Spec{Chemistry: chem.NMC, Series: 7,
		RatedAh: 46, SoH: 0.85, SoC: 0.56 + 0.004*float64(seed), SoCSpread: 0.002, ResistanceOhms: 0.0019})
}

// clampedModule is what stands on each channel of a cycler where there is no sample workshop.
func clampedModule(x virtual.Spec, chemistry string) (m virtual.Module, err error) {
	c, err := chem.Lookup(chem.ID(strings.ToLower(chemistry)))
	if err != nil {
		return m, err
	}
	if x.Series < 1 || x.Series > 64 || !(x.RatedAh >= 0.5 && x.RatedAh <= 2000) {
		return m, fmt.Errorf("%s of %g Ah: expected 1 to 64 groups of 0.5 to 2000 Ah", numeral.Count(x.Series,
			"group"), x.RatedAh)
	}
	x.Chemistry, x.SoH, x.SoC, x.SoCSpread = c.ID, 0.85, 0.5, 0.002
	x.CapacitySpread, x.ResistanceOhms = 0.006, 0.085/x.RatedAh
	return virtual.New(rand.New(rand.NewPCG(1, 2)), "clamped", x), nil
}

// What the simulated cycler is like: its channels, and how much faster than the clock its time runs.
const (
	cyclerChannels = 4
	cyclerFactor   = 60
)

// startInstruments starts the simulated cell monitor, with modules of seven groups that are plugged
// in one after the other, and the simulated bench meter.
func startInstruments(at instruments, touch instrument.Touch, plugged instrument.Plugged, factor float64) (simulated,
	error) {
	m, err := instrument.StartMonitor(at.monitor, 1)
	if err != nil {
		return simulated{}, err
	}
	var mods []virtual.Module
	for i := range 6 {
		mods = append(mods, sampleModule(uint64(i+1)))
	}
	m.PlugInTurn(mods...)
	v, err := instrument.StartMeter(at.meter, 1, touch)
	if err != nil {
		_ = m.Stop()
		return simulated{}, err
	}
	y, err := instrument.StartCycler(at.cycler, 1, cyclerChannels, factor, plugged)
	if err != nil {
		_ = m.Stop()
		_ = v.Stop()
		return simulated{}, err
	}
	return simulated{m, v, y}, nil
}

func instrumentsCmd() *cobra.Command {
	var at instruments
	var factor float64
	on := virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46}
	var chemistry string
	c := &cobra.Command{Use: "instruments", Short: "Start the simulated instruments on loopback", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			mod, face := sampleModule(1), demo.TrikeFace()
			clamped, err := clampedModule(on, chemistry)
			if err != nil {
				return err
			}
			s, err := startInstruments(at, func(_, red, black string) (float64, bool) {
				v, err := mod.Probe(face, red, black)
				return v, err == nil
			}, func(string) (virtual.Module, bool) { return clamped, true }, factor)
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "cell monitor (Modbus TCP, unit 1) at %s\nbench meter (SCPI over TCP) at "+
				"%s\ncycler (SCPI over TCP), %.4g times as fast as the clock, at %s\n", s.monitor.Address,
				s.meter.Address, factor, s.cycler.Address)
			<-ctx.Done()
			s.stop()
			return nil
		}}
	c.Flags().StringVar(&at.monitor, "monitor", "127.0.0.1:8502", "address of the simulated cell monitor")
	c.Flags().StringVar(&at.meter, "meter", "127.0.0.1:8503", "address of the simulated bench meter")
	c.Flags().StringVar(&at.cycler, "cycler", "127.0.0.1:8504", "address of the simulated cycler")
	c.Flags().StringVar(&chemistry, "chemistry", "nmc", "of the modules on the cycler: lfp, nmc, lmo, nca or lto")
	c.Flags().IntVar(&on.Series, "series", on.Series, "their groups in series")
	c.Flags().Float64Var(&on.RatedAh, "ah", on.RatedAh, "their rated Ah")
	c.Flags().Float64Var(&factor, "factor", cyclerFactor, "how many times faster than the clock the cycler's time runs")
	return c
}
