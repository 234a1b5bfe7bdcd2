package virtual

import (
	"bytes"
	"fmt"
	"math"
	"math/rand/v2"
	"strconv"
	"strings"
	"time"
)

// maxSamples ends a test whose floor is never reached.
const maxSamples = 5_000_000

// Sample is one line of a log. Amps are positive while charging. Groups are the group voltages, group 1 first.
type Sample struct {
	Seconds float64
	Volts   float64
	Amps    float64
	TempC   float64
	Groups  []float64
}

// Test describes a discharge at constant current. All times are in seconds.
type Test struct {
	Amps        float64 // magnitude of the load
	FloorVolts  float64 // per group: the first group that reaches it ends the test
	RestBefore  float64
	RestAfter   float64
	EverySecond float64 // sampling interval
	AmbientC    float64
}

// Discharge runs t on m and returns the log. m is left as the test leaves it, discharged. The
// simulation steps at the sampling interval, with the RC pair solved exactly within a step.
func (m *Module) Discharge(t Test) []Sample {
	rc := make([]float64, len(m.Groups)) // volts across each RC pair, negative under load
	decay := math.Exp(-t.EverySecond / rcSeconds)
	temp := t.AmbientC
	var out []Sample
	now := 0.0
	record := func(amps float64) (lowest float64) {
		s := Sample{Seconds: now, Amps: amps, TempC: math.Round(temp*10) / 10}
		lowest = math.Inf(1)
		for i, g := range m.Groups {
			v := m.groupRest(g) + amps*g.ResistanceOhms + rc[i]
			s.Groups = append(s.Groups, v)
			s.Volts += v
			lowest = min(lowest, v)
		}
		out = append(out, s)
		return lowest
	}
	step := func(amps float64) {
		var watts float64
		for i := range m.Groups {
			g := &m.Groups[i]
			target := amps * rcShare * g.ResistanceOhms
			rc[i] = target + (rc[i]-target)*decay
			g.SoC = max(-0.2, g.SoC+(amps-g.LeakageAmps)*t.EverySecond/3600/g.CapacityAh)
			watts += amps * amps * g.ResistanceOhms * (1 + rcShare)
		}
		// One thermal mass: 900 J/K for each group, 4 W/K to the room.
		temp += t.EverySecond * (watts - 4*(temp-t.AmbientC)) / (900 * float64(len(m.Groups)))
		now += t.EverySecond
	}
	for now < t.RestBefore {
		record(0)
		step(0)
	}
	for record(-t.Amps) > t.FloorVolts && len(out) < maxSamples {
		step(-t.Amps)
	}
	for end := now + t.RestAfter; now < end; {
		step(0)
		record(0)
	}
	return out
}

// DropBetween removes the samples inside (from, to) seconds: a logger that lost its lead.
func DropBetween(samples []Sample, from, to float64) []Sample {
	var out []Sample
	for _, s := range samples {
		if s.Seconds <= from || s.Seconds >= to {
			out = append(out, s)
		}
	}
	return out
}

// Dialect is one way loggers write their files.
type Dialect int

// The dialects a simulated logger can write.
const (
	// PlainSeconds: comma, decimal point, one header, elapsed seconds, signed amps, groups.
	PlainSeconds Dialect = iota
	// MinutesMilliamps: semicolon, decimal comma, a preamble, minutes, unsigned milliamps and a step column.
	MinutesMilliamps
	// ClockTabs: tab, date and time of day, discharge counted positive, a repeated header and a byte order mark.
	ClockTabs
)

// WriteLog writes samples as a logger of the given dialect would, with the logger's resolution of
// 1 mV and its noise.
func WriteLog(rng *rand.Rand, samples []Sample, d Dialect, start time.Time) []byte {
	var b bytes.Buffer
	noise := func(v float64) float64 { return v + 0.0004*rng.NormFloat64() }
	num := func(v float64, decimals int) string { return strconv.FormatFloat(v, 'f', decimals, 64) }
	comma := func(v float64, decimals int) string { return strings.ReplaceAll(num(v, decimals), ".", ",") }
	groups := 0
	if len(samples) > 0 {
		groups = len(samples[0].Groups)
	}
	switch d {
	case PlainSeconds:
		b.WriteString("time_s,volts,amps,temp_c")
		for i := range groups {
			fmt.Fprintf(&b, ",group%d_v", i+1)
		}
		b.WriteString("\n")
		for _, s := range samples {
			b.WriteString(num(s.Seconds, 0) + "," + num(noise(s.Volts), 3) + "," + num(s.Amps, 3) + "," +
				num(s.TempC, 1))
			for _, g := range s.Groups {
				b.WriteString("," + num(noise(g), 3))
			}
			b.WriteString("\n")
		}
	case MinutesMilliamps:
		b.WriteString("Bench log\r\nChannel;2\r\nStarted;" + start.Format("02.01.2006 15:04") + "\r\n\r\n")
		b.WriteString("Elapsed [min];Step;U/V;I(mA);T/°C\r\n")
		for _, s := range samples {
			step := "rest"
			switch {
			case s.Amps < 0:
				step = "discharge"
			case s.Amps > 0:
				step = "charge"
			}
			fmt.Fprintf(&b, "%s;%s;%s;%s;%s\r\n", comma(s.Seconds/60, 4), step, comma(noise(s.Volts), 3),
				comma(math.Abs(s.Amps)*1000, 0), comma(s.TempC, 1))
		}
	case ClockTabs:
		header := "Date Time\tVoltage (V)\tCurrent (A)\tTemperature (C)"
		for i := range groups {
			header += fmt.Sprintf("\tCell %d (V)", i+1)
		}
		b.WriteString("\ufeff" + header + "\n")
		for i, s := range samples {
			if i > 0 && i%5000 == 0 {
				b.WriteString(header + "\n")
			}
			at := start.Add(time.Duration(s.Seconds * float64(time.Second)))
			b.WriteString(at.Format("2006-01-02 15:04:05") + "\t" + num(noise(s.Volts), 3) + "\t" + num(-s.Amps, 3) +
				"\t" + num(s.TempC, 1))
			for _, g := range s.Groups {
				b.WriteString("\t" + num(noise(g), 3))
			}
			b.WriteString("\n")
		}
	}
	return b.Bytes()
}
