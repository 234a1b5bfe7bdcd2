package instrument_test

import (
	"bufio"
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"slices"
	"strconv"
	"strings"
	"sync/atomic"
	"testing"
	"time"

	"pandrel/core/base/chem"
	"pandrel/core/trainer/virtual"
	"pandrel/instrument"
)

// cycler is a simulated cycler with a clock of the test's own.
func cycler(t *testing.T) (*instrument.SimulatedCycler, *atomic.Int64) {
	t.Helper()
	m := virtual.New(rand.New(rand.NewPCG(1, 2)), "K-1", virtual.Spec{Chemistry: chem.NMC, Series: 7, RatedAh: 46,
		SoH: 0.85, SoC: 0.5, ResistanceOhms: 0.0019})
	c, err := instrument.StartCycler("127.0.0.1:0", 1, 2, 1, func(n string) (virtual.Module, bool) {
		return m, n == "K-1"
	})
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Stop() })
	var at atomic.Int64
	c.SetClock(func() time.Time { return time.Unix(1_800_000_000+at.Load(), 0) })
	return c, &at
}

func dial(t *testing.T, address string) *instrument.Cycler {
	t.Helper()
	c, err := instrument.DialCycler(address)
	if err != nil {
		t.Fatal(err)
	}
	t.Cleanup(func() { _ = c.Close() })
	return c
}

// A step runs by the device's own clock and limits, whoever is connected.
func TestACyclersStep(t *testing.T) {
	s, at := cycler(t)
	c := dial(t, s.Address)
	if r, err := c.Read(1); err == nil && r.State != instrument.Idle {
		t.Errorf("an empty channel says %+v", r)
	}
	if err := c.Plug(1, "nobody"); err == nil {
		t.Error("a module that is not there was plugged")
	}
	if err := c.Plug(1, "K-1"); err != nil {
		t.Fatal(err)
	}
	if err := c.Begin(1, instrument.CyclerStep{Amps: -10, GroupMin: 3.0, Seconds: 36000}); err != nil {
		t.Fatal(err)
	}
	at.Add(360)
	r, err := c.Read(1)
	if err != nil || r.State != instrument.Run || math.Abs(r.Ah+1) > 1e-6 || r.Seconds != 360 || len(r.Groups) != 7 ||
		math.Abs(r.Amps+10) > 0.05 {
		t.Fatalf("%+v, %v", r, err)
	}
	_ = c.Close() // nobody listens, and it goes on
	at.Add(360)
	c = dial(t, s.Address)
	if r, err = c.Read(1); err != nil || math.Abs(r.Ah+2) > 1e-6 {
		t.Errorf("%+v, %v", r, err)
	}
	if err := c.Hold(1); err != nil {
		t.Fatal(err)
	}
	at.Add(3600)
	if r, err = c.Read(1); err != nil || r.State != instrument.Pause || math.Abs(r.Ah+2) > 1e-6 {
		t.Errorf("paused: %+v, %v", r, err)
	}
	if err := c.Go(1); err != nil {
		t.Fatal(err)
	}
	at.Add(4 * 3600)
	// It stands at the floor as it stood under load, however long ago that was.
	if r, err = c.Read(1); err != nil || r.State != instrument.Done || r.Ended != "floor" || math.Abs(r.Amps+
		10) > 0.05 || math.Abs(slices.Min(r.Groups)-3) > 0.003 {
		t.Errorf("%+v, %v", r, err)
	}
	if _, err := c.Read(7); err == nil {
		t.Error("channel 7 of 2 answers")
	}
}

// A device that is no cycler, or answers nonsense, is said to be so.
func TestWhatIsNoCycler(t *testing.T) {
	for name, answer := range map[string]string{"nothing": "", "words": "hello", "a number too large": "1e300,1,1,1,1",
		"not a number": "NaN,1,1,1,1", "too few": "1,2", "a lead off": "1,1,20,1,21,3.7,3.7,0.1",
		"no volts": "1,1,99,1,21,99",

		"a long line": strings.Repeat("9", 100_000)} {
		l, err := net.Listen("tcp", "127.0.0.1:0")
		if err != nil {
			t.Fatal(err)
		}
		go func() {
			for {
				conn, err := l.Accept()
				if err != nil {
					return
				}
				go func() {
					defer conn.Close()
					in := bufio.NewScanner(conn)
					for in.Scan() {
						reply := answer
						switch {
						case strings.HasPrefix(in.Text(), "*IDN"):
							reply = "another cycler"
						case strings.HasPrefix(in.Text(), "STAT") && answer != "" && answer != "hello":
							reply = "RUN"
						case answer == "":
							return
						}
						_, _ = fmt.Fprintf(conn, "%s\n", reply)
					}
				}()
			}
		}()
		c, err := instrument.DialCycler(l.Addr().String())
		if err == nil {
			_, err = c.Read(1)
			_ = c.Close()
		}
		if err == nil {
			t.Errorf("%s: accepted", name)
		}
		_ = l.Close()
	}
	if _, err := instrument.DialCycler("127.0.0.1:1"); err == nil || !strings.Contains(err.Error(), "switched on") {
		t.Errorf("%v", err)
	}
}

// Whatever a device answers, what is taken for a reading can be one.
func FuzzReadCycler(f *testing.F) {
	for _, s := range []string{"RUN\n1,2,7.4,1,21,3.7,3.7\n", "DONE,floor\n1,2,7.4,1,21,3.7,3.7\n", "IDLE\n",
		"RUN\nNaN\n", "RUN", "PAUSE\n1e300,1,1,1,1\n", "\n\n\n", "RUN\n,,,,,,\n", "\xff\xfe\n"} {
		f.Add([]byte(s))
	}
	f.Fuzz(func(t *testing.T, answers []byte) {
		here, there := net.Pipe()
		defer here.Close()
		go func() {
			defer there.Close()
			in := bufio.NewReader(there)
			if _, err := in.ReadString('\n'); err != nil {
				return
			}
			_, _ = there.Write([]byte("a cycler\n"))
			for _, line := range bytes.SplitAfter(answers, []byte("\n")) {
				if _, err := in.ReadString('\n'); err != nil {
					return
				}
				_, _ = there.Write(line)
			}
		}()
		c, err := instrument.TalkCycler(here, "pipe")
		if err != nil {
			return
		}
		r, err := c.Read(1)
		if err != nil {
			return
		}
		for _, v := range append([]float64{r.Volts, r.Amps, r.Ah, r.Seconds, r.TempC}, r.Groups...) {
			if math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e9 {
				t.Errorf("%q was read as %+v", answers, r)
			}
		}
	})
}

// Whatever the simulated cycler is told, it answers or does not, and its module stays one.
func FuzzTellCycler(f *testing.F) {
	for _, s := range []string{"OUTP ON,(@1)", "SOUR:CURR 1e308,(@1)", "SOUR:CURR -10,(@1)", "MEAS? (@1)", "STAT? (@2)",
		"SIM:PLUG ,(@1)", "FETC:END? (@1)", "(@", "OUTP CONT,(@-1)", "*IDN?", "SYST:ERR?"} {
		f.Add(s)
	}
	m := virtual.New(rand.New(rand.NewPCG(1, 2)), "K-1", virtual.Spec{Chemistry: chem.NMC, Series: 2, RatedAh: 46,
		SoH: 0.85, SoC: 0.5, ResistanceOhms: 0.0019})
	c, err := instrument.StartCycler("127.0.0.1:0", 1, 2, 1, func(string) (virtual.Module, bool) { return m, true })
	if err != nil {
		f.Fatal(err)
	}
	f.Cleanup(func() { _ = c.Stop() })
	now := time.Unix(1_800_000_000, 0)
	c.SetClock(func() time.Time { return now })
	f.Fuzz(func(t *testing.T, line string) {
		c.Do("SIM:PLUG K-1,(@1)")
		c.Do("SOUR:CURR -10,(@1)")
		c.Do("OUTP ON,(@1)")
		c.Do(line)
		now = now.Add(time.Minute)
		parts := strings.Split(c.Do("MEAS? (@1)"), ",")
		if len(parts) != 7 {
			t.Fatalf("after %q it shows %q", line, parts)
		}
		for _, p := range parts {
			if v, err := strconv.ParseFloat(p, 64); err != nil || math.IsNaN(v) || math.IsInf(v, 0) {
				t.Errorf("after %q it shows %q", line, parts)
			}
		}
	})
}
