package instrument

import (
	"bufio"
	"errors"
	"fmt"
	"math/rand/v2"
	"net"
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
}

// StartMeter serves a simulated meter on address; port 0 picks a free one.
func StartMeter(address string, seed uint64, touch Touch) (*SimulatedMeter, error) {
	l, err := net.Listen("tcp", address)
	if err != nil {
		return nil, fmt.Errorf("simulated meter on %s: %w", address, err)
	}
	m := &SimulatedMeter{Address: l.Addr().String(), touch: touch, l: l,
		meter: virtual.NewMeter(rand.New(rand.NewPCG(seed, 0x6d6574)), 0.0005, 0.001)}
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

func (m *SimulatedMeter) talk(conn net.Conn) {
	defer conn.Close()
	in := bufio.NewScanner(conn)
	in.Buffer(make([]byte, maxLine), maxLine)
	volts, touching := 0.0, false
	for conn.SetDeadline(time.Now().Add(time.Minute)) == nil && in.Scan() {
		command, rest, _ := strings.Cut(strings.TrimSpace(in.Text()), " ")
		answer := ""
		switch strings.ToUpper(command) {
		case "*IDN?":
			answer = simulatedMeter + ",1 mV,0,1"
		case "SIM:TOUCH":
			parts := strings.Split(rest, ",")
			answer = "no such module or point"
			if len(parts) == 3 {
				if v, ok := m.touch(parts[0], parts[1], parts[2]); ok {
					volts, touching, answer = v, true, "OK"
				}
			}
		case "MEAS:VOLT:DC?", "MEASURE:VOLTAGE:DC?":
			v := 0.0
			if touching {
				v = volts
			}
			m.mu.Lock()
			answer = fmt.Sprintf("%+.6E", m.meter.Read(v))
			m.mu.Unlock()
		default:
			continue // SCPI: an unknown command has no answer
		}
		if _, err := fmt.Fprintf(conn, "%s\n", answer); err != nil {
			return
		}
	}
}
