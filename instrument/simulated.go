package instrument

import (
	"fmt"
	"math"
	"math/rand/v2"
	"net"
	"sync"

	"github.com/simonvetter/modbus"

	"pandrel/core/trainer/virtual"
)

// SimulatedMonitor is a cell monitor behind the real protocol, with simulated modules to plug in.
// Deterministic from its seed but for the order of requests.
type SimulatedMonitor struct {
	Address string

	mu     sync.Mutex
	module virtual.Module
	queue  []virtual.Module // plugged in one after the other, as each has been read
	read   bool
	open   map[int]bool
	plug   uint16
	tempC  float64
	meter  *virtual.Meter
	server *modbus.ModbusServer
}

// StartMonitor serves a simulated monitor on address; port 0 picks a free one. It has nothing plugged in yet.
func StartMonitor(address string, seed uint64) (*SimulatedMonitor, error) {
	host, port, err := net.SplitHostPort(address)
	if err != nil {
		return nil, fmt.Errorf("monitor address %q: expected host:port", address)
	}
	if port == "0" { // the server cannot tell which port it got, so one is picked for it
		l, err := net.Listen("tcp", address)
		if err != nil {
			return nil, err
		}
		_, port, _ = net.SplitHostPort(l.Addr().String())
		if err := l.Close(); err != nil {
			return nil, err
		}
	}
	m := &SimulatedMonitor{Address: net.JoinHostPort(host, port), tempC: 21,
		meter: virtual.NewMeter(rand.New(rand.NewPCG(seed, 0x6d6f6e)), 0.0005, 0.001)}
	m.server, err = modbus.NewServer(&modbus.ServerConfiguration{URL: "tcp://" + m.Address, Timeout: timeout,
		MaxClients: 5}, m)
	if err != nil {
		return nil, err
	}
	if err := m.server.Start(); err != nil {
		return nil, fmt.Errorf("simulated monitor on %s: %w", m.Address, err)
	}
	return m, nil
}

// Plug puts a module's lead in; open lists inputs without contact, from 1.
func (m *SimulatedMonitor) Plug(mod virtual.Module, open ...int) {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.module, m.plug, m.open = mod, m.plug+1, map[int]bool{}
	for _, i := range open {
		m.open[i] = true
	}
}

// PlugInTurn puts in the first module, and each time one has been read, the next, as a person would
// who works through a pallet; after the last the first comes again.
func (m *SimulatedMonitor) PlugInTurn(mods ...virtual.Module) {
	m.Plug(mods[0])
	m.mu.Lock()
	defer m.mu.Unlock()
	m.queue = mods
}

// nextInTurn plugs in the next of the queue once the one before was read.
func (m *SimulatedMonitor) nextInTurn() {
	if len(m.queue) < 2 || !m.read {
		return
	}
	m.queue = append(m.queue[1:], m.queue[0])
	m.module, m.plug, m.read, m.open = m.queue[0], m.plug+1, false, nil
}

// Unplug takes the lead out.
func (m *SimulatedMonitor) Unplug() {
	m.mu.Lock()
	defer m.mu.Unlock()
	m.module = virtual.Module{}
}

// Stop ends the server.
func (m *SimulatedMonitor) Stop() error { return m.server.Stop() }

// HandleInputRegisters answers as the device would.
func (m *SimulatedMonitor) HandleInputRegisters(req *modbus.InputRegistersRequest) ([]uint16, error) {
	m.mu.Lock()
	defer m.mu.Unlock()
	if req.Addr == regMagic {
		m.nextInTurn()
	}
	volts := m.module.RestVolts()
	m.read = m.read || req.Addr >= regVolts
	out := make([]uint16, req.Quantity)
	for i := range out {
		switch at := int(req.Addr) + i; {
		case at == regMagic:
			out[i] = magic
		case at == regGroups:
			out[i] = uint16(len(volts))
		case at == regPlug:
			out[i] = m.plug
		case at == regTemp:
			out[i] = uint16(int16(math.Round(m.tempC * 10)))
		case at >= regVolts && at < regVolts+len(volts):
			g := at - regVolts
			out[i] = uint16(math.Round(max(0, m.meter.Read(volts[g])) * 1000))
			if m.open[g+1] {
				out[i] = openInput
			}
		case at >= regVolts && at < regVolts+maxGroups:
		default:
			return nil, modbus.ErrIllegalDataAddress
		}
	}
	return out, nil
}

// HandleCoils, HandleDiscreteInputs and HandleHoldingRegisters refuse: the device has none.
func (m *SimulatedMonitor) HandleCoils(*modbus.CoilsRequest) ([]bool, error) {
	return nil, modbus.ErrIllegalFunction
}

// HandleDiscreteInputs refuses.
func (m *SimulatedMonitor) HandleDiscreteInputs(*modbus.DiscreteInputsRequest) ([]bool, error) {
	return nil, modbus.ErrIllegalFunction
}

// HandleHoldingRegisters refuses.
func (m *SimulatedMonitor) HandleHoldingRegisters(*modbus.HoldingRegistersRequest) ([]uint16, error) {
	return nil, modbus.ErrIllegalFunction
}
