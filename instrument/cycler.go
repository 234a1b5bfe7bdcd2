package instrument

import (
	"bufio"
	"fmt"
	"io"
	"math"
	"net"
	"strconv"
	"strings"
	"time"
)

// The cycler speaks SCPI over TCP, a line for each command; channels stand behind it as (@1). It charges, discharges
// and rests by limits of its own, so that a step goes on and ends whether or not anybody is connected:
//
//	*IDN?                     its name
//	SOUR:CURR 13.8,(@1)       amps, positive charges
//	SOUR:VOLT:CELL:MAX …      volts of a group at which the current falls (charge), MIN at which the step ends
//	SOUR:CURR:TAP …           amps at which a charge ends
//	SOUR:TIME:MAX …, SOUR:CHAR:MAX …, SOUR:TEMP:MAX …
//	OUTP ON,(@1)              begins the step with these limits; OUTP OFF pauses it, OUTP CONT lets it go on
//	STAT? (@1)                IDLE, RUN, PAUSE, or DONE and why: taper, floor, time, charge, temperature
//	MEAS? (@1)                seconds and Ah of the step, volts, amps, °C, and the volts of every group
//	FETC:END? (@1)            the same as it stood when the step ended, before its current was switched off
//
// The simulated one is told which module is on a channel: SIM:PLUG number,(@1).
const simulatedCycler = "Pandrel simulated cycler"

// Channel states of a cycler.
const (
	Idle  = "IDLE"
	Run   = "RUN"
	Pause = "PAUSE"
	Done  = "DONE"
)

// CyclerStep is what a channel is set to. Zero is no limit.
type CyclerStep struct {
	Amps      float64
	GroupMax  float64
	GroupMin  float64
	TaperAmps float64
	Seconds   float64
	Ah        float64
	TempMaxC  float64
}

// CyclerReading is what a channel shows. Seconds and Ah are of the step, by the device's own counters.
type CyclerReading struct {
	State   string
	Ended   string
	Volts   float64
	Amps    float64
	TempC   float64
	Groups  []float64
	Ah      float64
	Seconds float64
}

// Cycler is a connection to a cycler. It is not for two goroutines at once.
type Cycler struct {
	address string
	conn    net.Conn
	in      *bufio.Reader
	Name    string
}

// DialCycler connects and asks its name.
func DialCycler(address string) (*Cycler, error) {
	conn, err := net.DialTimeout("tcp", address, timeout)
	if err != nil {
		return nil, fmt.Errorf("no cycler answers at %s: is it switched on and connected?", address)
	}
	return talkCycler(conn, address)
}

// talkCycler asks its name over a connection that stands.
func talkCycler(conn net.Conn, address string) (c *Cycler, err error) {
	c = &Cycler{address: address, conn: conn, in: bufio.NewReaderSize(conn, 4*maxAnswer)}
	if c.Name, err = c.ask("*IDN?"); err != nil {
		_ = conn.Close()
		return nil, err
	}
	return c, nil
}

// Close ends the connection; the device goes on by its own limits.
func (c *Cycler) Close() error { return c.conn.Close() }

func (c *Cycler) ask(command string) (string, error) {
	if err := c.conn.SetDeadline(time.Now().Add(timeout)); err != nil {
		return "", err
	}
	if _, err := fmt.Fprintf(c.conn, "%s\n", command); err != nil {
		return "", fmt.Errorf("the cycler at %s stopped listening: %w", c.address, err)
	}
	line, err := c.in.ReadSlice('\n') // no longer than the buffer
	if err != nil {
		if err == io.EOF {
			err = io.ErrUnexpectedEOF
		}
		return "", fmt.Errorf("the cycler at %s does not answer %s: %w", c.address, command, err)
	}
	return strings.TrimSpace(string(line)), nil
}

// tell sends a command that has no answer of its own, and asks whether it was taken.
func (c *Cycler) tell(command string) error {
	if err := c.conn.SetDeadline(time.Now().Add(timeout)); err != nil {
		return err
	}
	if _, err := fmt.Fprintf(c.conn, "%s\n", command); err != nil {
		return fmt.Errorf("the cycler at %s stopped listening: %w", c.address, err)
	}
	got, err := c.ask("SYST:ERR?")
	if err != nil {
		return err
	}
	if code, text, _ := strings.Cut(got, ","); strings.TrimLeft(code, "+-0") != "" {
		return fmt.Errorf("the cycler at %s refused %q: %.80s", c.address, command, strings.Trim(text, `" `))
	}
	return nil
}

func (c *Cycler) numbers(command string) (out []float64, err error) {
	got, err := c.ask(command)
	if err != nil {
		return nil, err
	}
	for _, p := range strings.Split(got, ",") {
		v, err := strconv.ParseFloat(strings.TrimSpace(p), 64)
		if err != nil || math.IsNaN(v) || math.IsInf(v, 0) || math.Abs(v) > 1e9 {
			return nil, fmt.Errorf("the cycler at %s answers %s with %.40q: expected numbers", c.address, command, got)
		}
		out = append(out, v)
	}
	return out, nil
}

// Rate is how many times faster than the clock its time runs: 1, but for a simulated one, which says so in its name.
func (c *Cycler) Rate() float64 {
	if f := strings.Split(c.Name, ","); strings.HasPrefix(c.Name, simulatedCycler) && len(f) > 2 {
		if v, err := strconv.ParseFloat(f[2], 64); err == nil && v > 0 && v <= maxFactor {
			return v
		}
	}
	return 1
}

// Plug tells a simulated cycler which module is on a channel; a real one knows by its clamps.
func (c *Cycler) Plug(channel int, module string) error {
	if !strings.HasPrefix(c.Name, simulatedCycler) {
		return nil
	}
	if strings.ContainsAny(module, ",\r\n(") {
		return fmt.Errorf("%s: expected a name without commas", module)
	}
	return c.tell(fmt.Sprintf("SIM:PLUG %s,(@%d)", module, channel))
}

// Begin sets a channel's limits and begins the step.
func (c *Cycler) Begin(channel int, s CyclerStep) error {
	for _, x := range []struct {
		command string
		v       float64
	}{{"SOUR:CURR", s.Amps}, {"SOUR:VOLT:CELL:MAX", s.GroupMax}, {"SOUR:VOLT:CELL:MIN", s.GroupMin}, {"SOUR:CURR:TAP",
		s.TaperAmps}, {"SOUR:TIME:MAX", s.Seconds}, {"SOUR:CHAR:MAX", s.Ah}, {"SOUR:TEMP:MAX", s.TempMaxC}} {
		if err := c.tell(fmt.Sprintf("%s %g,(@%d)", x.command, x.v, channel)); err != nil {
			return err
		}
	}
	return c.tell(fmt.Sprintf("OUTP ON,(@%d)", channel))
}

// Hold pauses a channel, and Go lets it go on.
func (c *Cycler) Hold(channel int) error { return c.tell(fmt.Sprintf("OUTP OFF,(@%d)", channel)) }

// Go lets a paused channel go on.
func (c *Cycler) Go(channel int) error { return c.tell(fmt.Sprintf("OUTP CONT,(@%d)", channel)) }

// Read asks what a channel shows.
func (c *Cycler) Read(channel int) (r CyclerReading, err error) {
	at := fmt.Sprintf(" (@%d)", channel)
	state, err := c.ask("STAT?" + at)
	if err != nil {
		return r, err
	}
	r.State, r.Ended, _ = strings.Cut(state, ",")
	switch r.State {
	case Idle: // nothing is on it, and nothing to be measured
		return r, nil
	case Run, Pause, Done:
	default:
		return r, fmt.Errorf("the cycler at %s says %.40q of channel %d: expected IDLE, RUN, PAUSE or DONE", c.address,
			state, channel)
	}
	ask := "MEAS?"
	if r.State == Done {
		ask = "FETC:END?"
	}
	v, err := c.numbers(ask + at)
	if err != nil {
		return r, err
	}
	if len(v) < 5 {
		return r, fmt.Errorf("the cycler at %s answers %s with %d numbers: expected at least five", c.address, ask,
			len(v))
	}
	r.Seconds, r.Ah, r.Volts, r.Amps, r.TempC, r.Groups = v[0], v[1], v[2], v[3], v[4], v[5:]
	sum := 0.0
	for _, x := range r.Groups {
		if !(x > -10 && x < 10) {
			return r, fmt.Errorf("the cycler at %s reads a group as %.4g V: expected its volts", c.address, x)
		}
		sum += x
	}
	if n := len(r.Groups); n > 0 && math.Abs(sum-r.Volts) > 0.1*float64(n) {
		return r, fmt.Errorf("the cycler at %s reads %.2f V in all and %.2f V as the sum of its groups: a lead "+
			"is wrong", c.address, r.Volts, sum)
	}
	return r, nil
}
