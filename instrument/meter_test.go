package instrument_test

import (
	"bufio"
	"fmt"
	"math"
	"net"
	"strings"
	"testing"

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
			v, err := instrument.ReadMeter(m.Address, "K-1", c.red, c.black)
			if err != nil || math.Abs(v-c.want) > 0.004 {
				t.Errorf("%s to %s: %.4f, %v", c.red, c.black, v, err)
			}
		})
	}
	if _, err := instrument.ReadMeter(m.Address, "K-2", "A+", "A-"); err == nil ||
		!strings.Contains(err.Error(), "no such module") {
		t.Errorf("another module: %v", err)
	}
	if _, err := instrument.ReadMeter(m.Address, "K-1", "A+,x", "A-"); err == nil {
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
			v, err := instrument.ReadMeter(l.Addr().String(), "K-1", "A+", "A-")
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
	if _, err := instrument.ReadMeter("127.0.0.1:1", "K-1", "A+", "A-"); err == nil ||
		!strings.Contains(err.Error(), "no bench meter answers") {
		t.Errorf("nobody there: %v", err)
	}
}
