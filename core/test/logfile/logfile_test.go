package logfile_test

import (
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"strings"
	"testing"

	"pandrel/core/test/logfile"
)

// Headers as loggers write them: which column is what, and in which unit.
func TestColumnsAreRecognised(t *testing.T) {
	cases := []struct {
		header, row       string
		volts, amps, temp float64
		groups            int
	}{
		{"time_s,volts,amps", "5,3.9,-2.5", 3.9, -2.5, 0, 0},
		{"Time (s);Voltage (mV);Current (mA);Temp (°C)", "5;3900;-2500;21", 3.9, -2.5, 21, 0},
		{"Elapsed [min]\tU [V]\tI [A]\tT/°C", "0,1\t3,9\t-2,5\t21", 3.9, -2.5, 21, 0},
		{"t/s;U/V;I/A;ϑ (°C)", "5;3,9;-2,5;21", 3.9, -2.5, 21, 0},
		{"Timestamp,Pack Voltage [V],Pack Current [A],Cell 1 [V],Cell 2 [V]", "2026-11-20 10:00:05,7.8,-2.5,3.9,3.9",
			7.8, -2.5, 0, 2},
		{"elapsed_min;voltage_v;current_a;temperature_c;cell01_v;cell02_v;cell03_v", "0.1;11.7;-2.5;21;3.9;3.9;3.9",
			11.7, -2.5, 21, 3},
		{"Time(h),U1(mV),U2(mV),I(mA)", "0.002,3900,3900,-2500", 7.8, -2.5, 0, 2},
		{"\"Time (s)\",\"Voltage (V)\",\"Current (A)\"", "\"5\",\"3.9\",\"-2.5\"", 3.9, -2.5, 0, 0},
		{"No;Clock;Volts;Amps;Energy(Wh)", "1;10:00:05;3,9;-2,5;0,2", 3.9, -2.5, 0, 0},
		{"amps,volts,time_ms", "-2.5,3.9,5000", 3.9, -2.5, 0, 0},
	}
	for _, c := range cases {
		t.Run(c.header, func(t *testing.T) {
			log, err := logfile.Parse([]byte("a logger\n\n" + c.header + "\n" + c.row + "\n"))
			if err != nil {
				t.Errorf("%s: %v", c.header, err)
				return
			}
			temp := 0.0
			if log.TempC != nil {
				temp = float64(log.TempC[0])
			}
			if math.Abs(log.Volts[0]-c.volts) > 1e-9 || math.Abs(log.Amps[0]-c.amps) > 1e-9 || temp != c.temp ||
				len(log.Groups) != c.groups {
				t.Errorf("%s: %v V, %v A, %v °C, %d groups", c.header, log.Volts[0], log.Amps[0], temp, len(log.Groups))
			}
		})
	}
}

// Numbers written with commas or points, with or without leading zeros and signs, are one number.
func TestDecimalMarksAgree(t *testing.T) {
	rng := rand.New(rand.NewPCG(61, 61))
	var point, comma strings.Builder
	point.WriteString("time_s;volts;amps\n")
	comma.WriteString("time_s;volts;amps\n")
	for i := range 500 {
		line := fmt.Sprintf("%d;%.4f;%+.3f\n", i, 2+2*rng.Float64(), 20*rng.Float64()-10)
		point.WriteString(line)
		comma.WriteString(strings.ReplaceAll(line, ".", ","))
	}
	a, err1 := logfile.Parse([]byte(point.String()))
	b, err2 := logfile.Parse([]byte(comma.String()))
	if err1 != nil || err2 != nil || len(a.Volts) != 500 || len(b.Volts) != 500 {
		t.Fatal(err1, err2)
	}
	for i := range a.Volts {
		if a.Volts[i] != b.Volts[i] || a.Amps[i] != b.Amps[i] {
			t.Fatalf("line %d: %v and %v", i, a.Volts[i], b.Volts[i])
		}
	}
}

func TestParseErrors(t *testing.T) {
	cases := []struct{ name, text, want string }{
		{"empty", "", "empty"},
		{"blank lines", "\n\n  \n", "empty"},
		{"binary", "PK\x03\x04\x00\x00\x00", "binary"},
		{"prose", "Dear all,\nthe module is fine.\n", "no header"},
		{"wrong columns", "name,colour\na,b\n", "no header"},
		{"header only", "time_s,volts,amps\n", "no line holds a sample"},
		{"decimal comma between commas", "time_s,volts,amps\n0,3,845,0\n1,3,845,0\n", "semicolons"},
		{"text in a number", "time_s,volts,amps\n0,full,0\n", "full"},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			_, err := logfile.Parse([]byte(c.text))
			var pe *logfile.ParseError
			if !errors.As(err, &pe) || !strings.Contains(err.Error(), c.want) ||
				!strings.Contains(err.Error(), "xpected") {
				t.Errorf("%s: %v", c.name, err)
			}
		})
	}
}

func TestTimeFormats(t *testing.T) {
	cases := []struct {
		name, text string
		seconds    float64
	}{
		{"minutes", "t [min],U/V,I/A\n0,4,0\n2.5,4,0\n", 150},
		{"milliseconds", "Time (ms),Voltage (V),Current (A)\n0,4,0\n1500,4,0\n", 1.5},
		{"clock past midnight", "Clock;Volts;Amps\n23:59:30;4;0\n00:00:30;4;0\n", 60},
		{"elapsed beyond a day", "Elapsed;Volts;Amps\n23:59:00;4;0\n25:00:00;4;0\n", 3660},
		{"date and time apart", "Date,Time,Volts,Amps\n2026-11-20,23:59:59,4,0\n2026-11-21,00:00:01.5,4,0\n", 2.5},
		{"iso", "timestamp,volts,amps\n2026-11-20T10:00:00Z,4,0\n2026-11-20T10:01:00Z,4,0\n", 60},
		{"day first", "Date Time;U/V;I/A\n20.11.2026 10:00;4,1;0\n20.11.2026 10:02;4,1;0\n", 120},
	}
	for _, c := range cases {
		t.Run(c.name, func(t *testing.T) {
			log, err := logfile.Parse([]byte(c.text))
			if err != nil {
				t.Errorf("%s: %v", c.name, err)
				return
			}
			if n := len(log.Seconds); n != 2 || math.Abs(log.Seconds[n-1]-c.seconds) > 1e-6 {
				t.Errorf("%s: seconds %v, problems %v", c.name, log.Seconds, log.Problems)
			}
		})
	}
}

// Whatever a file holds, it is read into columns of one length whose time rises, or refused with what was expected.
func FuzzParse(f *testing.F) {
	for _, seed := range []string{"time_s,volts\n1,2\n", "t [h];U/V;I(mA)\n0;4,19;0\n0,5;4,19;0\n",
		"Date,Time,Volts,Amps\n2026-11-20,23:59:59,4,0\n2026-11-21,00:00:01.5,4,0\n",
		"Time (s)\tCell 1 [V]\tCell 2 [V]\n0\t3.9\t3.8\n1\t3.9\t3.8\n"} {
		f.Add([]byte(seed))
	}
	f.Fuzz(func(t *testing.T, data []byte) {
		log, err := logfile.Parse(data)
		if err != nil {
			var pe *logfile.ParseError
			if !errors.As(err, &pe) {
				t.Fatalf("%T: %v", err, err)
			}
			return
		}
		n := len(log.Seconds)
		if n == 0 || len(log.Volts) != n || log.Amps != nil && len(log.Amps) != n || log.TempC != nil &&
			len(log.TempC) != n {
			t.Fatalf("%d times, %d volts, %d amps", n, len(log.Volts), len(log.Amps))
		}
		for i := 1; i < n; i++ {
			if !(log.Seconds[i] > log.Seconds[i-1]) {
				t.Fatal("time does not increase")
			}
		}
	})
}

func ExampleParse() {
	log, _ := logfile.Parse([]byte("t [h];U/V;I(mA)\n0;4,19;0\n0,5;4,19;-5000\n"))
	fmt.Println(log.Seconds, log.Volts, log.Amps)
	// Output: [0 1800] [4.19 4.19] [0 -5]
}

func FuzzParseAssign(f *testing.F) {
	for _, s := range []string{"time", "volts:mV", "group 3", ":", "amps:"} {
		f.Add(s)
	}
	f.Fuzz(func(t *testing.T, s string) {
		a, err := logfile.ParseAssign(s)
		if err != nil {
			return
		}
		if _, err := logfile.ParseWith([]byte("a,b,c\n0,3.7,1\n1,3.6,1\n"), logfile.ParseOptions{
			Columns: map[int]logfile.Assign{1: a}}); err != nil && err.Error() == "" {
			t.Error("an error without words")
		}
	})
}

// What a person says of a column is read whatever else the file has: each kind for each column, alone.
func TestAnyColumnMayBeSaidToBeAnything(t *testing.T) {
	text := []byte("time_s;volts;amps;x;y\n0;8,4;-2,5;1;2\n10;8,3;-2,5;;3\n20;8,2;-2,5;1 A;OL\n30;8,1;-2,5;1;2\n")
	for column := 1; column <= 5; column++ {
		for _, kind := range logfile.Kinds() {
			for _, unit := range []string{"", "mA", "x10", "min"} {
				a := logfile.Assign{Kind: kind, Unit: unit, Group: 2}
				log, err := logfile.ParseWith(text, logfile.ParseOptions{Columns: map[int]logfile.Assign{column: a}})
				if err == nil && (len(log.Amps) != len(log.Seconds) || len(log.Volts) != len(log.Seconds)) {
					t.Errorf("column %d as %+v: %d times, %d volts, %d amps", column, a, len(log.Seconds),
						len(log.Volts), len(log.Amps))
				}
			}
		}
	}
	log, err := logfile.ParseWith(text, logfile.ParseOptions{Columns: map[int]logfile.Assign{3: {Kind: "amps-out"}}})
	if err != nil || log.Amps[0] != -2.5 {
		t.Errorf("a column of discharge alone: %v %v", err, log)
	}
}
