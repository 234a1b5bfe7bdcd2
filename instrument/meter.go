package instrument

import (
	"bufio"
	"context"
	"errors"
	"fmt"
	"io"
	"log/slog"
	"math"
	"net"
	"regexp"
	"strconv"
	"strings"
	"syscall"
	"time"
)

// The bench meter speaks SCPI over TCP, a line for each command, as bench multimeters with a network
// socket do: *IDN? names it, MEAS:VOLT:DC? answers with volts.
//
// A real meter reads where its probes are. The simulated one must be told: it names itself with
// simulatedMeter, and then takes SIM:TOUCH module,red,black before a measurement, or SIM:MOVE with the same: the probes
// are lifted, and are there a few measurements later. In place of the points may stand =volts, or joint and a number.
const simulatedMeter = "Pandrel simulated bench meter"

// Spot is where the probes are to go. A real meter is told nothing of it; the simulated one goes there: to two points
// of a module; to what shows as many volts as Shows says, as a lead of a bank that nobody has built does; or to the
// joint of that number, from 1, of a bar that it has with it.
type Spot struct {
	Module, Red, Black string
	Shows              *float64
	Joint              int
}

// told is the spot in the words of the simulated meter.
func (s Spot) told() (string, error) {
	if s.Joint > 0 {
		return fmt.Sprintf("joint %d", s.Joint), nil
	}
	if s.Shows != nil {
		return fmt.Sprintf("=%.6f", *s.Shows), nil
	}
	if strings.ContainsAny(s.Module+s.Red+s.Black, ",\n\r") {
		return "", fmt.Errorf("%s, %s, %s: expected names without commas", s.Module, s.Red, s.Black)
	}
	return fmt.Sprintf("%s,%s,%s", s.Module, s.Red, s.Black), nil
}

// errOverRange is how a meter says that it must be set to more.
var errOverRange = errors.New("it is over its range: choose a higher one")

// meter is one conversation with a bench meter.
type meter struct {
	conn      net.Conn
	r         *bufio.Reader
	address   string
	simulated bool
}

// A meter of one connection that was just let go of may need a moment before it takes the next: one that hangs up at
// the first question is asked again so many times, so long after.
const (
	greetings  = 4
	greetAgain = 150 * time.Millisecond
)

func dialMeter(address string) (m *meter, err error) {
	for range greetings {
		if m, err = dialOnce(address); !errors.Is(err, io.EOF) && !errors.Is(err, syscall.ECONNRESET) {
			break
		}
		time.Sleep(greetAgain)
	}
	return m, err
}

func dialOnce(address string) (*meter, error) {
	conn, err := net.DialTimeout("tcp", address, timeout)
	if err != nil {
		return nil, fmt.Errorf("no bench meter answers at %s: is it switched on and connected?", address)
	}
	m, err := greet(conn, address)
	if err != nil {
		conn.Close()
	}
	return m, err
}

// greet asks who answers.
func greet(conn net.Conn, address string) (*meter, error) {
	m := &meter{conn: conn, r: bufio.NewReaderSize(conn, maxAnswer), address: address}
	name, err := m.ask("*IDN?")
	m.simulated = strings.HasPrefix(name, simulatedMeter)
	return m, err
}

// ask sends a command and returns its answer. What is there before it was asked for is no answer: with one line too
// many every answer after it would be the one before.
func (m *meter) ask(command string) (string, error) {
	if n := m.r.Buffered(); n > 0 {
		old, _ := m.r.Peek(n)
		refused(m.address, "nothing", string(old))
		return "", fmt.Errorf("the device at %s says more than it is asked: no bench meter?", m.address)
	}
	if err := m.conn.SetDeadline(time.Now().Add(timeout)); err != nil {
		return "", err
	}
	if _, err := fmt.Fprintf(m.conn, "%s\n", command); err != nil {
		return "", fmt.Errorf("the meter at %s stopped listening: %w", m.address, err)
	}
	line, err := m.r.ReadSlice('\n') // no longer than the buffer
	if err != nil {
		if len(line) > 0 {
			refused(m.address, command, string(line))
		}
		return "", fmt.Errorf("the device at %s does not answer %s as a bench meter: %w", m.address, command, err)
	}
	return strings.TrimSpace(string(line)), nil
}

// send tells a simulated meter where its probes go.
func (m *meter) send(command string, to Spot) error {
	if !m.simulated {
		return nil
	}
	where, err := to.told()
	if err != nil {
		return err
	}
	got, err := m.ask(command + " " + where)
	if err != nil {
		return err
	}
	if got != "OK" {
		return fmt.Errorf("the simulated meter cannot touch %s and %s of %s: %s", to.Red, to.Black, to.Module, got)
	}
	return nil
}

// volts measures once.
func (m *meter) volts() (float64, error) {
	got, err := m.ask("MEAS:VOLT:DC?")
	if err != nil {
		return 0, err
	}
	v, err := meterVolts(got)
	if err != nil {
		refused(m.address, "MEAS:VOLT:DC?", got)
		return 0, fmt.Errorf("the meter at %s: %w", m.address, err)
	}
	return v, nil
}

// ReadMeter asks the meter at address (host:port) once. Errors say what was tried and what to look at.
func ReadMeter(address string, at Spot) (volts float64, err error) {
	m, err := dialMeter(address)
	if err != nil {
		return 0, err
	}
	defer m.conn.Close()
	return m.once(at)
}

func (m *meter) once(at Spot) (float64, error) {
	if err := m.send("SIM:TOUCH", at); err != nil {
		return 0, err
	}
	return m.volts()
}

// WatchMeter asks the meter at address again and again, a pause apart, and shows each answer with the time since the
// first, until see has enough or fails, or nobody wants to know any more. Over its range counts as infinite: on its way
// to a higher one a meter says so in between. The probes of a simulated meter are lifted first, and go there as a hand
// would.
func WatchMeter(ctx context.Context, address string, to Spot, pause time.Duration,
	see func(at time.Duration, volts float64) (enough bool, err error)) error {
	m, err := dialMeter(address)
	if err != nil {
		return err
	}
	defer m.conn.Close()
	if err := m.send("SIM:MOVE", to); err != nil {
		return err
	}
	begin := time.Now()
	for {
		v, err := m.volts()
		if errors.Is(err, errOverRange) {
			v, err = math.Inf(1), nil
		}
		if err != nil {
			return err
		}
		if enough, err := see(time.Since(begin), v); enough || err != nil {
			return err
		}
		select {
		case <-ctx.Done():
			return ctx.Err()
		case <-time.After(pause):
		}
	}
}

// maxAnswer is the longest answer in bytes that a meter may give.
const maxAnswer = 256

// maxMeterVolts is more than any bench meter takes between its probes.
const maxMeterVolts = 1500

// plainNumber is how SCPI writes numbers, and nothing else that Go would read: no hexadecimal, no NaN, no underscores.
var plainNumber = regexp.MustCompile(`^[+-]?(\d{1,20}(\.\d{0,20})?|\.\d{1,20})([eE][+-]?\d{1,3})?$`)

// meterVolts reads an answer, and refuses what cannot be volts between two probes.
func meterVolts(got string) (float64, error) {
	if !plainNumber.MatchString(got) {
		return 0, fmt.Errorf("it answered %.40q: expected volts", got)
	}
	volts, err := strconv.ParseFloat(got, 64)
	if err != nil || math.IsInf(volts, 0) {
		return 0, fmt.Errorf("it answered %.40q: expected volts", got)
	}
	if math.Abs(volts) > 9e36 { // SCPI's way to say overload
		return 0, errOverRange
	}
	if math.Abs(volts) > maxMeterVolts {
		return 0, fmt.Errorf("it answered %.40q: expected at most %d V. Is it set to volts?", got, maxMeterVolts)
	}
	return volts, nil
}

// refused writes down what a device said that was not taken.
func refused(address, asked, raw string) {
	slog.Warn("refused", "device", address, "asked", asked, "raw", strconv.QuoteToASCII(raw[:min(len(raw), maxAnswer)]))
}
