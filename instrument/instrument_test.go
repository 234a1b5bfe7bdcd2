package instrument_test

import (
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"slices"
	"strings"
	"testing"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
)

func monitor(t testing.TB) *instrument.SimulatedMonitor {
	t.Helper()
	m, err := instrument.StartMonitor("127.0.0.1:0", 1)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = m.Stop() })
	return m
}

func module(seed uint64, series int) virtual.Module {
	return virtual.New(rand.New(rand.NewPCG(seed, 1)), "A", virtual.Spec{Chemistry: chem.NMC, Series: series,
		RatedAh: 46, SoH: 0.9, SoC: 0.5, SoCSpread: 0.02, ResistanceOhms: 0.002})
}

// What comes through the protocol must be what the module has, within the monitor's digit and noise, plug after plug.
func TestReadWhatIsPluggedIn(t *testing.T) {
	m := monitor(t)
	for i, series := range []int{7, 1, 24, 4} {
		mod := module(uint64(i), series)
		m.Plug(mod)
		got, err := instrument.ReadMonitor(m.Address)
		if err != nil || len(got.Volts) != series || got.Plug != i+1 || got.TempC != 21 || len(got.Open) != 0 {
			t.Fatalf("%+v, %v", got, err)
		}
		for g, v := range mod.RestVolts() {
			if math.Abs(got.Volts[g]-v) > 0.004 {
				t.Errorf("group %d: %.4f V, the module has %.4f", g+1, got.Volts[g], v)
			}
		}
	}
}

func TestModulesInTurn(t *testing.T) {
	m := monitor(t)
	a, b := module(1, 7), module(2, 4)
	m.PlugInTurn(a, b)
	for i, want := range []int{7, 4, 7, 4} {
		got, err := instrument.ReadMonitor(m.Address)
		if err != nil || len(got.Volts) != want || got.Plug != i+1 {
			t.Errorf("read %d: %d groups, plug %d, %v", i+1, len(got.Volts), got.Plug, err)
		}
	}
}

func TestOpenInputsAreNamed(t *testing.T) {
	m := monitor(t)
	m.Plug(module(1, 7), 3, 6)
	got, err := instrument.ReadMonitor(m.Address)
	if err != nil || !slices.Equal(got.Open, []int{3, 6}) || got.Volts[2] != 0 {
		t.Errorf("%+v, %v", got, err)
	}
}

func TestNothingPluggedInAndNobodyThere(t *testing.T) {
	m := monitor(t)
	if _, err := instrument.ReadMonitor(m.Address); err == nil ||
		!strings.Contains(err.Error(), "nothing is plugged in") {
		t.Errorf("empty: %v", err)
	}
	m.Plug(module(1, 7))
	m.Unplug()
	if _, err := instrument.ReadMonitor(m.Address); err == nil {
		t.Error("unplugged, and it was read")
	}
	if err := m.Stop(); err != nil {
		t.Fatal(err)
	}
	if _, err := instrument.ReadMonitor(m.Address); err == nil ||
		!strings.Contains(err.Error(), "no cell monitor answers") {
		t.Errorf("stopped: %v", err)
	}
	// Something else listens there: it must not be taken for a monitor, nor hang.
	l, err := net.Listen("tcp", "127.0.0.1:0")
	if err != nil {
		t.Fatal(err)
	}
	defer l.Close()
	go func() {
		for {
			c, err := l.Accept()
			if err != nil {
				return
			}
			fmt.Fprint(c, "HTTP/1.1 400 Bad Request\r\n\r\n")
			_ = c.Close()
		}
	}()
	if _, err := instrument.ReadMonitor(l.Addr().String()); err == nil {
		t.Error("a web server was taken for a monitor")
	}
	if _, err := instrument.StartMonitor("nowhere", 1); err == nil {
		t.Error("an address without a port")
	}
}
