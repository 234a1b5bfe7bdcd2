package main

import (
	"context"
	"errors"
	"fmt"
	"log/slog"
	"math/rand/v2"
	"net"
	"net/http"
	"os"
	"os/signal"
	"path/filepath"
	"sync/atomic"
	"syscall"
	"time"

	"pandrel/shop"
	"pandrel/web/frame"

	"github.com/spf13/cobra"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
	"pandrel/demo"
	"pandrel/instrument"
	"pandrel/store"
	"pandrel/web"
)

const defaultListen = "127.0.0.1:8460"

func serveCmd() *cobra.Command {
	var data, listen string
	var at instruments
	c := &cobra.Command{Use: "serve", Short: "Serve the workshop's pages", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if err := os.MkdirAll(data, 0o700); err != nil {
				return err
			}
			return serve(c, data, listen, at, nil)
		}}
	c.Flags().StringVar(&data, "data", "data", "folder of the workshop")
	c.Flags().StringVar(&listen, "listen", defaultListen, "address to serve on; loopback unless you choose otherwise")
	c.Flags().StringVar(&at.monitor, "monitor", "", "address of a cell monitor that speaks Modbus TCP, host:port")
	c.Flags().StringVar(&at.meter, "meter", "", "address of a bench meter that speaks SCPI over TCP, host:port")
	return c
}

func demoCmd() *cobra.Command {
	var data, listen string
	c := &cobra.Command{Use: "demo", Short: "Serve the sample workshop from a fresh copy", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			if data == "" {
				dir, err := os.MkdirTemp("", "pandrel-demo-")
				if err != nil {
					return err
				}
				defer os.RemoveAll(dir)
				data = dir
			} else if err := os.MkdirAll(data, 0o700); err != nil {
				return err
			}
			if _, err := os.Stat(filepath.Join(data, store.FileName)); err == nil {
				return fmt.Errorf("%s holds a workshop already: expected an empty folder for the sample", data)
			}
			var bench atomic.Pointer[demo.Bench]
			sim, err := startInstruments("127.0.0.1:0", "127.0.0.1:0", func(module, red, black string) (float64, bool) {
				return bench.Load().Touch(module, red, black)
			})
			if err != nil {
				return err
			}
			defer sim.stop()
			return serve(c, data, listen, sim.at(), func(ctx context.Context, st *store.Store) error {
				b, err := demo.FillBench(ctx, st, time.Now())
				bench.Store(b)
				return err
			})
		}}
	c.Flags().StringVar(&data, "data", "", "empty folder for the sample; a temporary one if not given")
	c.Flags().StringVar(&listen, "listen", defaultListen, "address to serve on")
	return c
}

// serve opens the workshop in dir, fills it when fill is given, and answers until it is told to
// stop.
func serve(c *cobra.Command, dir, listen string, at instruments, fill func(context.Context, *store.Store) error) error {
	ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
	defer stop()
	log := slog.New(slog.NewTextHandler(c.ErrOrStderr(), nil))
	slog.SetDefault(log)
	l, err := net.Listen("tcp", listen)
	if err != nil {
		return fmt.Errorf("listen on %s: %w; is another Pandrel running?", listen, err)
	}
	st, err := store.Open(dir)
	if err != nil {
		return err
	}
	defer st.Close()
	if fill != nil {
		if err := fill(ctx, st); err != nil {
			return fmt.Errorf("fill the sample workshop: %w", err)
		}
	}
	workshop := shop.New(st, nil)
	workshop.MonitorAddress, workshop.MeterAddress = at.monitor, at.meter
	if err := workshop.Record.RefreshHolds(ctx); err != nil {
		return fmt.Errorf("judge modules by the rules as they stand: %w", err)
	}
	h, err := web.New(workshop, l.Addr().String(), log)
	if err != nil {
		return err
	}
	host, port, _ := net.SplitHostPort(l.Addr().String())
	if ip := net.ParseIP(host); ip != nil && !ip.IsLoopback() {
		fmt.Fprintln(c.ErrOrStderr(), "Anyone who reaches this address can read and change the workshop: there are "+
			"no passwords.")
	}
	fmt.Fprintf(c.OutOrStdout(), "Pandrel is at http://%s\n", net.JoinHostPort(host, port))
	if err := frame.Serve(ctx, l, h); err != nil && !errors.Is(err, http.ErrServerClosed) {
		return err
	}
	return nil
}

// instruments are the addresses of measuring devices, "" for none.
type instruments struct{ monitor, meter string }

// simulated are the devices that ship with Pandrel.
type simulated struct {
	monitor *instrument.SimulatedMonitor
	meter   *instrument.SimulatedMeter
}

func (s simulated) at() instruments { return instruments{s.monitor.Address, s.meter.Address} }

func (s simulated) stop() {
	_ = s.monitor.Stop() // at the end of the program nothing is left to do with the error
	_ = s.meter.Stop()
}

// sampleModule is what is plugged in and touched where there is no sample workshop.
func sampleModule(seed uint64) virtual.Module {
	return virtual.New(rand.New(rand.NewPCG(seed, 2)), "plugged", virtual.Spec{Chemistry: chem.NMC, Series: 7,
		RatedAh: 46, SoH: 0.85, SoC: 0.56 + 0.004*float64(seed), SoCSpread: 0.002, ResistanceOhms: 0.0019})
}

// startInstruments starts the simulated cell monitor, with modules of seven groups that are plugged
// in one after the other, and the simulated bench meter.
func startInstruments(monitor, meter string, touch instrument.Touch) (simulated, error) {
	m, err := instrument.StartMonitor(monitor, 1)
	if err != nil {
		return simulated{}, err
	}
	var mods []virtual.Module
	for i := range 6 {
		mods = append(mods, sampleModule(uint64(i+1)))
	}
	m.PlugInTurn(mods...)
	v, err := instrument.StartMeter(meter, 1, touch)
	if err != nil {
		_ = m.Stop()
		return simulated{}, err
	}
	return simulated{m, v}, nil
}

func instrumentsCmd() *cobra.Command {
	var at instruments
	c := &cobra.Command{Use: "instruments", Short: "Start the simulated instruments on loopback", Args: cobra.NoArgs,
		RunE: func(c *cobra.Command, _ []string) error {
			ctx, stop := signal.NotifyContext(context.Background(), os.Interrupt, syscall.SIGTERM)
			defer stop()
			mod, face := sampleModule(1), demo.TrikeFace()
			s, err := startInstruments(at.monitor, at.meter, func(_, red, black string) (float64, bool) {
				v, err := mod.Probe(face, red, black)
				return v, err == nil
			})
			if err != nil {
				return err
			}
			fmt.Fprintf(c.OutOrStdout(), "cell monitor (Modbus TCP, unit 1) at %s\nbench meter (SCPI over TCP) at "+
				"%s\n", s.monitor.Address, s.meter.Address)
			<-ctx.Done()
			s.stop()
			return nil
		}}
	c.Flags().StringVar(&at.monitor, "monitor", "127.0.0.1:8502", "address of the simulated cell monitor")
	c.Flags().StringVar(&at.meter, "meter", "127.0.0.1:8503", "address of the simulated bench meter")
	return c
}

func backupCmd() *cobra.Command {
	var data string
	c := &cobra.Command{Use: "backup FILE", Short: "Write a consistent copy of the workshop, also while it is served",
		Args: cobra.ExactArgs(1),
		RunE: func(c *cobra.Command, args []string) error {
			if _, err := os.Stat(filepath.Join(data, store.FileName)); err != nil {
				return fmt.Errorf("no workshop in %s: expected %s there", data, store.FileName)
			}
			if _, err := os.Stat(args[0]); err == nil {
				return fmt.Errorf("%s exists already: expected a new file", args[0])
			}
			st, err := store.Open(data)
			if err != nil {
				return err
			}
			defer st.Close()
			if err := st.Backup(args[0]); err != nil {
				return err
			}
			fmt.Fprintln(c.OutOrStdout(), "written:", args[0])
			return nil
		}}
	c.Flags().StringVar(&data, "data", "data", "folder of the workshop")
	return c
}
