// Package instrument talks to measuring devices, and ships simulated ones that speak the same
// protocol, so that everything can be tried without hardware.
//
// The cell monitor speaks Modbus TCP. Its input registers, unit 1:
//
//	0        0x5043, so that another device is not taken for one
//	1        number of groups that it sees, 0 with nothing plugged in
//	2        plug counter: rises each time a lead is plugged in
//	3        temperature, tenths of a degree Celsius, signed
//	16…      millivolts of each group, group 1 at the main negative; 0xFFFF for an input that is open
package instrument

import (
	"errors"
	"fmt"
	"time"

	"github.com/simonvetter/modbus"

	"pandrel/core/base/numeral"
)

// The monitor's registers.
const (
	regMagic  = 0
	regGroups = 1
	regPlug   = 2
	regTemp   = 3
	regVolts  = 16

	magic     = 0x5043
	openInput = 0xFFFF
	maxGroups = 64
	timeout   = 2 * time.Second

	// What a cell group and its sensor can show; beyond is a broken monitor or another device.
	maxGroupVolts     = 6.0
	minTempC, maxTemp = -60.0, 150.0
)

// Monitor is what a cell monitor shows. Volts are nil where nothing is plugged in.
type Monitor struct {
	Volts []float64
	Open  []int // inputs that are open, from 1; their volts are 0
	TempC float64
	Plug  int
}

// ReadMonitor asks the monitor at address (host:port) once. Errors say what was tried and what to look at.
func ReadMonitor(address string) (Monitor, error) {
	c, err := modbus.NewClient(&modbus.ClientConfiguration{URL: "tcp://" + address, Timeout: timeout})
	if err != nil {
		return Monitor{}, fmt.Errorf("monitor at %s: %w", address, err)
	}
	if err := c.Open(); err != nil {
		return Monitor{}, fmt.Errorf("no cell monitor answers at %s: is it switched on and connected?", address)
	}
	defer c.Close()
	head, err := c.ReadRegisters(regMagic, 4, modbus.INPUT_REGISTER)
	if err != nil {
		return Monitor{}, fmt.Errorf("the device at %s does not answer as a cell monitor: %w", address, err)
	}
	if head[regMagic] != magic {
		return Monitor{}, fmt.Errorf("the device at %s is not a cell monitor: it says %#04x, expected %#04x", address,
			head[regMagic], magic)
	}
	m := Monitor{Plug: int(head[regPlug]), TempC: float64(int16(head[regTemp])) / 10}
	if m.TempC < minTempC || m.TempC > maxTemp {
		refused(address, "temperature", fmt.Sprintf("register %d: %#04x", regTemp, head[regTemp]))
		return Monitor{}, fmt.Errorf("the monitor shows %.1f °C: expected %.0f to %.0f. Is its sensor connected?",
			m.TempC, minTempC, maxTemp)
	}
	n := int(head[regGroups])
	if n == 0 {
		return m, errors.New("nothing is plugged into the monitor")
	}
	if n > maxGroups {
		refused(address, "groups", fmt.Sprint(n))
		return m, fmt.Errorf("the monitor says it sees %s: expected at most %d", numeral.Count(n, "group"), maxGroups)
	}
	mv, err := c.ReadRegisters(regVolts, uint16(n), modbus.INPUT_REGISTER)
	if err != nil {
		return m, fmt.Errorf("the monitor at %s stopped answering: %w", address, err)
	}
	for i, v := range mv {
		if v == openInput {
			m.Open = append(m.Open, i+1)
			v = 0
		}
		volts := float64(v) / 1000
		if volts > maxGroupVolts {
			refused(address, "volts", fmt.Sprintf("register %d: %#04x", regVolts+i, v))
			return Monitor{}, fmt.Errorf("the monitor shows %.3f V for group %d: expected at most %.0f V", volts, i+1,
				maxGroupVolts)
		}
		m.Volts = append(m.Volts, volts)
	}
	return m, nil
}
