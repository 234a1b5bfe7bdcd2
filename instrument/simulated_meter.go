package instrument

import (
	"bufio"
	"errors"
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"strconv"
	"strings"
	"sync"
	"time"

	"pandrel/core/trainer/virtual"
)

// Touch returns the true voltage between two points of a module; ok is false for one that the simulation does not have.
type Touch func(module, red, black string) (volts float64, ok bool)

// SimulatedMeter is a bench meter behind the real protocol, with probes that go where they are told.
type SimulatedMeter struct {
	Address string

	touch Touch
	l     net.Listener
	mu    sync.Mutex
	meter *virtual.Meter
	fine  *virtual.Meter // in its range of millivolts
}

// StartMeter serves a simulated meter on address; port 0 picks a free one.
func StartMeter(address string, seed uint64, touch Touch) (*SimulatedMeter, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("simulated meter on %s: %w", address, err)
	}
	m := &SimulatedMeter{Address: l.Addr().String(), touch: touch, l: l,
		meter: virtual.NewMeter(rand.New(rand.NewPCG(seed, 0x6d6574)), 0.0005, 0.001),
		fine:  virtual.NewMeter(rand.New(rand.NewPCG(seed, 0x6d56)), fineNoise, fineDigits)}
	go m.serve()
	return m, nil
}

// Stop ends the server.
func (m *SimulatedMeter) Stop() error { return m.l.Close() }

func (m *SimulatedMeter) serve() {
	for {
		conn, err := m.l.Accept()
		if errors.Is(err, net.ErrClosed) {
			return
		}
		if err != nil {
			continue
		}
		go m.talk(conn)
	}
}

// maxLine bounds a command.
const maxLine = 256

// hand is where the probes of one conversation are. air counts the measurements during which they are still lifted.
type hand struct {
	volts float64
	air   int
}

// How a hand goes to two points, in measurements: lifted, then one with a contact that is not good yet.
const (
	movesFor   = 4
	halfOn     = 0.6
	fineVolts  = 0.1 // below it the range is one of millivolts
	fineNoise  = 0.000004
	fineDigits = 0.00001
)

func (m *SimulatedMeter) talk(conn net.Conn) {
	defer conn.Close()
	in := bufio.NewScanner(conn)
	in.Buffer(make([]byte, maxLine), maxLine)
	var h hand
	for conn.SetDeadline(time.Now().Add(time.Minute)) == nil && in.Scan() {
		command, rest, _ := strings.Cut(strings.TrimSpace(in.Text()), " ")
		answer := ""
		switch strings.ToUpper(command) {
		case "*IDN?":
			answer = simulatedMeter + ",1 mV,0,1"
		case "SIM:TOUCH", "SIM:MOVE":
			answer = "no such module or point"
			if v, ok := m.at(rest); ok {
				h.volts, h.air, answer = v, 0, "OK"
				if strings.EqualFold(command, "SIM:MOVE") {
					h.air = movesFor
				}
			}
		case "MEAS:VOLT:DC?", "MEASURE:VOLTAGE:DC?":
			answer = fmt.Sprintf("%+.6E", m.shows(&h))
		default:
			continue // SCPI: an unknown command has no answer
		}
		if _, err := fmt.Fprintf(conn, "%s\n", answer); err != nil {
			return
		}
	}
}

// The joints of the bar that comes with the meter, under 40 A: each fifth was not cleaned.
const (
	goodJoint = 0.0041
	badJoint  = 0.0123
	badEvery  = 5
)

// at is what stands between the points of a command: module,red,black, =volts, or joint and its number.
func (m *SimulatedMeter) at(where string) (float64, bool) {
	if text, ok := strings.CutPrefix(where, "joint "); ok {
		n, err := strconv.Atoi(text)
		if err == nil && n > 0 && n%badEvery == 0 {
			return badJoint, true
		}
		return goodJoint, err == nil && n > 0
	}
	if text, ok := strings.CutPrefix(where, "="); ok {
		v, err := meterVolts(text)
		return v, err == nil
	}
	parts := strings.Split(where, ",")
	if len(parts) != 3 {
		return 0, false
	}
	return m.touch(parts[0], parts[1], parts[2])
}

// shows is one measurement, from where the hand is.
func (m *SimulatedMeter) shows(h *hand) float64 {
	v := h.volts
	if h.air > 0 {
		if h.air--; h.air > 0 {
			v = 0
		} else {
			v *= halfOn
		}
	}
	m.mu.Lock()
	defer m.mu.Unlock()
	if math.Abs(v) < fineVolts {
		return m.fine.Read(v)
	}
	return m.meter.Read(v)
}
