package instrument_test

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"math"
	"net"
	"strings"
	"testing"
	"time"

	"pandrel/instrument"
)

func bench(module, red, black string) (float64, bool) {
	at := map[string]float64{"A-": 0, "X2": 3.8, "A+": 7.6}
	r, ok1 := at[red]
	b, ok2 := at[black]
	return r - b, module == "K-1" && ok1 && ok2
}

func TestMeterReadsWhereItsProbesAre(t *testing.T) {
	m, err := instrument.StartMeter("127.0.0.1:0", 1, bench)
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	for _, c := range []struct {
		red, black string
		want       float64
	}{{"A+", "A-", 7.6}, {"A-", "A+", -7.6}, {"X2", "A-", 3.8}} {
		t.Run(c.red, func(t *testing.T) {
			v, err := instrument.ReadMeter(m.Address, instrument.Spot{Module: "K-1", Red: c.red, Black: c.black})
			if err != nil || math.Abs(v-c.want) > 0.004 {
				t.Errorf("%s to %s: %.4f, %v", c.red, c.black, v, err)
			}
		})
	}
	if _, err := instrument.ReadMeter(m.Address, instrument.Spot{Module: "K-2", Red: "A+", Black: "A-"}); err == nil ||
		!strings.Contains(err.Error(), "no such module") {
		t.Errorf("another module: %v", err)
	}
	if _, err := instrument.ReadMeter(m.Address, instrument.Spot{Module: "K-1", Red: "A+,x", Black: "A-"}); err == nil {
		t.Error("a comma in a name was sent on")
	}
}

// A meter that is not simulated is never told where its probes are, and its own answers are read.
func TestARealMeter(t *testing.T) {
	for _, c := range []struct {
		answer string
		want   float64
		says   string
	}{{"+1.234500E+00", 1.2345, ""}, {"9.9E37", 0, "over its range"}, {"hello", 0, "expected volts"}} {
		t.Run(c.answer, func(t *testing.T) {
			l, err := net.Listen("tcp", "127.0.0.1:0")
			if err != nil {
				t.Fatal(err)
			}
			told := make(chan string, 8)
			go func() {
				conn, err := l.Accept()
				if err != nil {
					return
				}
				defer conn.Close()
				in := bufio.NewScanner(conn)
				for in.Scan() {
					told <- in.Text()
					if in.Text() == "*IDN?" {
						fmt.Fprintln(conn, "SOME,METER,1,2")
					} else {
						fmt.Fprintln(conn, c.answer)
					}
				}
				close(told)
			}()
			v, err := instrument.ReadMeter(l.Addr().String(), instrument.Spot{Module: "K-1", Red: "A+", Black: "A-"})
			if v != c.want || (err == nil) != (c.says == "") || err != nil && !strings.Contains(err.Error(), c.says) {
				t.Errorf("%s: %v, %v", c.answer, v, err)
			}
			for line := range told {
				if strings.HasPrefix(line, "SIM") {
					t.Errorf("a real meter was told %q", line)
				}
			}
			_ = l.Close()
		})
	}
	if _, err := instrument.ReadMeter("127.0.0.1:1", instrument.Spot{Module: "K-1", Red: "A+",
		Black: "A-"}); err == nil ||
		!strings.Contains(err.Error(), "no bench meter answers") {
		t.Errorf("nobody there: %v", err)
	}
}

// The probes of the simulated meter are lifted, and then they are there: what is watched shows it, in this order.
func TestTheSimulatedHandLifts(t *testing.T) {
	m, err := instrument.StartMeter("127.0.0.1:0", 1, bench)
	if err != nil {
		t.Fatal(err)
	}
	defer m.Stop()
	tall := 51.84
	for _, c := range []struct {
		name string
		to   instrument.Spot
		want float64
	}{
		{"points", instrument.Spot{Module: "K-1", Red: "X2", Black: "A-"}, 3.8},
		{"swapped", instrument.Spot{Module: "K-1", Red: "A-", Black: "X2"}, -3.8},
		{"a lead of a bank", instrument.Spot{Shows: &tall}, 51.84},
		{"a joint", instrument.Spot{Joint: 1}, 0.0041},
		{"a bad joint", instrument.Spot{Joint: 5}, 0.0123},
	} {
		t.Run(c.name, func(t *testing.T) {
			var seen []float64
			err := instrument.WatchMeter(t.Context(), m.Address, c.to, time.Millisecond,
				func(_ time.Duration, v float64) (bool, error) {
					seen = append(seen, v)
					return len(seen) == 9, nil
				})
			if err != nil {
				t.Fatal(err)
			}
			for i, v := range seen {
				want := []float64{0, 0, 0, 0.6 * c.want}[min(i, 3)]
				if i > 3 {
					want = c.want
				}
				if math.Abs(v-want) > max(0.0001, 0.003*min(1, math.Abs(c.want))) {
					t.Errorf("look %d: %v, want %v of %v", i, v, want, seen)
				}
			}
		})
	}
	err = instrument.WatchMeter(t.Context(), m.Address, instrument.Spot{Module: "K-2", Red: "A+", Black: "A-"}, 0, nil)
	if err == nil || !strings.Contains(err.Error(), "no such module") {
		t.Errorf("another module: %v", err)
	}
}

// scripted is a meter that gives these answers one after the other, the last for ever.
func scripted(t *testing.T, answers ...string) string {
	return answering(t, func(conn net.Conn) {
		in, n := bufio.NewScanner(conn), 0
		for in.Scan() {
			say := "SOME,METER,1,2"
			if in.Text() != "*IDN?" {
				say, n = answers[min(n, len(answers)-1)], n+1
			}
			fmt.Fprintln(conn, say)
		}
	})
}

func TestWatchingARealMeter(t *testing.T) {
	var seen []float64
	enough := func(n int) func(time.Duration, float64) (bool, error) {
		seen = nil
		return func(_ time.Duration, v float64) (bool, error) {
			seen = append(seen, v)
			return len(seen) == n, nil
		}
	}
	at := instrument.Spot{Module: "K-1", Red: "A+", Black: "A-"}
	if err := instrument.WatchMeter(t.Context(), scripted(t, "0.001", "+9.9E37", "48.2"), at, 0,
		enough(3)); err != nil ||
		fmt.Sprint(seen) != "[0.001 +Inf 48.2]" {
		t.Errorf("over its range on the way to a higher one: %v, %v", seen, err)
	}
	// A line too many makes every later answer the one before.
	err := instrument.WatchMeter(t.Context(), scripted(t, "0.001\n3.7", "3.8", "3.9"), at, 20*time.Millisecond,
		enough(9))
	if err == nil || !strings.Contains(err.Error(), "more than it is asked") {
		t.Errorf("a meter that says more than it is asked: %v, %v", seen, err)
	}
	err = instrument.WatchMeter(t.Context(), scripted(t, "3.7", "hello"), at, 0, enough(9))
	if err == nil || len(seen) != 1 {
		t.Errorf("%v, %v", seen, err)
	}
	ctx, leave := context.WithCancel(t.Context())
	err = instrument.WatchMeter(ctx, scripted(t, "3.7"), at, time.Millisecond, func(time.Duration, float64) (bool,
		error) {
		leave()
		return false, nil
	})
	if !errors.Is(err, context.Canceled) {
		t.Errorf("nobody wants to know any more: %v", err)
	}
}
